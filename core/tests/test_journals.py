"""Account strings and journals: every rule of docs/calculation-rules.md with its whole message."""

from datetime import date
from decimal import Decimal
from fractions import Fraction
from typing import Any
from unittest import TestCase
from unittest.mock import patch

from hypothesis import given, strategies as st

from core.books.journals import PostingContext
from core.definitions.state import State
from core.definitions.tables import (
    AccountString,
    Chart,
    ChartDimension,
    ChartSegment,
    Code,
    Company,
    CompanyAccount,
    CompanyCurrency,
    IntercompanyPair,
    PairingCondition,
    PairingRule,
    Period,
    QuickCode,
    Rounding,
)
from core.money import ROUNDS
from core.structures import accounts
from core.structures.accounts import _as_it_stands, resolve
from core.structures.charts import company_context
from core.tests.builders import entry, state, told


def kept(world: State, account: str, dimensions: str = "", company: str = "alpha") -> str:
    seated = company_context(world, company)
    assert seated is not None
    found = resolve(seated, account, dimensions)
    assert not found.faults, found.faults
    return found.account + (f" {found.dimensions}" if found.dimensions else "")


FOREIGN = Company("alpha", "Alpha", "GB", "GBP", "c", "m", foreign_currencies=True)


class AccountStrings(TestCase):
    def test_kept_forms(self) -> None:
        rule = PairingRule("c", "r", 1, "site", "fill", "002")
        condition = PairingCondition("c", "r", "account", "4*")
        for more, account, dimensions, expected in [
            ((), "10-1010", "", "10-1010-"),
            ((), "10-1010-1", "", "10-1010-001"),
            ((), "10-1010-001", "season=SP26", "10-1010-001 season=SP26"),
            ((ChartSegment("c", "site", True, "1"),), "10-1010", "", "10-1010-001"),
            ((rule, condition), "10-4010", "", "10-4010-002"),
            ((rule, condition), "10-4010-001", "", "10-4010-001"),
            ((rule, condition), "10-1010", "", "10-1010-"),
            ((PairingRule("c", "r", 1, "season", "fill", "AU26"),), "10-1010", "", "10-1010- season=AU26"),
        ]:
            with self.subTest(account=account, more=more):
                self.assertEqual(kept(state(*more), account, dimensions), expected)

    def test_strings_taken_as_they_stand_are_what_the_long_way_makes_of_them(self) -> None:
        """Over worlds that limit codes, rules, dates and companies: nothing is waved through that has a
        fault."""
        worlds: list[tuple[Any, ...]] = [
            (),
            (Code("acc", "1010", "Bank", account_class="asset", in_use_until=date(2026, 1, 31)),),
            (
                Code("acc", "1010", "Bank", account_class="asset", in_use_from=date(2026, 1, 31)),
                Code("site", "001", "Site", in_use_from=date(2026, 2, 1), in_use_until=date(2026, 3, 1)),
            ),
            (Code("acc", "1010", "Bank", account_class="statistic"),),
            (Code("acc", "1010", "Bank", enabled=False, account_class="asset"),),
            (Code("acc", "1010", "Bank", posting=False, account_class="asset"),),
            (ChartSegment("c", "site", True, "1"),),
            (ChartDimension("c", "season", True),),
            (CompanyAccount("alpha", "1020"),),
            (CompanyAccount("alpha", "1010"),),
            (PairingRule("c", "r", 1, "site", "required"), PairingCondition("c", "r", "account", "1010")),
            (PairingRule("c", "r", 1, "site", "empty"), PairingCondition("c", "r", "account", "1*")),
            (PairingRule("c", "r", 1, "site", "fill", "002"), PairingCondition("c", "r", "account", "4*")),
            (Chart("c", "Chart", "s", "listed_only"), AccountString("c", "10-1010-001")),
        ]
        texts = ["10-1010-001", "10-1010-", "10-1010", "10-1010-1", "20-1010-001", "10-4010-002", "10-11-001"]
        plain = 0
        for more in worlds:
            seated = company_context(state(*more), "alpha")
            assert seated is not None
            for text in (*texts, "10-9999-001", "10-1010-009", "-1010-001", "10--001", "10-1010-001-5", ""):
                for active in (None, 0, seated.chart.book.every):
                    shortly = resolve(seated, text, "", active)
                    plain += _as_it_stands(seated, text, active) is not None
                    with patch.object(accounts, "_as_it_stands", return_value=None):
                        self.assertEqual(shortly, resolve(seated, text, "", active), (text, more))
        self.assertGreater(plain, 20)

    def test_faults_name_segment_code_and_all_come_together(self) -> None:
        closed = Code("acc", "1010", "Bank", account_class="asset", in_use_until=date(2026, 1, 31))
        for more, account, dimensions, expected in [
            ((), "10-9999-9", "", ["Account: there is no code 9999.", "Site: there is no code 009."]),
            ((), "10-11", "", ["Account: 11 Receivables is a rollup code and takes no amounts."]),
            ((), "20-1010", "", ["Company: 20 is not a code of company alpha."]),
            ((), "-1010", "", ["Company must be given."]),
            ((), "10-1010-001-5", "", ["10-1010-001-5 has 4 parts and Chart has 3 segments."]),
            ((), "10-1010", "crop=1", ["Chart has no dimension crop."]),
            ((), "10-1010", "season=XX26", ["Season: there is no code XX26."]),
            ((), "10-1010", "season", ["'season' is not written as dimension=code."]),
            ((), "10-1010", "season=SP26; season=AU26", ["The dimension season is given twice."]),
            (
                (Code("acc", "1010", "Bank", posting=False, account_class="asset"),),
                "10-1010",
                "",
                ["Account: 1010 Bank is not open for posting."],
            ),
            (
                (Code("acc", "1010", "Bank", account_class="asset", enabled=False),),
                "10-1010",
                "",
                ["Account: 1010 Bank is switched off."],
            ),
            ((closed,), "10-1010", "", ["Account: 1010 Bank was in use until 2026-01-31."]),
            (
                (Chart("c", "Chart", "s", "listed_only"),),
                "10-1010",
                "",
                ["10-1010- is not in the account strings of Chart."],
            ),
            ((Chart("c", "Chart", "s", "listed_only"), AccountString("c", "10-1010")), "10-1010", "", []),
            (
                (CompanyAccount("alpha", "1010", enabled=False),),
                "10-1010",
                "",
                ["1010 is not open for company alpha."],
            ),
            (
                (Company("alpha", "Alpha", "GB", "GBP", "c", "m", accounts_open="listed"),),
                "10-1010",
                "",
                ["1010 is not open for company alpha."],
            ),
        ]:
            with self.subTest(account=account, dimensions=dimensions, more=more):
                checked = entry(
                    state(*more), (account, "5", "", {"dimensions": dimensions}), ("10-2010", "", "5")
                )
                found = [
                    f.what for f in checked.faults if f.where.table == "journal_lines" and f.where.key[2] == 1
                ]
                self.assertEqual(found, expected)

    def test_pairing_rules(self) -> None:
        def rule(outcome: str, codes: str = "", field: str = "site", **more: Any) -> tuple[Any, Any]:
            return PairingRule("c", "r", 1, field, outcome, codes, **more), PairingCondition(
                "c", "r", "account", "4010"
            )

        for rows, account, expected in [
            (rule("required"), "10-4010", ["Site must be given."]),
            (
                rule("required", message="Sales name a site."),
                "10-4010",
                ["Sales name a site. Site must be given."],
            ),
            (rule("required"), "10-5010", []),
            (rule("empty"), "10-4010-001", ["Site must be empty, not 001."]),
            (rule("only", "002"), "10-4010-001", ["Site: 001 is not among the codes allowed here."]),
            (rule("only", "002"), "10-4010", []),
            (rule("never", "all"), "10-4010-002", ["Site: 002 is not allowed here."]),
            (rule("required", field="season"), "10-4010", ["Season must be given."]),
            (rule("required", in_use_from=date(2026, 3, 1)), "10-4010", []),
        ]:
            with self.subTest(account=account, rule=rows[0]):
                checked = entry(state(*rows), (account, "", "5"), ("10-1010", "5", ""))
                self.assertEqual(told(checked.faults), expected)

    def test_a_fill_makes_a_later_rule_speak(self) -> None:
        rows = (
            PairingRule("c", "a", 1, "site", "fill", "002"),
            PairingRule("c", "b", 2, "season", "required"),
            PairingCondition("c", "b", "site", "002"),
        )
        self.assertEqual(
            told(entry(state(*rows), ("10-1010", "5", ""), ("10-2010-001", "", "5")).faults),
            ["Season must be given."],
        )

    def test_quick_codes_win_over_codes_and_lines_over_quick_codes(self) -> None:
        world = state(QuickCode("c", "rent", account="10-5010-001", dimensions="season=SP26"))
        checked = entry(world, ("rent", "5", "", {"dimensions": "season=AU26"}), ("rent", "", "5"))
        self.assertEqual(
            [(line.account, line.dimensions) for line in checked.lines],
            [("10-5010-001", "season=AU26"), ("10-5010-001", "season=SP26")],
        )


class Journals(TestCase):
    def test_faults(self) -> None:
        ok = ("10-1010", "5", ""), ("10-2010", "", "5")
        shut = [
            Period("m", 2026, 2, "M2", date(2026, 2, 1), date(2026, 2, 28), status=status)
            for status in ("closed", "restricted")
        ]
        for more, lines, head, expected in [
            ((), ok, {}, []),
            ((), ok[:1], {}, ["The journal has 1 line."]),
            (
                (),
                (("10-1010", "5", ""), ("10-2010", "", "4.99")),
                {},
                ["The journal does not balance: alpha has 0.01 more debits."],
            ),
            (
                (),
                (("10-1010", "5", "5"), ("10-2010", "", "5")),
                {},
                ["A line has a debit or a credit, not both."],
            ),
            (
                (),
                (("10-1010", "0", "0.00"), ("10-2010", "", "5"), ("10-1010", "5", "")),
                {},
                ["The line has no amount."],
            ),
            (
                (),
                (("10-1010", "-5", ""), ("10-2010", "", "5"), ("10-1020", "5", "")),
                {},
                ["A debit is not negative."],
            ),
            (
                (),
                (("10-1010", "5.001", ""), ("10-2010", "", "5")),
                {},
                ["The currency has 2 minor digits and this amount has 3."],
            ),
            (
                (),
                (("10-1010", "1" + "0" * 15, ""), ("10-2010", "", "5")),
                {},
                ["The amount is out of range: at most 999999999999999.99."],
            ),
            ((), (("10-1010", "5", "", {"partner": "gamma"}), ok[1]), {}, ["There is no company gamma."]),
            ((), ok, {"on": date(2027, 1, 1)}, ["2027-01-01 falls into no period of company alpha."]),
            ((shut[0],), ok, {}, ["M2 is closed for company alpha."]),
            (
                (shut[1],),
                ok,
                {"rules": PostingContext(restricted_in=frozenset())},
                ["M2 is restricted for company alpha."],
            ),
            (
                (shut[1],),
                ok,
                {"rules": PostingContext(restricted_in=frozenset({"beta"}))},
                ["M2 is restricted for company alpha."],
            ),
            ((shut[1],), ok, {"rules": PostingContext(restricted_in=frozenset({"alpha"}))}, []),
            ((shut[1],), ok, {}, []),
            ((shut[0],), ok, {"posted_at": "2026-02-10T00:00:00+00:00"}, []),
            ((), ok, {"currency": "EUR"}, ["alpha keeps its books in GBP only."]),
            (
                (FOREIGN,),
                ok,
                {"currency": "EUR"},
                ["A journal in EUR needs its rate to GBP."],
            ),
            (
                (FOREIGN, CompanyCurrency("alpha", "USD"), CompanyCurrency("alpha", "CHF")),
                ok,
                {"currency": "EUR", "rate": Decimal(1)},
                ["alpha keeps its books in GBP, and keys CHF, USD besides."],
            ),
            ((FOREIGN, CompanyCurrency("alpha", "EUR")), ok, {"currency": "EUR", "rate": Decimal(1)}, []),
            (
                (FOREIGN, CompanyCurrency("alpha", "USD")),
                ok,
                {"currency": "EUR", "rate": Decimal(1), "posted_at": "2026-02-10T00:00:00+00:00"},
                [],
            ),
            (
                (),
                ok,
                {"currency": "EUR", "rate": Decimal(1), "posted_at": "2026-02-10T00:00:00+00:00"},
                [],
            ),
            (
                (),
                ok,
                {"currency": "GBP", "rate": Decimal(2)},
                ["GBP is the company's own currency and needs no rate."],
            ),
        ]:
            with self.subTest(lines=lines, head=head, more=more):
                cells: Any = head
                self.assertEqual(told(entry(state(*more), *lines, **cells).faults), expected)

    def test_lines_of_another_company_bring_due_lines(self) -> None:
        checked = entry(state(), ("20-5010", "70", "", {"line_company": "beta"}), ("10-1010", "", "70"))
        self.assertEqual(told(checked.faults), [])
        self.assertEqual(
            [
                (line.company, line.account, line.amount, line.partner)
                for line in checked.lines
                if line.generated
            ],
            [("alpha", "10-1810-", 7000, "beta"), ("beta", "20-2810-", -7000, "alpha")],
        )
        turned = entry(state(), ("20-5010", "", "70", {"line_company": "beta"}), ("10-1010", "70", ""))
        self.assertEqual(
            [(line.account, line.amount) for line in turned.lines if line.generated],
            [("10-2810-", -7000), ("20-1810-", 7000)],
        )

    def test_a_missing_pair_is_told_once(self) -> None:
        world = state(without=(IntercompanyPair("beta", "alpha", "1810", "2810"),))
        checked = entry(world, ("20-5010", "70", "", {"line_company": "beta"}), ("10-1010", "", "70"))
        self.assertEqual(
            told(checked.faults),
            [
                "beta has no intercompany pair for alpha, so no due-to or due-from line can be added for"
                " 70.00."
            ],
        )

    @given(st.lists(st.integers(1, 10**12), min_size=1, max_size=6), st.decimals("0.0001", "99", places=4))
    def test_foreign_currency_still_balances(self, amounts: list[int], rate: Decimal) -> None:
        world = state(FOREIGN)
        lines = [("10-1010", f"{a // 100}.{a % 100:02d}", "") for a in amounts]
        total = sum(amounts)
        checked = entry(
            world, *lines, ("10-2010", "", f"{total // 100}.{total % 100:02d}"), currency="EUR", rate=rate
        )
        self.assertEqual((told(checked.faults), sum(line.amount for line in checked.lines)), ([], 0))

    def test_amounts_are_rounded_as_their_currency_says_on_the_day(self) -> None:
        rows = [
            Rounding("GBP", "keyed", date(2026, 1, 1), "up"),
            Rounding("GBP", "keyed", date(2026, 3, 1), "down"),
            Rounding("GBP", "revaluation", date(2026, 1, 1), "down"),
            Rounding("EUR", "keyed", date(2026, 1, 1), "down"),
        ]
        lines = ("10-1010", "10.01", ""), ("10-2010", "", "10.01")
        for more, on, wanted in (
            ((), date(2026, 2, 10), 853),  # 8.5285
            (rows, date(2026, 2, 10), 853),
            (rows, date(2026, 3, 10), 852),
            (rows[2:], date(2026, 3, 10), 853),
        ):
            with self.subTest(on=on, rows=len(more)):
                checked = entry(state(FOREIGN, *more), *lines, currency="EUR", rate=Decimal("0.852"), on=on)
                self.assertEqual(told(checked.faults), [])
                self.assertEqual([line.amount for line in checked.lines], [wanted, -wanted])

    @given(st.fractions(-(10**6), 10**6, max_denominator=1000))
    def test_up_is_away_from_nothing_and_down_towards_it(self, value: Fraction) -> None:
        up, down, nearest = (ROUNDS[way](value) for way in ("up", "down", "nearest"))
        self.assertTrue(abs(down) <= abs(value) <= abs(up))
        self.assertEqual(abs(up) - abs(down), int(value.denominator != 1))
        self.assertIn(nearest, (up, down))
        self.assertTrue(down * value >= 0 and up * value >= 0)

    def test_a_closing_journal_goes_to_the_closing_period(self) -> None:
        ok = ("10-1010", "5", ""), ("10-2010", "", "5")
        for kind, day, expected in [
            ("closing", 30, 13),
            ("closing", 29, 4),
            ("general", 30, 4),
            ("opening", 30, 4),
        ]:
            checked = entry(state(), *ok, on=date(2026, 4, day), kind=kind)
            self.assertEqual({line.period for line in checked.lines}, {expected})
