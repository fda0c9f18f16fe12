"""./pine test: everything, in the order in which a failure is cheapest."""

from __future__ import annotations

import os
import re
import secrets
import subprocess
import sys
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import partial

from launcher import cluster, debian
from launcher.database import migrations_stamp
from launcher.places import PYTHON, ROOT, VENV, say, state_folder

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
COVERED = [[str(TOOL / "coverage"), "combine", "--quiet"], [str(TOOL / "coverage"), "report"]]
"""At least as much as pyproject.toml says."""
CORES = os.cpu_count() or 1


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
        "DJANGO_SETTINGS_MODULE": "tests.settings",
    }
    try:
        counts = named(words, server, environment) if words else everything(server, environment)
    finally:
        server.stop()
    passed, failed = counts
    print(f"{passed} passed, {failed} failed")
    return 1 if failed or not passed else 0


def speed(words: list[str]) -> int:
    """The quick rows of the benchmark alone, on the cluster that the tests have."""
    debian.need_postgres()
    server = cluster.for_tests()
    server.start()
    environment = {**os.environ, "PINE_SECRET": secrets.token_urlsafe(40), "PYTHONPATH": str(ROOT)}
    try:
        own = of_bench(server, environment)
        return subprocess.run([str(PYTHON), "-m", "bench", *words], cwd=ROOT, env=own).returncode
    finally:
        server.stop()


def of_bench(server: cluster.Cluster, environment: dict[str, str]) -> dict[str, str]:
    """A database of its own, which it connects to as the owner; commands start as people start them."""
    environment = {name: value for name, value in environment.items() if name != "PYTHONDONTWRITEBYTECODE"}
    return {
        **environment,
        "PINE_KEPT": str(state_folder() / "kept"),
        "PINE_DATABASE_URL": server.url("pine_bench"),
        "PINE_APP_ROLE": "",
        "DJANGO_SETTINGS_MODULE": "web.settings",
    }


def named(words: list[str], server: cluster.Cluster, environment: dict[str, str]) -> list[int]:
    """Core tests run without Django; the rest by Django's runner on the test cluster."""
    core = [word for word in words if word.startswith("core")]
    rest = [word for word in words if not word.startswith("core")]
    counts = [0, 0]
    if core:
        counts = added(counts, suite([str(PYTHON), "-m", "core.tests", *core], environment))
    if rest:
        counts = added(counts, web_tests(rest, server, environment))
    return counts


def everything(server: cluster.Cluster, environment: dict[str, str]) -> list[int]:
    """The core's tests in as many parts as there are cores, checks of the code beside them; then the rest,
    which needs the database and browsers."""
    covered = [str(TOOL / "coverage"), "run", "--parallel-mode", "-m", "core.tests"]
    jobs: list[Callable[[], list[int]]] = [
        partial(suite, [*covered, f"--part={part}/{CORES}"], environment) for part in range(CORES)
    ]
    jobs += [partial(step, name, command, environment) for name, command in STEPS]
    counts = [0, 0]
    with ThreadPoolExecutor(CORES) as pool:
        for done in [pool.submit(job) for job in jobs]:
            counts = added(counts, done.result())
    for command in COVERED:
        counts = added(counts, step(f"core covered by its own tests: {command[1]}", command, environment))
    counts = added(counts, web_tests(["tests"], server, environment))
    quick = [str(PYTHON), "-m", "bench", "--quick"]
    return added(
        counts, step("speed, beside what docs/benchmarks.md notes", quick, of_bench(server, environment))
    )


def web_tests(words: list[str], server: cluster.Cluster, environment: dict[str, str]) -> list[int]:
    """By Django's runner in as many processes as there are cores, each on a database of its own: copies of
    one that was migrated, which stays in the cluster until migrations change."""
    for name in ("test_pine", *(f"test_pine_{number}" for number in range(1, CORES + 1))):
        own = {**environment, "PINE_DATABASE_URL": server.url(name), "PINE_STAMP": migrations_stamp()}
        for more in (["--drop"], []):
            made = subprocess.run(
                [str(PYTHON), "-m", "web.shell.prepare", *more],
                cwd=ROOT,
                env={**own, "DJANGO_SETTINGS_MODULE": "web.settings"},
                capture_output=bool(more),
                text=True,
            )
        if made.returncode:
            return [0, 1]
    command = [str(PYTHON), "-m", "web.manage", "test", "--keepdb", "--noinput", "--parallel", str(CORES)]
    return suite([*command, *words], environment)


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
