"""Non-cash pairs of a cash flow: whose they are, what may be one, which ones journals make likely."""

from __future__ import annotations

from unittest import TestCase

from core.cash_flow.likely_pairs import LikelyPair, PostedTogether, likely_pairs
from core.cash_flow.non_cash import LeftOutPair, joined_pairs
from core.changes.fixed import NOTHING_POSTED
from core.changes.kinds import Drop, Put, apply, examine
from core.definitions.state import State
from core.definitions.tables import Arrangement, Code, NonCashPair, Statement, StatementLine
from core.statements.plans import Plan, plan
from core.tests.builders import definitions, state

PAIR = NonCashPair("cf", "lease", "Leases begun", "1110", "2010")
ROWS = (
    Statement("cf", "Cash flow", "c", "cash_flow"),
    StatementLine("cf", "all", "", 10, "All", "accounts", "all"),
    Statement("own", "Own flow", "c", "cash_flow"),
    StatementLine("own", "all", "", 10, "All", "accounts", "all"),
    Statement("bs", "Balance sheet", "c", "balance_sheet"),
    Code("acc", "9010", "Staff", account_class="statistic", unit="heads"),
    Code("acc", "1030", "Till", account_class="asset", cash_flow="cash"),
    Code("acc", "1510", "Sheds", account_class="asset", cash_flow="investing"),
    Code("acc", "2510", "Leases", account_class="liability", cash_flow="financing"),
    Code("acc", "2520", "Loans", account_class="liability", cash_flow="financing"),
)


def world(*more: NonCashPair | Arrangement) -> State:
    return state(*definitions(), *ROWS, *more)


def planned(known: State, statement: str = "cf") -> Plan:
    found = plan(known, statement)
    assert found is not None
    return found


def together(debited: str, credited: str, amount: int = 100) -> PostedTogether:
    return PostedTogether(frozenset(debited.split()), frozenset(credited.split()), 1, amount)


class NonCashPairs(TestCase):
    def test_pairs_are_worked_out_in_the_order_of_their_ids(self) -> None:
        known = world(PAIR, NonCashPair("cf", "a", "First", "15*", "under 10, 2520"))
        self.assertEqual(
            [(one.pair.pair, sorted(one.accounts), sorted(one.against)) for one in planned(known).non_cash],
            [("a", ["1510"], ["1010", "1020", "2520"]), ("lease", ["1110"], ["2010"])],
        )

    def test_an_arrangement_has_those_of_what_it_is_over_but_for_ids_of_its_own(self) -> None:
        own = NonCashPair("own", "lease", "Only sheds", "1510", "2510")
        other = NonCashPair("cf", "loan", "Loans swapped", "2520", "2510")
        arranged = world(PAIR, other, own, Arrangement("own", "cf", "alpha"))
        self.assertEqual([one.pair for one in planned(arranged, "own").non_cash], [own, other])
        self.assertEqual([one.pair for one in planned(arranged).non_cash], [PAIR, other])
        self.assertEqual(planned(world(PAIR), "own").non_cash, ())

    def test_an_arrangement_follows_the_pairs_of_what_it_is_over(self) -> None:
        before = world(Arrangement("own", "cf", "alpha"))
        self.assertEqual(planned(before, "own").non_cash, ())
        after = apply(before, Put(PAIR))
        self.assertEqual([one.pair for one in planned(after, "own").non_cash], [PAIR])
        self.assertEqual(planned(apply(after, Drop(PAIR)), "own").non_cash, ())

    def test_a_plan_with_a_pair_goes_by_journals_and_still_stands_by_account(self) -> None:
        one, other = planned(world(PAIR)), planned(world())
        self.assertEqual((one.needs_journals, one.needs_rows), (True, False))
        self.assertEqual((other.needs_journals, other.needs_rows), (False, False))

    def test_what_is_refused(self) -> None:
        cases = [
            (
                PAIR._replace(statement="bs"),
                "Balance sheet is no indirect cash flow, so it leaves nothing out.",
            ),
            (PAIR._replace(accounts="4010"), "4010 Sales is of class revenue."),
            (PAIR._replace(against="9010"), "9010 Staff is of class statistic."),
            (PAIR._replace(against="1030"), "1030 Till is cash, and what moves it isn't left out."),
            (PAIR._replace(against="1110 to 2010"), "1110 stands on both sides of Leases begun."),
            (PAIR._replace(accounts="7777"), "There is no code 7777 in acc."),
            (PAIR._replace(accounts=""), "The accounts must be given."),
        ]
        for row, what in cases:
            with self.subTest(what):
                found = examine(world(), Put(row), NOTHING_POSTED)
                self.assertIn(what, [fault.what for fault in found.faults])
        self.assertEqual(examine(world(), Put(PAIR), NOTHING_POSTED).faults, [])

    def test_a_change_elsewhere_that_spoils_a_pair_is_refused(self) -> None:
        lease = NonCashPair("cf", "lease", "Leases begun", "1510", "2510")
        known, shed = world(lease), Code("acc", "1510", "Sheds", account_class="asset", cash_flow="cash")
        flow = Statement("cf", "Cash flow", "c", "direct_cash_flow")
        for row, what in (
            (shed, "1510 Sheds is cash, and what moves it isn't left out."),
            (flow, "Cash flow is no indirect cash flow, so it leaves nothing out."),
        ):
            with self.subTest(what):
                found = examine(known, Put(row), NOTHING_POSTED)
                self.assertIn(what, [fault.what for fault in found.faults])

    def test_likely_pairs_move_one_activity_against_another(self) -> None:
        known = world(NonCashPair("cf", "swap", "Swapped", "2520", "1510"))
        cases = {
            "one activity against another": (together("1510", "2510"), True),
            "within an activity": (together("2520", "2510"), False),
            "left out already": (together("1510", "2520"), False),
            "touching more than the pair": (together("1510", "2520 2510"), True),
            "cash": (together("1510", "1030"), False),
            "the result": (together("1510", "2510 4010"), False),
            "an account of no list": (together("1510", "2510 8888"), False),
            "on both sides": (together("1510 2510", "2510"), False),
        }
        for name, (posted, is_likely) in cases.items():
            with self.subTest(name):
                self.assertEqual(bool(likely_pairs(known, planned(known), [posted])), is_likely)

    def test_likely_pairs_come_by_amount_and_each_once(self) -> None:
        known = world(NonCashPair("cf", "sheds-against-leases", "Old", "1110", "2010"))
        found = likely_pairs(
            known,
            planned(known),
            [together("1510", "2510", 5), together("2510", "1510", 4), together("1510", "2510 2520", 9)],
        )
        self.assertEqual(
            found,
            [
                LikelyPair(
                    NonCashPair("cf", "sheds-against-leases-2", "Sheds against Leases", "1510", "2510, 2520"),
                    1,
                    9,
                )
            ],
        )
        for one in found:
            self.assertEqual(examine(known, Put(one.pair), NOTHING_POSTED).faults, [])

    def test_what_is_left_out_is_told(self) -> None:
        told = LeftOutPair(PAIR, 1, -123456)
        self.assertEqual(
            told.sentence(2), "Left out, for no cash moved: Leases begun, 1 journal, 1,234.56 credit."
        )
        both = joined_pairs([[told], [], [LeftOutPair(PAIR, 2, 123556, ("1110",))]])
        self.assertEqual(both, (LeftOutPair(PAIR, 3, 100, ("1110",)),))
        self.assertEqual(
            both[0].sentence(0), "Left out, for no cash moved: Leases begun, 3 journals, 100 debit."
        )
