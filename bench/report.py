"""What was measured: a row each, beside what it is compared to in the same run, and the aim of the ratio."""

from __future__ import annotations

import os
import platform
import re
import resource
import statistics
import time
from collections.abc import Callable, Iterable
from datetime import date
from functools import partial
from pathlib import Path
from typing import Any, NamedTuple

WORSE = 2.0
"""A ratio of the quick rows that is more than so many times the one that was noted fails the tests."""


def timed(act: Callable[[], Any]) -> float:
    """Seconds."""
    started = time.perf_counter()
    act()
    return time.perf_counter() - started


def best(act: Callable[[], Any], times: int = 5) -> float:
    """The quickest of so many, seconds."""
    return min(timed(act) for _ in range(times))


def p95(act: Callable[[int], Any], times: int = 60) -> float:
    """The 95th percentile of so many, seconds."""
    return statistics.quantiles([timed(partial(act, i)) for i in range(times)], n=20)[-1]


class BenchRow(NamedTuple):
    """`rows` that were worked on in `seconds`, `against` what takes `base` seconds; `aim` is the most that
    the ratio of both should be, None where none was set. `memory` is the process's own by then, MiB."""

    what: str
    rows: int
    seconds: float
    against: str
    base: float
    aim: float | None
    memory: int

    @property
    def ratio(self) -> float:
        return self.seconds / self.base

    @property
    def is_missed(self) -> bool:
        return self.aim is not None and self.ratio > self.aim

    def cells(self) -> tuple[str, ...]:
        """As the table shows them."""
        aim = "—" if self.aim is None else f"≤ {self.aim:g}"
        numbers = f"{self.seconds:.3f}", self.against, f"{self.base:.3f}", f"{self.ratio:.2f}"
        return self.what, f"{self.rows:,}", *numbers, aim, f"{self.memory:,}"


HEAD = (
    "| what | rows | seconds | against | seconds | ratio | aim | MiB |\n"
    "|---|---:|---:|---|---:|---:|---|---:|\n"
)


def table(rows: Iterable[BenchRow]) -> str:
    return HEAD + "".join(f"| {' | '.join(row.cells())} |\n" for row in rows)


class BenchReport:
    """Rows, printed as they come."""

    def __init__(self) -> None:
        self.rows: list[BenchRow] = []

    def add(
        self, what: str, rows: int, seconds: float, against: str, base: float, aim: float | None = None
    ) -> None:
        memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024
        self.rows.append(BenchRow(what, rows, seconds, against, base, aim, memory))
        print("  ".join(self.rows[-1].cells()), flush=True)

    @property
    def missed(self) -> list[BenchRow]:
        return [row for row in self.rows if row.is_missed]

    def better(self, again: BenchReport) -> BenchReport:
        """Of each row the run of a smaller ratio."""
        report = BenchReport()
        report.rows = [
            min(row, other, key=lambda one: one.ratio)
            for row, other in zip(self.rows, again.rows, strict=True)
        ]
        return report

    def closing(self) -> str:
        """What is missed, the farthest first."""
        rows = sorted(self.missed, key=lambda row: -row.ratio / (row.aim or 1))
        lines = [f"{row.what}: {row.ratio:.2f} times {row.against}, the aim is {row.aim:g}" for row in rows]
        return "\n".join(("Missed:", *lines)) if rows else "No aim is missed."


MACHINE = f"{platform.machine()}, {os.cpu_count()} cores, Python {platform.python_version()}"


def keep(path: Path, report: BenchReport, of: str) -> None:
    """Writes the page: what is missed first, then all rows; the quick ones and the notes stay for whoever
    reads both."""
    notes = [line for line in path.read_text().splitlines() if line.startswith("- ")] if path.exists() else []
    missed = "\n".join(f"* {line}" for line in report.closing().splitlines()[1:]) or "Nothing."
    told = "".join(f"{line}\n" for line in notes)
    path.write_text(
        PAGE.format(
            missed=missed,
            day=date.today(),
            of=of,
            machine=MACHINE,
            rows=table(report.rows),
            quick_head=QUICK,
            worse=f"{WORSE:g}",
            quick=_quick_table(path),
            notes=told,
        )
    )


PAGE = """# Benchmarks

## What is missed

{missed}

## What was measured

Printed by `./pine bench` on {day}: {of}; {machine}. Ratios are of two measurements in the same run and hold \
better than seconds; an aim is a ratio.

{rows}
## {quick_head}

`./pine bench --quick` on a tenth of the data, on a cluster in memory, as `./pine test` runs it: a ratio of \
more than {worse} times the one here fails.

{quick}
## Notes

{notes}"""
QUICK = "Quick rows"


def _quick_table(path: Path) -> str:
    text = path.read_text() if path.exists() else ""
    found = re.search(rf"## {QUICK}\n.*?(\| what .*?)\n\n", text, re.S)
    return found[1] + "\n" if found else ""


def keep_quick(path: Path, report: BenchReport) -> None:
    """Puts the quick rows in the place of those that are noted."""
    text = path.read_text()
    head, section, rest = text.partition(f"## {QUICK}\n")
    told, notes, after = rest.partition("## Notes\n")
    words = told.partition("| what")[0]
    path.write_text(f"{head}{section}{words.rstrip()}\n\n{table(report.rows)}\n{notes}{after}")


def noted(path: Path) -> dict[str, float]:
    """The ratios of the quick rows that the page notes."""
    cells = [
        [cell.strip() for cell in line.strip("|").split("|")] for line in _quick_table(path).splitlines()[2:]
    ]
    return {row[0]: float(row[5]) for row in cells}


def worse(report: BenchReport, known: dict[str, float]) -> list[str]:
    """Rows that take more than WORSE times the ratio that is noted, or of which none is."""
    told = []
    for row in report.rows:
        if row.what not in known:
            told.append(f"{row.what}: no ratio is noted; ./pine bench --quick --keep notes it")
        elif row.ratio > WORSE * known[row.what]:
            told.append(
                f"{row.what}: {row.ratio:.2f} times {row.against}, where {known[row.what]:.2f} is noted"
            )
    return told
