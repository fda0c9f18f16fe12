"""Which company is in for which period, at which share and method; who holds what of whom on a day, and
whether that is what was bought."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, timedelta
from fractions import Fraction
from functools import cached_property
from typing import NamedTuple

from core.definitions.state import State, derived
from core.definitions.tables import Acquisition, Company, Group, GroupMember, OwnershipChange, Period
from core.group.membership import MemberCompany, group_calendar, membership
from core.group.periods import GroupPeriods, group_periods
from core.money import show_percent


@dataclass(frozen=True)
class Standing:
    """A company in a group. `f[i]` is the share of what holds it by full, `h[i]` of the rest, both exact;
    `is_in[i]` whether it is in for period i; `base` the period before it came in, None where it was in from
    what was brought forward; `out` the first period it is out again, if any."""

    company: str
    method: str
    f: tuple[Fraction, ...]
    h: tuple[Fraction, ...]
    is_in: tuple[bool, ...]
    base: int | None
    out: int | None

    def share(self, i: int) -> Fraction:
        return self.f[i] * self.h[i]

    @cached_property
    def is_whole(self) -> bool:
        """Whether nobody else ever has a part of it."""
        return all(share == 1 for share in self.f)

    @cached_property
    def minorities(self) -> tuple[Fraction, ...]:
        """What others than the owners have, by period."""
        rest = {share: 1 - share for share in {*self.f}}
        return tuple(rest[share] for share in self.f)

    def minority(self, i: int) -> Fraction:
        return self.minorities[i]


def held_by(state: State, link: GroupMember, on: date) -> Fraction:
    """The ownership of a membership on a day, as a share."""
    changes = [
        row
        for row in state.part(OwnershipChange, link.group).values()
        if row.member == link.member and row.on <= on
    ]
    newest = max(changes, key=lambda row: row.on, default=None)
    percent = newest.ownership if newest else 100 if link.ownership is None else link.ownership
    return Fraction(percent) / 100


def standing(state: State, reached: MemberCompany, periods: GroupPeriods) -> Standing:
    above, below = reached.above(), reached.links[len(reached.above()) :]
    f, h, is_in = [], [], []
    for i in range(periods.last + 1):
        day = periods.ends_on(i)
        f.append(_product(held_by(state, link, day) for link in above))
        h.append(_product(held_by(state, link, day) for link in below))
        is_in.append(reached.is_in(day))
    comes = reached.in_from is not None
    first = next((i for i in range(1, periods.last + 1) if is_in[i]), None)
    base = first - 1 if comes and first is not None and not is_in[0] else None
    out = None
    if first is not None:
        out = next((i for i in range(first, periods.last + 1) if not is_in[i]), None)
    if not comes:
        is_in[0] = True
    return Standing(reached.company, reached.method, tuple(f), tuple(h), tuple(is_in), base, out)


def _product(shares: Iterable[Fraction]) -> Fraction:
    result = Fraction(1)
    for share in shares:
        result *= share
    return result


def standings(state: State, group: str, periods: GroupPeriods) -> dict[str, Standing]:
    """All companies reached from a group that any method takes in, by name."""
    return {
        reached.company: standing(state, reached, periods)
        for reached in membership(state, group).companies
        if reached.method != "none"
    }


@derived(Company, Group, GroupMember, OwnershipChange, Period)
def group_standings(state: State, group: str) -> dict[str, Standing]:
    """The standings over all periods of the group's own calendar; none where it has none."""
    calendar = group_calendar(state, group)
    periods = group_periods(calendar) if calendar else None
    return standings(state, group, periods) if periods and periods.rows else {}


class Stake(NamedTuple):
    """A company of a group on a day: its method, the share that counts for the group and the part of others,
    both exact; `through` the groups between."""

    company: str
    through: tuple[str, ...]
    method: str
    share: Fraction
    minority: Fraction
    is_in: bool
    adjusted_by: tuple[str, ...]


def stakes(state: State, group: str, on: date) -> list[Stake]:
    """By company name. The minority's part is what others have in the memberships above the first that isn't
    by full."""
    adjusting: dict[str, list[str]] = {}
    for row in state.rows(Company):
        if row.adjusts:
            adjusting.setdefault(row.adjusts, []).append(row.company)
    rows = []
    for reached in membership(state, group).companies:
        share, held_in_full = Fraction(1), Fraction(1)
        above = len(reached.above())
        for place, link in enumerate(reached.links):
            part = held_by(state, link, on)
            share *= part
            held_in_full *= part if place < above else 1
        rows.append(
            Stake(
                reached.company,
                reached.path[1:],
                reached.method,
                share,
                1 - held_in_full,
                reached.is_in(on),
                tuple(sorted(adjusting.get(reached.company, ()))),
            )
        )
    return rows


def is_link_in(link: GroupMember, on: date) -> bool:
    return (link.in_from is None or link.in_from <= on) and (link.in_until is None or on <= link.in_until)


def days_of_change(state: State, group: str) -> list[date]:
    """Days from which on something is held otherwise, in order."""
    days: set[date] = set()
    links = {(row.group, row.member): row for r in membership(state, group).companies for row in r.links}
    for link in links.values():
        if link.in_from:
            days.add(link.in_from)
        if link.in_until:
            days.add(link.in_until + timedelta(days=1))
        changes = state.part(OwnershipChange, link.group).values()
        days |= {row.on for row in changes if row.member == link.member}
    return sorted(days)


class HeldApart(NamedTuple):
    """A day from which on the percentages bought of a member aren't what its holder has of it; both exact, in
    percent."""

    member: str
    holder: str
    on: date
    bought: Fraction
    held: Fraction

    @property
    def missing(self) -> Fraction:
        """What a further row would have to say; below zero for a sale."""
        return self.held - self.bought

    @property
    def sentence(self) -> str:
        held, bought = (show_percent(percent / 100) for percent in (self.held, self.bought))
        return f"{self.holder} holds {held} of {self.member} from {self.on} and bought {bought} by then."


@dataclass(frozen=True)
class Purchases:
    """The acquisitions of one member, oldest first, with the ways to it and to its holder."""

    state: State
    rows: tuple[Acquisition, ...]
    member: MemberCompany
    holder: MemberCompany

    @property
    def days(self) -> list[date]:
        """From the first row on those on which a row, a membership on either path or a change of ownership
        begins, or a membership ends."""
        days = {row.on for row in self.rows}
        for link in (*self.member.links, *self.holder.links):
            days |= {link.in_from} if link.in_from else set()
            days |= {link.in_until + timedelta(days=1)} if link.in_until else set()
            changes = self.state.part(OwnershipChange, link.group).values()
            days |= {change.on for change in changes if change.member == link.member}
        return sorted(day for day in days if day >= self.rows[0].on)

    def apart_on(self, on: date) -> HeldApart | None:
        """None where they agree, or either isn't in."""
        by_holder = self._share(self.holder, on)
        if not (self.member.is_in(on) and self.holder.is_in(on) and by_holder):
            return None
        bought = sum((Fraction(row.percent) for row in self.rows if row.on <= on), Fraction(0))
        held = 100 * self._share(self.member, on) / by_holder
        if bought == held:
            return None
        return HeldApart(self.member.company, self.holder.company, on, bought, held)

    def _share(self, reached: MemberCompany, on: date) -> Fraction:
        share = Fraction(1)
        for link in reached.links:
            share *= held_by(self.state, link, on)
        return share


@derived(Acquisition, GroupMember, OwnershipChange)
def purchases_of(state: State, group: str) -> tuple[Purchases, ...]:
    """By member, where both it and its holder are of the group."""
    reached = {one.company: one for one in membership(state, group).companies}
    rows: dict[str, list[Acquisition]] = {}
    for row in sorted(state.part(Acquisition, group).values(), key=lambda row: row.on):
        rows.setdefault(row.member, []).append(row)
    return tuple(
        Purchases(state, tuple(own), reached[member], reached[own[0].holder])
        for member, own in sorted(rows.items())
        if member in reached and own[0].holder in reached
    )


def held_apart(state: State, group: str) -> list[HeldApart]:
    """Each day on which something begins and what is held isn't what was bought, by member and day."""
    all_days = ((one, day) for one in purchases_of(state, group) for day in one.days)
    return [apart for one, day in all_days if (apart := one.apart_on(day))]


def apart_at(state: State, group: str, on: date) -> list[HeldApart]:
    """What is apart on a day, each with the day from which on it is, by member."""
    rows = []
    for one in purchases_of(state, group):
        since = max((day for day in one.days if day <= on), default=None)
        if since is not None and (apart := one.apart_on(on)):
            rows.append(apart._replace(on=since))
    return rows
