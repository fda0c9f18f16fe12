"""Numbers as people write them: read by their own way, or by what is plain; never guessed."""

from __future__ import annotations

from decimal import Decimal
from unittest import TestCase

from hypothesis import given, strategies as st

from core.money import parse_keyed_amount, show_amount
from core.writing import LOCALES, keyed_cells, read_number, shown, way_of, written_as

EXAMPLES = ["1,234,567.50", "1.234.567,50", "1\u202f234\u202f567,50", "1’234’567.50", "12,34,567.50"]


def told(text: str, digits: int | None = None) -> str:
    try:
        return read_number(text, digits)
    except ValueError as refused:
        return str(refused)


class Reading(TestCase):
    def test_each_way_has_its_marks(self) -> None:
        self.assertEqual([way_of(locale).example for locale in LOCALES], EXAMPLES)

    def test_what_is_plain_needs_no_way(self) -> None:
        for text, number in (
            ("12,50", "12.5"),
            ("12.50", "12.5"),
            ("12,5", "12.5"),
            ("1234", "1234"),
            ("-1234,56", "-1234.56"),
            ("\u22121.234,56", "-1234.56"),
            ("1,234.56", "1234.56"),
            ("1 234,56", "1234.56"),
            ("1\u00a0234,56", "1234.56"),
            ("1’234.50", "1234.5"),
            ("12,34,567.50", "1234567.5"),
            ("1.234.567", "1234567"),
            ("0,125", "0.125"),
            ("1234,567", "1234.567"),
            ("1,2345", "1.2345"),
        ):
            self.assertEqual(told(text), number, text)

    def test_what_can_be_read_two_ways_is_refused(self) -> None:
        self.assertEqual(
            told("1,234"),
            "1,234 can be read as 1234 or as 1.234. Write 1234, or 1.2340; or say under your name how you"
            " write numbers.",
        )
        self.assertEqual(told("1,234", 2), told("1,234"))
        self.assertEqual(told("1,234", 0), "1234", "yen have no decimals")
        with written_as("en_GB"):
            self.assertEqual(told("1,234"), "1234")
        with written_as("de_DE"):
            self.assertEqual(told("1,234"), "1.234")

    def test_what_is_no_number_is_refused(self) -> None:
        for text in ("", "x", "1e5", "NaN", "٣", "1,23,4", "1..2", "--1", "12,50.", "1 2 3", "1" * 200, "²"):
            self.assertIn("is no number. Write it like 1,234,567.50.", told(text), text)

    def test_a_way_comes_first_and_what_is_plain_after_it(self) -> None:
        with written_as("de_DE"):
            self.assertEqual(
                [told(text) for text in ("1.234", "12.50", "1,234.50")], ["1234", "12.5", "1234.5"]
            )

    def test_a_file_may_be_written_as_programs_do(self) -> None:
        with written_as("de_DE"), keyed_cells(from_file=True):
            self.assertEqual(told("1234.50", 2), "1234.5")
            self.assertEqual(told("1.234", 2), "1234", "no amount in euros has three decimals")
            self.assertIn("can be read as 1234 or as 1.234", told("1.234", 3))

    def test_amounts_of_each_currency(self) -> None:
        for locale, text, digits, minor in (
            ("de_DE", "1.234,50", 2, 123450),
            ("de_DE", "1.234,505", 3, 1234505),
            ("fr_FR", "1 234", 0, 1234),
            ("en_IN", "1,00,000.05", 2, 10000005),
            ("", "12,50", 2, 1250),
        ):
            with written_as(locale):
                self.assertEqual(parse_keyed_amount(text, digits), minor, text)
        self.assertEqual(
            parse_keyed_amount("12,505", 2),
            "12,505 can be read as 12505 or as 12.505. Write 12505, or 12.5050; or say under your name how"
            " you write numbers.",
        )
        self.assertEqual(
            parse_keyed_amount("12,5", 0), "The currency has 0 minor digits and this amount has 1."
        )

    @given(
        st.sampled_from(LOCALES),
        st.integers(min_value=-(10**15), max_value=10**15),
        st.sampled_from([0, 2, 3]),
    )
    def test_what_is_shown_reads_as_it_is(self, locale: str, minor: int, digits: int) -> None:
        with written_as(locale):
            self.assertEqual(parse_keyed_amount(show_amount(minor, digits), digits), minor)

    @given(st.sampled_from(LOCALES), st.integers(min_value=0, max_value=10**9), st.sampled_from([0, 2, 3]))
    def test_nobody_else_reads_it_otherwise(self, locale: str, minor: int, digits: int) -> None:
        """Read without a way it is the same number, or it is refused."""
        with written_as(locale):
            text = show_amount(minor, digits)
        read = parse_keyed_amount(text, digits)
        self.assertTrue(read == minor or isinstance(read, str), (text, read))

    @given(st.decimals(min_value=0, max_value=10**6, places=3), st.sampled_from(["", *LOCALES]))
    def test_a_cell_shown_is_read_back(self, number: Decimal, locale: str) -> None:
        text = format(number + Decimal("0.0001"), "f")
        with written_as(locale):
            self.assertEqual(Decimal(read_number(shown(text))), Decimal(text))
