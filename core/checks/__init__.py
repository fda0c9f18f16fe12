"""Checks of definitions, one function a table, registered where they stand. Screens and imports ask the same ones."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import Any

from core.checks import codes, companies, groups, references, statements, structures
from core.faults import Fault
from core.state import Edit, State
from core.tables import BY_ROW, DEFINING_TABLES

Check = Callable[[State, list[Any]], Iterator[Fault]]

CHECKS: dict[str, list[Check]] = {table.name: [references.check] for table in DEFINING_TABLES}
for _module in (codes, structures, companies, statements, groups):
    for _row, _check in _module.CHECKS:
        CHECKS[BY_ROW[_row].name].append(_check)


def of_rows(state: State, table: str, rows: list[Any]) -> Iterator[Fault]:
    """The faults of some rows of a table, and of what they make up together (a list, a tree, a calendar)."""
    for check in CHECKS[table]:
        yield from check(state, rows)


def of_edits(state: State, edits: Iterable[Edit]) -> Iterator[Fault]:
    """The faults of the rows that edits leave behind; `state` is the state after them."""
    touched: dict[str, list[Any]] = {}
    for edit in edits:
        if edit.new is not None:
            touched.setdefault(edit.table, []).append(edit.new)
    for table in DEFINING_TABLES:
        if rows := touched.get(table.name):
            yield from of_rows(state, table.name, rows)


def of_everything(state: State) -> Iterator[Fault]:
    for table in DEFINING_TABLES:
        yield from of_rows(state, table.name, [row for _, row in state.table(table.name)])
