"""Balances in foreign currencies read, and brought to the closing rate by journals, for many companies."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.db import connection, transaction

from core.books.periods import company_calendar
from core.closing.revaluation import (
    REVALUATION,
    ForeignBalance,
    Revaluation,
    accounts_revalued,
    revaluation,
)
from core.definitions.state import State
from core.definitions.tables import Company, Journal as JournalRow
from core.faults import Fault, Location, Refused
from web.definitions import snapshot
from web.definitions.deciding import decided, keep_definers_out
from web.journals import posting
from web.journals.actions import next_number, reverse, rules_for
from web.journals.book_locks import books_seen, hold_books
from web.journals.models import Journal
from web.journals.reading import accounts_of_lines

BALANCES = """
    SELECT b.company, a.account, a."natural", coalesce(d.codes, ''), coalesce(c.company, ''),
           CASE WHEN l.source_type = %(mark)s THEN l.source_number ELSE j.currency END,
           sum(CASE WHEN l.source_type = %(mark)s THEN 0 ELSE l.keyed END), sum(l.amount)
    FROM unnest(%(companies)s::text[], %(currencies)s::text[], %(charts)s::text[])
      AS own(company, currency, chart)
    JOIN journals_book b ON b.company = own.company
    JOIN journals_journalline l ON l.book_id = b.id AND l.fiscal_year = b.fiscal_year
    JOIN journals_journal j ON j.id = l.journal_id {accounts}
    JOIN unnest(%(marked_of)s::text[], %(marked)s::text[]) AS marked(company, "natural")
      ON marked.company = b.company AND marked."natural" = a."natural"
    LEFT JOIN journals_dimensionset d ON d.id = l.dimensions_id
    LEFT JOIN companies_company c ON c.id = l.partner_id
    WHERE (b.fiscal_year, l.period) <= (%(year)s, %(period)s)
      AND (l.source_type = %(mark)s OR j.currency <> own.currency)
    GROUP BY 1, 2, 3, 4, 5, 6
"""
POSTED = """
    SELECT DISTINCT j.company, j.id FROM journals_journal j JOIN journals_journalline l ON l.journal_id = j.id
    WHERE j.company = ANY(%s) AND l.source_type = %s AND j.kind = 'adjusting' AND j.reverses_id IS NULL
      AND NOT EXISTS (SELECT 1 FROM journals_journal r WHERE r.reverses_id = j.id)
"""


def foreign_balances(
    state: State, companies: Sequence[str], year: int, period: int
) -> dict[str, list[ForeignBalance]]:
    """By company, of the accounts that are revalued, up to the end of a period."""
    balances: dict[str, list[ForeignBalance]] = {name: [] for name in companies}
    marked = [(name, code) for name in balances for code in sorted(accounts_revalued(state, name))]
    values: dict[str, Any] = {
        "mark": REVALUATION,
        "companies": list(balances),
        "currencies": [state.require(Company, name).currency for name in balances],
        "charts": [state.require(Company, name).chart for name in balances],
        "marked_of": [name for name, _ in marked],
        "marked": [code for _, code in marked],
        "year": year,
        "period": period,
    }
    with connection.cursor() as cursor:
        accounts = accounts_of_lines(state, balances, chart="own.chart")
        cursor.execute(BALANCES.format(accounts=accounts), values)
        for company, *keys, keyed, booked in cursor.fetchall() if marked else ():
            if keyed or booked:
                balances[company].append(ForeignBalance._make((*keys, int(keyed), int(booked))))
    return balances


def revaluations(
    state: State, companies: Sequence[str], year: int, period: int, person: Any
) -> list[Revaluation]:
    balances, rules = foreign_balances(state, companies, year, period), rules_for(person, state)
    return [revaluation(state, name, year, period, own, rules) for name, own in balances.items()]


def posted_in(state: State, companies: Sequence[str], year: int, period: int) -> dict[str, list[Journal]]:
    """By company the revaluations of a period that nobody took back, the newest first."""
    with connection.cursor() as cursor:
        cursor.execute(POSTED, [list(companies), REVALUATION])
        numbers = [number for _, number in cursor.fetchall()]
    found: dict[str, list[Journal]] = {}
    for row in Journal.objects.filter(pk__in=numbers).order_by("-pk"):
        at = company_calendar(state, row.company_id).periods.get((year, period))
        if at is not None and at.starts_on <= row.date <= at.ends_on:
            found.setdefault(row.company_id, []).append(row)
    return found


@decided(keep_definers_out)
def revalue(companies: Sequence[str], year: int, period: int, person: Any) -> list[tuple[str, str]]:
    """Posts a journal for each company with something to bring to the rate, all or none: (company, journal).
    Raises Refused with every reason why one can't be."""
    own, judged = list(dict.fromkeys(companies)), snapshot.current()
    state, books = judged.state, books_seen(own)
    found = revaluations(state, own, year, period, person)
    if faults := [fault for one in found for fault in one.faults]:
        raise Refused(faults)
    if not any(one.lines and one.period for one in found):
        what = "Every balance is at the rate already."
        raise Refused([Fault("nothing-chosen", what, way_out="Choose companies with a difference.")])
    with transaction.atomic():
        hold_books(own, books)
        ready = []
        for one in found:
            if one.lines and one.period:
                number, words = next_number(state, one.company), f"Revaluation at {one.period.ends_on}"
                head = JournalRow(one.company, number, one.period.ends_on, "adjusting", words)
                ready.append((head, one.lines))
        posting.post(state, [head for head, _ in ready], posting.lines_of(state, ready), person, judged)
        return [(head.company, head.journal) for head, _ in ready]


def take_back(company: str, year: int, period: int, person: Any) -> list[str]:
    """Reverses the revaluations of a period on their own day; their numbers. Raises Refused where there is
    none, or the period is closed."""
    state = snapshot.current().state
    rows = posted_in(state, [company], year, period).get(company, [])
    if not rows:
        what = f"No revaluation of {company} can be taken back."
        raise Refused([Fault("nothing-chosen", what, Location("journals"))])
    with transaction.atomic():
        return [reverse(company, row.journal, row.date, "", person) for row in rows]
