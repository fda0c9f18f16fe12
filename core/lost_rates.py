"""Rates that a changed calendar leaves its groups without: they belong to the days of their periods."""

from __future__ import annotations

from collections.abc import Iterator

from core.books.periods import CalendarIndex
from core.definitions.state import State
from core.definitions.tables import Company, Group
from core.group.membership import group_calendar, membership
from core.group.periods import GroupPeriods, group_periods
from core.group.rates import RateMissing, rate_table
from core.group.translation_rules import AVERAGE, CLOSING


def lost_rates(before: State, after: State) -> list[RateMissing]:
    """Closing and average rates that a period had before and has no more, those of each group once."""
    return [missing for group in after.rows(Group) for missing in _of_group(before, after, group)]


def lost_rates_sentence(missing: list[RateMissing]) -> str:
    """What is missing then, in a sentence; empty where nothing is."""
    if not missing:
        return ""
    what = str(missing[0]).removeprefix("waits for ")
    more = f" and {len(missing) - 1} more" if len(missing) > 1 else ""
    return f"Groups then miss {what}{more}: key them on the page of rates."


def _of_group(before: State, after: State, group: Group) -> Iterator[RateMissing]:
    calendar, was = group_calendar(after, group.group), _calendar_before(before, group)
    if calendar is None or was is None or calendar is was:
        return
    then, now = group_periods(was), group_periods(calendar)
    had, has = rate_table(before, group, then), rate_table(after, group, now)
    companies = (after.get(Company, row.company) for row in membership(after, group.group).companies)
    currencies = sorted({row.currency for row in companies if row} - {group.currency})
    for number, i in sorted(now.index.items()):
        earlier = then.index.get(number)
        if earlier is None or _alike(then, earlier, now, i):
            continue
        for currency in currencies:
            for kind in (CLOSING, AVERAGE):
                try:
                    had.of(kind, currency, earlier)
                    has.of(kind, currency, i)
                except RateMissing as missing:
                    if missing.days == now.within(i):
                        yield missing


def _alike(then: GroupPeriods, earlier: int, now: GroupPeriods, i: int) -> bool:
    return then.within(earlier) == now.within(i)


def _calendar_before(before: State, group: Group) -> CalendarIndex | None:
    return group_calendar(before, group.group) if before.get(Group, group.group) else None
