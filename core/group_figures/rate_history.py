"""The rates of one currency period by period: by which way, which are missing, which jump."""

from __future__ import annotations

from fractions import Fraction
from statistics import median
from typing import NamedTuple

from core.consolidation.position import Consolidation
from core.group.rates import RateMissing, RateTable, Way
from core.group.translation_rules import AVERAGE, CLOSING
from core.group_figures.figure_checks import needed_rates, periods_with_amounts

LEAST, TIMES = Fraction(2, 100), 4
"""A jump is a change of more than so much, and of more than so many times the usual one."""


class PeriodRates(NamedTuple):
    """Of period `number` (0: what was brought forward): the way each rate is come by, None where it is
    missing; the change of the closing rate, and whether that is a jump."""

    number: int
    closing: Way | None
    average: Way | None
    change: Fraction | None
    jumps: bool


def currencies(group: Consolidation) -> list[str]:
    """Those of the companies that aren't the group's own, in order."""
    return sorted({books.currency for books in group.books.sets} - {group.group.currency})


def rate_history(rates: RateTable, currency: str) -> list[PeriodRates]:
    """Every period of the group in order."""
    numbers = range(rates.periods.last + 1)
    closings, averages = (
        [next(rates.ways(kind, currency, i), None) for i in numbers] for kind in (CLOSING, AVERAGE)
    )
    changes: list[Fraction | None] = []
    before: Way | None = None
    for closing in closings:
        changes.append(closing.rate / before.rate - 1 if closing and before else None)
        before = closing or before
    moved = [abs(change) for change in changes if change]
    usual = median(moved) if moved else Fraction(0)
    return [
        PeriodRates(i, closing, average, change, bool(change) and _jumps(change, usual))
        for i, closing, average, change in zip(numbers, closings, averages, changes, strict=True)
    ]


def _jumps(change: Fraction | None, usual: Fraction) -> bool:
    return change is not None and abs(change) > LEAST and abs(change) > TIMES * usual


def waiting_by_period(group: Consolidation, currency: str, p: int) -> dict[tuple[str, int], list[str]]:
    """(kind, period) → companies that need that rate, for every period with amounts and for the figures at
    the end of p, in which perhaps nothing moved yet."""
    periods = sorted({*periods_with_amounts(group), p})
    by_rate: dict[tuple[str, int], list[str]] = {}
    for company, standing in group.standings.items():
        for books in group.books.of(company):
            if books.currency != currency:
                continue
            for key in needed_rates(group, standing, books, periods):
                names = by_rate.setdefault(key, [])
                if company not in names:
                    names.append(company)
    for company, why in group.position(p).waiting.items():
        if isinstance(why, RateMissing) and why.currency == currency:
            names = by_rate.setdefault((why.kind, why.number), [])
            if company not in names:
                names.append(company)
    return by_rate
