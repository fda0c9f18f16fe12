"""Journals of many companies that a group's cash flow counts apart, and their lines: those between the sides
of non-cash pairs, those that touch cash. Read for all companies in one go, up to the books that the group's
figures are made of."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from datetime import date
from typing import Any, NamedTuple

from django.db import connection

from core.books.balances import Books
from core.definitions.state import State
from core.definitions.tables import Company
from web.journals.non_cash import Sides, journals_between
from web.journals.reading import BookUpTo, OwnedAccounts, accounts_of_lines, lines_of_owned

UP_TO = """
    unnest(%(companies)s::text[], %(charts)s::text[], %(years)s::int[], %(sequences)s::bigint[])
      AS w(company, chart, fiscal_year, sequence)
    JOIN journals_book b ON b.company = w.company AND b.fiscal_year = w.fiscal_year
    JOIN journals_journalline l
      ON l.book_id = b.id AND l.fiscal_year = b.fiscal_year AND l.sequence <= w.sequence
    {accounts}
"""
TOUCHING = """
    WITH owned AS MATERIALIZED ({owned})
    SELECT l.company, l.journal_id, sum(l.amount) >= 0
    FROM {lines}
    JOIN journals_journal j ON j.id = l.journal_id AND j.date BETWEEN %(since)s AND %(until)s
    GROUP BY 1, 2
"""
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


class BooksUpTo:
    """Some companies' books as far as they were read, of journals dated from one day to another."""

    def __init__(self, state: State, books: Sequence[tuple[str, Books]], since: date, until: date) -> None:
        names = sorted({name for name, _ in books})
        charts = {row.company: row.chart for row in state.rows(Company)}
        known = [(name, book) for name, book in books if book.sequence]
        self.state = state
        self.accounts = accounts_of_lines(state, names, chart="w.chart")
        self.books = [BookUpTo(name, book.fiscal_year, book.sequence) for name, book in known]
        self.asked: dict[str, Any] = {
            "companies": [name for name, _ in known],
            "charts": [charts[name] for name, _ in known],
            "years": [book.fiscal_year for _, book in known],
            "sequences": [book.sequence for _, book in known],
            "since": since,
            "until": until,
        }

    def between(self, sides: Mapping[str, Sides]) -> list[Touched]:
        """Journals between the sides of pairs, each once."""
        days = self.asked["since"], self.asked["until"]
        found = journals_between(self.state, sides, self.books, days)
        return [
            Touched(company, journal.number, True)
            for company, pairs in found.items()
            for journals in pairs
            for journal in journals
        ]

    def touching(self, accounts: Mapping[str, frozenset[str]]) -> list[Touched]:
        """Journals that touch some natural accounts of a company, with whether those gained by it."""
        charts = dict(zip(self.asked["companies"], self.asked["charts"], strict=True))
        owned = {
            name: OwnedAccounts(charts[name], frozenset((0, 0, natural) for natural in own))
            for name, own in accounts.items()
            if own and name in charts
        }
        asked = lines_of_owned(self.state, owned, self.books)
        if asked is None:
            return []
        days = {"since": self.asked["since"], "until": self.asked["until"]}
        with connection.cursor() as cursor:
            query = TOUCHING.format(owned=asked.owned, lines=asked.lines)
            cursor.execute(query, {**asked.values, **days})
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
