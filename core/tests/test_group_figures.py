"""What is told of a group's positions: columns, what figures are made of, equity, stakes, rates."""

from __future__ import annotations

from datetime import date
from decimal import Decimal
from fractions import Fraction
from itertools import permutations
from typing import Any
from unittest import TestCase

from core.books.periods import calendar_index, ordinal
from core.consolidation.position import Consolidation
from core.definitions.state import State
from core.definitions.tables import GroupMember, OwnershipChange, Rate, Statement, StatementLine
from core.faults import WrongCall
from core.group.ownership import days_of_change, stakes
from core.group.periods import group_periods
from core.group.rates import rate_table
from core.group_figures.columns import ADJUSTING, ELIMINATIONS, GROUP, OWNERSHIP, column_plan, column_title
from core.group_figures.equity_movement import (
    CAUSES,
    CLOSING,
    OPENING,
    RESULT_ROW,
    equity_movement,
    equity_sources,
)
from core.group_figures.line_cells import AXES, Axis, PeriodFigures, crossed_cells, line_cells
from core.group_figures.makeup import Span, own_amounts, period_amounts
from core.group_figures.proof import proofs
from core.group_figures.rate_history import rate_history
from core.group_figures.step_matrix import differences, step_entries, step_rows
from core.group_figures.sum_up import consolidate
from core.statements.figures import compute
from core.statements.plans import Plan, plan
from core.tests import test_consolidation
from core.tests.group_cases import company, consolidation, definitions, group_row, period, rates
from core.tests.test_group_properties import World

SEEDS = range(25)


class OfRandomGroups(TestCase):
    def test_columns_add_up_however_they_are_folded(self) -> None:
        """Folding moves amounts between columns; the group's own column never changes."""
        for seed in SEEDS:
            group = World.of(seed).group()
            for balance_sheet in (True, False):
                opened = consolidate(group, ordinal(2025, 2), ordinal(2025, 3), balance_sheet)
                with self.subTest(seed=seed, balance_sheet=balance_sheet):
                    matrix = opened.amounts.window
                    self.assertEqual(matrix[:, :-1].sum(axis=1).tolist(), matrix[:, -1].tolist())
                    self.assertEqual(len(opened.columns) + 2, matrix.shape[1])

    def test_equity_opens_with_what_it_closed_with_and_adds_up(self) -> None:
        for seed in SEEDS:
            group = World.of(seed).group()
            position = group.position(3)
            accounts = group.books.accounts
            rows = equity_movement(group, 3)
            stands = {row.target: row.closing for row in rows}
            raised: dict[int, int] = {}
            for entries in (*position.steps.values(), position.eliminated):
                for target, amount in entries.items():
                    key = target if accounts.is_equity(target) else RESULT_ROW
                    if accounts.is_equity(target) or accounts.is_result(target):
                        raised[key] = raised.get(key, 0) - amount
            with self.subTest(seed=seed):
                for row in rows:
                    self.assertEqual(row.opening + sum(row.causes.values()), row.closing, row)
                    self.assertEqual(tuple(row.causes), CAUSES)
                self.assertEqual(
                    {k: v for k, v in stands.items() if v}, {k: v for k, v in raised.items() if v}
                )
                for row in rows:
                    cells = {OPENING: row.opening, **row.causes, CLOSING: row.closing}
                    for column, shown in cells.items():
                        made_of = equity_sources(group, 3, row.target, column)
                        self.assertEqual(sum(made_of.values()), shown, (row.target, column, made_of))

    def test_own_accounts_make_up_what_is_translated(self) -> None:
        """Of each set of books: accounts, moved results and the reserve come to nothing together; the periods
        of an account come to the account."""
        for seed in SEEDS:
            group = World.of(seed).group()
            every = range(group.books.accounts.size)
            for books in group.books.sets:
                if books.company not in group.position(3).columns:
                    continue
                rows = own_amounts(group, books.name, Span(None, 3), every)
                one = next(s for s in group.sets[books.company] if s.books.name == books.name)
                with self.subTest(seed=seed, books=books.name):
                    self.assertEqual(
                        sum(row.translated for row in rows) + one.retained(3) + one.reserve(3), 0
                    )
                    for row in rows:
                        parts = list(period_amounts(group, books.name, Span(None, 3), row.own, row.target))
                        begins = max(one.first - 1, 0) if group.standings[books.company].base else 0
                        if begins == 0:
                            self.assertEqual(sum(part.amount for part in parts), row.amount, row)

    def test_the_matrix_comes_to_the_owners_equity(self) -> None:
        for seed in SEEDS:
            group = World.of(seed).group()
            position = group.position(3)
            rows = step_rows(group, position)
            accounts, minority = group.books.accounts, group.named.minority
            owners = -sum(
                amount
                for entries in (*position.steps.values(), position.eliminated)
                for target, amount in entries.items()
                if (accounts.is_equity(target) and target != minority) or accounts.is_result(target)
            )
            with self.subTest(seed=seed):
                total = sum(row.total("equity") for row in rows) + differences(group, position).equity
                self.assertEqual(total, owners)
                self.assertEqual({row.mark for row in rows} - {"ok", "look"}, set())
                for row in rows:
                    for step in row.cells:
                        if step != "elimination" and step not in ("books", "translation"):
                            entries = list(step_entries(group, position, step, row.name))
                            self.assertEqual(sum(entry.amount for entry in entries), 0)


class OfACase(TestCase):
    """The first case worked out by hand, told in other ways."""

    group: Consolidation

    @classmethod
    def setUpClass(cls) -> None:
        test_consolidation.FirstCase.setUpClass()
        cls.group = test_consolidation.FirstCase.group

    def test_own_accounts_with_the_rate_used(self) -> None:
        place = self.group.books.accounts.place
        rows = own_amounts(self.group, "s", Span(None, 3), {place["1010"], place["4010"]})
        self.assertEqual(
            [(row.own, row.kind, row.rate, row.amount, row.translated) for row in rows],
            [
                ("1010", "closing", Fraction(95, 100), 63_000, 59_850),
                ("4010", "average", None, -14_000, -3_640),
            ],
        )
        parts = period_amounts(self.group, "s", Span(2, 3), "5010", place["5010"])
        self.assertEqual([tuple(part) for part in parts], [(3, False, Fraction(94, 100), 1_000, 940)])

    def test_equity(self) -> None:
        rows = {
            self.group.books.accounts.name(row.target) if row.target != RESULT_ROW else "result": row
            for row in equity_movement(self.group, 3)
        }
        told = {
            name: (row.opening, {cause: v for cause, v in row.causes.items() if v}, row.closing)
            for name, row in rows.items()
        }
        self.assertEqual(
            told,
            {
                "3010": (0, {"capital": 100_000}, 100_000),
                "3040": (0, {"translation": 2_898}, 2_898),
                "3050": (0, {"ownership": 10_800, "result": 540, "translation": 630}, 11_970),
                "result": (0, {"result": 7_960}, 7_960),
            },
        )


def _state(*more: Any) -> State:
    return State.of([*definitions(), *(period(2025, n, n) for n in (1, 2, 3)), *more])


class Small(TestCase):
    def test_columns_fold_subgroups_and_gather_what_corrects(self) -> None:
        state = _state(
            *(company(name) for name in "habe"),
            company("hr", adjusts="h"),
            company("er", adjusts="e"),
            group_row("g"),
            group_row("k"),
            group_row("deep"),
            *(GroupMember("g", name) for name in "h"),
            GroupMember("g", "e", "company", "equity", Decimal(25)),
            GroupMember("g", "k", "group"),
            GroupMember("k", "a"),
            GroupMember("k", "deep", "group"),
            GroupMember("deep", "b"),
        )
        group = consolidation(state, "g", {})
        for opened, order in [
            (None, ("h", "a", "b")),
            ((), ("h", ":k")),
            (("k",), ("h", "a", ":deep")),
            (("k", "deep"), ("h", "a", "b")),
            (("deep",), ("h", ":k")),
        ]:
            plan = column_plan(group, opened)
            with self.subTest(opened=opened):
                self.assertEqual(plan.order, order)
                self.assertEqual(
                    [plan.of[name] for name in ("hr", "e", "er")], [ADJUSTING, OWNERSHIP, OWNERSHIP]
                )
                self.assertEqual(plan.column("minority", "h"), OWNERSHIP)
        titles = [column_title(group, name, {"h": "Holding"}) for name in ("h", ":k", OWNERSHIP, "x")]
        self.assertEqual(titles, ["Holding", "K", "Ownership", "x"])

    def test_stakes_on_a_day(self) -> None:
        state = _state(
            *(company(name) for name in "hab"),
            group_row("g"),
            group_row("k"),
            GroupMember("g", "h"),
            GroupMember("g", "k", "group", "full", Decimal(80)),
            GroupMember("k", "a", "company", "full", Decimal(50), date(2025, 2, 1), date(2025, 2, 28)),
            GroupMember("k", "b", "company", "proportionate", Decimal(40)),
            OwnershipChange("g", "k", date(2025, 3, 1), Decimal(90)),
        )
        self.assertEqual(days_of_change(state, "g"), [date(2025, 2, 1), date(2025, 3, 1)])
        for on, expected in [
            (date(2025, 2, 28), {"h": "1 0 True", "a": "2/5 3/5 True", "b": "8/25 1/5 True"}),
            (date(2025, 3, 1), {"h": "1 0 True", "a": "9/20 11/20 False", "b": "9/25 1/10 True"}),
        ]:
            told = {one.company: f"{one.share} {one.minority} {one.is_in}" for one in stakes(state, "g", on)}
            with self.subTest(on=on):
                self.assertEqual(told, expected)

    def test_rates_with_ways_gaps_and_jumps(self) -> None:
        months = {n: period(2025, n, n) for n in range(1, 7)}
        closing = {
            months[n].ends_on: rate for n, rate in ((1, "0.90"), (2, "0.901"), (3, "0.902"), (6, "1.2"))
        }
        state = State.of(
            [
                *definitions(),
                *months.values(),
                group_row("g"),
                *rates("USD", "closing", closing),
                Rate("EUR", "USD", "closing", months[4].ends_on, Decimal("1.11")),
            ]
        )
        table = rate_table(state, group_row("g"), group_periods(calendar_index(state, "cal")))
        told = [
            (row.number, row.closing.name if row.closing else "", row.jumps)
            for row in rate_history(table, "USD")
        ]
        self.assertEqual(
            told,
            [
                (0, "", False),
                (1, "directly", False),
                (2, "directly", False),
                (3, "directly", False),
                (4, "turned round", False),
                (5, "", False),
                (6, "directly", True),
            ],
        )


LINES = [
    Statement("st", "Statement", "gc", "balance_sheet"),
    StatementLine("st", "net", "", 0, "Net", "heading"),
    StatementLine("st", "assets", "net", 10, "Assets", "accounts", "1*"),
    StatementLine("st", "owing", "net", 20, "Owing", "accounts", "2*, 3*"),
    StatementLine("st", "result", "net", 30, "Result", "result"),
    StatementLine("st", "part", "", 40, "Part", "formula", "", "[assets] / [net]"),
    Statement("inc", "Income", "gc", "income_statement"),
    StatementLine("inc", "sales", "", 10, "Sales", "accounts", "4*"),
    StatementLine("inc", "costs", "", 20, "Costs", "accounts", "5*"),
]


class LinesAndProofs(TestCase):
    def test_a_reserve_is_what_it_opened_with_and_what_each_part_brought(self) -> None:
        for seed in SEEDS:
            group = World.of(seed).group()
            for p in (1, 2, 3):
                proven, without = proofs(group, p)
                with self.subTest(seed=seed, p=p):
                    self.assertEqual(without, {})
                    for one in proven:
                        parts = one.opening + one.net_assets + one.result + one.other
                        self.assertEqual(one.closing, parts + one.rounding, one.company)
                        self.assertLess(abs(one.rounding), 60, one)  # a unit for each amount

    def test_a_line_comes_to_its_figure_by_any_two_axes(self) -> None:
        for seed in SEEDS:
            group = World.of(seed).group(rates=LINES)
            for statement, start in (("st", 0), ("inc", ordinal(2025, 1))):
                planned = plan(group.state, statement)
                assert planned
                stands = statement == "st"
                ends = {f"2025-{i}": ordinal(2025, i) for i in (1, 2, 3)}
                parts = [
                    _of_period(group, planned, title, 0 if stands else end, end)
                    for title, end in ends.items()
                ]
                whole = _of_period(group, planned, "", start, ordinal(2025, 3))
                for at, line in enumerate(planned.lines):
                    if line.row.kind == "formula":
                        with self.assertRaisesMessage("Part is no sum of amounts: choose another line."):
                            line_cells(whole, line.row.line)
                        continue
                    order: dict[Axis, Any] = {"columns": whole.columns, "periods": [*ends]}
                    by_period = [cell for part in parts for cell in line_cells(part, line.row.line)]
                    for down, across in permutations(AXES, 2):
                        cells = by_period if "periods" in (down, across) else line_cells(whole, line.row.line)
                        told = crossed_cells(cells, down, across, order, stands=stands)
                        figure = whole.figures.lines[at].raw[-1]
                        with self.subTest(seed=seed, line=line.row.line, down=down, across=across):
                            rows = told.row_totals[-1:] if told.down_runs else told.row_totals
                            columns = told.column_totals[-1:] if told.across_runs else told.column_totals
                            self.assertEqual((sum(rows), sum(columns)), (figure, figure))

    def assertRaisesMessage(self, message: str) -> Any:
        return self.assertRaisesRegex(WrongCall, f"^{message}$")


def _of_period(group: Consolidation, planned: Plan, title: str, start: int, end: int) -> PeriodFigures:
    sums = consolidate(group, start, end, planned.statement.kind == "balance_sheet")
    figures = compute(planned, sums.amounts, 2)
    return PeriodFigures(title, planned, figures, sums.amounts, (*sums.columns, ELIMINATIONS, GROUP))
