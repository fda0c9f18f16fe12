"""Whatever journals are judged by is looked at again when they are written: a table that is left out of
that was never read by any journal."""

from __future__ import annotations

from typing import Any
from unittest import TestCase, TestResult, defaultTestLoader
from unittest.mock import patch

from core.books.journals import UNREAD_BY_JOURNALS, check_journal
from core.changes.asked_facts import AskedFacts
from core.changes.fixed import Facts
from core.definitions.state import State
from core.definitions.tables import DEFINING_TABLES, TABLES
from core.tests import builders, test_batches, test_journals
from core.tests.test_derived import Reads


class ReadsOfJournals(TestCase):
    def test_tables_left_out_were_never_read(self) -> None:
        reads = Reads()
        read: set[str] = set()

        def watched(state: State, *args: Any) -> Any:
            """On a state that nothing was worked out of before, so that every table is read."""
            fresh = State.of(row for table in DEFINING_TABLES for _, row in state.table(table.name))
            fresh.overlay = state.overlay
            with reads.taking() as taken, reads.watching():
                try:
                    return check_journal(fresh, *args)
                finally:
                    read.update(taken.tables)

        result = TestResult()
        with (
            patch.object(builders, "check_journal", watched),
            patch.object(test_batches, "check_journal", watched),
        ):
            for case in (test_journals.AccountStrings, test_journals.Journals, test_batches.Batches):
                for name in defaultTestLoader.getTestCaseNames(case):
                    if not hasattr(getattr(case, name), "is_hypothesis_test"):  # runs once in a process
                        case(name).run(result)
        self.assertEqual([text for _, text in (*result.errors, *result.failures)], [])
        self.assertEqual(sorted(read & UNREAD_BY_JOURNALS), [])
        self.assertGreaterEqual(
            read, {"codes", "periods", "companies", "pairing_rules", "intercompany_pairs"}
        )
        self.assertLessEqual(UNREAD_BY_JOURNALS, set(TABLES))


class FactsAskedAgain(TestCase):
    def facts(self, posted: str = "1010") -> Facts:
        return Facts(
            lambda code_list: frozenset({posted}) if code_list == "acc" else frozenset(),
            lambda: frozenset({"c"}),
            frozenset,
            lambda _: frozenset(),
            tie=lambda kind, name: f"{name} is used",
        )

    def test_answers_are_asked_once_and_told_apart(self) -> None:
        asked = AskedFacts(self.facts())
        self.assertEqual(asked.facts.codes("acc"), frozenset({"1010"}))
        self.assertEqual(asked.facts.tie(State, "x"), "x is used")
        self.assertEqual(
            asked.answers, {("codes", ("acc",)): frozenset({"1010"}), ("tie", (State, "x")): "x is used"}
        )
        for now, names, holds in (
            (self.facts(), None, True),
            (self.facts("1020"), None, False),
            (self.facts("1020"), ("tie",), True),
            (self.facts("1020"), (), True),
        ):
            with self.subTest(names=names):
                self.assertEqual(asked.hold(now, names), holds)

    def test_what_was_not_asked_may_change(self) -> None:
        asked = AskedFacts(self.facts())
        self.assertEqual(asked.facts.charts(), frozenset({"c"}))
        self.assertTrue(asked.hold(self.facts("1020")))
