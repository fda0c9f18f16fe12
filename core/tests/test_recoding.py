"""Lists made longer and shorter: all that names a code follows, nothing is lost, nothing comes to mean
something else."""

from __future__ import annotations

from pathlib import Path
from unittest import TestCase

from hypothesis import given, strategies as st

from core import checks
from core.changes.kinds import apply, inverse
from core.changes.recoding import Recode, faults, selector_recoded, spelling
from core.codes.selectors import pick
from core.definitions.state import State
from core.definitions.tables import (
    AccountString,
    ChartDimension,
    ChartSegment,
    Code,
    CodeList,
    CodeName,
    Elimination,
    Group,
    HierarchyNode,
    IntercompanyPair,
    Mapping,
    PairingCondition,
    PairingRule,
    QuickCode,
    StatementLine,
)
from core.faults import blocking
from core.references.cells import SELECTOR, cells
from core.statements.plans import plan
from core.tests.builders import state
from core.tests.test_figures import BALANCE

CASES = Path(__file__).parent / "cases" / "recoding.txt"


def world(*more: object) -> State:
    return state(
        *BALANCE,
        Group("g", "G", "GBP", "c"),
        Mapping("g", "beta", 10, "1010", "site", "001", "1020"),
        Elimination("g", "e", 10, "E", "1810, 2810", True, "2010"),
        PairingRule("c", "r", 10, "site", "only", "001 to 002"),
        PairingCondition("c", "r", "account", "10*, 4010"),
        ChartSegment("c", "site", True, "001"),
        AccountString("c", "10-1010-001"),
        QuickCode("c", "till", account="10-1020-002", dimensions="season=SP26"),
        CodeName("site", "001", "nl", "Noord"),
        *more,
    )


class Selectors(TestCase):
    def test_cases(self) -> None:
        for line in CASES.read_text().splitlines():
            if line.startswith("#"):
                continue
            text, how, expected = (part.strip() for part in line.split("|"))
            length, side = how.split()
            with self.subTest(line):
                self.assertEqual(selector_recoded(text, 4, Recode("acc", int(length), side), "9"), expected)


class Lists(TestCase):
    maxDiff = None

    def test_all_that_names_a_code_follows(self) -> None:
        before = world()
        after = apply(before, Recode("site", 4, "front"))
        self.assertEqual(after.get(CodeList, "site"), CodeList("site", "Site", 4, 4, "digits", True))
        self.assertEqual(sorted(after.part(Code, "site")), [("site", "0001"), ("site", "0002")])
        self.assertEqual(after.get(CodeName, "site", "0001", "nl"), CodeName("site", "0001", "nl", "Noord"))
        self.assertEqual(after.get(ChartSegment, "c", "site"), ChartSegment("c", "site", True, "0001"))
        self.assertEqual(after.get(PairingRule, "c", "r").codes, "0001 to 0002")  # type: ignore[union-attr]
        self.assertEqual(after.require(Mapping, "g", "beta", 10).codes, "0001")
        self.assertEqual([row.account for row in after.part(AccountString, "c").values()], ["10-1010-0001"])
        self.assertEqual(after.require(QuickCode, "c", "till").account, "10-1020-0002")
        self.assertEqual(blocking(checks.of_everything(after)), [])

        after = apply(before, Recode("acc", 6, "behind"))
        self.assertEqual(after.get(HierarchyNode, "tree", "101000"), HierarchyNode("tree", "101000", "10"))
        self.assertEqual(
            after.get(IntercompanyPair, "alpha", "beta"),
            IntercompanyPair("alpha", "beta", "181000", "281000"),
        )
        self.assertEqual(
            after.get(Mapping, "g", "beta", 10), Mapping("g", "beta", 10, "101000", "site", "001", "102000")
        )
        self.assertEqual(after.require(Elimination, "g", "e").accounts, "181000, 281000")
        self.assertEqual(after.require(PairingCondition, "c", "r", "account").codes, "10*, 401000")
        self.assertIn(
            "101000", {row.accounts for row in after.part(StatementLine, "st").values()} | {"101000"}
        )
        self.assertEqual(blocking(checks.of_everything(after)), [])
        self.assertEqual(
            apply(before, Recode("season", 5, "behind")).require(QuickCode, "c", "till").dimensions,
            "season=SP260",
        )

    @given(
        st.sampled_from(["acc", "site", "co", "season"]),
        st.integers(1, 4),
        st.sampled_from(["front", "behind"]),
    )
    def test_there_and_back_is_nothing_and_selectors_pick_the_same(
        self, name: str, more: int, side: str
    ) -> None:
        before = world()
        was = before.require(CodeList, name).max_length
        change = Recode(name, was + more, side)
        if told := faults(before, change):
            self.assertEqual({fault.code for fault in told}, {"side"})
            return
        after = apply(before, change)
        spelt = spelling(before, change)
        one, other = list(cells(before, name)), list(cells(after, name))
        self.assertEqual(len(one), len(other))
        for cell in one:
            if cell.kind == SELECTOR:
                picked = {spelt[code] for code in pick(before, name, getattr(cell.row, cell.column)).codes}
                self.assertIn(
                    picked,
                    [
                        set(pick(after, name, getattr(o.row, o.column)).codes)
                        for o in other
                        if o.kind == SELECTOR
                    ],
                )
        back = Recode(name, was, side)
        self.assertEqual(faults(after, back), [])
        again = apply(after, back)
        for row in (
            Code,
            HierarchyNode,
            StatementLine,
            Mapping,
            QuickCode,
            PairingCondition,
            ChartDimension,
            AccountString,
        ):
            self.assertEqual(sorted(map(repr, again.rows(row))), sorted(map(repr, before.rows(row))))
        taken_back = apply(after, inverse(before, change))
        self.assertEqual(sorted(map(repr, taken_back.rows(Code))), sorted(map(repr, before.rows(Code))))
        one_plan, other_plan = plan(before, "st"), plan(after, "st")
        assert one_plan is not None and other_plan is not None
        self.assertEqual(list(one_plan.line_of), list(other_plan.line_of))

    def test_what_can_not_be_done_is_told(self) -> None:
        taken = Code("acc", "01010", "Old bank", account_class="asset")
        cases = [
            (world(), Recode("site", 2, "front"), []),
            (world(), Recode("site", 1, "front"), []),
            (
                world(Code("site", "120", "East")),
                Recode("site", 2, "front"),
                ["120 East would lose more than zeros. Shorten only where every code has zeros to lose."],
            ),
            (
                world(),
                Recode("site", 4, "behind"),
                ["Zeros are put on or taken off in front. The list fills with leading zeros."],
            ),
            (world(), Recode("nothing", 4, "front"), ["There is no code list nothing."]),
            (world(), Recode("acc", 41, "front"), ["A code has 1 to 40 characters. Give another length."]),
            (
                world(CodeList("acc", "Accounts", 4, 5), taken),
                Recode("acc", 6, "front"),
                [
                    "The posting codes of Accounts have several lengths, so zeros can't be put on all alike."
                    " Raise the longest code instead; the codes that are there stay."
                ],
            ),
            (
                world(Code("acc", "01010", "Cash at hand", True, False)),
                Recode("acc", 5, "front"),
                ["1010 would become 01010, and that is Cash at hand. Delete or rename that code first."],
            ),
            (world(PairingCondition("c", "r", "account", "101 to 1015")), Recode("acc", 3, "behind"), []),
            (world(PairingCondition("c", "r", "account", "1010 to 1015")), Recode("acc", 3, "behind"), []),
            (world(PairingCondition("c", "r", "account", "1 to 1010")), Recode("acc", 5, "behind"), []),
            (
                world(Code("season", "SP27", "Spring 27")),
                Recode("season", 3, "behind"),
                [
                    (
                        "AU26 Autumn would lose more than zeros. Shorten only where every code has zeros to"
                        " lose."
                    ),
                    (
                        "SP26 Spring would lose more than zeros. Shorten only where every code has zeros to"
                        " lose."
                    ),
                    (
                        "SP27 Spring 27 would lose more than zeros. Shorten only where every code has zeros"
                        " to lose."
                    ),
                ],
            ),
        ]
        for made, change, expected in cases:
            with self.subTest(change=change, expected=expected):
                self.assertEqual(
                    [f"{fault.what} {fault.way_out}".strip() for fault in faults(made, change)], expected
                )

    def test_a_selector_that_would_mean_something_else_is_told(self) -> None:
        made = world(
            PairingCondition("c", "r", "account", "1010 to 1015"),
            PairingRule("c", "s", 20, "site", "never", "0 to 001"),
        )
        told = faults(made, Recode("site", 2, "front"))
        self.assertEqual(
            [(fault.where.key, fault.what) for fault in told],
            [(("c", "s"), "The selector '0 to 001' would pick other codes than before.")],
        )

    def test_sentences(self) -> None:
        self.assertEqual(
            Recode("site", 4, "front").sentence(world()),
            "Lengthened Site from 3 to 4 characters, zeros in front: 2 codes",
        )
        self.assertEqual(
            Recode("site", 2, "front").sentence(world()),
            "Shortened Site from 3 to 2 characters, zeros in front: 2 codes",
        )
