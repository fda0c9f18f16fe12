"""Is the committed stylesheet the one its sources make? Compares a stamp of the sources kept beside it; needs
no Node.

`python frontend/current.py --stamp` after `npm run build` writes the stamp.
"""

import hashlib
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
STAMP = ROOT / "web/static/dist/pine.css.stamp"


def stamp() -> str:
    """Of all that the build reads: styles, templates and the Python files that build rows, and the result
    itself."""
    digest = hashlib.sha256()
    sources = [
        ROOT / "frontend/styles.css",
        ROOT / "frontend/package-lock.json",
        ROOT / "web/static/dist/pine.css",
    ]
    sources += sorted((ROOT / "frontend/styles").glob("*.css"))
    sources += sorted((ROOT / "web").rglob("*.html"))
    for path in sources:
        digest.update(path.read_bytes())
    return digest.hexdigest()


if __name__ == "__main__":
    if "--stamp" in sys.argv:
        STAMP.write_text(stamp() + "\n")
    elif not STAMP.exists() or STAMP.read_text().strip() != stamp():
        sys.exit("The stylesheet is not current: cd frontend && npm ci && npm run build")
