"""Months, quarters and years side by side, each worked out as if it were asked for alone."""

from __future__ import annotations

from collections.abc import Collection
from typing import Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from core.analysis.stretches import known_period
from core.books.periods import YEAR, CalendarIndex, ordinal

Step = Literal["months", "quarters", "years"]
STEPS: tuple[Step, ...] = ("months", "quarters", "years")
QUARTER = 3
"""Regular periods of a quarter; what remains at a year's end is a quarter of its own."""


class PeriodColumn(NamedTuple):
    """A movement from `start` to `end` (ordinals of regular periods); `last_of_year`: closing periods of its
    year stand in it."""

    title: str
    start: int
    end: int
    last_of_year: bool

    @property
    def first(self) -> int:
        """The number of its first period."""
        return self.start % YEAR - 1

    def key(self, calendar: CalendarIndex, year: int, period: int) -> tuple[int, int]:
        """(year, period) at which what stands in it stands; of columns up to a period of a year."""
        own, last = self.end // YEAR, self.end % YEAR - 1
        if not self.last_of_year:
            return own, last
        return own, period if own == year else max(row.period for row in calendar.of_year(own))


def period_columns(
    calendar: CalendarIndex, step: Step, year: int, period: int, years_with_amounts: Collection[int]
) -> list[PeriodColumn]:
    """Up to a period of a year, the last column cut there. Years: those with amounts."""
    known_period(calendar, year, period)
    if step == "years":
        wanted = [y for y in calendar.years() if y <= year and y in years_with_amounts]
        return [column for y in wanted for column in _whole_year(calendar, y, period if y == year else None)]
    numbers = _regular(calendar, year, period)
    size = 1 if step == "months" else QUARTER
    columns = []
    for at in range(0, len(numbers), size):
        part = numbers[at : at + size]
        title = f"{year}-{part[0]:02d}" if step == "months" else f"{year}-Q{at // QUARTER + 1}"
        last = at + size >= len(numbers)
        columns.append(PeriodColumn(title, ordinal(year, part[0]), ordinal(year, part[-1]), last))
    return columns


def last_periods(calendar: CalendarIndex, year: int, period: int, count: int) -> list[PeriodColumn]:
    """The last regular periods up to one, across years; named as months are."""
    rows = [row for row in calendar.regular if (row.fiscal_year, row.period) <= (year, period)][-count:]
    lasts = {row.fiscal_year: row.period for row in rows}
    return [
        PeriodColumn(
            f"{row.fiscal_year}-{row.period:02d}",
            ordinal(row.fiscal_year, row.period),
            ordinal(row.fiscal_year, row.period),
            lasts[row.fiscal_year] == row.period,
        )
        for row in rows
    ]


def _regular(calendar: CalendarIndex, year: int, period: int | None) -> list[int]:
    rows = [row.period for row in calendar.of_year(year) if row.kind == "regular"]
    return [number for number in rows if period is None or number <= period]


def _whole_year(calendar: CalendarIndex, year: int, period: int | None) -> list[PeriodColumn]:
    numbers = _regular(calendar, year, period)
    if not numbers:
        return [PeriodColumn(str(year), ordinal(year, 0), ordinal(year, 0) - 1, True)]
    return [PeriodColumn(str(year), ordinal(year, numbers[0]), ordinal(year, numbers[-1]), True)]


def movement_places(columns: list[PeriodColumn], time: NDArray[np.int64]) -> NDArray[np.int64]:
    """By row the column in whose stretch it lies, or -1."""
    places = np.full(len(time), -1, dtype=np.int64)
    for i, column in enumerate(columns):
        places[(time >= column.start) & (time <= column.end)] = i
    return places


def standing_places(
    columns: list[PeriodColumn], time: NDArray[np.int64], in_closing: NDArray[np.bool_]
) -> NDArray[np.int64]:
    """By row the first column at whose end it stands; `len(columns)` for what comes after the last.

    What lies in a closing period stands in the last column of its year, whatever its number."""
    ends = [(c.end // YEAR + 1) * YEAR - 1 if c.last_of_year else c.end for c in columns]
    counted = np.where(in_closing, (time // YEAR + 1) * YEAR - 1, time)
    return np.searchsorted(np.array(ends, dtype=np.int64), counted, side="left").astype(np.int64)
