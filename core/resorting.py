"""A calendar whose days changed, or a company on another calendar: which journals then fall into another
period, and what keeps them from it."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator
from datetime import date
from typing import NamedTuple

from core.books.periods import CalendarIndex, calendar_index
from core.definitions.state import State
from core.definitions.tables import Company, Period


class PostedDay(NamedTuple):
    """How many journals of a kind with lines of a company are dated on a day."""

    company: str
    date: date
    kind: str
    journals: int


PostedDays = Callable[[Collection[str], date, date], list[PostedDay]]
"""Those of some companies from a day to another."""


class ResortedDay(NamedTuple):
    """Journals that fall into another period than before; None where they would fall into none."""

    posted: PostedDay
    was: Period | None
    now: Period | None

    @property
    def shut(self) -> Period | None:
        """A closed period that they would leave or enter."""
        return next((one for one in (self.was, self.now) if one is not None and one.status == "closed"), None)


def resorted(before: State, after: State, posted_days: PostedDays) -> list[ResortedDay]:
    """What changed calendars move, company by company, day by day. Nothing is asked of the books where no day
    can have moved."""
    asked: dict[tuple[str, str], list[str]] = {}
    for row in after.rows(Company):
        earlier = before.get(Company, row.company)
        if earlier is None or calendar_index(before, earlier.calendar) is calendar_index(after, row.calendar):
            continue
        asked.setdefault((earlier.calendar, row.calendar), []).append(row.company)
    found = []
    for (old, new), companies in sorted(asked.items()):
        was, now = calendar_index(before, old), calendar_index(after, new)
        if (span := _span(was, now)) is None:
            continue
        found += [day for posted in posted_days(tuple(companies), *span) if (day := _moved(posted, was, now))]
    return found


def _span(before: CalendarIndex, after: CalendarIndex) -> tuple[date, date] | None:
    """From which day to which a day may lie in another period."""
    keys = {*before.periods, *after.periods}
    rows = [
        row
        for key in keys
        if _days(before.periods.get(key)) != _days(after.periods.get(key))
        for row in (before.periods.get(key), after.periods.get(key))
        if row is not None
    ]
    return (min(row.starts_on for row in rows), max(row.ends_on for row in rows)) if rows else None


def _days(row: Period | None) -> tuple[date, date, str] | None:
    return None if row is None else (row.starts_on, row.ends_on, row.kind)


def _moved(posted: PostedDay, before: CalendarIndex, after: CalendarIndex) -> ResortedDay | None:
    was, now = (calendar.period_of(posted.date, posted.kind) for calendar in (before, after))
    if was is not None and now is not None and was[1:3] == now[1:3]:
        return None
    return ResortedDay(posted, was, now)


class NotResorted(NamedTuple):
    """Journals of a company that can't go where the calendar sends them: why, and the way out. `period` is
    the closed one; None where they would fall into none."""

    company: str
    period: Period | None
    what: str
    way_out: str


def not_resorted(days: Collection[ResortedDay]) -> Iterator[NotResorted]:
    """Closed periods neither lose nor get amounts, and each journal needs a period."""
    groups: dict[tuple[str, Period | None, Period | None], list[ResortedDay]] = {}
    for day in days:
        if day.now is None or day.shut is not None:
            groups.setdefault((day.posted.company, day.was, day.now), []).append(day)
    for (company, was, now), several in groups.items():
        count = sum(day.posted.journals for day in several)
        first = min(day.posted.date for day in several)
        journals = f"{count:,} journal{'' if count == 1 else 's'} of {company}, the first of {first},"
        shut = several[0].shut
        if now is None:
            what = f"{journals} would fall into no period."
            yield NotResorted(company, None, what, "Let a period hold each of their days.")
        elif shut is not None:
            left = was.name if was else "no period"
            what = f"{journals} would go from {left} to {now.name}, and {shut.name} is closed."
            yield NotResorted(company, shut, what, "Open it first, with the reason, and close it again then.")


def falling_sentence(days: Collection[ResortedDay]) -> str:
    """What is said of it beforehand; empty where nothing moves."""
    if not days:
        return ""
    journals = _counted(days, "falls", "fall")
    return f"{journals} into another period then: amounts are sorted anew, and nothing posted changes."


def resorted_sentence(days: Collection[ResortedDay]) -> str:
    """What the log says of it; empty where nothing moves."""
    return f"{_counted(days, 'stands', 'stand')} in another period now" if days else ""


def _counted(days: Collection[ResortedDay], one: str, several: str) -> str:
    count = sum(day.posted.journals for day in days)
    companies = len({day.posted.company for day in days})
    journals = "journal" if count == 1 else "journals"
    whose = "company" if companies == 1 else "companies"
    return f"{count:,} {journals} of {companies:,} {whose} {one if count == 1 else several}"
