"""Amounts by target, raw minor units of the group's currency."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from core.books.balances import exact

Entries = dict[int, int]


def add(entries: Entries, target: int, amount: int) -> None:
    if amount:
        entries[target] = entries.get(target, 0) + amount


def add_all(entries: Entries, more: Entries) -> None:
    """Adds amounts, none of them nil, to those that are there."""
    if not entries:
        entries.update(more)
        return
    for target, amount in more.items():
        entries[target] = entries.get(target, 0) + amount


def by_target(target: NDArray[np.int64], values: NDArray[Any]) -> Entries:
    """Amounts of cells added up by target, zero left out. Exact: integer sums."""
    if not len(values):
        return {}
    values = exact(values)
    sums = np.zeros(int(target.max()) + 1, dtype=values.dtype)
    np.add.at(sums, target, values)
    there = np.flatnonzero(sums)
    return dict(zip(there.tolist(), sums[there].tolist(), strict=True))
