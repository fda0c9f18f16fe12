"""Who holds what of whom on a day: shares along the path, what is left to the minority, and the days at which
that changes."""

from __future__ import annotations

from datetime import date, timedelta
from fractions import Fraction
from typing import NamedTuple

from core.definitions.state import State
from core.definitions.tables import Company, GroupMember, OwnershipChange
from core.group.membership import membership
from core.group.ownership import held_by


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
