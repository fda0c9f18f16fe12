"""Posted lines of a company that face another one."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from typing import Any

from django.db import connection

from core.books.twins import FacingLine
from core.definitions.tables import Company

FACING = """
    SELECT b.company, j.company, j.journal, l.line, j.date, l.source_number,
           coalesce(nullif(l.description, ''), j.description), j.currency, l.keyed, l.amount, a."natural"
    FROM journals_account a JOIN journals_book b ON b.company = %(company)s
    JOIN journals_journalline l ON l.account_id = a.id AND l.book_id = b.id
    JOIN journals_journal j ON j.id = l.journal_id
    JOIN companies_company c ON c.id = l.partner_id AND c.company = %(partner)s
    WHERE a.chart = %(chart)s AND a."natural" = ANY(%(codes)s) AND j.date <= %(until)s AND NOT l.closing
      AND j.date >= %(since)s
    ORDER BY j.date, j.id, l.line LIMIT %(most)s
"""
MOST = 20_000
"""More lines than this are not matched one by one."""


def facing_lines(
    company: Company, codes: Sequence[str], partner: str, since: date, until: date
) -> list[FacingLine]:
    """Lines on natural accounts with a partner between two days, closing journals left out; those keyed in no
    currency of their own are in the company's."""
    values: dict[str, Any] = {
        "company": company.company,
        "chart": company.chart,
        "codes": list(codes),
        "partner": partner,
        "since": since,
        "until": until,
        "most": MOST + 1,
    }
    with connection.cursor() as cursor:
        cursor.execute(FACING, values)
        rows = [FacingLine(*row) for row in cursor.fetchall()]
    return [row if row.currency else row._replace(currency=company.currency) for row in rows]
