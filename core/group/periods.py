"""The periods of a group in order, as indices: 0 is what was brought forward, 1 the first period."""

from __future__ import annotations

from bisect import bisect_right
from dataclasses import dataclass
from datetime import date, timedelta

from core.books.periods import CalendarIndex, ordinal
from core.definitions.tables import Period

BROUGHT_FORWARD = 0


@dataclass(frozen=True, slots=True)
class GroupPeriods:
    """`rows[i - 1]` is period i. Opening periods of the beginning belong to what was brought forward."""

    rows: tuple[Period, ...]
    index: dict[int, int]

    @property
    def last(self) -> int:
        return len(self.rows)

    def at(self, group_ordinal: int) -> int:
        """The index of a period by its ordinal; what is none of them lies before all."""
        return self.index.get(group_ordinal, BROUGHT_FORWARD)

    def first_from(self, group_ordinal: int) -> int:
        """The first period from an ordinal on."""
        return min((i for one, i in self.index.items() if one >= group_ordinal), default=self.last + 1)

    def last_to(self, group_ordinal: int) -> int:
        """The last period up to an ordinal; what was brought forward where there is none."""
        return max((i for one, i in self.index.items() if one <= group_ordinal), default=BROUGHT_FORWARD)

    def ends_on(self, i: int) -> date:
        """The last day of a period; the day before the first one for what was brought forward."""
        return self.rows[i - 1].ends_on if i else self.rows[0].starts_on - timedelta(days=1)

    def within(self, i: int) -> tuple[date, date]:
        """The days whose rates count for a period: its own; a year of them for what was brought forward."""
        if i:
            return self.rows[i - 1].starts_on, self.rows[i - 1].ends_on
        last = self.ends_on(0)
        return last - timedelta(days=364), last

    def holding(self, on: date) -> int:
        """The period that holds a day, the last of them; the one before where none does."""
        inside = [
            i for i in range(1, self.last + 1) if self.rows[i - 1].starts_on <= on <= self.rows[i - 1].ends_on
        ]
        if inside:
            return inside[-1]
        return max((i for i in range(1, self.last + 1) if self.rows[i - 1].ends_on < on), default=0)

    def is_closing(self, i: int) -> bool:
        return bool(i) and self.rows[i - 1].kind == "closing"

    def year(self, i: int) -> int:
        return self.rows[i - 1].fiscal_year if i else self.rows[0].fiscal_year - 1

    def end_of_year_before(self, i: int) -> int:
        """The last period of the year before that of i; what was brought forward where there is none."""
        return max((j for j in range(1, i) if self.year(j) < self.year(i)), default=0)


def group_periods(calendar: CalendarIndex) -> GroupPeriods:
    rows = sorted(calendar.periods.values(), key=lambda row: (row.fiscal_year, row.period))
    first = next((n for n, row in enumerate(rows) if row.kind != "opening"), len(rows))
    rows = rows[first:]
    return GroupPeriods(
        tuple(rows), {ordinal(row.fiscal_year, row.period): i for i, row in enumerate(rows, 1)}
    )


def latest(days: list[date], first: date | None, last: date) -> int:
    """The place of the latest day up to `last` and not before `first`; -1 where there is none."""
    at = bisect_right(days, last) - 1
    return at if at >= 0 and (first is None or days[at] >= first) else -1
