"""What changes of definitions ask of the books, and what they do to them. The books stand above and say here
who answers."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Protocol

from core.changes.fixed import Facts
from core.definitions.state import State


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


_books: list[BooksPort] = []


def answer_with(books: BooksPort) -> None:
    """Called once, as the application starts."""
    _books[:] = [books]


def posted_facts(state: State) -> Facts:
    """Facts for the length of one action or page."""
    return _books[0].facts(state)


def journal_counts() -> dict[str, int]:
    """How many journals each company has that has any."""
    return _books[0].journal_counts()


def lengthen_strings(tails: Mapping[str, str]) -> None:
    if tails:
        _books[0].lengthen_strings(tails)
