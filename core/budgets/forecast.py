"""A forecast: actual amounts up to a period, a budget's after it, to the end of the fiscal year."""

from __future__ import annotations

from core.analysis.amount_rows import AmountRows, together
from core.books.periods import YEAR, CalendarIndex, ordinal
from core.faults import WrongCall


def last_regular(calendar: CalendarIndex, year: int) -> int:
    """The number of a year's last regular period. Raises WrongCall where there is none."""
    regular = [period.period for period in calendar.of_year(year) if period.kind == "regular"]
    if not regular:
        raise WrongCall(f"There is no fiscal year {year}.")
    return regular[-1]


def forecast_rows(actual: AmountRows, budget: AmountRows, year: int, period: int) -> AmountRows:
    """Actual rows up to a period of a year with the budget's of the rest of that year; both timed by
    ordinals,
    both with account strings and dimensions."""
    cut = ordinal(year, period)
    later = (budget.time > cut) & (budget.time // YEAR == year)
    planned = budget.renumbered(1 + max(actual.strings, default=0), 1 + max(actual.combinations, default=0))
    return together([actual.where(actual.time <= cut), planned.where(later)]).with_texts(
        {**actual.strings, **planned.strings}, {**actual.combinations, **planned.combinations}
    )
