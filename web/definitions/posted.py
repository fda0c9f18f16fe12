"""What changes of definitions ask of the books, and what they do to them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from datetime import date
from functools import cache
from typing import Any, NamedTuple, Protocol

from django.db import connection
from django.utils.module_loading import import_string

from core.changes.asked_facts import AskedFacts
from core.changes.fixed import Facts
from core.definitions.state import Edit, State
from core.definitions.tables import Company, Group
from core.keeping.locks import KeptRates
from core.resorting import ResortedDay, falling_sentence, resorted, resorted_sentence
from web.shell.committed import as_committed


class JournalCount(NamedTuple):
    """A company's journals: how many, and the day on which the last was posted."""

    journals: int
    last: date


class BooksPort(Protocol):
    """Answered by web/journals/posted.py."""

    def facts(self, state: State) -> Facts:
        """What was posted, as far as changes of `state` depend on it; each fact queries at most once."""
        ...

    def journal_counts(self) -> dict[str, JournalCount]:
        """How many journals each company has that has any, and when the last was posted."""
        ...

    def posted_to(self, companies: Mapping[str, str], codes: Iterable[str]) -> set[tuple[str, str]]:
        """Of companies with the charts that they are on the pairs of company and natural account, among some
        accounts, that anything was posted to."""
        ...

    def strings_of(self, company: str) -> tuple[str, ...]:
        """Account strings that a company was posted to, or that its balances name."""
        ...

    def mark(self) -> tuple[int, ...]:
        """Another one whenever something was posted or budgeted: what was worked out with facts is kept by
        it."""
        ...

    def carried_from(self, companies: Sequence[str], on: date) -> int:
        """How many companies have closing journals from a day on that nobody took back."""
        ...

    def resort(self, days: Sequence[ResortedDay]) -> None:
        """Puts lines of journals into the periods that they fall into now, inside the caller's
        transaction."""
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

    def kept_from(self, state: State, calendar: str, on: date) -> list[str]:
        """Sentences on kept periods of groups of a calendar's companies that end on a day or later."""
        ...


BOOKS, KEPT = "web.journals.posted.PostedBooks", "web.group.kept.KeptRows"
"""Who answers, by name: they stand above, and are imported when somebody first asks."""


@cache
def _books() -> BooksPort:
    return import_string(BOOKS)()  # type: ignore[no-any-return]


@cache
def _kept() -> KeptPort:
    return import_string(KEPT)()  # type: ignore[no-any-return]


def posted_mark() -> tuple[int, ...]:
    """Another one whenever what facts say may be another thing."""
    return _books().mark()


class AskedOfBooks:
    """Facts that an act is judged by outside of the locks, and whether the books still say so."""

    def __init__(self, state: State) -> None:
        self._state = state
        self._mark: tuple[int, ...] = ()
        self._asked = AskedFacts(posted_facts(state), self._mark_books)
        self._is_part = connection.in_atomic_block
        self._posts = self._reads_all = False

    def _mark_books(self) -> None:
        self._mark = posted_mark()

    @property
    def facts(self) -> Facts:
        return self._asked.facts

    def posts(self) -> None:
        """The act itself adds to the books: only what others committed counts."""
        self._posts = True

    def rewrites(self) -> None:
        """The act writes lines or strings anew that are there: whatever others post from now on counts."""
        self._posts = self._reads_all = True
        self._mark = self._mark or posted_mark()

    def hold(self) -> bool:
        """Whether all that was asked is answered alike now. Asked under the lock that keeps posters out."""
        if not self._asked.answers and not self._reads_all:
            return True
        if not self._posts:
            return self._hold()
        # Within a larger transaction nobody else's view tells what was there before this act.
        return self._is_part or as_committed(self._hold)

    def _hold(self) -> bool:
        moved = posted_mark() != self._mark
        if moved and self._reads_all:
            return False
        return self._asked.hold(posted_facts(self._state), None if moved else NOT_MARKED)


NOT_MARKED = ("kept_rates", "tie")
"""Facts that can change while nothing is posted or budgeted."""


def posted_facts(state: State) -> Facts:
    """Facts for the length of one action or page."""
    facts = _books().facts(state)

    def tie(kind: type[Any], name: str) -> str:
        if kind is Group and _kept().has_kept(name):
            return "periods of it are kept"
        return facts.tie(kind, name)

    return replace(facts, kept_rates=cache(_kept().rates), tie=tie)


def journal_counts() -> dict[str, JournalCount]:
    """How many journals each company has that has any, and when the last was posted."""
    return _books().journal_counts()


def posted_to(companies: Mapping[str, str], codes: Iterable[str]) -> set[tuple[str, str]]:
    """Of companies with their charts which of some natural accounts each has postings on."""
    return _books().posted_to(companies, codes)


def strings_of(company: str) -> tuple[str, ...]:
    """Account strings that a company was posted to, or that its balances kept elsewhere name."""
    return _books().strings_of(company)


def kept_since(state: State, edits: Iterable[Edit]) -> list[str]:
    """What reopening periods touches, in sentences: periods that groups kept, results carried since."""
    sentences: list[str] = []
    for edit in edits:
        if edit.table == "periods" and edit.old is not None and edit.new is not None:
            calendar, on = edit.old.calendar, edit.old.starts_on
            companies = [row.company for row in state.rows(Company) if row.calendar == calendar]
            sentences += _kept().kept_from(state, calendar, on)
            if carried := _books().carried_from(companies, on):
                sentences.append(f"{carried} companies have closing journals since.")
    return list(dict.fromkeys(sentences))


def resort(before: State, after: State, asked: AskedOfBooks) -> str:
    """Puts lines of journals into the periods that they fall into after a change of calendars, inside the
    caller's transaction; a sentence on what moved, empty where nothing did."""
    days = resorted(before, after, _books().facts(before).posted_days)
    if days:
        asked.rewrites()
        _books().resort(days)
    return resorted_sentence(days)


def falling_then(before: State, after: State) -> str:
    """A sentence on what a change of calendars will sort anew; empty where it need not."""
    return falling_sentence(resorted(before, after, _books().facts(before).posted_days))


def lengthen_strings(tails: Mapping[str, str]) -> None:
    if tails:
        _books().lengthen_strings(tails)
