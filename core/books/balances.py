"""Balances of one company and fiscal year as arrays: what posting adds up to, by account string, dimensions,
partner.

Kept packed beside the lines (one array of bytes a company and year) and rolled up in numpy; see
docs/architecture.md.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from core.books.periods import ordinal

ROW = np.dtype(
    [
        ("natural", "<i4"),
        ("partner", "<i4"),
        ("account", "<i4"),
        ("dimensions", "<i4"),
        ("ordinal", "<i4"),
        ("closing", "<i4"),
        ("debit", "<i8"),
        ("credit", "<i8"),
    ]
)
KEY = ("natural", "partner", "account", "dimensions", "ordinal", "closing")
SAFE_SUM = 4e18


@dataclass(frozen=True, slots=True)
class Books:
    """Balances of one company and fiscal year, in minor units, sorted by KEY.

    `naturals[row.natural]` is the natural account's code; partner, account and dimensions are numbers of
    interned
    rows (0: none). `sequence` is the last posting of the year that is in them.
    """

    company: str
    fiscal_year: int
    sequence: int
    naturals: tuple[str, ...]
    rows: NDArray[Any]

    def packed(self) -> bytes:
        header = json.dumps([self.company, self.fiscal_year, self.sequence, self.naturals]).encode()
        return len(header).to_bytes(4, "little") + header + self.rows.tobytes()


def unpack(data: bytes) -> Books:
    size = int.from_bytes(data[:4], "little")
    company, year, sequence, naturals = json.loads(data[4 : 4 + size])
    rows = np.frombuffer(data, dtype=ROW, offset=4 + size)
    return Books(company, year, sequence, tuple(naturals), rows)


def summed(rows: NDArray[Any]) -> NDArray[Any]:
    """Rows with equal keys added up, sorted by key. Exact: integer sums."""
    if not len(rows):
        return rows
    order = np.lexsort([rows[name] for name in reversed(KEY)])
    rows = rows[order]
    new = np.zeros(len(rows), dtype=bool)
    new[0] = True
    for name in KEY:
        new[1:] |= rows[name][1:] != rows[name][:-1]
    starts = np.flatnonzero(new)
    totals = rows[starts].copy()
    totals["debit"] = np.add.reduceat(rows["debit"], starts)
    totals["credit"] = np.add.reduceat(rows["credit"], starts)
    return totals


def closing_marked(books: Books, closing: frozenset[int]) -> Books:
    """The same amounts, those in closing periods (`closing`: their ordinals) marked as closing journals are:
    balances kept elsewhere say a period only."""
    inside = np.isin(books.rows["ordinal"], list(closing)) & (books.rows["closing"] == 0)
    if not inside.any():
        return books
    rows = books.rows.copy()
    rows["closing"][inside] = 1
    return replace(books, rows=summed(rows))


@dataclass(frozen=True, slots=True)
class PostedColumns:
    """Lines to be added to the balances, as equal-length columns; `amount` raw in minor units."""

    natural: list[str]
    partner: list[int]
    account: list[int]
    dimensions: list[int]
    period: list[int]
    closing: list[bool]
    amount: list[int]


def books_of(
    company: str, year: int, sequence: int, posted: PostedColumns, base: Books | None = None
) -> Books:
    """The balances of lines, on top of what was there before."""
    names = list(base.naturals) if base else []
    number = {name: i for i, name in enumerate(names)}
    for name in posted.natural:
        if name not in number:
            number[name] = len(names)
            names.append(name)
    rows = np.zeros(len(posted.natural), dtype=ROW)
    rows["natural"] = [number[name] for name in posted.natural]
    rows["partner"], rows["account"], rows["dimensions"] = posted.partner, posted.account, posted.dimensions
    rows["ordinal"] = [ordinal(year, period) for period in posted.period]
    rows["closing"] = posted.closing
    amount = np.array(posted.amount, dtype=np.int64)
    rows["debit"], rows["credit"] = np.maximum(amount, 0), np.maximum(-amount, 0)
    return books_from_rows(company, year, sequence, tuple(names), rows, base)


def books_from_rows(
    company: str,
    year: int,
    sequence: int,
    naturals: tuple[str, ...],
    rows: NDArray[Any],
    base: Books | None = None,
) -> Books:
    if base is not None and len(base.rows):
        rows = np.concatenate([base.rows, rows])
    return Books(company, year, sequence, naturals, summed(rows))


class ReadAs(NamedTuple):
    """The number and the natural account of the account string that another one is read as."""

    account: int
    natural: str


def read_anew(books: Books, strings: Mapping[int, ReadAs], carried: Books | None = None) -> Books:
    """The same amounts of a company that moved to another chart, each account string read as `strings` says;
    a string that isn't among them is left out. `carried`: what journals of a move carried over, read alike,
    which stands where it was posted and doesn't count twice."""
    rows = books.rows[np.isin(books.rows["account"], list(strings))].copy()
    numbers, place = np.unique(rows["account"], return_inverse=True)
    now = [strings[number] for number in numbers.tolist()]
    naturals = tuple(sorted({one.natural for one in now}))
    at = {natural: i for i, natural in enumerate(naturals)}
    rows["account"] = np.array([one.account for one in now], dtype=np.int32)[place]
    rows["natural"] = np.array([at[one.natural] for one in now], dtype=np.int32)[place]
    if carried is not None:
        less = carried.rows.copy()
        less["natural"] = [at[carried.naturals[natural]] for natural in less["natural"].tolist()]
        less["debit"], less["credit"] = -less["debit"], -less["credit"]
        rows = np.concatenate([rows, less])
    rows = summed(rows)
    counts = (rows["debit"] != 0) | (rows["credit"] != 0)
    return Books(books.company, books.fiscal_year, books.sequence, naturals, rows[counts])


def exact(values: NDArray[Any]) -> NDArray[Any]:
    """64-bit integers where every sum of them is sure to fit, else integers without a bound."""
    fits = float(np.abs(values.astype(np.float64)).sum()) < SAFE_SUM
    return values.astype(np.int64 if fits else object, copy=False)


@dataclass(frozen=True, slots=True)
class TrialRow:
    """One account of a trial balance, debit plus, minor units. `account` may be `unplaced`. `unmapped`: an
    own account that has none in the second chart that is asked for."""

    account: str
    name: str
    opening: int
    debit: int
    credit: int
    unmapped: bool = False

    @property
    def closing(self) -> int:
        return self.opening + self.debit - self.credit


MEASURES = ("opening", "debit", "credit", "window", "cumulative")


class TrialLine(NamedTuple):
    """A row of a trial balance with headings: an account, or a rollup code with what its accounts come to.
    Debit plus, minor units by column."""

    code: str
    depth: int
    amounts: tuple[int, ...]
    is_heading: bool


def under_headings(
    rows: Sequence[tuple[str, tuple[int, ...]]], above: Callable[[str], Sequence[str]], depth: int = 0
) -> Iterator[TrialLine]:
    """Accounts with the codes that they stand under before them, from the top (`above`); those under none
    come last."""
    parts: dict[str, list[tuple[str, tuple[int, ...]]]] = {}
    for code, amounts in rows:
        path = above(code)
        parts.setdefault(path[depth] if len(path) > depth else "", []).append((code, amounts))
    for heading, part in sorted(parts.items(), key=lambda one: not one[0]):
        if heading:
            sums = tuple(sum(column) for column in zip(*(amounts for _, amounts in part), strict=True))
            yield TrialLine(heading, depth, sums, True)
            yield from under_headings(part, above, depth + 1)
        else:
            yield from (TrialLine(code, depth, amounts, False) for code, amounts in part)


def by_account(
    books: list[Books],
    accounts: dict[str, int],
    size: int,
    start: int,
    end: int,
    measures: tuple[str, ...] = MEASURES,
) -> dict[str, NDArray[Any]]:
    """Sums of one company by account index: opening (before `start`), debit and credit (start to end,
    ordinals),
    window (movement without closing journals), cumulative, and touched (any amount up to `end`).

    Accounts stand at places of their own; only those nobody asks for may share one."""
    kind: Any = np.int64
    slices = []
    for book in books:
        if len(book.rows):
            total = float(
                book.rows["debit"].astype(np.float64).sum() + book.rows["credit"].astype(np.float64).sum()
            )
            kind = object if total > SAFE_SUM / max(1, len(books)) else kind
            slices.append((book, np.array([accounts[name] for name in book.naturals], dtype=np.int64)))
    by_name = {name: np.zeros(size, dtype=kind) for name in measures}
    by_name["touched"] = np.zeros(size, dtype=bool)
    for book, index in slices:
        natural = book.rows["natural"]  # rows are sorted by it, so each account is one stretch of them
        starts = np.flatnonzero(np.concatenate([[True], natural[1:] != natural[:-1]]))
        at = index[natural[starts]]
        upto = book.rows["ordinal"] <= end
        moved = upto & (book.rows["ordinal"] >= start)
        debit, credit = book.rows["debit"].astype(kind), book.rows["credit"].astype(kind)
        net = debit - credit
        meant = {
            "opening": (upto & ~moved, net),
            "debit": (moved, debit),
            "credit": (moved, credit),
            "window": (moved & (book.rows["closing"] == 0), net),
            "cumulative": (upto, net),
        }
        for name in measures:
            mask, values = meant[name]
            by_name[name][at] += np.add.reduceat(np.where(mask, values, 0), starts)
        by_name["touched"][at] |= np.logical_or.reduceat(upto, starts)
    return by_name


EXACT_IN_FLOATS = float(2**53)
"""Whole numbers whose sum stays below this add up exactly in binary floats too."""


def in_floats(values: NDArray[Any]) -> NDArray[np.float64] | None:
    """64-bit integers as binary floats, where every sum of them is exact; else None."""
    if values.dtype != np.int64:
        return None
    floats = values.astype(np.float64)
    return floats if float(np.abs(floats).sum()) < EXACT_IN_FLOATS else None


def added_up(
    keys: NDArray[Any], values: NDArray[Any], size: int, floats: NDArray[np.float64] | None = None
) -> NDArray[Any]:
    """Like `grouped`, for one value a row, whatever the order of the keys: without sorting where that is
    exact. `floats`: the same values as `in_floats` gives them, where they are known."""
    if values.dtype == np.bool_:
        return np.bincount(keys[values], minlength=size)[:size] > 0
    floats = in_floats(values) if floats is None else floats
    if floats is not None:
        return np.bincount(keys, weights=floats, minlength=size)[:size].astype(np.int64)
    return grouped(keys, values, size)


WIDE = 16
"""From so many columns on each group is added up by itself: `reduceat` goes through columns one by one."""


def _grouped_wide(keys: NDArray[Any], values: NDArray[Any], size: int) -> NDArray[Any]:
    sums = np.zeros((size, values.shape[1]), dtype=values.dtype)
    adding = np.logical_or if values.dtype == np.bool_ else np.add
    order = np.argsort(keys, kind="stable")
    keys, values = keys[order], values[order]
    starts = np.flatnonzero(np.concatenate([[True], keys[1:] != keys[:-1]]))[: len(keys)]
    ends = np.append(starts[1:], len(keys))
    for key, start, end in zip(keys[starts].tolist(), starts.tolist(), ends.tolist(), strict=True):
        sums[key] = adding.reduce(values[start:end], axis=0)
    return sums


def grouped(keys: NDArray[Any], values: NDArray[Any], size: int) -> NDArray[Any]:
    """Rows of values put together by key: added up (exact, and far faster than one by one), truth values by
    `or`.

    Equal keys mostly lie side by side; such stretches are put together first, and only what they come to is
    sorted.
    """
    if values.ndim == 2 and values.shape[1] > WIDE:
        return _grouped_wide(keys, values, size)
    column = np.zeros((size, *values.shape[1:]), dtype=values.dtype)
    adding = np.logical_or if values.dtype == np.bool_ else np.add
    for final in (False, True):
        if not len(keys):
            return column
        if final:
            order = np.argsort(keys, kind="stable")
            keys, values = keys[order], values[order]
        starts = np.flatnonzero(np.concatenate([[True], keys[1:] != keys[:-1]]))
        keys, values = keys[starts], adding.reduceat(values, starts, axis=0)
    column[keys] = values
    return column
