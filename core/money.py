"""Money is an integer of the currency's minor unit. Digits come from ISO 4217."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from fractions import Fraction
from functools import cache
from typing import Any

import iso4217
import numpy as np
from numpy.typing import NDArray

from core import writing

LIMIT = 10**17
SAFE = 2**62
"""What is sure to fit into 64 bits with room for one addition."""
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


def parse_keyed_amount(text: str, digits: int) -> int | str:
    """Minor units of an amount as a person keys it, by their way of writing; or a sentence."""
    try:
        return parse_amount(writing.read_number(text, digits), digits)
    except ValueError as refused:
        return str(refused)


def format_amount(minor: int, digits: int) -> str:
    """`1234.50`, the open form for files."""
    sign = "-" if minor < 0 else ""
    if not digits:
        return f"{sign}{abs(minor)}"
    whole, part = divmod(abs(minor), 10**digits)
    return f"{sign}{whole}.{part:0{digits}d}"


def show_amount(minor: int | None, digits: int) -> str:
    """For the eye, in the way of writing of whoever looks: thousands parted, a true minus, zero as 0, nothing
    as a dash."""
    if minor is None:
        return "—"
    if minor == 0:
        return "0"
    way = writing.current()
    whole, part = divmod(abs(minor), 10**digits)
    text = writing.grouped(str(whole), way) + (f"{way.decimal}{part:0{digits}d}" if digits else "")
    return f"−{text}" if minor < 0 else text


def key_amount(minor: int, digits: int) -> str:
    """As it stands in a field that a person may change: their decimal mark, thousands not parted. Where they
    didn't say how they write, three decimals get a fourth: else a point could be a thousands mark."""
    text = writing.shown(format_amount(minor, digits))
    return text if writing.is_said() or digits != 3 else f"{text}0"


def show_quantity(value: int | None, digits: int) -> str:
    """A statistic for the eye: decimals only where it has some."""
    whole, part = divmod(value or 0, 10**digits)
    return show_amount(value if value is None or part else whole, digits if part else 0)


LEAST_RATE_PLACES, MOST_RATE_PLACES = 6, 18


def show_rate(rate: Fraction) -> str:
    """A rate for the eye: six decimals, for small ones as many as six digits of it take, none after the last
    digit of an exact one beyond six; never with an exponent."""
    places = LEAST_RATE_PLACES
    while places < MOST_RATE_PLACES and 0 < abs(rate) * 10**places < 10 ** (LEAST_RATE_PLACES - 1):
        places += 1
    text = format_amount(round_half_up(rate * 10**places), places)
    return text[: len(text) - min(_zeros_behind(text), places - LEAST_RATE_PLACES)]


def _zeros_behind(text: str) -> int:
    return len(text) - len(text.rstrip("0"))


EXACT_PERCENT_PLACES, MOST_PERCENT_PLACES = 6, 18


def show_percent(share: Fraction) -> str:
    """A share in percent: exact where six decimals say it, else by two; never as a whole percentage, 0 or 100
    among them, that it is not."""
    percent, rounded, places = share * 100, 0, 0
    exact = (n for n in range(EXACT_PERCENT_PLACES + 1) if (percent * 10**n).denominator == 1)
    first = next(exact, 2)
    for places in range(first, MOST_PERCENT_PLACES + 1):
        rounded = round_half_up(percent * 10**places)
        if Fraction(rounded, 10**places) == percent or rounded % 10**places:
            break
    return f"{format_amount(rounded, places)} %"


def round_half_up(value: Fraction) -> int:
    """To the nearest integer, halves away from zero, as books are rounded."""
    return _rounded(value.numerator, value.denominator)


def portion(share: Fraction, amount: int) -> int:
    """A share of an amount, rounded as books are: `round_half_up(share * amount)`, without a fraction made
    for each."""
    return _rounded(share.numerator * amount, share.denominator)


def portions(share: Fraction, amounts: Iterable[int]) -> list[int]:
    """The same share of each amount, each rounded by itself."""
    up, down = share.numerator, share.denominator
    return [_rounded(up * amount, down) for amount in amounts]


def _rounded(up: int, down: int) -> int:
    whole = (2 * abs(up) + down) // (2 * down)
    return -whole if up < 0 else whole


def round_up(value: Fraction) -> int:
    """Away from zero."""
    whole = -(-abs(value).numerator // abs(value).denominator)
    return -whole if value < 0 else whole


def round_down(value: Fraction) -> int:
    """Towards zero."""
    whole = abs(value).numerator // abs(value).denominator
    return -whole if value < 0 else whole


ROUNDS: Mapping[str, Callable[[Fraction], int]] = {
    "nearest": round_half_up,
    "up": round_up,
    "down": round_down,
}
"""How an amount in another currency is brought to whole minor units."""
UNITS = {"whole": 1, "thousands": 1_000, "millions": 1_000_000}
"""In which figures are shown, by name."""


def rounded_to(minor: int, digits: int, units: int = 1) -> int:
    """How many whole units of the currency, thousands or millions of it (`units`), halves away from zero."""
    unit = units * int(10**digits)
    value = (abs(minor) * 2 + unit) // (2 * unit)
    return -value if minor < 0 else value


def show_whole(minor: int | None, digits: int, units: int = 1) -> str:
    """An amount in whole units of the currency (or thousands …), for tables with many columns; what it rounds
    stands behind it."""
    return show_amount(None if minor is None else rounded_to(minor, digits, units), 0)


def scaled(values: NDArray[Any], rate: Fraction) -> NDArray[Any]:
    """Each value times the rate, rounded by itself."""
    if rate == 1 or not len(values):
        return values
    up, down = abs(rate.numerator), rate.denominator
    if values.dtype != object:
        most = max(int(values.max()), -int(values.min()))
        if (2 * most * up + down) >= SAFE:
            values = values.astype(object)
    size = np.abs(values)
    whole = (2 * size * up + down) // (2 * down)
    negative = (values < 0) != (rate < 0)
    result: NDArray[Any] = np.where(negative, -whole, whole)
    return result


def scaled_columns(values: NDArray[Any], rates: Sequence[Fraction]) -> NDArray[Any]:
    """Each column times its own rate, each value rounded by itself."""
    up = np.array([abs(rate.numerator) for rate in rates], dtype=object)
    down = np.array([rate.denominator for rate in rates], dtype=object)
    if values.size and values.dtype != object:
        most = max(int(values.max()), -int(values.min()))
        if 2 * most * max(up) + max(down) < SAFE and 2 * max(down) < SAFE:
            up, down = up.astype(np.int64), down.astype(np.int64)
        else:
            values = values.astype(object)
    whole = (2 * np.abs(values) * up + down) // (2 * down)
    negative = (values < 0) != np.array([rate < 0 for rate in rates])
    result: NDArray[Any] = np.where(negative, -whole, whole)
    return result
