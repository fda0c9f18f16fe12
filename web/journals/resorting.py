"""Posted lines put into the periods that their days fall into after a calendar changed, through the one
function that may (journals/migrations/0008_resorting.py)."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from datetime import date
from typing import Any

from django.db import connection

from core.resorting import PostedDay, ResortedDay
from web.journals.books import forget_packs

POSTED_DAYS = """
    SELECT b.company, j.date, j.kind, count(DISTINCT j.id) FROM journals_journal j
    JOIN journals_journalline l ON l.journal_id = j.id JOIN journals_book b ON b.id = l.book_id
    WHERE j.date BETWEEN %s AND %s AND j.company IN (SELECT company FROM companies_company)
      AND b.company = ANY(%s)
    GROUP BY b.company, j.date, j.kind ORDER BY b.company, j.date, j.kind
"""
MOVING = """
    SELECT DISTINCT l.journal_id, l.book_id, b.company, m.year, m.period
    FROM unnest(%s::text[], %s::date[], %s::text[], %s::int[], %s::int[])
      AS m(company, on_day, kind, year, period)
    JOIN journals_journal j ON j.date = m.on_day AND j.kind = m.kind
    JOIN journals_journalline l ON l.journal_id = j.id
    JOIN journals_book b ON b.id = l.book_id AND b.company = m.company
    WHERE (b.fiscal_year, l.period) <> (m.year, m.period)
"""
BOOKS = """
    INSERT INTO journals_book (company, fiscal_year, sequence, debits)
    SELECT DISTINCT w.company, w.year, 0, 0 FROM unnest(%s::text[], %s::int[]) AS w(company, year)
    ON CONFLICT (company, fiscal_year) DO NOTHING
"""
BEGUN = """
    UPDATE journals_book SET sequence = greatest(sequence, 1) WHERE company = ANY(%s)
    RETURNING id, company, fiscal_year, sequence
"""
PUT = "SELECT pine_resort(%s::bigint[], %s::bigint[], %s::bigint[], %s::int[], %s::bigint[])"
DEBITS = """
    UPDATE journals_book b SET debits = (
        SELECT coalesce(sum(greatest(l.amount, 0)), 0) FROM journals_journalline l WHERE l.book_id = b.id)
    WHERE b.id = ANY(%s)
"""


def _rows(sql: str, *values: Any) -> list[tuple[Any, ...]]:
    with connection.cursor() as cursor:
        cursor.execute(sql, values)
        rows: list[tuple[Any, ...]] = cursor.fetchall()
        return rows


def posted_days(companies: Collection[str], start: date, end: date) -> list[PostedDay]:
    return [PostedDay(*row) for row in _rows(POSTED_DAYS, start, end, sorted(companies))]


def resort(days: Sequence[ResortedDay]) -> None:
    """The caller holds the lock of definitions, so nothing is posted meanwhile."""
    to = [
        (day.posted.company, day.posted.date, day.posted.kind, day.now.fiscal_year, day.now.period)
        for day in days
        if day.now is not None
    ]
    moving = _rows(MOVING, *_columns(to, 5))
    if not moving:
        return
    journals, was, companies, years, periods = _columns(moving, 5)
    with connection.cursor() as cursor:
        cursor.execute(BOOKS, [companies, years])
        forget_packs(companies)
        books = {(company, year): (book, at) for book, company, year, at in _rows(BEGUN, companies)}
        now, sequences = _columns([books[key] for key in zip(companies, years, strict=True)], 2)
        cursor.execute(PUT, [journals, was, now, periods, sequences])
        cursor.execute(DEBITS, [sorted({*was, *now})])


def _columns(rows: Sequence[tuple[Any, ...]], count: int) -> list[list[Any]]:
    return [[row[at] for row in rows] for at in range(count)]
