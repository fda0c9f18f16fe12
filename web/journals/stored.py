"""Posted journals as an import compares them with those it brings."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date, datetime
from typing import Any, NamedTuple

from django.db import connection

CHUNK = 50_000
STORED = """
    SELECT l.journal_id, l.line, b.company, a.account, coalesce(d.codes, ''), l.keyed, coalesce(c.company,
    ''),
           l.description, l.source_type, l.source_number, l.source_party, l.source_item
    FROM journals_journalline l JOIN journals_book b ON b.id = l.book_id JOIN journals_account a ON a.id =
    l.account_id
    LEFT JOIN journals_dimensionset d ON d.id = l.dimensions_id LEFT JOIN companies_company c ON c.id =
    l.partner_id
    WHERE l.journal_id = ANY(%s) AND NOT l.generated
"""


def stored_lines(journals: list[int]) -> Iterator[tuple[Any, ...]]:
    """Lines that were keyed or imported, as an import compares them."""
    with connection.cursor() as cursor:
        for start in range(0, len(journals), CHUNK):
            cursor.execute(STORED, [journals[start : start + CHUNK]])
            yield from cursor


class StoredJournal(NamedTuple):
    """A posted journal's own columns; `reverses` is the number of the one it reverses, or empty."""

    id: int
    date: date
    kind: str
    description: str
    currency: str
    rate: Any
    posted_at: datetime
    poster: str
    reverses: str


def stored_journals(journals: list[int]) -> list[StoredJournal]:
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT j.id, j.date, j.kind, j.description, j.currency, j.rate, j.posted_at, j.poster,"
            " coalesce(r.journal, '') FROM journals_journal j LEFT JOIN journals_journal r ON r.id ="
            " j.reverses_id WHERE j.id = ANY(%s)",
            [journals],
        )
        return [StoredJournal(*row) for row in cursor.fetchall()]


def numbers_of(companies: list[str]) -> dict[tuple[str, str], int]:
    """The ids of all journals of companies, by (company, journal)."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT company, journal, id FROM journals_journal WHERE company = ANY(%s)", [companies]
        )
        return {(company, journal): number for company, journal, number in cursor.fetchall()}
