"""What a stretch of periods brought to revenue and expense: each by itself, without closing journals."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

import numpy as np
from numpy.typing import NDArray

from core.books.balances import exact
from core.consolidation.eliminate import CompanyColumn, Eliminated, TakingOut
from core.consolidation.entries import Entries, add, by_target
from core.consolidation.minority import RunningResult, of_period
from core.consolidation.position import Consolidation, Position
from core.consolidation.shares import TakenShare, by_equity, taken
from core.consolidation.translate import Translated
from core.group.ownership import Standing
from core.group.rates import NotReady


@dataclass(frozen=True)
class Results:
    """By step and set of books amounts by target, raw minor units of the group's currency, before
    eliminations; what those took in the stretch, by (company, partner, target), and the differences they
    left."""

    steps: Mapping[tuple[str, str], Entries]
    taken: Mapping[tuple[str, str, int], int]
    posted: Entries

    def eliminated(self) -> Entries:
        change: Entries = dict(self.posted)
        for (_, _, target), amount in self.taken.items():
            add(change, target, -amount)
        return change


def results(group: Consolidation, position: Position, start: int, end: int) -> Results:
    """Of all that were in for any period of the stretch; `position` is that of its end."""
    return _Stretch(group, position, start, end).results()


class _Stretch:
    def __init__(self, group: Consolidation, position: Position, start: int, end: int) -> None:
        self.group, self.position = group, position
        self.start, self.end = start, end
        self.steps: dict[tuple[str, str], Entries] = {}
        self.parts: dict[str, list[TakenShare]] = {}
        self.known: dict[str, list[Translated]] = {}
        """who was in and can be worked out: all of them, before the first dividend is looked at"""

    def results(self) -> Results:
        periods = {
            company: inside
            for company, standing in self.group.standings.items()
            if (inside := [i for i in range(self.start, self.end + 1) if standing.is_in[i]])
        }
        for company, inside in periods.items():
            self._translate(company, inside)
        for company in self.known:
            self._company(company, self.group.standings[company], periods[company])
        for company, standing in self.group.standings.items():
            self._disposal(company, standing)
        outcome = self._eliminations()
        taken_in: dict[tuple[str, str, int], int] = {}
        posted: Entries = {}
        for i in range(self.start, self.end + 1):
            for side, amount in outcome.taken_in.get(i, {}).items():
                taken_in[side] = taken_in.get(side, 0) + amount
            for target, amount in outcome.posted_in.get(i, []):
                add(posted, target, amount)
        return Results(self.steps, taken_in, posted)

    def _translate(self, company: str, periods: list[int]) -> None:
        if company in self.position.waiting:
            return
        try:
            self.known[company] = self.group.translated(company, periods[-1])
        except NotReady:
            return

    def _company(self, company: str, standing: Standing, periods: list[int]) -> None:
        last, sets = periods[-1], self.known[company]
        if standing.method == "equity":
            stands = by_equity(sets, self.group.books.accounts, standing, last)
            runs = [RunningResult(result, {}, range(0)) for result in stands.result]
            for result in stands.result:
                brought = sum(result.get(i, 0) for i in periods)
                self._add("equity", company, self.group.named.equity_result, brought)
        else:
            self.parts[company] = [taken(one, standing, last) for one in sets]
            runs = [self.group.running(part, self._consolidated) for part in self.parts[company]]
            for part in self.parts[company]:
                cells: NDArray[Any] = np.zeros(len(part.cells), dtype=np.int64)
                for i in periods:
                    if i in part.running:
                        cells = exact(cells + part.running[i])
                for target, amount in by_target(part.books.target, cells).items():
                    self._add("books", part.books.books.name, target, amount)
        for i in periods:
            if standing.minority(i):
                amount = of_period(standing, runs, i)
                self._add("minority", company, self.group.named.minority_result, amount)

    def _add(self, step: str, name: str, target: int, amount: int) -> None:
        add(self.steps.setdefault((step, name), {}), target, amount)

    def _disposal(self, company: str, standing: Standing) -> None:
        """The gain or loss of parting with a company stands in the first period it is out."""
        if standing.out is None or not self.start <= standing.out <= self.end:
            return
        periods = self.group.periods
        year = periods.year(standing.out)
        last = max(i for i in range(standing.out, self.end + 1) if periods.year(i) == year)
        entries = self.group.position(last).steps.get(("disposal", company), {})
        target = self.group.named.disposal
        self._add("disposal", company, target, entries.get(target, 0))

    def _eliminations(self) -> Eliminated:
        names = self.group.books.partners
        columns = [
            CompanyColumn(company, names.index(company), parts, {}) for company, parts in self.parts.items()
        ]
        for column in columns:
            column.left = [np.zeros_like(left) for left in column.left]
        stretch = range(self.start, self.end + 1)
        work = TakingOut(columns, names, self.group.books.accounts, self.end, lambda *_: False, stretch)
        return work.run(self.group.rules, self._consolidated, self._associate)

    def _consolidated(self, partner: int, i: int) -> Fraction | None:
        standing = self._standing(partner)
        if standing is None or standing.method == "equity" or not standing.is_in[i]:
            return None
        return standing.h[i] if standing.method == "proportionate" else Fraction(1)

    def _associate(self, partner: int, i: int) -> Fraction | None:
        standing = self._standing(partner)
        is_in = standing is not None and standing.method == "equity" and standing.is_in[i]
        return Fraction(1) if is_in else None

    def _standing(self, partner: int) -> Standing | None:
        name = self.group.books.partners[partner]
        return self.group.standings[name] if name in self.known else None
