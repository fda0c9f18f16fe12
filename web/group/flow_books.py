"""The journals that a group's cash flow counts apart: those between the sides of non-cash pairs, those in
opening periods of a company's own calendar, and, for a direct one, those that touch cash by their direction.

Everything is read for all companies in one go, as far as the books that the group's figures are made of."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any, NamedTuple

import numpy as np
from django.db import connection

from core.books.balances import ROW, Books, books_from_rows
from core.books.periods import CalendarIndex, company_calendar, ordinal, ordinal_of_day, ordinals_in, spanning
from core.cash_flow.activities import cash_accounts
from core.definitions.state import State
from core.definitions.tables import Company
from core.group.cells import GroupBooks
from core.group.collect import Member
from core.group.map_accounts import group_list
from core.group.mapping import MapPlan
from core.group.rates import NotReady
from core.group_figures.cash_flow import Apart, Moved
from core.statements.line_parts import EITHER_WAY, PAID, RECEIVED
from core.statements.plans import Plan
from web.group.parts import GroupParts, mapped_books
from web.journals.books_by_date import cut_by_date, in_periods
from web.journals.interning import interned_texts
from web.journals.posting import company_numbers
from web.journals.reading import accounts_of_lines

UP_TO = """
    unnest(%(companies)s::text[], %(charts)s::text[], %(years)s::int[], %(sequences)s::bigint[])
      AS w(company, chart, fiscal_year, sequence)
    JOIN journals_book b ON b.company = w.company AND b.fiscal_year = w.fiscal_year
    JOIN journals_journalline l ON l.book_id = b.id AND l.sequence <= w.sequence
    {accounts}
"""
TOUCHING = f"""
    SELECT b.company, l.journal_id, sum(l.amount) >= 0
    FROM {UP_TO}
    JOIN unnest(%(owners)s::text[], %(naturals)s::text[]) AS c(company, "natural")
      ON c.company = b.company AND c."natural" = a."natural"
    JOIN journals_journal j ON j.id = l.journal_id AND j.date BETWEEN %(since)s AND %(until)s
    GROUP BY 1, 2
"""
BETWEEN = f"""
    SELECT b.company, l.journal_id, true
    FROM {UP_TO}
    LEFT JOIN unnest(%(owners)s::text[], %(naturals)s::text[], %(sides)s::int[])
      AS c(company, "natural", side)
      ON c.company = b.company AND c."natural" = a."natural"
    JOIN journals_journal j ON j.id = l.journal_id AND j.date BETWEEN %(since)s AND %(until)s
    GROUP BY 1, 2
    HAVING bool_and(c.side IS NOT NULL) AND bool_or(c.side = 1) AND bool_or(c.side = 2)
       AND NOT bool_or(l.closing)
"""
"""Only the company's own lines are looked at; what closes a year is never left out."""
LINES = f"""
    SELECT b.company, a."natural", coalesce(l.partner_id, 0), a.id, coalesce(l.dimensions_id, 0),
           b.fiscal_year, l.period, j.date, j.kind, l.closing::int, t.received,
           sum(greatest(l.amount, 0))::bigint, sum(greatest(-l.amount, 0))::bigint
    FROM {UP_TO}
    JOIN unnest(%(touched_by)s::text[], %(journals)s::bigint[], %(received)s::bool[])
      AS t(company, journal, received) ON t.company = b.company AND t.journal = l.journal_id
    JOIN journals_journal j ON j.id = l.journal_id
    GROUP BY 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11
"""
WITHOUT_JOURNALS = """
    SELECT DISTINCT b.company FROM journals_balance b
    JOIN unnest(%(companies)s::text[], %(years)s::int[]) AS w(company, fiscal_year)
      ON w.company = b.company AND w.fiscal_year = b.fiscal_year
"""


class Touched(NamedTuple):
    """Journals of companies that count apart: whose, which, and whether cash gained by it."""

    company: str
    journal: int
    received: bool


def moved_apart(state: State, parts: GroupParts, planned: Plan, first: int, end: int) -> Apart:
    """What is left out of the flows of a stretch of the group's periods, or, for a direct cash flow, all they
    are made of."""
    work = _Reading(state, parts, planned, first, end)
    return work.direct() if planned.is_direct else Apart(work.left_out())


class _Reading:
    def __init__(self, state: State, parts: GroupParts, planned: Plan, first: int, end: int) -> None:
        self.state, self.parts, self.planned = state, parts, planned
        rows = parts.periods.rows[first - 1 : end]
        self.days = min(row.starts_on for row in rows), max(row.ends_on for row in rows)
        books = [(name, book) for name in parts.names for book in parts.books[name] if book.sequence]
        charts = {row.company: row.chart for row in state.rows(Company)}
        self.asked: dict[str, Any] = {
            "companies": [name for name, _ in books],
            "charts": [charts[name] for name, _ in books],
            "years": [book.fiscal_year for _, book in books],
            "sequences": [book.sequence for _, book in books],
            "since": self.days[0],
            "until": self.days[1],
        }
        self.accounts = accounts_of_lines(state, parts.names, chart="w.chart")

    def left_out(self) -> list[Moved]:
        """Each journal once, under whichever pair; what a pair leaves out stands in no opening period."""
        touched: dict[tuple[str, int], Touched] = {}
        for pair in self.planned.non_cash:
            sides = ((1, pair.accounts), (2, pair.against))
            owners = [
                (name, natural, number)
                for name, plan in self.parts.plans.items()
                for number, codes in sides
                for natural in _all_going_to(plan, codes)
            ]
            for one in self._touched(BETWEEN, owners):
                touched.setdefault((one.company, one.journal), one)
        moved = [Moved(EITHER_WAY, books, True) for books in self._books(touched.values()).values()]
        opening = self._in_opening_periods()
        return [*moved, Moved(EITHER_WAY, opening, True)] if opening else moved

    def direct(self) -> Apart:
        accounts = group_list(self.state, self.parts.row.group)
        cash = cash_accounts(accounts) if accounts else frozenset()
        owners = [
            (name, natural, 0)
            for name, plan in self.parts.plans.items()
            for natural in _any_going_to(plan, cash)
        ]
        by_way = self._books(self._touched(TOUCHING, owners))
        moved = [Moved(RECEIVED if received else PAID, books) for received, books in by_way.items()]
        with connection.cursor() as cursor:
            cursor.execute(WITHOUT_JOURNALS, self.asked)
            names = {self.parts.adjusts.get(name, name) for (name,) in cursor.fetchall()}
        told = "keeps balances and no journals, which a direct cash flow sums"
        return Apart(moved, True, {name: NotReady(told) for name in names})

    def _touched(self, query: str, owners: Sequence[tuple[str, str, int]]) -> list[Touched]:
        if not owners or not self.asked["companies"]:
            return []
        names, naturals, sides = zip(*owners, strict=True)
        asked = {**self.asked, "owners": list(names), "naturals": list(naturals), "sides": list(sides)}
        with connection.cursor() as cursor:
            cursor.execute(query.format(accounts=self.accounts), asked)
            return [Touched(*row) for row in cursor.fetchall()]

    def _books(self, touched: Iterable[Touched]) -> dict[bool, GroupBooks]:
        """The lines of journals as books of the group's companies, by whether cash gained by them."""
        known = list(touched)
        if not known:
            return {}
        asked = {
            **self.asked,
            "touched_by": [one.company for one in known],
            "journals": [one.journal for one in known],
            "received": [one.received for one in known],
        }
        with connection.cursor() as cursor:
            cursor.execute(LINES.format(accounts=self.accounts), asked)
            lines = cursor.fetchall()
        by_way: dict[bool, dict[str, list[Any]]] = {}
        for line in lines:
            by_way.setdefault(line[10], {}).setdefault(line[0], []).append(line)
        numbers = company_numbers()
        return {
            received: self._mapped(
                numbers, {name: (self._books_of(name, own),) for name, own in by_company.items()}
            )
            for received, by_company in by_way.items()
        }

    def _books_of(self, name: str, lines: Sequence[Any]) -> Books:
        own, group = company_calendar(self.state, name), self.parts.calendar
        naturals = sorted({line[1] for line in lines})
        place = {natural: i for i, natural in enumerate(naturals)}
        rows = []
        for _, natural, partner, account, dimensions, year, period, on, kind, closing, _, *amounts in lines:
            at = ordinal(year, period) if own.calendar == group.calendar else ordinal_of_day(group, on, kind)
            if at is not None:
                rows.append((place[natural], partner, account, dimensions, at, closing, *amounts))
        return books_from_rows(name, 0, 0, tuple(naturals), np.array(rows, dtype=ROW))

    def _mapped(self, numbers: Mapping[str, int], books: Mapping[str, tuple[Books, ...]]) -> GroupBooks:
        members = [
            Member(name, numbers[name], own, self.parts.plans[name], None, interned_texts)
            for name, own in books.items()
        ]
        return mapped_books(self.state, self.parts, members, numbers)

    def _in_opening_periods(self) -> GroupBooks | None:
        """What stands in later opening periods of calendars of their own; those of the group's are known."""
        books: dict[str, tuple[Books, ...]] = {}
        for name in self.parts.plans:
            own = company_calendar(self.state, name)
            periods = _later_openings(own) if own.calendar != self.parts.calendar.calendar else {}
            apart = tuple(
                self._cut(one, own, periods[one.fiscal_year])
                for one in self.parts.books[name]
                if one.fiscal_year in periods
            )
            if any(len(one.rows) for one in apart):
                books[name] = apart
        return self._mapped(company_numbers(), books) if books else None

    def _cut(self, book: Books, own: CalendarIndex, periods: frozenset[int]) -> Books:
        """In the group's ordinals."""
        group = self.parts.calendar
        if spanning(own, group):
            return cut_by_date(self.state, book, own, group, periods)
        inside, places = in_periods(book, periods), ordinals_in(own, group)
        rows = inside.rows[np.isin(inside.rows["ordinal"], list(places))].copy()
        rows["ordinal"] = [places[at] for at in rows["ordinal"].tolist()]
        return books_from_rows(book.company, book.fiscal_year, book.sequence, book.naturals, rows)


def _later_openings(calendar: CalendarIndex) -> dict[int, frozenset[int]]:
    """By fiscal year the opening periods that some regular one comes before."""
    periods: dict[int, set[int]] = {}
    for row in calendar.special:
        if row.kind == "opening" and calendar.starts and calendar.starts[0] < row.starts_on:
            periods.setdefault(row.fiscal_year, set()).add(row.period)
    return {year: frozenset(own) for year, own in periods.items()}


def _targets(plan: MapPlan) -> dict[str, set[str]]:
    """By own account where its amounts may go; nothing where none of its rows needs to fit."""
    if plan.shared:
        return {code: {code} for code in plan.own_codes}
    return {
        code: {row.row.target for row in rows} | ({""} if rows[-1].field is not None else set())
        for code, rows in plan.rows.items()
    }


def _all_going_to(plan: MapPlan, codes: frozenset[str]) -> list[str]:
    """Own accounts of which everything goes to some accounts of the group: what of one goes elsewhere may be
    cash."""
    return sorted(own for own, targets in _targets(plan).items() if targets <= codes)


def _any_going_to(plan: MapPlan, codes: frozenset[str]) -> list[str]:
    return sorted(own for own, targets in _targets(plan).items() if targets & codes)
