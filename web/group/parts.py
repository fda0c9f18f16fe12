"""What goes into a group's figures: members' standings, books and mappings; and the books as cells."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

from core.books.balances import Books, closing_marked
from core.books.periods import (
    CalendarIndex,
    calendar_index,
    closing_ordinals,
    company_calendar,
    ordinals_in,
    spanning,
)
from core.definitions.state import State
from core.definitions.tables import Company, Group
from core.faults import WrongCall
from core.group.cells import GroupBooks, group_books
from core.group.collect import Member
from core.group.mapping import MapPlan, map_plan
from core.group.membership import group_calendar
from core.group.ownership import Standing, group_standings
from core.group.periods import GroupPeriods, group_periods
from web.journals.books import books_for
from web.journals.books_by_date import cut_by_date
from web.journals.interning import company_numbers, interned_texts


def known_group(state: State, group: str) -> tuple[Group, CalendarIndex]:
    row = state.get(Group, group)
    calendar = group_calendar(state, group)
    if row is None:
        raise WrongCall(f"There is no group {group}.")
    return row, calendar or calendar_index(state, "")


class GroupParts(NamedTuple):
    """What goes into a group's figures: members' standings, whose books adjust whose, books, mappings."""

    row: Group
    calendar: CalendarIndex
    periods: GroupPeriods
    standings: dict[str, Standing]
    adjusts: dict[str, str]
    books: Mapping[str, tuple[Books, ...]]
    plans: dict[str, MapPlan]

    @property
    def names(self) -> list[str]:
        return [*sorted(self.standings), *sorted(self.adjusts)]

    @property
    def key(self) -> Any:
        books = (book for name in self.names for book in self.books[name])
        sequences = tuple((book.company, book.fiscal_year, book.sequence) for book in books)
        return self.row.group, tuple(self.names), sequences


def group_parts(state: State, group: str) -> GroupParts:
    row, calendar = known_group(state, group)
    periods = group_periods(calendar)
    stands = group_standings(state, group)
    adjusts = {c.company: c.adjusts for c in state.rows(Company) if c.adjusts in stands}
    names = [*sorted(stands), *sorted(adjusts)]
    plans = {name: plan for name in names if (plan := map_plan(state, group, name))}
    return GroupParts(row, calendar, periods, stands, adjusts, books_for(state, names), plans)


def mapped_members(state: State, parts: GroupParts) -> GroupBooks:
    """The books of all members, each where its periods and accounts count for the group."""
    numbers = company_numbers()
    members = [
        _member(state, numbers[name], parts.books[name], plan, parts.calendar)
        for name, plan in parts.plans.items()
    ]
    return mapped_books(state, parts, members, numbers)


def mapped_books(
    state: State, parts: GroupParts, members: Sequence[Member], numbers: Mapping[str, int]
) -> GroupBooks:
    """Some members' books as cells of the group; `numbers` of all companies."""
    currencies = {row.company: row.currency for row in state.rows(Company)}
    return group_books(state, parts.row.group, parts.periods, members, parts.adjusts, currencies, numbers)


def _member(
    state: State, number: int, books: tuple[Books, ...], plan: MapPlan, calendar: CalendarIndex
) -> Member:
    """A company's books with where their periods count; cut by date where its own span those of the group."""
    own = company_calendar(state, plan.company)
    if own.calendar == calendar.calendar:
        return Member(plan.company, number, books, plan, None, interned_texts)
    books = tuple(closing_marked(one, closing_ordinals(own)) for one in books)
    if spanning(own, calendar):
        books = tuple(cut_by_date(state, one, own, calendar) for one in books)
        return Member(plan.company, number, books, plan, None, interned_texts)
    return Member(plan.company, number, books, plan, ordinals_in(own, calendar), interned_texts)
