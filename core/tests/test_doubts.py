"""Doubts of a list, questions asked of it, the untagged share, required dimensions, currencies of
accounts."""

from datetime import date
from typing import Any
from unittest import TestCase

from core.books.balances import PostedColumns, books_of
from core.books.untagged import UntaggedShare, untagged
from core.codes.columns import columns
from core.codes.doubts import CodeUsage, Doubt, doubts
from core.codes.lists import Fullness, fullness_by_beginning
from core.definitions.state import State
from core.definitions.tables import (
    ChartDimension,
    Code,
    CodeName,
    CodeProperty,
    HierarchyNode,
    ListProperty,
    SetAside,
)
from core.listing import CodeFilter, CodeMarks as Asking, listed
from core.structures.accounts import resolve
from core.structures.charts import company_context
from core.tests.builders import definitions, entry, state, told

NOTHING = CodeUsage(frozenset(), {})


def found(world: State, kind: str, known: CodeUsage = NOTHING) -> list[tuple[str, str]]:
    return [(doubt.code, doubt.sentence) for doubt in doubts(world, "acc", known)[0] if doubt.kind == kind]


class Doubts(TestCase):
    def test_a_class_unlike_its_neighbours(self) -> None:
        more = [Code("acc", f"10{n}", f"N{n}", account_class="asset") for n in range(11, 19)]
        odd = Code("acc", "1014", "N14", account_class="liability")
        self.assertEqual(
            found(state(*more, odd), "neighbours"),
            [
                ("1014", "It is of class liability; 1011, 1012, 1013, 1015, 1016, 1017 are of class asset."),
            ],
        )
        self.assertEqual(found(state(*more), "neighbours"), [])

    def test_an_asset_under_a_liability_rollup(self) -> None:
        rows = [Code("acc", f"20{n}", f"Owed {n}", account_class="liability") for n in (20, 30, 40)]
        placed = [HierarchyNode("tree", code, "2") for code in ("2010", "2020", "2030", "2040", "1810")]
        world = state(
            *rows, Code("acc", "2", "Liabilities", True, False), HierarchyNode("tree", "2"), *placed
        )
        self.assertEqual(
            found(world, "rollup-class"),
            [
                ("1810", "It is of class asset under 2 Liabilities, where 4 of 5 are of class liability."),
            ],
        )

    def test_names_nearly_the_same(self) -> None:
        for name, expected in (
            ("Petty-cash", True),
            ("cash, petty", True),
            ("Petty Cashes", False),
            ("Petty cash", True),
            ("Cash box", False),
        ):
            with self.subTest(name):
                world = state(Code("acc", "1030", name, account_class="asset"))
                self.assertEqual(bool(found(world, "names-alike")), expected)

    def test_what_the_books_know(self) -> None:
        closed = state(Code("acc", "1020", "Petty cash", account_class="asset"))
        known = CodeUsage(frozenset({"1010"}), {})
        self.assertEqual(
            [code for code, _ in found(closed, "never-used", known)][:3], ["1020", "1110", "1810"]
        )
        shut = state(Code("acc", "1020", "Petty cash", account_class="asset", in_use_until=date(2026, 3, 31)))
        self.assertEqual(
            found(shut, "closed-balance", CodeUsage(frozenset({"1020"}), {"1020": "12.00 GBP of Alpha"})),
            [
                ("1020", "It was in use until 2026-03-31, and 12.00 GBP of Alpha stands on it."),
            ],
        )

    def test_thin_rollups_and_missing_names(self) -> None:
        world = state(Code("acc", "12", "Empty", True, False), HierarchyNode("tree", "12", "1"))
        self.assertEqual(
            found(world, "thin-rollup"), [("11", "It holds 1110 alone."), ("12", "It holds nothing.")]
        )
        names = [
            CodeName("acc", code.code, "nl", f"nl {code.name}")
            for code in definitions()
            if isinstance(code, Code) and code.code_list == "acc"
        ]
        self.assertEqual(
            found(state(*names[1:]), "name-missing"), [("1010", "It has no name in nl; 13 others have.")]
        )
        self.assertEqual(found(state(*names[:3]), "name-missing"), [])

    def test_each_can_be_set_aside_with_a_reason(self) -> None:
        world = state(SetAside("acc", "11", "thin-rollup", "More debtors come in spring"))
        standing, aside = doubts(world, "acc", NOTHING)
        self.assertEqual([doubt for doubt in standing if doubt.kind == "thin-rollup"], [])
        self.assertEqual(
            aside,
            [
                (
                    Doubt(
                        "thin-rollup",
                        "11",
                        "It holds 1110 alone.",
                        "Move that one higher and delete the rollup code.",
                        "1110",
                    ),
                    "More debtors come in spring",
                )
            ],
        )


class Listing(TestCase):
    def asked(self, world: State, **more: Any) -> list[str]:
        return listed(
            world, "acc", CodeFilter(**more), Asking(lambda: frozenset({"1010", "4010"}), frozenset({"1020"}))
        )

    def test_questions_are_joined_by_and(self) -> None:
        world = state(ListProperty("acc", "owner", "Owner"), CodeProperty("acc", "1010", "owner", "Treasury"))
        for more, expected in (
            ({"stands": "posted"}, ["1010", "4010"]),
            ({"stands": "posted", "account_class": "asset"}, ["1010"]),
            ({"stands": "draft"}, ["1020"]),
            ({"kind": "silent"}, []),
            ({"has": (("owner", "treasury"),)}, ["1010"]),
            ({"has": (("owner", "treasury"), ("contra", "true"))}, []),
            ({"words": "BANK"}, ["1010"]),
            ({"words": "10", "kind": "posting"}, ["1010", "1020"]),
            ({"prefix": "1", "kind": "rollup", "sort": "name"}, ["1", "10", "11"]),
            ({"stands": "never", "account_class": "revenue"}, ["4020"]),
        ):
            with self.subTest(more):
                self.assertEqual(self.asked(world, **more), expected)
        self.assertEqual(columns(world, "acc")["owner"], "Owner")

    def test_fullness_by_beginning(self) -> None:
        self.assertEqual(
            fullness_by_beginning(state(), "acc"),
            [
                ("1", Fullness(4, 1000)),
                ("2", Fullness(2, 1000)),
                ("3", Fullness(1, 1000)),
                ("4", Fullness(2, 1000)),
                ("5", Fullness(2, 1000)),
            ],
        )


class Dimensions(TestCase):
    def test_a_required_dimension_must_be_given(self) -> None:
        world = state(ChartDimension("c", "season", True))
        seated = company_context(world, "alpha")
        assert seated is not None
        self.assertEqual(told(resolve(seated, "10-1010-001", "").faults), ["Season must be given."])
        self.assertEqual(told(resolve(seated, "10-1010-001", "season=SP26").faults), [])

    def test_the_untagged_share_is_of_the_turnover(self) -> None:
        posted = PostedColumns(
            ["1010"] * 3 + ["2010"],
            [0] * 4,
            [1] * 4,
            [7, 0, 7, 7],
            [1, 1, 2, 1],
            [False] * 4,
            [100, -100, 300, -300],
        )
        books = [books_of("alpha", 2026, 1, posted)]
        low, high = 0, 10**9
        self.assertEqual(
            untagged(books, frozenset({7}), low, high),
            [UntaggedShare("1010", 500, 100), UntaggedShare("2010", 300, 0)],
        )
        self.assertEqual([share.percent for share in untagged(books, frozenset({7}), low, high)], [20, 0])
        self.assertEqual(untagged(books, frozenset(), low, high)[1].percent, 100)
        self.assertEqual(UntaggedShare("x", 1000, 1).percent, 1)

    def test_an_account_of_one_currency_takes_no_other(self) -> None:
        world = state(Code("acc", "1010", "Bank", account_class="asset", currency="EUR"))
        checked = entry(world, ("10-1010", "5", ""), ("10-3010", "", "5"))
        self.assertEqual([fault.where.column for fault in checked.faults], ["account"])
