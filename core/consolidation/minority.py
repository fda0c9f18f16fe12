"""Sixth step: what others than the group's owners have of a company's equity and result."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from core.consolidation.acquisitions import Named
from core.group.ownership import Standing
from core.money import portion, portions


@dataclass(frozen=True, slots=True)
class RunningResult:
    """The results of one set of books by period, the dividends within the group among them, and the periods
    since it was last closed."""

    by_period: Mapping[int, int]
    dividends: Mapping[int, int]
    since_closed: range


def of_period(standing: Standing, runs: Iterable[RunningResult], i: int) -> int:
    """What stands on the minority's result account for period i: a debit where the company earned."""
    m = standing.minority(i)
    return -sum(portion(m, run.by_period.get(i, 0)) - portion(m, run.dividends.get(i, 0)) for run in runs)


def minority_entries(
    standing: Standing, equity: Mapping[int, int], runs: list[RunningResult], named: Named, p: int
) -> dict[int, int]:
    """Target → amount; they sum to zero. `equity` is what stands in the company's column by equity target."""
    m = standing.minority(p)
    entries: dict[int, int] = {}

    def move(source: int, target: int, amount: int) -> None:
        if amount:
            entries[source] = entries.get(source, 0) - amount
            entries[target] = entries.get(target, 0) + amount

    targets = [target for target in equity if target != named.minority]
    shares = portions(m, [equity[target] for target in targets])
    entries.update((target, -amount) for target, amount in zip(targets, shares, strict=True) if amount)
    if taken := sum(shares):
        entries[named.minority] = taken
    earned = paid = changed = 0
    for run in runs:
        for i in run.since_closed:
            own, result = standing.minority(i), run.by_period.get(i, 0)
            dividend = portion(own, run.dividends[i]) if i in run.dividends else 0
            earned += portion(own, result) - dividend
            paid += dividend
            if own is not m and own != m:
                changed += portion(own - m, result)
    move(named.minority_result, named.minority, earned)
    move(named.retained, named.minority, paid - changed)
    return entries
