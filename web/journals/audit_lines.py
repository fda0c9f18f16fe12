"""Lines of a company's books for statutory audit files, and what was brought forward into a year."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from django.db import connection

from core.audit.fec import AuditLine, BroughtForward
from core.definitions.state import State
from core.definitions.tables import Company
from web.journals.books import books_for
from web.journals.reading import accounts_of_lines

LINES = """
    SELECT j.id, j.journal, j.kind, j.date, j.posted_at::date, a."natural", coalesce(c.company, ''),
           coalesce(nullif(l.description, ''), j.description), l.source_number, l.amount, l.keyed, j.currency
    FROM journals_book b JOIN journals_journalline l ON l.book_id = b.id AND l.fiscal_year = b.fiscal_year
    JOIN journals_journal j ON j.id = l.journal_id {accounts}
    LEFT JOIN companies_company c ON c.id = l.partner_id
    WHERE b.company = %(company)s AND b.fiscal_year = %(year)s ORDER BY j.posted_at, j.id, l.line
"""
PARTNERS = "SELECT id, company FROM companies_company"
ELSEWHERE = "SELECT EXISTS (SELECT 1 FROM journals_balance WHERE company = %s AND fiscal_year <= %s)"


def year_lines(state: State, company: Company, year: int) -> Iterator[AuditLine]:
    """Lines of a fiscal year in the order in which their journals were posted, read in its
    chart."""
    values: dict[str, Any] = {"company": company.company, "year": year, "chart": company.chart}
    with connection.cursor() as cursor:
        cursor.execute(LINES.format(accounts=accounts_of_lines(state, [company.company])), values)
        yield from (AuditLine(*row) for row in cursor.fetchall())


def is_kept_elsewhere(company: str, year: int) -> bool:
    """Whether a company has balances without journals up to a year."""
    with connection.cursor() as cursor:
        cursor.execute(ELSEWHERE, [company, year])
        return bool(cursor.fetchone()[0])


def brought_forward(state: State, company: str, year: int) -> list[BroughtForward]:
    """Sums of all years before, by natural account and partner."""
    sums: dict[tuple[str, int], int] = {}
    for books in books_for(state, [company])[company]:
        if books.fiscal_year < year:
            columns = (books.rows[name].tolist() for name in ("natural", "partner", "debit", "credit"))
            for natural, partner, debit, credit in zip(*columns, strict=True):
                key = (books.naturals[natural], partner)
                sums[key] = sums.get(key, 0) + debit - credit
    with connection.cursor() as cursor:
        cursor.execute(PARTNERS)
        names = dict(cursor.fetchall())
    return [
        BroughtForward(natural, names.get(partner, ""), amount)
        for (natural, partner), amount in sorted(sums.items())
        if amount
    ]
