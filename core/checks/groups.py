"""Checks of storey 6: groups, members, mappings, eliminations."""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from decimal import Decimal
from typing import Any

from core.checks.build import mapping_faults, selector_faults
from core.checks.companies import natural_faults
from core.definitions.row_faults import fault
from core.definitions.state import State
from core.definitions.tables import Company, Elimination, Group, GroupMember, Mapping
from core.faults import LOOK, Fault
from core.group.membership import group_calendar, membership
from core.structures.charts import ChartIndex, chart_index


def groups(state: State, rows: list[Group]) -> Iterator[Fault]:
    for row in rows:
        if (
            not row.calendar
            and membership(state, row.group).companies
            and group_calendar(state, row.group) is None
        ):
            what = f"The members of {row.group} have different calendars."
            yield fault(row, "calendar", what, "Give the group a calendar of its own.", "calendar-missing")


def members(state: State, rows: list[GroupMember]) -> Iterator[Fault]:
    for row in rows:
        target: type[Any] = Company if row.member_kind == "company" else Group
        if state.get(target, row.member) is None:
            what = f"There is no {row.member_kind} {row.member}."
            yield fault(row, "member", what, f"Add the {row.member_kind}.", "reference")
        if row.ownership is not None and not Decimal(0) <= row.ownership <= Decimal(100):
            yield fault(row, "ownership", "Ownership is a percentage from 0 to 100.", "Correct it.")
        if row.in_from and row.in_until and row.in_until < row.in_from:
            yield fault(
                row, "in_until", "The member would leave before it joins.", "Give a later last day.", "dates"
            )
    yield from _shape(state, rows)


def _shape(state: State, rows: list[GroupMember]) -> Iterator[Fault]:
    """Groups that hold themselves, and companies reached twice, each told once."""
    affected = {row.group for row in rows}
    names: set[GroupMember] = set()
    for group in sorted(state.part(Group), key=str):
        name = group[0]
        reached = membership(state, name)
        if not affected.intersection({name, *(g for r in reached.companies for g in r.path), *reached.cycle}):
            continue
        if reached.cycle:
            at = state.get(GroupMember, reached.cycle[-2], reached.cycle[-1])
            if at and not names.intersection(_circle(state, reached.cycle)):
                names.add(at)
                path = " in ".join(reversed(reached.cycle))
                yield fault(
                    at, "member", f"A group is a member of itself: {path}.", "Take one of them out.", "cycle"
                )
        for company in reached.twice:
            at = next((r for r in rows if r.member == company and r.member_kind == "company"), None)
            if at and at not in names:
                names.add(at)
                what = f"{company} is reached twice from group {name}."
                yield fault(at, "member", what, "Keep it in one place.", "reached-twice")


def _circle(state: State, cycle: tuple[str, ...] | list[str]) -> set[GroupMember]:
    """The rows that make groups go round: one fault tells all of them."""
    pairs = itertools.pairwise(cycle)
    return {row for pair in pairs if (row := state.get(GroupMember, *pair)) is not None}


def _group_chart(state: State, group: str) -> ChartIndex | None:
    group_row = state.get(Group, group)
    return chart_index(state, group_row.chart) if group_row else None


def mappings(state: State, rows: list[Mapping]) -> Iterator[Fault]:
    for row in rows:
        company = state.get(Company, row.company)
        own = chart_index(state, company.chart) if company else None
        group = state.get(Group, row.group)
        yield from natural_faults(_group_chart(state, row.group), row, "target")
        if own is None or group is None or company is None:
            continue
        if company.chart == group.chart:
            what = f"{row.company} is on the group's chart, so its mapping is not used."
            yield fault(row, "company", what, "Leave the row out.", "mapping-unused", LOOK)
        yield from mapping_faults(state, row, own)


def eliminations(state: State, rows: list[Elimination]) -> Iterator[Fault]:
    for row in rows:
        index = _group_chart(state, row.group)
        if index:
            yield from selector_faults(state, row, "accounts", index.natural_list)[1]
            yield from natural_faults(index, row, "difference_account")


CHECKS: list[tuple[type[Any], Any]] = [
    (Group, groups),
    (GroupMember, members),
    (Mapping, mappings),
    (Elimination, eliminations),
]
