"""Third step: a set of books in the group's currency, period by period; every rounding is the contract's.

Amounts are raw minor units of the group's currency. Each period is worked out once, whichever is asked for.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any

import numpy as np
from numpy.typing import NDArray

from core.books.balances import exact
from core.consolidation.entries import Entries, by_target
from core.group.cells import NOBODY, Accounts, BookSet
from core.group.rates import RateMissing, RateTable
from core.group.translation_rules import AVERAGE, CLOSING, HISTORICAL
from core.money import round_half_up, scaled, scaled_columns

Openings = Mapping[int, Mapping[int, int]]
"""TranslatedPeriod → account's target → what its cells come to at its end."""


@dataclass(frozen=True, slots=True)
class TranslatedPeriod:
    """What period i brought to the cells that aren't at closing rates: movements, closing journals, what
    stood on result cells and moved to retained (by own account); `after` is what stands on them then."""

    movement: NDArray[Any]
    closing: NDArray[Any]
    retained: Mapping[str, int]
    after: NDArray[Any]


@dataclass(frozen=True)
class Translated:
    """A set of books translated from `first` (the period before it came in, or what was brought forward) to
    `last`. `retained` is the target of the group's retained account, `reserve` of its translation account."""

    books: BookSet
    accounts: Accounts
    rates: RateTable
    first: int
    periods: Mapping[int, TranslatedPeriod]
    at_closing: NDArray[np.bool_]
    result: NDArray[np.bool_]
    closed_at: tuple[int, ...]
    """Periods whose closing journals brought revenue and expense to zero in the books."""
    own: tuple[str, ...]
    target: NDArray[np.int64]
    partner: NDArray[np.int64]
    missing: tuple[int, RateMissing] | None = None
    """The period at which a rate was missing; nothing from it on is worked out."""
    _standing: dict[int, NDArray[Any]] = field(default_factory=dict, repr=False)
    _sums: dict[int, Entries] = field(default_factory=dict, repr=False)
    _reserve: dict[int, int] = field(default_factory=dict, repr=False)
    _moved_results: dict[int, NDArray[Any]] = field(default_factory=dict, repr=False)
    shares: dict[Any, Any] = field(default_factory=dict, repr=False)
    """what `taken` made of it"""

    def reaches(self, p: int) -> None:
        """Raises RateMissing where the end of p can't be worked out."""
        if self.missing is not None and self.missing[0] <= p:
            raise self.missing[1]

    def ask_closing(self, p: int) -> None:
        """Raises RateMissing where there is no closing rate of p, whatever stands at it."""
        if len(self.books.own):
            self.rates.of(CLOSING, self.books.currency, p)

    def begun(self, p: int) -> bool:
        """Whether anything moved up to the end of p."""
        moved, closed = self.books.moved[:, : p + 1], self.books.closed[:, : p + 1]
        return bool(np.any(moved != 0) or np.any(closed != 0))

    def last_closed(self, p: int) -> int | None:
        """The last period up to p that closed the books; None where none did since they came in."""
        return max((i for i in self.closed_at if i <= p), default=None)

    def since_closed(self, p: int) -> range:
        """Periods up to p whose result still runs."""
        closed = self.last_closed(p)
        begins = self.begins if closed is None else max(self.begins, closed + 1)
        return range(begins, p + 1)

    @property
    def begins(self) -> int:
        """The first period whose movements are translated by the rules."""
        return self.first

    def standing(self, p: int) -> NDArray[Any]:
        """What stands on each cell at the end of p, without the reserve and what was moved to retained.
        A closing rate is needed only where something stands at it. Raises RateMissing."""
        if p not in self._standing:
            values = self.periods[p].after if p in self.periods else np.zeros(len(self.own), dtype=np.int64)
            if np.any(self.books.books_to[self.at_closing, p] != 0):
                rate = self.rates.minor(CLOSING, self.books.currency, p)
                values = np.where(self.at_closing, scaled(self.books.books_to[:, p], rate), values)
            self._standing[p] = shared(exact(values))
        return self._standing[p]

    def sums(self, p: int) -> Entries:
        """What stands at the end of p by target."""
        if p not in self._sums:
            self._sums[p] = by_target(self.target, self.standing(p))
        return self._sums[p]

    def retained(self, p: int) -> int:
        """What moved to the group's retained account up to p."""
        return sum(sum(period.retained.values()) for i, period in self.periods.items() if i <= p)

    def reserve(self, p: int) -> int:
        """Whatever remains, so that the set of books sums to zero."""
        if p not in self._reserve:
            self._reserve[p] = -int(self.standing(p).sum()) - self.retained(p)
        return self._reserve[p]

    def moved_results(self, i: int) -> NDArray[Any]:
        """What each result cell moved in period i without closing journals; every position shares it."""
        if i not in self._moved_results:
            self._moved_results[i] = shared(np.where(self.result, self.periods[i].movement, 0))
        return self._moved_results[i]

    def running(self, i: int) -> int:
        """The result of period i."""
        return int(self.periods[i].movement[self.result].sum()) if i in self.periods else 0


def shared(values: NDArray[Any]) -> NDArray[Any]:
    """Values that every position goes on with: whoever would change them in place is told."""
    values.setflags(write=False)
    return values


def translate(
    books: BookSet, accounts: Accounts, rates: RateTable, base: int | None, last: int, openings: Openings
) -> Translated:
    """To the end of period `last`, or as far as there are rates. `base`: the period before it came in (None:
    in from the beginning)."""
    books, openings = _with_opening_cells(books, accounts, openings)
    result = accounts.results[books.target]
    at_closing = (accounts.kinds[books.target] == CLOSING) & ~result
    work = _Translation(books, accounts, rates, at_closing, result, openings)
    missing, first = None, 0 if base is None else base + 1
    work.at = base or 0
    try:
        if base is not None:
            work.come_in(base)
        work.translate_movements(first, last)
        work.go_through(first, last)
    except RateMissing as told:
        missing = (work.at, told)
    return Translated(
        books,
        accounts,
        rates,
        first,
        work.periods,
        at_closing,
        result,
        tuple(work.closed_at),
        books.own,
        books.target,
        books.partner,
        missing,
    )


def _with_opening_cells(books: BookSet, accounts: Accounts, openings: Openings) -> tuple[BookSet, Openings]:
    """A cell without a partner for each account that an opening amount is given for: of the first own account
    that goes there."""
    wanted = {target for row in openings.values() for target in row}
    missing = []
    for target in sorted(wanted):
        own = [books.own[c] for c in np.flatnonzero(books.target == target).tolist()]
        first = min(own, default="")
        there = any(
            books.own[c] == first and books.partner[c] == NOBODY
            for c in np.flatnonzero(books.target == target).tolist()
        )
        if not there:
            missing.append((first, target))
    if not missing:
        return books, openings
    empty = np.zeros((len(missing), books.moved.shape[1]), dtype=books.moved.dtype)
    own_names = (*books.own, *(own for own, _ in missing))
    targets = np.concatenate([books.target, np.array([t for _, t in missing], dtype=np.int64)])
    partners = np.concatenate([books.partner, np.full(len(missing), NOBODY, dtype=np.int64)])
    more = [np.concatenate([part, empty]) for part in (books.moved, books.closed, books.books_to)]
    order = sorted(range(len(own_names)), key=lambda c: (own_names[c], int(targets[c]), int(partners[c])))
    return (
        BookSet(
            books.name,
            books.company,
            books.currency,
            tuple(own_names[c] for c in order),
            targets[order],
            partners[order],
            *(part[order] for part in more),
        ),
        openings,
    )


class _Translation:
    """Goes through the periods of one set of books and keeps what stands."""

    def __init__(
        self,
        books: BookSet,
        accounts: Accounts,
        rates: RateTable,
        at_closing: NDArray[np.bool_],
        result: NDArray[np.bool_],
        openings: Openings,
    ) -> None:
        self.books, self.accounts, self.rates = books, accounts, rates
        self.at_closing, self.result, self.openings = at_closing, result, openings
        self.kinds = accounts.kinds[books.target]
        self.after: NDArray[Any] = np.zeros(len(books.own), dtype=np.int64)
        self.nothing: NDArray[Any] = np.zeros(len(books.own), dtype=np.int64)
        """what all periods without closing journals share"""
        self.movements: NDArray[Any] = np.zeros(books.moved.shape, dtype=np.int64)
        self.missing: dict[int, RateMissing] = {}
        self.periods: dict[int, TranslatedPeriod] = {}
        self.closed_at: list[int] = []
        self.at = 0
        """the period that is being worked out"""
        self.has_closing = (books.closed != 0).any(axis=0)

    def come_in(self, base: int) -> None:
        """Everything to the period before it came in at its closing rate; results move to retained."""
        others = ~self.at_closing
        amounts = self.books.books_to[:, base]
        if np.any(amounts != 0):
            rate = self.rates.minor(CLOSING, self.books.currency, base)
            self.after = exact(np.where(others, scaled(amounts, rate), 0))
        retained = self._move_results()
        self._open(base)
        self.periods[base] = TranslatedPeriod(self.nothing, self.nothing, retained, self.after)

    def go_through(self, first: int, last: int) -> None:
        """Period by period; those in which nothing but movements happens several at a time."""
        self.at = first
        while self.at <= last:
            end = self.at
            while end <= last and self._only_moves(end):
                end += 1
            if end > self.at:
                self._add_up(self.at, end)
            else:
                self.period(self.at)
                end += 1
            self.at = end

    def _only_moves(self, i: int) -> bool:
        return not (i in self.missing or self.has_closing[i] or self.openings.get(i))

    def _add_up(self, first: int, end: int) -> None:
        movements = np.ascontiguousarray(self.movements.T[first:end])
        standing = np.cumsum(exact(np.concatenate([[self.after], movements])), axis=0)[1:]
        for i, movement, after in zip(range(first, end), movements, standing, strict=True):
            self.after = after if after.dtype != object else exact(after)
            self.periods[i] = TranslatedPeriod(movement, self.nothing, {}, self.after)

    def period(self, i: int) -> None:
        if i in self.missing:
            raise self.missing[i]
        movement = self.movements[:, i]
        self.after = exact(self.after + movement)
        closing = self.nothing
        retained: dict[str, int] = {}
        if np.any(self.books.closed[:, i] != 0):
            closing = exact(self._closing(i))
            self.after = exact(self.after + closing)
            if (
                np.any(self.books.closed[self.result, i] != 0)
                and self.books.books_to[self.result, i].sum() == 0
            ):
                self.closed_at.append(i)
                retained = self._move_results()
        self._open(i)
        self.periods[i] = TranslatedPeriod(movement, closing, retained, self.after)

    def translate_movements(self, first: int, last: int) -> None:
        """What every period brought to the cells that aren't at closing rates; a rate that is missing is
        told when its period's turn comes."""
        for kind in (AVERAGE, HISTORICAL):
            cells = np.flatnonzero((self.kinds == kind) & ~self.at_closing)
            moved = (self.books.moved[cells] != 0).any(axis=0)
            needed = np.flatnonzero(moved[: last + 1] & (np.arange(last + 1) >= first))
            rates = []
            for i in needed.tolist():
                try:
                    rates.append(self.rates.minor(kind, self.books.currency, i))
                except RateMissing as missing:
                    self.missing.setdefault(i, missing)
                    rates.append(Fraction(0))
            if len(needed):
                part = scaled_columns(self.books.moved[np.ix_(cells, needed)], rates)
                if part.dtype == object:
                    self.movements = self.movements.astype(object)
                self.movements[np.ix_(cells, needed)] = part
        self.movements = exact(self.movements)

    def _move_results(self) -> dict[str, int]:
        """What stands on result cells, by own account; the cells are empty then."""
        moved: dict[str, int] = {}
        for c in np.flatnonzero(self.result & (self.after != 0)).tolist():
            moved[self.books.own[c]] = moved.get(self.books.own[c], 0) + int(self.after[c])
            self.after[c] = 0
        return moved

    def _open(self, i: int) -> None:
        """Opening amounts that are given replace what stands on the cells of their account."""
        for target, amount in self.openings.get(i, {}).items():
            cells = np.flatnonzero(self.books.target == target)
            self.after[cells] = 0
            free = [c for c in cells.tolist() if self.books.partner[c] == NOBODY]
            self.after[min(free, key=lambda c: self.books.own[c])] = amount

    def _closing(self, i: int) -> NDArray[Any]:
        """Closing journals, translated so that what is zero in the books is zero in the group."""
        amounts = self.books.closed[:, i].astype(object)
        before = self.books.books_to[:, i].astype(object) - amounts
        closing = np.zeros(len(self.books.own), dtype=object)
        rest: dict[tuple[str, int], list[int]] = {}
        for c in np.flatnonzero(self.result).tolist():
            if amounts[c] != 0 and before[c] + amounts[c] == 0:
                closing[c] = -self.after[c]
            else:
                rest.setdefault((self.books.own[c], int(self.books.target[c])), []).append(c)
        for cells in rest.values():
            self._close_together(cells, amounts, before, closing, i)
        self._close_others(amounts, closing, i)
        return closing

    def _close_together(
        self, cells: list[int], amounts: NDArray[Any], before: NDArray[Any], closing: NDArray[Any], i: int
    ) -> None:
        """Result cells of one own account and group account, in the share of what stands in the books."""
        closed = [c for c in cells if amounts[c] != 0]
        if not closed:
            return
        in_books, stands = sum(before[c] for c in cells), sum(self.after[c] for c in cells)
        ratio = (
            Fraction(int(stands), int(in_books))
            if in_books
            else self.rates.minor(CLOSING, self.books.currency, i)
        )
        for c in closed:
            closing[c] = round_half_up(int(amounts[c]) * ratio)
        if sum(before[c] + amounts[c] for c in cells) == 0:
            closing[closed[-1]] -= sum(self.after[c] + closing[c] for c in cells)

    def _close_others(self, amounts: NDArray[Any], closing: NDArray[Any], i: int) -> None:
        """Equity cells take what the result cells gave."""
        others = [c for c in np.flatnonzero(~self.result & ~self.at_closing).tolist() if amounts[c] != 0]
        if not others:
            return
        in_books = int(amounts[self.result].sum())
        translated = int(closing[self.result].sum())
        for c in others:
            if in_books:
                ratio = Fraction(translated, in_books)
            else:
                ratio = self.rates.minor(str(self.kinds[c]), self.books.currency, i)
            closing[c] = round_half_up(int(amounts[c]) * ratio)
        if in_books + sum(amounts[c] for c in others) == 0:
            closing[others[-1]] -= translated + sum(closing[c] for c in others)
