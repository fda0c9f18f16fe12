"""Which line of a statement takes which accounts, line by line in the order of the tree."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from core.codes.lists import ListIndex
from core.codes.selectors import pick
from core.definitions.state import State, derived
from core.definitions.tables import (
    Chart,
    ChartDimension,
    Dimension,
    Statement,
    StatementLine,
    Structure,
    StructureSegment,
)
from core.statements.line_parts import EITHER_WAY, SIDES, WAYS, LinePart, takes_part


class Placing:
    """Which line takes which accounts, line by line in the order of the tree."""

    def __init__(self, state: State, code_list: str, accounts: ListIndex) -> None:
        self.state, self.code_list, self.accounts = state, code_list, accounts
        self.line_of = np.full(len(accounts.posting), -1, dtype=np.int64)
        self.twice: list[tuple[str, int, int]] = []
        self.parts: list[LinePart] = []
        self.of_way: dict[int, NDArray[np.int64]] = {}

    def line(self, number: int, row: StatementLine) -> tuple[list[str], NDArray[np.int64]]:
        """The accounts that a line picks, sorted, and their places."""
        if row.kind != "accounts":
            return [], np.zeros(0, dtype=np.int64)
        codes = sorted(pick(self.state, self.code_list, row.accounts).codes)
        at = np.array([self.accounts.position[code] for code in codes], dtype=np.int64)
        if takes_part(row):
            of_field = field_list(self.state, row) if row.field else ""
            fit = pick(self.state, of_field, row.codes).codes if of_field and row.codes else frozenset()
            way = WAYS.get(row.side, EITHER_WAY)
            if way and not row.field:
                at = self._fresh_of_way(at, way, number)
            self.parts.append(LinePart(number, at, row.field, fit, SIDES.get(row.side, 0), way))
            return codes, at
        taken = self.line_of[at] >= 0
        self._note_twice(at[taken], self.line_of, number)
        self.line_of[at[~taken]] = number
        return codes, at

    def _note_twice(self, at: NDArray[np.int64], line_of: NDArray[np.int64], number: int) -> None:
        self.twice += [(self.accounts.posting[place], int(line_of[place]), number) for place in at.tolist()]

    def _fresh_of_way(self, at: NDArray[np.int64], way: int, number: int) -> NDArray[np.int64]:
        """Without the accounts of which another line has the journals of that direction already."""
        same = self.of_way.setdefault(way, np.full(len(self.line_of), -1, dtype=np.int64))
        taken = same[at] >= 0
        self._note_twice(at[taken], same, number)
        same[at[~taken]] = number
        return at[~taken]

    def rest(
        self,
        picks: Sequence[tuple[list[str], NDArray[np.int64]]],
        kinds: Sequence[str],
        into_result: NDArray[np.bool_],
    ) -> list[tuple[list[str], NDArray[np.int64]]]:
        """What lines pick, with a line of the result taking the revenue and expense that no other line
        does."""
        partly = {place for part in self.parts for place in part.accounts.tolist()}
        loose = np.flatnonzero(into_result & (self.line_of < 0)).tolist()
        free = [place for place in loose if place not in partly]
        first = next((number for number, kind in enumerate(kinds) if kind == "result"), None)
        if first is None:
            return list(picks)
        self.line_of[free] = first
        codes = [self.accounts.posting[place] for place in free]
        taken = codes, np.array(free, dtype=np.int64)
        return [taken if number == first else own for number, own in enumerate(picks)]

    def close_sides(self) -> None:
        """An account of which one line takes debit balances, another credit ones and none the whole stands
        wholly on the two: the later line takes what the earlier leaves. Two of one side are a fault."""
        first: dict[int, NDArray[np.int64]] = {}
        for number, part in enumerate(self.parts):
            if not part.side or part.field:
                continue
            same = first.setdefault(part.side, np.full(len(self.line_of), -1, dtype=np.int64))
            other = first.setdefault(-part.side, np.full(len(self.line_of), -1, dtype=np.int64))
            taken = same[part.accounts] >= 0
            self._note_twice(part.accounts[taken], same, part.line)
            fresh = part.accounts[~taken]
            closes = (other[fresh] >= 0) & (self.line_of[fresh] < 0)
            self.line_of[fresh[closes]] = part.line
            self.parts[number] = part._replace(accounts=fresh[~closes])
            same[fresh] = part.line


@derived(Statement, Chart, (ChartDimension, 0), Structure, StructureSegment, Dimension)
def _field_lists(state: State, statement: str) -> dict[str, str]:
    """The code lists of the fields of a statement's chart."""
    statement_row = state.get(Statement, statement)
    chart = state.get(Chart, statement_row.chart) if statement_row else None
    if chart is None:
        return {}
    segments = state.part(StructureSegment, chart.structure).values()
    dimensions = {row.dimension: row.code_list for row in state.rows(Dimension)}
    used = {row.dimension for row in state.part(ChartDimension, chart.chart).values()}
    return {
        **{name: dimensions[name] for name in used if name in dimensions},
        **{row.segment: row.code_list for row in segments},
    }


def field_list(state: State, row: StatementLine) -> str:
    """The code list of the field whose codes a line asks for; empty where the chart has no such field."""
    return _field_lists(state, row.statement).get(row.field, "")
