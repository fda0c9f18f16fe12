"""Rates and shares as people read them: no exponent, no whole that isn't one."""

from __future__ import annotations

from fractions import Fraction
from unittest import TestCase

from hypothesis import given, strategies as st

from core.money import show_percent, show_rate


class Showing(TestCase):
    def test_rates(self) -> None:
        for rate, shown in (
            ("0.874054", "0.874054"),
            ("0.92", "0.920000"),
            ("161.25", "161.250000"),
            ("0.0065", "0.006500"),
            ("0.000071", "0.000071"),
            ("0.0000710023", "0.0000710023"),
            ("0.00784066", "0.00784066"),
            ("0", "0.000000"),
        ):
            self.assertEqual(show_rate(Fraction(rate)), shown, rate)
        self.assertEqual(show_rate(Fraction(1, 3)), "0.333333")
        self.assertEqual(show_rate(Fraction(1, 13)), "0.0769231")

    def test_shares(self) -> None:
        for share, shown in (
            ("1", "100 %"),
            ("0.99996", "99.996 %"),
            ("0.9999999996", "99.99999996 %"),
            ("0.8", "80 %"),
            ("0.375", "37.5 %"),
            ("0.00001", "0.001 %"),
            ("-0.2", "-20 %"),
        ):
            self.assertEqual(show_percent(Fraction(share)), shown, share)
        self.assertEqual(show_percent(Fraction(1, 3)), "33.33 %")
        self.assertEqual(show_percent(Fraction(299999, 300000)), "99.9997 %")

    @given(st.fractions(min_value=0, max_value=1, max_denominator=10**9))
    def test_a_whole_percentage_is_one(self, share: Fraction) -> None:
        shown = show_percent(share).removesuffix(" %")
        self.assertTrue("." in shown or Fraction(shown) == share * 100, shown)

    @given(st.fractions(min_value=0, max_value=10**6, max_denominator=10**9))
    def test_a_rate_is_near_what_is_shown(self, rate: Fraction) -> None:
        shown = show_rate(rate)
        self.assertNotIn("e", shown)
        self.assertLessEqual(abs(Fraction(shown) - rate), max(rate / 10**5, Fraction(1, 10**18)))
