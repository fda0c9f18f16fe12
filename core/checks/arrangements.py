"""Checks of arrangements: over a statement of the same chart and kind, once for each who shows it."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from core.definitions.row_faults import fault
from core.definitions.state import State
from core.definitions.tables import Arrangement, Company, Group, Statement
from core.faults import Fault
from core.structures.second_charts import is_seen_in


def arrangements(state: State, rows: list[Arrangement]) -> Iterator[Fault]:
    for row in rows:
        own, over = state.get(Statement, row.statement), state.get(Statement, row.over)
        if own is None or over is None:
            continue
        if row.over == row.statement or state.get(Arrangement, row.over) is not None:
            what = f"{row.over} is {'itself' if row.over == row.statement else 'an arrangement'}."
            yield fault(row, "over", what, "Name the statement that is inherited.")
        elif (own.chart, own.kind) != (over.chart, over.kind):
            what = f"{row.statement} is of another chart or kind than {row.over}."
            yield fault(row, "over", what, "Give both the same chart and kind.")
        yield from _member(state, row, over)
    for row in _again(state, rows):
        what = f"{row.member} has another arrangement over {row.over}."
        yield fault(row, "member", what, "Keep one of them.")


def _member(state: State, row: Arrangement, over: Statement) -> Iterator[Fault]:
    if row.member_kind == "group":
        group = state.get(Group, row.member)
        shows = group is not None and group.chart == over.chart
        known = group is not None
    else:
        company = state.get(Company, row.member)
        shows = company is not None and is_seen_in(state, company, over.chart)
        known = company is not None
    if not known:
        what = f"There is no {row.member_kind} {row.member}."
        yield fault(row, "member", what, "Name one that is there.", "reference")
    elif not shows:
        what = f"{row.member} is not seen in chart {over.chart}."
        yield fault(row, "member", what, "Name one that shows statements of the chart.")


def _again(state: State, rows: list[Arrangement]) -> Iterator[Arrangement]:
    first: dict[tuple[str, str, str], str] = {}
    for row in sorted(state.rows(Arrangement)):
        first.setdefault((row.over, row.member, row.member_kind), row.statement)
    return (row for row in rows if first[row.over, row.member, row.member_kind] != row.statement)


CHECKS: list[tuple[type[Any], Any]] = [(Arrangement, arrangements)]
