"""First step: the balances of all companies side by side, each row where its period counts for the group."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from core.books.balances import Books
from core.group.mapping import MapPlan


@dataclass(frozen=True, slots=True)
class Member:
    """What one company brings: its books, its mapping, where its periods count, and how to read interned
    rows.

    `texts(account, dimensions)` gives an account string and its dimensions; asked only where a mapping
    depends on
    more than the natural account. `ordinals` maps the company's ordinals to the group's (absent: doesn't
    count).
    """

    company: str
    number: int
    books: tuple[Books, ...]
    plan: MapPlan
    ordinals: dict[int, int] | None
    texts: Callable[[NDArray[Any]], list[tuple[str, str]]]


class CollectedBook(NamedTuple):
    """A book of one company: which of its rows count, and for each row of the book the group's ordinal.
    Amounts are raw minor units; those of a book add up to nothing."""

    member: Member
    book: Books
    counts: NDArray[np.bool_]
    ordinal: NDArray[np.int32]

    @property
    def amount(self) -> NDArray[Any]:
        amount: NDArray[Any] = self.book.rows["debit"] - self.book.rows["credit"]
        return amount


def collect(members: Sequence[Member]) -> Iterator[CollectedBook]:
    """Every book that holds something."""
    for member in members:
        for book in member.books:
            if len(book.rows):
                ordinal = _ordinals(member, book)
                yield CollectedBook(member, book, ordinal >= 0, ordinal)


def _ordinals(member: Member, book: Books) -> NDArray[np.int32]:
    """The group's ordinal of each row; -1 where the row doesn't count for the group."""
    own = book.rows["ordinal"].astype(np.int32)
    if member.ordinals is None:
        return own
    known = np.unique(own)
    moved = np.array([member.ordinals.get(int(o), -1) for o in known], dtype=np.int32)
    return moved[np.searchsorted(known, own)]
