"""Money is an integer of the currency's minor unit. Digits come from ISO 4217."""

from __future__ import annotations

import re
from fractions import Fraction
from functools import cache

import iso4217

LIMIT = 10**17
"""Amounts of one line stay below this many minor units, so that sums of many stay exact in 64 bits."""

AMOUNT = re.compile(r"(-?)(\d{1,40})(?:\.(\d{1,40}))?", re.ASCII)


@cache
def minor_digits(currency: str) -> int | None:
    """Minor digits of an ISO 4217 currency; None for an unknown one."""
    try:
        return iso4217.Currency(currency).exponent or 0
    except ValueError:
        return None


def digits_of(currency: str) -> int:
    """Minor digits, taking 2 for a currency that a fault was already told about."""
    digits = minor_digits(currency)
    return 2 if digits is None else digits


def parse_amount(text: str, digits: int) -> int | str:
    """Minor units of `1234.50`, or a sentence that says why it is none."""
    match = AMOUNT.fullmatch(text)
    if not match:
        return "An amount is written with digits and a point, without thousands marks, as in 1234.50."
    sign, whole, part = match.groups()
    part = part or ""
    if len(part) > digits:
        return f"The currency has {digits} minor digits and this amount has {len(part)}."
    minor: int = int(whole) * 10**digits + int(part.ljust(digits, "0") or "0")
    if minor >= LIMIT:
        return f"The amount is out of range: at most {format_amount(LIMIT - 1, digits)}."
    return -minor if sign else minor


def format_amount(minor: int, digits: int) -> str:
    """`1234.50`, the open form for files."""
    sign = "-" if minor < 0 else ""
    if not digits:
        return f"{sign}{abs(minor)}"
    whole, part = divmod(abs(minor), 10**digits)
    return f"{sign}{whole}.{part:0{digits}d}"


def show_amount(minor: int | None, digits: int) -> str:
    """For the eye: thousands parted, a true minus, zero as 0, nothing as a dash."""
    if minor is None:
        return "—"
    if minor == 0:
        return "0"
    whole, part = divmod(abs(minor), 10**digits)
    text = f"{whole:,}" + (f".{part:0{digits}d}" if digits else "")
    return f"−{text}" if minor < 0 else text


def round_half_up(value: Fraction) -> int:
    """To the nearest integer, halves away from zero, as books are rounded."""
    doubled = abs(value) * 2 + 1
    whole = doubled.numerator // (doubled.denominator * 2)
    return -whole if value < 0 else whole


def show_whole(minor: int | None, digits: int) -> str:
    """An amount in whole units of the currency, for tables with many columns; what it rounds stands behind
    it."""
    if minor is None:
        return show_amount(None, 0)
    unit = 10**digits
    value = (abs(minor) * 2 + unit) // (2 * unit)
    return show_amount(-value if minor < 0 else value, 0)
