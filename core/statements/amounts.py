"""Amounts by account and column, from which a statement is made."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

WHOLE = -1
"""The part of a row that no line with a part of an account has taken."""


class StrayAccount(NamedTuple):
    """An amount on an account that has no group account: whose, which, its name and its own class."""

    company: str
    account: str
    name: str
    account_class: str


@dataclass(frozen=True, slots=True)
class Amounts:
    """What a statement is made from, raw and in minor units: one row an account, one column a company (or
    other).

    Rows are the posting accounts of the list in order (or those of `places`), then the unmapped. `window` is
    what the
    lines sum (docs: by the kind of statement), `cumulative` everything to the end of the period, for
    `result`;
    `touched` where there is any amount at all, even if it cancels. `parts`: by row the line part that it was
    put to, or WHOLE; an account may then have several rows. `deciding`: the column whose balance decides on
    which side an account stands in all of them (None: each column by itself). `has_statistics`: quantities of
    statistics are among them; lines of statistics are empty otherwise.
    """

    window: NDArray[Any]
    cumulative: NDArray[Any]
    unmapped: tuple[StrayAccount, ...] = ()
    places: NDArray[np.int64] | None = None
    touched: NDArray[np.bool_] | None = None
    parts: NDArray[np.int64] | None = None
    deciding: int | None = None
    has_statistics: bool = False
    of_cash: Mapping[str, NDArray[Any]] = field(default_factory=dict)
    """by kind of line what cash gained beside what flowed, by column, raw as its line is: credit is a gain"""

    def rows(self, count: int) -> NDArray[np.int64]:
        """Which of the `count` accounts each row is."""
        return np.arange(count) if self.places is None else self.places

    def lines(self, line_of: NDArray[np.int64], part_lines: Sequence[int]) -> NDArray[np.int64]:
        """By row its line, or -1: by account of one that is whole, by part of any other."""
        whole = line_of[self.rows(len(line_of))]
        if self.parts is None:
            return whole
        own = np.array(list(part_lines) or [WHOLE], dtype=np.int64)
        return np.where(self.parts >= 0, own[self.parts], whole)
