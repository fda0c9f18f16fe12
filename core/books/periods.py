"""Calendars: which period a journal falls into, and in which order periods count."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date

from core.definitions.state import Edit, State, derived
from core.definitions.tables import Company, Period

BROUGHT_FORWARD = -1
"""The period number, inside, of what was brought forward into a company's first year (period 0 of
`balances`)."""

YEAR = 10_000
"""Ordinals are fiscal year * YEAR + period + 1, so that periods compare as integers across years."""


def ordinal(fiscal_year: int, period: int) -> int:
    return fiscal_year * YEAR + period + 1


@dataclass(frozen=True, slots=True)
class CalendarIndex:
    """A calendar ready for use: regular periods in order with their first days, and the special ones."""

    calendar: str
    periods: dict[tuple[int, int], Period]
    regular: list[Period]
    starts: list[date]
    special: list[Period]

    def period_of(self, on: date, kind: str) -> Period | None:
        """A closing or opening journal goes to the period of its kind that holds its date; any other to the
        regular one."""
        if kind in ("closing", "opening"):
            for period in self.special:
                if period.kind == kind and period.starts_on <= on <= period.ends_on:
                    return period
        at = bisect_right(self.starts, on) - 1
        if at < 0 or on > self.regular[at].ends_on:
            return None
        return self.regular[at]

    def years(self) -> list[int]:
        return sorted({year for year, _ in self.periods})

    def of_year(self, year: int) -> list[Period]:
        return sorted((p for p in self.periods.values() if p.fiscal_year == year), key=lambda p: p.period)

    def first_period(self, year: int) -> int:
        return min((period for y, period in self.periods if y == year), default=1)


def stretch_name(calendar: CalendarIndex, year: int, first: int, last: int) -> str:
    """What a movement from one period of a year to another is called; both must be of the calendar."""
    end = calendar.periods[(year, last)].name
    if first == last:
        return f"{end} alone"
    regular = [period.period for period in calendar.of_year(year) if period.kind == "regular"]
    if first == calendar.first_period(year) or regular[:1] == [first]:
        return f"{end}, year to date"
    return f"{calendar.periods[(year, first)].name} to {end}"


def closed_early(before: State, edits: Iterable[Edit]) -> str:
    """A sentence where edits close a period while an earlier one stays open; empty where periods close in
    order.

    The books allow it (a member may report late), so it is asked, not refused.
    """
    edits = [edit for edit in edits if edit.table == "periods" and edit.new is not None]
    after = before.edited(edits) if edits else before
    for edit in edits:
        if edit.new.status != "closed" or (edit.old is not None and edit.old.status == "closed"):
            continue
        rows = calendar_index(after, edit.new.calendar).regular
        earlier = [row.name for row in rows if row.ends_on < edit.new.starts_on and row.status != "closed"]
        if earlier:
            which = earlier[0] if len(earlier) == 1 else f"{earlier[0]} and {len(earlier) - 1} more before it"
            return (
                f"{which} {'is' if len(earlier) == 1 else 'are'} not closed, and periods close in order. Say"
                f" why {edit.new.name} closes before."
            )
    return ""


def reopened(edits: Iterable[Edit], before: State) -> str:
    """Which closed period edits reopen, and what closed after it, in a sentence; empty where none."""
    rows = [edit.old for edit in edits if _reopens(edit)]
    if not rows:
        return ""
    first = min(rows, key=lambda row: row.starts_on)
    keys = {row[:3] for row in rows}
    after = [
        row.name
        for row in calendar_index(before, first.calendar).regular
        if row.starts_on > first.ends_on and row.status == "closed" and row[:3] not in keys
    ]
    later = f" {_and_more(after)} closed after it." if after else ""
    are = "is" if len(rows) == 1 else "are"
    names = _and_more([first.name, *(row.name for row in rows if row != first)])
    return f"{names} {are} closed, and reopening lets journals in again.{later}"


def _reopens(edit: Edit) -> bool:
    if edit.table != "periods" or edit.old is None or edit.new is None:
        return False
    return bool(edit.old.status == "closed" and edit.new.status != "closed")


def _and_more(names: list[str]) -> str:
    return names[0] if len(names) == 1 else f"{names[0]} and {len(names) - 1} more"


def closing_ordinals(calendar: CalendarIndex) -> frozenset[int]:
    """Of closing periods: what lies in them counts as a closing journal does."""
    return frozenset(ordinal(p.fiscal_year, p.period) for p in calendar.special if p.kind == "closing")


@derived((Period, 0))
def calendar_index(state: State, calendar: str) -> CalendarIndex:
    rows = list(state.part(Period, calendar).values())
    regular = sorted((p for p in rows if p.kind == "regular"), key=lambda p: p.starts_on)
    special = sorted((p for p in rows if p.kind != "regular"), key=lambda p: (p.fiscal_year, p.period))
    periods = {(p.fiscal_year, p.period): p for p in rows}
    return CalendarIndex(calendar, periods, regular, [p.starts_on for p in regular], special)


def company_calendar(state: State, company: str) -> CalendarIndex:
    company_row = state.get(Company, company)
    return calendar_index(state, company_row.calendar if company_row else "")


def shared_ordinals(own: CalendarIndex, group: CalendarIndex) -> dict[tuple[int, int], int]:
    """Where each period of a member's own calendar counts in the group's, as group ordinals.

    By number where the calendars are one; else the group's period of the same kind (or the regular one) that
    holds
    the last day of the member's period. A period before the group's first counts as brought forward (0); one
    after
    its last not at all (absent).
    """
    if own.calendar == group.calendar:
        return {key: ordinal(*key) for key in own.periods}
    places = {key: ordinal_of_day(group, period.ends_on, period.kind) for key, period in own.periods.items()}
    return {key: at for key, at in places.items() if at is not None}


def ordinal_of_day(group: CalendarIndex, on: date, kind: str) -> int | None:
    """Where a day of a kind of journals counts in a calendar: 0 before its first period, None where no period
    holds it."""
    holding = group.period_of(on, kind)
    if holding:
        return ordinal(holding.fiscal_year, holding.period)
    return 0 if group.starts and on < group.starts[0] else None


def ordinals_in(own: CalendarIndex, group: CalendarIndex) -> dict[int, int]:
    """By the ordinals of a member's own calendar those of the group's; what was brought forward comes before
    all."""
    places = {ordinal(*key): at for key, at in shared_ordinals(own, group).items()}
    return {**places, **{ordinal(year, BROUGHT_FORWARD): 0 for year in own.years()}}


def spanning(own: CalendarIndex, group: CalendarIndex) -> list[Period]:
    """A member's own periods whose first and last day count in different periods of the group."""
    return [
        period
        for period in own.periods.values()
        if ordinal_of_day(group, period.starts_on, period.kind)
        != ordinal_of_day(group, period.ends_on, period.kind)
    ]
