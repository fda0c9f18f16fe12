"""Calendars that change: which journals fall into another period, and what keeps them from it."""

from __future__ import annotations

from collections.abc import Collection
from datetime import date, timedelta
from itertools import pairwise
from unittest import TestCase

from hypothesis import given, strategies as st

from core.books.periods import calendar_index
from core.changes.fixed import Facts, transition_faults
from core.definitions.state import Edit, State
from core.definitions.tables import Calendar, Company, Period
from core.resorting import PostedDay, ResortedDay, not_resorted, resorted, resorted_sentence
from core.tests.builders import state

FIRST, DAYS = date(2026, 1, 1), 120
KINDS = ("general", "adjusting", "closing", "opening")
cuts = st.lists(st.integers(1, DAYS - 1), unique=True, min_size=1, max_size=5).map(sorted)
specials = st.lists(st.tuples(st.sampled_from(("closing", "opening")), st.integers(0, DAYS - 1)), max_size=2)
posted_days = st.lists(
    st.builds(
        PostedDay,
        st.sampled_from(("alpha", "beta")),
        st.integers(-3, DAYS + 2).map(lambda n: FIRST + timedelta(n)),
        st.sampled_from(KINDS),
        st.integers(1, 9),
    ),
    max_size=12,
)


def periods(name: str, at: list[int], more: list[tuple[str, int]], shut: int = 0) -> list[Period]:
    """Regular periods cut at some days, then special ones of a day each; the first `shut` are closed."""
    edges = [0, *at, DAYS]
    rows = [
        Period(name, 2026, n, f"P{n}", FIRST + timedelta(start), FIRST + timedelta(end - 1))
        for n, (start, end) in enumerate(pairwise(edges), 1)
    ]
    for n, (kind, day) in enumerate(more, len(rows) + 1):
        rows.append(Period(name, 2026, n, f"P{n}", FIRST + timedelta(day), FIRST + timedelta(day), kind))
    return [row._replace(status="closed") if row.period <= shut else row for row in rows]


def world(rows: list[Period], calendar: str = "n") -> State:
    companies = [Company(name, name, "GB", "GBP", "c", calendar) for name in ("alpha", "beta")]
    base = state(Calendar("n", "N"), Calendar("o", "O"))
    kept = [row for table in (Company,) for row in base.rows(table)]
    without = base.edited([Edit("companies", (row.company,), row, None) for row in kept])
    new = [Edit("companies", (row.company,), None, row) for row in companies]
    return without.edited([*new, *(Edit("periods", row[:3], None, row) for row in rows)])


class Resorting(TestCase):
    @given(cuts, specials, cuts, specials, posted_days, st.booleans())
    def test_just_the_days_in_another_period_are_moved(
        self,
        was: list[int],
        was_special: list[tuple[str, int]],
        now: list[int],
        now_special: list[tuple[str, int]],
        posted: list[PostedDay],
        to_another: bool,
    ) -> None:
        before = world(periods("n", was, was_special))
        name = "o" if to_another else "n"
        after = world([*periods("n", was, was_special), *periods("o", now, now_special)], "o")
        if not to_another:
            after = world(periods("n", now, now_special))
        asked: list[tuple[date, date]] = []

        def days(companies: Collection[str], start: date, end: date) -> list[PostedDay]:
            asked.append((start, end))
            return [one for one in posted if one.company in companies and start <= one.date <= end]

        found = resorted(before, after, days)
        old, new = calendar_index(before, "n"), calendar_index(after, name)
        expected = []
        for one in posted:
            places = [calendar.period_of(one.date, one.kind) for calendar in (old, new)]
            keys = [(place.fiscal_year, place.period) if place else None for place in places]
            if keys[0] != keys[1]:
                expected.append(ResortedDay(one, *places))
        self.assertCountEqual(found, expected)
        if (was, was_special) == (now, now_special):
            self.assertEqual(asked, [], "nothing is asked where no day can have moved")
        told = list(not_resorted(found))
        held = sum(day.posted.journals for day in found if day.now is None)
        self.assertEqual(held > 0, any(one.period is None for one in told))

    def test_closed_periods_neither_lose_nor_get_amounts(self) -> None:
        before, after = world(periods("n", [31, 59], [], 1)), world(periods("n", [28, 59], [], 1))
        posted = [
            PostedDay("alpha", date(2026, 1, 30), "general", 2),
            PostedDay("alpha", date(2026, 1, 31), "adjusting", 1),
            PostedDay("beta", date(2026, 1, 3), "general", 5),
        ]
        facts = Facts(
            lambda _: frozenset(),
            frozenset,
            frozenset,
            lambda _: frozenset(),
            posted_days=lambda companies, start, end: posted,
        )
        edits = [
            Edit("periods", row[:3], before.get(Period, *row[:3]), row)
            for row in after.rows(Period)
            if before.get(Period, *row[:3]) != row
        ]
        self.assertEqual(
            [str(fault) for fault in transition_faults(before, after, edits, facts)],
            [
                "periods, n 2026 1, column status, value 'closed': 3 journals of alpha, the first of"
                " 2026-01-30, would go from P1 to P2, and P1 is closed. Open it first, with the reason, and"
                " close it again then."
            ],
        )

    def test_a_day_needs_a_period(self) -> None:
        before, after = world(periods("n", [31], [])), world(periods("n", [31], [])[:1])
        posted = [PostedDay("beta", date(2026, 2, 3), "general", 1)]
        found = resorted(before, after, lambda *_: posted)
        self.assertEqual(
            [(one.company, one.period, one.what) for one in not_resorted(found)],
            [("beta", None, "1 journal of beta, the first of 2026-02-03, would fall into no period.")],
        )

    def test_what_moved_is_said(self) -> None:
        one = PostedDay("alpha", FIRST, "general", 1)
        (now,) = periods("n", [], [])
        for days, says in (
            ([], ""),
            ([one], "1 journal of 1 company stands in another period now"),
            (
                [one, one._replace(company="beta", journals=1200)],
                "1,201 journals of 2 companies stand in another period now",
            ),
        ):
            self.assertEqual(resorted_sentence([ResortedDay(day, None, now) for day in days]), says)
