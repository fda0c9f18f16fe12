"""From nothing: structures, companies and years made from little are sound, and what can't be read is told at
its row."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from typing import Any
from unittest import TestCase

from core import checks
from core.books.periods import calendar_index
from core.changes.fixed import NOTHING_POSTED
from core.changes.kinds import Add, apply, check
from core.definitions.nouns import free_id
from core.definitions.state import State
from core.definitions.tables import (
    Calendar,
    Chart,
    ChartSegment,
    Code,
    CodeList,
    Company,
    CompanyAccount,
    IntercompanyPair,
    Period,
    StructureSegment,
)
from core.faults import Refused, blocking
from core.founding.companies import new_company, next_year, pair_with_all
from core.founding.requested_account import account_made, requested_account
from core.founding.structures import SegmentWanted, chart_made, new_structure
from core.tests import builders

ACCOUNTS = (
    "1000\tCash at bank\tasset\n3000 Share  capital equity\n\n1300 Due from asset\n2300 Due to LIABILITY\n"
)
COMPANY = SegmentWanted("Company", "company", length="2")
ACCOUNT = SegmentWanted("Account", "natural_account", codes=ACCOUNTS)


def taken(state: State, change: Any) -> State:
    """The state after a change that has no fault, nor leaves one."""
    faults = blocking(check(state, change, NOTHING_POSTED))
    after = apply(state, change)
    faults += blocking(checks.of_everything(after))
    if faults:
        raise AssertionError([str(fault) for fault in faults])
    return after


def books(name: str = "Orchard books") -> tuple[State, str]:
    change = new_structure(State.of([]), name, "-", [COMPANY, SegmentWanted(""), ACCOUNT])
    return taken(State.of([]), change), chart_made(change)


class Founding(TestCase):
    def refused(self, make: Callable[[], Any]) -> list[str]:
        with self.assertRaises(Refused) as told:
            make()
        return [str(fault) for fault in told.exception.faults]

    def test_a_structure_brings_its_lists_its_codes_and_its_chart(self) -> None:
        state, chart = books()
        self.assertEqual(chart, "orchard-books")
        self.assertEqual(
            [
                (row.segment, row.position, row.code_list, row.role)
                for row in sorted(state.rows(StructureSegment))
            ],
            [("company", 1, "company", "company"), ("account", 2, "account", "natural_account")],
        )
        self.assertEqual(
            {row.code_list: (row.min_length, row.max_length, row.characters) for row in state.rows(CodeList)},
            {"company": (2, 2, "digits"), "account": (4, 4, "digits")},
        )
        self.assertEqual(
            state.get(Code, "account", "3000"),
            Code("account", "3000", "Share capital", account_class="equity"),
        )
        self.assertEqual(state.require(Code, "account", "1000").name, "Cash at bank")

    def test_another_structure_of_the_same_name_stands_beside_it_and_may_share_its_lists(self) -> None:
        state, _ = books()
        site = SegmentWanted("Site", "", "", "3 to 4", "", False, "")
        change = new_structure(
            state, "Orchard books", ".", [COMPANY._replace(code_list="company"), ACCOUNT, site]
        )
        state = taken(state, change)
        self.assertEqual(chart_made(change), "orchard-books-2")
        self.assertEqual(
            [row.code_list for row in sorted(state.part(StructureSegment, "orchard-books-2").values())],
            ["company", "account-2", "site"],
        )
        self.assertEqual(state.require(ChartSegment, "orchard-books-2", "site").required, False)
        self.assertEqual(
            (state.require(CodeList, "site").min_length, state.require(CodeList, "site").max_length), (3, 4)
        )

    def test_what_a_structure_lacks_is_told_at_its_row(self) -> None:
        cases: list[tuple[str, str, list[SegmentWanted], list[str]]] = [
            ("", "-", [ACCOUNT], ["structures, column structure: The structure has no name. Give one."]),
            (
                "S",
                "+",
                [ACCOUNT],
                ["structures, column separator: '+' is no separator. Choose one of - . / : _ |."],
            ),
            (
                "S",
                "-",
                [COMPANY],
                [
                    "structure_segments, column role: No segment is the natural account. Exactly one is: it"
                    " says what was bought, owed or earned."
                ],
            ),
            (
                "S",
                "-",
                [ACCOUNT, ACCOUNT],
                [
                    "structure_segments, column role: 2 segments are the natural account. Exactly one is: it"
                    " says what was bought, owed or earned."
                ],
            ),
            (
                "S",
                "-",
                [SegmentWanted(""), ACCOUNT._replace(name="")],
                [
                    "structure_segments, row 2, column name: Segment 2 has no name. Give one, or empty the"
                    " row."
                ],
            ),
            (
                "S",
                "-",
                [ACCOUNT._replace(codes="1000 Cash\n10")],
                [
                    (
                        "structure_segments, row 1, column codes, value '1000 Cash': '1000 Cash' is not"
                        " written as a code, a name and a class. As in: 1000 Cash at bank asset."
                    ),
                    (
                        "structure_segments, row 1, column codes, value '10': '10' is not written as a code,"
                        " a name and a class. As in: 1000 Cash at bank asset."
                    ),
                ],
            ),
            (
                "S",
                "-",
                [ACCOUNT._replace(codes="1 A asset\n1 B asset")],
                [
                    "structure_segments, row 1, column codes, value '1': The code 1 stands twice. Give each"
                    " code once."
                ],
            ),
            (
                "S",
                "-",
                [ACCOUNT, SegmentWanted("Site")],
                [
                    "structure_segments, row 2, column length: How long the codes of Site are is not said."
                    " Give the length, or the codes."
                ],
            ),
            (
                "S",
                "-",
                [ACCOUNT._replace(length="²")],
                [
                    "structure_segments, row 1, column length, value '²': '²' is no length. Write 4, or 4"
                    " to 6."
                ],
            ),
        ]
        for name, separator, wanted, told in cases:
            with self.subTest(told[0]):
                self.assertEqual(
                    self.refused(lambda: new_structure(State.of([]), name, separator, wanted)), told
                )

    def test_a_company_brings_its_code_and_its_calendar(self) -> None:
        state, chart = books()
        row = Company("one", "Orchard One", "Norland", "EUR", chart, "")
        state = taken(state, new_company(state, row, "10", date(2026, 4, 1), True))
        self.assertEqual(state.require(Code, "company", "10").name, "Orchard One")
        self.assertEqual(list(state.rows(Calendar)), [Calendar("year-from-1-april", "Year from 1 April")])
        periods = calendar_index(state, "year-from-1-april").of_year(2027)
        self.assertEqual(
            [(p.period, p.name, str(p.ends_on)) for p in (periods[0], periods[10], periods[12])],
            [
                (1, "April 2026", "2026-04-30"),
                (11, "February 2027", "2027-02-28"),
                (13, "Closing 2027", "2027-03-31"),
            ],
        )
        second = Company("two", "Orchard Two", "Norland", "EUR", chart, "year-from-1-april")
        state = taken(state, new_company(state, second, "20"))
        state = taken(state, pair_with_all(state, "two", "1300", "2300"))
        self.assertEqual(
            sorted((p.company, p.partner) for p in state.rows(IntercompanyPair)),
            [("one", "two"), ("two", "one")],
        )
        self.assertEqual(
            self.refused(lambda: pair_with_all(state, "two", "1300", "2300")),
            [
                "No pair with a company of its chart is missing. Pairs with companies of other charts are"
                " keyed one by one."
            ],
        )
        for own, begins, told in [
            (
                "30",
                None,
                (
                    "companies, column calendar: Which calendar it keeps is not said. Choose one, or give the"
                    " day on which its year begins."
                ),
            ),
            (
                "30",
                date(2026, 1, 2),
                (
                    "periods, column begins, value '2026-01-02': 2026-01-02 is not the first day of a month."
                    " Give the day on which the year begins, as 2026-01-01."
                ),
            ),
            (
                "30",
                date(9999, 1, 1),
                "periods, column begins, value '9999-01-01': No year begins on 9999-01-01. Give another day.",
            ),
        ]:
            self.assertEqual(
                self.refused(lambda: new_company(state, row._replace(company="x"), own, begins)), [told]
            )

    def test_the_next_year_follows_the_pattern_of_the_last(self) -> None:
        first = date(2025, 12, 29).toordinal()
        days = [(date.fromordinal(first + 28 * n), date.fromordinal(first + 28 * n + 27)) for n in range(13)]
        weeks = [Period("w", 2026, n, f"P{n} 2026", *ends, status="closed") for n, ends in enumerate(days, 1)]
        state = builders.state(Calendar("w", "Weeks"), *weeks)
        after = taken(state, next_year(state, "w"))
        made = calendar_index(after, "w").of_year(2027)
        self.assertEqual(
            (made[0].starts_on, made[12].ends_on, made[3].name, made[3].status),
            (date(2026, 12, 28), date(2027, 12, 26), "P4 2027", "open"),
        )
        state, chart = books()
        state = taken(
            state,
            new_company(state, Company("one", "One", "N", "EUR", chart, ""), "10", date(2024, 1, 1), True),
        )
        for year in range(2025, 2034):
            state = taken(state, next_year(state, "calendar-year"))
            rows = calendar_index(state, "calendar-year").of_year(year)
            self.assertEqual(
                (len(rows), rows[1].ends_on.day, rows[1].name, rows[12].starts_on),
                (13, 29 if year % 4 == 0 else 28, f"February {year}", date(year, 12, 31)),
            )
        self.assertEqual(
            self.refused(lambda: next_year(State.of([]), "none")),
            [
                "periods, none: The calendar has no year yet whose pattern could go on. Add the first period,"
                " or make the company's calendar anew."
            ],
        )

    def test_classes_may_be_given_before_a_list_serves(self) -> None:
        accounts, code = CodeList("a", "A", 1, 4), Code("a", "1", "Cash", account_class="asset")
        state = taken(taken(State.of([]), Add(accounts)), Add(code))
        wanted = [SegmentWanted("Account", "natural_account", "a"), SegmentWanted("Other", "", "b", codes="")]
        state = taken(state, Add(CodeList("b", "B", 1, 4)))
        state = taken(state, Add(Code("b", "1", "Cash", account_class="asset")))
        told = [str(f) for f in check(state, new_structure(state, "S", "-", wanted), NOTHING_POSTED)]
        self.assertEqual(
            told,
            [
                "codes, b 1, column account_class, value 'asset': A code of b, which serves as natural"
                " account nowhere, has no account class. Leave the class empty."
            ],
        )
        self.assertEqual(
            [row.name for row in taken(state, new_structure(state, "S", "-", wanted[:1])).rows(Chart)], ["S"]
        )

    def test_ids(self) -> None:
        for name, among, told in [
            ("Orchard & Sons, Ltd.", set(), "orchard-sons-ltd"),
            ("A", {"a", "a-2"}, "a-3"),
            ("±", set(), "new"),
            ("x" * 80, set(), "x" * 36),
        ]:
            self.assertEqual(free_id(name, among), told)


class AccountsAskedFor(TestCase):
    def test_an_account_comes_beside_the_one_it_is_like(self) -> None:
        for open_to, name, beside, code, told in (
            ("all", "Travel", "5010", "", ("5015", "expense", False)),
            ("listed", "Tills abroad", "1010", "1015", ("1015", "asset", True)),
            ("listed", "More cash", "10", "", ("1015", "", True)),
        ):
            world = builders.state()
            company = world.require(Company, "alpha")._replace(accounts_open=open_to)
            change = requested_account(world, company, name, "", beside, code)
            after = apply(world, change)
            row = after.require(Code, "acc", account_made(change))
            with self.subTest(name):
                is_open = after.get(CompanyAccount, "alpha", row.code) is not None
                self.assertEqual((row.code, row.account_class, is_open), told)
                said = f"Added account {row.code} {name}, asked for by Alpha"
                self.assertEqual(change.sentence(world), said)

    def test_what_is_missing_is_said(self) -> None:
        world = builders.state()
        company = world.require(Company, "alpha")
        for name, beside, whats in (
            ("", "1010", ["The account has no name."]),
            ("Travel", "", ["Most like which account isn't said."]),
            ("", "9999", ["The account has no name.", "There is no account 9999 in acc."]),
        ):
            with self.subTest(whats), self.assertRaises(Refused) as refused:
                requested_account(world, company, name, "", beside)
            self.assertEqual([fault.what for fault in refused.exception.faults], whats)
