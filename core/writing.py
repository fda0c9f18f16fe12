"""How a person writes numbers: which marks part thousands and decimals. What is keyed is read by it, and
figures are shown in it.

Whose way it is stands in a context variable, as Django keeps a language: a request, or a job that somebody
asked for, sets it once, and sentences made anywhere follow. Files for programs are written otherwise, with
digits and a point (`format_amount` of core/money.py), and read so where they are packages.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from decimal import Decimal
from functools import cache, lru_cache
from typing import NamedTuple

from babel import Locale
from babel.numbers import NumberFormatError, get_decimal_symbol, get_group_symbol, parse_decimal

LOCALES = ("en_GB", "de_DE", "fr_FR", "de_CH", "en_IN")
"""Each stands for all who write as it does: 1,234,567.50; 1.234.567,50; 1 234 567,50; 1’234’567.50;
12,34,567.50."""
NUMBER_KEYED = re.compile(r"[-+]?[0-9.,'’ \u00a0\u2009\u202f]{1,80}", re.ASCII)
OPEN_FORM = re.compile(r"-?[0-9]+(\.[0-9]+)?", re.ASCII)
SPACES = str.maketrans(dict.fromkeys(" \u00a0\u2009\u202f", " "))
APOSTROPHE = "’"
KEYED_FOR = str.maketrans({"'": APOSTROPHE, "\u2212": "-"})


class Way(NamedTuple):
    """The marks of a way of writing, and how many digits stand between them: in the last group, in the
    others."""

    locale: str
    decimal: str
    group: str
    last: int
    others: int

    @property
    def example(self) -> str:
        return grouped("1234567", self) + self.decimal + "50"


@cache
def way_of(locale: str) -> Way:
    """By one of LOCALES; of any other, as nobody says, 1,234,567.50."""
    known = locale if locale in LOCALES else LOCALES[0]
    sizes = Locale.parse(known).decimal_formats[None].grouping
    group = get_group_symbol(known).replace("'", APOSTROPHE)
    return Way(known, get_decimal_symbol(known), group, *sizes)


class Exact(str):
    """A cell's text that is with digits and a point already, whoever looks: nobody keyed it."""


class _Now(NamedTuple):
    """Whose way of writing holds: a locale, or nothing where somebody has not said; `typed`: cells are being
    read that people key (or, `from_file`, bring)."""

    locale: str = ""
    typed: bool = False
    from_file: bool = False


_now: ContextVar[_Now] = ContextVar("way of writing")
NOBODY = _Now()


def _known() -> _Now:
    return _now.get(NOBODY)


def current() -> Way:
    return way_of(_known().locale)


def is_said() -> bool:
    """Whether somebody said how they write numbers."""
    return bool(_known().locale)


@contextmanager
def written_as(locale: str) -> Iterator[None]:
    """Numbers are shown, and read where people key them, in a person's way; empty: nobody said."""
    token = _now.set(_known()._replace(locale=locale))
    try:
        yield
    finally:
        _now.reset(token)


@contextmanager
def keyed_cells(*, from_file: bool = False) -> Iterator[None]:
    """Cells read meanwhile were keyed by a person, or stand in a file that one brings."""
    token = _now.set(_known()._replace(typed=True, from_file=from_file))
    try:
        yield
    finally:
        _now.reset(token)


def open_form(text: str, digits: int | None = None) -> str:
    """A number as it stands in a cell, with digits and a point: of cells that people key what they write by
    their way of writing. Raises ValueError with a sentence for what can't be read, or can be read two ways.
    `digits`: those behind the point that a currency has, where it is an amount."""
    return read_number(text, digits) if _known().typed and not isinstance(text, Exact) else text


def exactly(text: str, digits: int) -> str:
    """An amount that a person keyed or brings with digits and a point, and marked so; one that can't be read
    as it stands, for whoever reads it to say why. `digits` are those of its currency."""
    try:
        return Exact(read_number(text, digits)) if text.strip() else ""
    except ValueError:
        return text


def read_number(text: str, digits: int | None = None) -> str:
    """The number that a person keyed, as `1234.5`. Raises ValueError with a sentence."""
    now = _known()
    text = text.strip().translate(KEYED_FOR)
    if not NUMBER_KEYED.fullmatch(text):
        raise ValueError(f"{_quoted(text)} is no number. Write it like {current().example}.")
    own = _read_as(text, now.locale) if now.locale else None
    by_program = _in_open_form(text, digits) if now.from_file else None
    readings = {number for number in (own, by_program) if number is not None} or _readings(text, digits)
    if len(readings) > 1:
        raise ValueError(_two_ways(text, readings))
    if not readings:
        raise ValueError(f"{_quoted(text)} is no number. Write it like {current().example}.")
    return plain(next(iter(readings)))


def _readings(text: str, digits: int | None) -> set[Decimal]:
    """What it says to people of any way of writing; a currency without minor digits has no decimals."""
    read = {number for locale in LOCALES if (number := _read_as(text, locale)) is not None}
    whole = {number for number in read if number == number.to_integral_value()}
    return whole if digits == 0 and whole else read


def _in_open_form(text: str, digits: int | None) -> Decimal | None:
    """What a file's cell says as programs write numbers, packages among them; None where they don't write it
    so, or it is no amount of the currency."""
    fits = digits is None or len(text.partition(".")[2]) <= digits
    return Decimal(text) if fits and OPEN_FORM.fullmatch(text) else None


@lru_cache(maxsize=10_000)
def _read_as(text: str, locale: str) -> Decimal | None:
    """None where somebody of that way of writing doesn't write it so."""
    way = way_of(locale)
    if way.group.isspace():
        text = text.translate(SPACES).replace(" ", way.group)
    if way.group == APOSTROPHE:  # babel takes it for a quote, so thousands are parted as in English for it
        text, locale = text.replace(",", " ").replace(APOSTROPHE, ","), LOCALES[0]
    try:
        return parse_decimal(text.removeprefix("+"), locale=locale, strict=True)
    except NumberFormatError:
        return None


def _two_ways(text: str, readings: set[Decimal]) -> str:
    small, *_, large = sorted(map(plain, readings), key=lambda one: abs(Decimal(one)))
    return (
        f"{_quoted(text)} can be read as {large} or as {small}. Write {large}, or {small}0; or say under your"
        " name how you write numbers."
    )


def _quoted(text: str) -> str:
    return text if len(text) <= 40 else f"{text[:40]}…"


def plain(number: Decimal) -> str:
    """With digits and a point, no exponent, no zeros behind the last digit."""
    text = format(number, "f")
    return text.rstrip("0").rstrip(".") if "." in text else text


def grouped(whole: str, way: Way) -> str:
    """Digits with the thousands parted."""
    if way.last == way.others == 3:
        return f"{int(whole):,}".replace(",", way.group) if whole else whole
    head, tail = whole[: -way.last], whole[-way.last :]
    parts = [tail]
    while head:
        parts.insert(0, head[-way.others :])
        head = head[: -way.others]
    return way.group.join(parts)


def shown(text: str) -> str:
    """A number with digits and a point as a person sees and keys it: with their decimal mark, thousands not
    parted, so that nothing else can be read into it."""
    return text.replace(".", current().decimal)
