"""Stretches of days by unit, and the one before or after of the same length."""

from __future__ import annotations

from calendar import monthrange
from dataclasses import replace
from datetime import date, timedelta
from typing import Literal

from core.analysis.asked import Asked
from core.analysis.period_columns import QUARTER, PeriodColumn
from core.books.periods import YEAR, CalendarIndex
from core.statements.formulas import YEAR_BEFORE

Unit = Literal["day", "week", "month", "quarter", "half", "year"]
UNITS: tuple[Unit, ...] = ("day", "week", "month", "quarter", "half", "year")
MONTHS: dict[Unit, int] = {"month": 1, "quarter": 3, "half": 6, "year": 12}
WEEK = 7
Days = tuple[date, date]


def around(unit: Unit, on: date) -> Days:
    """The calendar's day, week (from Monday), month, quarter, half or year that holds a day; the first and
    last
    weeks of all time are as long as there is time."""
    if unit == "day":
        return on, on
    if unit == "week":
        before = min(on.weekday(), on.toordinal() - 1)
        after = min(WEEK - 1 - on.weekday(), date.max.toordinal() - on.toordinal())
        return on - timedelta(days=before), on + timedelta(days=after)
    months = MONTHS[unit]
    first = (on.month - 1) // months * months
    return date(on.year, first + 1, 1), _last_day(on.year, first + months)


def _last_day(year: int, month: int) -> date:
    return date(year, month, monthrange(year, month)[1])


def unit_of(days: Days) -> Unit | None:
    """Which unit a stretch is just one of."""
    return next((unit for unit in UNITS if around(unit, days[0]) == days), None)


def whole_months(days: Days) -> int:
    """How many calendar months a stretch is, if it is whole ones; else 0."""
    start, end = days
    if start.day != 1 or end != _last_day(end.year, end.month):
        return 0
    return (end.year - start.year) * 12 + end.month - start.month + 1


def shifted(days: Days, ways: int) -> Days | None:
    """The stretch that follows (1) or comes before (-1), as long as this one: months by months, else by
    days. None
    where there is no such day."""
    start, end = days
    try:
        if months := whole_months(days):
            at = start.year * 12 + start.month - 1 + ways * months
            last = at + months - 1
            return date(at // 12, at % 12 + 1, 1), _last_day(last // 12, last % 12 + 1)
        length = timedelta(days=(end - start).days + 1)
        return start + ways * length, end + ways * length
    except (OverflowError, ValueError):
        return None


def shifted_periods(calendar: CalendarIndex, asked: Asked, ways: int) -> Asked | None:
    """The same for periods of a year: to date stays to date, one period one period, several as many. None
    beyond
    the calendar."""
    places = {(row.fiscal_year, row.period): i for i, row in enumerate(calendar.regular)}
    end = places.get((asked.year or 0, -1 if asked.period is None else asked.period))
    if end is None:
        return None
    first = None if asked.first is None else places.get((asked.year or 0, asked.first))
    length = 1 if first is None else end - first + 1
    at = end + ways * length
    begin = at - length + 1
    if at >= len(calendar.regular) or begin < 0 or at < 0:
        return None
    to = calendar.regular[at]
    if first is None:
        return Asked(to.fiscal_year, to.period)
    start = calendar.regular[begin]
    if start.fiscal_year == to.fiscal_year:
        return Asked(to.fiscal_year, to.period, start.period)
    return Asked(start=start.starts_on, end=to.ends_on)


def days_of(calendar: CalendarIndex, asked: Asked) -> tuple[date | None, date] | None:
    """First and last day of what is asked for; None where the calendar has no such period."""
    if asked.end is not None:
        return asked.start, asked.end
    year, period = asked.year or 0, -1 if asked.period is None else asked.period
    last = calendar.periods.get((year, period))
    regular = [row for row in calendar.regular if row.fiscal_year == year]
    first = calendar.periods.get((year, asked.first)) if asked.first is not None else None
    first = first or (regular[0] if regular else last)
    return (min(first.starts_on, last.starts_on), last.ends_on) if last and first else None


def in_periods(calendar: CalendarIndex, asked: Asked) -> Asked:
    """Days that are whole regular periods of one fiscal year, asked for by these; any others as they are.
    What is planned is planned by periods."""
    if asked.start is None or asked.end is None:
        return asked
    first = next((row for row in calendar.regular if row.starts_on == asked.start), None)
    last = next((row for row in calendar.regular if row.ends_on == asked.end), None)
    if (
        first is None
        or last is None
        or first.fiscal_year != last.fiscal_year
        or last.ends_on < first.starts_on
    ):
        return asked
    year = calendar.of_year(first.fiscal_year)
    begins = first == next(row for row in year if row.kind == "regular") and year[0].kind != "opening"
    by_period = replace(asked, start=None, end=None, year=last.fiscal_year, period=last.period)
    return replace(by_period, first=None if begins else first.period)


def before(calendar: CalendarIndex, asked: Asked, than: str) -> Asked | None:
    """The stretch to compare with: the one `before`, as long as this one, or that of the `year` before. None
    where
    there is none. Filter and columns are the caller's."""
    if than == "year":
        return _year_before(calendar, asked)
    if asked.end is None:
        return shifted_periods(calendar, asked, -1)
    days = shifted((asked.start or asked.end, asked.end), -1)
    if days is None:
        return None
    return Asked(start=days[0] if asked.start else None, end=days[1])


def _year_before(calendar: CalendarIndex, asked: Asked) -> Asked | None:
    if asked.end is not None:
        end = _a_year_earlier(asked.end)
        start = _a_year_earlier(asked.start) if asked.start else None
        return Asked(start=start, end=end) if end and (start or not asked.start) else None
    year = (asked.year or 0) - 1
    wanted = [asked.period, *([asked.first] if asked.first is not None else [])]
    if any((year, number) not in calendar.periods for number in wanted):
        return None
    return Asked(year, asked.period, asked.first)


def _a_year_earlier(day: date) -> date | None:
    """The same day; of 29 February the 28th, and of a month's last day the last."""
    if day.year <= date.min.year:
        return None
    last = _last_day(day.year - 1, day.month)
    is_last = day == _last_day(day.year, day.month)
    return last if is_last else day.replace(year=day.year - 1, day=min(day.day, last.day))


def looked_back(
    calendar: CalendarIndex, asked: Asked, stretch: str, title: str, across: list[PeriodColumn], column: int
) -> tuple[Asked, str] | None:
    """What to ask for to see what a column looks back to (`stretch` as formulas say it), and what the column
    is called there. None where there is no such stretch: before the calendar begins, of a total over periods,
    of a forecast."""
    if asked.forecast or (across and column >= len(across)):
        return None
    if across:
        return _period_looked_back(calendar, asked, stretch, across, column)
    then = before(calendar, asked, "year" if stretch == YEAR_BEFORE else "before")
    return (replace(then, filter=asked.filter, by=asked.by), title) if then else None


def _period_looked_back(
    calendar: CalendarIndex, asked: Asked, stretch: str, across: list[PeriodColumn], column: int
) -> tuple[Asked, str] | None:
    year, title = across[column].end // YEAR, across[column].title
    of_years = asked.periods == "years"
    if stretch == YEAR_BEFORE:
        wanted = title.replace(str(year), str(year - 1), 1)
        return (asked if of_years else replace(asked, year=(asked.year or 0) - 1)), wanted
    if column:
        return asked, across[column - 1].title
    numbers = [row.period for row in calendar.of_year(year - 1) if row.kind == "regular"]
    if of_years or not numbers:
        return None
    is_month = asked.periods == "months"
    name = f"{numbers[-1]:02d}" if is_month else f"Q{-(-len(numbers) // QUARTER)}"
    return replace(asked, year=year - 1, period=numbers[-1]), f"{year - 1}-{name}"
