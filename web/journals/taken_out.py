"""All that was posted, in the order of a package."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from django.db import connection, transaction

PIECE = 5_000
JOURNALS = """
    SELECT j.company, j.journal, j.date, j.kind, j.description, j.currency, j.rate, j.posted_at, j.poster,
    coalesce(r.journal, '')
    FROM journals_journal j LEFT JOIN journals_journal r ON r.id = j.reverses_id ORDER BY j.company, j.chain
"""
LINES = """
    SELECT j.company, j.journal, l.line, b.company, a.account, coalesce(d.codes, ''), l.keyed,
    coalesce(c.company, ''),
           l.description, l.source_type, l.source_number, l.source_party, l.source_item, l.generated,
           j.currency
    FROM journals_journalline l JOIN journals_journal j ON j.id = l.journal_id
    JOIN journals_book b ON b.id = l.book_id
    JOIN journals_account a ON a.id = l.account_id LEFT JOIN journals_dimensionset d ON d.id = l.dimensions_id
    LEFT JOIN companies_company c ON c.id = l.partner_id ORDER BY j.company, j.chain, l.line
"""
BALANCES = """
    SELECT l.company, l.fiscal_year, l.period, a.account, coalesce(d.codes, ''), coalesce(c.company, ''),
    l.amount
    FROM journals_balance l JOIN journals_account a ON a.id = l.account_id
    LEFT JOIN journals_dimensionset d ON d.id = l.dimensions_id
    LEFT JOIN companies_company c ON c.id = l.partner_id
    ORDER BY 1, 2, 3, 4, 5, 6
"""
BUDGETS = (
    "SELECT budget, company, fiscal_year, period, account, dimensions, amount FROM journals_budgetline ORDER"
    " BY 1,2,3,4,5,6"
)
MOVED_ACCOUNTS = """
    SELECT m.company, a.chart, a.account, m.chart, n.account FROM journals_movedaccount m
    JOIN journals_account a ON a.id = m.account_id JOIN journals_account n ON n.id = m.now_id
    ORDER BY 1, 2, 3, 4
"""


def streamed(query: str) -> Iterator[tuple[Any, ...]]:
    """Rows of a query read piece by piece, so that millions of lines do not have to fit in memory."""
    with transaction.atomic(), connection.chunked_cursor() as cursor:
        cursor.execute(query)
        while chunk := cursor.fetchmany(PIECE):
            yield from chunk
