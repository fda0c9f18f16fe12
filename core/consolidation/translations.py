"""Sets of books once translated, taken over while everything they were made of is still the same."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from core.consolidation.translate import Openings, Translated, translate
from core.group.cells import Accounts, BookSet
from core.group.rates import RateTable


@dataclass(frozen=True, slots=True)
class Ingredients:
    """What a translation is made of; `rates` are all rows that rates of the currency can come from."""

    books: BookSet
    accounts: Accounts
    base: int | None
    last: int
    openings: Openings
    rates: tuple[Any, ...]

    def same_as(self, other: Ingredients) -> bool:
        """Books and accounts must be the same objects: they aren't compared amount by amount."""
        return (
            self.books is other.books
            and self.accounts is other.accounts
            and (self.base, self.last) == (other.base, other.last)
            and self.openings == other.openings
            and self.rates == other.rates
        )


class Translations:
    """Translations by set of books. `former` ones serve where nothing they are made of has changed, so a
    changed rate costs the books of its currency only."""

    def __init__(self, former: Translations | None = None) -> None:
        self._known: dict[str, tuple[Ingredients, Translated]] = dict(former._known) if former else {}
        self._former = frozenset(self._known)
        self.taken_over = False
        """whether a former one served, so that not every rate was asked for"""

    def of(
        self,
        books: BookSet,
        accounts: Accounts,
        rates: RateTable,
        base: int | None,
        last: int,
        openings: Mapping[int, Mapping[int, int]],
    ) -> Translated:
        """`base` and `last` as `translate` takes them."""
        now = Ingredients(books, accounts, base, last, openings, rates.source_of(books.currency))
        known = self._known.get(books.name)
        if known is None or not known[0].same_as(now):
            known = now, translate(books, accounts, rates, base, last, openings)
            self._known[books.name] = known
            self._former -= {books.name}
        self.taken_over |= books.name in self._former
        return known[1]
