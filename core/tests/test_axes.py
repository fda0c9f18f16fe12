"""What stands down and across: codes, accounts, periods and levels, crossed with totals that agree."""

from __future__ import annotations

from random import Random
from typing import Any
from unittest import TestCase

import numpy as np

from core.analysis.amount_rows import AmountRows
from core.analysis.axes import (
    Axis,
    account_axis,
    crossed,
    field_axis,
    levels_of,
    levels_offered,
    period_axis,
    rows_of_line,
)
from core.analysis.filters import of_column, parse_filter
from core.analysis.period_columns import period_columns
from core.analysis.stretches import of_periods
from core.books.periods import calendar_index, ordinal
from core.definitions.tables import Code, Hierarchy, HierarchyNode, Statement, StatementLine
from core.faults import WrongCall
from core.statements.plans import plan
from core.structures.charts import chart_index
from core.tests import builders

ROWS: list[Any] = [
    Code("site", "9", "All", True, False),
    Hierarchy("sites", "site", "Sites", True),
    HierarchyNode("sites", "9"),
    HierarchyNode("sites", "002", "9"),
    Statement("inc", "Income", "c", "income_statement"),
    StatementLine("inc", "all", "", 1, "All", "heading"),
    StatementLine("inc", "sales", "all", 1, "Sales", "accounts", "4010"),
    StatementLine("inc", "ever", "", 2, "Ever", "result"),
    StatementLine("inc", "each", "", 3, "Each", "formula", "", "[sales] / 2"),
    Statement("bs", "Balances", "c", "balance_sheet"),
    StatementLine("bs", "bank", "", 1, "Bank", "accounts", "1010", side="debit"),
]
WORLD = builders.state(*ROWS)
FOUND_CHART, CALENDAR = chart_index(WORLD, "c"), calendar_index(WORLD, "m")
assert FOUND_CHART is not None
CHART = FOUND_CHART
Line = tuple[str, str, int, int]
"""account, site, period, amount"""


def rows_of(lines: list[Line]) -> AmountRows:
    naturals = tuple(sorted({line[0] for line in lines}))
    amounts = np.array([line[3] for line in lines], dtype=np.int64)
    return AmountRows(
        naturals,
        np.array([naturals.index(line[0]) for line in lines], dtype=np.int64),
        np.arange(len(lines)),
        np.zeros(len(lines), dtype=np.int64),
        np.array([ordinal(2026, line[2]) for line in lines], dtype=np.int64),
        np.zeros(len(lines), dtype=bool),
        np.maximum(amounts, 0),
        np.maximum(-amounts, 0),
        {i: f"10-{line[0]}-{line[1]}" for i, line in enumerate(lines)},
        {0: ""},
    )


def some_lines(seed: int) -> list[Line]:
    random = Random(seed)
    sites, accounts = ("001", "002", ""), ("1010", "4010", "5010")
    return [
        (random.choice(accounts), random.choice(sites), random.randint(1, 4), random.randint(-999, 999) or 1)
        for _ in range(40)
    ]


def by_hand(lines: list[Line], down: int, across: int) -> dict[tuple[Any, Any], int]:
    sums: dict[tuple[Any, Any], int] = {}
    for line in lines:
        sums[line[down], line[across]] = sums.get((line[down], line[across]), 0) + line[3]
    return sums


class Axes(TestCase):
    def test_accounts_and_codes_cross_with_totals_that_agree(self) -> None:
        for seed in range(10):
            lines = some_lines(seed)
            rows = rows_of(lines)
            found = crossed(account_axis(rows), field_axis(rows, CHART, "site"), rows.net)
            cells = {
                (a, s): int(found.amounts[i, j])
                for i, a in enumerate(found.down)
                for j, s in enumerate(found.across)
                if found.touched[i, j]
            }
            self.assertEqual(cells, by_hand(lines, 0, 1))
            self.assertEqual(found.across, ("001", "002", ""))
            total = sum(line[3] for line in lines)
            self.assertEqual((sum(found.row_totals), sum(found.column_totals), found.total), (total,) * 3)

    def test_periods_move_or_stand(self) -> None:
        lines = some_lines(3)
        rows = rows_of(lines)
        months = period_columns(CALENDAR, "months", 2026, 4, {2026})
        moved = crossed(account_axis(rows), period_axis(rows, months, frozenset(), stands=False), rows.net)
        stands = crossed(period_axis(rows, months, frozenset(), stands=True), account_axis(rows), rows.net)
        for i, account in enumerate(moved.down):
            for period in range(1, 5):
                own = [line[3] for line in lines if line[0] == account]
                upto = [line[3] for line in lines if line[0] == account and line[2] <= period]
                at = [line[3] for line in lines if line[0] == account and line[2] == period]
                if f"2026-{period:02d}" in moved.across:
                    column = moved.across.index(f"2026-{period:02d}")
                    self.assertEqual(int(moved.amounts[i, column]), sum(at))
                self.assertEqual(int(stands.amounts[period - 1, i]), sum(upto))
            self.assertEqual(stands.column_totals[i], sum(own))
        self.assertEqual((stands.down_runs, stands.across_runs), (True, False))
        self.assertEqual(stands.total, sum(line[3] for line in lines))

    def test_nothing_crosses_to_nothing(self) -> None:
        none = Axis((), np.zeros(0, dtype=np.int64))
        found = crossed(none, none, np.zeros(0, dtype=np.int64))
        self.assertEqual((found.row_totals, found.column_totals, found.total), ([], [], 0))

    def test_what_a_line_sums(self) -> None:
        lines, income = some_lines(5), plan(WORLD, "inc")
        assert income is not None
        rows, stretch = rows_of(lines), of_periods(CALENDAR, 2026, 3, 2)

        def sums(line: str, *, by_periods: bool = False, stands: bool = False) -> int:
            chosen = rows_of_line(rows, income, line, stretch, by_periods=by_periods, stands=stands)
            return int(chosen.net.sum())

        for line, periods, flags in (
            ("sales", (2, 3), {}),
            ("all", (1, 2, 3, 4), {"by_periods": True}),
            ("sales", (1, 2, 3), {"stands": True}),
        ):
            self.assertEqual(
                sums(line, **flags), sum(x[3] for x in lines if x[0] == "4010" and x[2] in periods)
            )
        ever = sum(x[3] for x in lines if x[0] in ("4010", "5010") and x[2] <= 3)
        self.assertEqual(sums("ever", stands=True), ever)
        balances = plan(WORLD, "bs")
        assert balances is not None
        for planned, line, says in (
            (income, "each", "Each is no sum of amounts: choose another line."),
            (income, "ever", "Ever holds the result as it stands: choose another line."),
            (balances, "bank", "Bank takes balances of one side, which a matrix can't tell."),
        ):
            with self.assertRaises(WrongCall) as refused:
                rows_of_line(rows, planned, line, stretch, by_periods=False, stands=False)
            self.assertEqual(refused.exception.faults[0].what, says)

    def test_codes_stand_for_what_is_above_them_on_a_level(self) -> None:
        lines = some_lines(7)
        above = levels_of(WORLD, CHART, ("site:1", "site", "accounts"))
        self.assertEqual(above, {"site:1": {"9": "9", "002": "9"}})
        rows = AmountRows(**{**vars(rows_of(lines)), "above": above})
        found = crossed(account_axis(rows), field_axis(rows, CHART, "site:1"), rows.net)
        self.assertEqual(found.across, ("001", "9", ""))
        self.assertEqual(found.column_totals[1], sum(line[3] for line in lines if line[1] == "002"))
        site, season = CHART.field("site"), CHART.field("season:1")
        assert site is not None and season is not None
        self.assertEqual((list(levels_offered(WORLD, site)), list(levels_offered(WORLD, season))), ([1], []))
        for text, code, expected in (
            ("site:1", "9", "x=1; site=under 9"),
            ("site:1", "001", "x=1; site=001"),
            ("site", "", "x=1; site=none"),
        ):
            self.assertEqual(of_column("x=1", CHART, text, code), expected)
        for act, says in (
            (
                lambda: levels_of(WORLD, CHART, ("season:1",)),
                "Season has no main hierarchy, and so no levels.",
            ),
            (
                lambda: levels_of(WORLD, CHART, ("site:0",)),
                "'site:0' is not written as a field and a level, as site:1.",
            ),
            (
                lambda: parse_filter(WORLD, CHART, "site:1=9"),
                "site:1: a filter asks for what is under a code, as site=under 1.",
            ),
        ):
            with self.assertRaises(WrongCall) as refused:
                act()
            self.assertEqual(refused.exception.faults[0].what, says)
