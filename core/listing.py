"""Which codes of a list a person asks to see, and in which order."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from datetime import date
from typing import Any, NamedTuple

from core.codes.columns import cell
from core.codes.hierarchies import main_tree
from core.codes.lists import in_use, list_index, lowered
from core.definitions.state import State, derived
from core.definitions.tables import (
    Code,
    Statement,
    StatementLine,
)
from core.statements.plans import PLAN_READS, natural_list, plan

STANDS = {
    "never": "never posted to",
    "posted": "posted to",
    "open": "not closed",
    "closed": "closed",
    "draft": "changed in this draft",
    "loose": "under no rollup code",
    "offline": "on no statement line",
}


class CodeFilter(NamedTuple):
    """A question to a list; empty parts ask nothing. `has` are (column or property, cell) pairs that must
    hold."""

    words: str = ""
    prefix: str = ""
    account_class: str = ""
    kind: str = ""
    on: date | None = None
    stands: str = ""
    has: tuple[tuple[str, str], ...] = ()
    sort: str = ""
    down: bool = False

    @property
    def narrows(self) -> bool:
        return self != CodeFilter()


class CodeMarks(NamedTuple):
    """What only the database knows: codes that were posted to, and those an open draft changes."""

    posted: Callable[[], frozenset[str]]
    drafted: frozenset[str]


@derived(StatementLine, *PLAN_READS)
def on_lines(state: State, code_list: str) -> frozenset[str]:
    """Codes of a list that stand on a line of any statement."""
    names: set[str] = set()
    for row in state.rows(Statement):
        if natural_list(state, row.chart) == code_list and (planned := plan(state, row.statement)):
            names.update(code for i, code in enumerate(planned.accounts.posting) if planned.home_of(i) >= 0)
    return frozenset(names)


def _tests(state: State, code_list: str, asked: CodeFilter, known: CodeMarks) -> list[Callable[[Code], Any]]:
    tests: list[Callable[[Code], Any]] = []
    if asked.prefix:
        tests.append(lambda row: row.code.startswith(asked.prefix))
    if asked.account_class:
        tests.append(lambda row: row.account_class == asked.account_class)
    if asked.kind:
        kinds: dict[str, Callable[[Code], bool]] = {
            "rollup": lambda row: row.rollup,
            "posting": lambda row: row.takes_amounts,
            "silent": lambda row: not row.rollup and not row.posting,
        }
        tests.append(kinds.get(asked.kind, lambda row: True))
    if asked.on:
        on = asked.on
        tests.append(lambda row: in_use(row, on))
    if asked.stands:
        tests.append(_standing(state, code_list, asked.stands, known))
    tests += [_having(state, column, wanted.lower()) for column, wanted in asked.has]
    return tests


def _worded(state: State, code_list: str, words: str) -> list[str]:
    """Codes that begin with the words or whose name holds them, in code order."""
    small = words.lower()
    return [code for code, name in lowered(state, code_list) if small in name or code.startswith(words)]


def _having(state: State, column: str, wanted: str) -> Callable[[Code], bool]:
    return lambda row: cell(state, row, column).lower() == wanted


def _standing(state: State, code_list: str, stands: str, known: CodeMarks) -> Callable[[Code], bool]:
    if stands in ("never", "posted"):
        posted = known.posted()
        return lambda row: not row.rollup and (row.code in posted) == (stands == "posted")
    if stands == "draft":
        return lambda row: row.code in known.drafted
    if stands == "loose":
        main = main_tree(state, code_list)
        return lambda row: not row.rollup and (main is None or row.code not in main.place)
    if stands == "offline":
        placed = on_lines(state, code_list)
        return lambda row: row.takes_amounts and row.code not in placed
    return lambda row: (row.in_use_until is not None) == (stands == "closed")


def listed(state: State, code_list: str, asked: CodeFilter, known: CodeMarks) -> list[str]:
    """Codes that fit, in the order asked for (code order where none is)."""
    index = list_index(state, code_list)
    begin = _worded(state, code_list, asked.words) if asked.words else index.ordered
    codes: Iterable[Code] = (index.codes[code] for code in begin)
    for test in _tests(state, code_list, asked, known):
        codes = filter(test, codes)
    rows = list(codes)
    if asked.sort == "name":
        rows.sort(key=lambda row: row.name.lower())
    elif asked.sort and asked.sort != "code":
        rows.sort(key=lambda row: cell(state, row, asked.sort))
    if asked.down:
        rows.reverse()
    return [row.code for row in rows]
