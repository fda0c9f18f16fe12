"""Whether somebody who posts waits for what others do: the 95th percentile while a package comes in, a
rollout is made, a draft is published, a period is kept, beside that of a quiet hour."""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import date
from pathlib import Path
from typing import Any

from bench.data import ROOT, generate_more
from bench.report import BenchReport

POSTER = """
import sys, time
import django
django.setup()
from bench.waiting import post_until_told
post_until_told()
"""
QUIET = 100
"""Postings of the quiet hour."""
TIMES = 6
"""Drafts that are published, and periods that are kept, one after another."""


def post_until_told() -> None:
    """In a process of its own, as a server's worker: posts four lines every now and then until its input
    ends, and writes what each took."""
    from bench.books import one_journal
    from web.journals import actions
    from web.people.models import Person

    who = Person.objects.get(username="bench")
    ended = threading.Event()

    def wait() -> None:
        sys.stdin.read()
        ended.set()

    threading.Thread(target=wait, daemon=True).start()
    number = 0
    while not ended.is_set():
        number += 1
        started = time.perf_counter()
        actions.post_all([one_journal("c001", f"W{os.getpid()}-{number}")], who)
        print(time.perf_counter() - started, flush=True)
        time.sleep(0.03)


@contextmanager
def posting() -> Iterator[list[float]]:
    """What each posting took while the block ran, filled in when it ends."""
    process = subprocess.Popen(
        [sys.executable, "-c", POSTER], cwd=ROOT, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
    )
    assert process.stdin is not None and process.stdout is not None
    taken: list[float] = []
    for _ in range(5):  # its process is warm then
        process.stdout.readline()
    yield taken
    process.stdin.close()
    taken += [float(line) for line in process.stdout]
    process.wait()


def percentile(taken: list[float]) -> float:
    return statistics.quantiles(taken, n=20)[-1]


def bench_waiting(report: BenchReport, scale: int) -> None:
    """Adds a row for each act; the longest single posting stands in its name."""
    with posting() as quiet:
        time.sleep(QUIET * 0.06)
    base = percentile(quiet)
    for what, act in acts(scale):
        with posting() as taken:
            act()
        words = f"posting while {what}, p95 (the longest took {max(taken):.3f} s)"
        report.add(words, len(taken), percentile(taken), "posting in quiet, p95", base, 2)


def acts(scale: int) -> Iterator[tuple[str, Callable[[], Any]]]:
    """Acts of others, made ready one after another."""
    from core.access.rights import FULL
    from core.definitions.tables import Rollout
    from web.definitions import drafting
    from web.definitions.snapshot import current
    from web.group.kept import keep_period
    from web.people.models import Person
    from web.rollouts import queries
    from web.rollouts.running import roll_out

    who = Person.objects.get(username="bench")
    with tempfile.TemporaryDirectory() as name:
        lines = generate_more(Path(name), scale)
        command = [sys.executable, "-m", "web.manage", "books", "import", name]
        yield f"a package of {lines:,} lines comes in", lambda: subprocess.run(command, cwd=ROOT, check=True)
    rollout = current().state.require(Rollout, "again")
    matrix = queries.matrix_for(current().state, rollout, "", FULL)
    fingerprint = queries.fingerprint(matrix)
    yield "a rollout is made", lambda: roll_out("again", "", fingerprint, who)
    drafts = [drafting.start(f"Waiting {n}", who, _budgets(n), "Why").pk for n in range(TIMES)]
    yield "drafts are published", lambda: [drafting.publish(pk, who, today=date.today()) for pk in drafts]
    kept = range(1, TIMES + 1)
    yield "periods are kept", lambda: [keep_period("g", 2026, period, "", [], who) for period in kept]


def _budgets(number: int) -> list[Any]:
    """What a draft holds: fifty changes that nothing hangs on."""
    from core.changes.kinds import Put
    from core.definitions.tables import Budget

    return [Put(Budget(f"w{number}-{i}", f"Budget {i}", "c")) for i in range(50)]
