"""Checks of definitions, one function a table, registered where they stand. Screens and imports ask the same
ones."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Any, NamedTuple

from core.checks import (
    arrangements,
    cells,
    codes,
    companies,
    consolidation,
    dependents,
    groups,
    rollouts,
    second_charts,
    statements,
    structures,
)
from core.definitions.nouns import named
from core.definitions.state import Edit, State
from core.definitions.tables import BY_ROW, DEFINING_TABLES, TABLES
from core.faults import Fault, Key, Location, blocking
from core.references import tables

Rows = dict[str, dict[Key, Any]]
Check = Callable[[State, list[Any]], Iterator[Fault]]

CHECKS: dict[str, list[Check]] = {table.name: [tables.check] for table in DEFINING_TABLES}
for _module in (
    *(codes, structures, companies, statements, groups, consolidation, rollouts, second_charts),
    arrangements,
):
    for _row, _check in _module.CHECKS:
        CHECKS[BY_ROW[_row].name].append(_check)


def of_rows(state: State, table: str, rows: list[Any]) -> Iterator[Fault]:
    """The faults of some rows of a table, and of what they make up together (a list, a tree, a calendar)."""
    for check in CHECKS[table]:
        yield from check(state, rows)


class Judged(NamedTuple):
    """Faults of the rows that a change leaves, and faults (that must be put right) of other rows that follow
    from it."""

    own: list[Fault]
    following: list[Fault]


def _beyond(own: Rows, rows: Iterable[Any]) -> Rows:
    """Rows by table and key, without those of `own`."""
    more = Rows()
    for row in rows:
        table = BY_ROW[type(row)]
        if (key := table.key(row)) not in own.get(table.name, ()):
            more.setdefault(table.name, {})[key] = row
    return more


def _known_before(before: State, own: Rows, more: Rows) -> set[tuple[Location, str]]:
    """Faults that stood at these rows before."""
    rows = {
        name: _before(before, {**own.get(name, {}), **more.get(name, {})}, name) for name in {*own, *more}
    }
    return {(fault.where, fault.what) for fault in _of_tables(before, rows)}


def judge(before: State, after: State, edits: Sequence[Edit]) -> Judged:
    """What is wrong with the rows that edits leave behind and with those whose checks read what they changed.

    A fault that stood there before is not the change's doing. Worth a look is only told of the rows
    themselves.
    """
    own = _left(edits)
    more = _beyond(own, dependents.rows_to_check(before, after, edits))
    faults = list(dict.fromkeys(_of_tables(after, own)))
    names = {(fault.where, fault.code) for fault in faults}
    elsewhere = [
        fault
        for fault in dict.fromkeys(blocking(_of_tables(after, _together(own, more))))
        if (fault.where, fault.code) not in names
    ]
    if blocking(faults) or elsewhere:
        known = _known_before(before, own, more)
        faults = [fault for fault in faults if (fault.where, fault.what) not in known]
        elsewhere = [fault for fault in elsewhere if (fault.where, fault.what) not in known]
    if blocking(faults):
        elsewhere = []  # what follows from a fault of its own rows would only hide it
    elif not elsewhere and any(edit.table in statements.SIGNS for edit in edits):
        elsewhere = list(statements.turned_signs(before, after))
    return Judged(faults, [_with_its_row(after, fault) for fault in elsewhere])


def of_change(before: State, after: State, edits: Sequence[Edit]) -> list[Fault]:
    """All faults that a change brings, of its own rows and of others."""
    judged = judge(before, after, edits)
    return [*judged.own, *judged.following]


def _together(own: Rows, more: Rows) -> Rows:
    """The rows of `more`, with those of `own` that are of the same tables: some make up one thing."""
    return {name: {**own.get(name, {}), **rows} for name, rows in more.items()}


NAMELESS = ("selector", "code-unknown", "code-rollup", "code-not-posting", "code-disabled")
"""Faults whose sentence speaks of a cell of the row that is looked at, without saying which row."""


def _with_its_row(state: State, fault: Fault) -> Fault:
    """A fault of a row that the person doesn't look at says which row that is."""
    row = state.get(TABLES[fault.where.table].row, *fault.where.key)
    if row is None or fault.code not in NAMELESS:
        return fault
    name = named(row)
    return replace(fault, what=f"{name[:1].upper()}{name[1:]}: {fault.what}")


def of_cells(edits: Iterable[Edit]) -> list[Fault]:
    """Cells of the rows that edits leave behind which no package could bring. While there are any, nothing
    else is asked."""
    return [fault for rows in _left(edits).values() for fault in cells.check(list(rows.values()))]


def _left(edits: Iterable[Edit]) -> Rows:
    rows: Rows = {}
    for edit in edits:
        if edit.new is not None:
            rows.setdefault(edit.table, {})[edit.key] = edit.new
    return rows


def _of_tables(state: State, rows: Mapping[str, Mapping[Key, Any]]) -> list[Fault]:
    return [
        fault
        for table in DEFINING_TABLES
        if rows.get(table.name)
        for fault in of_rows(state, table.name, list(rows[table.name].values()))
    ]


def _before(state: State, rows: Mapping[Key, Any], table: str) -> dict[Key, Any]:
    return {key: row for key in rows if (row := state.get(TABLES[table].row, *key)) is not None}


def of_everything(state: State) -> Iterator[Fault]:
    for table in DEFINING_TABLES:
        yield from of_rows(state, table.name, [row for _, row in state.table(table.name)])
