"""What is offered while an account is keyed, and what a quick code stands for, for whom."""

from __future__ import annotations

from datetime import date
from unittest import TestCase

from core.definitions.state import State
from core.definitions.tables import Code, Company, CompanyAccount, CompanyCode, QuickCode
from core.structures.charts import CompanyContext, company_context
from core.structures.offering import accounts_offered, codes_offered, dimensions_offered
from core.structures.quick_codes import expand
from core.tests import builders

ON = date(2026, 2, 10)
ROWS = (
    Code("acc", "1030", "Bank in Spring", account_class="asset", in_use_from=date(2026, 3, 1)),
    Code("acc", "1040", "Bank of old", account_class="asset", in_use_until=date(2026, 1, 31)),
    Code("acc", "1050", "Bank shut", account_class="asset", enabled=False),
    Code("acc", "1060", "Bank of Beta", account_class="asset"),
    CompanyAccount("alpha", "1060", enabled=False),
    Code("co", "30", "Alpha Two"),
    CompanyCode("alpha", "company", "30"),
    QuickCode("c", "wages", "", "everyone", "", "10-5010-001", "season=SP26"),
    QuickCode("c", "water", "beta", "everyone", "", "20-5010"),
    QuickCode("c", "ward", "", "team", "ada, ben", "10-5020"),
    QuickCode("c", "wax", "", "person", "ada", "10-5010"),
)


def context(state: State) -> CompanyContext:
    """Alpha at its chart."""
    found = company_context(state, "alpha")
    assert found is not None
    return found


class Offering(TestCase):
    def setUp(self) -> None:
        self.state = builders.state(*ROWS)
        self.seat = context(self.state)

    def offered(self, text: str, person: str | None = "eve") -> list[str]:
        return [offer.text for offer in accounts_offered(self.state, self.seat, text, ON, person)]

    def test_only_what_could_be_posted_to_is_offered(self) -> None:
        for text, told in [
            ("10-bank", ["10-1010-"]),
            ("10-10", ["10-1010-", "10-1020-"]),
            ("", ["10-", "30-"]),
            ("2", []),
            ("10-1010-s", ["10-1010-002"]),
            ("10-1010-001-", []),
        ]:
            with self.subTest(text):
                self.assertEqual(self.offered(text), told)
        natural = self.seat.chart.segments[1]
        self.assertEqual(
            [row.code for row in codes_offered(self.state, self.seat, natural, "bank in", date(2026, 3, 1))],
            ["1030"],
        )
        listed = builders.state(
            *ROWS,
            Company("alpha", "Alpha", "GB", "GBP", "c", "m", accounts_open="listed"),
            CompanyAccount("alpha", "1020"),
        )
        self.assertEqual(
            [row.code for row in codes_offered(listed, context(listed), natural, "10", ON)],
            ["1020"],
        )
        self.assertEqual(
            [offer.text for offer in dimensions_offered(self.state, self.seat, "season=s", ON)],
            ["season=SP26"],
        )
        self.assertEqual(
            [offer.text for offer in dimensions_offered(self.state, self.seat, "sea", ON)], ["season="]
        )

    def test_quick_codes_are_offered_to_those_whose_they_are(self) -> None:
        for person, told in [
            ("eve", ["wages"]),
            ("ada", ["wages", "ward", "wax"]),
            ("ben", ["wages", "ward"]),
            (None, ["wages", "ward", "wax"]),
        ]:
            for before in ("", "10-", "30-"):
                with self.subTest(f"{person} {before}"):
                    quick = [text for text in self.offered(f"{before}wa", person) if "-" not in text]
                    self.assertEqual(sorted(quick), sorted(told))

    def test_a_quick_code_expands_alone_and_behind_the_own_code(self) -> None:
        for account, dimensions, person, told in [
            ("wages", "", "eve", ("10-5010-001", "season=SP26")),
            ("30-wages", "", "eve", ("10-5010-001", "season=SP26")),
            ("20-wages", "", "eve", ("20-wages", "")),
            ("wages", "season=AU26", "eve", ("10-5010-001", "season=AU26")),
            ("wax", "", "eve", ("wax", "")),
            ("10-wax", "", "ada", ("10-5010", "")),
            ("ward", "", "ben", ("10-5020", "")),
            ("ward", "", "b", ("ward", "")),
            ("water", "", None, ("water", "")),
        ]:
            with self.subTest(f"{account} {person}"):
                self.assertEqual(expand(self.state, self.seat, account, dimensions, person), told)
