"""A company moved to another chart: nothing is lost, everything that names its accounts comes along, and what
keeps it from being moved is said before."""

from __future__ import annotations

from dataclasses import replace
from datetime import date
from typing import Any
from unittest import TestCase

import numpy as np
from hypothesis import given, settings, strategies as st

from core.analysis.stretches import of_periods
from core.books.balances import ROW, Books, ReadAs, books_from_rows, read_anew
from core.books.journals import PostingContext
from core.books.periods import company_calendar, ordinal
from core.changes.fixed import NOTHING_POSTED
from core.changes.kinds import Drop, Put, examine
from core.chart_moves.agreeing import AmountsBeside, booked, classes_agree, statements_agree
from core.chart_moves.carrying import CarryOver, PostedBefore, StandingAmount, carry_over
from core.chart_moves.of_company import MoveToChart
from core.chart_moves.strings import StringReader
from core.checks import of_rows
from core.definitions.state import State
from core.definitions.tables import (
    Chart,
    ChartMove,
    Code,
    Company,
    CompanyAccount,
    CompanyCode,
    GroupMember,
    IntercompanyPair,
    Mapping,
    Period,
    QuickCode,
    SecondChart,
    SecondChartMapping,
    Statement,
    StatementLine,
    Structure,
    StructureSegment,
)
from core.structures.second_charts import moves_of, posted_in
from core.tests.builders import told
from core.tests.rich_world import rich

AT = "2026-02-01T08:00:00+00:00"
FACTS = replace(NOTHING_POSTED, companies=lambda: frozenset({"gamma", "alpha"}))
MOVE = MoveToChart("gamma", "c", date(2026, 2, 1), AT, "GA-9", ("30",))
MAPPED = (("BK", "1010"), ("IC", "1810"), ("OW", "2010"), ("SL", "4010"))


def world(*more: Any, mapping: tuple[tuple[str, str], ...] = MAPPED) -> State:
    """The rich world, in which gamma posts in d and may move to c."""
    rows = [row for row in rich() if not isinstance(row, SecondChartMapping)]
    maps = [
        SecondChartMapping("d", "c", place * 10, accounts, target=target)
        for place, (accounts, target) in enumerate(mapping, 1)
    ]
    return State.of([*rows, *maps, *more])


def moved(state: State, change: MoveToChart = MOVE) -> State:
    return state.edited(change.edits(state))


def carried(state: State, standing: list[StandingAmount], last: date | None = None) -> CarryOver:
    accounts = {one.account for one in standing} | {"BK"}
    posted = PostedBefore(accounts, standing, last)
    return carry_over(state, moved(state), MOVE, posted, PostingContext())


STANDING = [
    StandingAmount("BK", "season=SP26", "", 500),
    StandingAmount("IC", "", "alpha", 100),
    StandingAmount("OW", "", "", -300),
    StandingAmount("SL", "", "", -300),
]
balances = st.lists(
    st.tuples(
        st.integers(1, 6),
        st.integers(0, 2),
        st.integers(0, 1),
        st.integers(1, 5),
        st.integers(-(10**9), 10**9),
    ),
    max_size=20,
)


def books(rows: list[tuple[int, int, int, int, int]]) -> Books:
    """Rows are (account string, partner, dimensions, period, amount)."""
    values = [
        (account - 1, partner, account, tags, ordinal(2026, period), 0, max(amount, 0), max(-amount, 0))
        for account, partner, tags, period, amount in rows
    ]
    return books_from_rows("gamma", 2026, 3, tuple("ABCDEF"), np.array(values, dtype=ROW))


def sums(one: Books, *names: str) -> dict[Any, int]:
    by_key: dict[Any, int] = {}
    for row in one.rows:
        key = tuple(one.naturals[row["natural"]] if n == "natural" else int(row[n]) for n in names)
        by_key[key] = by_key.get(key, 0) + int(row["debit"]) - int(row["credit"])
    return {key: amount for key, amount in by_key.items() if amount}


class ReadAnew(TestCase):
    @settings(max_examples=120, deadline=None)
    @given(balances, st.lists(st.integers(0, 3), min_size=6, max_size=6))
    def test_each_amount_stands_on_the_string_it_is_read_as_and_none_is_lost(
        self, rows: list[tuple[int, int, int, int, int]], targets: list[int]
    ) -> None:
        own = books(rows)
        strings = {at: ReadAs(100 + to, "WXYZ"[to]) for at, to in enumerate(targets, 1)}
        read = read_anew(own, strings)
        by_hand: dict[Any, int] = {}
        for account, partner, tags, period, amount in rows:
            key = (strings[account].natural, strings[account].account, partner, tags, ordinal(2026, period))
            by_hand[key] = by_hand.get(key, 0) + amount
        names = ("natural", "account", "partner", "dimensions", "ordinal")
        self.assertEqual(sums(read, *names), {key: amount for key, amount in by_hand.items() if amount})
        self.assertEqual((read.company, read.fiscal_year, read.sequence), ("gamma", 2026, 3))

    @settings(max_examples=60, deadline=None)
    @given(balances)
    def test_what_was_carried_over_counts_once_and_other_charts_not_at_all(
        self, rows: list[tuple[int, int, int, int, int]]
    ) -> None:
        before = [row for row in rows if row[0] <= 3]  # strings 1 to 3 are of the chart before
        carry = [(account + 3, partner, tags, 5, amount) for account, partner, tags, _, amount in before]
        later = [row for row in rows if row[0] > 3]
        strings = {at: ReadAs(at + 3, "DEF"[at - 1]) for at in (1, 2, 3)}
        strings |= {at: ReadAs(at, "DEF"[at - 4]) for at in (4, 5, 6)}
        read = read_anew(books([*before, *later, *carry]), strings, books(carry))
        plain = read_anew(books([*before, *later]), strings)
        self.assertEqual(
            sums(read, "natural", "account", "partner", "dimensions", "ordinal"),
            sums(plain, "natural", "account", "partner", "dimensions", "ordinal"),
        )
        self.assertTrue((read.rows["debit"] >= 0).all() and (read.rows["credit"] >= 0).all())
        old = {at: ReadAs(at, "ABC"[at - 1]) for at in (1, 2, 3)}
        self.assertEqual(
            sums(read_anew(books([*rows, *carry]), old), "account"), sums(books(before), "account")
        )


class Moved(TestCase):
    def test_all_that_names_its_accounts_comes_along(self) -> None:
        state = world(QuickCode("d", "bk", "gamma", "everyone", account="BK", dimensions=""))
        examined = examine(state, MOVE, replace(FACTS, moving=frozenset({"gamma"})))
        self.assertEqual(told(examined.faults), [])
        after = examined.after
        self.assertEqual(MOVE.sentence(state), "Moved gamma from d to c from 2026-02-01 on")
        self.assertEqual(after.require(Company, "gamma").chart, "c")
        self.assertEqual(moves_of(after, "gamma"), (ChartMove("gamma", MOVE.on, "d", "c", AT, "GA-9"),))
        self.assertEqual(
            list(after.part(CompanyCode, "gamma").values()), [CompanyCode("gamma", "company", "30")]
        )
        self.assertEqual(after.require(Code, "co", "30").name, "Gamma")
        self.assertEqual(
            list(after.part(CompanyAccount, "gamma").values()), [CompanyAccount("gamma", "4010", "EUR")]
        )
        self.assertEqual(
            after.require(IntercompanyPair, "gamma", "alpha"),
            IntercompanyPair("gamma", "alpha", "1810", "2010"),
        )
        self.assertEqual(
            [row for row in after.rows(QuickCode) if row.company == "gamma"],
            [QuickCode("c", "bk", "gamma", "everyone", account="30-1010-")],
        )
        self.assertIsNone(after.get(SecondChart, "gamma", "c"))
        self.assertEqual(
            [row for row in after.rows(Mapping) if row.company == "gamma"], [], "the group's chart"
        )

    def test_into_a_group_each_account_goes_where_those_that_become_it_went(self) -> None:
        other = (
            Chart("e", "Like c", "s"),
            GroupMember("g", "gamma", "company", "full"),
        )
        rows = list(world(*other).rows(SecondChartMapping))
        state = world(*other, *(row._replace(second_chart="e") for row in rows))
        after = moved(state, replace(MOVE, chart="e"))
        self.assertEqual(
            [(row.accounts, row.target) for row in sorted(after.part(Mapping, "g").values())],
            [("1010", "1010"), ("1810", "1810"), ("2010, 4010", "4010")],
        )
        again = moved(state, replace(MOVE, chart="e", company="beta", own_codes=("20",)))
        self.assertEqual(
            [
                (row.accounts, row.target)
                for row in sorted(again.part(Mapping, "g").values())
                if row.company == "beta"
            ][:2],
            [("1010", "1010"), ("1020", "1020")],
            "of a company on the group's chart each account is itself",
        )
        targets = {row.target for row in again.part(Mapping, "g").values() if row.company == "beta"}
        self.assertTrue("1010" in targets and not targets & {"9010", "9020"}, "statistics take no amounts")

    def test_of_several_accounts_that_become_one_it_is_open_where_one_is(self) -> None:
        own = [
            CompanyAccount("gamma", "BK", "EUR", False, False),
            CompanyAccount("gamma", "IC", "USD", True, True),
            CompanyAccount("gamma", "OW", "", False, False),
        ]
        state = world(*own, mapping=(("BK, IC", "1010"), ("SL", "4010")))
        after = state.edited(replace(MOVE).edits(state))
        self.assertEqual(
            sorted(after.part(CompanyAccount, "gamma").values()),
            [CompanyAccount("gamma", "1010", "", True, True), CompanyAccount("gamma", "4010", "EUR")],
        )

    def test_what_keeps_a_company_from_being_moved(self) -> None:
        unmapped = world(mapping=(("BK, IC, SL", "4010"),))
        by_season = State.of(
            [
                *(row for row in rich() if not isinstance(row, SecondChartMapping)),
                SecondChartMapping("c", "d", 10, "all", "season", "SP26", "BK"),
                SecondChartMapping("c", "d", 20, "all", "", "", "BK"),
            ]
        )
        cases: list[tuple[State, MoveToChart, list[str]]] = [
            (world(), replace(MOVE, company="none"), ["There is no company none."]),
            (world(), replace(MOVE, chart="none"), ["There is no chart none."]),
            (world(), replace(MOVE, chart="d"), ["gamma posts in d already."]),
            (
                world(ChartMove("gamma", date(2026, 1, 1), "c", "d", "2026-01-01T00:00:00+00:00")),
                MOVE,
                ["gamma posted in c before, and its lines there keep their accounts."],
            ),
            (world(), replace(MOVE, on=date(2026, 2, 2)), ["No period of gamma begins on 2026-02-02."]),
            (world(), replace(MOVE, own_codes=()), ["gamma has no code of Company in c."]),
            (unmapped, MOVE, ["OW, of the pair with alpha, has no one account in c."]),
            (
                by_season,
                replace(MOVE, company="alpha", chart="d", own_codes=()),
                [
                    "Rows 10 of the mapping ask for a dimension.",
                    "1810, of the pair with beta, has no one account in d.",
                    "2810, of the pair with beta, has no one account in d.",
                ],
            ),
        ]
        for state, change, wanted in cases:
            with self.subTest(wanted):
                facts = replace(FACTS, moving=frozenset({change.company}))
                self.assertEqual(told(examine(state, change, facts).faults), wanted)
        later = world(ChartMove("gamma", date(2026, 3, 1), "x", "d", "2026-01-01T00:00:00+00:00"))
        facts = replace(FACTS, moving=frozenset({"gamma"}))
        self.assertIn("gamma moved on 2026-03-01 before.", told(examine(later, MOVE, facts).faults))

    def test_it_is_made_only_with_what_carries_its_books_over_and_stays_made(self) -> None:
        state = world()
        after = moved(state)
        move = after.require(ChartMove, "gamma", MOVE.on)
        company = state.require(Company, "gamma")
        cases: list[tuple[State, Any, list[str]]] = [
            (
                state,
                Put(company._replace(chart="c")),
                ["The chart can't change from d any more because it has postings."],
            ),
            (
                state,
                MOVE,
                [
                    "The chart can't change from d any more because it has postings.",
                    "gamma has postings, which a move to c would have to carry over.",
                ],
            ),
            (
                after,
                Put(move._replace(journal="GA-1")),
                ["The journal can't change from GA-9 any more because books are read by it."],
            ),
            (after, Drop(move), ["The move of gamma to c can't be deleted because books are read by it."]),
        ]
        for before, change, wanted in cases:
            with self.subTest(wanted):
                self.assertEqual(told(examine(before, change, FACTS).faults), wanted)
        self.assertEqual(told(examine(state, MOVE, NOTHING_POSTED).faults), [], "an import into empty books")

    def test_moves_lead_from_one_chart_to_the_next(self) -> None:
        first = ChartMove("gamma", date(2026, 1, 1), "x", "c", "2026-01-05T00:00:00+00:00", "A")
        second = ChartMove("gamma", date(2026, 2, 1), "c", "d", "2026-02-05T00:00:00+00:00", "B")
        cases: list[tuple[list[ChartMove], list[str]]] = [
            ([first, second], []),
            ([second], []),
            ([first], ["gamma moved to c on 2026-01-01, and is on d afterwards."]),
            ([second._replace(chart_before="d")], ["gamma doesn't move from d to itself."]),
            (
                [first._replace(chart="d"), second],
                ["gamma moved to d on 2026-01-01, and is on c afterwards."],
            ),
            (
                [first._replace(moved_at=second.moved_at), second],
                ["gamma moved on 2026-01-01 after it moved on 2026-02-01."],
            ),
        ]
        for rows, wanted in cases:
            with self.subTest(wanted):
                state = world(Chart("x", "First", "o"), *rows)
                self.assertEqual(told(of_rows(state, "chart_moves", rows)), wanted)
        state = world(first, second)
        company = state.require(Company, "gamma")
        for posted_at, chart in (
            ("2026-01-04T23:59:59+00:00", "x"),
            ("2026-01-05T00:00:00+00:00", "c"),
            ("2026-02-05T00:30:00+01:00", "c"),
            ("2026-02-05T00:00:01+00:00", "d"),
            ("", "d"),
        ):
            self.assertEqual(posted_in(state, company, posted_at), chart, posted_at)


class Carried(TestCase):
    def test_a_line_for_each_balance_says_where_it_came_from(self) -> None:
        over = carried(world(), [*STANDING, StandingAmount("BK", "", "", 0)], date(2026, 1, 31))
        self.assertEqual(told(over.faults), [])
        assert over.journal is not None
        journal = over.journal
        self.assertEqual(
            (journal.journal, journal.date, journal.kind, journal.description, journal.posted_at),
            ("GA-9", date(2026, 2, 1), "opening", "Carried over from Own chart to Chart", ""),
        )
        self.assertEqual(
            [
                (line.account, line.dimensions, line.partner, line.amount, line.texts[0])
                for line in over.lines
            ],
            [
                ("30-1010-", "season=SP26", "", 500, "BK Bank"),
                ("30-1810-", "", "alpha", 100, "IC Owed"),
                ("30-2010-", "", "", -300, "OW Owing"),
                ("30-4010-", "", "", -300, "SL Sales"),
            ],
        )
        self.assertEqual((over.debits, sum(line.amount for line in over.lines)), (600, 0))
        self.assertIsNone(carried(world(), []).journal, "where nothing stands no journal is needed")

    def test_why_it_cannot_be_carried_over(self) -> None:
        lacking = world(mapping=(("BK", "1010"), ("IC", "1810"), ("OW", "2010")))
        closed = world(Period("m", 2026, 2, "M2", date(2026, 2, 1), date(2026, 2, 28), "regular", "closed"))
        cases: list[tuple[State, date | None, list[str]]] = [
            (lacking, None, ["SL Sales has no account in c; −3.00 EUR stand on it."]),
            (world(), date(2026, 2, 1), ["gamma has journals until 2026-02-01 already."]),
            (closed, None, ["M2 is closed for company gamma."]),
        ]
        for state, last, wanted in cases:
            with self.subTest(wanted):
                self.assertEqual(told(carried(state, STANDING, last).faults), wanted)
        posted = PostedBefore({one.account for one in STANDING}, STANDING, None, "2030-01-01T00:00:00+00:00")
        over = carry_over(world(), moved(world()), MOVE, posted, PostingContext())
        what = "gamma has a journal posted at 2030-01-01T00:00:00+00:00, which is still to come."
        self.assertEqual(told(over.faults), [what])

    def test_rules_of_the_new_chart_are_told_and_keep_nothing_back(self) -> None:
        standing = [StandingAmount("BK", "", "", 300), StandingAmount("SL", "", "", -300)]
        state = world(mapping=(("BK", "5010"), ("IC", "1810"), ("OW", "2010"), ("SL", "4010")))
        over = carried(state, standing)
        self.assertEqual(told(over.faults), [])
        self.assertEqual(len(over.lines), 2)
        self.assertEqual(over.unruly, (("Costs name a site Site must be given.", 1),))

    def test_a_segment_of_the_same_list_keeps_its_code(self) -> None:
        more = (
            Structure("two", "Two", "/"),
            StructureSegment("two", 1, "place", "Place", "site"),
            StructureSegment("two", 2, "firm", "Firm", "co", "company"),
            StructureSegment("two", 3, "konto", "Konto", "own", "natural_account"),
            Chart("two", "Two", "two"),
            SecondChartMapping("c", "two", 10, "1010", "site", "001", "BK"),
            SecondChartMapping("c", "two", 20, "all", "", "", "SL"),
        )
        state = world(*more)
        change = MoveToChart("alpha", "two", date(2026, 2, 1), AT, "AL-9", ("10",))
        reader = StringReader(state, moved(state, change), "alpha", "two", change.on)
        for account, target in (
            ("10-1010-001", "001/10/BK"),
            ("10-1010-002", "002/10/SL"),
            ("10-4010-", "/10/SL"),
            ("20-4010-001", "001/10/SL"),
        ):
            self.assertEqual(reader.read(account).target, target)


class Agreed(TestCase):
    def test_statements_and_classes_before_and_after(self) -> None:
        state = world(
            Statement("c-is", "Income there", "c", "income_statement"),
            StatementLine("c-is", "home", "", 10, "Without a site", "accounts", "4010", field="site"),
            StatementLine("c-is", "away", "", 20, "All else", "accounts", "4010"),
        )
        over = carried(state, STANDING)
        lines, year = booked(over.lines), of_periods(company_calendar(state, "gamma"), 2026, 1)
        dated = replace(lines, time=np.full(len(lines), ordinal(2026, 1)))
        after = moved(state)
        by_name = {
            one.statement: one
            for one in statements_agree(after, "gamma", AmountsBeside(dated, dated, lines, year))
        }
        self.assertEqual({name: one.differing for name, one in by_name.items()}, dict.fromkeys(by_name, ()))
        self.assertNotIn("paid", by_name, "what journals moved is not summed from balances")
        self.assertNotIn("is-beta", by_name, "another company's arrangement")
        shown = {line.label: line.now for line in by_name["st"].lines}
        self.assertEqual((shown["Cash"], shown["Creditors"], shown["Result"]), (500, 300, 300))
        self.assertEqual([line.now for line in by_name["c-is"].lines], [300, 0])
        less = replace(dated, debit=np.where(dated.natural == 0, 400, dated.debit))
        other = statements_agree(
            after, "gamma", AmountsBeside(dated, less, replace(less, time=lines.time), year)
        )
        self.assertEqual(
            [
                (line.label, line.was, line.now)
                for one in other
                for line in one.differing
                if one.statement == "st"
            ],
            [("Assets", 600, 500), ("Cash", 500, 400)],
        )
        classes = classes_agree(state, after, "gamma", STANDING, over.strings)
        self.assertEqual(
            {one.account_class: (one.was, one.now) for one in classes if one.was or one.now},
            {"asset": (600, 600), "liability": (-300, -300), "revenue": (-300, -300)},
        )
        self.assertEqual([one.moved for one in classes if one.moved], [])

    def test_an_account_of_another_class_is_told(self) -> None:
        state = world(mapping=(("BK, IC", "1010"), ("OW", "3010"), ("SL", "4010")))
        over = carried(state, STANDING)
        classes = classes_agree(state, moved(state), "gamma", STANDING, over.strings)
        self.assertEqual(
            [(one.account_class, one.was, one.now, one.moved) for one in classes if one.moved],
            [("liability", -300, 0, (("OW", "3010"),)), ("equity", 0, -300, (("OW", "3010"),))],
        )
