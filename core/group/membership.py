"""A group's members, followed down to companies."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from core.books.periods import CalendarIndex, calendar_index
from core.definitions.state import State, derived
from core.definitions.tables import Company, Group, GroupMember


@dataclass(frozen=True, slots=True)
class MemberCompany:
    """A company as reached from a group: through which groups, at which method and share, in from when until
    when."""

    company: str
    path: tuple[str, ...]
    method: str
    ownership: Decimal
    in_from: date | None
    in_until: date | None

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
            method = row.method if at.method == "full" else at.method
            share = at.ownership * (row.ownership if row.ownership is not None else Decimal(100)) / 100
            start = max((d for d in (at.in_from, row.in_from) if d), default=None)
            until = min((d for d in (at.in_until, row.in_until) if d), default=None)
            if row.member_kind == "group":
                if row.member in at.path:
                    cycle = (*at.path[at.path.index(row.member) :], row.member)
                else:
                    waiting.append(MemberCompany("", (*at.path, row.member), method, share, start, until))
            elif row.member in by_name:
                twice.append(row.member)
            else:
                by_name[row.member] = MemberCompany(row.member, at.path, method, share, start, until)
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


@dataclass(frozen=True, slots=True)
class ConsolidationScope:
    """Who is consolidated on a day, and who waits with the reason."""

    companies: tuple[MemberCompany, ...]
    waiting: tuple[tuple[str, str], ...]


def consolidation_scope(state: State, group: str, on: date) -> ConsolidationScope:
    """Members in on the day, in the group's currency and at method full. Others wait and are named, never
    dropped."""
    group_row = state.get(Group, group)
    companies, waiting = [], []
    for reached in membership(state, group).companies:
        row = state.get(Company, reached.company)
        if row is None or group_row is None or not reached.is_in(on) or reached.method == "none":
            continue
        if row.currency != group_row.currency:
            waiting.append((reached.company, f"reports in {row.currency} and waits for translation"))
        elif reached.method != "full":
            waiting.append((reached.company, f"is taken in by method {reached.method}, which waits"))
        else:
            companies.append(reached)
    return ConsolidationScope(tuple(companies), tuple(waiting))
