"""Numbers of journals from elsewhere: which go on with a series, and what becomes of the others."""

from __future__ import annotations

from datetime import date
from unittest import TestCase

from core.definitions.tables import Journal, JournalLine
from core.journal_numbers import go_on, numbered_anew


class Numbers(TestCase):
    def test_which_go_on_with_the_series(self) -> None:
        cases = [
            (["NU-00342"], "NU-00342", True),
            (["NU-00342", "NU-00343"], "NU-00342", True),
            (["NU-00350"], "NU-00342", True),
            (["NU-00342", "NU-00342"], "NU-00342", False),
            (["NU-00341"], "NU-00342", False),
            (["NU-342"], "NU-00342", False),
            (["NU-100000"], "NU-99999", True),
            (["X1"], "NU-00342", False),
            (["NU-0034X"], "NU-00342", False),
            (["17"], "17", True),
        ]
        for names, following, wanted in cases:
            with self.subTest(names=names):
                self.assertEqual(go_on(names, following), wanted)

    def test_others_are_numbered_anew_and_name_what_they_were(self) -> None:
        head = Journal("alpha", "X1", date(2026, 1, 1))
        plain = JournalLine("alpha", "X1", 1, account="1010", debit="5")
        with_source = plain._replace(line=2, source_type="invoice", source_number="B-9")
        renumbered = numbered_anew(
            [(head, [plain, with_source]), (head._replace(journal="X2"), [])], "NU-00099"
        )
        self.assertEqual([journal.journal for journal, _ in renumbered], ["NU-00099", "NU-00100"])
        lines = renumbered[0][1]
        self.assertEqual({line.journal for line in lines}, {"NU-00099"})
        self.assertEqual(
            [(line.source_type, line.source_number) for line in lines],
            [("journal elsewhere", "X1"), ("invoice", "B-9")],
        )
