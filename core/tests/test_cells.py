"""Cells as they are read and written, amounts for the eye, digests, nouns: tables of cases."""

from __future__ import annotations

from datetime import date
from decimal import Decimal
from fractions import Fraction
from unittest import TestCase

from core.codes.columns import cell, use, value_fault
from core.definitions.digest import added, digest_text, row_digest
from core.definitions.nouns import many
from core.definitions.parsing import header_faults, read_cell, read_value
from core.definitions.state import State
from core.definitions.tables import DEFINING_TABLES, TABLES, Code, Column, ListProperty
from core.money import digits_of, format_amount, parse_amount, round_half_up, show_amount, show_whole
from core.tests.rich_world import rich_state

AMOUNT = "An amount is written with digits and a point, without thousands marks, as in 1234.50."
NUMBER = "A number is written with digits and a point, at most twelve on each side."
UNREADABLE = [
    ("codes", "name", "x" * 1001, "The text has 1,001 characters; at most 1,000 are kept."),
    ("codes", "name", "a\x07b", "The text holds control characters."),
    (
        "code_lists",
        "code_list",
        "no spaces here",
        "An id has 1 to 40 characters of letters, digits, - and _.",
    ),
    ("codes", "code", "10 10", "A code has 1 to 40 plain characters without spaces."),
    ("codes", "rollup", "yes", "A flag is true or false."),
    ("codes", "in_use_from", "30.9.2026", "A date is written 2026-09-30."),
    ("codes", "in_use_from", "2026-02-30", "A date is written 2026-09-30."),
    ("code_lists", "min_length", "two", "A whole number of at most nine digits is expected."),
    ("code_lists", "min_length", "0", "The number must be at least 1."),
    ("group_members", "ownership", "6O", NUMBER),
    ("rates", "rate", "0", "A rate is above zero."),
    ("journal_lines", "debit", "1,234.50", AMOUNT),
    ("journals", "posted_at", "yesterday", "A moment is written 2026-09-30T14:05:00Z."),
]
READ = [
    ("codes", "rollup", "true", True),
    ("codes", "in_use_from", "2026-09-30", date(2026, 9, 30)),
    ("code_lists", "min_length", "4", 4),
    ("group_members", "ownership", "60.5", Decimal("60.5")),
    ("journal_lines", "debit", "1234.50", "1234.50"),
    ("journals", "posted_at", "2026-09-30T14:05:00", "2026-09-30T14:05:00+00:00"),
    ("journals", "posted_at", "2026-09-30T14:05:00+02:00", "2026-09-30T14:05:00+02:00"),
]


def column(table: str, name: str) -> Column:
    return TABLES[table].by_name[name]


class Cells(TestCase):
    def test_what_cannot_be_read_is_told(self) -> None:
        for table, name, text, what in UNREADABLE:
            with self.subTest(f"{table}.{name}", text=text[:20]), self.assertRaises(ValueError) as caught:
                read_cell(column(table, name), text)
            self.assertEqual(str(caught.exception), what)

    def test_what_can_be_read(self) -> None:
        for table, name, text, value in READ:
            with self.subTest(f"{table}.{name}", text=text):
                self.assertEqual(read_cell(column(table, name), text), value)

    def test_an_empty_cell_that_was_written(self) -> None:
        for table, name, value in (
            ("codes", "rollup", False),
            ("codes", "name", ""),
            ("codes", "in_use_from", None),
            ("group_members", "ownership", None),
        ):
            with self.subTest(f"{table}.{name}"):
                self.assertEqual(read_value(column(table, name), ""), value)

    def test_heads(self) -> None:
        table = TABLES["code_names"]
        names = ", ".join(table.by_name)
        self.assertEqual(
            [str(fault) for fault in header_faults(table, ["code_list", "code", "code", "language", "nmae"])],
            [
                "code_names, row 1, column code: The column code stands 2 times. Keep one of them.",
                "code_names, row 1, column nmae: The table code_names has no column 'nmae'."
                f" Its columns are: {names}.",
                "code_names, row 1, column name: The column name is missing. Add it; it must be given.",
            ],
        )

    def test_nouns_of_many(self) -> None:
        for one, all_of_them in (
            ("company", "companies"),
            ("hierarchy", "hierarchies"),
            ("list property", "list properties"),
            ("doubt set aside", "doubts set aside"),
            ("code", "codes"),
        ):
            self.assertEqual(many(one), all_of_them)


class Amounts(TestCase):
    def test_read_and_written(self) -> None:
        for text, digits, minor in (
            ("1234.50", 2, 123450),
            ("-0.5", 2, -50),
            ("7", 0, 7),
            ("1.234", 3, 1234),
        ):
            self.assertEqual(parse_amount(text, digits), minor)
        for minor, digits, text in ((123450, 2, "1234.50"), (-5, 2, "-0.05"), (7, 0, "7"), (-1, 3, "-0.001")):
            self.assertEqual(format_amount(minor, digits), text)

    def test_why_not(self) -> None:
        for text, digits, why in (
            ("1,000", 2, AMOUNT),
            ("1.005", 2, "The currency has 2 minor digits and this amount has 3."),
            ("9999999999999999", 2, f"The amount is out of range: at most {format_amount(10**17 - 1, 2)}."),
        ):
            with self.subTest(text):
                self.assertEqual(parse_amount(text, digits), why)

    def test_for_the_eye(self) -> None:
        for minor, digits, text, in_whole in (
            (None, 2, "—", "—"),
            (0, 2, "0", "0"),
            (123456789, 2, "1,234,567.89", "1,234,568"),
            (-150, 2, "−1.50", "−2"),
            (-149, 2, "−1.49", "−1"),
            (49, 2, "0.49", "0"),
            (1500, 0, "1,500", "1,500"),
        ):
            with self.subTest(minor=minor, digits=digits):
                self.assertEqual((show_amount(minor, digits), show_whole(minor, digits)), (text, in_whole))

    def test_rounded_away_from_zero(self) -> None:
        for number, rounded in (("2.5", 3), ("-2.5", -3), ("2.4", 2), ("-0.5", -1)):
            self.assertEqual(round_half_up(Fraction(number)), rounded)
        self.assertEqual([digits_of(c) for c in ("GBP", "JPY", "KWD")], [2, 0, 3])


class CodeColumns(TestCase):
    def test_use(self) -> None:
        for code, expected in (
            (Code("acc", "1", "Assets", True, False), "rollup"),
            (Code("acc", "1010", "Bank", in_use_until=date(2026, 1, 1)), "closed"),
            (Code("acc", "1010", "Bank", enabled=False), "switched off"),
            (Code("acc", "1010", "Bank"), "posting"),
            (Code("acc", "1010", "Bank", posting=False), "not posting"),
        ):
            self.assertEqual(use(code), expected)

    def test_cells(self) -> None:
        world = rich_state()
        bank = world.get(Code, "acc", "1010")
        assert bank
        for name, text in (
            ("use", "posting"),
            ("under", "10"),
            ("account_class", "asset"),
            ("owner", "Treasury"),
            ("limit", ""),
        ):
            with self.subTest(name):
                self.assertEqual(cell(world, bank, name), text)

    def test_values_that_fit_their_property(self) -> None:
        number, day = ListProperty("acc", "n", "Limit", "number"), ListProperty("acc", "d", "Since", "date")
        choice = ListProperty("acc", "c", "Owner", "choice", "Treasury, Sales")
        for rule, value, why in (
            (number, "", ""),
            (number, "5.5", ""),
            (number, "big", "Limit is a number, not 'big'."),
            (day, "2026-09-30", ""),
            (day, "30.9.", "Since is a date written 2026-09-30, not '30.9.'."),
            (choice, "Sales", ""),
            (choice, "Nobody", "Owner is one of Treasury, Sales, not 'Nobody'."),
        ):
            with self.subTest(rule.property, value=value):
                self.assertEqual(value_fault(rule, value), why)


class Digests(TestCase):
    def test_a_digest_follows_its_rows(self) -> None:
        one, other = Code("acc", "1010", "Bank"), Code("acc", "1010", "Banks")
        digest = added(0, gone=0, come=row_digest("codes", one))
        digest = added(digest, gone=row_digest("codes", one), come=row_digest("codes", other))
        self.assertEqual(digest, row_digest("codes", other))
        self.assertEqual(added(digest, gone=row_digest("codes", other), come=row_digest("codes", None)), 0)
        self.assertNotEqual(row_digest("codes", one), row_digest("code_names", one))
        self.assertEqual(len(digest_text(digest)), 32)

    def test_a_state_has_the_sum_of_its_rows(self) -> None:
        world = rich_state()
        rows = [(table.name, row) for table in DEFINING_TABLES for _, row in world.table(table.name)]
        total = 0
        for name, row in rows:
            total = added(total, gone=0, come=row_digest(name, row))
        self.assertEqual(world.digest, digest_text(total))
        self.assertEqual(State().digest, State.of([]).digest)
