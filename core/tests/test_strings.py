"""Account strings in the order in which a chart shows them, their dates, what is offered, calendars beside
one another."""

from __future__ import annotations

from datetime import date
from unittest import TestCase

from core.books.periods import calendar_index, shared_ordinals, stretch_name
from core.definitions.state import State
from core.definitions.tables import (
    AccountString,
    Calendar,
    Chart,
    ChartSegment,
    Code,
    Period,
    QuickCode,
)
from core.structures.accounts import date_faults, resolve
from core.structures.charts import ChartIndex, CompanyContext, chart_index, company_context
from core.structures.offering import dimensions_offered
from core.structures.quick_codes import as_kept, expand
from core.tests.builders import entry, state, told


def shown_first_account(*more: object) -> State:
    """The chart with its account shown first, then the company."""
    return state(
        ChartSegment("c", "company", True, "", 20),
        ChartSegment("c", "account", True, "", 10),
        ChartSegment("c", "site", False, "", 30),
        *more,
    )


def chart(world: State) -> ChartIndex:
    index = chart_index(world, "c")
    assert index
    return index


def seat(world: State, company: str = "alpha") -> CompanyContext:
    context = company_context(world, company)
    assert context
    return context


class Shown(TestCase):
    def test_kept_and_shown_are_each_other_s_way_back(self) -> None:
        index = chart(shown_first_account())
        self.assertFalse(index.shows_as_kept)
        for kept, shown in (("10-1010-001", "1010-10-001"), ("20-5010-", "5010-20-")):
            self.assertEqual(index.shown(kept), shown)
            self.assertEqual(index.kept(shown), kept)
        for text in ("1010", "1-2-3-4"):
            self.assertEqual(index.kept(text), text, "left for the checks to speak of")
        plain = chart(state())
        self.assertTrue(plain.shows_as_kept)
        self.assertEqual((plain.shown("10-1010-001"), plain.kept("10-1010-001")), ("10-1010-001",) * 2)
        self.assertEqual(plain.natural_of("10-1010-001"), "1010")

    def test_what_is_keyed(self) -> None:
        quick = QuickCode("c", "bank", account="10-1010-")
        world = shown_first_account(quick)
        for keyed, kept in (("1010-10", "10-1010-"), ("bank", "bank"), ("1010", "1010")):
            self.assertEqual(as_kept(world, seat(world), keyed), kept)
        plain = state(quick)
        self.assertEqual(as_kept(plain, seat(plain), "10-bank"), "10-bank")
        self.assertEqual(expand(plain, seat(plain), "bank", "season"), ("10-1010-", "season"))
        self.assertEqual(expand(plain, seat(plain), "bank", "season=SP26"), ("10-1010-", "season=SP26"))
        self.assertEqual(expand(plain, seat(plain), "10-1010", ""), ("10-1010", ""))


class Dates(TestCase):
    def test_a_string_that_is_not_in_use_says_by_which_code(self) -> None:
        world = state(
            Code("acc", "1020", "Petty cash", account_class="asset", in_use_from=date(2026, 3, 1)),
            Code("site", "002", "South", in_use_until=date(2026, 1, 31)),
        )
        listed = state(
            Chart("c", "Chart", "s", "listed_only"),
            AccountString("c", "10-1110-001", True, date(2026, 3, 1), None),
        )
        for definitions, text, why in (
            (world, "10-1020-001", "Account: 1020 Petty cash is in use from 2026-03-01."),
            (world, "10-1010-002", "Site: 002 South was in use until 2026-01-31."),
            (listed, "10-1110-001", "10-1110-001 is not in use on 2026-02-10."),
        ):
            with self.subTest(text):
                found = resolve(seat(definitions), text, "")
                self.assertEqual(told(date_faults(chart(definitions), found, date(2026, 2, 10))), [why])

    def test_a_lonely_word_is_no_string(self) -> None:
        self.assertEqual(
            told(resolve(seat(state()), "banks", "").faults),
            ["banks is neither a quick code nor an account string of Chart."],
        )

    def test_lines_of_nobody_and_in_no_currency(self) -> None:
        checked = entry(state(), ("10-1010", "5", "", {"line_company": "none"}), ("10-3010", "", "5"))
        self.assertIn("There is no company none.", told(checked.faults))
        checked = entry(state(), ("10-1010", "5", ""), ("10-3010", "", "5"), currency="QQQ")
        self.assertIn("QQQ is not an ISO 4217 currency.", told(checked.faults))

    def test_dimensions_offered(self) -> None:
        world = state()
        for text, offered in (
            ("", ["season="]),
            ("sea", ["season="]),
            ("season=A", ["season=AU26"]),
            ("season=SP26; sea", ["season=SP26; season="]),
            ("none=", []),
        ):
            with self.subTest(text):
                rows = dimensions_offered(world, seat(world), text, date(2026, 2, 1))
                self.assertEqual([row.text for row in rows], offered)


class Calendars(TestCase):
    def weeks(self) -> State:
        """A calendar of four-week periods beside the months."""
        rows = [
            Period("w", 2026, n, f"P{n}", date(2026, 1, 1 + 28 * (n - 1)), date(2026, 1, 28 * n))
            for n in (1,)
        ]
        rows += [
            Period("w", 2026, 2, "P2", date(2026, 1, 29), date(2026, 2, 25)),
            Period("w", 2025, 13, "P13", date(2025, 12, 4), date(2025, 12, 31)),
            Period("w", 2026, 9, "P9", date(2026, 8, 13), date(2026, 9, 9)),
            Period("w", 2026, 99, "Closing", date(2026, 4, 30), date(2026, 4, 30), "closing"),
        ]
        return state(Calendar("w", "Weeks"), *rows)

    def test_where_a_members_periods_count(self) -> None:
        world = self.weeks()
        own, group = calendar_index(world, "w"), calendar_index(world, "m")
        places = shared_ordinals(own, group)
        by_month = shared_ordinals(group, group)
        self.assertEqual(places[2025, 13], 0, "before the group's first: brought forward")
        self.assertEqual(places[2026, 1], by_month[2026, 1])
        self.assertEqual(places[2026, 2], by_month[2026, 2])
        self.assertEqual(places[2026, 99], by_month[2026, 13])
        self.assertNotIn((2026, 9), places)

    def test_what_a_stretch_is_called(self) -> None:
        months = calendar_index(state(), "m")
        for first, last, name in ((3, 3, "M3 alone"), (1, 3, "M3, year to date"), (2, 3, "M2 to M3")):
            self.assertEqual(stretch_name(months, 2026, first, last), name)
        self.assertEqual((months.first_period(2026), months.first_period(2030)), (1, 1))
