"""The journals that a group's cash flow counts apart: those between the sides of non-cash pairs, those in
opening periods of a company's own calendar, and, for a direct one, those that touch cash by their direction.

Everything is read for all companies in one go, as far as the books that the group's figures are made of."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

import numpy as np

from core.books.balances import ROW, Books, books_from_rows
from core.books.periods import CalendarIndex, company_calendar, ordinal, ordinal_of_day, ordinals_in, spanning
from core.cash_flow.activities import cash_accounts
from core.definitions.state import State
from core.group.cells import GroupBooks
from core.group.collect import Member
from core.group.map_accounts import group_list
from core.group.mapping import MapPlan
from core.group.rates import NotReady
from core.group_cash_flow.flows import Apart, Moved
from core.statements.line_parts import EITHER_WAY, PAID, RECEIVED
from core.statements.plans import Plan
from web.group.parts import GroupParts, mapped_books
from web.journals.books_by_date import cut_by_date, in_periods
from web.journals.flow_lines import BooksUpTo, Touched
from web.journals.interning import company_numbers, interned_texts


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
        books = [(name, book) for name in parts.names for book in parts.books[name]]
        self.journals = BooksUpTo(state, books, *self.days)
        self.posted = frozenset(natural for _, book in books for natural in book.naturals)
        self._shared: dict[frozenset[str], frozenset[str]] = {}

    def left_out(self) -> list[Moved]:
        """Each journal once, under whichever pair; what a pair leaves out stands in no opening period."""
        sides = {
            name: tuple(
                (self._all_going_to(plan, one.accounts), self._all_going_to(plan, one.against))
                for one in self.planned.non_cash
            )
            for name, plan in self.parts.plans.items()
        }
        touched = self.journals.between(sides)
        moved = [Moved(EITHER_WAY, books, True) for books in self._books(touched).values()]
        opening = self._in_opening_periods()
        return [*moved, Moved(EITHER_WAY, opening, True)] if opening else moved

    def direct(self) -> Apart:
        accounts = group_list(self.state, self.parts.row.group)
        cash = cash_accounts(accounts) if accounts else frozenset()
        touching = {name: self._any_going_to(plan, cash) for name, plan in self.parts.plans.items()}
        by_way = self._books(self.journals.touching(touching))
        moved = [Moved(RECEIVED if received else PAID, books) for received, books in by_way.items()]
        names = {self.parts.adjusts.get(name, name) for name in self.journals.without_journals()}
        told = "keeps balances and no journals, which a direct cash flow sums"
        return Apart(moved, True, {name: NotReady(told) for name in names})

    def _all_going_to(self, plan: MapPlan, codes: frozenset[str]) -> frozenset[str]:
        """Own accounts that were posted to, of which everything goes to some accounts of the group: what of
        one goes elsewhere may be cash."""
        if plan.shared:
            return self._posted_among(codes)
        return frozenset(own for own, targets in _targets(plan).items() if targets <= codes) & self.posted

    def _any_going_to(self, plan: MapPlan, codes: frozenset[str]) -> frozenset[str]:
        if plan.shared:
            return self._posted_among(codes)
        return frozenset(own for own, targets in _targets(plan).items() if targets & codes) & self.posted

    def _posted_among(self, codes: frozenset[str]) -> frozenset[str]:
        """Once for all companies that share the group's accounts."""
        if codes not in self._shared:
            self._shared[codes] = codes & self.posted
        return self._shared[codes]

    def _books(self, touched: Iterable[Touched]) -> dict[bool, GroupBooks]:
        """The lines of journals as books of the group's companies, by whether cash gained by them."""
        known = list(touched)
        if not known:
            return {}
        lines = self.journals.lines(known)
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
    return {
        code: {row.row.target for row in rows} | ({""} if rows[-1].field is not None else set())
        for code, rows in plan.rows.items()
    }
