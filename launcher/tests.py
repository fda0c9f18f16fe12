"""./pine test: everything, in the order in which a failure is cheapest."""

from __future__ import annotations

import os
import re
import secrets
import subprocess
import sys
import time

from launcher import cluster, debian
from launcher.places import PYTHON, ROOT, VENV, say

CLOSING = re.compile(r"^(\d+) passed, (\d+) failed", re.M)


def steps() -> list[tuple[str, list[str]]]:
    tool = VENV / "bin"
    return [
        ("format", [str(tool / "ruff"), "format", "--check", "--quiet", "."]),
        ("lint", [str(tool / "ruff"), "check", "--quiet", "."]),
        ("types", [str(tool / "mypy")]),
        ("import contract", [str(tool / "lint-imports"), "--no-cache"]),
        ("templates", [str(tool / "djlint"), "web", "--lint", "--quiet"]),
        ("stylesheet is current", [str(PYTHON), "frontend/current.py"]),
        (
            "migrations are current",
            [str(PYTHON), "-m", "web.manage", "makemigrations", "--check", "--dry-run"],
        ),
    ]


def run(words: list[str]) -> int:
    """Runs all, or with words only the tests they name. The last line counts what passed and failed."""
    debian.need_postgres()
    os.environ["PINE_CHROMIUM"] = debian.need_chromium()
    server = cluster.for_tests()
    server.start()
    environment = {
        **os.environ,
        "PINE_SECRET": secrets.token_urlsafe(40),
        "PINE_DATABASE_URL": server.url("pine"),
        "PINE_APP_ROLE": cluster.APPLICATION,
        "PINE_APPLICATION_URL": server.application_url("pine"),
        "PYTHONPATH": str(ROOT),
        "DJANGO_ALLOW_ASYNC_UNSAFE": "true",
        "DJANGO_SETTINGS_MODULE": "web.settings",
    }
    passed = failed = 0
    try:
        for name, command in [] if words else steps():
            started = time.monotonic()
            done = subprocess.run(command, cwd=ROOT, env=environment, capture_output=True, text=True)
            say(f"{'ok  ' if done.returncode == 0 else 'FAIL'} {name} ({time.monotonic() - started:.0f} s)")
            if done.returncode:
                print(done.stdout[-8000:] + done.stderr[-8000:])
            passed, failed = passed + (done.returncode == 0), failed + (done.returncode != 0)
        for command in suites(words):
            done = subprocess.run(command, cwd=ROOT, env=environment, stdout=subprocess.PIPE, text=True)
            sys.stdout.write(done.stdout)
            found = CLOSING.findall(done.stdout)
            counts = [int(n) for n in found[-1]] if found else [0, 1]
            passed, failed = (
                passed + counts[0],
                failed + max(counts[1], int(done.returncode != 0 and not counts[1])),
            )
    finally:
        server.stop()
    print(f"{passed} passed, {failed} failed")
    return 1 if failed or not passed else 0


def suites(words: list[str]) -> list[list[str]]:
    """Core tests run without Django; the rest by Django's runner on the test cluster."""
    core = [str(PYTHON), "-m", "core.tests"]
    web = [str(PYTHON), "-m", "web.manage", "test", "--noinput", "--parallel", "2"]
    if words:
        only_core = [word for word in words if word.startswith("core")]
        rest = [word for word in words if not word.startswith("core")]
        return [[*core, *only_core]] * bool(only_core) + [[*web, *rest]] * bool(rest)
    return [core, [*web, "tests"]]
