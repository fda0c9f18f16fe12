"""What Fernhollow's companies paid for one another, as their books and the group's acquisitions have it."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date
from decimal import ROUND_HALF_UP, Decimal
from typing import Any

from core.definitions.tables import Acquisition
from core.money import digits_of
from demo.definitions import rate_at
from demo.life import Life

BOUGHT = date(2025, 1, 1)
HELD = [
    # holder, member, percent, paid beyond the equity acquired (in the holder's minor units)
    ("skovlund", "trials", 100, 25_000_000),
    ("skovlund", "alder", 51, 10_000_000),
    ("skovlund", "hoshino", 100, 4_000_000),
    ("fernhollow", "sahra", 70, 1_200_000),
    ("fernhollow", "nurseries", 100, 14_000_000),
    ("fernhollow", "veenbol", 100, 12_000_000),
    ("fernhollow", "hexley", 100, 3_000_000),
    ("fernhollow", "skovlund", 80, 9_000_000),
]
"""From the beginning, the holders lower in the tree first: what they hold is in their own equity. What is
paid beyond the equity is goodwill."""
CURRENCY = {
    "veenbol": "EUR",
    "skovlund": "DKK",
    "trials": "DKK",
    "alder": "USD",
    "zielnik": "PLN",
    "hoshino": "JPY",
    "sahra": "KWD",
}
CORRAN_COST, FURTHER_COST = 18_500_000, 36_000_000
"""60 % of Corran in April 2026, and a further 10 % of Skovlund Seed in July: pence."""
EQUITY = {"alder": {"31010": -25_000_000}}
"""Of companies whose opening equity is not in journals here: minor units of their currency."""


def in_pounds(amount: int, company: str) -> int:
    """An opening amount in pence, rounded as the group does."""
    if company not in CURRENCY:
        return amount
    digits = digits_of(CURRENCY[company])
    exact = Decimal(amount).scaleb(digits_of("GBP") - digits) * rate_at(CURRENCY[company], 0)
    return int(exact.quantize(Decimal(1), ROUND_HALF_UP))


def acquired(life: Life, member: str, percent: int) -> int:
    """The part of a member's opening equity, in pence."""
    equity = {**EQUITY, **life.equity}[member]
    share = Decimal(percent) / 100
    return -sum(
        int((share * in_pounds(amount, member)).quantize(Decimal(1), ROUND_HALF_UP))
        for amount in equity.values()
    )


def paid(life: Life, holder: str, member: str, percent: int, beyond: int) -> int:
    """What a holder paid, in minor units of its own currency."""
    pence = acquired(life, member, percent)
    own = pence if holder not in CURRENCY else round(Decimal(pence) / rate_at(CURRENCY[holder], 0))
    return own + beyond


def investments(life: Life) -> None:
    """What stands in the holders' books from the beginning, by member."""
    for holder, member, percent, beyond in HELD:
        code = {"fernhollow": "10", "skovlund": "40"}[holder]
        cost = paid(life, holder, member, percent, beyond)
        life.equity[holder]["31110"] = life.equity[holder].get("31110", 0) - cost
        life.journal(
            holder,
            BOUGHT,
            f"Shares in {member}, brought forward",
            [(f"{code}-12810", cost), (f"{code}-31110", -cost)],
            kind="opening",
            partner=member,
        )
    cost = round(Decimal(acquired(life, "zielnik", 35)) * Decimal("1.02"))
    life.journal(
        "fernhollow",
        BOUGHT,
        "Shares in Zielnik, brought forward",
        [("10-12830", cost), ("10-31110", -cost)],
        kind="opening",
    )


def later(life: Life) -> None:
    """Bought since: Corran, and a further part of Skovlund."""
    for on, member, cost, text in (
        (date(2026, 4, 1), "corran", CORRAN_COST, "60 % of Corran Cut Flowers"),
        (date(2026, 7, 1), "skovlund", FURTHER_COST, "A further 10 % of Skovlund Seed"),
    ):
        life.journal("fernhollow", on, text, [("10-12810", cost), ("10-11010", -cost)], partner=member)


def written(minor: int) -> str:
    return f"{minor // 100}.{minor % 100:02d}"


def acquisitions(life: Life) -> Iterator[Any]:
    for holder, member, percent, beyond in HELD:
        own = paid(life, holder, member, percent, beyond)
        pence = in_pounds(own, holder)
        row = Acquisition(
            "fernhollow", member, BOUGHT, holder, Decimal(percent), written(pence), "12810", "12610"
        )
        yield row
        if holder == "skovlund":
            yield row._replace(group="skovlund", cost=written(own))
    yield Acquisition(
        *("fernhollow", "corran", date(2026, 4, 1), "fernhollow", Decimal(60)),
        *(written(CORRAN_COST), "12810", "12610"),
    )
    yield Acquisition(
        *("fernhollow", "skovlund", date(2026, 7, 1), "fernhollow", Decimal(10)),
        *(written(FURTHER_COST), "12810", "12610"),
    )


def to_group_rules(life: Life) -> None:
    """Skovlund expenses its variety trials; the group carries them forward."""
    life.journal(
        "skovlund-rules",
        date(2026, 6, 30),
        "Variety trials carried forward",
        [("42-12530", 45_000_000), ("42-51990", -45_000_000)],
        kind="adjusting",
    )
