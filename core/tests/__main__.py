"""Runs the core's tests without Django: python -m core.tests [--part=0/2] [module …]"""

import sys
import unittest
from pathlib import Path

from hypothesis import settings

ROOT = Path(__file__).resolve().parent


def modules(part: int, parts: int) -> list[str]:
    """Modules of tests dealt out to so many parts, the largest first."""
    files = sorted(ROOT.glob("test_*.py"), key=lambda path: (-path.stat().st_size, path.name))
    return [f"core.tests.{path.stem}" for path in files[part::parts]]


if __name__ == "__main__":
    settings.register_profile("all", deadline=None)  # a busy machine is slow, not wrong
    settings.load_profile("all")
    chosen = next((word.partition("=")[2] for word in sys.argv[1:] if word.startswith("--part=")), "0/1")
    part, _, parts = chosen.partition("/")
    names = [word for word in sys.argv[1:] if not word.startswith("-")]
    suite = unittest.TestLoader().loadTestsFromNames(names or modules(int(part), int(parts)))
    result = unittest.TextTestRunner(verbosity=1, stream=sys.stderr).run(suite)
    bad = len(result.failures) + len(result.errors)
    print(f"{result.testsRun - bad} passed, {bad} failed")  # noqa: T201
    sys.exit(bool(bad))
