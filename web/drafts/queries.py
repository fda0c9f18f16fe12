"""What two states of the definitions make of the same books: for drafts and for versions compared."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from functools import lru_cache, partial
from typing import NamedTuple

import numpy as np

from core.analysis.asked import Asked
from core.analysis.stretches import Stretch, of_periods
from core.books.balances import by_account
from core.books.periods import company_calendar
from core.definitions.state import State
from core.definitions.tables import (
    Calendar,
    Code,
    Company,
    Elimination,
    Group,
    GroupMember,
    Hierarchy,
    HierarchyNode,
    Mapping,
    Period,
    Statement,
    StatementLine,
)
from core.drafts.moves import (
    AccountSums,
    Cause,
    FigureChange,
    account_causes,
    companies_by_chart,
    group_moves,
    hierarchy_causes,
    hierarchy_moves,
    second_chart_moves,
    seen_in_second_charts,
    shows_alike,
    statement_causes,
    statement_moves,
    touched_hierarchies,
    touched_statements,
)
from core.faults import WrongCall
from core.mapping.arrangements import shown_statement
from core.mapping.second_charts import maps_alike
from core.money import digits_of
from core.statements.figures import Figures, without_amounts
from core.statements.plans import Plan, natural_list, plan
from web.group.queries import GroupFigures, consolidates_alike, group_statement
from web.journals.amount_rows import ReadAtOnce
from web.journals.books import books_for
from web.statements.figure_source import FigureSource
from web.statements.queries import figures_of, known_company


class MovedTree(NamedTuple):
    """A statement or hierarchy with what moves in it."""

    kind: str
    name: str
    title: str
    rows: list[FigureChange]


class ComparedPeriod(NamedTuple):
    """The stretch of periods that figures are asked for."""

    year: int
    period: int
    first: int | None = None


def _window(state: State, company: str, at: ComparedPeriod) -> Stretch | None:
    try:
        return of_periods(company_calendar(state, company), at.year, at.period, at.first)
    except WrongCall:
        return None


def sums_of(after: State, companies: Iterable[Company], at: ComparedPeriod) -> AccountSums:
    """Amounts of companies on a chart by account, each company's books read once for both states."""
    rows = [(row, asked) for row in companies if (asked := _window(after, row.company, at))]
    books = books_for(after, (row.company for row, _ in rows))
    codes = sorted({code for row, _ in rows for book in books[row.company] for code in book.naturals})
    place = {code: i for i, code in enumerate(codes)}
    meant = ("window", "cumulative")
    items = [
        by_account(list(books[row.company]), place, len(codes), asked.start, asked.end, meant)
        for row, asked in rows
    ]
    empty = np.zeros((len(codes), 0), dtype=np.int64)
    stacked = {name: np.stack([sums[name] for sums in items], axis=1) if items else empty for name in meant}
    return AccountSums(
        tuple(row.company for row, _ in rows), tuple(codes), stacked["window"], stacked["cumulative"]
    )


def moved(
    before: State, after: State, at: ComparedPeriod, only: frozenset[str] | None = None
) -> list[MovedTree]:
    """Every statement and hierarchy that two states make different figures of; companies that share a chart
    together.

    `only` narrows to some companies. Nothing is computed for trees that did not change.
    """
    statements, trees = touched_statements(before, after), touched_hierarchies(before, after)
    by_key: dict[tuple[str, str], MovedTree] = {}
    one_by_one = partial(_one_company, at, _read_at_once(after, only))

    def rows_of(kind: str, name: str, title: str) -> list[FigureChange]:
        return by_key.setdefault((kind, name), MovedTree(kind, name, title, [])).rows

    for chart, rows in companies_by_chart(after).items():
        code_list = natural_list(after, chart)
        own = [s for s in statements if s.chart == chart]
        hung = [h for h in trees if h.code_list == code_list]
        for digits, companies in _by_digits(rows, only).items() if own or hung else ():
            sums = sums_of(after, companies, at)
            for s in own:
                changes = statement_moves(before, after, s.statement, sums, digits, one_by_one)
                rows_of("statement", s.statement, s.name).extend(changes)
            for h in hung:
                rows_of("hierarchy", h.hierarchy, h.name).extend(
                    hierarchy_moves(before, after, h.hierarchy, sums)
                )
    for s, seen_there in _in_second_charts(before, after, only):
        changes = second_chart_moves(before, after, s.statement, seen_there, one_by_one)
        rows_of("statement", s.statement, s.name).extend(changes)
    moving = [tree for tree in by_key.values() if tree.rows]
    return moving if only is not None else [*moving, *_groups(before, after, at)]


def _read_at_once(state: State, only: frozenset[str] | None) -> ReadAtOnce:
    """The companies that are compared, read when the first of them is asked for by itself."""
    return ReadAtOnce(
        state, (row.company for row in state.rows(Company) if only is None or row.company in only)
    )


def _in_second_charts(
    before: State, after: State, only: frozenset[str] | None
) -> Iterator[tuple[Statement, list[str]]]:
    """Statements with the companies that are seen in their chart through a mapping, where the lines or the
    mapping may differ."""
    rows = {row.statement: row for state in (before, after) for row in state.rows(Statement)}
    touched = {row.statement for row in touched_statements(before, after)}
    by_chart = seen_in_second_charts(before, after)
    alike = lru_cache(partial(maps_alike, before, after))
    for name, row in sorted(rows.items()):
        companies = [
            company.company
            for company in by_chart.get(row.chart, ())
            if (only is None or company.company in only)
            and (name in touched or not alike(company.chart, row.chart))
        ]
        if companies:
            yield row, companies


def _by_digits(rows: list[Company], only: frozenset[str] | None) -> dict[int, list[Company]]:
    """Companies by the minor digits of their currency, narrowed to some."""
    found: dict[int, list[Company]] = {}
    for row in rows:
        if only is None or row.company in only:
            found.setdefault(digits_of(row.currency), []).append(row)
    return found


CONSOLIDATED = (
    Group,
    GroupMember,
    Mapping,
    Elimination,
    Company,
    Calendar,
    Period,
    Code,
    Hierarchy,
    HierarchyNode,
    Statement,
    StatementLine,
)


def _groups(before: State, after: State, at: ComparedPeriod) -> list[MovedTree]:
    """Consolidated statements of which the group's column differs. Those of a group whose books and mappings
    come to the same are looked at only where their lines may show something else."""
    if before.shares(after, *CONSOLIDATED):
        return []
    moved_trees = []
    for group_row in sorted(after.rows(Group), key=lambda row: row.name):
        alike = before.get(Group, group_row.group) is not None and consolidates_alike(
            before, after, group_row.group
        )
        for row in sorted(after.rows(Statement), key=lambda row: row.name):
            if (
                row.chart == group_row.chart
                and before.get(Group, group_row.group) is not None
                and before.get(Statement, row.statement) is not None
                and not (alike and _shown_alike(before, after, row.statement, group_row.group))
            ):
                figures = _consolidated(before, after, at, group_row.group, row.statement)
                moves = (
                    group_moves(
                        figures[0].statement.figures,
                        figures[1].statement.figures,
                        group_row.group,
                        row.statement,
                    )
                    if figures
                    else []
                )
                moved_trees.append(
                    MovedTree("group", row.statement, f"{row.name}, {group_row.name} consolidated", moves)
                )
    return [tree for tree in moved_trees if tree.rows]


def _shown_alike(before: State, after: State, statement: str, group: str) -> bool:
    """Whether what a group shows of a statement has the same lines, and of each line the same accounts."""
    was, now = (shown_statement(state, statement, group, "group") for state in (before, after))
    return was == now and shows_alike(before, after, now)


def _consolidated(
    before: State, after: State, at: ComparedPeriod, group: str, statement: str
) -> list[GroupFigures]:
    """The consolidated statement of both states; nothing where the group has no such period."""
    try:
        return [
            group_statement(state, statement, group, at.year, at.period, at.first)
            for state in (before, after)
        ]
    except WrongCall:
        return []


def group_causes_of(
    before: State, after: State, at: ComparedPeriod, of: str, line: str, group: str
) -> list[Cause]:
    """The group accounts that make a consolidated line differ."""
    if not after.get(Group, group) or not after.get(Statement, of):
        return []
    figures = _consolidated(before, after, at, group, of)
    if not figures:
        return []
    was, now = ((figure.statement.plan, figure.statement.amounts) for figure in figures)
    return account_causes(was, now, line)


def causes_of(
    before: State, after: State, at: ComparedPeriod, kind: str, of: str, line: str, company: str
) -> list[Cause]:
    """The accounts that make a line of a company differ."""
    row = after.get(Company, company)
    if row is None:
        return []
    sums = sums_of(after, [row], at)
    if not sums.companies:
        return []
    moved_line = FigureChange(of, line, "", 0, company, None, None)
    if kind == "statement" and (planned := plan(after, of)) and planned.statement.chart != row.chart:
        one_by_one = partial(_one_company, at, None)
        sides = [
            (known, one_by_one(state, known, company).amounts) if (known := plan(state, of)) else None
            for state in (before, after)
        ]
        return account_causes(sides[0], sides[1], line)
    if kind == "statement":
        return statement_causes(before, after, moved_line, sums, partial(_one_company, at, None))
    return hierarchy_causes(before, after, moved_line, sums)


def _one_company(
    at: ComparedPeriod, at_once: ReadAtOnce | None, state: State, planned: Plan, company: str
) -> Figures:
    """Nothing, where the definitions don't have the company, or it has no such period by them."""
    try:
        asked = Asked(at.year, at.period, at.first)
        source = FigureSource(state, known_company(state, company), asked, at_once=at_once)
        return figures_of(source, planned).figures
    except WrongCall:
        return without_amounts(planned)
