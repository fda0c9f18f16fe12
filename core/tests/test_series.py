"""Journals that repeat or are taken back: on which days, in which numbers, and what can't be made."""

from __future__ import annotations

from datetime import date
from unittest import TestCase

from core.books.series import Recurrence, numbered, series
from core.definitions.tables import Journal, JournalLine
from core.tests.builders import state

LINES = (
    JournalLine("alpha", "A9", 1, account="10-1010", debit="7.00"),
    JournalLine("alpha", "A9", 2, account="10-4010", credit="7.00"),
)


def days(on: date, recurrence: Recurrence, kind: str = "general") -> list[str]:
    """Each journal of the series as day and description, or what stands in its way."""
    rows, faults = series(state(), Journal("alpha", "A9", on, kind, "Rent"), LINES, recurrence)
    return [f"{row.head.date:%m-%d} {row.head.description}" for row in rows] or [f.what for f in faults]


class Series(TestCase):
    def test_days(self) -> None:
        end = date(2026, 1, 31)
        cases = [
            (end, Recurrence(), "general", ["01-31 Rent"]),
            (end, Recurrence(reverses=True), "general", ["01-31 Rent", "02-01 Reversal of Rent"]),
            (
                end,
                Recurrence(until=date(2026, 3, 31)),
                "general",
                ["01-31 Rent, 1 of 3", "02-28 Rent, 2 of 3", "03-31 Rent, 3 of 3"],
            ),
            (
                date(2026, 1, 30),
                Recurrence(until=date(2026, 3, 10)),
                "adjusting",
                ["01-30 Rent, 1 of 2", "02-28 Rent, 2 of 2"],
            ),
            (
                date(2026, 2, 10),
                Recurrence(until=date(2026, 3, 31), reverses=True),
                "general",
                [
                    "02-10 Rent, 1 of 2",
                    "03-01 Reversal of Rent, 1 of 2",
                    "03-10 Rent, 2 of 2",
                    "04-01 Reversal of Rent, 2 of 2",
                ],
            ),
            (
                date(2026, 4, 2),
                Recurrence(reverses=True),
                "general",
                ["No period follows 2026-04-02, in which it could be taken back."],
            ),
            (
                end,
                Recurrence(until=date(2026, 6, 30)),
                "general",
                ["The calendar ends on 2026-04-30, before 2026-06-30."],
            ),
            (
                end,
                Recurrence(until=date(2025, 1, 1)),
                "general",
                ["It would end on 2025-01-01, before it begins."],
            ),
            (
                end,
                Recurrence(reverses=True),
                "closing",
                ["A journal of kind closing neither repeats nor reverses itself."],
            ),
        ]
        for on, recurrence, kind, wanted in cases:
            with self.subTest(f"{on} {recurrence} {kind}"):
                self.assertEqual(days(on, recurrence, kind), wanted)

    def test_reversals_name_what_they_take_back_and_turn_each_line(self) -> None:
        rows, _ = series(
            state(),
            Journal("alpha", "A9", date(2026, 1, 31)),
            LINES,
            Recurrence(date(2026, 2, 28), reverses=True),
        )
        heads = [(row.head.journal, row.head.reverses) for row in numbered(rows, ["A9", "A10", "A11", "A12"])]
        self.assertEqual(heads, [("A9", ""), ("A10", "A9"), ("A11", ""), ("A12", "A11")])
        for row in rows:
            sides = [(line.debit, line.credit) for line in row.lines]
            self.assertEqual(
                sides, [("7.00", ""), ("", "7.00")] if row.reverses is None else [("", "7.00"), ("7.00", "")]
            )
