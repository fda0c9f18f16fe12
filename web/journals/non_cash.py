"""Journals between the two sides of a non-cash pair, and nothing else of the company's."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from datetime import date
from typing import Any, NamedTuple

from django.db import connection

from core.books.periods import ordinal
from core.cash_flow.likely_pairs import PostedTogether
from core.definitions.state import State
from core.definitions.tables import Company
from web.journals.reading import BookUpTo, OwnedAccounts, accounts_of_lines, lines_of_owned

BETWEEN = """
    WITH owned AS MATERIALIZED ({owned}),
    touched AS MATERIALIZED (
        SELECT l.company, l.part, l.journal_id, max(l.fiscal_year) AS fiscal_year, max(l.period) AS period,
               count(*) AS lines
        FROM {lines} WHERE NOT l.closing
        GROUP BY 1, 2, 3 HAVING bool_or(l.side = 1) AND bool_or(l.side = 2))
    SELECT t.company, t.part, t.journal_id, t.fiscal_year, t.period, j.date
    FROM touched t JOIN journals_journal j ON j.id = t.journal_id
    WHERE (j.date >= %(since)s) IS NOT false AND (j.date <= %(until)s) IS NOT false AND t.lines = (
        SELECT count(*) FROM journals_journalline n JOIN journals_book m ON m.id = n.book_id
        WHERE n.journal_id = t.journal_id AND m.company = t.company)
    ORDER BY t.company, t.part, t.journal_id
"""
"""What touches both sides is looked for by their accounts, and only of that all lines are counted. Only the
company's own lines are looked at: those that a journal has in other companies are theirs. What closes a year
is never left out."""


WITHOUT_CASH = """
    SELECT debited, credited, count(*), sum(amount)::bigint FROM (
        SELECT l.journal_id, array_agg(DISTINCT a."natural") FILTER (WHERE l.amount > 0) AS debited,
               array_agg(DISTINCT a."natural") FILTER (WHERE l.amount < 0) AS credited,
               sum(greatest(l.amount, 0)) AS amount
        FROM journals_book b JOIN journals_journalline l ON l.book_id = b.id AND l.fiscal_year = b.fiscal_year
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


Sides = tuple[tuple[frozenset[str], frozenset[str]], ...]
"""For each pair the natural accounts on its two sides."""


def journals_between(
    state: State,
    sides: Mapping[str, Sides],
    books: Iterable[BookUpTo] | None = None,
    days: tuple[date, date] | None = None,
) -> dict[str, list[tuple[JournalBetween, ...]]]:
    """By company, for each of its pairs, the journals that move the accounts of one side against those of the
    other and touch no other account of the company; one that fits several pairs belongs to the first.

    One question for all companies. `books` and `days` narrow it to what was read, and to journals dated from
    one day to another.
    """
    between: dict[str, list[list[JournalBetween]]] = {
        company: [[] for _ in pairs] for company, pairs in sides.items()
    }
    known: set[tuple[str, int]] = set()
    for company, pair, *row in _rows_between(state, sides, books, days):
        journal = JournalBetween(*row)
        if (company, journal.number) not in known:
            known.add((company, journal.number))
            between[company][pair].append(journal)
    return {company: [tuple(found) for found in pairs] for company, pairs in between.items()}


def _rows_between(
    state: State,
    sides: Mapping[str, Sides],
    books: Iterable[BookUpTo] | None,
    days: tuple[date, date] | None,
) -> list[tuple[Any, ...]]:
    owned = {
        company: OwnedAccounts(
            state.require(Company, company).chart,
            frozenset(
                (pair, side, natural)
                for pair, (one, other) in enumerate(pairs)
                for side, naturals in ((1, one), (2, other - one))
                for natural in naturals
            ),
        )
        for company, pairs in sides.items()
        if any(one and other for one, other in pairs)
    }
    asked = lines_of_owned(state, owned, books)
    if asked is None:
        return []
    since, until = days or (None, None)
    with connection.cursor() as cursor:
        query = BETWEEN.format(owned=asked.owned, lines=asked.lines)
        cursor.execute(query, {**asked.values, "since": since, "until": until})
        rows: list[tuple[Any, ...]] = cursor.fetchall()
        return rows


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
