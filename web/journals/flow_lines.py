"""Journals of many companies that a group's cash flow counts apart, and their lines: those between the sides
of non-cash pairs, those that touch cash. Read for all companies in one go, up to the books that the group's
figures are made of."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from datetime import date
from typing import Any, NamedTuple

from django.db import connection

from core.books.balances import Books
from core.definitions.state import State
from core.definitions.tables import Company
from web.journals.reading import accounts_of_lines

UP_TO = """
    unnest(%(companies)s::text[], %(charts)s::text[], %(years)s::int[], %(sequences)s::bigint[])
      AS w(company, chart, fiscal_year, sequence)
    JOIN journals_book b ON b.company = w.company AND b.fiscal_year = w.fiscal_year
    JOIN journals_journalline l ON l.book_id = b.id AND l.sequence <= w.sequence
    {accounts}
"""
TOUCHING = f"""
    SELECT b.company, l.journal_id, sum(l.amount) >= 0
    FROM {UP_TO}
    JOIN unnest(%(owners)s::text[], %(naturals)s::text[]) AS c(company, "natural")
      ON c.company = b.company AND c."natural" = a."natural"
    JOIN journals_journal j ON j.id = l.journal_id AND j.date BETWEEN %(since)s AND %(until)s
    GROUP BY 1, 2
"""
BETWEEN = f"""
    SELECT b.company, l.journal_id, true
    FROM {UP_TO}
    LEFT JOIN unnest(%(owners)s::text[], %(naturals)s::text[], %(sides)s::int[])
      AS c(company, "natural", side)
      ON c.company = b.company AND c."natural" = a."natural"
    JOIN journals_journal j ON j.id = l.journal_id AND j.date BETWEEN %(since)s AND %(until)s
    GROUP BY 1, 2
    HAVING bool_and(c.side IS NOT NULL) AND bool_or(c.side = 1) AND bool_or(c.side = 2)
       AND NOT bool_or(l.closing)
"""
"""Only the company's own lines are looked at; what closes a year is never left out."""
LINES = f"""
    SELECT b.company, a."natural", coalesce(l.partner_id, 0), a.id, coalesce(l.dimensions_id, 0),
           b.fiscal_year, l.period, j.date, j.kind, l.closing::int, t.received,
           sum(greatest(l.amount, 0))::bigint, sum(greatest(-l.amount, 0))::bigint
    FROM {UP_TO}
    JOIN unnest(%(touched_by)s::text[], %(journals)s::bigint[], %(received)s::bool[])
      AS t(company, journal, received) ON t.company = b.company AND t.journal = l.journal_id
    JOIN journals_journal j ON j.id = l.journal_id
    GROUP BY 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11
"""
WITHOUT_JOURNALS = """
    SELECT DISTINCT b.company FROM journals_balance b
    JOIN unnest(%(companies)s::text[], %(years)s::int[]) AS w(company, fiscal_year)
      ON w.company = b.company AND w.fiscal_year = b.fiscal_year
"""


class Touched(NamedTuple):
    """Journals of companies that count apart: whose, which, and whether cash gained by it."""

    company: str
    journal: int
    received: bool


class Owner(NamedTuple):
    """A natural account of a company, on which side of a pair it stands."""

    company: str
    natural: str
    side: int = 0


class BooksUpTo:
    """Some companies' books as far as they were read, of journals dated from one day to another."""

    def __init__(self, state: State, books: Sequence[tuple[str, Books]], since: date, until: date) -> None:
        names = sorted({name for name, _ in books})
        charts = {row.company: row.chart for row in state.rows(Company)}
        known = [(name, book) for name, book in books if book.sequence]
        self.accounts = accounts_of_lines(state, names, chart="w.chart")
        self.asked: dict[str, Any] = {
            "companies": [name for name, _ in known],
            "charts": [charts[name] for name, _ in known],
            "years": [book.fiscal_year for _, book in known],
            "sequences": [book.sequence for _, book in known],
            "since": since,
            "until": until,
        }

    def between(self, owners: Sequence[Owner]) -> list[Touched]:
        """Journals that touch accounts of both sides and no other of the company's."""
        return self._touched(BETWEEN, owners)

    def touching(self, owners: Sequence[Owner]) -> list[Touched]:
        """Journals that touch some accounts, with whether those gained by it."""
        return self._touched(TOUCHING, owners)

    def _touched(self, query: str, owners: Sequence[Owner]) -> list[Touched]:
        if not owners or not self.asked["companies"]:
            return []
        columns = ("owners", "naturals", "sides")
        asked = {**self.asked, **dict(zip(columns, map(list, zip(*owners, strict=True)), strict=True))}
        with connection.cursor() as cursor:
            cursor.execute(query.format(accounts=self.accounts), asked)
            return [Touched(*row) for row in cursor.fetchall()]

    def lines(self, journals: Collection[Touched]) -> list[tuple[Any, ...]]:
        """company, natural account, partner, account string, dimensions, fiscal year, period, day, kind,
        closing, whether cash gained, debits, credits: of some journals' lines in their company."""
        asked = {
            **self.asked,
            "touched_by": [one.company for one in journals],
            "journals": [one.journal for one in journals],
            "received": [one.received for one in journals],
        }
        with connection.cursor() as cursor:
            cursor.execute(LINES.format(accounts=self.accounts), asked)
            rows: list[tuple[Any, ...]] = cursor.fetchall()
            return rows

    def without_journals(self) -> set[str]:
        """Companies that keep balances in some year."""
        with connection.cursor() as cursor:
            cursor.execute(WITHOUT_JOURNALS, self.asked)
            return {name for (name,) in cursor.fetchall()}
