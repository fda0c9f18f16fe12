"""Drafts: replayed on what is published by now, single changes taken back, two sides of a collision, what
they move."""

from datetime import date
from typing import Any
from unittest import TestCase

import numpy as np
from hypothesis import given, settings, strategies as st

from core.changes.fixed import NOTHING_POSTED
from core.changes.kinds import (
    KINDS,
    AddCode,
    Amend,
    Change,
    ChangeSequence,
    CloseCode,
    Delete,
    DeleteCode,
    MoveNode,
    Put,
    Restore,
    apply,
    inverse,
    joined,
)
from core.changes.of_statements import MapAccounts, PlaceAccounts
from core.changes.recording import decode_change, encode
from core.codes.hierarchies import find_cycle, tree
from core.codes.lists import list_index
from core.definitions.state import Edit, State
from core.definitions.tables import (
    TABLES,
    Code,
    Company,
    CompanyAccount,
    Hierarchy,
    HierarchyNode,
    PairingRule,
)
from core.drafts.moves import AccountSums, hierarchy_causes, hierarchy_moves, statement_moves
from core.drafts.readiness import charts_touched, items
from core.drafts.replaying import PLACED, Replayed, collisions, dependents, recorded, replay, touching
from core.statements.amounts import Amounts
from core.statements.figures import compute
from core.statements.plans import plan
from core.tests.builders import not_one_by_one, state
from core.tests.test_changes import rows_of
from core.tests.test_figures import BALANCE

TILL = Code("acc", "1030", "Till", account_class="asset")
BANK = Code("acc", "1010", "Bank", account_class="asset")
WORLD = state(*BALANCE)


def drafted(*changes: Change, base: State = WORLD) -> Replayed:
    return replay(base, list(enumerate(changes, 1)))


def between(before: State, *changes: Change) -> list[Edit]:
    """What changes published one after the other come to."""
    return replay(before, list(enumerate(changes))).edits()


class Recording(TestCase):
    CHANGES: tuple[Change, ...] = (
        AddCode(TILL, "10"),
        Amend("codes", ("acc", "1010"), (("name", "Main bank"), ("in_use_until", "2026-03-31"))),
        CloseCode("acc", "1010", date(2026, 3, 31)),
        CloseCode("acc", "1010", None),
        DeleteCode("acc", "5020"),
        Delete(PairingRule("c", "r", 1, "site", "required")),
        MapAccounts("g", "alpha", ("1010", "1020"), "1110"),
        MoveNode("tree", "1010", "11"),
        PlaceAccounts("st", "cash", ("1110",)),
        Put(Company("gamma", "Gamma", "NL", "EUR", "c", "m", foreign_currencies=True)),
        ChangeSequence(
            (MoveNode("tree", "1010", "11"), CloseCode("acc", "1020", date(2026, 1, 1))), "Tidied"
        ),
        Restore(
            (Edit("codes", ("acc", "1030"), TILL, None), Edit("codes", ("acc", "1010"), None, BANK)),
            "Something",
        ),
    )

    def test_every_change_comes_back_as_it_was_written(self) -> None:
        for change in self.CHANGES:
            with self.subTest(change):
                self.assertEqual(decode_change(encode(change)), change)

    def test_every_kind_of_change_is_known_by_its_name(self) -> None:
        self.assertEqual({type(change).__name__ for change in self.CHANGES} - set(KINDS), set())

    def test_only_the_columns_that_change_are_kept(self) -> None:
        made = recorded(Put(BANK._replace(name="Main bank")), WORLD)
        self.assertEqual(made, Amend("codes", ("acc", "1010"), (("name", "Main bank"),)))
        self.assertEqual(recorded(Put(TILL), WORLD), Put(TILL))
        later = ChangeSequence((Put(TILL), Put(TILL._replace(name="Tills"))))
        self.assertEqual(
            recorded(later, WORLD),
            ChangeSequence((Put(TILL), Amend("codes", ("acc", "1030"), (("name", "Tills"),)))),
        )
        self.assertEqual(made.sentence(WORLD), "Changed code 1010 Bank of acc: name from Bank to Main bank")


class Drafts(TestCase):
    def test_a_draft_follows_what_is_published_meanwhile(self) -> None:
        """The name is the draft's, the last day somebody else's; both stay."""
        change = recorded(Put(BANK._replace(name="Main bank")), WORLD)
        moved_on = apply(WORLD, CloseCode("acc", "1010", date(2026, 6, 30)))
        made = drafted(change, base=moved_on)
        self.assertEqual(
            made.state.get(Code, "acc", "1010"),
            BANK._replace(name="Main bank", in_use_until=date(2026, 6, 30)),
        )

    def test_collisions_name_both_sides(self) -> None:
        named = recorded(Put(BANK._replace(name="Main bank")), WORLD)
        other = Put(BANK._replace(name="House bank"))
        cases: list[tuple[Change, Change, list[str]]] = [
            (named, CloseCode("acc", "1010", date(2026, 6, 30)), []),
            (
                named,
                other,
                [
                    "The code 1010 House bank of acc was changed meanwhile: name House bank as published,"
                    " Main bank in the draft."
                ],
            ),
            (named, Put(BANK._replace(name="Main bank")), []),
            (
                AddCode(TILL, "10"),
                AddCode(TILL._replace(name="Float"), "10"),
                [
                    "The code 1030 Float of acc was changed meanwhile: name Float as published, Till in the"
                    " draft."
                ],
            ),
            (
                DeleteCode("acc", "1020"),
                Put(Code("acc", "1020", "Cash box", account_class="asset")),
                [
                    "The draft deletes the code 1020 Cash box of acc; a version published meanwhile"
                    " changes it."
                ],
            ),
            (
                Put(Code("acc", "1020", "Cash box", account_class="asset")),
                DeleteCode("acc", "1020"),
                [
                    "A version published meanwhile deletes the code 1020 Cash box of acc; the draft"
                    " changes it."
                ],
            ),
            (MoveNode("tree", "1010", "11"), MoveNode("tree", "1020", "11"), []),
            (
                MoveNode("tree", "1010", "11"),
                MoveNode("tree", "1010", "1"),
                ["The place 1010 of tree was changed meanwhile: parent 1 as published, 11 in the draft."],
            ),
        ]
        for mine, theirs, expected in cases:
            with self.subTest(str(mine)):
                found = collisions(between(apply(WORLD, theirs), mine), between(WORLD, theirs))
                self.assertEqual([c.sentence for c in found], expected)

    def test_what_both_deleted_is_no_collision(self) -> None:
        both = between(WORLD, DeleteCode("acc", "1020"))
        self.assertTrue(both)
        self.assertEqual(collisions(both, both), [])

    def test_taking_one_back_takes_what_builds_on_it(self) -> None:
        made = drafted(
            AddCode(TILL, "10"),
            CloseCode("acc", "1110", date(2026, 6, 30)),
            Amend("codes", ("acc", "1030"), (("name", "Tills"),)),
            PlaceAccounts("st", "cash", ("1030",)),
            MoveNode("tree", "1110", "10"),
        )
        self.assertEqual(dependents(made, 1), [3, 4])
        self.assertEqual(dependents(made, 2), [])
        self.assertEqual(dependents(made, 5), [])
        self.assertEqual(touching(made, "codes", ("acc", "1030")), [1, 3])

    def test_renumbered_neighbours_depend_on_nothing(self) -> None:
        made = drafted(MoveNode("tree", "1010", "11", "1110"), MoveNode("tree", "1020", "11", "1110"))
        self.assertEqual((dependents(made, 1), dependents(made, 2)), ([], []))

    def test_what_does_nothing_any_more_is_told(self) -> None:
        gone = apply(WORLD, DeleteCode("acc", "1020"))
        made = drafted(Amend("codes", ("acc", "1020"), (("name", "Cash box"),)), base=gone)
        found = [(item.severity, item.sentence) for item in items(made, [], NOTHING_POSTED)]
        self.assertEqual(
            found[0], ("must", "This change does nothing any more: Left code acc 1020 as it was.")
        )

    def test_the_list_before_publishing(self) -> None:
        world = state(*BALANCE, Company("gamma", "Gamma", "GB", "GBP", "c", "m", accounts_open="listed"))
        made = drafted(AddCode(TILL), CloseCode("acc", "1810", date(2026, 6, 30)), base=world)
        self.assertEqual(
            [(item.severity, item.sentence) for item in items(made, [], NOTHING_POSTED)],
            [
                ("must", "1030 Till is on no line of Balance sheet."),
                ("look", "1030 stands under no rollup code."),
                ("look", "Gamma has not opened 1030."),
                (
                    "look",
                    "1810 is closed but still named: the intercompany pair of alpha and beta, and 2 more.",
                ),
            ],
        )
        opened = drafted(AddCode(TILL, "10"), Put(CompanyAccount("gamma", "1030")), base=world)
        self.assertEqual(
            [(item.severity, item.sentence) for item in items(opened, [], NOTHING_POSTED)],
            [
                ("ok", "Every account the draft touches keeps its line"),
                ("ok", "Every new posting code sits under a rollup code"),
            ],
        )

    def test_a_move_that_puts_an_account_on_a_second_line_is_told(self) -> None:
        found = [item.sentence for item in items(drafted(MoveNode("tree", "1110", "10")), [], NOTHING_POSTED)]
        self.assertEqual(
            found[0], "1110 stands on two lines of Balance sheet: Cash and Debtors. Take it off one of them."
        )

    def test_charts_are_known_by_any_of_their_rows(self) -> None:
        rows = [
            ("codes", ("acc",)),
            ("hierarchy_nodes", ("tree",)),
            ("structure_segments", ("s",)),
            ("statement_lines", ("st",)),
            ("companies", ("alpha",)),
            ("pairing_rules", ("c",)),
            ("calendars", ("m",)),
            ("groups", ("none",)),
        ]
        self.assertEqual([charts_touched(WORLD, WORLD, [row]) for row in rows], [["c"]] * 6 + [[], []])


CODES = sorted(code.code for code in WORLD.part(Code, "acc").values() if not code.rollup)
ROLLUPS = ["", "1", "10", "11"]
changes = st.one_of(
    st.builds(
        MoveNode,
        st.just("tree"),
        st.sampled_from(CODES),
        st.sampled_from(ROLLUPS),
        st.sampled_from(["", *CODES]),
    ),
    st.builds(
        CloseCode,
        st.just("acc"),
        st.sampled_from(CODES),
        st.sampled_from([None, date(2026, 1, 31), date(2026, 6, 30)]),
    ),
    st.builds(
        lambda code, name: AddCode(Code("acc", code, name, account_class="asset"), "10"),
        st.sampled_from(["1030", "1040", "1050"]),
        st.sampled_from(["Till", "Float"]),
    ),
    st.builds(
        lambda code, name: Amend("codes", ("acc", code), (("name", name),)),
        st.sampled_from(CODES),
        st.sampled_from("AB"),
    ),
    st.builds(lambda code: PlaceAccounts("st", "cash", (code,)), st.sampled_from(CODES)),
    st.builds(lambda code: DeleteCode("acc", code), st.sampled_from(CODES)),
)
drafts = st.lists(changes, max_size=7)


def amounts(world: State, seed: int) -> AccountSums:
    """Amounts of two companies that balance."""
    codes = tuple(list_index(world, "acc").posting)
    figures = np.random.default_rng(seed).integers(-1000, 1000, (len(codes), 2))
    figures[-1] -= figures.sum(axis=0)
    return AccountSums(("alpha", "beta"), codes, figures, figures)


class Properties(TestCase):
    @settings(max_examples=60, deadline=None)
    @given(drafts)
    def test_all_changes_and_then_their_inverses_are_nothing(self, made: list[Change]) -> None:
        at, back = WORLD, []
        for change in made:
            back.append(inverse(at, change))
            at = apply(at, change)
        for change in reversed(back):
            at = apply(at, change)
        self.assertEqual(rows_of(at), rows_of(WORLD))

    @settings(max_examples=60, deadline=None)
    @given(drafts)
    def test_a_draft_comes_to_the_same_however_it_is_kept(self, made: list[Change]) -> None:
        """At once, step by step on what is kept already, written down and read back, and as its net edits."""
        whole = drafted(*made)
        pieces = replay(WORLD, ())
        for number, change in enumerate(made, 1):
            pieces = pieces.followed([(number, decode_change(encode(change)))])
        self.assertEqual(rows_of(pieces.state), rows_of(whole.state))
        self.assertEqual(rows_of(WORLD.edited(whole.edits())), rows_of(whole.state))
        turned = WORLD.edited(whole.edits()).edited(edit.turned() for edit in whole.edits())
        self.assertEqual(rows_of(turned), rows_of(WORLD))

    @settings(max_examples=60, deadline=None)
    @given(st.lists(st.tuples(st.sampled_from([*CODES, "10", "11"]), st.sampled_from(ROLLUPS)), max_size=12))
    def test_moves_that_pass_their_checks_keep_a_tree_a_tree(self, moves: list[tuple[str, str]]) -> None:
        from core.changes.kinds import check
        from core.faults import blocking

        at = WORLD
        for code, parent in moves:
            change = MoveNode("tree", code, parent)
            if not blocking(check(at, change, NOTHING_POSTED)):
                at = apply(at, change)
        nodes: dict[str, str | None] = {
            n.code: n.parent or None for n in at.part(HierarchyNode, "tree").values()
        }
        self.assertEqual(find_cycle(nodes), [])
        made = tree(at, "tree")
        self.assertEqual(sorted(made.place), sorted(nodes))
        for code in made.place:
            self.assertEqual(made.path(code)[-1], code)

    @settings(max_examples=60, deadline=None)
    @given(drafts, st.integers(0, 1000))
    def test_what_it_moves_is_the_difference_of_both_computed_from_scratch(
        self, made: list[Change], seed: int
    ) -> None:
        after = drafted(*made).state
        sums = amounts(WORLD, seed)

        def shown(world: State) -> dict[tuple[str, str], Any]:
            fresh = State.of([row for table in rows_of(world).values() for row in table.values()])
            ready = plan(fresh, "st")
            assert ready is not None
            place = {code: i for i, code in enumerate(sums.codes)}
            rows = [
                sums.window[place[c]] if c in place else np.zeros(2, dtype=np.int64)
                for c in ready.accounts.posting
            ]
            found = compute(ready, Amounts(np.array(rows), np.array(rows)), 2)
            return {
                (f.line.row.line, c): f.shown[i] for f in found.lines for i, c in enumerate(sums.companies)
            }

        was, now = shown(WORLD), shown(after)
        expected = {
            key: (was.get(key), now.get(key))
            for key in {*was, *now}
            if (was.get(key) or 0) != (now.get(key) or 0)
        }
        found = statement_moves(WORLD, after, "st", sums, 2, not_one_by_one)
        self.assertEqual({(m.line, m.company): (m.was, m.now) for m in found}, expected)

    @settings(max_examples=60, deadline=None)
    @given(drafts, st.integers(0, 1000))
    def test_rollup_codes_move_by_the_accounts_that_come_and_go(self, made: list[Change], seed: int) -> None:
        after = drafted(*made).state
        sums = amounts(WORLD, seed)
        found = hierarchy_moves(WORLD, after, "tree", sums)
        place = {code: i for i, code in enumerate(sums.codes)}

        def under(world: State, code: str, column: int) -> int:
            return sum(
                int(sums.cumulative[place[below], column])
                for below in tree(world, "tree").below(code)
                if below in place
            )

        expected = {
            (code, company): (under(WORLD, code, i), under(after, code, i))
            for code in ROLLUPS[1:]
            for i, company in enumerate(sums.companies)
            if under(WORLD, code, i) != under(after, code, i)
        }
        self.assertEqual({(m.line, m.company): (m.was or 0, m.now or 0) for m in found}, expected)
        for moved in found:
            through = hierarchy_causes(WORLD, after, moved, sums)
            self.assertEqual(moved.difference, sum(c.amount if c.enters else -c.amount for c in through))

    @settings(max_examples=80, deadline=None)
    @given(drafts, drafts)
    def test_without_collisions_nothing_published_meanwhile_is_undone(
        self, mine: list[Change], theirs: list[Change]
    ) -> None:
        published = drafted(*theirs)
        made = drafted(*(recorded(change, WORLD) for change in mine), base=published.state)
        if collisions(made.edits(), published.edits()):
            return
        for edit in published.edits():
            row = made.state.get(TABLES[edit.table].row, *edit.key)
            for i, name in enumerate(TABLES[edit.table].row._fields):
                if (
                    edit.new is not None
                    and (edit.old is None or edit.new[i] != edit.old[i])
                    and name != PLACED.get(edit.table)
                ):
                    assert row is not None
                    self.assertEqual(row[i], edit.new[i], edit)


class Checked(TestCase):
    def test_joined_edits_leave_no_row_that_came_and_went(self) -> None:
        made = drafted(AddCode(TILL, "10"), DeleteCode("acc", "1030"))
        self.assertEqual(joined(made.edits()), [])

    def test_a_second_main_hierarchy_in_a_draft_is_told(self) -> None:
        made = drafted(Put(Hierarchy("other", "acc", "Other", True)))
        found = [item.sentence for item in items(made, [], NOTHING_POSTED) if item.kind == "hierarchies"]
        self.assertEqual(found, ["acc has a main hierarchy already: tree. Make one of them not main."])
