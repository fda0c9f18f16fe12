"""Books seen in a second chart: every amount stays, on the account that the first fitting row names."""

from __future__ import annotations

from unittest import TestCase

import numpy as np
from hypothesis import given, settings, strategies as st

from core.analysis.amount_rows import AmountRows
from core.analysis.column_sums import measure_of, one_column, trial_rows
from core.analysis.stretches import of_periods
from core.books.periods import company_calendar, ordinal
from core.changes.kinds import Put
from core.changes.of_statements import MapSecondChart
from core.checks import of_rows
from core.codes.lists import list_index
from core.codes.selectors import pick
from core.definitions.state import State
from core.definitions.tables import (
    DEFINING_TABLES,
    Code,
    Company,
    NonCashPair,
    SecondChart,
    SecondChartMapping,
    Statement,
    StatementLine,
)
from core.mapping.second_charts import (
    accounts_behind,
    hangs_on_codes,
    maps_alike,
    own_cash_accounts,
    own_pairs,
    second_chart_plan,
    seen_through,
    ways_of,
)
from core.statements.figures import compute
from core.statements.plans import plan
from core.structures.accounts import parse_dimensions
from core.structures.charts import chart_index
from core.structures.second_charts import chart_with, charts_of, is_seen_in
from core.tests.rich_world import rich, rich_state

STRINGS = ("10-1010-001", "10-1010-002", "10-1020-", "10-1110-001", "10-2010-", "10-4010-001", "10-4010-002")
TAGS = ("", "season=SP26", "season=AU26")
OWN = ("all", "1010", "10*", "under 1", "1010, 4010", "all except 2010", "4010")
CONDITIONS = (("", ""), ("", ""), ("site", "001"), ("site", "all except 001"), ("season", "SP26"))
TARGETS = ("BK", "SL", "IC", "OW")

mapping_rows = st.lists(
    st.tuples(st.sampled_from(OWN), st.sampled_from(CONDITIONS), st.sampled_from(TARGETS))
)
amounts = st.lists(
    st.tuples(st.sampled_from(STRINGS), st.sampled_from(TAGS), st.integers(-(10**12), 10**12)), max_size=24
)


def world(rows: list[tuple[str, tuple[str, str], str]]) -> State:
    """The rich world, with chart c seen in d."""
    kept = [row for row in rich() if not isinstance(row, SecondChart | SecondChartMapping)]
    mapped = [
        SecondChartMapping("c", "d", place * 10, own, field, codes, target)
        for place, (own, (field, codes), target) in enumerate(rows, 1)
    ]
    return State.of([*kept, SecondChart("alpha", "d"), *mapped])


def amount_rows(lines: list[tuple[str, str, int]]) -> AmountRows:
    naturals = tuple(sorted({string.split("-")[1] for string, _, _ in lines}))
    net = np.array([amount for _, _, amount in lines], dtype=np.int64)
    return AmountRows(
        naturals,
        np.array([naturals.index(string.split("-")[1]) for string, _, _ in lines], dtype=np.int64),
        np.array([STRINGS.index(string) + 1 for string, _, _ in lines], dtype=np.int64),
        np.array([TAGS.index(tags) for _, tags, _ in lines], dtype=np.int64),
        np.full(len(lines), ordinal(2026, 1), dtype=np.int64),
        np.zeros(len(lines), dtype=bool),
        np.maximum(net, 0),
        np.maximum(-net, 0),
        {i + 1: string for i, string in enumerate(STRINGS)},
        dict(enumerate(TAGS)),
    )


def by_hand(state: State, rows: list[tuple[str, tuple[str, str], str]], string: str, tags: str) -> str:
    """The target of one line, row after row."""
    _, natural, site = string.split("-")
    values, chart = {"site": site, **parse_dimensions(tags)[0]}, chart_index(state, "c")
    for own, (field, codes), target in rows:
        there = chart.field(field) if chart and field else None
        fits = there is None or values.get(field, "") in pick(state, there.code_list, codes).codes
        if fits and natural in pick(state, "acc", own).codes:
            return target
    return ""


class SeenInASecondChart(TestCase):
    @settings(max_examples=150, deadline=None)
    @given(mapping_rows, amounts)
    def test_each_line_goes_where_the_first_fitting_row_says_and_nothing_is_lost(
        self, rows: list[tuple[str, tuple[str, str], str]], lines: list[tuple[str, str, int]]
    ) -> None:
        state = world(rows)
        mapped, theirs = second_chart_plan(state, "c", "d"), list_index(state, "own")
        assert mapped is not None
        own = amount_rows(lines)
        seen = seen_through(mapped, theirs, own, "alpha")
        self.assertEqual(seen.net.tolist(), own.net.tolist())
        for place, (string, tags, _) in enumerate(lines):
            name, target = seen.naturals[seen.natural[place]], by_hand(state, rows, string, tags)
            stray = seen.unmapped.get(name)
            self.assertEqual(stray.account if stray else name, target or string.split("-")[1])
            self.assertEqual(stray is None, bool(target))
        ways, by_row = ways_of(mapped, own)
        for way in ways:
            if hangs_on_codes(mapped, [way.account]):
                continue
            inside = [ways[i].target for i in by_row[own.natural == own.naturals.index(way.account)].tolist()]
            self.assertEqual(set(inside) - {way.target}, set(), "an account that hangs on nothing is whole")
        behind = accounts_behind(mapped, own)
        pairs = {(string.split("-")[1], by_hand(state, rows, string, tags)) for string, tags, _ in lines}
        self.assertEqual({(account, to) for to, some in behind.items() for account in some}, pairs)
        trial = trial_rows(seen, theirs, of_periods(company_calendar(state, "alpha"), 2026, 1))
        self.assertEqual(sum(row.closing for row in trial), sum(amount for _, _, amount in lines))
        self.assertEqual([row.unmapped for row in trial], sorted(row.unmapped for row in trial))

    def test_a_statement_of_the_second_chart_tells_what_it_misses(self) -> None:
        state = rich_state()
        gamma = state.require(Company, "gamma")
        self.assertEqual(charts_of(state, gamma), ("d", "c"))
        self.assertEqual(chart_with(state, gamma, "acc"), "c")
        self.assertEqual(chart_with(state, gamma, "sites"), "")
        self.assertTrue(is_seen_in(state, gamma, "c"))
        self.assertFalse(is_seen_in(state, gamma, "none"))
        without = State.of(
            [row for row in rich() if row != SecondChartMapping("d", "c", 20, "all", "", "", "4010")]
        )
        mapped, income = second_chart_plan(without, "d", "c"), plan(without, "is")
        assert mapped is not None and income is not None
        own = chart_index(without, "d")
        assert own is not None
        rows = AmountRows(
            ("BK", "SL"),
            np.array([0, 1]),
            np.array([1, 2]),
            np.array([0, 0]),
            np.full(2, ordinal(2026, 1)),
            np.zeros(2, dtype=bool),
            np.array([700, 0]),
            np.array([0, 700]),
            {},
            {},
        )
        stretch = of_periods(company_calendar(without, "gamma"), 2026, 1)
        seen = seen_through(mapped, income.accounts, rows, "gamma")
        figures = compute(income, one_column(seen, income, stretch, measure_of(income)).amounts, 2)
        self.assertEqual(
            [(u.company, u.account, u.name, u.raw) for u in figures.unplaced],
            [("gamma", "SL", "Sales", (-700,))],
        )

    def test_accounts_of_one_target_share_a_row(self) -> None:
        state = rich_state()
        change = MapSecondChart("d", "c", ("SL", "IC"), "1010")
        self.assertEqual(change.sentence(state), "Mapped SL, IC of chart d to 1010 of c")
        after = state.edited(change.edits(state))
        self.assertEqual(after.require(SecondChartMapping, "d", "c", 10).accounts, "BK, SL, IC")

    def test_what_a_row_must_keep(self) -> None:
        row = SecondChartMapping("d", "c", 10, "BK", target="1010")
        cases = [
            (row, []),
            (row._replace(target="1"), ["Account: 1 Assets is a rollup code and takes no amounts."]),
            (row._replace(accounts="ZZ"), ["There is no code ZZ in own."]),
            (row._replace(field="site"), ["A condition needs a field and its codes."]),
            (row._replace(second_chart="d", target="BK"), ["A chart isn't mapped to itself: d."]),
        ]
        state = rich_state()
        for one, wanted in cases:
            with self.subTest(one):
                self.assertEqual([f.what for f in of_rows(state, "second_chart_mappings", [one])], wanted)
        own = SecondChart("alpha", "c")
        self.assertEqual(
            [f.what for f in of_rows(state, "second_charts", [own])],
            ["alpha posts in c: it is its own chart, not a second one."],
        )

    def test_whether_two_states_map_alike(self) -> None:
        rows = [("1010", ("", ""), "BK"), ("all", ("", ""), "SL")]
        state = world(rows)
        renamed = state.edited(Put(state.require(Code, "acc", "1010")._replace(name="Till")).edits(state))
        turned = world([*reversed(rows)])
        for after, chart, second, alike in (
            (state, "c", "d", True),
            (renamed, "c", "d", True),
            (turned, "c", "d", False),
            (turned, "c", "c", True),
            (state, "c", "none", True),
        ):
            with self.subTest(second=second, alike=alike):
                self.assertEqual(maps_alike(state, after, chart, second), alike)

    def test_cash_and_pairs_are_own_accounts_by_where_they_go(self) -> None:
        """A side of a pair has the accounts that go there whole; cash those of which anything does."""
        pair = NonCashPair("moves", "swap", "Swapped", "IC", "SL")
        rows = [
            ("1010", ("site", "001"), "BK"),
            ("1010, 1110", ("", ""), "IC"),
            ("all", ("", ""), "SL"),
        ]
        flow = [
            Statement("moves", "Cash flow", "d", "cash_flow"),
            StatementLine("moves", "every", "", 10, "Every", "accounts", "all"),
            pair,
        ]
        at = world(rows)
        state = State.of([*(row for table in DEFINING_TABLES for row in at.rows(table.row)), *flow])
        bank = state.require(Code, "own", "BK")._replace(cash_flow="cash")
        state = state.edited(Put(bank).edits(state))
        alpha, planned = state.require(Company, "alpha"), plan(state, "moves")
        assert planned is not None
        lines = amount_rows(
            [("10-1010-001", "", 1), ("10-1010-002", "", 2), ("10-1110-001", "", 3), ("10-2010-", "", -6)]
        )
        self.assertEqual(own_cash_accounts(state, alpha, planned, lines), {"1010"})
        own = own_pairs(state, alpha, planned, lines)
        self.assertEqual(
            [(one.pair, one.accounts, one.against) for one in own],
            [(pair, frozenset({"1110"}), frozenset({"2010"}))],
        )
        itself = alpha._replace(chart="d")
        self.assertEqual(own_cash_accounts(state, itself, planned, lines), {"BK"})
        self.assertEqual(
            [(one.accounts, one.against) for one in own_pairs(state, itself, planned, lines)],
            [(frozenset({"IC"}), frozenset({"SL"}))],
        )
