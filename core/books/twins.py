"""Lines of two companies that face each other, matched by reference, amount and date; what has no twin is why
they disagree."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable
from dataclasses import dataclass, field
from datetime import date
from typing import NamedTuple

DAYS = 10
"""So far apart may the dates of two lines be that agree in nothing but their amount."""
AGES = (30, 60, 90)
"""Days up to which open lines are put together."""


class FacingLine(NamedTuple):
    """A line with a partner, in a journal that may be another company's (`of`): `keyed` raw in minor units of
    `currency` as it was keyed, `amount` in the company's own."""

    company: str
    of: str
    journal: str
    line: int
    on: date
    reference: str
    text: str
    currency: str
    keyed: int
    amount: int
    account: str = ""
    """its natural account"""


class Twins(NamedTuple):
    """Two lines that belong together; `apart` is what they don't cancel to, as keyed."""

    one: FacingLine
    other: FacingLine
    apart: int


@dataclass
class Matched:
    """`agree` cancel, `differ` share a reference and don't; `alone` have no twin."""

    agree: list[Twins] = field(default_factory=list)
    differ: list[Twins] = field(default_factory=list)
    alone: list[FacingLine] = field(default_factory=list)


def match(ones: Iterable[FacingLine], others: Iterable[FacingLine]) -> Matched:
    """Lines that agree in more are matched first: reference and amount, amount and day, amount and nearly the
    day, at last the reference alone."""
    left = sorted(ones, key=_order)
    right = sorted(others, key=_order)
    found = Matched()
    left, right = _pair_up(left, right, _reference_and_amount, found)
    left, right = _pair_up(left, right, _amount, found, 0)
    left, right = _pair_up(left, right, _amount, found, DAYS)
    left, right = _by_reference(left, right, found)
    found.alone = sorted([*left, *right], key=_order)
    return found


class OpenAmount(NamedTuple):
    """What lines of a company and account, in a currency and of an age, lack of twins: raw, as keyed."""

    company: str
    account: str
    currency: str
    age: str
    keyed: int
    lines: int


def age_of(line: FacingLine, until: date) -> int:
    return max(0, (until - line.on).days)


def _age(days: int) -> tuple[int, str]:
    """The place of an age among AGES, and its words."""
    for place, most in enumerate(AGES):
        if days <= most:
            least = AGES[place - 1] + 1 if place else 0
            return place, f"{least} to {most} days"
    return len(AGES), f"over {AGES[-1]} days"


def open_amounts(found: Matched, until: date) -> list[OpenAmount]:
    """Lines without a twin, and what twins are apart on the first one's account, the oldest first; they come
    to what both sides differ by in each currency."""
    open_lines = [(line, line.keyed) for line in found.alone]
    open_lines += [(pair.one, pair.apart) for pair in found.differ if pair.apart]
    sums: dict[tuple[int, str, str, str, str], tuple[int, int]] = {}
    for line, keyed in open_lines:
        place, words = _age(age_of(line, until))
        key = (-place, line.company, line.account, line.currency, words)
        total, count = sums.get(key, (0, 0))
        sums[key] = (total + keyed, count + 1)
    return [OpenAmount(*key[1:], *value) for key, value in sorted(sums.items())]


class OpenLines(NamedTuple):
    """How many lines have no twin or differ from theirs, and how many days the oldest of them is."""

    lines: int
    oldest: int


def open_since(found: Matched, until: date) -> OpenLines:
    lines = [*found.alone, *(pair.one for pair in found.differ if pair.apart)]
    return OpenLines(len(lines), max((age_of(line, until) for line in lines), default=0))


def _order(line: FacingLine) -> tuple[date, str, int]:
    return line.on, line.journal, line.line


Key = Callable[[FacingLine, int], Hashable]


def _reference_and_amount(line: FacingLine, sign: int) -> Hashable:
    return (line.reference, line.currency, sign * line.keyed) if line.reference else None


def _amount(line: FacingLine, sign: int) -> Hashable:
    return line.currency, sign * line.keyed


def _pair_up(
    left: list[FacingLine], right: list[FacingLine], key: Key, found: Matched, within: int | None = None
) -> tuple[list[FacingLine], list[FacingLine]]:
    """Lines of one key that cancel, the nearest day first and `within` so many; returns what is left."""
    waiting: dict[Hashable, list[FacingLine]] = {}
    for line in right:
        if (name := key(line, -1)) is not None:
            waiting.setdefault(name, []).append(line)
    rest, taken = [], set()
    for line in left:
        same = waiting.get(name, []) if (name := key(line, 1)) is not None else []
        near = min(same, key=lambda other: abs((other.on - line.on).days), default=None)
        if near is None or (within is not None and abs((near.on - line.on).days) > within):
            rest.append(line)
            continue
        same.remove(near)
        taken.add(id(near))
        found.agree.append(Twins(line, near, 0))
    return rest, [line for line in right if id(line) not in taken]


def _by_reference(
    left: list[FacingLine], right: list[FacingLine], found: Matched
) -> tuple[list[FacingLine], list[FacingLine]]:
    """One line of either side under a reference and a currency: they belong together, and are apart."""
    sides: dict[Hashable, tuple[list[FacingLine], list[FacingLine]]] = {}
    for place, lines in enumerate((left, right)):
        for line in lines:
            if line.reference:
                sides.setdefault((line.reference, line.currency), ([], []))[place].append(line)
    together = [(ones[0], others[0]) for ones, others in sides.values() if len(ones) == len(others) == 1]
    found.differ += [Twins(one, other, one.keyed + other.keyed) for one, other in together]
    taken = {id(line) for pair in together for line in pair}
    return [x for x in left if id(x) not in taken], [x for x in right if id(x) not in taken]
