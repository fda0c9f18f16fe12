"""Statistics: quantities stand or add up, stand beside money and are never part of it."""

from __future__ import annotations

from dataclasses import replace
from random import Random
from typing import Any
from unittest import TestCase

import numpy as np

from core import checks
from core.analysis.amount_rows import AmountRows
from core.analysis.column_sums import by_codes, by_periods, measure_of, one_column
from core.analysis.period_columns import period_columns
from core.analysis.stretches import of_periods
from core.books.periods import calendar_index, ordinal
from core.budgets.cells import BudgetCell, BudgetSpan, BudgetYear
from core.budgets.grid import BudgetGrid
from core.budgets.keying import keyed, spread
from core.budgets.statistics import as_movements, with_statistics
from core.codes.lists import list_index
from core.definitions.tables import Code, Statement, StatementLine
from core.statements.figures import Figures, compute
from core.statements.plans import Plan, plan
from core.structures.accounts import resolve
from core.structures.charts import company_context
from core.structures.offering import codes_offered
from core.tests import builders
from core.tests.test_analysis import CHART

ROWS: list[Any] = [
    Code("acc", "9010", "Staff", account_class="statistic", unit="heads"),
    Code("acc", "9020", "Drivers", account_class="statistic", unit="heads"),
    Code("acc", "9030", "Hours", account_class="statistic", unit="hours", adds_up=True),
    Statement("k", "Key figures", "c", "income_statement"),
    StatementLine("k", "net", "", 1, "Net", "heading"),
    StatementLine("k", "sales", "net", 1, "Sales", "accounts", "4010"),
    StatementLine("k", "hours", "net", 2, "Hours", "accounts", "9030"),
    StatementLine("k", "heads", "", 2, "Heads", "heading"),
    StatementLine("k", "staff", "heads", 1, "Staff", "accounts", "9010"),
    StatementLine("k", "drivers", "heads", 2, "Drivers", "accounts", "9020"),
    StatementLine("k", "each", "", 3, "Sales per head", "formula", "", "[sales] / [heads]"),
]
WORLD = builders.state(*ROWS)
ACCOUNTS, CALENDAR = list_index(WORLD, "acc"), calendar_index(WORLD, "m")
PERIODS = (1, 2, 3, 4)
SITES = ("001", "002")


def planned() -> Plan:
    found = plan(WORLD, "k")
    assert found is not None
    return found


class Kept:
    """Random quantities by account, site and period, and sales; in hundredths."""

    def __init__(self, seed: int) -> None:
        random = Random(seed)
        keys = [(n, s, p) for n in ("9010", "9020", "9030") for s in SITES for p in PERIODS]
        self.cells = {key: random.randint(1, 9_000) for key in keys if random.random() < 0.7}
        self.sales = {(s, p): -random.randint(1, 90_000) for s in SITES for p in PERIODS}

    def quantity(self, natural: str, first: int, last: int, sites: tuple[str, ...] = SITES) -> int:
        """As somebody would say it: what stands at the end, or what there was of hours from first to last."""
        begin = first if natural == "9030" else last
        within = range(begin, last + 1)
        return sum(v for (n, s, p), v in self.cells.items() if n == natural and s in sites and p in within)

    def rows(self) -> AmountRows:
        money = _rows([("4010", s, p, v) for (s, p), v in self.sales.items()])
        kept = _rows([(n, s, p, v) for (n, s, p), v in self.cells.items()])
        return as_movements(with_statistics(money, kept), ACCOUNTS, CALENDAR)


def _rows(cells: list[tuple[str, str, int, int]]) -> AmountRows:
    naturals = tuple(sorted({cell[0] for cell in cells}))
    numbers, amounts = np.arange(len(cells)), np.array([cell[3] for cell in cells])
    return AmountRows(
        naturals,
        np.array([naturals.index(cell[0]) for cell in cells]),
        numbers,
        np.zeros(len(cells), dtype=np.int64),
        np.array([ordinal(2026, cell[2]) for cell in cells]),
        np.zeros(len(cells), dtype=bool),
        np.maximum(amounts, 0),
        np.maximum(-amounts, 0),
        {i: f"10-{cell[0]}-{cell[1]}" for i, cell in enumerate(cells)},
        {0: ""},
    )


class Statistics(TestCase):
    def shown(self, figures: Figures, line: str, column: int = 0) -> int | None:
        return figures.lines[planned().index[line]].shown[column]

    def test_they_stand_or_add_up_and_leave_the_money_alone(self) -> None:
        made = planned()
        for seed in range(20):
            kept = Kept(seed)
            rows = kept.rows()
            for first in PERIODS:
                for last in range(first, 5):
                    figures = compute(
                        made,
                        one_column(
                            rows, made, of_periods(CALENDAR, 2026, last, first), measure_of(made)
                        ).amounts,
                        2,
                    )
                    sales = -sum(v for (_, p), v in kept.sales.items() if first <= p <= last)
                    heads = [kept.quantity(n, first, last) for n in ("9010", "9020")]
                    hours = kept.quantity("9030", first, last)
                    told = [
                        self.shown(figures, line) for line in ("net", "sales", "hours", "staff", "drivers")
                    ]
                    self.assertEqual(told, [sales, sales, hours, *heads])
                    self.assertEqual(self.shown(figures, "heads"), sum(heads))
                    if sum(heads):
                        each = self.shown(figures, "each")
                        self.assertAlmostEqual((each or 0) / 100, sales / sum(heads), delta=0.006)
                    else:
                        self.assertIsNone(self.shown(figures, "each"))

    def test_columns_tell_each_its_own(self) -> None:
        made, kept = planned(), Kept(3)
        rows, stretch = kept.rows(), of_periods(CALENDAR, 2026, 4, 1)
        sites = by_codes(rows, made, stretch, "movement", CHART, ("site",))
        figures = compute(made, sites.amounts, 2)
        for column, site in enumerate(SITES):
            self.assertEqual(self.shown(figures, "staff", column), kept.quantity("9010", 1, 4, (site,)))
        across = period_columns(CALENDAR, "months", 2026, 4, frozenset({2026}))
        figures = compute(made, by_periods(rows, made, stretch, "movement", across, frozenset()).amounts, 2)
        for line, natural in (("staff", "9010"), ("hours", "9030")):
            told = [self.shown(figures, line, column) for column in range(5)]
            months = [kept.quantity(natural, period, period) for period in PERIODS]
            self.assertEqual(told, [*months, sum(months) if line == "hours" else months[-1]])

    def test_where_nobody_kept_them_they_are_empty_and_not_zero(self) -> None:
        made = planned()
        money = replace(_rows([("4010", "001", 1, -500)]), has_statistics=False)
        figures = compute(made, one_column(money, made, of_periods(CALENDAR, 2026, 1), "movement").amounts, 2)
        told = [self.shown(figures, line) for line in ("sales", "hours", "heads", "each")]
        self.assertEqual(told, [500, None, None, None])

    def test_nothing_is_posted_to_them(self) -> None:
        company = company_context(WORLD, "alpha")
        assert company is not None
        (fault,) = resolve(company, "10-9010-001", "").faults
        self.assertEqual(
            (fault.code, fault.what, fault.way_out),
            (
                "code-statistic",
                "Account: 9010 Staff is a statistic and takes no amounts.",
                "Choose another account; its quantities are keyed in statistics, under Budgets.",
            ),
        )
        self.assertEqual(resolve(company, "10-9010-001", "", quantities=True).faults, ())
        field = company.chart.segments[company.chart.natural]
        day = CALENDAR.periods[(2026, 1)].starts_on
        self.assertEqual(codes_offered(WORLD, company, field, "90", day), [])

    def test_a_year_of_them_is_keyed_and_told_as_it_stands(self) -> None:
        def natural(account: str) -> str:
            return account.split("-")[1]

        there = {
            BudgetCell(1, "10-9010-001"): 100,
            BudgetCell(2, "10-9010-001"): 300,
            BudgetCell(2, "10-9010-002"): 100,
        }
        year = BudgetYear(there, PERIODS, natural, frozenset({"9010", "9020"}))
        whole = year.with_edits(keyed(year, {}, ["9010"], PERIODS, 800, lambda n: (f"10-{n}-001", "")))
        by_period = [sum(whole.of(["9010"], [period]).values()) for period in PERIODS]
        self.assertEqual(by_period, [800] * 4)
        self.assertEqual(whole.cells[BudgetCell(2, "10-9010-001")], 600)
        self.assertEqual(spread(whole, {}, ["9010"], "evenly"), [])
        spans = (BudgetSpan("q1", "Q1", (1, 2, 3)), BudgetSpan("q2", "Q2", (4,)))
        grid = BudgetGrid(planned(), year, {}, spans, 2, lambda _: True)
        rows = {row.key: row.shown for row in grid.rows(every_account=False, with_strings=True)}
        self.assertEqual(rows["account:9010"], (None, 400, None, None, 400))
        self.assertEqual(rows["string:10-9010-001|"], (None, 300, None, None, 300))
        self.assertEqual(rows["line:heads"], (None, 400, None, None, 400))
        self.assertEqual(grid.naturals_below(planned().index["net"]), ("4010",))

    def test_what_does_not_go_together_is_told(self) -> None:
        state = builders.state(
            *ROWS,
            StatementLine("k", "mix", "", 9, "Mixed", "accounts", "9010, 9030", sign="debit"),
            Code("acc", "9040", "Area", account_class="statistic"),
            Code("acc", "1030", "Till", account_class="asset", unit="m2"),
        )
        self.assertEqual(
            sorted(
                f.what for f in checks.of_everything(state) if f.where.table in ("codes", "statement_lines")
            ),
            [
                "1030 Till is no statistic: units and adding up are for those.",
                "9010 stands on two lines of Key figures: Staff and Mixed.",
                "9030 stands on two lines of Key figures: Hours and Mixed.",
                "9040 Area is a statistic without a unit.",
                "Mixed of Key figures mixes statistics of several units, or with money.",
            ],
        )
