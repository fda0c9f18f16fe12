"""What a draft moves: figures of two states of the definitions side by side, and the accounts that cause a
difference."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from core.codes.hierarchies import Tree, moved_codes, tree
from core.codes.lists import list_index
from core.definitions.state import State
from core.definitions.tables import Company, Hierarchy, Statement
from core.statements.figures import Amounts, Figures, Plan, compute, natural_list, plan

NOTHING = np.zeros(0, dtype=np.int64)


class AccountSums(NamedTuple):
    """Raw amounts in minor units of companies with one chart: rows are `codes` (those with amounts), columns
    `companies`."""

    companies: tuple[str, ...]
    codes: tuple[str, ...]
    window: NDArray[Any]
    cumulative: NDArray[Any]


class FigureChange(NamedTuple):
    """A line (or rollup code) of one company whose amount differs. `was` and `now` as shown; None: not
    there."""

    of: str
    line: str
    label: str
    depth: int
    company: str
    was: int | None
    now: int | None

    @property
    def difference(self) -> int:
        return (self.now or 0) - (self.was or 0)


def _amounts(made: Plan, sums: AccountSums) -> Amounts:
    """The sums of those accounts that a plan knows; all others are nothing."""
    known = [
        (i, at) for i, code in enumerate(sums.codes) if (at := made.accounts.position.get(code)) is not None
    ]
    rows, places = (
        (np.array(column, dtype=np.int64) for column in zip(*known, strict=True))
        if known
        else (NOTHING, NOTHING)
    )
    chosen = sums.cumulative if made.statement.kind == "balance_sheet" else sums.window
    return Amounts(chosen[rows], sums.cumulative[rows], (), places)


def _shown(
    state: State, statement: str, sums: AccountSums, digits: int
) -> dict[str, tuple[str, int, tuple[int | None, ...]]]:
    planned = plan(state, statement)
    if planned is None:
        return {}
    lines = compute(planned, _amounts(planned, sums), digits).lines
    return {f.line.row.line: (f.line.row.label, f.line.depth, f.shown) for f in lines}


def statement_moves(
    before: State, after: State, statement: str, sums: AccountSums, digits: int
) -> list[FigureChange]:
    """Lines of a statement that differ between two states, in the order of the tree as it will be, then those
    that go."""
    if plan(before, statement) is plan(after, statement):
        return []
    was, now = _shown(before, statement, sums, digits), _shown(after, statement, sums, digits)
    none = (None,) * len(sums.companies)
    figure_changes = []
    for line in [*now, *(line for line in was if line not in now)]:
        label, depth, new = now.get(line) or (*was[line][:2], none)
        old = was[line][2] if line in was else none
        figure_changes += [
            FigureChange(statement, line, label, depth, sums.companies[i], old[i], new[i])
            for i in range(len(sums.companies))
            if (old[i] or 0) != (new[i] or 0)
        ]
    return figure_changes


def _rolled(state: State, hierarchy: str, sums: AccountSums, codes: list[str]) -> NDArray[Any]:
    """What stands under each of some codes by company, raw, to the end of the period; nothing under one that
    is not there."""
    shape = tree(state, hierarchy)
    place = {code: i for i, code in enumerate(sums.codes)}
    values = np.zeros((len(codes), len(sums.companies)), dtype=sums.cumulative.dtype)
    for i, code in enumerate(codes):
        at = shape.place.get(code)
        if at is not None:
            below = [place[below] for below, _ in shape.order[at : shape.end[at]] if below in place]
            values[i] = sums.cumulative[below].sum(axis=0) if below else 0
    return values


def _touched(was: Tree, now: Tree, moved: Iterable[str]) -> set[str]:
    """Every code above one that stands elsewhere, came or went; no other total can differ."""
    names: set[str] = set()
    for side in (was, now):
        seen: set[str] = set()
        for code in moved:
            up = side.parent.get(code, "")
            while up and up not in seen:
                seen.add(up)
                up = side.parent.get(up, "")
        names |= seen
    return names


def hierarchy_moves(before: State, after: State, hierarchy: str, sums: AccountSums) -> list[FigureChange]:
    """Rollup codes of a hierarchy whose totals differ; raw amounts, debit plus."""
    one, other = tree(before, hierarchy), tree(after, hierarchy)
    if one is other:
        return []
    last = len(other.place)
    touched = sorted(
        _touched(one, other, moved_codes(before, after, hierarchy)),
        key=lambda code: (other.place.get(code, last), code),
    )
    names = [list_index(state, side.code_list).codes for state, side in ((after, other), (before, one))]
    codes = [code for code in touched if (row := names[0].get(code) or names[1].get(code)) and row.rollup]
    old, new = _rolled(before, hierarchy, sums, codes), _rolled(after, hierarchy, sums, codes)
    figure_changes = []
    for i, column in np.argwhere(old != new).tolist():
        code = codes[i]
        stands, stood = code in other.place, code in one.place
        depth = other.order[other.place[code]][1] if stands else one.order[one.place[code]][1] if stood else 0
        name = (names[0].get(code) or names[1][code]).name
        figure_changes.append(
            FigureChange(
                hierarchy,
                code,
                name,
                depth,
                sums.companies[column],
                int(old[i, column]) if stood else None,
                int(new[i, column]) if stands else None,
            )
        )
    return figure_changes


class Cause(NamedTuple):
    """An account that stands under a line in one state and not in the other; raw amount in minor units."""

    code: str
    name: str
    enters: bool
    amount: int


def _under(state: State, statement: str, line: str) -> frozenset[str]:
    planned = plan(state, statement)
    if planned is None or line not in planned.index:
        return frozenset()
    start = planned.index[line]
    end = planned.end_of(start)
    return frozenset(
        planned.accounts.posting[i]
        for i in np.flatnonzero((planned.line_of >= start) & (planned.line_of < end))
    )


def _below(state: State, hierarchy: str, code: str) -> frozenset[str]:
    return frozenset(tree(state, hierarchy).below(code))


def causes(
    before: State, after: State, moved: FigureChange, sums: AccountSums, is_statement: bool
) -> list[Cause]:
    """The accounts with an amount that make a line differ, in code order."""
    inside = _under if is_statement else _below
    was, now = inside(before, moved.of, moved.line), inside(after, moved.of, moved.line)
    place = {code: i for i, code in enumerate(sums.codes)}
    column = sums.companies.index(moved.company)
    open_draft = plan(after, moved.of) or plan(before, moved.of) if is_statement else None
    chosen = (
        sums.window
        if open_draft is not None and open_draft.statement.kind != "balance_sheet"
        else sums.cumulative
    )
    rows = []
    for code in sorted(was ^ now):
        amount = int(chosen[place[code], column]) if code in place else 0
        if amount:
            rows.append(Cause(code, _name(before, after, moved, code, is_statement), code in now, amount))
    return rows


def _name(before: State, after: State, moved: FigureChange, code: str, is_statement: bool) -> str:
    for state in (after, before):
        statement_row = state.get(Statement, moved.of) if is_statement else None
        code_list = (
            natural_list(state, statement_row.chart) if statement_row else tree(state, moved.of).code_list
        )
        if row := list_index(state, code_list).codes.get(code):
            return row.name
    return ""


def group_moves(was: Figures, now: Figures, group: str, statement: str) -> list[FigureChange]:
    """Lines of a consolidated statement whose figure of the group, its last column, differs."""

    def shown(figures: Figures) -> dict[str, tuple[str, int, int | None]]:
        return {f.line.row.line: (f.line.row.label, f.line.depth, f.shown[-1]) for f in figures.lines}

    old, new = shown(was), shown(now)
    figure_changes = []
    for line in [*new, *(line for line in old if line not in new)]:
        label, depth, amount = new.get(line) or (*old[line][:2], None)
        before = old[line][2] if line in old else None
        if (before or 0) != (amount or 0):
            figure_changes.append(FigureChange(statement, line, label, depth, group, before, amount))
    return figure_changes


def group_causes(was: tuple[Plan, Amounts], now: tuple[Plan, Amounts], line: str) -> list[Cause]:
    """The group accounts that make a consolidated line differ: those that come or go, and those whose amount
    changes."""

    def under(made: Plan, amounts: Amounts) -> dict[str, int]:
        if line not in made.index:
            return {}
        start = made.index[line]
        end = made.end_of(start)
        rows = np.flatnonzero((made.line_of >= start) & (made.line_of < end)).tolist()
        return {made.accounts.posting[i]: int(amounts.window[i, -1]) for i in rows}

    old, new = under(*was), under(*now)
    names = {**was[0].accounts.codes, **now[0].accounts.codes}
    return [
        Cause(code, names[code].name, code in new, amount)
        for code in sorted(old.keys() | new.keys())
        if (amount := new[code] - old.get(code, 0) if code in new else old[code])
    ]


def touched_statements(before: State, after: State) -> list[Statement]:
    """Statements whose lines, or whose picks, may differ between two states."""
    rows = {row.statement: row for state in (before, after) for row in state.rows(Statement)}
    return [row for name, row in sorted(rows.items()) if plan(before, name) is not plan(after, name)]


def touched_hierarchies(before: State, after: State) -> list[Hierarchy]:
    rows = {row.hierarchy: row for state in (before, after) for row in state.rows(Hierarchy)}
    return [row for name, row in sorted(rows.items()) if tree(before, name) is not tree(after, name)]


def companies_by_chart(state: State) -> Mapping[str, list[Company]]:
    by_name: dict[str, list[Company]] = {}
    for row in sorted(state.rows(Company), key=lambda row: row.company):
        by_name.setdefault(row.chart, []).append(row)
    return by_name
