"""Runs the core's tests without Django: python -m core.tests [module …]"""

import sys
import unittest
from pathlib import Path

from hypothesis import settings

if __name__ == "__main__":
    settings.register_profile("all", deadline=None)  # a busy machine is slow, not wrong
    settings.load_profile("all")
    loader = unittest.TestLoader()
    names = [word for word in sys.argv[1:] if not word.startswith("-")]
    root = Path(__file__).resolve().parent
    suite = (
        loader.loadTestsFromNames(names)
        if names
        else loader.discover(str(root), top_level_dir=str(root.parent.parent))
    )
    result = unittest.TextTestRunner(verbosity=1, stream=sys.stderr).run(suite)
    bad = len(result.failures) + len(result.errors)
    print(f"{result.testsRun - bad} passed, {bad} failed")  # noqa: T201
    sys.exit(bool(bad))
