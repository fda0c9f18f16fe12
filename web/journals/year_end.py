"""Year ends from the books: what is left to carry, carrying it for many companies, taking it back."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np
from django.db import connection, transaction

from core.books.balances import Books
from core.books.journals import BookedLine
from core.books.periods import company_calendar
from core.closing.year_end import ResultBalance, YearEnd, closing_period, next_period, year_end
from core.codes.lists import list_index
from core.definitions.state import State
from core.definitions.tables import Chart, Company, Journal as JournalRow
from core.faults import Fault, Location, Refused
from core.statements.plans import RESULT_CLASSES, natural_list
from web.definitions import snapshot
from web.definitions.deciding import decided, keep_definers_out
from web.journals import posting
from web.journals.actions import next_number, reverse, rules_for
from web.journals.book_locks import books_seen, hold_books
from web.journals.books import books_for
from web.journals.models import Journal

ACCOUNTS = "SELECT id, account FROM journals_account WHERE id = ANY(%s)"
COMBINATIONS = "SELECT id, codes FROM journals_dimensionset WHERE id = ANY(%s)"
PARTNERS = "SELECT id, company FROM companies_company WHERE id = ANY(%s)"
KEPT_ELSEWHERE = "SELECT DISTINCT company FROM journals_balance WHERE company = ANY(%s) AND fiscal_year = %s"

Key = tuple[str, int, int, int]
"""(natural account, numbers of account string, dimension combination, partner)"""


def result_balances(state: State, companies: Sequence[str], year: int) -> dict[str, list[ResultBalance]]:
    """By company what revenue and expense accounts come to in a year."""
    sums = {
        book.company: _sums(state, book)
        for books in books_for(state, companies).values()
        for book in books
        if book.fiscal_year == year
    }
    keys = [key for some in sums.values() for key in some]
    accounts = _texts(ACCOUNTS, {key[1] for key in keys})
    combinations = _texts(COMBINATIONS, {key[2] for key in keys})
    partners = _texts(PARTNERS, {key[3] for key in keys})
    return {
        company: [
            ResultBalance(
                accounts[account], natural, combinations.get(tags, ""), partners.get(other, ""), amount
            )
            for (natural, account, tags, other), amount in some.items()
        ]
        for company, some in sums.items()
    }


def _sums(state: State, book: Books) -> dict[Key, int]:
    """Those of one book that aren't nothing."""
    row = state.require(Company, book.company)
    codes = list_index(state, natural_list(state, row.chart)).codes
    classes = [code.account_class if (code := codes.get(name)) else "" for name in book.naturals]
    is_result = np.array([one in RESULT_CLASSES for one in classes] or [False], dtype=bool)
    sums: dict[Key, int] = {}
    for natural, partner, account, dimensions, _, _, debit, credit in book.rows[
        is_result[book.rows["natural"]]
    ].tolist():
        key = (book.naturals[natural], account, dimensions, partner)
        sums[key] = sums.get(key, 0) + debit - credit
    return {key: amount for key, amount in sums.items() if amount}


def _texts(sql: str, numbers: set[int]) -> dict[int, str]:
    with connection.cursor() as cursor:
        cursor.execute(sql, [sorted(numbers)])
        return dict(cursor.fetchall())


def year_ends(state: State, companies: Sequence[str], year: int, person: Any) -> list[YearEnd]:
    """What is left to carry of each company's year, and why it can't be."""
    balances, rules = result_balances(state, companies, year), rules_for(person, state)
    with connection.cursor() as cursor:
        cursor.execute(KEPT_ELSEWHERE, [list(companies), year])
        elsewhere = {company for (company,) in cursor.fetchall()}
    return [
        _but_elsewhere(end) if end.lines and end.company in elsewhere else end
        for end in (year_end(state, name, year, balances.get(name, ()), rules) for name in companies)
    ]


def _but_elsewhere(end: YearEnd) -> YearEnd:
    what = f"{end.company} has balances kept elsewhere in {end.year}."
    place, way_out = Location("companies", (end.company,)), "Close it where its journals are."
    return replace(end, faults=(*end.faults, Fault("journals-and-balances", what, place, way_out)))


def closing_journals(state: State, companies: Sequence[str], year: int) -> dict[str, list[Journal]]:
    """By company the closing journals of a year's end that nobody took back, the newest first."""
    periods = {name: closing_period(company_calendar(state, name), year) for name in companies}
    known = [period for period in periods.values() if period is not None]
    if not known:
        return {}
    rows = Journal.objects.filter(
        company_id__in=companies,
        kind="closing",
        date__range=(min(p.starts_on for p in known), max(p.ends_on for p in known)),
        reverses=None,
        reversed_by=None,
    )
    journals: dict[str, list[Journal]] = {}
    for row in rows.order_by("-pk"):
        period = periods[row.company_id]
        if period is not None and period.starts_on <= row.date <= period.ends_on:
            journals.setdefault(row.company_id, []).append(row)
    return journals


@decided(keep_definers_out)
def carry(companies: Sequence[str], year: int, person: Any) -> list[tuple[str, str]]:
    """Posts a closing journal for each company that has something to carry, all or none: (company, journal).
    Raises Refused with every reason why one can't be."""
    own, judged = list(dict.fromkeys(companies)), snapshot.current()
    state, books = judged.state, books_seen(own)
    ends = year_ends(state, own, year, person)
    if faults := [fault for end in ends for fault in end.faults]:
        raise Refused(faults)
    if not any(end.lines and end.period for end in ends):
        what = f"Nothing is left to carry of {year}."
        raise Refused([Fault("nothing-chosen", what, way_out="Choose companies with something left.")])
    with transaction.atomic():
        hold_books(own, books)
        ready: list[tuple[JournalRow, tuple[BookedLine, ...]]] = []
        for end in ends:
            if end.lines and end.period:
                chart = state.require(Chart, state.require(Company, end.company).chart)
                words = f"Result of {year} to {chart.result_account}"
                number = next_number(state, end.company)
                ready.append(
                    (JournalRow(end.company, number, end.period.ends_on, "closing", words), end.lines)
                )
        posting.post(state, [row for row, _ in ready], posting.lines_of(state, ready), person, judged)
        return [(row.company, row.journal) for row, _ in ready]


def take_back(company: str, year: int, person: Any) -> list[str]:
    """Reverses the closing journals of a year's end on their own day; their numbers. Raises Refused once the
    next period is closed."""
    state = snapshot.current().state
    following = next_period(company_calendar(state, company), year)
    if following is not None and following.status == "closed":
        what = f"{following.name} is closed for company {company}: the end of {year} stays as it is."
        raise Refused(
            [Fault("period-not-open", what, Location("periods"), "Reopen it first, with its reason.")]
        )
    rows = closing_journals(state, [company], year).get(company, [])
    if not rows:
        what = f"No closing journal of {year} of {company} can be taken back."
        raise Refused([Fault("nothing-chosen", what)])
    with transaction.atomic():
        return [reverse(company, row.journal, row.date, "", person) for row in rows]
