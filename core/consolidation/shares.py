"""Fourth step: the share of a company that is taken: all, a part of each amount, or its net assets only."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from core.consolidation.entries import Entries, by_target
from core.consolidation.translate import Translated, shared
from core.group.cells import Accounts
from core.group.ownership import Standing
from core.money import round_half_up, scaled


@dataclass(frozen=True)
class TakenShare:
    """What is taken of one set of books at the end of period p: on its cells, moved to or left on retained,
    the reserve. `running[i]` is what each cell brought in period i without closing journals."""

    books: Translated
    cells: NDArray[Any]
    retained: int
    reserve: int
    running: Mapping[int, NDArray[Any]]

    @cached_property
    def results(self) -> Mapping[int, int]:
        """The result of each period, as far as it is taken."""
        return {i: int(amounts.sum()) for i, amounts in self.running.items()}

    @cached_property
    def sums(self) -> Entries:
        """What is taken of its cells, by target."""
        return by_target(self.books.target, self.cells)

    @cached_property
    def balances(self) -> NDArray[Any]:
        """What is taken of the cells that are no results."""
        return shared(np.where(self.books.result, 0, self.cells))


def taken(one: Translated, standing: Standing, p: int) -> TakenShare:
    """What a company's standing takes of it, worked out once."""
    key = (p, standing.method, () if standing.method == "full" else standing.h[: p + 1])
    if key not in one.shares:
        one.shares[key] = _taken(one, standing, p)
    share: TakenShare = one.shares[key]
    return share


def _taken(one: Translated, standing: Standing, p: int) -> TakenShare:
    """By full: everything. By proportionate: each amount times h, what then remains on retained."""
    running = {i: one.moved_results(i) for i in one.periods if i <= p}
    if standing.method == "full":
        return TakenShare(one, one.standing(p), one.retained(p), one.reserve(p), running)
    running = {i: scaled(amounts, standing.h[i]) for i, amounts in running.items()}
    h = standing.h[p]
    cells = scaled(np.where(one.result, 0, one.standing(p)), h)
    for i in one.since_closed(p):
        if i in running:
            closing = np.where(one.result, one.periods[i].closing, 0)
            cells = cells + running[i] + scaled(closing, h)
    reserve = round_half_up(one.reserve(p) * h)
    return TakenShare(one, cells, -int(cells.sum()) - reserve, reserve, running)


@dataclass(frozen=True)
class ByEquity:
    """What stands for a company taken by equity: on the investment, the translation account, the result
    account and retained; `result[k][i]` is the result of period i of its k-th set of books."""

    investment: int
    reserve: int
    running: int
    retained: int
    result: tuple[Mapping[int, int], ...]


def by_equity(sets: Sequence[Translated], accounts: Accounts, standing: Standing, p: int) -> ByEquity:
    first = 1 if standing.base is None else standing.base + 1
    investment = reserve = 0
    before = _net(sets, accounts, first - 1), sum(one.reserve(first - 1) for one in sets)
    for i in range(first, p + 1):
        now = _net(sets, accounts, i), sum(one.reserve(i) for one in sets)
        investment -= round_half_up(standing.h[i] * (now[0] - before[0]))
        reserve += round_half_up(standing.h[i] * (now[1] - before[1]))
        before = now
    results = tuple(
        {i: round_half_up(standing.h[i] * one.running(i)) for i in one.periods if i >= first and i <= p}
        for one in sets
    )
    running = sum(
        result.get(i, 0) for one, result in zip(sets, results, strict=True) for i in one.since_closed(p)
    )
    return ByEquity(investment, reserve, running, -investment - reserve - running, results)


def _net(sets: Sequence[Translated], accounts: Accounts, p: int) -> int:
    """Equity with the reserve, and revenue and expense to date."""
    total = 0
    for one in sets:
        kinds = (accounts.equities | accounts.results)[one.target]
        total += int(one.standing(p)[kinds].sum()) + one.retained(p) + one.reserve(p)
    return total
