"""Lines of a statement moved, taken out, covered; what a draft moves, line by line and for a group."""

from __future__ import annotations

from typing import Any
from unittest import TestCase

import numpy as np

from core.changes.fixed import NOTHING_POSTED
from core.changes.kinds import AddCode, Put, apply, examine
from core.changes.of_codes import MoveNodes
from core.changes.of_statements import (
    DeleteLine,
    DeleteLines,
    MoveLines,
    PlaceAccounts,
    PutLine,
    shifted_line,
)
from core.changes.recording import decode, encode
from core.codes.selectors import named_codes
from core.definitions.state import State
from core.definitions.tables import Code, Company, HierarchyNode, Statement, StatementLine
from core.drafts.moves import (
    AccountSums,
    Cause,
    account_causes,
    companies_by_chart,
    group_moves,
    hierarchy_causes,
    hierarchy_moves,
    statement_causes,
    statement_moves,
    touched_hierarchies,
    touched_statements,
)
from core.faults import Refused, blocking
from core.references.landing import landing
from core.statements.amounts import Amounts
from core.statements.coverage import Sides, coverage, sides
from core.statements.figures import Figures, compute
from core.statements.formulas import parse
from core.statements.plans import Plan, plan
from core.tests.builders import not_one_by_one, state
from core.tests.test_figures import BALANCE, CODES

SUMS = AccountSums(
    ("alpha", "beta"),
    ("1010", "1110", "3010"),
    np.array([[100, 0], [50, 7], [-150, -7]]),
    np.array([[100, 0], [50, 7], [-150, -7]]),
)


def world(*more: object, without: tuple[object, ...] = ()) -> State:
    return state(*BALANCE, *more, without=without)


def planned(at: State) -> Plan:
    made = plan(at, "st")
    assert made
    return made


def figures(at: State, **amounts: int) -> Figures:
    """The balance sheet of one company with amounts by natural account, `a1010=5`."""
    made = planned(at)
    column = np.array([[amounts.get(f"a{code}", 0)] for code in made.accounts.posting])
    return compute(made, Amounts(column, column, ()), 2)


class Lines(TestCase):
    def test_where_a_line_can_go(self) -> None:
        for line, way, moved in (
            ("debtors", "up", ("assets", "cash")),
            ("cash", "down", ("assets", "")),
            ("creditors", "down", ("owing", "")),
            ("owing", "deeper", ("assets", "")),
            ("cash", "higher", ("", "owing")),
            ("result", "higher", ("", "")),
        ):
            with self.subTest(line, way=way):
                change = shifted_line(planned(world()), line, way)
                assert change
                self.assertEqual((change.row.line, change.parent, change.before), (line, *moved))
        for line, way in (("assets", "up"), ("owing", "down"), ("assets", "higher"), ("debtors", "deeper")):
            with self.subTest(line, way=way):
                self.assertIsNone(shifted_line(planned(world()), line, way))

    def test_what_goes_with_a_line(self) -> None:
        self.assertEqual(DeleteLine("st", "assets").goes(world()), (2, 4))
        self.assertEqual(DeleteLine("st", "cash").goes(world()), (0, 2))
        self.assertEqual(DeleteLine("st", "none").goes(world()), (0, 0))
        self.assertEqual(DeleteLine("st", "none").edits(world()), [])
        self.assertEqual(DeleteLines("st", ("cash", "assets", "capital")).goes(world()), (4, 5))
        gone = apply(world(), DeleteLines("st", ("cash", "assets", "capital")))
        self.assertEqual({key[1] for key in gone.part(StatementLine, "st")}, {"owing", "creditors", "result"})

    def test_several_lines_move_with_what_is_below_them_in_their_order(self) -> None:
        moved = planned(apply(world(), MoveLines("st", ("capital", "cash", "assets", "none"), "owing")))
        self.assertEqual(
            [(one.row.line, one.depth) for one in moved.lines],
            [
                ("owing", 0),
                ("creditors", 1),
                ("result", 1),
                ("assets", 1),
                ("cash", 2),
                ("debtors", 2),
                ("capital", 1),
            ],
        )
        top = planned(apply(world(), MoveLines("st", ("debtors", "capital"), "")))
        self.assertEqual([one.row.line for one in top.lines if not one.depth][-2:], ["debtors", "capital"])
        under = examine(world(), MoveLines("st", ("owing", "cash"), "capital"), NOTHING_POSTED)
        self.assertIn(
            "capital is of kind accounts; only a heading has lines below it.", [f.what for f in under.faults]
        )
        self.assertEqual(PlaceAccounts("st", "none", ("1010",)).edits(world()), [])
        left = apply(world(), DeleteLine("st", "assets")).part(StatementLine, "st").values()
        self.assertEqual({row.line for row in left}, {"owing", "creditors", "capital", "result"})

    def test_what_stands_on_it_and_what_does_not(self) -> None:
        bare = world(Code("acc", "1130", "Loans", account_class="asset"), without=(BALANCE[3],))
        seen = coverage(planned(bare), figures(bare, a1010=500, a1110=30, a3010=-530))
        self.assertEqual([(u.account, likely) for u, likely in seen.unplaced], [("1110", "cash")])
        self.assertEqual(
            [(idle.code.code, idle.code.name, idle.likely) for idle in seen.idle],
            [("1130", "Loans", "cash"), ("1810", "Due from", "cash")],
        )
        self.assertEqual((seen.placed, seen.belonging, seen.check), (5, 8, 0))

    def test_an_account_is_split_off_its_line_in_one_act(self) -> None:
        """Whether a new line names it or another one does: it goes there from where it stood, and every other
        account stays on its line."""

        def on(at: State) -> dict[str, str]:
            plan_of = planned(at)
            named = zip(plan_of.accounts.posting, plan_of.line_of.tolist(), strict=True)
            return {code: plan_of.lines[i].row.line if i >= 0 else "" for code, i in named}

        debtors = world().require(StatementLine, "st", "debtors")
        cases = [
            (StatementLine("st", "lent", "", 0, "Lent", "accounts", "1810"), {"1810": "lent"}),
            (StatementLine("st", "all", "", 0, "All", "accounts", "under 10, 1110"), None),
            (debtors._replace(accounts="1110, 1810, 1010"), {"1010": "debtors"}),
            (StatementLine("st", "none", "", 0, "None", "accounts", ""), {}),
        ]
        for row, wanted in cases:
            with self.subTest(row.line, accounts=row.accounts):
                change = PutLine(row, "assets", "debtors")
                self.assertEqual(decode(encode(change)), change)
                examined = examine(world(), change, NOTHING_POSTED)
                self.assertEqual(blocking(examined.faults), [])
                looks = [] if row.accounts else ["The line none picks no accounts yet."]
                self.assertEqual([fault.what for fault in examined.own], looks)
                after = apply(world(), change)
                was, now = on(world()), on(after)
                moved = {code: line for code, line in now.items() if line != was[code]}
                if wanted is None:
                    self.assertEqual(set(moved.values()), {"all"})
                    self.assertEqual(
                        after.require(StatementLine, "st", "cash").accounts, "under 10 except 1010, 1020"
                    )
                else:
                    self.assertEqual(moved, wanted)
                self.assertEqual(planned(after).twice, ())
        split = PutLine(cases[0][0], "assets", "debtors")
        self.assertEqual(split.sentence(world()), "Added line lent Lent of st, with 1810 from Debtors")

    def test_codes_are_named_one_by_one_or_by_a_selector(self) -> None:
        cases = [
            ("1110, 10,1110", ("1110", "10")),
            ("10*", ("1010", "1020")),
            ("1010 to 1110", ("1010", "1020", "1110")),
            ("under 10 except 1020", ("1010",)),
            ("9999", ("9999",)),
        ]
        for text, wanted in cases:
            self.assertEqual(named_codes(world(), "acc", text), wanted, text)
        for text, why in (
            ("", "No code is named, or none is there yet."),
            ("99*", "No code is named, or none is there yet."),
            ("under 99", "There is no rollup code 99 in hierarchy tree."),
            ("1010 to", "After 'to' a code is missing."),
        ):
            with self.assertRaises(Refused) as told:
                named_codes(world(), "acc", text)
            self.assertEqual([fault.what for fault in told.exception.faults], [why])

    def test_a_new_code_is_told_where_it_lands(self) -> None:
        def account(code: str, **more: Any) -> Code:
            return Code("acc", code, "New", account_class="asset")._replace(**more)

        grants = StatementLine("other", "all", "", 1, "All there is", "accounts", "1*")
        both = world(Statement("other", "Other sheet", "c", "balance_sheet"), grants)
        cases = [
            (world(), account("1030"), "10", "It stands under 10 Cash, and on Cash of Balance sheet."),
            (world(), account("1030"), "", "It stands under none. It is on no line of Balance sheet."),
            (world(), account("2900"), "", "It stands under none, and on Creditors of Balance sheet."),
            (
                world(),
                account("4900", account_class="revenue"),
                "10",
                "It stands under 10 Cash, and on Cash of Balance sheet.",
            ),
            (
                both,
                account("1030"),
                "10",
                "It stands under 10 Cash, and on All there is of Other sheet and Cash of Balance sheet.",
            ),
            (world(), account("14", rollup=True, posting=False), "1", "It stands under 1 Assets."),
        ]
        for at, row, parent, wanted in cases:
            with self.subTest(code=row.code, parent=parent):
                after = apply(at, AddCode(row, parent))
                self.assertEqual(landing(after, "acc", row.code).sentence, wanted)

    def test_the_two_sides_of_a_balance_sheet_are_told_where_they_differ(self) -> None:
        whole, bare = world(), world(without=(BALANCE[3],))
        cases = [
            (whole, {"a1010": 500, "a1110": 30, "a3010": -530}, ""),
            (bare, {"a1010": 500, "a3010": -500}, ""),
            (
                bare,
                {"a1010": 500, "a1110": 30, "a3010": -530},
                "The two sides differ by 0.30 GBP: Assets 5.00, Owing 5.30.",
            ),
        ]
        for at, amounts, wanted in cases:
            with self.subTest(wanted):
                both = sides(planned(at), figures(at, **amounts))
                assert both
                self.assertEqual(both.sentence(2, "GBP"), wanted)
        many = Sides(("A", "B", "C", "D"), ("Equity", "Debts"), 100, 250)
        self.assertEqual(
            many.sentence(0, "JPY"),
            "The two sides differ by 150 JPY: the side in debit 100, Equity and Debts 250.",
        )

    def test_a_ratio_divides_by_a_line(self) -> None:
        for text, is_ratio in (
            ("[a] / [b]", True),
            ("[a] / 2", False),
            ("100 * [a] / ([b] - [c])", True),
            ("-[a] + [b]", False),
        ):
            with self.subTest(text):
                self.assertEqual(parse(text).is_ratio, is_ratio)


class Moves(TestCase):
    """What a draft moves, beside the state it began from."""

    def test_a_statement_rearranged(self) -> None:
        before = world()
        after = apply(before, PlaceAccounts("st", "creditors", ("1110",)))
        moved = statement_moves(before, after, "st", SUMS, 2, not_one_by_one)
        self.assertEqual(
            [(m.line, m.company, m.was, m.now, m.difference) for m in moved],
            [
                ("assets", "alpha", 150, 100, -50),
                ("assets", "beta", 7, 0, -7),
                ("debtors", "alpha", 50, 0, -50),
                ("debtors", "beta", 7, 0, -7),
                ("owing", "alpha", 150, 100, -50),
                ("owing", "beta", 7, 0, -7),
                ("creditors", "alpha", 0, -50, -50),
                ("creditors", "beta", 0, -7, -7),
            ],
        )
        line = next(m for m in moved if m.line == "creditors" and m.company == "beta")
        self.assertEqual(
            statement_causes(before, after, line, SUMS, not_one_by_one), [Cause("1110", "Debtors", True, 7)]
        )
        self.assertEqual([row.statement for row in touched_statements(before, after)], ["st"])
        self.assertEqual(statement_moves(before, before, "st", SUMS, 2, not_one_by_one), [])
        self.assertEqual(touched_hierarchies(before, after), [])

    def test_a_statement_that_comes_and_goes(self) -> None:
        bare = state()
        came = statement_moves(bare, world(), "st", SUMS, 2, not_one_by_one)
        self.assertIn(("cash", "alpha", None, 100), [(m.line, m.company, m.was, m.now) for m in came])
        went = statement_moves(world(), bare, "st", SUMS, 2, not_one_by_one)
        self.assertIn(("cash", "alpha", 100, None), [(m.line, m.company, m.was, m.now) for m in went])

    def test_a_hierarchy_rearranged(self) -> None:
        before = world()
        after = apply(before, MoveNodes("tree", ("1110",), "10"))
        moved = hierarchy_moves(before, after, "tree", SUMS)
        self.assertEqual(
            [(m.line, m.company, m.was, m.now) for m in moved],
            [
                ("10", "alpha", 100, 150),
                ("10", "beta", 0, 7),
                ("11", "alpha", 50, 0),
                ("11", "beta", 7, 0),
            ],
        )
        self.assertEqual(
            hierarchy_causes(before, after, moved[0], SUMS), [Cause("1110", "Debtors", True, 50)]
        )
        self.assertEqual([row.hierarchy for row in touched_hierarchies(before, after)], ["tree"])
        gone = apply(before, Put(HierarchyNode("tree", "1110", "")))
        self.assertEqual(hierarchy_moves(before, before, "tree", SUMS), [])
        self.assertEqual({m.line for m in hierarchy_moves(before, gone, "tree", SUMS)}, {"1", "11"})

    def test_a_group(self) -> None:
        before = world()
        after = apply(before, PlaceAccounts("st", "creditors", ("1110",)))
        column = np.array([[5 if code == "1110" else 0, 8 if code == "1110" else 0] for code in CODES])
        amounts = Amounts(column, column, ())
        was, now = compute(planned(before), amounts, 2), compute(planned(after), amounts, 2)
        self.assertEqual(
            [(m.line, m.company, m.was, m.now) for m in group_moves(was, now, "g", "st")],
            [
                ("assets", "g", 8, 0),
                ("debtors", "g", 8, 0),
                ("owing", "g", 0, -8),
                ("creditors", "g", 0, -8),
            ],
        )
        for line, found in (
            ("creditors", [Cause("1110", "Debtors", True, 8)]),
            ("debtors", [Cause("1110", "Debtors", False, 8)]),
            ("none", []),
        ):
            with self.subTest(line):
                old, new = (planned(before), amounts), (planned(after), amounts)
                self.assertEqual(account_causes(old, new, line), found)

    def test_companies_by_their_chart(self) -> None:
        by_chart = companies_by_chart(state(Company("aa", "Aa", "GB", "GBP", "c", "m")))
        names = {chart: [row.company for row in rows] for chart, rows in by_chart.items()}
        self.assertEqual(names, {"c": ["aa", "alpha", "beta"]})
