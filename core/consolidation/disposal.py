"""What remains of a company that went out, until the year of its going ends: what it earned while it was in,
and the gain or loss of parting with it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from core.consolidation.acquisitions import Named, Purchase
from core.consolidation.shares import TakenShare
from core.consolidation.translate import Translated
from core.group.cells import NOBODY, Accounts
from core.group.ownership import Standing
from core.money import round_half_up, scaled


@dataclass(frozen=True)
class GoneBooks:
    """One set of books of a company that went out: what each period of that year brought to its result cells
    and, of dividends to companies of the group, to its equity cells."""

    books: Translated
    results: Mapping[int, NDArray[Any]]
    dividends: Mapping[int, NDArray[Any]]

    def brought(self, i: int) -> NDArray[Any]:
        brought: NDArray[Any] = self.results[i] + self.dividends[i]
        return brought


def gone_books(
    part: TakenShare, standing: Standing, accounts: Accounts, periods: Iterable[int], counts: Iterable[bool]
) -> GoneBooks:
    """`counts` says by the place of a partner whether it counts at the end of the period asked for."""
    one, by_place = part.books, list(counts)
    equity = np.array([accounts.is_equity(t) for t in one.target.tolist()], dtype=bool)
    within = np.array([p != NOBODY and by_place[p] for p in one.partner.tolist()], dtype=bool)
    dividends = {}
    for i in periods:
        movement = np.where(equity & within, one.periods[i].movement, 0)
        dividends[i] = scaled(movement, standing.h[i]) if standing.method == "proportionate" else movement
    return GoneBooks(one, {i: part.running[i] for i in dividends}, dividends)


def stood_before(
    column: Mapping[int, int],
    purchases: Iterable[tuple[Purchase, Standing]],
    accounts: Accounts,
    named: Named,
    end: int,
) -> int:
    """What stood for it at the end of the year before on equity, revenue and expense accounts, but the
    reserve and the minority: in its own column, and what its holder's column has for it, without the holder's
    minority."""
    apart = (named.translation, named.minority)

    def counts(target: int) -> bool:
        return target not in apart and (accounts.is_equity(target) or accounts.is_result(target))

    total = sum(amount for target, amount in column.items() if counts(target))
    for purchase, holder in purchases:
        by_target: dict[int, int] = {}
        for target, amount in purchase.entries:
            by_target[target] = by_target.get(target, 0) + amount
        for target, amount in by_target.items():
            if counts(target):
                total += amount - round_half_up(holder.minority(end) * amount)
    return total
