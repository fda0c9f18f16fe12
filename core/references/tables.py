"""What one row names in another table must exist there; and the way back: where a row is used."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from core.definitions.row_faults import fault
from core.definitions.state import State
from core.definitions.tables import BY_ROW, DEFINING_TABLES, TABLES, Company, Group, GroupMember
from core.faults import Fault

REFERENCES: tuple[tuple[type[Any], str, type[Any]], ...] = tuple(
    (table.row, column.name, TABLES[column.refers].row)
    for table in DEFINING_TABLES
    for column in table.columns
    if column.refers
)
"""(row class, column, row class it names), as the row classes say."""


def _named_by(row_class: type[Any]) -> Iterator[tuple[str, str, type[Any]]]:
    """Columns of a table that name rows of others, each with the noun of those and their row class."""
    for column in BY_ROW[row_class].columns:
        if column.refers:
            yield column.name, TABLES[column.refers].noun, TABLES[column.refers].row


def check(state: State, rows: list[Any]) -> Iterator[Fault]:
    """Names in the rows that stand for nothing."""
    if not rows:
        return
    for column, noun, target in _named_by(type(rows[0])):
        known: dict[str, bool] = {"": True}
        for row in rows:
            name = getattr(row, column)
            if name not in known:
                known[name] = state.get(target, name) is not None
            if not known[name]:
                what = f"There is no {noun} {name}."
                yield fault(row, column, what, f"Add the {noun} or correct the name.", "reference")


def users(state: State, target: type[Any], name: str) -> Iterator[Any]:
    """Rows that name a row with a single key: a list, a chart, a company …"""
    for row_class, column, named in REFERENCES:
        if named is target:
            for row in state.rows(row_class):
                if getattr(row, column) == name:
                    yield row
    if target in (Company, Group):
        kind = "company" if target is Company else "group"
        yield from (row for row in state.rows(GroupMember) if row.member == name and row.member_kind == kind)
