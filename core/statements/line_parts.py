"""Lines that take a part of their accounts: amounts with some codes of a field, balances on one side.

An amount goes to the first line, in the order of the statement, that picks its account and whose codes it
has; else to the line that takes the account whole. What comes together on a line with a side is then looked
at as a balance: one on the other side goes on to the line that takes the account whole.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from core.definitions.tables import StatementLine
from core.statements.amounts import WHOLE, Amounts

DEBIT, CREDIT = 1, -1
RECEIVED, PAID, EITHER_WAY = 1, -1, 0
"""The direction of a journal that touches cash: what cash gained by it, lost, or either."""
SIDES = {"debit": DEBIT, "credit": CREDIT}


WAYS = {"received": RECEIVED, "paid": PAID}
WAYS_SHOWN = {"received": CREDIT, "paid": DEBIT}
"""What a line of a direct cash flow asks of journals, and how it is shown: what was received on an account
stands in credit there."""


class LinePart(NamedTuple):
    """What a line takes of its accounts (places, sorted). `codes` of `field` (neither: any; a field alone:
    amounts without a code of it); `side` DEBIT, CREDIT or 0: either; `way` RECEIVED, PAID or EITHER_WAY: the
    direction of the journals."""

    line: int
    accounts: NDArray[np.int64]
    field: str
    codes: frozenset[str]
    side: int
    way: int = EITHER_WAY

    def fits(self, code: str) -> bool:
        return code in self.codes if self.codes or code else True


def takes_part(row: StatementLine) -> bool:
    """Whether a line takes less than its accounts whole."""
    return row.kind == "accounts" and bool(row.field or row.side in SIDES or row.side in WAYS)


def by_side(parts: tuple[LinePart, ...], count: int, amounts: Amounts) -> Amounts:
    """The amounts with balances put to the lines of their side; `count` accounts. Sums by account and column
    stay."""
    if not any(part.side for part in parts):
        return amounts
    work = _Divided(amounts, amounts.rows(count))
    for number, part in enumerate(parts):
        if part.side and part.field:
            work.send_back(number, part.side)
    for number, part in enumerate(parts):
        if part.side and not part.field:
            work.take(number, part)
    return work.amounts()


class _Divided:
    """Rows that are being put to parts: those there are, and behind them those that a side takes."""

    def __init__(self, amounts: Amounts, places: NDArray[np.int64]) -> None:
        size = len(places)
        self.old, self.size = amounts, size
        self.places = [places]
        self.parts = [np.full(size, WHOLE) if amounts.parts is None else amounts.parts]
        self.window = amounts.window[:size].copy()
        self.touched = None if amounts.touched is None else amounts.touched[:size].copy()
        self.taken: list[NDArray[Any]] = []
        self.taken_touched: list[NDArray[np.bool_]] = []
        whole = np.flatnonzero(self.parts[0] == WHOLE)
        self.row_of = dict(zip(places[whole].tolist(), whole.tolist(), strict=True))

    def _on(self, rows: NDArray[np.int64], side: int) -> NDArray[np.bool_]:
        """Where the balances of some rows stand on a side."""
        values = self.window[rows]
        if self.old.deciding is None:
            there: NDArray[np.bool_] = values > 0 if side == DEBIT else values < 0
            return there
        decides = values[:, self.old.deciding]
        one = decides > 0 if side == DEBIT else decides < 0
        return np.repeat(one[:, None], values.shape[1], axis=1)

    def send_back(self, number: int, side: int) -> None:
        """Balances on the other side leave a part for the row that takes the account whole."""
        rows = np.flatnonzero(self.parts[0] == number)
        wrong = self._on(rows, -side)
        whole = np.array([self.row_of[place] for place in self.places[0][rows].tolist()], dtype=np.int64)
        self.window[whole] += np.where(wrong, self.window[rows], 0)
        self.window[rows] = np.where(wrong, 0, self.window[rows])
        if self.touched is not None:
            self.touched[whole] |= wrong & self.touched[rows]
            self.touched[rows] &= ~wrong

    def take(self, number: int, part: LinePart) -> None:
        """Balances on a part's side leave the row that takes the account whole."""
        there = [self.row_of[at] for at in part.accounts.tolist() if at in self.row_of]
        rows = np.array(there, dtype=np.int64)
        right = self._on(rows, part.side)
        self.taken.append(np.where(right, self.window[rows], 0))
        self.window[rows] = np.where(right, 0, self.window[rows])
        if self.touched is not None:
            self.taken_touched.append(right & self.touched[rows])
            self.touched[rows] &= ~right
        self.places.append(self.places[0][rows])
        self.parts.append(np.full(len(rows), number))

    def amounts(self) -> Amounts:
        old, size = self.old, self.size
        more = sum(len(taken) for taken in self.taken)
        none = np.zeros((more, old.cumulative.shape[1]), dtype=old.cumulative.dtype)
        touched = None
        if self.touched is not None and old.touched is not None:
            touched = np.concatenate([self.touched, *self.taken_touched, old.touched[size:]])
        return replace(
            old,
            window=np.concatenate([self.window, *self.taken, old.window[size:]]),
            cumulative=np.concatenate([old.cumulative[:size], none, old.cumulative[size:]]),
            places=np.concatenate(self.places),
            parts=np.concatenate(self.parts),
            touched=touched,
        )
