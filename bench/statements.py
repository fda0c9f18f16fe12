"""Statements of one company as their pages ask for them: on a day, and leaving out what moved no cash."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from functools import partial

LINES = 10_000
"""Of the company."""


def bench_statements(add: Callable[..., None], p95: Callable[..., float]) -> None:
    """A balance sheet on a day in the midst of a period beside the same at a period's end; a cash flow with a
    non-cash pair beside one without."""
    from core.analysis.asked import Asked
    from web.definitions.snapshot import current
    from web.statements.queries import company_plan, known_company, worked_out

    state, company = current().state, "c007"

    def figures_of(statement: str, asked: Callable[[int], Asked], i: int) -> None:
        planned = company_plan(state, statement, known_company(state, company))
        worked_out(state, planned, company, asked(i))

    def at_end(i: int) -> Asked:
        return Asked(2026, 1 + i % 12)

    def on_day(i: int) -> Asked:
        return Asked(end=date(2026, 1 + i % 12, 3 + i % 20))

    days, ends = (p95(partial(figures_of, "bs", at), 20) for at in (on_day, at_end))
    add("figures on a day, p95", LINES, days, "the same at a period's end", ends, 8)
    paired, plain = (p95(partial(figures_of, name, at_end), 20) for name in ("paired", "cf"))
    words = "a cash flow that leaves out a pair, p95", "the same without one"
    add(words[0], LINES, paired, words[1], plain, 5)
