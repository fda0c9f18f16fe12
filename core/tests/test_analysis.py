"""Columns, filters and stretches of time: properties that hold for any amounts."""

from __future__ import annotations

from datetime import date
from typing import Any
from unittest import TestCase

import numpy as np
from hypothesis import given, strategies as st

from core.analysis.amount_rows import AmountRows, dated, last_days, rows_of_books, together
from core.analysis.asked import Asked, read_day
from core.analysis.axes import code_columns, fields_asked
from core.analysis.column_sums import (
    Columns,
    Measure,
    by_codes,
    by_periods,
    closing_by_codes,
    one_column,
    trial_rows,
)
from core.analysis.filters import parse_filter, toggled, with_condition
from core.analysis.hierarchy_plan import hierarchy_plan
from core.analysis.period_columns import STEPS, period_columns
from core.analysis.stretches import check_whole_periods, cut_periods, of_days, of_periods
from core.analysis.time_steps import before
from core.analysis.variances import (
    beside,
    formula_columns,
    in_tenths,
    per_cent,
    per_cent_columns,
    worked_out_column,
)
from core.books.balances import PostedColumns, books_of
from core.books.periods import calendar_index, closing_ordinals
from core.changes.fixed import NOTHING_POSTED
from core.changes.kinds import Drop, Put, apply, examine
from core.definitions.tables import Budget, ChartDimension, ColumnSet, Company, Statement, StatementLine
from core.faults import WrongCall
from core.statements.amounts import Amounts
from core.statements.bridge import bridge
from core.statements.figures import Figure, Figures, compute
from core.structures.charts import chart_index
from core.tests.builders import ACCOUNTS, state
from core.tests.rich_world import rich_state
from core.tests.test_figures import BALANCE, line, planned

INCOME: list[Any] = [
    Statement("inc", "Income", "c", "income_statement"),
    *(StatementLine(*("inc", *row[1:])) for row in (line("sales", "", "accounts", "4*"),)),
    StatementLine("inc", "ever", "", 20, "Ever", "result"),
]
WORLD = state(*BALANCE, *INCOME)
CALENDAR = calendar_index(WORLD, "m")
found = chart_index(WORLD, "c")
assert found is not None
CHART = found
CODES = [code for code, _, _ in ACCOUNTS]
SITES, SEASONS = ("", "001", "002"), ("", "SP26", "AU26")
STRINGS = {i: f"10-{code}-{site}" for i, (code, site) in enumerate((c, s) for c in CODES for s in SITES)}
COMBINATIONS = {0: "", 1: "season=SP26", 2: "season=AU26"}
PERIODS = (-1, 1, 2, 3, 4, 13)
amounts = st.tuples(
    st.sampled_from(sorted(STRINGS)),
    st.sampled_from(sorted(COMBINATIONS)),
    st.sampled_from(PERIODS),
    st.booleans(),
    st.one_of(st.integers(-(10**6), 10**6), st.integers(-(10**17), 10**17)).filter(bool),
)
packs = st.lists(amounts, max_size=40)


def rows_of(pack: list[tuple[int, int, int, bool, int]]) -> AmountRows:
    columns = [list(column) for column in zip(*pack, strict=True)] or [[] for _ in range(5)]
    natural = [STRINGS[number].split("-")[1] for number in columns[0]]
    posted = PostedColumns(
        natural, [0] * len(pack), columns[0], columns[1], columns[2], columns[3], columns[4]
    )
    books = books_of("alpha", 2026, 1, posted)
    return rows_of_books([books], CALENDAR).with_texts(STRINGS, COMBINATIONS)


def window(columns: Columns) -> list[list[int]]:
    return [[int(v) for v in row] for row in columns.amounts.window]


def standing(columns: Columns) -> list[list[int]]:
    return [[int(v) for v in row] for row in columns.amounts.cumulative]


MEASURES: tuple[Measure, ...] = ("standing", "movement", "movement_with_closing")


class PerCent(TestCase):
    def test_of_a_line_and_of_what_was(self) -> None:
        plan = planned(WORLD, "inc")
        lines = [
            Figure(line, (0, 0, 0), shown)
            for line, shown in zip(plan.lines, ((200, -80, 280), (-67, None, 0)), strict=True)
        ]
        figures = Figures(tuple(lines), (), Amounts(np.zeros((0, 3)), np.zeros((0, 3))))
        titles = ("amount", "budget", "variance")
        found = [
            (one.title, [in_tenths(per_cent(figures, line, one)) for line in lines])
            for one in per_cent_columns(plan, titles, "sales")
        ]
        expected = [
            ("% of Sales", ["100.0", "\u221233.5"]),
            ("% of Sales", ["100.0", ""]),
            ("variance %", ["350.0", ""]),
        ]
        self.assertEqual(found, expected)
        self.assertEqual([one.title for one in per_cent_columns(plan, titles, "none")], ["variance %"])

    def test_columns_are_worked_out_of_others(self) -> None:
        columns = ("WEB", "2026-Q1", "none", "310 / WEB", "total")
        figure = Figure(planned(WORLD, "inc").lines[0], (), (1000, 2001, None, 0, 3003))
        for text, expected in (
            ("Rest = [total] - [WEB]", [("Rest", 2003)]),
            ("Share = [WEB] / [total] * 100", [("Share", 3330)]),
            ("A = [1] + [2026-Q1]; B = -[ 310  /  WEB ]", [("A", 3001), ("B", 0)]),
            ("Half = [2] / 2", [("Half", 1001)]),
            ("None = [none] + 1; Nil = [1] / [4]", [("None", None), ("Nil", None)]),
            (" ; ", []),
        ):
            with self.subTest(text):
                found = formula_columns(text, columns)
                told = [(one.title, worked_out_column(figure, one, 2)) for one in found]
                self.assertEqual(told, expected)
        for text, says in (
            ("[WEB] - 1", "'[WEB] - 1' is not written as Title = [first] - [second]."),
            ("= [WEB]", "'= [WEB]' is not written as Title = [first] - [second]."),
            ("total = [WEB]", "'total' can't be a title: a column has it, or it is over 60 long."),
            ("A = [web]", "There is no column web; there are WEB, 2026-Q1, none, 310 / WEB, total."),
            ("A = [6]", "There is no column 6; there are WEB, 2026-Q1, none, 310 / WEB, total."),
            ("A = [WEB] +", "A: A value is missing at the end."),
            ("A = 1;" * 9, "At most 8 columns are worked out at once."),
        ):
            with self.subTest(text):
                with self.assertRaises(WrongCall) as caught:
                    formula_columns(text, columns)
                self.assertEqual(caught.exception.faults[0].what, says)
        self.assertEqual([one.title for one in formula_columns("A = [any] - [thing at all]")], ["A"])


class Sums(TestCase):
    @given(packs, st.sampled_from(("season", "site", "site,season", "account")), st.sampled_from(MEASURES))
    def test_codes_and_none_are_the_unfiltered_figure(self, pack: Any, by: str, measure: Measure) -> None:
        rows, stretch, fields = rows_of(pack), of_periods(CALENDAR, 2026, 13), fields_asked(CHART, by)
        for statement in ("st", "inc"):
            plan = planned(WORLD, statement)
            alone = one_column(rows, plan, stretch, measure)
            columns = by_codes(rows, plan, stretch, measure, CHART, fields)
            for row, whole in zip(window(columns), window(alone), strict=True):
                self.assertEqual(sum(row[:-1]), row[-1])
                if any(row):
                    self.assertEqual(row[-1], whole[0])
            figures = [compute(plan, one.amounts, 2) for one in (alone, columns)]
            totals = [[f.shown[-1] for f in one.lines] for one in figures]
            self.assertEqual(totals[0], totals[1])

    @given(packs, st.sampled_from(("season=SP26", "site=001; season=none", "account=4*, 10* except 1020")))
    def test_a_filter_and_what_it_leaves_out_are_all(self, pack: Any, text: str) -> None:
        rows, plan, stretch = rows_of(pack), planned(WORLD), of_periods(CALENDAR, 2026, 4)
        fitting = rows.fitting(CHART, parse_filter(WORLD, CHART, text))
        kept = {tuple(key) for key in zip(fitting.string.tolist(), fitting.combination.tolist(), strict=True)}
        every = zip(rows.string.tolist(), rows.combination.tolist(), strict=True)
        rest = rows.where(np.array([key not in kept for key in every], dtype=bool))
        parts = [window(one_column(part, plan, stretch, "standing")) for part in (fitting, rest, rows)]
        by_account = [
            dict(zip(self.names(part), rows_, strict=True))
            for part, rows_ in zip((fitting, rest, rows), parts, strict=True)
        ]
        for name, (amount,) in by_account[2].items():
            self.assertEqual(sum(by_account[i].get(name, [0])[0] for i in (0, 1)), amount)

    def names(self, rows: AmountRows) -> list[str]:
        """Accounts in the order of the sums."""
        listed = planned(WORLD).accounts
        return [*listed.posting, *(name for name in rows.naturals if name not in listed.position)]

    @given(packs, st.sampled_from(STEPS), st.sampled_from((1, 3, 4, 13)))
    def test_columns_by_periods_add_up(self, pack: Any, step: Any, last: int) -> None:
        rows, stretch = rows_of(pack), of_periods(CALENDAR, 2026, last)
        across = period_columns(CALENDAR, step, 2026, last, {2026})
        closing = closing_ordinals(CALENDAR)
        for statement, measure in (("inc", "movement"), ("st", "standing"), ("inc", "movement_with_closing")):
            plan = planned(WORLD, statement)
            columns = by_periods(rows, plan, stretch, measure, across, closing)  # type: ignore[arg-type]
            alone = one_column(rows, plan, stretch, measure)  # type: ignore[arg-type]
            self.assertEqual([row[-1] for row in standing(columns)], [row[0] for row in standing(alone)])
            if measure == "movement":
                self.assertEqual([row[-1] for row in window(columns)], [row[0] for row in window(alone)])
                self.assertEqual([sum(row[:-1]) for row in window(columns)], [r[-1] for r in window(columns)])

    @given(packs, st.sampled_from((1, 2, 3, 4)), st.sampled_from(MEASURES))
    def test_days_of_whole_periods_are_periods(self, pack: Any, last: int, measure: Measure) -> None:
        rows, plan = rows_of(pack), planned(WORLD, "inc")
        whole = of_periods(CALENDAR, 2026, last, 1)
        first, end = CALENDAR.periods[2026, 1].starts_on, CALENDAR.periods[2026, last].ends_on
        days = of_days(first, end)
        self.assertEqual([p.name for p in cut_periods(CALENDAR, days)], [])
        by_day = one_column(dated(rows, CALENDAR), plan, days, measure)
        by_period = one_column(rows, plan, whole, measure)
        if last < 4:  # the closing period ends with the last regular one, so that day has its journals too
            self.assertEqual((window(by_day), standing(by_day)), (window(by_period), standing(by_period)))

    @given(packs)
    def test_a_hierarchy_cut_anywhere_has_the_same_top(self, pack: Any) -> None:
        rows, stretch = rows_of(pack), of_periods(CALENDAR, 2026, 13)
        tops = []
        for level in (1, 2, None):
            plan = hierarchy_plan(WORLD, "c", "tree", level)
            figures = compute(plan, one_column(rows, plan, stretch, "standing").amounts, 2)
            tops.append(([f.raw for f in figures.lines if not f.line.depth], figures.unplaced))
        self.assertEqual(tops[0], tops[1])
        self.assertEqual(tops[0], tops[2])
        everything = sum(sum(raw) for raw in tops[0][0]) + sum(u.raw[0] for u in tops[0][1])
        self.assertEqual(everything, sum(int(v) for v in rows.net))

    @given(packs)
    def test_the_trial_balance_moves_by_debits_and_credits(self, pack: Any) -> None:
        rows, accounts = rows_of(pack), planned(WORLD).accounts
        stretch = of_periods(CALENDAR, 2026, 13, 2)
        trial = trial_rows(rows, accounts, stretch)
        self.assertEqual(sum(row.closing for row in trial), sum(int(v) for v in rows.net))
        titles, closing = closing_by_codes(rows, accounts, stretch, CHART, ("season",))
        self.assertEqual(titles[-1], "total")
        self.assertEqual(
            [(r.account, r.amounts[-1]) for r in closing], [(r.account, r.closing) for r in trial]
        )
        self.assertTrue(all(sum(row.amounts[:-1]) == row.amounts[-1] for row in closing))

    @given(packs, packs)
    def test_a_variance_is_the_difference_of_what_is_shown(self, one: Any, other: Any) -> None:
        plan, stretch = planned(WORLD), of_periods(CALENDAR, 2026, 13)
        actual, budget = (
            compute(plan, one_column(rows_of(pack), plan, stretch, "standing").amounts, 2)
            for pack in (one, other)
        )
        both = beside(actual, budget)
        for row, have, want in zip(both.lines, actual.lines, budget.lines, strict=True):
            self.assertEqual(row.shown[:2], (have.shown[0], want.shown[0]))
            self.assertEqual(row.shown[2], (have.shown[0] or 0) - (want.shown[0] or 0))

    @given(packs, packs)
    def test_rows_of_two_sources_are_those_of_both(self, one: Any, other: Any) -> None:
        plan, stretch = planned(WORLD), of_periods(CALENDAR, 2026, 13)
        both = together([rows_of(one), rows_of(other)])
        sums = [
            window(one_column(rows, plan, stretch, "standing")) for rows in (both, rows_of([*one, *other]))
        ]
        self.assertEqual(sums[0], sums[1])


class Bridges(TestCase):
    @given(packs, packs, st.sampled_from(("owing", "assets", "cash", "result", "capital")), st.integers(1, 9))
    def test_a_bridge_adds_up(self, one: Any, other: Any, line: str, most: int) -> None:
        plan, stretch = planned(WORLD), of_periods(CALENDAR, 2026, 13)
        sides = []
        for pack in (one, other):
            amounts = one_column(rows_of(pack), plan, stretch, "standing").amounts
            sides.append((compute(plan, amounts, 2), amounts))
        made = bridge(plan, line, sides[0], sides[1], most)
        at = plan.index[line]
        self.assertEqual((made.start, made.end), tuple(figures.lines[at].shown[0] for figures, _ in sides))
        self.assertEqual(made.start + sum(step.change for step in made.steps), made.end)
        self.assertLessEqual(len(made.steps), most)

    def test_the_stretch_to_compare_with(self) -> None:
        day = date.fromisoformat
        for asked, than, there in (
            (Asked(2026, 3, 3), "before", Asked(2026, 2, 2)),
            (Asked(2026, 3), "year", None),
            (
                Asked(start=day("2024-02-29"), end=day("2024-02-29")),
                "year",
                Asked(start=day("2023-02-28"), end=day("2023-02-28")),
            ),
            (
                Asked(start=day("2023-02-01"), end=day("2023-02-28")),
                "before",
                Asked(start=day("2023-01-01"), end=day("2023-01-31")),
            ),
            (
                Asked(start=day("2025-02-01"), end=day("2025-02-28")),
                "year",
                Asked(start=day("2024-02-01"), end=day("2024-02-29")),
            ),
            (Asked(end=day("2026-03-05")), "before", Asked(end=day("2026-03-04"))),
            (Asked(end=day("0001-01-01")), "before", None),
            (Asked(end=day("0001-01-01")), "year", None),
        ):
            with self.subTest(asked=asked, than=than):
                self.assertEqual(before(CALENDAR, asked, than), there)


class Edges(TestCase):
    def test_no_amounts_at_all(self) -> None:
        rows, plan = rows_of([]), planned(WORLD, "inc")
        stretch = of_periods(CALENDAR, 2026, 3)
        columns = by_codes(rows, plan, stretch, "movement", CHART, ("season", "site"))
        self.assertEqual((columns.titles, set(map(tuple, window(columns)))), (("total",), {(0,)}))
        self.assertEqual(code_columns(CHART, ("season",), rows).keys, ())
        self.assertEqual(period_columns(CALENDAR, "years", 2026, 3, ()), [])
        nothing = by_periods(rows, plan, stretch, "movement", [], frozenset())
        self.assertEqual((nothing.titles, set(map(tuple, window(nothing)))), (("total",), {(0,)}))

    def test_pairs_of_codes_stand_in_order_with_none_last(self) -> None:
        rows = rows_of([(0, 0, 1, False, 5), (1, 2, 1, False, 5), (1, 0, 1, False, 5), (0, 1, 1, False, 5)])
        columns = code_columns(CHART, ("site", "season"), rows)
        self.assertEqual(columns.titles, ("001/AU26", "001/none", "none/SP26", "none/none"))

    def test_brought_forward_is_the_day_before(self) -> None:
        days = last_days(CALENDAR)
        first = CALENDAR.periods[2026, 1].starts_on.toordinal()
        self.assertEqual(min(days.values()), first - 1)

    def test_what_a_filter_says(self) -> None:
        for text, codes, takes_none in (
            ("season=none", (), True),
            ("season= NONE , SP26", ("SP26",), True),
            ("season=all except SP26", ("AU26",), False),
            ("season=all, none EXCEPT SP26", ("AU26",), True),
            ("season=A*", ("AU26",), False),
        ):
            with self.subTest(text):
                (condition,) = parse_filter(WORLD, CHART, text)
                self.assertEqual((sorted(condition.codes), condition.takes_none), (list(codes), takes_none))
        for text, says in (
            ("=1", "There is no segment or dimension (without a name) in chart c."),
            (
                "season=none except SP26",
                "season: A code, a range, 'under' or 'all' is missing at character 1.",
            ),
        ):
            with self.subTest(text), self.assertRaises(WrongCall) as refused:
                parse_filter(WORLD, CHART, text)
            self.assertEqual(refused.exception.faults[0].what, says)

    def test_what_may_be_asked_together(self) -> None:
        day = read_day("2026-03-31")
        for asked in (
            Asked(2026, 3),
            Asked(end=day),
            Asked(2026, 3, 2, by="site"),
            Asked(2026, 3, periods="years"),
        ):
            asked.check()
        self.assertTrue(Asked(2026, 3, 1).is_plain)
        self.assertFalse(Asked(2026, 3, by="site").is_plain)
        for asked, says in (
            (Asked(start=day), "A stretch of days needs its last day."),
            (Asked(2026), "Figures need a year and a period, or days."),
            (Asked(2026, 3, end=day), "Figures are asked for by days or by periods, not by both."),
            (
                Asked(2026, 3, periods="days"),
                "There are no columns by days; there are months, quarters and years.",
            ),
            (Asked(2026, 3, by="a", budget="b"), "Columns are by codes or by a budget, not by both."),
            (Asked(end=day, periods="months"), "Columns by periods are of periods, not of days."),
            (Asked(2026, 3, 2, periods="months"), "Columns by periods begin where their periods begin."),
        ):
            with self.subTest(says), self.assertRaises(WrongCall) as refused:
                asked.check()
            self.assertEqual(refused.exception.faults[0].what, says)

    def test_columns_hang_on_the_fields_of_their_chart(self) -> None:
        world = apply(rich_state(), Put(ColumnSet("one", "One", "c", companies="gamma2")))
        for change, says in (
            (Drop(ChartDimension("c", "season")), "There is no segment or dimension season in chart c."),
            (Put(Budget("b", "Budget", "d")), "Budget b belongs to chart d, not to c."),
            (
                Put(ColumnSet("cs", "Both", "c", "site", beside="year")),
                "Both says more than one thing across.",
            ),
            (
                Put(ColumnSet("cs", "Both", "c", "site", companies="alpha")),
                "Both says more than one thing across.",
            ),
            (
                Put(ColumnSet("cs", "In", "c", "site, season", within="months")),
                "In has codes within months, and no one field whose codes they are.",
            ),
            (Put(ColumnSet("cs", "Far", "c", companies="nobody")), "There is no company nobody."),
            (Drop(world.require(Company, "gamma2")), "There is no company gamma2."),
            (
                Put(ColumnSet("cs", "Less", "c", formulas="[a] - [b]")),
                "'[a] - [b]' is not written as Title = [first] - [second].",
            ),
            (Put(ColumnSet("cs", "Less", "c", formulas="A = [a] -")), "A: A value is missing at the end."),
        ):
            with self.subTest(says):
                judged = examine(world, change, NOTHING_POSTED)
                self.assertIn(says, [fault.what for fault in (*judged.faults, *judged.following)])

    def test_stretches_that_there_are_not(self) -> None:
        kept = frozenset({2026})
        for ask, says in (
            (lambda: of_periods(CALENDAR, 2025, 1), "There is no fiscal year 2025 in calendar m."),
            (
                lambda: of_periods(CALENDAR, 2026, 5),
                "There is no period 5 in fiscal year 2026 of calendar m.",
            ),
            (lambda: of_periods(CALENDAR, 2026, 2, 3), "Period 3 is after period 2."),
            (lambda: of_days(date(2026, 3, 1), date(2026, 2, 1)), "2026-03-01 is after 2026-02-01."),
            (lambda: read_day("1.2.2026"), "'1.2.2026' is not a day written as 2026-09-30."),
            (lambda: read_day("2026-02-30"), "'2026-02-30' is not a day written as 2026-09-30."),
            (
                lambda: check_whole_periods(
                    CALENDAR, of_days(date(2026, 1, 2), date(2026, 1, 31)), kept, True
                ),
                "The books are kept as balances, and 2026-01-02 is not the first day of a period.",
            ),
            (
                lambda: check_whole_periods(CALENDAR, of_days(None, date(2026, 1, 30)), kept, False),
                "The books are kept as balances, and 2026-01-30 is not the last day of a period.",
            ),
            (lambda: hierarchy_plan(WORLD, "c", "x"), "There is no hierarchy x."),
            (lambda: hierarchy_plan(WORLD, "c", "tree", 0), "There is no level 0; the top is level 1."),
            (lambda: fields_asked(CHART, "a"), "There is no segment or dimension a in chart c."),
            (lambda: fields_asked(CHART, "site,site"), "Columns by site and site say the same twice."),
            (lambda: fields_asked(CHART, "a,b,c"), "Columns are by one field or by two."),
            (lambda: parse_filter(WORLD, CHART, "site"), "'site' is not written as field=codes."),
            (lambda: parse_filter(WORLD, CHART, ";"), "';' names no field."),
            (
                lambda: parse_filter(WORLD, CHART, "account=10"),
                "account: 10 is a rollup code; 'under 10' picks what is below it.",
            ),
        ):
            with self.subTest(says), self.assertRaises(WrongCall) as refused:
                ask()
            self.assertEqual(refused.exception.faults[0].what, says)
        self.assertEqual(of_days(None, date(2026, 1, 30)).title(True), "2026-01-30")
        self.assertEqual([p.period for p in cut_periods(CALENDAR, of_days(None, date(2026, 2, 3)))], [2])
        check_whole_periods(CALENDAR, of_days(date(2026, 1, 2), date(2026, 1, 30)), frozenset(), True)

    def test_toggling_a_filter(self) -> None:
        for text, field, item, then in (
            ("", "season", "SP26", "season=SP26"),
            ("season=SP26", "season", "none", "season=SP26, none"),
            ("season=SP26, none", "season", "SP26", "season=none"),
            ("season=SP26", "season", "SP26", ""),
            ("site=1; season=SP26", "site", "under 9", "season=SP26; site=1, under 9"),
            ("season=all except SP26", "season", "AU26", "season=AU26"),
        ):
            with self.subTest(text=text, item=item):
                self.assertEqual(toggled(text, field, item), then)

    def test_one_more_condition(self) -> None:
        for text, code, then in (
            ("", "SP26", "season=SP26"),
            ("site=001;", "", "site=001; season=none"),
        ):
            self.assertEqual(with_condition(text, "season", code), then)

    @given(packs, st.sampled_from(("season=SP26", "site=none; season=all", "account=4*; season=none")))
    def test_numbers_that_fit_pick_the_rows_that_fit(self, pack: Any, text: str) -> None:
        rows, conditions = rows_of(pack), parse_filter(WORLD, CHART, text)
        strings, combinations = rows.numbers_fitting(CHART, conditions)
        picked = rows.where(np.isin(rows.string, strings) & np.isin(rows.combination, combinations))
        fitting = rows.fitting(CHART, conditions)
        for name in ("string", "combination", "time", "debit", "credit"):
            self.assertEqual(getattr(picked, name).tolist(), getattr(fitting, name).tolist())

    def test_accounts_on_no_line_stand_beside_those_of_the_other(self) -> None:
        bare = state(Statement("few", "Few", "c", "balance_sheet"))
        plan, stretch = planned(bare, "few"), of_periods(CALENDAR, 2026, 13)
        sides = [
            compute(plan, one_column(rows_of(pack), plan, stretch, "standing").amounts, 2)
            for pack in ([(0, 0, 1, False, 5)], [(3, 0, 1, False, -7)])
        ]
        unplaced = beside(*sides).unplaced
        self.assertEqual([(u.account, u.raw) for u in unplaced], [("1010", (5, 0, 5)), ("1020", (0, -7, 7))])
