"""Statements made from classes, a hierarchy, another statement, or nothing: each is sound, and shows every
account once."""

from __future__ import annotations

from datetime import date
from typing import Any
from unittest import TestCase

import numpy as np
from numpy.typing import NDArray

from core import checks
from core.books.periods import closed_early
from core.cash_flow.activities import cash_accounts
from core.cash_flow.misplaced import doubts_of_activity, misplaced
from core.cash_flow.proof import cash_proof
from core.changes.fixed import NOTHING_POSTED
from core.changes.kinds import Add, ChangeSet, Delete, Put, apply, check
from core.changes.proposing import new_statement
from core.definitions.state import State
from core.definitions.tables import Code, Hierarchy, HierarchyNode, Period, SetAside, Statement, StatementLine
from core.faults import Refused, blocking
from core.statements.amounts import WHOLE, Amounts
from core.statements.figures import compute
from core.statements.line_parts import RECEIVED
from core.statements.plans import Plan
from core.tests import builders
from core.tests.test_figures import planned

OPERATIONS = [
    ("Receivables", "under 11"),
    ("Owed", "under 2"),
    ("Earned", "under 4"),
    ("Due from", "1810"),
    ("Costs", "5010"),
    ("Group costs", "5020"),
]
SHAPES = [
    Code("acc", "2", "Owed", True, False),
    Code("acc", "4", "Earned", True, False),
    *(
        HierarchyNode("tree", code, parent)
        for code, parent in (("2", ""), ("2010", "2"), ("2810", "2"), ("4", ""), ("4010", "4"), ("4020", "4"))
    ),
    Hierarchy("flat", "acc", "Flat"),
    HierarchyNode("flat", "1"),
    HierarchyNode("flat", "10", "1"),
    HierarchyNode("flat", "1010", "10"),
    HierarchyNode("flat", "1110", "1"),
]


def lines(state: State, statement: str) -> list[tuple[str, str, str, str]]:
    rows = sorted(state.part(StatementLine, statement).values(), key=lambda row: row.position)
    return [(row.parent, row.label, row.kind, row.accounts) for row in rows]


class Proposing(TestCase):
    def made(self, state: State, *given: str) -> State:
        change = new_statement(state, *given)
        after = apply(state, change)
        self.assertEqual(
            [str(f) for f in blocking([*check(state, change, NOTHING_POSTED), *checks.of_everything(after)])],
            [],
        )
        for row in after.rows(Statement):
            self.assertEqual(misplaced(after, row.statement), ())
        return after

    def test_an_activity_changed_later_is_told_where_the_account_stands(self) -> None:
        plant = Code("acc", "1210", "Plant", account_class="asset")
        loan = Code("acc", "2210", "Bank loan", account_class="liability")
        before = self.made(builders.state(*SHAPES, plant, loan), "Cash flow", "c", "cash_flow", "classes")
        cases = [
            ("1110", "operating", ""),
            ("1110", "financing", "stands on Receivables among accounts of operating."),
            ("1010", "investing", "stands on Cash among accounts of cash."),
            ("1210", "cash", ""),
            ("4010", "investing", "stands on Result among accounts of operating."),
            ("1810", "investing", "stands on Due from among accounts of operating."),
        ]
        for code, activity, wanted in cases:
            with self.subTest(code=code, activity=activity):
                row = before.require(Code, "acc", code)
                after = apply(before, Put(row._replace(cash_flow=activity)))
                told = [one.sentence for one in misplaced(after, "cf")]
                sentence = f"{code} {row.name} has the activity {activity}, and {wanted}"
                self.assertEqual(told, [sentence] if wanted else [])
                looks = [fault.what for fault in checks.of_everything(after)]
                self.assertEqual([what for what in looks if "has the activity" in what], told)
                doubted = doubts_of_activity(after, "acc")
                self.assertEqual(
                    [one.sentence for one in doubted],
                    [f"In Cash flow it has the activity {activity}, and {wanted}"] if told else [],
                )
                aside = apply(after, Put(SetAside("acc", code, "activity-elsewhere", "So it is")))
                self.assertEqual([one.is_set_aside for one in misplaced(aside, "cf")], [True] * len(told))

    def test_a_cash_flow_statement_holds_every_account_once(self) -> None:
        state = builders.state(
            *SHAPES,
            Code("acc", "1210", "Plant", account_class="asset"),
            Code("acc", "1290", "Plant, written off", account_class="asset", contra=True),
            Code("acc", "2210", "Bank loan", account_class="liability"),
            Code("acc", "3020", "Grants", account_class="equity", cash_flow="investing"),
        )
        state = self.made(state, "Cash flow", "c", "cash_flow", "classes")
        self.assertEqual(
            lines(state, "cf"),
            [
                ("", "Cash gained in all", "heading", ""),
                ("gained", "Cash from all activities", "heading", ""),
                ("flows", "Cash from operations", "heading", ""),
                ("operating", "Result", "accounts", "under 4, 5010, 5020"),
                ("operating", "Receivables", "accounts", "under 11"),
                ("operating", "Owed", "accounts", "under 2"),
                ("operating", "Plant, written off", "accounts", "1290"),
                ("operating", "Due from", "accounts", "1810"),
                ("flows", "Cash from investing", "heading", ""),
                ("investing", "Plant", "accounts", "1210"),
                ("investing", "Grants", "accounts", "3020"),
                ("flows", "Cash from financing", "heading", ""),
                ("financing", "Bank loan", "accounts", "2210"),
                ("financing", "Capital", "accounts", "3010"),
                ("gained", "Cash that came or went with companies", "cash_taken_over", ""),
                ("gained", "What exchange rates did to cash", "rate_effect", ""),
                ("", "What cash moved", "heading", ""),
                ("cash", "Cash", "accounts", "under 10"),
            ],
        )
        plan = planned(state, "cf")
        self.assertEqual((plan.line_of >= 0).all(), True)
        moved = np.array([[(-1) ** i * (i + 7)] for i in range(len(plan.line_of))], dtype=np.int64)
        moved[0] -= moved.sum()
        amounts = Amounts(moved, moved)
        self.assertEqual(cash_proof(plan, compute(plan, amounts, 2), amounts, 0), (0, (), ()))
        without = apply(state, Delete(state.require(StatementLine, "cf", "investing-1210")))
        plan = planned(without, "cf")
        off, missing, _ = cash_proof(plan, compute(plan, amounts, 2), amounts, 0)
        at = plan.accounts.position["1210"]
        self.assertEqual(
            (off, [(code.code, raw) for code, raw in missing]), (-moved[at, 0], [("1210", moved[at, 0])])
        )

    def test_a_direct_cash_flow_tells_what_was_received_from_what_was_paid(self) -> None:
        state = builders.state(*SHAPES, Code("acc", "1210", "Plant", account_class="asset"))
        change = new_statement(state, "Direct cash flow", "c", "direct_cash_flow", "classes")
        sentence = "Made statement Direct cash flow of c, 31 lines; cash: 1010, 1020"
        self.assertEqual(change.sentence(state), sentence)
        state = self.made(state, "Direct cash flow", "c", "direct_cash_flow", "classes")
        self.assertEqual(
            lines(state, "cfd"),
            [
                ("", "Cash gained in all", "heading", ""),
                ("gained", "Cash from all activities", "heading", ""),
                ("flows", "Cash from operations", "heading", ""),
                ("operating", "Received from operations", "heading", ""),
                *(("received", label, "accounts", accounts) for label, accounts in OPERATIONS),
                ("operating", "Paid for operations", "heading", ""),
                *(("paid", label, "accounts", accounts) for label, accounts in OPERATIONS),
                ("flows", "Cash from investing", "heading", ""),
                ("investing", "Received from investing", "heading", ""),
                ("received-investing", "Plant", "accounts", "1210"),
                ("investing", "Paid for investing", "heading", ""),
                ("paid-investing", "Plant", "accounts", "1210"),
                ("flows", "Cash from financing", "heading", ""),
                ("financing", "Received from financing", "heading", ""),
                ("received-financing", "Capital", "accounts", "3010"),
                ("financing", "Paid for financing", "heading", ""),
                ("paid-financing", "Capital", "accounts", "3010"),
                ("gained", "Cash that came or went with companies", "cash_taken_over", ""),
                ("gained", "What exchange rates did to cash", "rate_effect", ""),
                ("", "What cash moved", "heading", ""),
                ("cash", "Cash", "accounts", "under 10"),
            ],
        )
        plan = planned(state, "cfd")
        self.assertEqual((plan.homes >= 0).all(), True)
        self.assertEqual(cash_accounts(plan.accounts), {"1010", "1020"})
        amounts, moved = self.by_way(plan)
        figures, at = compute(plan, amounts, 2), plan.accounts.position["1020"]
        sides = {figure.line.row.line: figure.shown[0] for figure in figures.lines}
        others = [place for place in range(len(plan.line_of)) if plan.line_of[place] < 0]
        self.assertEqual((sides["flows"], sides["cash"]), (-moved[others].sum(), -moved[others].sum()))
        received = sum(
            int(sides[line] or 0) for line in ("received", "received-investing", "received-financing")
        )
        self.assertEqual(received, -moved[others, 0].sum())
        in_all = moved.sum(axis=1, keepdims=True)
        in_all[at] += 30
        proof = cash_proof(plan, figures, amounts, 0, Amounts(in_all, in_all))
        self.assertEqual(
            (proof.off, proof.missing, [(code.code, raw) for code, raw in proof.unseen]),
            (0, (), [("1020", 30)]),
        )
        self.assertEqual(proof.is_proven, False)

    def by_way(self, plan: Plan) -> tuple[Amounts, NDArray[np.int64]]:
        """Amounts of all accounts in journals that received cash and in such that paid it, either of which
        balance; and the two by account."""
        size = len(plan.line_of)
        moved = np.array([[(-1) ** i * (i + 7), (i % 3) * 5 - 4] for i in range(size)], dtype=np.int64)
        moved[0] -= moved.sum(axis=0)
        whole = np.flatnonzero(plan.line_of >= 0)
        rows, places = [moved[whole].sum(axis=1)], [whole]
        numbers = [np.full(len(whole), WHOLE)]
        for number, part in enumerate(plan.parts):
            rows.append(moved[part.accounts, 0 if part.way == RECEIVED else 1])
            places.append(part.accounts)
            numbers.append(np.full(len(part.accounts), number))
        window = np.concatenate(rows)[:, None]
        amounts = Amounts(window, window, places=np.concatenate(places), parts=np.concatenate(numbers))
        return amounts, moved

    def test_what_a_direct_cash_flow_lacks_is_told(self) -> None:
        state = builders.state(
            Statement("d", "Paid", "c", "direct_cash_flow"),
            StatementLine("d", "r", "", 1, "Result", "result"),
        )
        self.assertEqual(
            [str(f) for f in checks.of_everything(state) if f.where.table == "statement_lines"],
            [
                "statement_lines, d r, column statement, value 'd': No account of acc is cash, so Paid sums"
                " nothing. Give the accounts of cash and banks the cash flow `cash`.",
                "statement_lines, d r, column kind, value 'result': Paid is a direct cash flow, which has no"
                " line of the result. Put the accounts of the result on lines of accounts.",
            ],
        )

    def test_each_source_makes_a_sound_statement(self) -> None:
        state = builders.state(*SHAPES)
        state = self.made(state, "Balance sheet", "c", "balance_sheet", "classes")
        self.assertEqual(sorted(planned(state, "bs").missed()), [])
        state = self.made(state, "From the tree", "c", "balance_sheet", "hierarchy:tree")
        self.assertEqual(
            lines(state, "from-the-tree"),
            [
                ("", "Assets", "heading", ""),
                ("l1", "Cash", "accounts", "under 10"),
                ("l1", "Receivables", "accounts", "under 11"),
                ("", "Owed", "accounts", "under 2"),
                ("", "Result", "result", ""),
            ],
        )
        state = self.made(state, "What is earned", "c", "income_statement", "hierarchy:tree")
        self.assertEqual(lines(state, "what-is-earned"), [("", "Earned", "accounts", "under 4")])
        state = self.made(state, "Flat", "c", "other", "hierarchy:flat")
        self.assertEqual(
            lines(state, "flat"),
            [
                ("", "Assets", "heading", ""),
                ("l1", "Cash", "accounts", "under 10 in flat"),
                ("l1", "Debtors", "accounts", "1110"),
            ],
        )
        state = self.made(state, "Balance sheet", "c", "balance_sheet", "statement:from-the-tree")
        self.assertEqual(lines(state, "bs-2"), lines(state, "from-the-tree"))
        state = self.made(state, "Notes", "c", "other", "empty")
        self.assertEqual(lines(state, "notes"), [])

    def test_what_it_cannot_be_made_from_is_told(self) -> None:
        state = builders.state()
        way = (
            "Classes make a balance sheet, an income statement or a cash flow statement, direct or not; a"
            " hierarchy is one of the chart's accounts."
        )
        cases: list[tuple[tuple[str, str, str, str], str]] = [
            (("", "c", "other", "empty"), "statements, column name: The statement has no name. Give one."),
            (("A", "none", "other", "empty"), "statements, column chart: Choose a chart."),
            (
                ("A", "c", "other", "classes"),
                f"statements, column source, value 'classes': It can't be made from that. {way}",
            ),
            (
                ("A", "c", "other", "hierarchy:none"),
                f"statements, column source, value 'hierarchy:none': It can't be made from that. {way}",
            ),
        ]
        for given, told in cases:
            with self.subTest(told), self.assertRaises(Refused) as refused:
                new_statement(state, *given)
            self.assertEqual([str(fault) for fault in refused.exception.faults], [told])


class InOrder(TestCase):
    def test_a_period_that_closes_before_an_earlier_one_is_asked_about(self) -> None:
        state = builders.state()

        def closing(*numbers: int) -> str:
            rows: list[Any] = [
                state.require(Period, "m", 2026, number)._replace(status="closed") for number in numbers
            ]
            return closed_early(state, ChangeSet(tuple(map(Put, rows)), "").edits(state))

        for numbers, told in [
            ((1,), ""),
            ((1, 2), ""),
            ((2,), "M1 is not closed, and periods close in order. Say why M2 closes before."),
            (
                (1, 4),
                (
                    "M2 and 1 more before it are not closed, and periods close in order. Say why M4 closes"
                    " before."
                ),
            ),
            ((1, 2, 3, 4, 13), ""),
            (
                (13,),
                (
                    "M1 and 2 more before it are not closed, and periods close in order. Say why Closing"
                    " closes before."
                ),
            ),
        ]:
            with self.subTest(numbers):
                self.assertEqual(closing(*numbers), told)
        further = Period("m", 2026, 5, "M5", date(2026, 5, 1), date(2026, 5, 31), status="open")
        self.assertEqual(closed_early(state, Add(further).edits(state)), "")
