"""Changes as values: applied and taken back, checked, told in sentences; definitions checked row by row."""

from datetime import date
from decimal import Decimal
from typing import Any
from unittest import TestCase

from hypothesis import given, settings, strategies as st

from core import checks
from core.changes.fixed import NOTHING_POSTED, Facts
from core.changes.further_segments import tails
from core.changes.kinds import (
    AddCode,
    Change,
    ChangeSequence,
    CloseCode,
    DeleteCode,
    Drop,
    MoveNode,
    Put,
    apply,
    check,
    inverse,
)
from core.changes.of_statements import DeleteLine, MapAccounts, MoveLine, PlaceAccounts
from core.codes.hierarchies import Tree, tree
from core.codes.lists import likely_class, next_free
from core.definitions.state import Edit, State
from core.definitions.tables import (
    DEFINING_TABLES,
    ChartSegment,
    Code,
    CodeList,
    Company,
    Elimination,
    Group,
    GroupMember,
    Hierarchy,
    HierarchyNode,
    IntercompanyPair,
    Mapping,
    PairingRule,
    Period,
    QuickCode,
    Statement,
    StatementLine,
    StructureSegment,
)
from core.tests.builders import state
from core.tests.test_figures import BALANCE, line, planned

POSTED = Facts(
    lambda _: frozenset({"1010"}),
    lambda: frozenset({"c"}),
    lambda: frozenset({"alpha"}),
    lambda _: frozenset({(2026, 1)}),
    with_balances=lambda: frozenset({"beta"}),
)


def rows_of(world: State) -> dict[str, dict[Any, Any]]:
    return {table.name: dict(world.table(table.name)) for table in DEFINING_TABLES}


def laid_out(made: Tree) -> tuple[object, ...]:
    """All that a tree says, to be compared."""
    return made.order, made.end.tolist(), made.place, made.parent, made.children


class Changes(TestCase):
    CASES = (
        (
            AddCode(Code("acc", "1030", "Till", account_class="asset"), "10"),
            "Added code 1030 Till of acc under 10",
        ),
        (CloseCode("acc", "1010", date(2026, 3, 31)), "Closed code 1010 Bank of acc from 2026-03-31 on"),
        (MoveNode("tree", "1010", "11"), "Moved 1010 under 11 in tree, from 10"),
        (
            Put(Code("acc", "1010", "Main bank", account_class="asset")),
            "Changed code 1010 Bank of acc: name from Bank to Main bank",
        ),
        (DeleteCode("acc", "5020"), "Deleted code 5020 Group costs of acc"),
        (PlaceAccounts("st", "cash", ("1110",)), "Placed 1110 on line cash Cash of st"),
        (MoveLine(BALANCE[2], "owing", "capital"), "Moved line cash Cash of st under owing"),
        (DeleteLine("st", "assets"), "Deleted line assets Assets of st"),
        (Drop(IntercompanyPair("alpha", "beta", "1810", "2810")), "Deleted intercompany pair beta of alpha"),
        (
            ChangeSequence((CloseCode("acc", "1010", date(2026, 3, 31)), CloseCode("acc", "1010", None))),
            "Closed code 1010 Bank of acc from 2026-03-31 on, and 1 more",
        ),
    )

    def test_each_can_be_told_and_taken_back(self) -> None:
        world = state(*BALANCE)
        for change, sentence in self.CASES:
            with self.subTest(sentence):
                self.assertEqual(change.sentence(world), sentence)
                after = apply(world, change)
                self.assertEqual(rows_of(apply(after, inverse(world, change))), rows_of(world))
                self.assertEqual(
                    rows_of(State.of(row for table in rows_of(after).values() for row in table.values())),
                    rows_of(after),
                )

    def test_placing_takes_the_account_off_its_other_line(self) -> None:
        after = apply(state(*BALANCE), PlaceAccounts("st", "cash", ("1110",)))
        self.assertEqual(planned(after).twice, ())
        self.assertEqual(after.require(StatementLine, "st", "debtors").accounts, "1810")
        self.assertEqual(after.require(StatementLine, "st", "cash").accounts, "under 10, 1110")

    def test_what_is_fixed_after_posting(self) -> None:
        world = state(*BALANCE)
        cases: list[tuple[Change, str]] = [
            (
                Put(Code("acc", "1010", "Bank", account_class="liability")),
                "The account class can't change from asset any more because it was posted to.",
            ),
            (
                Put(Company("alpha", "Alpha", "GB", "EUR", "c", "m")),
                "The currency can't change from GBP any more because it has postings.",
            ),
            (
                Put(Period("m", 2026, 1, "M1", date(2026, 1, 1), date(2026, 1, 31), "opening")),
                "The kind can't change from regular any more because journals fall into it.",
            ),
            (
                Put(Company("beta", "Beta", "GB", "GBP", "c", "other")),
                "The calendar can't change from m any more because its books are kept as balances, which say"
                " a period and no day.",
            ),
            (
                Put(StructureSegment("s", 4, "crop", "Crop", "site")),
                (
                    "Account strings of Chart were posted to without Crop, so it is optional there or has a"
                    " default."
                ),
            ),
            (DeleteCode("acc", "1010"), "1010 can't be deleted because it was posted to."),
        ]
        for change, expected in cases:
            with self.subTest(expected):
                self.assertIn(expected, [fault.what for fault in check(world, change, POSTED)])
                self.assertNotIn(expected, [fault.what for fault in check(world, change, NOTHING_POSTED)])

    def test_a_further_segment_of_a_posted_structure_is_optional_or_has_a_default(self) -> None:
        world = state(*BALANCE)
        crop = Put(StructureSegment("s", 4, "crop", "Crop", "site"))
        for own, expected in (
            (ChartSegment("c", "crop", False), []),
            (ChartSegment("c", "crop", True, "001"), []),
            (
                ChartSegment("c", "crop", True),
                [
                    "Account strings of Chart were posted to without Crop, so it is optional there or has a"
                    " default."
                ],
            ),
            (ChartSegment("c", "crop", True, "009"), ["Crop: there is no code 009."]),
        ):
            with self.subTest(own=own):
                change = ChangeSequence((crop, Put(own)))
                self.assertEqual([fault.what for fault in check(world, change, POSTED)], expected)
                self.assertEqual(tails(world, change.edits(world)), {"c": "-"})
        between = ChangeSequence(
            (Put(StructureSegment("s", 3, "crop", "Crop", "site")), Put(ChartSegment("c", "crop", False)))
        )
        self.assertIn(
            "The segment can't change from site any more because account strings of its structure were"
            " posted to.",
            [fault.what for fault in check(world, between, POSTED)],
        )

    def test_what_is_used_cannot_go(self) -> None:
        world = state(*BALANCE)
        found = [fault.what for fault in check(world, DeleteCode("acc", "3010"), NOTHING_POSTED)]
        self.assertEqual(found, ["3010 Capital is used: line Capital of Balance sheet."])
        self.assertEqual(
            [f.what for f in check(world, Drop(Statement("st", "x", "c")), NOTHING_POSTED)],
            ["st is used by 7 rows of statement_lines."],
        )

    @settings(max_examples=60, deadline=None)
    @given(
        st.lists(
            st.tuples(
                st.sampled_from(["1", "10", "11", "1010", "1020", "1110"]),
                st.sampled_from(["", "1", "10", "11", "1010"]),
            ),
            max_size=12,
        )
    )
    def test_random_moves_keep_a_tree(self, moves: list[tuple[str, str]]) -> None:
        world = state()
        for code, parent in moves:
            change = MoveNode("tree", code, parent)
            if not check(world, change, NOTHING_POSTED):
                tree(world, "tree")  # is kept, and followed by the next
                world = apply(world, change)
                self.assertEqual(
                    laid_out(tree(world, "tree")),
                    laid_out(tree(State.of([*world.rows(Hierarchy), *world.rows(HierarchyNode)]), "tree")),
                )
        grown = tree(world, "tree")
        self.assertEqual(sorted(code for code, _ in grown.order), ["1", "10", "1010", "1020", "11", "1110"])
        for i, (code, depth) in enumerate(grown.order):
            self.assertEqual(len(grown.path(code)), depth + 1)
            self.assertEqual(set(grown.below(code)), {c for c, _ in grown.order[i + 1 : grown.end[i]]})

    @settings(max_examples=80, deadline=None)
    @given(
        st.lists(
            st.tuples(
                st.sampled_from("abcdef"), st.sampled_from(["", *"abcdef"]), st.booleans(), st.integers(1, 3)
            ),
            max_size=14,
        )
    )
    def test_a_tree_followed_through_any_edits_is_the_tree_made_from_nothing(
        self, acts: list[tuple[str, str, bool, int]]
    ) -> None:
        """Nodes come, go, turn round on themselves; what is laid out from the former tree never differs."""
        world = State.of([Hierarchy("t", "l", "T")])
        for code, parent, gone, position in acts:
            tree(world, "t")
            old = world.get(HierarchyNode, "t", code)
            new = None if gone else HierarchyNode("t", code, parent, position)
            world = world.edited([Edit("hierarchy_nodes", ("t", code), old, new)])
            made, fresh = (
                tree(world, "t"),
                tree(State.of([Hierarchy("t", "l", "T"), *world.rows(HierarchyNode)]), "t"),
            )
            self.assertEqual(laid_out(made), laid_out(fresh))

    def test_the_next_free_code_and_the_class_of_its_neighbours(self) -> None:
        world = state(Code("acc", "1030", "x", account_class="asset"))
        for after, expected in [
            ("1010", "1015"),
            ("1030", "1040"),
            ("5020", "5030"),
            ("11", "1120"),
            ("", "1015"),
        ]:
            with self.subTest(after):
                self.assertEqual(next_free(world, "acc", after), expected)
        self.assertEqual(
            (likely_class(world, "acc", "1040"), likely_class(world, "acc", "2020")), ("asset", "liability")
        )


class Definitions(TestCase):
    """Each case: rows added to the sound small world, and the one fault they bring, with its column."""

    def test_the_small_world_is_sound(self) -> None:
        self.assertEqual(list(checks.of_everything(state(*BALANCE))), [])

    def test_faults(self) -> None:
        group = Group("g", "G", "GBP", "c")
        cases: list[tuple[Any, str, str]] = [
            (CodeList("x", "X", 5, 4), "max_length", "The maximum length 4 is below the minimum 5."),
            (CodeList("x", "X", 2, 4, zero_pad=True), "zero_pad", "Zero padding needs codes of one length."),
            (
                Code("acc", "10A0", "x", account_class="asset"),
                "code",
                "Codes of Accounts are made of digits.",
            ),
            (
                Code("acc", "101", "x", account_class="asset"),
                "code",
                "Codes of Accounts have at least 4 characters, this one 3.",
            ),
            (
                Code("acc", "10101", "x", account_class="asset"),
                "code",
                "Codes of Accounts have at most 4 characters, this one 5.",
            ),
            (Code("acc", "1030", "Till"), "account_class", "1030 Till has no account class."),
            (
                Code("acc", "12", "R", True, False, account_class="asset"),
                "account_class",
                "A rollup code has no account class.",
            ),
            (
                Code("site", "003", "S", account_class="asset"),
                "account_class",
                "A code of site, which serves as natural account nowhere, has no account class.",
            ),
            (Code("nolist", "003", "S"), "code_list", "There is no code list nolist."),
            (Hierarchy("t2", "acc", "T2", True), "main", "acc has a main hierarchy already: tree."),
            (HierarchyNode("tree", "9999", "10"), "code", "There is no code 9999 in acc."),
            (
                HierarchyNode("tree", "2010", "1010"),
                "parent",
                "1010 Bank is a posting code and has nothing below it.",
            ),
            (HierarchyNode("tree", "1", "10"), "parent", "A code stands under itself: 1 under 10 under 1."),
            (
                StructureSegment("s", 4, "more", "More", "acc", "natural_account"),
                "role",
                "more has the role natural_account that account has already.",
            ),
            (
                StructureSegment("s", 5, "more", "More", "site"),
                "position",
                "Segment more stands at position 5, expected 4.",
            ),
            (ChartSegment("c", "site", True, "009"), "default_code", "Site: there is no code 009."),
            (
                ChartSegment("c", "account", False),
                "required",
                "Account is the natural account segment: every line carries it.",
            ),
            (
                ChartSegment("c", "company", False),
                "required",
                "Company is the company segment: every line carries it.",
            ),
            (PairingRule("c", "r", 1, "crop", "required"), "field", "c has no segment or dimension crop."),
            (
                PairingRule("c", "r", 1, "site", "only"),
                "codes",
                "The outcome only needs the codes it speaks of.",
            ),
            (PairingRule("c", "r", 1, "site", "fill", "999"), "codes", "Site: there is no code 999."),
            (
                QuickCode("c", "a-b", account="10-1010"),
                "quick_code",
                "A quick code of c never holds its separator '-'.",
            ),
            (
                Period("m", 2026, 5, "M5", date(2026, 4, 30), date(2026, 5, 31)),
                "starts_on",
                "M5 overlaps M4, which ends on 2026-04-30.",
            ),
            (
                Period("m", 2026, 6, "M6", date(2026, 6, 1), date(2026, 6, 30)),
                "starts_on",
                "There is a gap between M4, which ends on 2026-04-30, and M6.",
            ),
            (
                IntercompanyPair("alpha", "beta", "1899", "2810"),
                "due_from",
                "Account: there is no code 1899.",
            ),
            (
                line("more", "", "accounts", "1010"),
                "accounts",
                "1010 stands on two lines of Balance sheet: Cash and More.",
            ),
            (line("more", "", "accounts", "4010"), "accounts", "4010 stand on More and in the result line."),
            (line("more", "nowhere", "heading"), "parent", "There is no line nowhere in st."),
            (
                line("more", "cash", "heading"),
                "parent",
                "cash is of kind accounts; only a heading has lines below it.",
            ),
            (line("more", "", "formula", "[nowhere] + 1"), "formula", "There is no line nowhere in st."),
            (line("more", "", "formula", "[more] + 1"), "formula", "The formulas go round: more needs more."),
            (
                line("assets", "assets", "heading"),
                "parent",
                "A line stands under itself: assets under assets.",
            ),
            ([group, GroupMember("g", "nobody")], "member", "There is no company nobody."),
            ([group, GroupMember("g", "g", "group")], "member", "A group is a member of itself: g in g."),
            (
                [
                    group,
                    Group("h", "H", "GBP", "c"),
                    GroupMember("g", "alpha"),
                    GroupMember("g", "h", "group"),
                    GroupMember("h", "alpha"),
                ],
                "member",
                "alpha is reached twice from group g.",
            ),
            (
                [group, Mapping("g", "alpha", 1, "1010", target="11")],
                "target",
                "Account: 11 Receivables is a rollup code and takes no amounts.",
            ),
            (
                [group, Elimination("g", "e", 1, "", "1810", True, "9999")],
                "difference_account",
                "Account: there is no code 9999.",
            ),
            (
                [group, GroupMember("g", "alpha", ownership=Decimal(101))],
                "ownership",
                "Ownership is a percentage from 0 to 100.",
            ),
        ]
        for rows, column, expected in cases:
            with self.subTest(expected):
                more = rows if isinstance(rows, list) else [rows]
                found = [
                    (f.where.column, f.what)
                    for f in checks.of_everything(state(*BALANCE, *more))
                    if f.severity == "must"
                ]
                self.assertIn((column, expected), found)

    def test_mixed_signs_must_be_stated(self) -> None:
        world = state(Statement("st", "S", "c"), line("mixed", "", "accounts", "1010, 2010"))
        self.assertEqual(
            [f.what for f in checks.of_everything(world)],
            ["Mixed of S mixes accounts shown as debit and as credit."],
        )
        self.assertEqual(
            list(
                checks.of_everything(
                    state(Statement("st", "S", "c"), line("m", "", "accounts", "1010, 2010", sign="debit"))
                )
            ),
            [],
        )

    def test_mapping_by_hand_joins_the_row_that_goes_there(self) -> None:
        world = state(Group("g", "G", "GBP", "c"), Mapping("g", "alpha", 10, "1010", target="1110"))
        after = apply(world, MapAccounts("g", "alpha", ("1020",), "1110"))
        self.assertEqual(after.require(Mapping, "g", "alpha", 10).accounts, "1010, 1020")
        self.assertEqual(
            apply(world, MapAccounts("g", "alpha", ("1020",), "2010"))
            .require(Mapping, "g", "alpha", 20)
            .target,
            "2010",
        )
