"""How much of each account's amount carries no code of a dimension: the untagged share."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, NamedTuple

import numpy as np

from core.books.balances import Books


class UntaggedShare(NamedTuple):
    """Debits plus credits of an account in minor units: all of them, and those without a code of the
    dimension.

    Turnover and not the balance, because a tagged and an untagged amount may cancel.
    """

    code: str
    all: int
    untagged: int

    @property
    def percent(self) -> int:
        """Of the whole, rounded up: one untagged line never shows as none, nor one tagged as all of them."""
        if not self.all or self.untagged == self.all:
            return 100 if self.all else 0
        return min(-(-self.untagged * 100 // self.all), 99)


def untagged(books: Iterable[Books], tagged: frozenset[int], start: int, end: int) -> list[UntaggedShare]:
    """By natural account, between two ordinals. `tagged` are the numbers of dimension combinations that carry
    a code of the dimension."""
    sums: dict[str, list[int]] = {}
    for book in books:
        rows = book.rows[(book.rows["ordinal"] >= start) & (book.rows["ordinal"] <= end)]
        if not len(rows):
            continue
        size = rows["debit"].astype(object) + rows["credit"].astype(object)
        bare = ~np.isin(rows["dimensions"], np.fromiter(tagged, dtype=np.int64, count=len(tagged)))
        for at in np.unique(rows["natural"]).tolist():
            own: Any = rows["natural"] == at
            total = sums.setdefault(book.naturals[at], [0, 0])
            total[0] += int(size[own].sum())
            total[1] += int(size[own & bare].sum()) if (own & bare).any() else 0
    return [UntaggedShare(code, *sums[code]) for code in sorted(sums) if sums[code][0]]
