"""The rate of a currency for a period of a group: directly, turned round, or through a third currency."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from fractions import Fraction
from functools import cache, lru_cache
from typing import Any, NamedTuple

from core.definitions.state import State
from core.definitions.tables import Group, Rate
from core.group.periods import GroupPeriods, latest
from core.group.translation_rules import AVERAGE, CLOSING, HISTORICAL
from core.money import digits_of

KINDS = (CLOSING, AVERAGE, HISTORICAL)


class NotReady(Exception):
    """Why a company can't be taken in, as the end of a sentence: "waits for …"."""


class RateMissing(NotReady):
    """A rate that is needed and is not there: its kind, the two currencies, for which period and its days."""

    def __init__(self, kind: str, currency: str, into: str, number: int, days: tuple[date, date]) -> None:
        self.kind, self.currency, self.number, self.days = kind, currency, number, days
        when = f"up to {days[1]}" if kind == HISTORICAL else f"between {days[0]} and {days[1]}"
        super().__init__(f"waits for the {kind} rate of {currency} to {into} {when}")


class Way(NamedTuple):
    """A rate as it is come by: directly, turned round, through a third currency. `on` is the (older) day of
    its rows, `blur` half of the last digit they are written with."""

    name: str
    rate: Fraction
    on: date
    blur: Fraction


@dataclass(frozen=True)
class RateTable:
    """`rows` are days and exact rates with their blur by (from, to, kind), in order of days."""

    into: str
    through: str
    periods: GroupPeriods
    rows: dict[tuple[str, str, str], tuple[list[date], list[tuple[Fraction, Fraction]]]]
    known: dict[tuple[str, str, int], Fraction | None] = field(default_factory=dict)
    known_minor: dict[tuple[str, str, int], Fraction] = field(default_factory=dict)

    def source_of(self, currency: str) -> tuple[Any, ...]:
        """Everything that rates of a currency come from; they are the same while this is."""
        if currency == self.into:
            return ()
        legs = [(currency, self.into)]
        if self.through and self.through not in (currency, self.into):
            legs += [(currency, self.through), (self.through, self.into)]
        pairs = [pair for one, other in legs for pair in ((one, other), (other, one))]
        rows = tuple(self.rows.get((*pair, kind)) for pair in pairs for kind in KINDS)
        return self.into, self.through, self.periods.rows, rows

    def of(self, kind: str, currency: str, i: int) -> Fraction:
        """The rate of a kind (closing, average, historical) for period i, between whole units: what is shown.
        Raises RateMissing."""
        if currency == self.into:
            return Fraction(1)
        key = (kind, currency, i)
        if key not in self.known:
            self.known[key] = self._way(kind, currency, i)
        rate = self.known[key]
        if rate is None:
            raise RateMissing(kind, currency, self.into, i, self.periods.within(i))
        return rate

    def minor(self, kind: str, currency: str, i: int) -> Fraction:
        """The same between minor units: what amounts are translated by. Raises RateMissing."""
        key = (kind, currency, i)
        rate = self.known_minor.get(key)
        if rate is None:
            rate = self.known_minor[key] = self.of(kind, currency, i) * minor_units(currency, self.into)
        return rate

    def _way(self, kind: str, currency: str, i: int) -> Fraction | None:
        way = next(self.ways(kind, currency, i), None)
        return way.rate if way else None

    def ways(self, kind: str, currency: str, i: int) -> Iterator[Way]:
        """Every way there is, the one that is taken first."""
        yield from self._legs(kind, currency, self.into, i)
        if self.through and self.through not in (currency, self.into):
            first = next(self._legs(kind, currency, self.through, i), None)
            second = next(self._legs(kind, self.through, self.into, i), None)
            if first and second:
                blur = first.blur * second.rate + second.blur * first.rate
                yield Way(f"through {self.through}", first.rate * second.rate, min(first.on, second.on), blur)

    def _legs(self, kind: str, one: str, other: str, i: int) -> Iterator[Way]:
        """Directly, then turned round."""
        if row := self.row(kind, one, other, i):
            yield row
        if turned := self.row(kind, other, one, i):
            yield Way("turned round", 1 / turned.rate, turned.on, turned.blur / turned.rate**2)

    def row(self, kind: str, one: str, other: str, i: int) -> Way | None:
        days, rates = self.rows.get((one, other, kind), ([], []))
        first, last = self.periods.within(i)
        at = latest(days, None if kind == HISTORICAL else first, last)
        return Way("directly", rates[at][0], days[at], rates[at][1]) if at >= 0 else None


@cache
def minor_units(currency: str, into: str) -> Fraction:
    """What a rate between whole units is multiplied by to be one between minor units: 10^(e - d)."""
    return Fraction(10) ** (digits_of(into) - digits_of(currency))


def rate_table(state: State, group: Group, periods: GroupPeriods) -> RateTable:
    rows: dict[tuple[str, str, str], tuple[list[date], list[tuple[Fraction, Fraction]]]] = {}
    for row in sorted(state.rows(Rate), key=lambda row: row.on):
        days, rates = rows.setdefault((row.from_currency, row.to_currency, row.kind), ([], []))
        days.append(row.on)
        rates.append(_exactly(row.rate))
    return RateTable(group.currency, group.rates_through, periods, rows)


@lru_cache(maxsize=100_000)
def _exactly(rate: Decimal) -> tuple[Fraction, Fraction]:
    """A rate and half of the last digit it is written with; the same object for the same rate, which makes
    tables quick to compare."""
    exponent = rate.normalize().as_tuple().exponent  # a database pads it with zeros
    digits = max(-exponent, 0) if isinstance(exponent, int) else 0
    return Fraction(rate), Fraction(1, 2) / Fraction(10) ** digits
