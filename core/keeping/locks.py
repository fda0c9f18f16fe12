"""Rows of rates that a kept period took, and places where another row would have been taken instead."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from datetime import date
from typing import NamedTuple

from core.definitions.tables import Rate
from core.group.rates import RateTable
from core.group.translation_rules import HISTORICAL


class LockedRate(NamedTuple):
    """Rows of this kind and direction from one day to another stand as they are; days as YYYY-MM-DD."""

    kind: str
    from_currency: str
    to_currency: str
    first: str
    last: str

    def holds(self, row: Rate) -> bool:
        return (self.kind, self.from_currency, self.to_currency) == (
            row.kind,
            row.from_currency,
            row.to_currency,
        ) and self.first <= str(row.on) <= self.last


class KeptRates(NamedTuple):
    """What one kept period locks; `period` is what it is called, `by` whose keeping it is."""

    group: str
    period: str
    by: str
    locks: tuple[LockedRate, ...]


def locked_by(rates: RateTable, p: int) -> tuple[LockedRate, ...]:
    """Everything that a change of rows could alter of what the table was asked for up to period p."""
    locks: set[LockedRate] = set()
    for (kind, currency, i), rate in rates.known.items():
        if rate is not None and i <= p:
            locks.update(_of_rate(rates, kind, currency, i))
    return tuple(sorted(locks))


def _of_rate(rates: RateTable, kind: str, currency: str, i: int) -> Iterator[LockedRate]:
    ways = list(rates.ways(kind, currency, i))
    yield from _of_legs(rates, kind, currency, rates.into, i)
    if ways[0].name.startswith("through"):
        yield from _of_legs(rates, kind, currency, rates.through, i)
        yield from _of_legs(rates, kind, rates.through, rates.into, i)


def _of_legs(rates: RateTable, kind: str, one: str, other: str, i: int) -> Iterator[LockedRate]:
    """The direct row from its day on, as a later one would be taken; where there is none, any row would; then
    the row turned round the same way."""
    first, last = rates.periods.within(i)
    earliest = date.min if kind == HISTORICAL else first
    for from_currency, to_currency in ((one, other), (other, one)):
        row = rates.row(kind, from_currency, to_currency, i)
        yield LockedRate(kind, from_currency, to_currency, str(row.on if row else earliest), str(last))
        if row:
            return


def keeping_it(kept: Iterable[KeptRates], row: Rate) -> KeptRates | None:
    """The kept period that holds a row as it is; None where none does."""
    return next((one for one in kept if any(lock.holds(row) for lock in one.locks)), None)
