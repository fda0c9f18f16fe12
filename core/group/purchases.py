"""Whether what was bought of a member comes to what is held of it, on every day that either changes."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta
from fractions import Fraction
from typing import NamedTuple

from core.definitions.state import State, derived
from core.definitions.tables import Acquisition, GroupMember, OwnershipChange
from core.group.membership import MemberCompany, membership
from core.group.ownership import held_by
from core.money import show_percent


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
