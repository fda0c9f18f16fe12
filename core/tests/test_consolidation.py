"""The cases worked out by hand, figure by figure (docs/consolidation-examples.md)."""

from __future__ import annotations

from datetime import date
from decimal import Decimal
from unittest import TestCase

from core.consolidation.position import Consolidation
from core.definitions.state import State
from core.definitions.tables import Acquisition, Elimination, GroupMember
from core.group_figures.results import results
from core.tests.group_cases import (
    amounts,
    company,
    consolidation,
    definitions,
    group_column,
    group_row,
    lines,
    period,
    rates,
    shown,
    unbalanced,
)

USD = [
    *rates(
        "USD", "closing", {date(2025, 1, 31): "0.90", date(2025, 2, 28): "0.92", date(2025, 3, 31): "0.95"}
    ),
    *rates("USD", "average", {date(2025, 2, 28): "0.91", date(2025, 3, 31): "0.94"}),
]
QUARTER = [period(2025, 1, 1), period(2025, 2, 2), period(2025, 3, 3), period(2025, 13, 3, closing=True)]


def stretch(group: Consolidation, start: int, end: int) -> dict[str, str]:
    """What a stretch of periods brought to the group's revenue and expense, in whole units."""
    found = results(group, group.position(end), start, end)
    total: dict[str, int] = {}
    for column in (*found.steps.values(), found.eliminated()):
        for target, amount in column.items():
            name = group.books.accounts.name(target)
            total[name] = total.get(name, 0) + amount
    return {name: f"{Decimal(amount) / 100:.2f}" for name, amount in sorted(total.items()) if amount}


class FirstCase(TestCase):
    """Two currencies, one purchase with a minority, one member by equity."""

    group: Consolidation

    @classmethod
    def setUpClass(cls) -> None:
        state = State.of(
            [
                *definitions(),
                *QUARTER,
                *USD,
                company("h"),
                company("s", "USD"),
                company("e"),
                group_row("g"),
                GroupMember("g", "h"),
                GroupMember("g", "s", "company", "full", Decimal(80), date(2025, 2, 1)),
                GroupMember("g", "e", "company", "equity", Decimal(25), date(2025, 2, 1)),
                Acquisition("g", "s", date(2025, 2, 1), "h", Decimal(80), "500.00", "1310", "1410"),
            ]
        )
        cls.group = consolidation(
            state,
            "g",
            {
                "h": lines(
                    """
                    2025/1: 1010 1000, 3010 -1000
                    2025/2: 1310 (s) 500, 1320 (e) 100, 1010 -600
                    2025/3: 1010 50, 4010 -50
                    2025/13: 4010 50, 3020 -50
                    """
                ),
                "s": lines(
                    """
                    2025/1: 1010 600, 3010 -500, 4010 -100
                    2025/2: 1010 40, 4010 -40
                    2025/3: 5010 10, 1010 -10
                    2025/13: 4010 140, 5010 -10, 3020 -130
                    """
                ),
                "e": lines(
                    """
                    2025/1: 1010 200, 3010 -200
                    2025/2: 1010 24, 4010 -24
                    2025/3: 1010 8, 4010 -8
                    2025/13: 4010 32, 3020 -32
                    """
                ),
            },
        )

    def test_march(self) -> None:
        found = self.group.position(3)
        self.assertEqual(unbalanced(found), [])
        self.assertEqual(
            group_column(self.group, found),
            amounts(
                "1010 1048.50, 1320 108.00, 1410 71.78, 3010 -1000.00, 3040 -28.98, "
                "3050 -119.70, 4010 -86.40, 4050 -8.00, 5010 9.40, 5050 5.40"
            ),
        )
        table = shown(self.group, found)
        self.assertEqual(table["3040"], {"h": "-3.78", "s": "-25.20", "group": "-28.98"})
        self.assertEqual(table["4050"], {"e": "-8.00", "group": "-8.00"})
        alone = stretch(self.group, 3, 3)
        self.assertEqual(alone, amounts("4010 -50.00, 4050 -2.00, 5010 9.40, 5050 -1.88"))

    def test_february(self) -> None:
        found = self.group.position(2)
        self.assertEqual(unbalanced(found), [])
        column = group_column(self.group, found)
        self.assertEqual((column["1410"], column["3040"]), ("69.51", "-11.43"))

    def test_closing(self) -> None:
        found = self.group.position(4)
        self.assertEqual(unbalanced(found), [])
        self.assertEqual(
            group_column(self.group, found),
            amounts(
                "1010 1048.50, 1320 108.00, 1410 71.78, 3010 -1000.00, 3020 -79.60, 3040 -28.98, 3050 -119.70"
            ),
        )


class SecondCase(TestCase):
    """Below a subgroup a half by proportionate and 30 by equity and a sale."""

    group: Consolidation

    @classmethod
    def setUpClass(cls) -> None:
        state = State.of(
            [
                *definitions(),
                *QUARTER,
                period(2026, 1, 4),
                period(2026, 2, 5),
                period(2027, 1, 6),
                *USD,
                *rates("USD", "closing", {date(2026, 4, 30): "0.98"}),
                *rates("USD", "average", {date(2026, 4, 30): "0.97"}),
                company("h"),
                company("s", "USD"),
                company("d"),
                company("a"),
                group_row("m"),
                group_row("w"),
                GroupMember("m", "h"),
                GroupMember("m", "w", "group", "full", Decimal(80)),
                GroupMember("m", "s", "company", "full", Decimal(80), date(2025, 2, 1), date(2026, 4, 30)),
                GroupMember("w", "d", "company", "proportionate", Decimal(50)),
                GroupMember("w", "a", "company", "equity", Decimal(30), date(2025, 2, 1), date(2026, 4, 30)),
                Acquisition("m", "s", date(2025, 2, 1), "h", Decimal(80), "500.00", "1310", "1410"),
                Elimination("m", "owed", 10, "", "1030, 2030", True, "3020"),
                Elimination("m", "trade", 20, "", "4030, 5030", True, "3020"),
            ]
        )
        cls.group = consolidation(
            state,
            "m",
            {
                "h": lines(
                    """
                    2025/1: 1010 1000, 3010 -1000
                    2025/2: 1310 (s) 500, 1010 -500, 5030 (d) 60, 2030 (d) -60
                    2025/13: 3020 60, 5030 (d) -60
                    2026/2: 1010 700, 1310 (s) -500, 4010 -200
                    """
                ),
                "s": lines(
                    """
                    2025/1: 1010 600, 3010 -500, 4010 -100
                    2025/2: 1010 40, 4010 -40
                    2025/13: 4010 140, 3020 -140
                    2026/1: 1010 20, 4010 -20
                    2026/2: 1010 70, 4010 -70
                    """
                ),
                "d": lines(
                    """
                    2025/1: 1010 300, 3010 -300
                    2025/2: 1030 (h) 60, 4030 (h) -60
                    2025/13: 4030 (h) 60, 3020 -60
                    """
                ),
                "a": lines(
                    """
                    2025/1: 1010 200, 3010 -200
                    2025/2: 1010 24, 4010 -24
                    2026/1: 1010 10, 4010 -10
                    """
                ),
            },
        )

    def test_march(self) -> None:
        found = self.group.position(3)
        self.assertEqual(unbalanced(found), [])
        self.assertEqual(
            group_column(self.group, found),
            amounts(
                "1010 1258.00, 1320 7.20, 1410 71.78, 2030 -30.00, 3010 -1120.00, 3040 -29.06, "
                "3050 -159.04, 4010 -36.40, 4050 -7.20, 5030 30.00, 5050 14.72"
            ),
        )
        self.assertEqual(found.outcome.disagreements, [])

    def test_closing(self) -> None:
        found = self.group.position(4)
        self.assertEqual(unbalanced(found), [])
        self.assertEqual(
            group_column(self.group, found),
            amounts(
                "1010 1258.00, 1320 7.20, 1410 71.78, 2030 -30.00, 3010 -1120.00, 3020 6.88, "
                "3040 -29.06, 3050 -159.04, 4050 -7.20, 5050 1.44"
            ),
        )

    def test_may(self) -> None:
        found = self.group.position(6)
        self.assertEqual(unbalanced(found), [])
        self.assertEqual(
            group_column(self.group, found),
            amounts(
                "1010 1350.00, 2030 -30.00, 3010 -1120.00, 3020 1.12, 3050 -36.00, 4010 -219.40, "
                "4050 -3.00, 4060 52.80, 5050 4.48"
            ),
        )
        self.assertEqual(
            stretch(self.group, 5, 6),
            amounts("4010 -219.40, 4050 -3.00, 4060 52.80, 5050 4.48"),
        )
        self.assertEqual(
            stretch(self.group, 5, 7),
            amounts("4010 -219.40, 4050 -3.00, 4060 52.80, 5050 4.48"),
        )

    def test_the_year_after(self) -> None:
        found = self.group.position(7)
        self.assertEqual(unbalanced(found), [])
        self.assertEqual(
            group_column(self.group, found),
            amounts("1010 1350.00, 2030 -30.00, 3010 -1120.00, 3020 36.00, 3050 -36.00, 4010 -200.00"),
        )


class ThirdCase(TestCase):
    """Dividends within, paid by two that are then sold, to a holder wholly and to one partly owned."""

    group: Consolidation

    @classmethod
    def setUpClass(cls) -> None:
        first, last = date(2025, 2, 1), date(2026, 4, 30)
        state = State.of(
            [
                *definitions(),
                *QUARTER,
                period(2026, 1, 4),
                period(2026, 2, 5),
                period(2026, 13, 5, closing=True),
                *(company(name) for name in ("h", "t", "a", "s")),
                group_row("k"),
                group_row("v"),
                GroupMember("k", "h"),
                GroupMember("k", "v", "group", "full", Decimal(80)),
                GroupMember("k", "t", "company", "full", Decimal(90), first, last),
                GroupMember("v", "a"),
                GroupMember("v", "s", "company", "full", Decimal(75), first, last),
                Acquisition("k", "t", first, "h", Decimal(90), "270", "1310", "1410"),
                Acquisition("k", "s", first, "a", Decimal(75), "600", "1310", "1410"),
                Elimination("k", "owed", 10, "", "1030, 2030", True, "3020"),
                Elimination("k", "trade", 20, "", "4030, 5030", True, "3020"),
                Elimination("k", "dividends", 30, "", "3020, 4040", True, "3020"),
            ]
        )
        cls.group = consolidation(
            state,
            "k",
            {
                "h": lines(
                    """
                    2025/1: 1010 1500, 3010 -1500
                    2025/2: 1310 (t) 270, 1010 -270
                    2026/1: 1010 36, 4040 (t) -36, 5030 (t) 10, 2030 (t) -10
                    2026/2: 1010 300, 1310 (t) -270, 4010 -30
                    2026/13: 4040 (t) 36, 4010 30, 5030 (t) -10, 3020 -56
                    """
                ),
                "t": lines(
                    """
                    2025/1: 1010 300, 3010 -300
                    2025/2: 1010 50, 4010 -50
                    2025/13: 4010 50, 3020 -50
                    2026/1: 3020 (h) 36, 3020 4, 1010 -40, 1030 (h) 10, 4030 (h) -10
                    """
                ),
                "a": lines(
                    """
                    2025/1: 1010 1000, 3010 -1000
                    2025/2: 1310 (s) 600, 1010 -600, 1010 60, 4040 (s) -60
                    2025/13: 4040 (s) 60, 3020 -60
                    2026/2: 1010 800, 1310 (s) -600, 4010 -200
                    """
                ),
                "s": lines(
                    """
                    2025/1: 1010 700, 3010 -700
                    2025/2: 1010 100, 4010 -100, 3020 (a) 60, 3020 20, 1010 -80
                    2025/13: 4010 100, 3020 -100
                    2026/1: 1010 40, 4010 -40
                    """
                ),
            },
        )

    def test_each_period(self) -> None:
        for p, expected in (
            (3, amounts("1010 2760.00, 1410 75.00, 3010 -2300.00, 3050 -430.00, 4010 -150.00, 5050 45.00")),
            (4, amounts("1010 2760.00, 1410 75.00, 3010 -2300.00, 3020 -105.00, 3050 -430.00")),
            (
                6,
                amounts(
                    "1010 2826.00, 2030 -10.00, 3010 -2300.00, 3020 -105.00, 3050 -252.00, "
                    "4010 -270.00, 4060 54.00, 5050 57.00"
                ),
            ),
            (
                7,
                amounts(
                    "1010 2826.00, 2030 -10.00, 3010 -2300.00, 3020 -125.00, 3050 -252.00, "
                    "4010 -240.00, 4030 -10.00, 4060 54.00, 5050 57.00"
                ),
            ),
        ):
            with self.subTest(period=p):
                found = self.group.position(p)
                self.assertEqual(unbalanced(found), [])
                self.assertEqual(group_column(self.group, found), expected)
