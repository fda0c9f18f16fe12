"""Rates of a group's periods out of the daily reference rates that a central bank publishes."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date, timedelta
from decimal import Decimal
from fractions import Fraction
from typing import NamedTuple

from core.consolidation.position import Consolidation
from core.definitions.tables import Rate
from core.group.translation_rules import AVERAGE, CLOSING, HISTORICAL
from core.group_figures.rate_history import currencies, waiting_by_period
from core.money import round_half_up

LEAST_PLACES, MOST_PLACES = 6, 12
LAST_DAYS = 4
"""A period whose last days are published up to so many before its end is over: the rest is a weekend."""


class DayRates(NamedTuple):
    """What one unit of the base currency is worth in others on a day, exact; the base itself is 1."""

    on: date
    worth: Mapping[str, Fraction]


class ProposedRate(NamedTuple):
    """A row with what it was worked out from, and the rate that stands there now, if any."""

    row: Rate
    ground: str
    now: Decimal | None


def rounded(rate: Fraction) -> Decimal:
    """To LEAST_PLACES after the point, or as many as six significant digits take; half away from zero."""
    places = LEAST_PLACES
    while places < MOST_PLACES and rate * 10**places < 10 ** (LEAST_PLACES - 1):
        places += 1
    return Decimal(round_half_up(rate * 10**places)).scaleb(-places)


def proposals(
    group: Consolidation, days: Sequence[DayRates], base: str, p: int, *, of_period: bool = False
) -> tuple[list[ProposedRate], list[str]]:
    """The rates that are needed for figures at the end of p and aren't there; `of_period`: closing and
    average rates of p, whether they are there or not. Then a sentence for each that can't be worked out from
    these days."""
    rows: list[ProposedRate] = []
    lacking: list[str] = []
    for currency in currencies(group):
        wanted = [(CLOSING, p), (AVERAGE, p)] if of_period else _missing(group, currency, p)
        for kind, i in wanted:
            proposed = _proposed(group, days, base, kind, currency, i)
            if isinstance(proposed, ProposedRate):
                rows.append(proposed)
            elif proposed not in lacking:
                lacking.append(proposed)
    return rows, lacking


def _missing(group: Consolidation, currency: str, p: int) -> list[tuple[str, int]]:
    needed = waiting_by_period(group, currency, p)
    return sorted(
        ((kind, i) for kind, i in needed if not _is_there(group, currency, kind, i)),
        key=lambda wanted: (wanted[1], wanted[0] != CLOSING, wanted[0]),
    )


def _is_there(group: Consolidation, currency: str, kind: str, i: int) -> bool:
    return next(group.rates.ways(kind, currency, i), None) is not None


def _proposed(
    group: Consolidation, days: Sequence[DayRates], base: str, kind: str, currency: str, i: int
) -> ProposedRate | str:
    into = group.group.currency
    first, last = group.periods.within(i)
    inside = [day for day in days if first <= day.on <= last]
    name = group.periods.rows[i - 1].name if i else "what was brought forward"
    if kind == HISTORICAL:
        return f"The historical rate of {currency} for {name} is keyed by hand: none is published."
    if not inside:
        return f"No rates are published for {name}."
    if max(day.on for day in days) < last - timedelta(days=LAST_DAYS):
        return f"{name} is not over: the newest rates are of {max(day.on for day in days)}."
    crosses = [(day.on, cross) for day in inside if (cross := _cross(day, base, currency, into)) is not None]
    if not crosses:
        return f"{currency} or {into} is not among the rates published for {name}."
    rate, ground = _newest(crosses) if kind == CLOSING else _mean(crosses)
    if base not in (currency, into):
        ground += f", through {base}"
    stands = group.state.get(Rate, currency, into, kind, last)
    row = Rate(currency, into, kind, last, rounded(rate))
    return ProposedRate(row, ground, stands.rate if stands else None)


def _newest(crosses: Sequence[tuple[date, Fraction]]) -> tuple[Fraction, str]:
    on, rate = max(crosses)
    return rate, f"of {on}"


def _mean(crosses: Sequence[tuple[date, Fraction]]) -> tuple[Fraction, str]:
    days = len(crosses)
    mean = sum((cross for _, cross in crosses), Fraction(0)) / days
    return mean, f"mean of {days} day{'s' if days > 1 else ''}"


def _cross(day: DayRates, base: str, currency: str, into: str) -> Fraction | None:
    """What a unit of one currency is worth in the other on a day."""
    worth = {**day.worth, base: Fraction(1)}
    if currency not in worth or into not in worth:
        return None
    return worth[into] / worth[currency]
