"""What changes of definitions ask of the books, and what they do to them. The books stand above and say here
who answers."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from functools import cache
from typing import Any, Protocol

from core.changes.fixed import Facts
from core.definitions.state import State
from core.definitions.tables import Group
from core.keeping.locks import KeptRates


class BooksPort(Protocol):
    """Answered by web/journals/posted.py."""

    def facts(self, state: State) -> Facts:
        """What was posted, as far as changes of `state` depend on it; each fact queries at most once."""
        ...

    def journal_counts(self) -> dict[str, int]:
        """How many journals each company has that has any."""
        ...

    def lengthen_strings(self, tails: Mapping[str, str]) -> None:
        """Puts a tail behind every kept account string of each chart, inside the caller's transaction."""
        ...


class KeptPort(Protocol):
    """Answered by web/group/kept.py."""

    def rates(self) -> tuple[KeptRates, ...]:
        """What kept periods hold of the rates."""
        ...

    def has_kept(self, group: str) -> bool:
        """Whether a period of a group was ever kept."""
        ...


_kept: list[KeptPort] = []
_books: list[BooksPort] = []


def answer_with(books: BooksPort) -> None:
    """Called once, as the application starts."""
    _books[:] = [books]


def posted_facts(state: State) -> Facts:
    """Facts for the length of one action or page."""
    facts = _books[0].facts(state)

    def tie(kind: type[Any], name: str) -> str:
        if kind is Group and _kept[0].has_kept(name):
            return "periods of it are kept"
        return facts.tie(kind, name)

    return replace(facts, kept_rates=cache(_kept[0].rates), tie=tie)


def kept_with(kept: KeptPort) -> None:
    """Called once, as the application starts."""
    _kept[:] = [kept]


def journal_counts() -> dict[str, int]:
    """How many journals each company has that has any."""
    return _books[0].journal_counts()


def lengthen_strings(tails: Mapping[str, str]) -> None:
    if tails:
        _books[0].lengthen_strings(tails)
