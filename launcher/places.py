"""Where things lie, and how the launcher speaks."""

from __future__ import annotations

import hashlib
import os
import secrets
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
STATE = ROOT / ".pine"
VENV = ROOT / ".venv"
PYTHON = VENV / "bin" / "python"
DEFAULT = "pine"
"""The database that commands use where none is named."""


class CannotGoOn(Exception):
    """Told to the user as one plain message, with the exit status."""

    def __init__(self, text: str, status: int = 1) -> None:
        super().__init__(text)
        self.status = status


def say(text: str) -> None:
    """Progress goes to standard error: standard output belongs to results."""
    print(text, file=sys.stderr, flush=True)


def state_folder() -> Path:
    STATE.mkdir(mode=0o755, exist_ok=True)
    return STATE


def project_tag() -> str:
    """Eight characters that stand for this checkout, for folders outside it."""
    return hashlib.sha256(str(ROOT).encode()).hexdigest()[:8]


def kept_secret(name: str, folder: Path | None = None) -> str:
    """A random value made once and kept, readable by its owner alone."""
    path = (folder or state_folder()) / name
    try:
        handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    except FileExistsError:
        return path.read_text().strip()
    with os.fdopen(handle, "w") as out:
        value = secrets.token_urlsafe(40)
        out.write(value)
    return value
