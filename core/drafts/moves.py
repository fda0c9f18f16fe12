"""What a draft moves: figures of two states of the definitions side by side, and the accounts that cause a
difference."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from core.codes.hierarchies import Tree, moved_codes, tree
from core.codes.lists import list_index
from core.definitions.state import State
from core.definitions.tables import Company, Hierarchy, Statement
from core.statements.amounts import Amounts
from core.statements.figures import Figures, compute
from core.statements.plans import Plan, figures_alike, plan
from core.structures.second_charts import charts_of, is_seen_in

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


OneByOne = Callable[[State, Plan, str], Figures]
"""The figures of one company for a plan that sums by account don't tell."""


def _figures(
    state: State, planned: Plan, sums: AccountSums, digits: int, one_by_one: OneByOne
) -> list[Figures]:
    """Of all companies together, or of each."""
    if planned.needs_rows or planned.needs_journals or planned.has_statistics:
        return [one_by_one(state, planned, company) for company in sums.companies]
    return [compute(planned, _amounts(planned, sums), digits)]


def _shown(state: State, statement: str, sums: AccountSums, digits: int, one_by_one: OneByOne) -> ShownLines:
    planned = plan(state, statement)
    if planned is None:
        return {}
    return _by_line(planned, _figures(state, planned, sums, digits, one_by_one))


def _by_line(planned: Plan, several: list[Figures]) -> ShownLines:
    return {
        one.row.line: (one.row.label, one.depth, tuple(v for own in several for v in own.lines[i].shown))
        for i, one in enumerate(planned.lines)
    }


def statement_moves(
    before: State, after: State, statement: str, sums: AccountSums, digits: int, one_by_one: OneByOne
) -> list[FigureChange]:
    """Lines of a statement that differ between two states, in the order of the tree as it will be, then those
    that go."""
    if shows_alike(before, after, statement):
        return []
    was, now = (_shown(state, statement, sums, digits, one_by_one) for state in (before, after))
    return _changed_lines(statement, sums.companies, was, now)


def second_chart_moves(
    before: State, after: State, statement: str, companies: Iterable[str], one_by_one: OneByOne
) -> list[FigureChange]:
    """The same for companies that post on another chart and are seen in the statement's through a mapping,
    which may be what differs."""
    names = tuple(companies)
    shown = []
    for state in (before, after):
        planned = plan(state, statement)
        several = [one_by_one(state, planned, name) for name in names] if planned else []
        shown.append(_by_line(planned, several) if planned else {})
    return _changed_lines(statement, names, *shown)


ShownLines = dict[str, tuple[str, int, tuple[int | None, ...]]]
"""By line its label, its depth and what it shows of each company."""


def _changed_lines(
    statement: str, companies: Sequence[str], was: ShownLines, now: ShownLines
) -> list[FigureChange]:
    none = (None,) * len(companies)
    figure_changes = []
    for line in [*now, *(line for line in was if line not in now)]:
        label, depth, new = now.get(line) or (*was[line][:2], none)
        old = was[line][2] if line in was else none
        figure_changes += [
            FigureChange(statement, line, label, depth, company, old[i], new[i])
            for i, company in enumerate(companies)
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
            below = [place[below] for below in shape.codes[at : shape.end[at]] if below in place]
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
        depth = int(
            other.depths[other.place[code]] if stands else one.depths[one.place[code]] if stood else 0
        )
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


def hierarchy_causes(before: State, after: State, moved: FigureChange, sums: AccountSums) -> list[Cause]:
    """The accounts with an amount that come under a rollup code or leave it, in code order."""
    was, now = (frozenset(tree(state, moved.of).below(moved.line)) for state in (before, after))
    place = {code: i for i, code in enumerate(sums.codes)}
    column = sums.companies.index(moved.company)
    names = [list_index(state, tree(state, moved.of).code_list).codes for state in (after, before)]
    return [
        Cause(code, next((own[code].name for own in names if code in own), ""), code in now, amount)
        for code in sorted(was ^ now)
        if code in place and (amount := int(sums.cumulative[place[code], column]))
    ]


def statement_causes(
    before: State, after: State, moved: FigureChange, sums: AccountSums, one_by_one: OneByOne
) -> list[Cause]:
    """The accounts that make a line of a company differ; `sums` are of that company alone."""
    sides: list[tuple[Plan, Amounts] | None] = []
    for state in (before, after):
        planned = plan(state, moved.of)
        if planned is None:
            sides.append(None)
            continue
        sides.append((planned, _figures(state, planned, sums, 0, one_by_one)[0].amounts))
    return account_causes(sides[0], sides[1], moved.line)


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


def account_causes(
    was: tuple[Plan, Amounts] | None, now: tuple[Plan, Amounts] | None, line: str
) -> list[Cause]:
    """The accounts that make a line's last column differ: those that come or go, and those whose amount
    changes."""

    def under(made: Plan, amounts: Amounts) -> dict[str, int]:
        if line not in made.index:
            return {}
        start = made.index[line]
        end = made.end_of(start)
        sums: dict[str, int] = {}
        for place, row in made.rows_between(amounts, start, end):
            code = made.accounts.posting[place]
            sums[code] = sums.get(code, 0) + int(amounts.window[row, -1])
        return sums

    old, new = ({} if side is None else under(*side) for side in (was, now))
    names = {code: row for side in (was, now) if side for code, row in side[0].accounts.codes.items()}
    return [
        Cause(code, names[code].name, code in new, amount)
        for code in sorted(old.keys() | new.keys())
        if (amount := new[code] - old.get(code, 0) if code in new else old[code])
    ]


def touched_statements(before: State, after: State) -> list[Statement]:
    """Statements that may show other figures in one state than in the other."""
    rows = {row.statement: row for state in (before, after) for row in state.rows(Statement)}
    return [row for name, row in sorted(rows.items()) if not shows_alike(before, after, name)]


def shows_alike(before: State, after: State, statement: str) -> bool:
    """Whether a statement shows the same figures of the same amounts in both states."""
    was, now = plan(before, statement), plan(after, statement)
    return was is now or (was is not None and now is not None and figures_alike(was, now))


def touched_hierarchies(before: State, after: State) -> list[Hierarchy]:
    rows = {row.hierarchy: row for state in (before, after) for row in state.rows(Hierarchy)}
    return [row for name, row in sorted(rows.items()) if tree(before, name) is not tree(after, name)]


def seen_in_second_charts(before: State, after: State) -> Mapping[str, list[Company]]:
    """By chart the companies that both states see in it and that post on another; by id."""
    by_chart: dict[str, list[Company]] = {}
    for row in sorted(after.rows(Company), key=lambda row: row.company):
        known = before.get(Company, row.company)
        if known is None or known.chart != row.chart:
            continue
        for chart in charts_of(after, row)[1:]:
            if is_seen_in(before, known, chart):
                by_chart.setdefault(chart, []).append(row)
    return by_chart


def companies_by_chart(state: State) -> Mapping[str, list[Company]]:
    by_name: dict[str, list[Company]] = {}
    for row in sorted(state.rows(Company), key=lambda row: row.company):
        by_name.setdefault(row.chart, []).append(row)
    return by_name
