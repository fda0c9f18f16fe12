"""Who belongs to a group on a day, where accounts of other charts go, books added up by account."""

from __future__ import annotations

from datetime import date
from decimal import Decimal
from functools import partial
from typing import Any
from unittest import TestCase

from core.books.balances import PostedColumns, books_of, by_account
from core.books.periods import ordinal
from core.changes.of_statements import MapAccounts
from core.definitions.state import State
from core.definitions.tables import (
    Calendar,
    Chart,
    Code,
    CodeList,
    Company,
    Elimination,
    Group,
    GroupMember,
    IntercompanyPair,
    Mapping,
    Structure,
    StructureSegment,
)
from core.group.collect import Member
from core.group.mapping import map_plan
from core.group.membership import group_calendar, membership
from core.group_figures.sum_up import consolidate
from core.mapping.likely import LikelyTarget, likely_targets
from core.tests.builders import state
from core.tests.group_cases import group_of
from core.tests.rich_world import rich, rich_state

DAY = date(2026, 3, 31)


class Members(TestCase):
    def test_by_what_way_and_how_much(self) -> None:
        found = {row.company: row for row in membership(rich_state(), "g").companies}
        self.assertEqual(found["beta"].path, ("g", "sub"))
        gamma = found["gamma"]
        self.assertEqual(
            (gamma.method, gamma.ownership, gamma.in_from), ("full", Decimal(60), date(2026, 1, 1))
        )
        self.assertEqual(
            [(link.group, link.member) for link in found["beta"].links], [("g", "sub"), ("sub", "beta")]
        )
        for day, is_in in ((date(2025, 12, 31), False), (DAY, True)):
            self.assertEqual(found["gamma"].is_in(day), is_in)

    def test_its_calendar(self) -> None:
        for group, calendar in (("g", "m"), ("sub", "m"), ("none", None)):
            found = group_calendar(rich_state(), group)
            self.assertEqual(found.calendar if found else None, calendar)
        apart = State.of(
            [
                *rich(),
                Calendar("w", "Weeks"),
                Company("w", "W", "GB", "GBP", "c", "w"),
                GroupMember("sub", "w"),
            ]
        )
        self.assertIsNone(group_calendar(apart, "sub"))


class Mapped(TestCase):
    """gamma's own chart into the group's."""

    def world(self, *more: Any) -> State:
        return State.of([*rich(), *more])

    def test_the_first_row_that_fits_wins_and_may_ask_for_a_dimension(self) -> None:
        world = state(
            Group("g", "Group", "GBP", "c2"),
            *self.other_chart(),
            Mapping("g", "alpha", 5, "4010", "season", "SP26", "S1"),
            Mapping("g", "alpha", 10, "4010", "site", "002", "S2"),
            Mapping("g", "alpha", 20, "4*", target="S9"),
            GroupMember("g", "alpha"),
        )
        plan = map_plan(world, "g", "alpha")
        assert plan
        for account, dimensions, target in (
            ("10-4010-001", "season=SP26", "S1"),
            ("10-4010-002", "season=AU26", "S2"),
            ("10-4010-001", "", "S9"),
            ("10-4020-001", "season=SP26", "S9"),
        ):
            with self.subTest(account, dimensions=dimensions):
                natural = account.split("-")[1]
                values = partial(plan.values, account, dimensions)
                self.assertEqual(plan.target(natural, values), target)
        self.assertEqual(plan.target("5010", list), "", "no row fits")
        self.assertIsNone(map_plan(world, "none", "alpha"))
        book = books_of(
            "alpha",
            2026,
            1,
            PostedColumns(
                ["4010", "4010", "4010", "4020"],
                [0] * 4,
                [1, 2, 3, 4],
                [1, 2, 0, 0],
                [1] * 4,
                [False] * 4,
                [-5, -7, -11, 23],
            ),
        )
        texts = {1: ("10-4010-001", "season=SP26"), 2: ("10-4010-002", ""), 4: ("10-4020-001", "")}
        member = Member(
            "alpha",
            1,
            (book,),
            plan,
            None,
            lambda rows: [texts.get(int(a), ("10-4010-001", "")) for a in rows["account"].tolist()],
        )
        found = group_of(world, "g", [member])
        summed = consolidate(found, 0, ordinal(2026, 1), True).amounts.window[:, -1]
        self.assertEqual(
            {
                name: int(value)
                for name, value in zip(found.books.accounts.codes, summed, strict=True)
                if value
            },
            {"S1": -5, "S2": -7, "S9": 12},
        )

    def other_chart(self) -> list[Any]:
        return [
            CodeList("gl", "Group accounts", 2, 2, "alphanumeric"),
            Structure("gs", "Group", "-"),
            StructureSegment("gs", 1, "account", "Account", "gl", "natural_account"),
            Chart("c2", "Group chart", "gs"),
            *(Code("gl", code, f"Sales {code}", account_class="revenue") for code in ("S1", "S2", "S9")),
        ]

    def test_a_likely_target(self) -> None:
        names = (
            Code("own", "PC", "Petty cash box", account_class="asset"),
            Code("own", "BX", "Box", account_class="asset"),
            Code("own", "ZZ", "Nothing alike", account_class="liability"),
            Code("own", "DB", "DEBTORS", account_class="asset"),
            Code("own", "3010", "Share", account_class="equity"),
        )
        world = self.world(*names)
        self.assertEqual(
            likely_targets(world, "g", "gamma", ("PC", "BX", "ZZ", "3010", "DB", "none")),
            {
                "PC": LikelyTarget("1020", "its name has cash and petty"),
                "BX": LikelyTarget("1010", "as its neighbours of the same class"),
                "DB": LikelyTarget("1110", "same name"),
                "3010": LikelyTarget("3010", "same code"),
            },
        )
        self.assertEqual(likely_targets(world, "g", "alpha", ("1010",)), {}, "it shares the chart")

    def test_no_account_without_partners_is_proposed_for_what_eliminations_select(self) -> None:
        """By name, code, words and neighbours alike; one that a pair names may go there."""
        likely = ("PC", "BX", "DB", "3010")
        names = (
            Code("own", "PC", "Petty cash box", account_class="asset"),
            Code("own", "BX", "Box", account_class="asset"),
            Code("own", "DB", "DEBTORS", account_class="asset"),
            Code("own", "3010", "Share", account_class="equity"),
        )
        plain = likely_targets(self.world(*names), "g", "gamma", likely)
        for account, target in plain.items():
            taken_out = Elimination("g", "more", 9, "More", target.target, difference_account="1810")
            world = self.world(*names, taken_out)
            with self.subTest(account):
                found = likely_targets(world, "g", "gamma", likely)
                self.assertNotIn(target.target, {one.target for one in found.values()})
                pair = IntercompanyPair("gamma", "alpha", account, account)
                paired = self.world(*names, taken_out, pair)
                self.assertEqual(
                    likely_targets(paired, "g", "gamma", (account,)).get(account), target, "it has a partner"
                )
        self.assertEqual(
            {account for account, one in plain.items() if one.is_sure}, {"DB", "3010"}, "names and codes"
        )

    def test_mapping_says_what_it_did(self) -> None:
        change = MapAccounts("g", "gamma", ("BK", "SL"), "1010")
        self.assertEqual(change.sentence(rich_state()), "Mapped BK, SL of gamma to 1010 in g")


class BooksByAccount(TestCase):
    def test_opening_movement_and_closing(self) -> None:
        book = books_of(
            "alpha",
            2026,
            1,
            PostedColumns(
                ["1010", "1010", "4010", "4010", "1010"],
                [0] * 5,
                [1] * 5,
                [0] * 5,
                [1, 2, 2, 13, 3],
                [False, False, False, True, False],
                [100, 30, -30, 30, 5],
            ),
        )
        sums = by_account([book], {"1010": 0, "4010": 1, "5010": 2}, 3, ordinal(2026, 2), ordinal(2026, 13))
        self.assertEqual(
            {name: column.tolist() for name, column in sums.items()},
            {
                "opening": [100, 0, 0],
                "debit": [35, 30, 0],
                "credit": [0, 30, 0],
                "window": [35, -30, 0],
                "cumulative": [135, 0, 0],
                "touched": [True, True, False],
            },
        )

    def test_sums_beyond_64_bits_stay_exact(self) -> None:
        most = 2**62
        book = books_of(
            "alpha",
            2026,
            1,
            PostedColumns(["1010"] * 3, [0] * 3, [1, 2, 3], [0] * 3, [1] * 3, [False] * 3, [most] * 3),
        )
        sums = by_account([book], {"1010": 0}, 1, 0, ordinal(2026, 1))
        self.assertEqual(sums["cumulative"].tolist(), [3 * most])
