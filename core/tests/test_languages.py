"""Selectors and formulas: cases that an accountant can read, in cases/*.txt."""

from fractions import Fraction
from pathlib import Path
from unittest import TestCase

from hypothesis import given, strategies as st

from core.codes.selector_text import describe, parse
from core.codes.selectors import pick, with_code, without
from core.money import format_amount, round_half_up
from core.statements import formulas
from core.tests.builders import state

CASES = Path(__file__).parent / "cases"
VALUES = {
    "a": Fraction(10),
    "b": Fraction(3),
    "zero": Fraction(0),
    "none": None,
    "a before": Fraction(6),
    "a year before": Fraction(12),
}


def cases(name: str) -> list[tuple[str, str]]:
    lines = (CASES / name).read_text().splitlines()
    return [
        (left, right.strip())
        for line in lines
        if not line.startswith("#")
        for left, _, right in [line.partition("=>")]
    ]


class Languages(TestCase):
    def test_selectors(self) -> None:
        world = state()
        for text, expected in cases("selectors.txt"):
            with self.subTest(text):
                found = pick(world, "acc", text)
                if expected.startswith("!"):
                    self.assertEqual(list(found.faults), [expected[2:]])
                else:
                    self.assertEqual((sorted(found.codes), found.faults), (expected.split(), ()))

    def test_a_new_code_falls_in_by_itself(self) -> None:
        from core.changes.kinds import Put, apply
        from core.definitions.tables import Code

        world = state()
        self.assertEqual(len(pick(world, "acc", "10*").codes), 2)
        self.assertIn(
            "1030",
            pick(apply(world, Put(Code("acc", "1030", "Till", account_class="asset"))), "acc", "10*").codes,
        )

    @given(
        st.sampled_from(["1010 to 1199", "10*", "1010, 1020", "all except 1110", "under 1"]),
        st.sampled_from(["1010", "1020", "1110"]),
    )
    def test_taking_a_code_off_and_putting_it_back(self, text: str, code: str) -> None:
        world = state()
        off = without(world, "acc", text, code)
        self.assertNotIn(code, pick(world, "acc", off).codes)
        self.assertEqual(
            pick(world, "acc", with_code(world, "acc", off, code)).codes,
            pick(world, "acc", text).codes | {code},
        )

    def test_a_selector_reads_back_as_it_is_described(self) -> None:
        for text, expected in cases("selectors.txt"):
            parsed = parse(text)
            if not parsed.faults and not expected.startswith("!"):
                again = ", ".join(map(describe, parsed.items)) + (
                    " except " + ", ".join(map(describe, parsed.taken_away)) if parsed.taken_away else ""
                )
                self.assertEqual(pick(state(), "acc", again).codes, pick(state(), "acc", text).codes)

    def test_formulas(self) -> None:
        for text, expected in cases("formulas.txt"):
            with self.subTest(text):
                made = formulas.parse(text.strip())
                if expected.startswith("!"):
                    self.assertEqual(made.fault, expected[2:])
                    continue
                value = formulas.evaluate(made, VALUES.__getitem__)
                shown = "" if value is None else format_amount(round_half_up(value * 100), 2)
                self.assertEqual((made.fault, shown), ("", expected))
