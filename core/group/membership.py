"""A group's members, followed down to companies."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from itertools import takewhile

from core.books.periods import CalendarIndex, calendar_index, company_calendar, spanning
from core.definitions.state import State, derived
from core.definitions.tables import Company, Group, GroupMember

METHODS = ("none", "equity", "proportionate", "full")
"""From the most restricted to the least; a company's is the most restricted on its path."""


@dataclass(frozen=True, slots=True)
class MemberCompany:
    """A company as reached from a group: through which groups, at which method and share, in from when until
    when; `links` are the memberships that lead to it, from the top."""

    company: str
    path: tuple[str, ...]
    method: str
    ownership: Decimal
    in_from: date | None
    in_until: date | None
    links: tuple[GroupMember, ...] = ()

    def above(self) -> tuple[GroupMember, ...]:
        """The memberships above the first that isn't by `full`."""
        return tuple(takewhile(lambda link: link.method == "full", self.links))

    def is_in(self, on: date) -> bool:
        return (self.in_from is None or self.in_from <= on) and (self.in_until is None or on <= self.in_until)


@dataclass(frozen=True, slots=True)
class Membership:
    """Companies reached from a group; those reached twice; a circle of groups, if there is one."""

    companies: tuple[MemberCompany, ...]
    twice: tuple[str, ...]
    cycle: tuple[str, ...]


@derived(GroupMember)
def membership(state: State, group: str) -> Membership:
    """All companies of a group in name order; a company reached twice is told, and kept once."""
    by_name: dict[str, MemberCompany] = {}
    twice: list[str] = []
    cycle: tuple[str, ...] = ()
    waiting = [MemberCompany("", (group,), "full", Decimal(100), None, None)]
    while waiting:
        at = waiting.pop()
        for row in sorted(
            state.part(GroupMember, at.path[-1]).values(), key=lambda r: r.member, reverse=True
        ):
            method = min(row.method, at.method, key=METHODS.index)
            share = at.ownership * (row.ownership if row.ownership is not None else Decimal(100)) / 100
            start = max((d for d in (at.in_from, row.in_from) if d), default=None)
            until = min((d for d in (at.in_until, row.in_until) if d), default=None)
            if row.member_kind == "group":
                if row.member in at.path:
                    cycle = (*at.path[at.path.index(row.member) :], row.member)
                else:
                    path = (*at.path, row.member)
                    waiting.append(MemberCompany("", path, method, share, start, until, (*at.links, row)))
            elif row.member in by_name:
                twice.append(row.member)
            else:
                links = (*at.links, row)
                by_name[row.member] = MemberCompany(row.member, at.path, method, share, start, until, links)
    return Membership(tuple(by_name[name] for name in sorted(by_name)), tuple(twice), cycle)


def group_calendar(state: State, group: str) -> CalendarIndex | None:
    """The group's own calendar, or the one all its members share; None where they don't."""
    group_row = state.get(Group, group)
    if group_row is None:
        return None
    if group_row.calendar:
        return calendar_index(state, group_row.calendar)
    names = {
        row.calendar for r in membership(state, group).companies if (row := state.get(Company, r.company))
    }
    return calendar_index(state, names.pop()) if len(names) == 1 else None


def spanning_periods(state: State, company: str) -> dict[tuple[int, int], str]:
    """Periods of a company's own calendar that span two of a group it is in, with that group; a company's
    adjusting books are in wherever it is."""
    row, own = state.get(Company, company), company_calendar(state, company)
    names = {company, row.adjusts if row else ""}
    by_period: dict[tuple[int, int], str] = {}
    for group in state.rows(Group):
        calendar = group_calendar(state, group.group)
        if calendar is None or calendar.calendar == own.calendar:
            continue
        if names & {reached.company for reached in membership(state, group.group).companies}:
            for period in spanning(own, calendar):
                by_period.setdefault((period.fiscal_year, period.period), group.group)
    return by_period
