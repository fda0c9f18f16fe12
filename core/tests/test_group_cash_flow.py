"""A group's cash flow: cases by hand, and that in any group its parts come to what cash did."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from decimal import Decimal
from random import Random
from typing import Any
from unittest import TestCase

from core.checks import of_everything
from core.definitions.state import State
from core.definitions.tables import Acquisition, Code, Elimination, GroupMember, OwnershipChange, Rate
from core.group_cash_flow.flows import Flows, cash_proof
from core.group_cash_flow.working_out import group_flows
from core.money import digits_of, format_amount
from core.tests.group_cases import (
    CLASSES,
    Line,
    company,
    consolidation,
    definitions,
    group_row,
    lines,
    period,
)

CASH = ("1010",)
MONTHS = [period(2025, n, n) for n in (1, 2, 3)]
OWED = [
    Elimination("g", "owed", 10, "", "1030, 2030", True, "2030"),
    Elimination("g", "trade", 20, "", "4030, 5030", True, "5010"),
]


def cash_codes() -> list[Code]:
    return [Code("ga", code, f"Account {code}", account_class="asset", cash_flow="cash") for code in CASH]


def usd(kind: str, **by_day: str) -> list[Rate]:
    days = {
        "dec": date(2024, 12, 31),
        "jan": date(2025, 1, 31),
        "feb": date(2025, 2, 28),
        "mar": date(2025, 3, 31),
    }
    return [Rate("USD", "EUR", kind, days[day], Decimal(rate)) for day, rate in by_day.items()]


def proof(group: Any, first: int, end: int, shown: frozenset[int] | None = None) -> dict[str, str]:
    flows, digits = group_flows(group, first, end), digits_of(group.group.currency)
    shown = frozenset(range(len(group.books.accounts.codes))) if shown is None else shown
    return {
        row.what: format_amount(row.amount, digits) for row in cash_proof(group.books.accounts, flows, shown)
    }


def flowed(group: Any, flows: Flows) -> dict[str, str]:
    """Account → what flowed, raw, after eliminations."""
    accounts, digits = group.books.accounts, digits_of(group.group.currency)
    return {
        accounts.name(target): format_amount(amount, digits)
        for (target, _), amount in sorted(flows.of_group.items())
    }


class ByHand(TestCase):
    def state(self, *more: Any) -> State:
        return State.of([*definitions(), *cash_codes(), *MONTHS, group_row("g"), *more])

    def test_what_moved_at_average_rates_and_what_rates_did(self) -> None:
        """100 of dollars at 0.90 in January; 40 sold in February at 0.91, closing 0.92: rates did 2.00 to
        what stood and 0.40 to what came."""
        state = self.state(
            company("a", "USD"),
            GroupMember("g", "a"),
            *usd("closing", jan="0.90", feb="0.92"),
            *usd("average", jan="0.90", feb="0.91"),
            *usd("historical", jan="0.90"),
        )
        group = consolidation(
            state, "g", {"a": lines("2025/1: 1010 100, 3010 -100\n2025/2: 1010 40, 4010 -40")}
        )
        flows = group_flows(group, 2, 2)
        self.assertEqual(flowed(group, flows), {"1010": "36.40", "4010": "-36.40"})
        self.assertEqual(flows.gained("rate_effect"), {"a": 240})
        self.assertEqual(
            proof(group, 2, 2),
            {
                "opening": "90.00",
                "flows": "36.40",
                "cash_taken_over": "0.00",
                "rate_effect": "2.40",
                "rounding": "0.00",
                "closing": "128.80",
            },
        )

    def test_land_that_only_rates_moved_does_not_flow(self) -> None:
        state = self.state(
            company("a", "USD"),
            GroupMember("g", "a"),
            *usd("closing", jan="0.90", feb="0.80"),
            *usd("average", jan="0.90", feb="0.85"),
            *usd("historical", jan="0.90"),
        )
        group = consolidation(state, "g", {"a": lines("2025/1: 1410 100, 3010 -100")})
        self.assertEqual(flowed(group, group_flows(group, 2, 2)), {})

    def test_a_company_that_comes_brings_its_cash_and_one_that_goes_takes_it(self) -> None:
        """b comes in February with 50 of cash and goes in March with 60; a paid 70 for it, and got 90."""
        state = self.state(
            company("a"),
            company("b"),
            GroupMember("g", "a"),
            GroupMember("g", "b", "company", "full", Decimal(100), date(2025, 2, 1), date(2025, 2, 28)),
            Acquisition("g", "b", date(2025, 2, 1), "a", Decimal(100), "70", "1310", "1410"),
        )
        booked = {
            "a": lines(
                "2025/1: 1010 200, 3010 -200\n2025/2: 1310 (b) 70, 1010 -70\n"
                "2025/3: 1010 90, 1310 (b) -70, 4060 -20"
            ),
            "b": lines("2025/1: 1010 50, 3010 -50\n2025/2: 1010 10, 4010 -10"),
        }
        group = consolidation(state, "g", booked)
        self.assertEqual(group_flows(group, 2, 2).gained("cash_taken_over"), {"b": 5000})
        self.assertEqual(group_flows(group, 3, 3).gained("cash_taken_over"), {"b": -6000})
        self.assertEqual(
            proof(group, 1, 3),
            {
                "opening": "0.00",
                "flows": "230.00",
                "cash_taken_over": "-10.00",
                "rate_effect": "0.00",
                "rounding": "0.00",
                "closing": "220.00",
            },
        )

    def test_what_the_holder_puts_in_afterwards_cancels(self) -> None:
        """30 put in in March: equity of b against the investment of a; 5 more than b has stay there."""
        state = self.state(
            company("a"),
            company("b"),
            GroupMember("g", "a"),
            GroupMember("g", "b", "company", "full", Decimal(100), date(2025, 2, 1)),
            Acquisition("g", "b", date(2025, 2, 1), "a", Decimal(100), "70", "1310", "1410"),
        )
        booked = {
            "a": lines(
                "2025/1: 1010 200, 3010 -200\n2025/2: 1310 (b) 70, 1010 -70\n2025/3: 1310 (b) 35, 1010 -35"
            ),
            "b": lines("2025/1: 1010 50, 3010 -50\n2025/3: 1010 30, 3010 (a) -30"),
        }
        group = consolidation(state, "g", booked)
        self.assertEqual(flowed(group, group_flows(group, 3, 3)), {"1010": "-5.00", "1310": "5.00"})

    def test_by_proportion_half_flows_and_a_larger_share_brings_cash(self) -> None:
        state = self.state(
            company("a"),
            GroupMember("g", "a", "company", "proportionate", Decimal(50)),
            OwnershipChange("g", "a", date(2025, 2, 1), Decimal(60)),
        )
        booked = {"a": lines("2025/1: 1010 100, 3010 -100\n2025/2: 1010 10, 4010 -10")}
        group = consolidation(state, "g", booked)
        flows = group_flows(group, 2, 2)
        self.assertEqual(flowed(group, flows), {"1010": "6.00", "4010": "-6.00"})
        self.assertEqual(flows.gained("cash_taken_over"), {"a": 1000})
        self.assertEqual(proof(group, 2, 2)["closing"], "66.00")

    def test_within_the_group_nothing_flows_and_a_difference_stays(self) -> None:
        state = self.state(
            *(company(name) for name in "ab"), *(GroupMember("g", name) for name in "ab"), *OWED
        )
        booked = {
            "a": lines("2025/1: 1010 100, 3010 -100\n2025/2: 2030 (b) 40, 1010 -40"),
            "b": lines("2025/1: 1030 (a) 40, 4030 (a) -40\n2025/2: 1010 38, 1030 (a) -38"),
        }
        group = consolidation(state, "g", booked)
        self.assertEqual(flowed(group, group_flows(group, 2, 2)), {"1010": "-2.00", "2030": "2.00"})

    def test_who_waits_is_left_out_of_the_whole(self) -> None:
        state = self.state(
            company("a"),
            company("b", "USD"),
            *(GroupMember("g", name) for name in "ab"),
            *usd("closing", jan="0.90", feb="0.92", mar="0.93"),
            *usd("average", jan="0.90", mar="0.90"),
            *usd("historical", jan="0.90"),
        )
        booked = {
            "a": lines("2025/1: 1010 10, 3010 -10\n2025/2: 1010 5, 4010 -5"),
            "b": lines("2025/1: 1010 10, 3010 -10\n2025/2: 1010 5, 4010 -5"),
        }
        flows = group_flows(consolidation(state, "g", booked), 2, 3)
        self.assertEqual(
            {name: str(why) for name, why in flows.left_out.items()},
            {"b": "waits for the average rate of USD to EUR between 2025-02-01 and 2025-02-28"},
        )
        self.assertEqual((flows.cash_sum("opening"), flows.cash_sum("closing")), (1000, 1500))

    def test_what_no_line_shows_is_unplaced_by_account(self) -> None:
        state = self.state(company("a"), GroupMember("g", "a"))
        group = consolidation(state, "g", {"a": lines("2025/1: 1010 100, 3010 -70, 4010 -30")})
        place = group.books.accounts.place
        told = proof(group, 1, 1, frozenset({place["1010"], place["4010"]}))
        self.assertEqual(
            (told["flows"], told["unplaced 3010"], told["closing"]), ("30.00", "70.00", "100.00")
        )

    def test_cash_is_moved_by_nothing_else(self) -> None:
        rows = [
            Elimination("g", "all", 10, "", "1010, 2030", True, "2030"),
            Acquisition("g", "b", date(2025, 2, 1), "a", Decimal(100), "70", "1010", "1410"),
        ]
        state = self.state(
            *(company(name) for name in "ab"), *(GroupMember("g", name) for name in "ab"), *rows
        )
        told = [str(fault) for fault in of_everything(state) if fault.code == "cash-moved"]
        self.assertEqual(
            sorted(told),
            [
                "acquisitions, g b 2025-02-01, column investment, value '1010': 1010 Account 1010 is cash,"
                " which is no investment. Take it off.",
                "eliminations, g all, column accounts, value '1010, 2030': 1010 Account 1010 is cash, which"
                " is not eliminated. Take it off.",
            ],
        )


NAMES = ("h", "a", "b", "c", "d")
WORTH = {"EUR": Decimal(1), "USD": Decimal("0.9"), "JPY": Decimal("0.0065"), "KWD": Decimal(3)}
PARTNERED = ("1030", "2030", "4030", "5030", "1310", "3010")


def random_group(seed: int) -> Any:
    """Currencies of 0, 2 and 3 digits, all methods, members that come, go and change their share."""
    random = Random(seed)
    into = random.choice(["EUR", "JPY", "KWD"])
    currencies = {name: into if name == "h" else random.choice([*WORTH]) for name in NAMES}
    rows: list[Any] = [*definitions(), *cash_codes(), *MONTHS, group_row("g", currency=into), *OWED]
    rows.append(GroupMember("g", "h"))
    for name in NAMES[1:]:
        method = random.choice(["full", "full", "proportionate", "equity"])
        since = random.choice([None, None, date(2024, 6, 1), date(2025, 2, 1), date(2025, 3, 1)])
        until = random.choice([None, None, date(2025, 2, 28)]) if since != date(2025, 3, 1) else None
        rows.append(
            GroupMember("g", name, "company", method, Decimal(random.choice([100, 75, 40])), since, until)
        )
        if random.random() < 0.4:
            rows.append(OwnershipChange("g", name, date(2025, random.choice([2, 3]), 1), Decimal(60)))
    for currency in {*WORTH} - {into}:
        worth = (WORTH[currency] / WORTH[into]).quantize(Decimal("1e-9"))
        rows += [
            Rate(currency, into, kind, date(2024, 12, 31), worth)
            for kind in ("closing", "average", "historical")
        ]
        for n, month in enumerate(MONTHS):
            rows += [Rate(currency, into, "closing", month.ends_on, worth * (103 + 4 * n) / 100)]
            rows += [Rate(currency, into, "average", month.ends_on, worth * (101 + 4 * n) / 100)]
    rows += [company(name, currency) for name, currency in currencies.items()]
    rows.append(Acquisition("g", "a", date(2025, 2, 1), "h", Decimal(75), "90", "1310", "1410"))
    booked = {name: _booked(random, name, digits_of(currencies[name])) for name in NAMES}
    return consolidation(State.of(rows), "g", booked)


def _booked(random: Random, name: str, digits: int) -> list[Line]:
    booked: list[Line] = []
    for month in (0, 1, 2, 3):
        total = Decimal(0)
        for account in random.sample(sorted(set(CLASSES) - {*CASH}), 6):
            amount = Decimal(random.randint(-99_999, 99_999)).scaleb(-digits)
            partner = random.choice([n for n in NAMES if n != name]) if account in PARTNERED else ""
            booked.append(
                (2025, month, account, amount, partner) if partner else (2025, month, account, amount)
            )
            total += amount
        booked.append((2025, month, "1010", -total))
    return booked


class Properties(TestCase):
    def test_parts_come_to_what_cash_did(self) -> None:
        """What differs is at most a minor unit for each flow, each balance of a cash cell and each effect."""
        for seed in range(60):
            group = random_group(seed)
            for first, end in ((1, 1), (2, 2), (3, 3), (1, 3), (2, 3)):
                flows = group_flows(group, first, end)
                rows = {
                    row.what: row.amount
                    for row in cash_proof(group.books.accounts, flows, frozenset(range(5)))
                }
                months = end - first + 1
                most = len(NAMES) * (8 * months + 4 + months)
                with self.subTest(seed=seed, first=first, end=end):
                    self.assertEqual(flows.left_out, {})
                    self.assertEqual(sum(rows.values()) - rows["closing"], rows["closing"])
                    self.assertLessEqual(abs(rows["rounding"]), most)
                    self.assertEqual(rows["closing"], self.cash(group, end))

    def cash(self, group: Any, end: int) -> int:
        """Cash as the group's position has it."""
        place, position = group.books.accounts.place["1010"], group.position(end)
        columns: Mapping[str, Mapping[int, int]] = position.columns
        eliminated: int = position.eliminated.get(place, 0)
        return sum(entries.get(place, 0) for entries in columns.values()) + eliminated

    def test_months_come_to_the_quarter(self) -> None:
        for seed in range(20):
            group = random_group(seed)
            months = [group_flows(group, n, n) for n in (1, 2, 3)]
            quarter = group_flows(group, 1, 3)
            sums: dict[tuple[int, int], int] = {}
            for flows in months:
                for key, amount in flows.of_group.items():
                    sums[key] = sums.get(key, 0) + amount
            with self.subTest(seed=seed):
                self.assertEqual({key: a for key, a in sums.items() if a}, quarter.of_group)
                for part in ("taken_over", "rate_effect"):
                    sums_of = [flows.cash_sum(part) for flows in (*months, quarter)]
                    self.assertEqual(sum(sums_of[:3]), sums_of[3])
