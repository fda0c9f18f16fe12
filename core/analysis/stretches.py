"""Stretches of time: which amounts a movement sums and which stand at its end."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from core.books.periods import CalendarIndex, ordinal, stretch_name
from core.definitions.tables import Period
from core.faults import WrongCall


@dataclass(frozen=True, slots=True)
class Stretch:
    """From `start` to `end` inclusive, as ordinals or as day numbers. `name` says what a movement is of,
    `ends`
    at what a balance stands. `year`, `first` and `period` are 0 for a stretch of days."""

    start: int
    end: int
    name: str
    ends: str
    year: int = 0
    first: int = 0
    period: int = 0

    def title(self, balances: bool) -> str:
        """What the figures are about: a movement over the stretch, or what stands at its end."""
        return self.ends if balances else self.name


def known_period(calendar: CalendarIndex, year: int, period: int) -> Period:
    """Raises WrongCall for a year or period that the calendar does not have."""
    if year not in calendar.years():
        raise WrongCall(f"There is no fiscal year {year} in calendar {calendar.calendar}.")
    row = calendar.periods.get((year, period))
    if row is None:
        raise WrongCall(f"There is no period {period} in fiscal year {year} of calendar {calendar.calendar}.")
    return row


def first_of_movement(calendar: CalendarIndex, year: int, period: int) -> int:
    """Where a movement to a period begins if nobody says: at the year's first regular period; at the period
    itself where that comes before."""
    regular = [row.period for row in calendar.of_year(year) if row.kind == "regular"]
    return min([*regular[:1], period])


def of_periods(calendar: CalendarIndex, year: int, period: int, first: int | None = None) -> Stretch:
    """From the first period to the last of a year."""
    ends = known_period(calendar, year, period).name
    begin = first_of_movement(calendar, year, period) if first is None else first
    known_period(calendar, year, begin)
    if begin > period:
        raise WrongCall(f"Period {begin} is after period {period}.")
    name = stretch_name(calendar, year, begin, period)
    return Stretch(ordinal(year, begin), ordinal(year, period), name, ends, year, begin, period)


def of_days(start: date | None, end: date) -> Stretch:
    """From one day to another; without a first day for what stands at the end alone."""
    if start is not None and start > end:
        raise WrongCall(f"{start.isoformat()} is after {end.isoformat()}.")
    name = f"to {end.isoformat()}" if start is None else f"{start.isoformat()} to {end.isoformat()}"
    begin = date.min.toordinal() if start is None else start.toordinal()
    return Stretch(begin, end.toordinal(), name, end.isoformat())


def cut_periods(calendar: CalendarIndex, stretch: Stretch) -> list[Period]:
    """Periods in whose midst a stretch of days begins or ends: what is asked of them comes from their lines,
    all other periods are whole."""
    edges = (stretch.start - 1, stretch.end)
    return [
        period
        for period in calendar.periods.values()
        if any(period.starts_on.toordinal() <= edge < period.ends_on.toordinal() for edge in edges)
    ]


def check_whole_periods(
    calendar: CalendarIndex, stretch: Stretch, years: frozenset[int], has_start: bool
) -> None:
    """Raises WrongCall where a stretch begins or ends in the midst of a period of a year whose books are
    kept as
    balances."""
    firsts = {row.starts_on.toordinal() for row in calendar.regular}
    lasts = {row.ends_on.toordinal() for row in calendar.regular}
    if has_start and stretch.start not in firsts and _kept_as_balances(calendar, stretch.start, years):
        day = date.fromordinal(stretch.start).isoformat()
        raise WrongCall(f"The books are kept as balances, and {day} is not the first day of a period.")
    if stretch.end not in lasts and _kept_as_balances(calendar, stretch.end, years):
        day = date.fromordinal(stretch.end).isoformat()
        raise WrongCall(f"The books are kept as balances, and {day} is not the last day of a period.")


def _kept_as_balances(calendar: CalendarIndex, day: int, years: frozenset[int]) -> bool:
    """Whether a day is of a year kept as balances, or of none at all in books that know only such years."""
    period = calendar.period_of(date.fromordinal(day), "general")
    return period.fiscal_year in years if period else bool(years)
