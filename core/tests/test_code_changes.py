"""Changes of codes and hierarchies: rows brought in, taken out, kept versions; lists asked and counted."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from typing import Any
from unittest import TestCase

from core.changes.fixed import NOTHING_POSTED
from core.changes.kinds import (
    Add,
    ChangeSequence,
    ChangeSet,
    Delete,
    Put,
    apply,
    check,
    edit_sentence,
    inverse,
)
from core.changes.of_codes import KeepVersion, MoveNodes, TakeOut
from core.code_rows import header_of, read
from core.codes.hierarchies import tree
from core.codes.lists import Fullness, fullness, fullness_by_beginning, likely_class, next_free, text_fault
from core.codes.tree_counts import counted, mixed
from core.definitions.row_proposals import Proposals
from core.definitions.state import State
from core.definitions.tables import Code, CodeList, CodeProperty, Hierarchy, HierarchyNode, Statement
from core.listing import CodeFilter, CodeMarks, listed
from core.tests.builders import state, told
from core.tests.rich_world import rich_state


class Brought(TestCase):
    """Rows of codes pasted or from a file."""

    def bring(self, *rows: Sequence[str], world: State | None = None) -> Proposals:
        return read(world or rich_state(), "acc", rows, ("account_class", "use", "owner"), NOTHING_POSTED)

    def test_what_each_row_would_do(self) -> None:
        brought = self.bring(
            ("Code", "Name", "account_class", "under", "owner"),
            ("1010", "Bank", "asset", "10", "Treasury"),
            ("1020", "Tills", "asset", "11", "Sales"),
            ("1030", "Safe", "asset", "10", ""),
            ("1110", "Debtors", "asset", "", ""),
        )
        self.assertEqual(
            [(row.number, row.code, row.kind, row.differences) for row in brought.rows],
            [
                (2, "1010", "same", []),
                (
                    3,
                    "1020",
                    "changed",
                    [("name", "Petty cash", "Tills"), ("under", "10", "11"), ("owner", "", "Sales")],
                ),
                (4, "1030", "new", []),
                (5, "1110", "same", []),
            ],
        )
        self.assertEqual([brought.count(kind) for kind in ("same", "changed", "new", "fault")], [2, 1, 1, 0])
        change = brought.change
        assert change
        self.assertEqual(change.sentence(rich_state()), "Brought in 4 codes of acc, 1 of them new")
        changed = apply(rich_state(), change)
        self.assertEqual(tree(changed, "tree").parent["1030"], "10")
        self.assertEqual(changed.require(CodeProperty, "acc", "1020", "owner").value, "Sales")

    def test_without_a_header_the_columns_are_those_seen(self) -> None:
        brought = self.bring(("1030", "Safe", "asset", "Treasury"))
        self.assertEqual([(row.number, row.code, row.kind) for row in brought.rows], [(1, "1030", "new")])
        self.assertEqual(
            header_of(("account_class", "use", "owner")), ["code", "name", "account_class", "owner"]
        )

    def test_one_code_speaks_of_itself(self) -> None:
        for code, name, sentence in (
            ("1030", "Safe", "Added code 1030 Safe of acc"),
            ("1010", "Banks", "Changed code 1010 Banks of acc"),
        ):
            change = self.bring(("code", "name", "account_class"), (code, name, "asset")).change
            assert change
            self.assertEqual(change.sentence(rich_state()), sentence)

    def test_faults_stand_on_their_rows(self) -> None:
        for rows, faults in (
            (
                [("code", "nmae"), ("1030", "Safe")],
                ["There is no column 'nmae' in this list."],
            ),
            (
                [("code", "name", "limit"), ("1020", "Petty cash", "big")],
                ["Limit is a number, not 'big'."],
            ),
            (
                [("code", "name", "account_class", "under"), ("1030", "Safe", "asset", "99")],
                ["There is no code 99 in acc."],
            ),
            (
                [("code", "name", "rollup"), ("1030", "Safe", "perhaps")],
                ["A flag is true or false.", "1030 Safe has no account class."],
            ),
            (
                [("name", "code", "code_list"), ("Safe", "1030", "co")],
                ["The row is of co, and this is acc."],
            ),
            (
                [("1030", "Safe", "asset", "Sales", "more")],
                ["A row has more cells than there are columns (4)."],
            ),
        ):
            with self.subTest(str(rows[-1])):
                brought = self.bring(*rows)
                self.assertIsNone(brought.change)
                self.assertEqual(told(brought.faults), faults)


class Trees(TestCase):
    def test_taking_out_moves_up_what_stands_below_or_takes_it_along(self) -> None:
        for along, there, sentence in (
            (False, {"1", "1010", "1020", "11", "1110"}, "Took 10 out of tree; 2 codes below moved up"),
            (True, {"1", "11", "1110"}, "Took 10 out of tree, with 2 codes below"),
        ):
            change = TakeOut("tree", ("10",), along)
            self.assertEqual(change.below(state()), 2)
            self.assertEqual(change.sentence(state()), sentence)
            changed = apply(state(), change)
            self.assertEqual({node.code for node in changed.part(HierarchyNode, "tree").values()}, there)
            if not along:
                self.assertEqual(tree(changed, "tree").parent["1010"], "1")
        self.assertEqual(
            told(check(state(), TakeOut("tree", ("1810",)), NOTHING_POSTED)),
            ["1810 was not placed by hand in tree."],
        )
        self.assertEqual(TakeOut("tree", ("1110",)).sentence(state()), "Took 1110 out of tree")

    def test_a_version_is_kept(self) -> None:
        change = KeepVersion("tree", "tree-2025", date(2026, 1, 1))
        self.assertEqual(change.sentence(state()), "Kept hierarchy tree Tree as it holds until 2026-01-01")
        changed = apply(state(), change)
        kept, main = changed.get(Hierarchy, "tree-2025"), changed.get(Hierarchy, "tree")
        assert kept and main
        self.assertEqual((kept.version_of, kept.main, kept.name), ("tree", False, "Tree until 2026-01-01"))
        self.assertEqual(main.holds_from, date(2026, 1, 1))
        self.assertEqual(
            len(changed.part(HierarchyNode, "tree-2025")), len(state().part(HierarchyNode, "tree"))
        )
        for refused, why in (
            (KeepVersion("tree-2025", "x", date(2026, 2, 1)), "A kept version has no versions of its own."),
            (KeepVersion("tree", "x", date(2025, 2, 1)), "It holds from 2026-01-01 already."),
            (KeepVersion("tree", "tree-2025", date(2026, 2, 1)), "There is a hierarchy tree-2025 already."),
        ):
            with self.subTest(why):
                self.assertIn(why, told(check(changed, refused, NOTHING_POSTED)))
        self.assertEqual(KeepVersion("none", "x", date(2026, 1, 1)).edits(state()), [])

    def test_counts_below_and_mixed_classes(self) -> None:
        world = state(HierarchyNode("tree", "2010", "11"))
        shape, counts = tree(world, "tree"), counted(world, "tree")
        self.assertEqual(counts.total, 4)
        self.assertEqual(counts.below(shape.place["1"]), 4)
        self.assertEqual(counts.below(shape.place["1010"]), 0)
        self.assertEqual(mixed(world, "tree"), [("11", ("asset", "liability"))])
        self.assertEqual(mixed(state(Hierarchy("bare", "acc", "Bare")), "bare"), [])


class Sentences(TestCase):
    def test_what_the_log_says(self) -> None:
        world = rich_state()
        bank, note = world.get(Code, "acc", "1010"), world.get(Statement, "is")
        assert bank and note
        rename = Put(bank._replace(name="Banks"))
        for change, sentence in (
            (Add(Code("acc", "1040", "Vault")), "Added code 1040 Vault of acc"),
            (Delete(note), "Deleted statement is Income, with 4 lines"),
            (ChangeSequence((rename, rename)), f"{rename.sentence(world)}, and 1 more"),
            (ChangeSequence((rename,), "Renamed the bank"), "Renamed the bank"),
            (ChangeSequence(()), "Changed nothing"),
            (ChangeSet((rename,), "Renamed"), "Renamed"),
            (MoveNodes("tree", ("1010", "1020"), "11"), "Moved 2 codes under 11 in tree"),
            (MoveNodes("tree", ("1010",), ""), "Moved 1010 to the top in tree"),
        ):
            with self.subTest(sentence):
                self.assertEqual(change.sentence(world), sentence)
        (edit,) = rename.edits(world)
        self.assertEqual(edit_sentence(edit), "Changed code 1010 Bank of acc: name from Bank to Banks")
        self.assertEqual(edit_sentence(edit._replace(new=None)), "Deleted code 1010 Bank of acc")

    def test_taking_back_needs_what_the_change_left(self) -> None:
        world = rich_state()
        bank = world.get(Code, "acc", "1010")
        assert bank
        rename = Put(bank._replace(name="Banks"))
        back, changed = inverse(world, rename), apply(world, rename)
        self.assertEqual(back.sentence(world), f"Took back: c{rename.sentence(world)[1:]}")
        self.assertEqual(apply(changed, back).digest, world.digest)
        later = apply(changed, Put(bank._replace(name="Banking")))
        self.assertIn(
            "The code 1010 Banks of acc was changed again since.", told(check(later, back, NOTHING_POSTED))
        )


class Lists(TestCase):
    def test_texts_that_are_no_code(self) -> None:
        accounts = CodeList("acc", "Accounts", 4, 4)
        for text, rollup, why in (
            ("10-10", False, "Codes of Accounts are made of digits."),
            ("10100", False, "Codes of Accounts have at most 4 characters, this one 5."),
            ("101", False, "Codes of Accounts have at least 4 characters, this one 3."),
            ("101", True, ""),
            ("1010", False, ""),
        ):
            with self.subTest(text):
                self.assertEqual(text_fault(accounts, text, rollup), why)
        words = CodeList("w", "Words", 2, 9, "letters")
        self.assertEqual(
            text_fault(words, "under", False),
            "'under' is a word of the selectors, so no code may be called that.",
        )

    def test_the_next_free_code_and_its_likely_class(self) -> None:
        world = state()
        for near, free, account_class in (
            ("1010", "1011", "asset"),
            ("1110", "1120", "asset"),
            ("5020", "5030", "expense"),
            ("10", "1030", "asset"),
        ):
            with self.subTest(near):
                self.assertTrue(
                    next_free(world, "acc", near).startswith(free[:2]), next_free(world, "acc", near)
                )
                self.assertEqual(likely_class(world, "acc", free), account_class)
        self.assertEqual((next_free(world, "none", "1"), likely_class(world, "none", "1")), ("", ""))

    def test_how_full(self) -> None:
        self.assertEqual(fullness(state(), "co"), Fullness(2, 100))
        self.assertEqual(fullness(state(), "none"), Fullness(0, 0))
        self.assertEqual(
            fullness_by_beginning(state(), "co"), [("1", Fullness(1, 10)), ("2", Fullness(1, 10))]
        )
        self.assertEqual(fullness_by_beginning(state(), "none"), [])

    def test_codes_asked_for(self) -> None:
        closed = Code("acc", "1020", "Petty cash", account_class="asset", in_use_until=date(2026, 1, 31))
        world = state(closed, Statement("st", "Balance sheet", "c", "balance_sheet"))
        marks = CodeMarks(lambda: frozenset({"1010", "4010"}), frozenset({"1110"}))
        naturals = ["1010", "1020", "1110", "1810", "2010", "2810", "3010", "4010", "4020", "5010", "5020"]
        for asked, codes in (
            (CodeFilter(prefix="18"), ["1810"]),
            (CodeFilter(account_class="equity"), ["3010"]),
            (CodeFilter(kind="rollup"), ["1", "10", "11"]),
            (CodeFilter(kind="silent"), []),
            (CodeFilter(prefix="10", kind="posting", on=date(2026, 3, 1)), ["1010"]),
            (CodeFilter(stands="posted"), ["1010", "4010"]),
            (CodeFilter(prefix="1", stands="never"), ["1020", "1110", "1810"]),
            (CodeFilter(stands="closed"), ["1020"]),
            (CodeFilter(prefix="10", stands="open"), ["10", "1010"]),
            (CodeFilter(stands="draft"), ["1110"]),
            (CodeFilter(prefix="1", stands="loose"), ["1810"]),
            (CodeFilter(stands="offline"), naturals),
            (CodeFilter(has=(("account_class", "equity"),)), ["3010"]),
            (CodeFilter(words="petty"), ["1020"]),
            (CodeFilter(prefix="10", kind="posting", sort="name", down=True), ["1020", "1010"]),
            (CodeFilter(prefix="10", kind="posting", sort="account_class"), ["1010", "1020"]),
        ):
            with self.subTest(asked=asked):
                found: list[Any] = listed(world, "acc", asked, marks)
                self.assertEqual(
                    found if asked.sort else sorted(found), codes if asked.sort else sorted(codes)
                )
                self.assertTrue(asked.narrows)
        self.assertFalse(CodeFilter().narrows)
