"""Two small companies far away, in currencies of no and of three minor digits: ferns in Japan, below
Skovlund; irrigation in Kuwait, of which others have a part. Amounts are minor units of their currency."""

from __future__ import annotations

from datetime import date
from random import Random
from typing import NamedTuple

from demo.definitions import month_end
from demo.life import SHAPE, Life


class Far(NamedTuple):
    """A company far away: what a month sells for, in minor units, and what it sells."""

    company: str
    code: str
    month: int
    sells: str


FAR = (Far("hoshino", "43", 6_400_000, "41410-100-40"), Far("sahra", "51", 9_800_000, "48010"))
"""Yen have no minor digits, Kuwaiti dinars three."""


def openings(life: Life, day: date) -> None:
    for company, code, month, _ in FAR:
        parts = [("11010", month * 3), ("11210", month), ("12210", month * 4), ("21110", -month)]
        lines = [(f"{code}-{account}", amount) for account, amount in parts]
        life.open(company, day, [*lines, (f"{code}-31010", -month * 6), (f"{code}-31110", -month)])


def month_of(life: Life, year: int, month: int) -> None:
    """What is sold and received, spent and paid; its chance is its own, so that nothing else moves by it."""
    for company, code, base, sells in FAR:
        chance = Random(f"{company} {year} {month}")
        sold = round(base * SHAPE[month - 1] * chance.uniform(0.9, 1.1))
        life.journal(
            company,
            date(year, month, 8),
            f"Sales {month:02d}/{year}",
            [(f"{code}-11210", sold), (f"{code}-{sells}", -sold)],
            dimensions="channel=WHO",
            source=f"{company[:1].upper()}{year % 100}{month:02d}",
        )
        received = round(sold * 0.94)
        life.journal(
            company,
            date(year, month, 19),
            "Received from customers",
            [(f"{code}-11010", received), (f"{code}-11210", -received)],
        )
        wages, power = round(base * chance.uniform(0.36, 0.4)), round(base * chance.uniform(0.2, 0.26))
        life.journal(
            company,
            month_end(year, month),
            "Wages and power",
            [(f"{code}-62110", wages), (f"{code}-51210-100", power), (f"{code}-11010", -(wages + power))],
        )
        wear = base // 31
        life.journal(
            company,
            month_end(year, month),
            "Depreciation",
            [(f"{code}-65120", wear), (f"{code}-12290", -wear)],
            kind="adjusting",
        )
