"""Rates that belong to the days of a period, when its days change."""

from __future__ import annotations

from datetime import date
from decimal import Decimal
from unittest import TestCase

from core.definitions.state import State
from core.definitions.tables import GroupMember, Period, Rate
from core.lost_rates import lost_rates, lost_rates_sentence
from core.tests.group_cases import company, definitions, group_row, period

JANUARY, FEBRUARY = period(2025, 1, 1), period(2025, 2, 2)
SHORT = JANUARY._replace(ends_on=date(2025, 1, 15))
LONG = FEBRUARY._replace(starts_on=date(2025, 1, 16))


def world(*periods: Period, days: tuple[date, ...] = (JANUARY.ends_on, FEBRUARY.ends_on)) -> State:
    rates = [Rate("USD", "EUR", kind, on, Decimal("0.9")) for kind in ("closing", "average") for on in days]
    return State.of(
        [
            *definitions(),
            *periods,
            group_row("g"),
            company("a"),
            company("b", "USD"),
            *(GroupMember("g", name) for name in "ab"),
            *rates,
        ]
    )


class LostRates(TestCase):
    def test_a_cut_that_leaves_its_rate_in_the_next_period_is_told(self) -> None:
        missing = lost_rates(world(JANUARY, FEBRUARY), world(SHORT, LONG))
        self.assertEqual(
            [str(one) for one in missing],
            [
                f"waits for the {kind} rate of USD to EUR between 2025-01-01 and 2025-01-15"
                for kind in ("closing", "average")
            ],
        )
        self.assertEqual(
            lost_rates_sentence(missing),
            "Groups then miss the closing rate of USD to EUR between 2025-01-01 and 2025-01-15 and 1 more:"
            " key them on the page of rates.",
        )

    def test_nothing_is_said_where_rates_stay_or_were_missing_before(self) -> None:
        both = (date(2025, 1, 10), JANUARY.ends_on, FEBRUARY.ends_on)
        cases = (
            (world(JANUARY, FEBRUARY), world(JANUARY, FEBRUARY)),
            (world(JANUARY, FEBRUARY, days=both), world(SHORT, LONG, days=both)),
            (world(JANUARY, FEBRUARY, days=()), world(SHORT, LONG, days=())),
            (world(JANUARY, FEBRUARY), world(JANUARY._replace(name="First"), FEBRUARY)),
            (world(FEBRUARY), world(JANUARY, FEBRUARY)),
        )
        for before, after in cases:
            self.assertEqual(lost_rates_sentence(lost_rates(before, after)), "")
