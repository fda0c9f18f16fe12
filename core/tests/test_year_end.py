"""A year's end: whatever stands on result accounts comes to nothing, and equity takes the sum."""

from __future__ import annotations

from datetime import date, timedelta
from typing import Any
from unittest import TestCase

from hypothesis import given, strategies as st

from core.books.journals import PostingContext
from core.books.periods import calendar_index
from core.changes.fixed import NOTHING_POSTED
from core.changes.kinds import Put, examine
from core.closing.year_end import ResultBalance, closing_period, next_period, still_running, year_end
from core.definitions.tables import Chart, ChartSegment, Company, Period
from core.tests.builders import state

CHART = Chart("c", "Chart", "s", result_account="3010")
WORLD = state(CHART)
balances = st.lists(
    st.builds(
        ResultBalance,
        st.sampled_from(("10-4010-001", "10-5010-", "10-5020-002")),
        st.just("4010"),
        st.sampled_from(("", "season=SP26")),
        st.sampled_from(("", "beta")),
        st.integers(-(10**15), 10**15),
    ),
    unique_by=lambda one: one[:4],
)


def told(world: Any, *more: Any, rules: PostingContext = PostingContext()) -> list[str]:
    one = ResultBalance("10-4010-001", "4010", "", "", -5)
    return [str(fault) for fault in year_end(world, "alpha", 2026, [one, *more], rules).faults]


class YearEnds(TestCase):
    @given(balances)
    def test_every_balance_comes_to_nothing_and_equity_takes_the_sum(self, some: list[ResultBalance]) -> None:
        end = year_end(WORLD, "alpha", 2026, some, PostingContext())
        self.assertEqual(end.faults, ())
        left = {one[:4]: one.amount for one in some}
        for line in end.closed:
            left[line.account, line.natural, line.dimensions, line.partner] += line.amount
        self.assertFalse(any(left.values()))
        self.assertEqual(sum(line.amount for line in end.lines), 0)
        self.assertEqual(end.result, -sum(one.amount for one in some))
        self.assertEqual([line.account for line in end.equity], ["10-3010-"] if end.result else [])
        places = {(line.fiscal_year, line.period) for line in end.lines}
        self.assertEqual(places, {(2026, 13)} if end.lines else set())
        self.assertEqual(end.is_ready, any(one.amount for one in some))

    def test_a_year_that_is_not_over_is_told(self) -> None:
        names = [row.name for row in sorted(WORLD.rows(Company), key=lambda row: row.company)][:2]
        companies = sorted(row.company for row in WORLD.rows(Company))[:2]
        regular = [row for row in WORLD.rows(Period) if row.fiscal_year == 2026 and row.kind == "regular"]
        last = max(row.ends_on for row in regular)
        cases = [
            (last, companies, f"2026 is still running: of {', '.join(names)} until {last}."),
            (last + timedelta(days=1), companies, ""),
            (last, companies[:1], f"2026 is still running: of {names[0]} until {last}."),
            (last, [], ""),
        ]
        for today, chosen, wanted in cases:
            more = " What is posted after this stays to be carried once more." if wanted else ""
            self.assertEqual(still_running(WORLD, chosen, 2026, today), wanted + more)

    def test_why_it_can_t_be_carried(self) -> None:
        at = date(2026, 4, 30)

        def closing(status: str) -> Period:
            return Period("m", 2026, 13, "Closing", at, at, "closing", status)

        self.assertEqual(told(WORLD), [])
        self.assertEqual(
            told(state()),
            [
                "charts, c, column result_account: Chart doesn't say which equity account takes the result."
                " Name it on the chart, in Registers."
            ],
        )
        self.assertEqual(
            told(state(CHART, closing("closed"))),
            ["periods: Closing is closed for company alpha. Choose a date in an open period."],
        )
        self.assertEqual(
            told(state(CHART, closing("restricted")), rules=PostingContext(restricted_in=frozenset())),
            [
                "periods: Closing is restricted for company alpha. Ask a group accountant to post it, or"
                " somebody who posts into restricted periods."
            ],
        )
        self.assertEqual(
            told(state(CHART, ChartSegment("c", "site", True))),
            ["column account, value '10-3010-': Site must be given. Give a code of site."],
        )
        self.assertEqual(
            [str(fault) for fault in year_end(WORLD, "alpha", 1999, [], PostingContext()).faults],
            ["companies, alpha: alpha has no fiscal year 1999. Add its periods."],
        )

    def test_where_it_goes_and_what_comes_after(self) -> None:
        calendar = calendar_index(WORLD, "m")
        self.assertEqual(getattr(closing_period(calendar, 2026), "period", None), 13)
        bare = calendar_index(state(without=(calendar.periods[2026, 13],)), "m")
        self.assertEqual(getattr(closing_period(bare, 2026), "period", None), 4)
        self.assertIsNone(closing_period(calendar, 1999))
        self.assertIsNone(next_period(calendar, 2026))
        self.assertEqual(getattr(next_period(calendar, 2025), "period", None), 1)

    def test_the_account_is_one_of_equity(self) -> None:
        for account, words in (
            ("3010", []),
            (
                "4010",
                [
                    "4010 Sales is not an equity account. Choose the account that takes the result at a"
                    " year's end."
                ],
            ),
            (
                "10",
                ["Account: 10 Cash is a rollup code and takes no amounts. Choose a posting code below it."],
            ),
            ("9999", ["Account: there is no code 9999. Choose a code of acc or add it there."]),
        ):
            with self.subTest(account=account):
                examined = examine(state(), Put(CHART._replace(result_account=account)), NOTHING_POSTED)
                self.assertEqual([f"{fault.what} {fault.way_out}" for fault in examined.faults], words)
