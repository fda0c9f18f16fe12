"""Journals that were posted after books stood at given sequences."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from typing import NamedTuple

from django.db import connection

JOURNALS = """
    WITH stood AS (
        SELECT b.id, coalesce(s.sequence, 0) AS sequence
        FROM journals_book b
        LEFT JOIN unnest(%s::text[], %s::int[], %s::bigint[]) AS s(company, fiscal_year, sequence)
          ON s.company = b.company AND s.fiscal_year = b.fiscal_year
        WHERE b.company = ANY(%s) AND b.sequence > coalesce(s.sequence, 0)
    )
    SELECT DISTINCT j.company, j.journal, j.date, j.description, j.posted_at, j.id
    FROM stood
    JOIN journals_journalline l ON l.book_id = stood.id AND l.sequence > stood.sequence
    JOIN journals_journal j ON j.id = l.journal_id
    WHERE j.date <= %s
    ORDER BY j.posted_at DESC, j.id DESC LIMIT %s
"""


class PostedSince(NamedTuple):
    """A journal of a company, by its number."""

    company: str
    journal: str
    date: date
    description: str


def posted_since(
    books: Sequence[tuple[str, int, int]], companies: Sequence[str], until: date, most: int
) -> list[PostedSince]:
    """Of these companies up to a day, the newest first. `books` are (company, fiscal year, sequence); a year
    that isn't named stood at nothing."""
    names, years, sequences = ([row[i] for row in books] for i in range(3))
    with connection.cursor() as cursor:
        cursor.execute(JOURNALS, [names, years, sequences, list(companies), until, most])
        return [PostedSince(*row[:4]) for row in cursor.fetchall()]
