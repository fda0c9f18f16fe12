"""Lines as columns: each different text once, so that what depends on a text is worked out once for it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray


class Coded(NamedTuple):
    """A column of texts: each different one in `texts`, and for each line its number there."""

    texts: Sequence[str]
    codes: NDArray[np.int64]

    def each(self, value: Callable[[str], Any], kind: Any = np.int64) -> NDArray[Any]:
        """What a function says of each line's text, asked once a text."""
        return np.array([value(text) for text in self.texts] or [0], dtype=kind)[self.codes]


class Digits(NamedTuple):
    """Amounts as written: all digits as one number (-1: unreadable, empty: 0) and how many of them follow the
    point."""

    value: NDArray[np.int64]
    places: NDArray[np.int64]

    def minor(self, digits: NDArray[np.int64], limit: int) -> NDArray[np.int64]:
        """Minor units for currencies with so many digits; -1 where it is none, too fine or not below
        `limit`."""
        missing = digits - self.places
        bad = (self.value < 0) | (missing < 0) | (missing > 18)
        factor = 10 ** np.where(bad, 0, missing)
        bad |= self.value >= -(-limit // factor)
        return np.where(bad, -1, np.where(bad, 0, self.value) * factor)


class LineColumns(NamedTuple):
    """Journal lines of a file. `odd`: lines with a free text that may not be kept; `rows`: their numbers in
    the file."""

    company: Coded
    journal: Coded
    line: Coded
    line_company: Coded
    account: Coded
    dimensions: Coded
    partner: Coded
    generated: Coded
    debit: Digits
    credit: Digits
    odd: NDArray[np.bool_]
    rows: NDArray[np.int64]


def paired(*columns: NDArray[np.int64]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Numbers the different combinations of columns of small whole numbers (from -1): each line's
    combination, and a
    line that shows each. Raises ValueError for smaller ones, which would be taken for others."""
    if any(len(column) and column.min() < -1 for column in columns):
        raise ValueError("The columns hold numbers below -1.")
    codes = columns[0] + 1
    for column in columns[1:]:
        if len(column) and (column != column[0]).any():
            codes = codes * (int(column.max()) + 2) + column + 1
            codes = np.unique(codes, return_inverse=True)[1]
    _, first, inverse = np.unique(codes, return_index=True, return_inverse=True)
    return inverse, first
