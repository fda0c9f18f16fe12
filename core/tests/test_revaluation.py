"""Revaluation: each balance once at the rate, whatever was done before, and what can't be is said."""

from __future__ import annotations

import random
import unittest
from datetime import date
from decimal import Decimal
from fractions import Fraction
from typing import Any

from core.books.journals import PostingContext
from core.closing.revaluation import (
    REVALUATION,
    ForeignBalance,
    accounts_revalued,
    closing_rate,
    revaluation,
)
from core.definitions.state import State
from core.definitions.tables import Chart, Code, Company, CompanyAccount, Period, Rate
from core.tests.rich_world import rich

CHART = Chart("c", "Chart", "s", exchange_account="4020")
RATES = [
    Rate("EUR", "GBP", "closing", date(2026, 1, 31), Decimal("0.85")),
    Rate("EUR", "GBP", "closing", date(2026, 1, 15), Decimal("0.84")),
    Rate("GBP", "USD", "closing", date(2026, 1, 31), Decimal("1.25")),
    Rate("JPY", "EUR", "closing", date(2026, 1, 31), Decimal("0.006")),
    Rate("EUR", "GBP", "average", date(2026, 1, 31), Decimal("0.9")),
    Rate("EUR", "GBP", "closing", date(2026, 2, 28), Decimal("0.99")),
]


def world(*more: Any) -> State:
    rows = [row for row in rich() if not isinstance(row, (Rate, Chart)) or row[0] == "d"]
    return State.of(
        [*rows, CHART, *RATES, Rate("EUR", "GBP", "closing", date(2026, 1, 31), Decimal("0.85")), *more]
    )


def held(account: str, currency: str, keyed: int, booked: int) -> ForeignBalance:
    return ForeignBalance(account, account.split("-")[1], "", "", currency, keyed, booked)


class Rates(unittest.TestCase):
    def test_directly_turned_round_or_through_a_third(self) -> None:
        state, days = world(), (date(2026, 1, 1), date(2026, 1, 31))
        for pair, rate in (
            (("EUR", "GBP"), Fraction(85, 100)),
            (("USD", "GBP"), Fraction(4, 5)),
            (("JPY", "GBP"), Fraction(6, 1000) * Fraction(85, 100)),
            (("KES", "GBP"), None),
        ):
            with self.subTest(pair):
                self.assertEqual(closing_rate(state, *pair, *days), rate)


class Revaluing(unittest.TestCase):
    def test_lines_bring_each_balance_to_the_rate_and_sum_to_zero(self) -> None:
        balances = [
            held("10-1010-", "EUR", 100_00, 80_00),
            held("10-2010-", "EUR", -50_00, -43_00),
            held("10-1010-", "JPY", 1_000, 6_00),
            held("10-1110-", "USD", 0, 3),  # settled: what is left of it is a difference
            held("10-1020-", "EUR", 100, 85),
        ]
        found = revaluation(world(), "alpha", 2026, 1, balances, PostingContext())
        self.assertEqual([str(fault) for fault in found.faults], [])
        self.assertEqual(
            [(line.account, line.amount, line.texts[1:3]) for line in found.lines],
            [
                ("10-1010-", 500, (REVALUATION, "EUR")),
                ("10-1010-", -90, (REVALUATION, "JPY")),
                ("10-1110-", -3, (REVALUATION, "USD")),
                ("10-2010-", 50, (REVALUATION, "EUR")),
                ("10-4020-", -457, ("", "")),
            ],
        )
        self.assertEqual((sum(line.amount for line in found.lines), found.difference), (0, 457))

    def test_done_again_after_rates_moved_only_the_rest_is_posted(self) -> None:
        """A random walk of rates: whatever was posted on the way, the last rate holds in the end."""
        for seed in range(30):
            rng = random.Random(seed)
            keyed, booked = rng.randint(-(10**9), 10**9), rng.randint(-(10**9), 10**9)
            for _ in range(4):
                worth = Decimal(rng.randint(1, 10**6)) / 10**5
                rate = Rate("NOK", "GBP", "closing", date(2026, 1, 31), worth)
                balance = held("10-1010-", "NOK", keyed, booked)
                found = revaluation(world(rate), "alpha", 2026, 1, [balance], PostingContext())
                self.assertEqual(sum(line.amount for line in found.lines), 0)
                booked += found.lines[0].amount if found.lines else 0
                self.assertLessEqual(abs(booked - keyed * Fraction(worth)), Fraction(1, 2))

    def test_what_stands_in_the_way(self) -> None:
        closed = Period("m", 2026, 1, "M1", date(2026, 1, 1), date(2026, 1, 31), "regular", "closed")
        eur = [held("10-1010-", "EUR", 100_00, 80_00)]
        for state, balances, said in (
            (
                world(),
                [held("10-1010-", "KES", 5, 5)],
                ["There is no closing rate of KES to GBP in the period."],
            ),
            (world(closed), eur, ["M1 is closed for company alpha."]),
            (
                world(Chart("c", "Chart", "s")),
                eur,
                ["Chart doesn't say which account takes differences of exchange."],
            ),
            (world(closed), [held("10-1010-", "EUR", 100, 85)], []),
        ):
            with self.subTest(said):
                found = revaluation(state, "alpha", 2026, 1, balances, PostingContext())
                self.assertEqual([fault.what for fault in found.faults], said)
        missing = revaluation(world(), "alpha", 2026, 99, eur, PostingContext())
        self.assertEqual(missing.faults[0].what, "alpha has no regular period 99 in 2026.")

    def test_accounts_are_marked_by_their_code_or_by_the_company(self) -> None:
        state = world(
            Code("acc", "1010", "Bank", account_class="asset", revalue=True),
            CompanyAccount("alpha", "1110", "EUR", True),
            Company("alpha", "Alpha", "GB", "GBP", "c", "m"),
        )
        self.assertEqual(accounts_revalued(state, "alpha"), frozenset({"1010", "1110"}))
        self.assertEqual(accounts_revalued(state, "beta"), frozenset({"1010"}))
        self.assertEqual(accounts_revalued(state, "nobody"), frozenset())
