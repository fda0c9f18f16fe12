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


TOOL = VENV / "bin"
STEPS: list[tuple[str, list[str]]] = [
    ("format", [str(TOOL / "ruff"), "format", "--check", "--quiet", "."]),
    ("lint", [str(TOOL / "ruff"), "check", "--quiet", "."]),
    ("types", [str(TOOL / "mypy")]),
    ("import contract", [str(TOOL / "lint-imports"), "--no-cache"]),
    ("templates", [str(TOOL / "djlint"), "web", "--lint", "--quiet"]),
    ("scripts' format", [str(TOOL / "oxfmt"), "-c", "frontend/oxfmt.json", "--check", "web/static/js"]),
    ("scripts", [str(TOOL / "oxlint"), "-c", "frontend/oxlint.json", "--deny-warnings", "web/static/js"]),
    ("stylesheet is current", [str(PYTHON), "frontend/current.py"]),
    (
        "migrations are current",
        [str(PYTHON), "-m", "web.manage", "makemigrations", "--check", "--dry-run"],
    ),
]
COVERED = [str(TOOL / "coverage"), "report"]
"""At least as much as pyproject.toml says."""


def run(words: list[str]) -> int:
    """Runs all, or with words only the tests they name. The last line counts what passed and failed."""
    debian.need_postgres()
    os.environ["PINE_CHROMIUM"] = debian.need_for_tests()
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
    counts = [0, 0]
    try:
        for name, command in [] if words else STEPS:
            counts = added(counts, step(name, command, environment))
        for command in suites(words):
            counts = added(counts, suite(command, environment))
        if not words:
            counts = added(counts, step("core covered by its own tests", COVERED, environment))
    finally:
        server.stop()
    passed, failed = counts
    print(f"{passed} passed, {failed} failed")
    return 1 if failed or not passed else 0


def added(counts: list[int], more: list[int]) -> list[int]:
    return [one + other for one, other in zip(counts, more, strict=True)]


def step(name: str, command: list[str], environment: dict[str, str]) -> list[int]:
    """One check of everything: [passed, failed]."""
    started = time.monotonic()
    done = subprocess.run(command, cwd=ROOT, env=environment, capture_output=True, text=True)
    say(f"{'ok  ' if done.returncode == 0 else 'FAIL'} {name} ({time.monotonic() - started:.0f} s)")
    if done.returncode:
        print(done.stdout[-8000:] + done.stderr[-8000:])
    return [int(done.returncode == 0), int(done.returncode != 0)]


def suite(command: list[str], environment: dict[str, str]) -> list[int]:
    """A run of tests, which closes by saying how many: [passed, failed]."""
    done = subprocess.run(command, cwd=ROOT, env=environment, stdout=subprocess.PIPE, text=True)
    sys.stdout.write(done.stdout)
    closing = CLOSING.findall(done.stdout)
    passed, failed = [int(number) for number in closing[-1]] if closing else [0, 1]
    return [passed, max(failed, int(done.returncode != 0 and not failed))]


def suites(words: list[str]) -> list[list[str]]:
    """Core tests run without Django; the rest by Django's runner on the test cluster."""
    core = [str(PYTHON), "-m", "core.tests"]
    covered = [str(TOOL / "coverage"), "run", "-m", "core.tests"]
    web = [str(PYTHON), "-m", "web.manage", "test", "--noinput", "--parallel", "2"]
    if words:
        only_core = [word for word in words if word.startswith("core")]
        rest = [word for word in words if not word.startswith("core")]
        return [[*core, *only_core]] * bool(only_core) + [[*web, *rest]] * bool(rest)
    return [covered, [*web, "tests"]]
