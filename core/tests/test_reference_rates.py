"""Rates of periods out of daily reference rates, and the rows that a kept period locks."""

from __future__ import annotations

from datetime import date
from decimal import Decimal
from fractions import Fraction
from unittest import TestCase

from core.books.periods import ordinal
from core.changes.fixed import NOTHING_POSTED, transition_faults
from core.definitions.state import Edit, State
from core.definitions.tables import GroupMember, Rate
from core.group_figures.rate_history import waiting_by_period
from core.keeping.kept import figures_to_keep
from core.keeping.locks import KeptRates, LockedRate, keeping_it, locked_by
from core.reference_rates import DayRates, proposals
from core.tests.group_cases import company, consolidation, definitions, group_row, lines, period

USD = {"s": lines("2025/1: 1010 100, 3010 -100\n2025/2: 1010 10, 4010 -10")}
MONTHS = [period(2025, n, n) for n in (1, 2)]


def world(*rates: Rate, through: str = "") -> State:
    rows = [*definitions(), *MONTHS, group_row("g", rates_through=through), company("s", "USD")]
    return State.of([*rows, GroupMember("g", "s"), *rates])


def rate(text: str) -> Rate:
    one, other, kind, on, value = text.split()
    return Rate(one, other, kind, date.fromisoformat(on), Decimal(value))


class Proposed(TestCase):
    def test_what_is_missing_is_worked_out_from_days(self) -> None:
        days = [
            DayRates(date(2025, 1, 30), {"USD": Fraction(5, 4)}),
            DayRates(date(2025, 2, 10), {"USD": Fraction(5, 4)}),
            DayRates(date(2025, 2, 27), {"USD": Fraction(10, 9)}),
        ]
        group = consolidation(world(), "g", USD)
        rows, lacking = proposals(group, days, "EUR", 2)
        told = [(one.row.kind, str(one.row.on), str(one.row.rate), one.ground, one.now) for one in rows]
        self.assertEqual(
            told,
            [
                ("closing", "2025-01-31", "0.800000", "of 2025-01-30", None),
                ("closing", "2025-02-28", "0.900000", "of 2025-02-27", None),
                ("average", "2025-02-28", "0.850000", "mean of 2 days", None),
            ],
        )
        by_hand = "The historical rate of USD for 2025/1 is keyed by hand: none is published."
        self.assertEqual(lacking, [by_hand])
        known = consolidation(world(rate("USD EUR closing 2025-02-28 0.91")), "g", USD)
        rows, _ = proposals(known, [day for day in days if day.on.month == 2], "EUR", 2, of_period=True)
        self.assertEqual([one.now for one in rows], [Decimal("0.91"), None])
        cases: list[tuple[list[DayRates], list[str]]] = [
            (days[:1], ["No rates are published for 2025/2."]),
            (days[:2], ["2025/2 is not over: the newest rates are of 2025-02-10."]),
            (
                [days[0], DayRates(date(2025, 2, 28), {"GBP": Fraction(1)})],
                ["USD or EUR is not among the rates published for 2025/2."],
            ),
        ]
        for published, wanted in cases:
            self.assertEqual(proposals(group, published, "EUR", 2)[1], [by_hand, *wanted])

    def test_what_is_carried_into_a_period_needs_its_closing_rate(self) -> None:
        """Nothing moves in the second period: its balance sheet waits all the same, and no average does."""
        carried = {"s": lines("2025/1: 1010 100, 3010 -100")}
        known = [rate("USD EUR closing 2025-01-31 0.8"), rate("USD EUR historical 2025-01-31 0.8")]
        group = consolidation(world(*known), "g", carried)
        for p, wanted in ((1, {}), (2, {("closing", 2): ["s"]})):
            missing = {
                key: names
                for key, names in waiting_by_period(group, "USD", p).items()
                if next(group.rates.ways(key[0], "USD", key[1]), None) is None
            }
            self.assertEqual(missing, wanted)
            self.assertEqual(
                [*group.position(p).waiting], [name for names in wanted.values() for name in names]
            )
        days = [DayRates(date(2025, 2, 28), {"USD": Fraction(5, 4)})]
        rows, lacking = proposals(group, days, "EUR", 2)
        self.assertEqual([(one.row.kind, str(one.row.on)) for one in rows], [("closing", "2025-02-28")])
        self.assertEqual(lacking, [])

    def test_crosses_through_the_base(self) -> None:
        day = DayRates(date(2025, 2, 28), {"USD": Fraction(2), "EUR": Fraction(3)})
        rows, _ = proposals(consolidation(world(), "g", USD), [day], "GBP", 2, of_period=True)
        self.assertEqual(
            {(str(one.row.rate), one.ground.split(", ")[1]) for one in rows}, {("1.500000", "through GBP")}
        )


class Locked(TestCase):
    def test_what_was_taken_is_held_and_nothing_else(self) -> None:
        direct = world(
            rate("USD EUR closing 2025-01-15 0.8"),
            rate("USD EUR closing 2025-02-20 0.9"),
            rate("USD EUR average 2025-02-28 0.85"),
            rate("USD EUR historical 2024-01-01 0.7"),
        )
        group = consolidation(direct, "g", USD)
        kept = figures_to_keep(group, ordinal(2025, 1), ordinal(2025, 2))
        self.assertEqual(
            next((one.kind, one.last, one.rate) for one in kept.rates), ("average", "2025-02-28", "17/20")
        )
        locks = locked_by(group.rates, 2)
        self.assertIn(LockedRate("closing", "USD", "EUR", "2025-02-20", "2025-02-28"), locks)
        held = KeptRates("g", "February", "Mirela", locks)
        cases = [
            ("USD EUR closing 2025-02-20 1", True),
            ("USD EUR closing 2025-02-25 1", True),
            ("USD EUR closing 2025-02-10 1", False),
            ("USD EUR closing 2025-03-10 1", False),
            ("EUR USD closing 2025-02-28 1", False),
            ("USD EUR historical 2024-06-01 1", True),
            ("USD GBP closing 2025-02-20 1", False),
        ]
        for text, wanted in cases:
            with self.subTest(text):
                self.assertEqual(keeping_it([held], rate(text)) is not None, wanted)

    def test_other_ways_hold_what_would_go_before_them(self) -> None:
        turned = consolidation(world(rate("EUR USD closing 2025-01-31 1.25")), "g", USD)
        turned.rates.of("closing", "USD", 1)
        self.assertEqual(
            locked_by(turned.rates, 1),
            (
                LockedRate("closing", "EUR", "USD", "2025-01-31", "2025-01-31"),
                LockedRate("closing", "USD", "EUR", "2025-01-01", "2025-01-31"),
            ),
        )
        rows = (rate("USD GBP closing 2025-01-31 0.8"), rate("GBP EUR closing 2025-01-31 1.2"))
        through = consolidation(world(*rows, through="GBP"), "g", USD)
        through.rates.of("closing", "USD", 1)
        held = {(lock.from_currency, lock.to_currency) for lock in locked_by(through.rates, 1)}
        self.assertEqual(held, {("USD", "EUR"), ("EUR", "USD"), ("USD", "GBP"), ("GBP", "EUR")})

    def test_a_change_of_a_locked_row_is_refused(self) -> None:
        row = rate("USD EUR closing 2025-02-20 0.9")
        state = world(row)
        lock = LockedRate("closing", "USD", "EUR", "2025-02-20", "2025-02-28")
        facts = NOTHING_POSTED.__class__(
            NOTHING_POSTED.codes,
            NOTHING_POSTED.charts,
            NOTHING_POSTED.companies,
            NOTHING_POSTED.periods,
            kept_rates=lambda: (KeptRates("g", "February 2025", "Mirela", (lock,)),),
        )
        edit = Edit("rates", tuple(row[:4]), row, row._replace(rate=Decimal(1)))
        self.assertEqual(
            [fault.what for fault in transition_faults(state, state.edited([edit]), [edit], facts)],
            ["USD to EUR, closing, 2025-02-20: February 2025 of g is kept with its rates, by Mirela."],
        )
