"""Journals between the two sides of a non-cash pair, and nothing else of the company's."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from typing import Any, NamedTuple

from django.db import connection

from core.books.periods import ordinal
from core.cash_flow.likely_pairs import PostedTogether
from core.definitions.state import State
from core.definitions.tables import Company
from web.journals.reading import accounts_of_lines

BETWEEN = """
    SELECT t.journal_id, max(k.fiscal_year), max(t.period), j.date
    FROM journals_journalline t JOIN journals_book k ON k.id = t.book_id
    JOIN journals_journal j ON j.id = t.journal_id
    {touched}
    WHERE k.company = %(company)s AND s."natural" = ANY(%(either)s) AND NOT t.closing
    GROUP BY t.journal_id, j.date
    HAVING bool_or(s."natural" = ANY(%(one)s)) AND bool_or(s."natural" <> ALL(%(one)s))
       AND count(*) = (
           SELECT count(*) FROM journals_journalline n JOIN journals_book m ON m.id = n.book_id
           WHERE n.journal_id = t.journal_id AND m.company = %(company)s)
    ORDER BY t.journal_id
"""
"""Only the company's own lines are looked at: those that a journal has in other companies are theirs. What
closes a year is never left out."""


WITHOUT_CASH = """
    SELECT debited, credited, count(*), sum(amount)::bigint FROM (
        SELECT l.journal_id, array_agg(DISTINCT a."natural") FILTER (WHERE l.amount > 0) AS debited,
               array_agg(DISTINCT a."natural") FILTER (WHERE l.amount < 0) AS credited,
               sum(greatest(l.amount, 0)) AS amount
        FROM journals_book b JOIN journals_journalline l ON l.book_id = b.id
        {accounts}
        WHERE b.company = %(company)s AND b.fiscal_year = %(year)s
          AND l.period BETWEEN %(first)s AND %(period)s AND NOT l.closing
        GROUP BY l.journal_id HAVING bool_and(a."natural" = ANY(%(codes)s))) j
    WHERE debited IS NOT NULL AND credited IS NOT NULL
    GROUP BY debited, credited ORDER BY 4 DESC LIMIT 200
"""


class JournalBetween(NamedTuple):
    """A journal between the sides of a pair: its number, and when it counts."""

    number: int
    fiscal_year: int
    period: int
    date: date

    def time(self, *, by_day: bool) -> int:
        """As rows of amounts have it."""
        return self.date.toordinal() if by_day else ordinal(self.fiscal_year, self.period)


def journals_between(
    state: State, company: str, sides: Sequence[tuple[frozenset[str], frozenset[str]]]
) -> list[tuple[JournalBetween, ...]]:
    """For each pair of the company's natural accounts the journals that move them against one another and
    touch no other account of the company; one that fits several pairs belongs to the first."""
    known: set[int] = set()
    found = []
    query = BETWEEN.format(touched=accounts_of_lines(state, [company], "t", "k", "s"))
    chart = state.require(Company, company).chart
    for one, other in sides:
        values: dict[str, Any] = {
            "company": company,
            "chart": chart,
            "one": sorted(one),
            "either": sorted(one | other),
        }
        with connection.cursor() as cursor:
            cursor.execute(query, values)
            rows = [JournalBetween(*row) for row in cursor.fetchall()]
        fresh = tuple(row for row in rows if row.number not in known)
        known.update(row.number for row in fresh)
        found.append(fresh)
    return found


def posted_together(
    state: State, company: Company, codes: Sequence[str], year: int, first: int, period: int
) -> list[PostedTogether]:
    """The journals of some periods that touch only some natural accounts, those alike together."""
    values: dict[str, Any] = {
        "company": company.company,
        "chart": company.chart,
        "codes": list(codes),
        "year": year,
        "first": first,
        "period": period,
    }
    with connection.cursor() as cursor:
        accounts = accounts_of_lines(state, [company.company])
        cursor.execute(WITHOUT_CASH.format(accounts=accounts), values)
        rows = cursor.fetchall()
    return [
        PostedTogether(frozenset(debited), frozenset(credited), *told) for debited, credited, *told in rows
    ]
