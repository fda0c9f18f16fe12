"""Arrangements: statements of their own in place of inherited ones, and what moved above."""

from __future__ import annotations

from random import Random
from typing import Any
from unittest import TestCase

from hypothesis import given, strategies as st

from core.changes.fixed import NOTHING_POSTED
from core.changes.kinds import Change, Drop, Put, apply, examine
from core.changes.of_arrangements import (
    Arrange,
    EndArrangement,
    SetBack,
    SettleUpstream,
    TakeUpstream,
    take_all,
)
from core.changes.of_statements import DeleteLine, MoveLine
from core.changes.recording import decode, encode
from core.definitions.state import State
from core.definitions.tables import ArrangedLine, Arrangement, Company, Statement, StatementLine
from core.mapping.arrangements import (
    arranged_otherwise,
    fingerprint,
    lost_by_setting_back,
    origins,
    own_lines,
    shown_statement,
    upstream,
)
from core.tests.builders import state
from core.tests.test_figures import BALANCE

ROW = Arrangement("own", "st", "alpha")
ABOVE = state(*BALANCE)
WORLD = apply(ABOVE, Arrange(ROW, "Own balance"))


def line(state: State, statement: str, name: str) -> StatementLine:
    return state.require(StatementLine, statement, name)


def moved(state: State) -> list[tuple[str, str]]:
    return [(one.line, one.movement) for one in upstream(state, state.require(Arrangement, "own"))]


def tree(state: State, statement: str) -> dict[str, str]:
    """What every line is, wherever it stands among its neighbours."""
    return {name: fingerprint(row) for name, row in own_lines(state, statement).items()}


class Arrangements(TestCase):
    def test_it_begins_as_a_copy_and_is_shown_while_in_use(self) -> None:
        self.assertEqual(tree(WORLD, "own"), tree(WORLD, "st"))
        self.assertEqual(set(origins(WORLD, ROW).values()), {"inherited"})
        self.assertEqual((moved(WORLD), shown_statement(WORLD, "st", "alpha")), ([], "own"))
        self.assertEqual(shown_statement(WORLD, "st", "beta"), "st")
        put_by = apply(WORLD, Put(ROW._replace(in_use=False)))
        self.assertEqual(shown_statement(put_by, "st", "alpha"), "st")
        self.assertEqual(tree(put_by, "own"), tree(WORLD, "own"), "nothing is lost by putting it by")
        ended = apply(WORLD, EndArrangement("own"))
        self.assertEqual(ended.digest, ABOVE.digest)

    def test_what_moves_above_is_told_until_it_is_taken_or_settled(self) -> None:
        cash = line(WORLD, "st", "cash")
        after = apply(WORLD, Put(cash._replace(label="Money")))
        after = apply(after, Put(StatementLine("st", "note", "assets", 90, "A note", "text")))
        after = apply(after, DeleteLine("st", "debtors"))
        self.assertEqual(sorted(moved(after)), [("cash", "changed"), ("debtors", "gone"), ("note", "new")])
        self.assertEqual({one.section for one in upstream(after, ROW)}, {"Assets"})
        taken = apply(after, TakeUpstream("own", "cash"))
        self.assertEqual(line(taken, "own", "cash").label, "Money")
        settled = apply(taken, SettleUpstream("own", "debtors", "We still lend"))
        self.assertEqual(moved(settled), [("note", "new")])
        self.assertEqual(settled.require(ArrangedLine, "own", "debtors").seen, "gone")
        left_out = apply(settled, SettleUpstream("own", "note", "Said elsewhere"))
        self.assertEqual(moved(left_out), [])
        again = apply(left_out, Put(line(left_out, "st", "note")._replace(label="Another note")))
        self.assertEqual(
            moved(again), [("note", "changed")], "what was settled and moves again is told again"
        )
        all_of_it = take_all(after, "own")
        assert all_of_it is not None
        done = apply(after, all_of_it)
        self.assertEqual((moved(done), tree(done, "own")), ([], tree(done, "st")))
        self.assertIsNone(take_all(done, "own"))

    def test_own_lines_are_told_and_lost_only_by_setting_back(self) -> None:
        own = apply(WORLD, MoveLine(StatementLine("own", "petty", "", 0, "Petty cash", "text"), "assets"))
        own = apply(own, Put(line(own, "own", "cash")._replace(label="Till", accounts="1010")))
        self.assertEqual(
            {k: v for k, v in origins(own, ROW).items() if v != "inherited"},
            {"petty": "own", "cash": "changed"},
        )
        self.assertEqual(lost_by_setting_back(own, ROW, "assets"), (["Petty cash"], ["Till"]))
        self.assertEqual(lost_by_setting_back(own, ROW, "owing"), ([], []))
        company = own.require(Company, "alpha")
        self.assertEqual(arranged_otherwise(own, "st", [company]), [(company, ["Till"])])
        untouched = apply(own, SetBack("own", "owing"))
        self.assertEqual(tree(untouched, "own"), tree(own, "own"))
        back = apply(own, SetBack("own", "assets"))
        self.assertEqual(tree(back, "own"), tree(back, "st"))

    def test_what_is_refused(self) -> None:
        other = Statement("inc", "Income", "c", "income_statement")
        world = apply(WORLD, Put(other))
        cases: list[tuple[Change, str]] = [
            (Put(Arrangement("inc", "own", "beta")), "own is an arrangement."),
            (Put(Arrangement("inc", "inc", "beta")), "inc is itself."),
            (Put(Arrangement("inc", "st", "beta")), "inc is of another chart or kind than st."),
            (Put(ROW._replace(member="nobody")), "There is no company nobody."),
            (Put(ROW._replace(member_kind="group", member="nobody")), "There is no group nobody."),
            (Arrange(Arrangement("own", "st", "beta"), "Again"), "There is a statement own already."),
            (SettleUpstream("own", "cash", " "), "Why it is left as it is here is not said."),
        ]
        for change, what in cases:
            with self.subTest(what):
                self.assertEqual(decode(encode(change)), change)
                found = examine(world, change, NOTHING_POSTED)
                self.assertEqual([fault.what for fault in found.faults], [what])
        twice = apply(WORLD, Put(Statement("too", "Too", "c", "balance_sheet")))
        found = examine(twice, Put(Arrangement("too", "st", "alpha")), NOTHING_POSTED)
        self.assertEqual([fault.what for fault in found.faults], ["alpha has another arrangement over st."])
        gone = examine(WORLD, Drop(WORLD.require(Statement, "st")), NOTHING_POSTED)
        self.assertIn("st is used by 1 rows of arrangements.", [fault.what for fault in gone.faults])

    @given(st.integers(0, 10**6))
    def test_however_both_move_taking_all_ends_it_and_setting_back_makes_them_one(self, seed: int) -> None:
        random, world = Random(seed), WORLD
        for number in range(8):
            statement = random.choice(("st", "own"))
            world = apply(world, self._some_move(world, statement, random, number))
        if taking := take_all(world, "own"):
            after = apply(world, taking)
            self.assertEqual(moved(after), [])
        back = apply(world, SetBack("own"))
        self.assertEqual((moved(back), tree(back, "own")), ([], tree(back, "st")))
        self.assertEqual(set(origins(back, ROW).values()) - {"inherited"}, set())
        self.assertEqual(list(own_lines(back, "own")), list(own_lines(back, "st")), "the order too")

    @given(st.integers(0, 10**6))
    def test_what_is_taken_stands_where_it_stands_above(self, seed: int) -> None:
        """Only the inherited statement moves, so whatever is taken one by one ends as the same tree in the
        same order, however neighbours are numbered there."""
        random, world = Random(seed), WORLD
        for number in range(6):
            world = apply(world, self._some_move(world, "st", random, number))
        one_by_one = world
        while changed := upstream(one_by_one, ROW):
            one_by_one = apply(one_by_one, TakeUpstream("own", changed[0].line))
        taking = take_all(world, "own")
        after = apply(world, taking) if taking else world
        for taken in (one_by_one, after):
            self.assertEqual(tree(taken, "own"), tree(taken, "st"))
            for parent in {row.parent for row in own_lines(taken, "st").values()}:
                self.assertEqual(
                    *(
                        {name for name, row in own_lines(taken, statement).items() if row.parent == parent}
                        for statement in ("own", "st")
                    )
                )

    def test_a_line_added_above_stays_beside_its_neighbours(self) -> None:
        """Neighbours above are numbered anew by an addition; those here keep their numbers."""
        world = apply(WORLD, MoveLine(StatementLine("own", "petty", "", 0, "Petty cash", "text"), "assets"))
        world = apply(
            world, MoveLine(StatementLine("st", "note", "", 0, "A note", "text"), "assets", "debtors")
        )
        world = apply(world, Put(line(world, "st", "debtors")._replace(label="Owed to us")))

        def under(state: State, parent: str) -> list[str]:
            return [name for name, row in own_lines(state, "own").items() if row.parent == parent]

        self.assertEqual(under(world, "assets"), ["cash", "debtors", "petty"])
        one = apply(world, TakeUpstream("own", "debtors"))
        self.assertEqual(under(one, "assets"), ["cash", "debtors", "petty"], "a changed line keeps its place")
        two = apply(one, TakeUpstream("own", "note"))
        self.assertEqual(under(two, "assets"), ["cash", "note", "debtors", "petty"])
        turned = apply(two, MoveLine(line(two, "own", "assets"), ""))
        self.assertEqual(under(turned, ""), ["owing", "assets"])
        back = apply(turned, SetBack("own", "assets"))
        self.assertEqual(under(back, ""), ["assets", "owing"])
        self.assertEqual(under(back, "assets"), ["cash", "note", "debtors"])

    def _some_move(self, world: State, statement: str, random: Random, number: int) -> Any:
        rows = sorted(own_lines(world, statement).values())
        row = random.choice(rows) if rows else None
        move = random.randrange(4)
        if move == 0 or row is None:
            name = f"n{number}{statement}"
            return MoveLine(StatementLine(statement, name, "", 0, f"N{number}", "heading"), "")
        if move == 1:
            return DeleteLine(statement, row.line)
        if move == 2 or row.kind == "heading":
            return Put(row._replace(label=f"Label {number}"))
        return MoveLine(row, random.choice(["", *(one.line for one in rows if one.kind == "heading")]))
