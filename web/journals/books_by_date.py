"""Books of a company cut by another calendar's periods: journals by their date and kind, balances by their
period's last day."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from django.db import connection

from core.books.balances import ROW, Books, books_from_rows, summed
from core.books.periods import CalendarIndex, ordinal, ordinal_of_day, ordinals_in
from core.definitions.state import State
from core.definitions.tables import Company
from web.journals.reading import accounts_of_lines

LINES = """
    SELECT a."natural", coalesce(l.partner_id, 0), a.id, coalesce(l.dimensions_id, 0), j.date, j.kind,
           l.closing::int, sum(greatest(l.amount, 0))::bigint, sum(greatest(-l.amount, 0))::bigint
    FROM journals_journalline l
    JOIN journals_journal j ON j.id = l.journal_id
    JOIN journals_book b ON b.id = l.book_id
    {accounts}
    WHERE b.company = %(company)s AND b.fiscal_year = %(year)s AND l.sequence <= %(sequence)s{within}
    GROUP BY 1, 2, 3, 4, 5, 6, 7
"""


WITHIN = " AND l.period = ANY(%(within)s)"


def cut_by_date(
    state: State,
    books: Books,
    own: CalendarIndex,
    group: CalendarIndex,
    within: frozenset[int] | None = None,
) -> Books:
    """The same amounts with the group's ordinals; what lies after its last period is left out. `within`: of
    some periods of the company's own calendar only."""
    asked: dict[str, Any] = {
        "within": sorted(within or ()),
        "company": books.company,
        "year": books.fiscal_year,
        "sequence": books.sequence,
        "chart": state.require(Company, books.company).chart,
    }
    with connection.cursor() as cursor:
        accounts, only = accounts_of_lines(state, [books.company]), "" if within is None else WITHIN
        cursor.execute(LINES.format(accounts=accounts, within=only), asked)
        lines = cursor.fetchall()
    if not lines:
        return _by_period(books if within is None else in_periods(books, within), own, group)
    naturals = sorted({row[0] for row in lines})
    number = {name: i for i, name in enumerate(naturals)}
    rows: list[tuple[Any, ...]] = []
    for natural, partner, account, dimensions, on, kind, closing, debit, credit in lines:
        at = ordinal_of_day(group, on, kind)
        if at is not None:
            rows.append((number[natural], partner, account, dimensions, at, closing, debit, credit))
    values = np.array(rows, dtype=ROW)
    return books_from_rows(books.company, books.fiscal_year, books.sequence, tuple(naturals), values)


def in_periods(books: Books, periods: frozenset[int]) -> Books:
    """What stands in some periods of its year."""
    there = np.isin(books.rows["ordinal"], [ordinal(books.fiscal_year, period) for period in periods])
    return replace(books, rows=books.rows[there])


def _by_period(books: Books, own: CalendarIndex, group: CalendarIndex) -> Books:
    places = ordinals_in(own, group)
    rows = books.rows[np.isin(books.rows["ordinal"], list(places))].copy()
    rows["ordinal"] = [places[at] for at in rows["ordinal"].tolist()]
    return replace(books, rows=summed(rows))
