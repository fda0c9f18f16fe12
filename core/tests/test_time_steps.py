"""Stretches by unit and their neighbours."""

from __future__ import annotations

from dataclasses import replace
from datetime import date, timedelta
from unittest import TestCase

from hypothesis import given, strategies as st

from core.analysis.asked import Asked
from core.analysis.period_columns import last_periods, period_columns
from core.analysis.time_steps import (
    UNITS,
    Days,
    around,
    days_of,
    in_periods,
    shifted,
    shifted_periods,
    unit_of,
    whole_months,
)
from core.books.periods import calendar_index
from core.tests.builders import state

CALENDAR = calendar_index(state(), "m")
days = st.dates(date(1, 1, 1), date(9999, 12, 31))


def of(text: str) -> Days:
    start, _, end = text.partition(" ")
    return date.fromisoformat(start), date.fromisoformat(end or start)


class Steps(TestCase):
    def test_by_hand(self) -> None:
        for unit, on, stretch in (
            ("day", "2026-09-30", "2026-09-30"),
            ("week", "2026-09-30", "2026-09-28 2026-10-04"),
            ("week", "2026-09-28", "2026-09-28 2026-10-04"),
            ("month", "2024-02-10", "2024-02-01 2024-02-29"),
            ("quarter", "2026-12-31", "2026-10-01 2026-12-31"),
            ("half", "2026-07-01", "2026-07-01 2026-12-31"),
            ("year", "2026-07-01", "2026-01-01 2026-12-31"),
        ):
            with self.subTest(unit=unit, on=on):
                self.assertEqual(around(unit, date.fromisoformat(on)), of(stretch))  # type: ignore[arg-type]
        for start, ways, there in (
            ("2026-03-01 2026-03-31", -1, "2026-02-01 2026-02-28"),
            ("2026-01-01 2026-03-31", 1, "2026-04-01 2026-06-30"),
            ("2026-01-01 2026-02-28", -1, "2025-11-01 2025-12-31"),
            ("2026-09-28 2026-10-04", 1, "2026-10-05 2026-10-11"),
            ("2026-02-10 2026-02-28", 1, "2026-03-01 2026-03-19"),
            ("2024-01-01 2025-12-31", 1, "2026-01-01 2027-12-31"),
        ):
            with self.subTest(start=start, ways=ways):
                self.assertEqual(shifted(of(start), ways), of(there))

    @given(days, st.sampled_from(UNITS))
    def test_a_unit_knows_itself(self, on: date, unit: str) -> None:
        if on.year in (1, 9999):
            return
        stretch = around(unit, on)  # type: ignore[arg-type]
        self.assertTrue(stretch[0] <= on <= stretch[1])
        self.assertEqual(unit_of(stretch), unit)

    @given(days, st.integers(0, 900), st.sampled_from((1, -1)))
    def test_a_neighbour_follows_without_a_gap_and_leads_back(
        self, start: date, length: int, ways: int
    ) -> None:
        try:
            stretch = (start, start + timedelta(days=length))
        except OverflowError:
            return
        there = shifted(stretch, ways)
        if there is None:
            self.assertTrue(start.year < 5 or start.year > 9990)
            return
        gap = (there[0] - stretch[1]) if ways > 0 else (stretch[0] - there[1])
        self.assertEqual(gap.days, 1)
        if not whole_months(there) or whole_months(stretch):
            self.assertEqual(shifted(there, -ways), stretch)

    def test_periods_keep_their_kind_of_stretch(self) -> None:
        for asked, ways, there in (
            (Asked(2026, 2), 1, Asked(2026, 3)),
            (Asked(2026, 2, 2), -1, Asked(2026, 1, 1)),
            (Asked(2026, 2, 1), 1, Asked(2026, 4, 3)),
            (Asked(2026, 4, 3), 1, None),
            (Asked(2026, 1), -1, None),
            (Asked(2026, 13), -1, None),
            (Asked(2030, 1), 1, None),
        ):
            with self.subTest(asked=asked, ways=ways):
                self.assertEqual(shifted_periods(CALENDAR, asked, ways), there)

    def test_days_that_are_whole_periods_are_asked_for_by_these(self) -> None:
        for last in (row for row in CALENDAR.regular if row.fiscal_year == 2026):
            for first in (row for row in CALENDAR.regular if row.fiscal_year == 2026):
                if first.period > last.period:
                    continue
                by_days = Asked(start=first.starts_on, end=last.ends_on, budget="plan")
                asked = in_periods(CALENDAR, by_days)
                self.assertEqual((asked.year, asked.period, asked.budget), (2026, last.period, "plan"))
                self.assertEqual(days_of(CALENDAR, asked), (first.starts_on, last.ends_on))
                for days in (
                    replace(by_days, start=first.starts_on + timedelta(days=1)),
                    replace(by_days, end=last.ends_on - timedelta(days=1)),
                    replace(by_days, start=None),
                ):
                    self.assertEqual(in_periods(CALENDAR, days), days)

    def test_the_days_of_periods(self) -> None:
        self.assertEqual(days_of(CALENDAR, Asked(2026, 3)), of("2026-01-01 2026-03-31"))
        self.assertEqual(days_of(CALENDAR, Asked(2026, 3, 2)), of("2026-02-01 2026-03-31"))
        self.assertEqual(days_of(CALENDAR, Asked(end=date(2026, 3, 2))), (None, date(2026, 3, 2)))
        self.assertIsNone(days_of(CALENDAR, Asked(2030, 1)))

    def test_the_last_periods_end_their_years(self) -> None:
        columns = last_periods(CALENDAR, 2026, 13, 3)
        self.assertEqual([c.title for c in columns], ["2026-02", "2026-03", "2026-04"])
        self.assertEqual([c.last_of_year for c in columns], [False, False, True])
        months = period_columns(CALENDAR, "months", 2026, 13, ())
        self.assertEqual([c.key(CALENDAR, 2026, 13) for c in months][-1], (2026, 13))
        self.assertEqual((months[1].first, months[1].key(CALENDAR, 2026, 13)), (2, (2026, 2)))
