"""Budgets: whatever is keyed, spread, grown or copied, nothing is lost and nothing else moves."""

from __future__ import annotations

from fractions import Fraction
from typing import Any
from unittest import TestCase

from hypothesis import given, strategies as st

from core.analysis.amount_rows import AmountRows
from core.books.periods import calendar_index
from core.budgets.by_key import SpreadKey, over_key_codes, over_key_periods
from core.budgets.cells import BudgetCell, BudgetSpan, BudgetYear, CellEdit
from core.budgets.fitting import approved_fault, budget_fault, misfits, new_string, with_code
from core.budgets.forecast import forecast_rows, last_regular
from core.budgets.grid import BudgetGrid
from core.budgets.keying import By, copied, grown, keyed, spread
from core.budgets.reading import Account, BudgetReader, read_amount
from core.budgets.sharing import shared_out
from core.definitions.tables import Budget, ChartSegment, Code, Statement, StatementLine
from core.faults import Refused, WrongCall
from core.statements.plans import plan
from core.structures.charts import company_context
from core.tests.builders import state
from core.tests.test_analysis import CHART, packs, rows_of

PERIODS = (1, 2, 3, 4)
NATURALS = ("4010", "5010", "5020")
STRINGS = [f"10-{natural}-{site}" for natural in NATURALS for site in ("001", "002")]
PLAN = Budget("b", "Plan", "c")
LINES = [
    Statement("inc", "Income", "c", "income_statement"),
    StatementLine("inc", "all", "", 1, "Result", "heading"),
    StatementLine("inc", "sales", "all", 1, "Sales", "accounts", "4010"),
    StatementLine("inc", "costs", "all", 2, "Costs", "accounts", "5*"),
    PLAN,
]
WORLD = state(*LINES)
big = st.integers(-(10**12), 10**12)
cells = st.dictionaries(
    st.builds(BudgetCell, st.sampled_from((*PERIODS, 13)), st.sampled_from(STRINGS)), big, max_size=12
)
scopes = st.sets(st.sampled_from(NATURALS), min_size=1)
spans = st.sets(st.sampled_from(PERIODS), min_size=1).map(lambda some: tuple(sorted(some)))


def natural(account: str) -> str:
    return account.split("-")[1]


def of(amounts: dict[BudgetCell, int]) -> BudgetYear:
    return BudgetYear(amounts, PERIODS, natural)


def fresh(name: str) -> tuple[str, str]:
    return f"10-{name}-001", ""


def site_of(string: tuple[str, str]) -> str:
    return string[0].split("-")[2]


def with_site(string: tuple[str, str], site: str) -> tuple[str, str]:
    return "-".join((*string[0].split("-")[:2], site)), string[1]


def told(refused: Refused) -> str:
    return " ".join(f"{fault.what} {fault.way_out}" for fault in refused.faults)


class Sharing(TestCase):
    @given(big, st.lists(st.integers(-(10**9), 10**9), min_size=1, max_size=20))
    def test_shares_add_up_and_lie_within_a_unit_of_their_part(self, amount: int, weights: list[int]) -> None:
        total = sum(weights)
        if not total:
            self.assertRaises(ValueError, shared_out, amount, weights)
            return
        shares = shared_out(amount, weights)
        self.assertEqual(sum(shares), amount)
        for share, weight in zip(shares, weights, strict=True):
            self.assertLess(abs(share - Fraction(amount * weight, total)), 1)

    def test_the_larger_remainder_comes_first_then_the_earlier(self) -> None:
        for amount, weights, shares in (
            (100, [1, 1, 1], [34, 33, 33]),
            (100, [1, 2, 4], [14, 29, 57]),
            (-100, [1, 1, 1], [-33, -33, -34]),
            (7, [3, -1], [11, -4]),
            (0, [5, 2], [0, 0]),
        ):
            with self.subTest(amount=amount, weights=weights):
                self.assertEqual(sum(shared_out(amount, weights)), amount)
                self.assertEqual(sorted(shared_out(amount, weights)), sorted(shares))


class Keyed(TestCase):
    @given(cells, cells, scopes, spans, big)
    def test_the_cells_come_to_what_was_keyed_and_no_other_moves(
        self, there: Any, before: Any, naturals: set[str], periods: tuple[int, ...], amount: int
    ) -> None:
        year = of(there)
        try:
            edits = keyed(year, before, naturals, periods, amount, fresh)
        except Refused:
            some = year.of(naturals, periods)
            self.assertTrue((some and not sum(some.values())) or len(naturals) > 1)
            return
        after = year.with_edits(edits)
        self.assertEqual(sum(after.of(naturals, periods).values()), amount)
        for cell in {*there, *after.cells}:
            if cell.period not in periods or natural(cell.account) not in naturals:
                self.assertEqual(after.cells.get(cell), there.get(cell))
        self.assertTrue(all(edit.was == there.get(edit.cell) != edit.now for edit in edits))

    @given(cells, scopes, spans)
    def test_emptied_cells_are_gone(self, there: Any, naturals: set[str], periods: tuple[int, ...]) -> None:
        year = of(there)
        self.assertEqual(
            year.with_edits(keyed(year, {}, naturals, periods, None, fresh)).of(naturals, periods), {}
        )

    def test_how_an_amount_is_spread(self) -> None:
        one, two = BudgetCell(1, STRINGS[0]), BudgetCell(2, STRINGS[0])
        other = BudgetCell(1, STRINGS[1])
        for there, before, periods, amount, after in (
            ({}, {}, (1,), -500, {one: -500}),
            ({}, {}, (1, 2), -501, {one: -250, two: -251}),
            ({}, {one: -10, two: -30}, (1, 2), -400, {one: -100, two: -300}),
            ({one: -100, two: -300}, {one: -7}, (1, 2), -800, {one: -200, two: -600}),
            ({one: -100, other: -300}, {}, (1,), -800, {one: -200, other: -600}),
            ({one: -100, other: -300}, {}, (2,), -800, {one: -100, other: -300, two: -200}),
            ({one: 0}, {}, (1,), -800, {one: -800}),
            ({one: -5}, {}, (1,), 0, {one: 0}),
        ):
            with self.subTest(there=there, before=before, amount=amount):
                year = of(there)
                edits = keyed(year, before, {"4010"}, periods, amount, fresh)
                cells = year.with_edits(edits).cells
                self.assertEqual({cell: cells[cell] for cell in after}, after)
                self.assertEqual(
                    sum(cells.values()),
                    sum(there.values()) + amount - sum(year.of({"4010"}, periods).values()),
                )

    def test_what_says_nothing_of_how_to_spread_is_refused(self) -> None:
        one, other = BudgetCell(1, STRINGS[0]), BudgetCell(1, STRINGS[1])
        for there, naturals, amount, words in (
            (
                {},
                {"4010", "5010"},
                5,
                "Nothing stands below it, and nothing was posted in the year before, to spread an amount by."
                " Key the accounts below it, or copy the figures of a year first.",
            ),
            (
                {one: 5, other: -5},
                {"4010"},
                7,
                "What stands there adds up to nothing, so an amount can't be spread in proportion. Key its"
                " accounts or periods one by one.",
            ),
            ({}, {"4010"}, 10**17, "The amount is out of range. Key a smaller one."),
            (
                {one: 10**10, other: 1 - 10**10},
                {"4010"},
                10**12,
                "An amount would be out of range. Choose a smaller one, or key its parts one by one.",
            ),
        ):
            with self.subTest(words=words), self.assertRaises(Refused) as caught:
                keyed(of(there), {}, naturals, (1,), amount, fresh)
            self.assertEqual(told(caught.exception), words)


class Spread(TestCase):
    @given(cells, cells, scopes, st.sampled_from(("evenly", "season")))
    def test_each_string_keeps_its_year(self, there: Any, before: Any, naturals: set[str], by: Any) -> None:
        year = of(there)
        try:
            after = year.with_edits(spread(year, before, naturals, by))
        except Refused as refused:  # a season that all but cancels asks for more than an amount can be
            words = "An amount would be out of range. Choose a smaller one, or key its parts one by one."
            self.assertEqual(told(refused), words)
            return
        for string in STRINGS:
            kept = [sum(a for c, a in some.items() if c.account == string) for some in (there, after.cells)]
            self.assertEqual(kept[0], kept[1])

    def test_a_season_is_the_account_s_of_the_year_before(self) -> None:
        year = of({BudgetCell(1, STRINGS[0]): 1200})
        before = {BudgetCell(p, STRINGS[1]): a for p, a in ((1, 10), (2, 20), (3, 30), (4, 60))}
        ways: list[tuple[By, list[int]]] = [("season", [100, 200, 300, 600]), ("evenly", [300] * 4)]
        for by, shares in ways:
            after = year.with_edits(spread(year, before, {"4010"}, by))
            self.assertEqual([after.cells[BudgetCell(p, STRINGS[0])] for p in PERIODS], shares)
        self.assertEqual(spread(year, {}, {"4010"}, "season"), [])

    @given(cells, cells, scopes, st.sampled_from(("periods", "sites")))
    def test_by_a_key_each_string_keeps_its_year_or_each_account_its_periods(
        self, there: Any, going: Any, naturals: set[str], over: str
    ) -> None:
        year, key = of(there), SpreadKey(going, "The key")
        try:
            if over == "periods":
                edits = over_key_periods(year, naturals, key)
            else:
                edits = over_key_codes(year, naturals, key.by_code(year, site_of), with_site)
        except Refused as refused:
            weights = [amount for cell, amount in going.items() if cell.period in PERIODS]
            words = "An amount would be out of range. Choose a smaller one, or key its parts one by one."
            nothing = (
                "The key come to nothing there, so nothing says how to spread. Choose other accounts, or"
                " another year or budget to take them from."
            )
            self.assertIn(told(refused), (words, nothing))
            self.assertEqual(told(refused) == nothing, not sum(weights))
            return
        after = year.with_edits(edits)

        def sums(some: BudgetYear) -> dict[Any, int]:
            found: dict[Any, int] = {}
            for cell, amount in some.cells.items():
                name = cell.account if over == "periods" else (natural(cell.account), cell.period)
                found[name] = found.get(name, 0) + amount
            return {name: amount for name, amount in found.items() if amount}

        self.assertEqual(sums(year), sums(after))
        for cell in {*there, *after.cells}:
            if cell.period not in PERIODS or natural(cell.account) not in naturals:
                self.assertEqual(after.cells.get(cell), there.get(cell))

    def test_how_a_key_spreads(self) -> None:
        year = of(
            {BudgetCell(1, STRINGS[0]): 900, BudgetCell(2, STRINGS[1]): 300, BudgetCell(2, "10-5010-"): 8}
        )
        heads = {
            BudgetCell(p, site): amount for p in PERIODS for site, amount in (("9-9-001", 1), ("9-9-002", 2))
        }
        key = SpreadKey({**heads, BudgetCell(3, "9-9-"): 60, BudgetCell(13, "9-9-001"): 5}, "9* of 2025")
        by_period = year.with_edits(over_key_periods(year, {"4010"}, key)).cells
        self.assertEqual([by_period[BudgetCell(p, STRINGS[0])] for p in PERIODS], [38, 38, 787, 37])
        weights = key.by_code(year, site_of)
        self.assertEqual(weights, {"001": 4, "002": 8}, "what has no site says nothing")
        by_site = year.with_edits(over_key_codes(year, NATURALS, weights, with_site)).cells
        expected = {
            BudgetCell(1, STRINGS[0]): 300,
            BudgetCell(1, STRINGS[1]): 600,
            BudgetCell(2, STRINGS[0]): 100,
            BudgetCell(2, STRINGS[1]): 200,
            BudgetCell(2, "10-5010-001"): 3,
            BudgetCell(2, "10-5010-002"): 5,
        }
        self.assertEqual(by_site, expected)

    @given(cells, st.integers(-99, 400))
    def test_growing_is_by_cell_and_copying_replaces(self, there: Any, per_cent: int) -> None:
        year, whole = of(there), {cell: amount for cell, amount in there.items() if cell.period in PERIODS}
        grew = year.with_edits(grown(year, NATURALS, PERIODS, Fraction(per_cent)))
        copy = of({BudgetCell(1, STRINGS[0]): 77})
        edits = copied(copy, there, NATURALS, PERIODS, Fraction(per_cent))
        self.assertEqual(copy.with_edits(edits).cells, grew.of(NATURALS, PERIODS))
        for cell, amount in whole.items():
            self.assertLessEqual(
                abs(grew.cells[cell] - amount * (1 + Fraction(per_cent, 100))), Fraction(1, 2)
            )

    def test_what_would_grow_out_of_range_is_refused(self) -> None:
        year = of({BudgetCell(1, STRINGS[0]): 10**16})
        with self.assertRaises(Refused) as caught:
            grown(year, NATURALS, PERIODS, Fraction(1000))
        self.assertEqual(
            told(caught.exception),
            "An amount would be out of range. Choose a smaller one, or key its parts one by one.",
        )


class Reading(TestCase):
    def test_amounts_as_they_are_keyed(self) -> None:
        named: dict[str, int | None] = {"before": 20_000, "now": None}
        for text, amount in (
            ("", None),
            ("-", None),
            ("1,234.50", 123_450),
            ("\u22125", -500),
            ("1 000", 100_000),
            ("=100/3", 3_333),
            ("=[before]*1.03", 20_600),
            ("=[now]+1", 100),
            ("=-(2+3)*4", -2_000),
        ):
            with self.subTest(text=text):
                self.assertEqual(read_amount(text, 2, named), amount)
        for text, words in (
            ("x", "x is no number. Write it like 1,234,567.50."),
            ("0.234", "The currency has 2 minor digits and this amount has 3."),
            ("=1/0", "The formula divides by nothing."),
            ("=[sales]", "[sales] is not known here; [before] and [now] are."),
            ("=1+", "A value is missing at the end."),
        ):
            with self.subTest(text=text), self.assertRaises(ValueError) as caught:
                read_amount(text, 2, named)
            self.assertEqual(str(caught.exception), words)

    def reader(self, there: dict[BudgetCell, int]) -> BudgetReader:
        def account(text: str, dimensions: str) -> Account:
            if "-" in text:
                return Account(natural(text), (text, dimensions), text)
            return Account(text, None, text)

        names = {str(period): period for period in PERIODS} | {"april": 4}
        year = of(there)
        return BudgetReader(year, {}, names, 2, account, lambda code: -1 if code[0] == "4" else 1, fresh)

    def test_rows_are_compared_before_they_are_taken(self) -> None:
        one = BudgetCell(1, STRINGS[0])
        reader = self.reader({one: -500})
        found = reader.read(
            [["Account", "1", "April", "Year"], ["4010", "7.00", "", ""], ["10-5010-002", "", "3", ""]]
        )
        self.assertEqual([row.kind for row in found.rows], ["changed", "new"])
        self.assertEqual(
            [row.differences for row in found.rows], [[("1", "5.00", "7.00")], [("april", "", "3.00")]]
        )
        self.assertEqual(
            found.edits, [CellEdit(one, -500, -700), CellEdit(BudgetCell(4, "10-5010-002"), None, 300)]
        )
        self.assertEqual(reader.read([["4010", "5.00"]]).rows[0].kind, "same")
        self.assertEqual(len(reader.read([["account", "year"], ["5020", "12"]]).edits), 4)

    def test_what_is_wrong_stands_in_its_row(self) -> None:
        reader = self.reader({})
        for rows, faults in (
            (
                [["account", "13"], ["4010", "1"]],
                [
                    "There is no column '13' here. Its columns are account, dimensions, year, and periods by"
                    " number or name."
                ],
            ),
            (
                [["4010", "1"], ["4010", "2"]],
                ["4010 stands twice, in row 1 too. Add them up."],
            ),
            (
                [["4010", "0.555"]],
                ["The currency has 2 minor digits and this amount has 3. Correct the amount."],
            ),
        ):
            with self.subTest(rows=rows):
                found = reader.read(rows)
                self.assertEqual([f"{fault.what} {fault.way_out}" for fault in found.faults], faults)
                self.assertEqual(found.edits, [])


class Fitting(TestCase):
    def test_an_account_without_cells_gets_a_string_of_its_own(self) -> None:
        world = state(*LINES, ChartSegment("c", "site", True, "001"))
        company = company_context(world, "alpha")
        assert company is not None
        self.assertEqual(new_string(company, "4010", {}), ("10-4010-001", ""))
        self.assertEqual(
            new_string(company, "4010", {"site": "002", "season": "SP26"}), ("10-4010-002", "season=SP26")
        )
        sites = company.chart.segments[2]
        self.assertEqual(
            with_code(company, ("10-4010-001", "season=SP26"), sites, ""), ("10-4010-", "season=SP26")
        )
        self.assertEqual(with_code(company, ("10-4010-001", ""), sites, "002"), ("10-4010-002", ""))
        (season,) = (field for field in company.chart.dimensions if field.name == "season")
        self.assertEqual(
            with_code(company, ("10-4010-001", ""), season, "SP26"), ("10-4010-001", "season=SP26")
        )
        self.assertEqual(with_code(company, ("10-4010-001", "season=SP26"), season, ""), ("10-4010-001", ""))
        with self.assertRaises(Refused) as caught:
            with_code(company, ("10-4010-001", ""), sites, "777")
        self.assertIn("777", told(caught.exception))
        bare = company_context(state(*LINES, ChartSegment("c", "site", True)), "alpha")
        assert bare is not None
        with self.assertRaises(Refused) as caught:
            new_string(bare, "4010", {})
        self.assertEqual(
            told(caught.exception),
            "Site must be given. Narrow the page to one code, as site=CODE, and key it there.",
        )

    def test_what_no_longer_fits_is_told_with_its_amount(self) -> None:
        closed = Code("acc", "4020", "Group sales", account_class="revenue", budgeting=False)
        world = state(*LINES, closed)
        company = company_context(world, "alpha")
        assert company is not None
        there = {
            BudgetCell(1, "10-4010-001"): 1,
            BudgetCell(1, "10-4020-001"): 2,
            BudgetCell(1, "10-4999-001"): 3,
            BudgetCell(17, "10-4010-001"): 4,
        }
        self.assertEqual(
            [
                (one.amount, one.fault.what)
                for one in misfits(world, company, PLAN, there, frozenset(PERIODS))
            ],
            [
                (2, "4020 Group sales is not open for budgets."),
                (3, "Account: there is no code 4999."),
                (4, "The calendar has no period 17 in this year."),
            ],
        )
        self.assertIsNone(budget_fault(world, company, PLAN, "4010"))
        kept = PLAN._replace(name="Heads", kind="statistics")
        refused = budget_fault(world, company, kept, "4010")
        what = "4010 Sales is no statistic, and Heads holds statistics."
        self.assertEqual(refused and refused.what, what)

    def test_an_approved_budget_stays_as_it_is(self) -> None:
        self.assertIsNone(approved_fault(Budget("b", "Plan", "c")))
        fault = approved_fault(Budget("b", "Plan", "c", True))
        assert fault is not None
        self.assertEqual(
            str(fault),
            "budgets, b, column approved, value 'true': Plan is approved: its lines stay as they are. Take"
            " the approval back first, or make another version of it.",
        )


class Grid(TestCase):
    @given(cells, cells)
    def test_lines_are_the_sums_of_their_accounts(self, there: Any, before: Any) -> None:
        planned = plan(WORLD, "inc")
        assert planned is not None
        across = (BudgetSpan("h1", "First half", (1, 2)), BudgetSpan("h2", "Second half", (3, 4)))
        grid = BudgetGrid(planned, of(there), before, across, 2, lambda _: True)
        rows = list(grid.rows(every_account=True, with_strings=True))
        self.assertEqual([row.key for row in rows if row.is_line], ["line:all", "line:sales", "line:costs"])
        for row in rows:
            if row.is_line and row.key != "line:all":
                parts = [r.shown for r in rows if r.line == row.line and not r.is_line and not r.string]
                sums = [sum(part[i] or 0 for part in parts) for i in range(grid.columns)]
                self.assertEqual([value or 0 for value in row.shown], sums)
            self.assertEqual(sum(value or 0 for value in row.shown[1:-1]), row.shown[-1] or 0)
            self.assertEqual(grid.row(row.key), row)
        self.assertIsNone(grid.row("account:9999"))


class Forecast(TestCase):
    @given(packs, packs, st.sampled_from(PERIODS))
    def test_it_is_the_actual_to_a_period_and_the_budget_after(
        self, actual: Any, budget: Any, period: int
    ) -> None:
        rows, planned = rows_of(actual), rows_of(budget)
        found = forecast_rows(rows, planned, 2026, period)
        cut = 2026 * 10_000 + period + 1

        def amounts(some: AmountRows, kept: Any) -> list[tuple[str, str, int, int]]:
            some = some.where(kept)
            return [
                (some.strings[s], some.combinations[c], int(t), int(n))
                for s, c, t, n in zip(some.string, some.combination, some.time, some.net, strict=True)
            ]

        within = (planned.time > cut) & (planned.time < 2027 * 10_000)
        expected = amounts(rows, rows.time <= cut) + amounts(planned, within)
        self.assertEqual(sorted(amounts(found, found.time > -1)), sorted(expected))
        self.assertEqual(
            CHART.natural_of(found.strings[int(found.string[0])]) if len(found) else "",
            (found.naturals[int(found.natural[0])] if len(found) else ""),
        )

    def test_it_ends_with_the_year(self) -> None:
        calendar = calendar_index(WORLD, "m")
        self.assertEqual(
            last_regular(calendar, 2026), max(p.period for p in calendar.of_year(2026) if p.kind == "regular")
        )
        with self.assertRaises(WrongCall) as caught:
            last_regular(calendar, 1999)
        self.assertEqual(caught.exception.faults[0].what, "There is no fiscal year 1999.")
