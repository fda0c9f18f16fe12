"""Rows of a code list from a file or the clipboard: the sheet that reads them, with the rollup code that each
stands below and the properties that the list has of its own."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from core.bringing import bring
from core.changes.fixed import Facts
from core.changes.kinds import Change, settled
from core.changes.of_codes import BringCodes
from core.codes.columns import cell, columns, properties, value_fault
from core.codes.lists import pad
from core.definitions.state import State
from core.definitions.tables import TABLES, Code, CodeList, CodeProperty
from core.faults import Location
from core.sheets import Cells, CompanionColumns, Given, Sheet, SheetProposals, text_column

UNDER = "under"


def read(
    state: State, code_list: str, records: Sequence[Sequence[str]], shown: Sequence[str], facts: Facts
) -> SheetProposals:
    """Compares rows with the list. The first row may be a header; without one the columns are code, name and
    those shown."""
    return bring(
        state, sheet_of(state, code_list), {"code_list": code_list}, records, facts, header_of(shown)
    )


def header_of(shown: Sequence[str]) -> list[str]:
    """The columns of a file of what is seen, so that it comes back in."""
    return ["code", "name", *(name for name in shown if name != "use")]


def sheet_of(state: State, code_list: str) -> Sheet:
    """The table of a list's codes with every column that the list has."""
    own = TABLES["codes"].by_name
    more = [UNDER, *(row.property for row in properties(state, code_list))]
    usual = [name for name in columns(state, code_list) if name in own and name != "use"]
    rest = [name for name in own if name not in ("code_list", "code", "name", *usual)]
    companions = CompanionColumns(
        tuple(map(text_column, more)),
        _cells,
        unreadable=_unreadable,
        cell_of=_cell_of,
        unless_empty=(UNDER,),
    )
    return Sheet(
        "codes",
        "codes",
        "Codes",
        "code",
        ("code", "name", *usual, *rest, *more),
        ("code_list",),
        companions,
        here="in this list",
        spelled=_spelled,
        worked_out=("use",),
        settled=settled,
        joined=_joined,
    )


def _cells(state: State, given: Given, row: Code) -> Cells:
    names = [UNDER, *(rule.property for rule in properties(state, row.code_list))]
    return {name: cell(state, row, name) for name in names}


def _unreadable(state: State, given: Given, cells: Cells) -> Iterable[tuple[str, str]]:
    """Values that cannot stand in a property of the list."""
    for rule in properties(state, given["code_list"]):
        if what := value_fault(rule, cells.get(rule.property, "")):
            yield rule.property, what


def _cell_of(state: State, given: Given, where: Location) -> tuple[tuple[Any, ...], str] | None:
    if where.table == "hierarchy_nodes":
        return (given["code_list"], *where.key[1:2]), UNDER
    if where.table == "code_properties":
        return where.key[:2], str(where.key[2])
    return None


def _spelled(state: State, given: Given, column: str, text: str) -> str:
    rule = state.get(CodeList, given["code_list"])
    return pad(rule, text) if rule and column == "code" else text


def _joined(state: State, given: Given, rows: Sequence[tuple[Any, Cells]]) -> Change:
    """One change of all rows; an empty cell under `under` leaves the code where it stands."""
    own = given["code_list"]
    values = tuple(
        CodeProperty(own, row.code, name, text)
        for row, cells in rows
        for name, text in cells.items()
        if name != UNDER
    )
    parents = tuple(cells.get(UNDER) for _, cells in rows)
    return BringCodes(tuple(row for row, _ in rows), parents, values)
