"""Year ends from the books: what is left to carry, carrying it for many companies, taking it back."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace
from typing import Any

from django.db import connection, transaction

from core.books.journals import BookedLine
from core.books.periods import company_calendar
from core.books.year_end import ResultBalance, YearEnd, closing_period, next_period, year_end
from core.codes.lists import list_index
from core.definitions.state import State
from core.definitions.tables import Chart, Company, Journal as JournalRow
from core.faults import Fault, Location, Refused
from core.statements.figures import RESULT_CLASSES, natural_list
from web.definitions import actions, snapshot
from web.journals import posting
from web.journals.actions import next_number, reverse, rules_for
from web.journals.amount_rows import KEPT_AS_BALANCES
from web.journals.books import books_for
from web.journals.chain import lock_numbers
from web.journals.models import Journal
from web.shell.retrying import retried

TEXTS = """
    SELECT a.id, a.account FROM journals_account a WHERE a.id = ANY(%s)
"""
COMBINATIONS = "SELECT id, codes FROM journals_dimensionset WHERE id = ANY(%s)"
PARTNERS = "SELECT id, company FROM companies_company WHERE id = ANY(%s)"


def result_balances(state: State, company: str, year: int) -> Iterator[ResultBalance]:
    """What revenue and expense accounts come to in a year, by account string, dimensions and partner."""
    row = state.require(Company, company)
    codes = list_index(state, natural_list(state, row.chart)).codes
    for book in books_for([company])[company]:
        if book.fiscal_year != year:
            continue
        is_result = [
            (code := codes.get(n)) is not None and code.account_class in RESULT_CLASSES for n in book.naturals
        ]
        rows = book.rows[[is_result[n] for n in book.rows["natural"].tolist()]]
        sums: dict[tuple[int, int, int, int], int] = {}
        for natural, partner, account, dimensions, _, _, debit, credit in rows.tolist():
            key = (account, natural, dimensions, partner)
            sums[key] = sums.get(key, 0) + debit - credit
        texts = [
            _texts(sql, {key[at] for key in sums})
            for sql, at in ((TEXTS, 0), (COMBINATIONS, 2), (PARTNERS, 3))
        ]
        for (account, natural, dimensions, partner), amount in sums.items():
            if amount:
                yield ResultBalance(
                    texts[0][account],
                    book.naturals[natural],
                    texts[1].get(dimensions, ""),
                    texts[2].get(partner, ""),
                    amount,
                )


def _texts(sql: str, numbers: set[int]) -> dict[int, str]:
    with connection.cursor() as cursor:
        cursor.execute(sql, [sorted(numbers)])
        return dict(cursor.fetchall())


def year_end_of(state: State, company: str, year: int, person: Any) -> YearEnd:
    """What is left to carry of a company's year, and why it can't be."""
    found = year_end(state, company, year, result_balances(state, company, year), rules_for(person))
    if found.lines and year in _kept_elsewhere(company):
        what = f"{company} has balances kept elsewhere in {year}."
        fault = Fault(
            "journals-and-balances",
            what,
            Location("companies", (company,)),
            "Close it where its journals are.",
        )
        return replace(found, faults=(*found.faults, fault))
    return found


def _kept_elsewhere(company: str) -> set[int]:
    with connection.cursor() as cursor:
        cursor.execute(KEPT_AS_BALANCES, [company])
        return {year for (year,) in cursor.fetchall()}


def closing_journals(state: State, company: str, year: int) -> list[Journal]:
    """Closing journals of a year's end that nobody took back, the newest first."""
    period = closing_period(company_calendar(state, company), year)
    if period is None:
        return []
    rows = Journal.objects.filter(
        company_id=company,
        kind="closing",
        date__range=(period.starts_on, period.ends_on),
        reverses=None,
        reversed_by=None,
    )
    return list(rows.order_by("-pk"))


@retried
def carry(companies: Sequence[str], year: int, person: Any) -> list[tuple[str, str]]:
    """Posts a closing journal for each company that has something to carry, all or none: (company, journal).
    Raises Refused with every reason why one can't be."""
    with transaction.atomic():
        actions.share_definitions()
        lock_numbers(companies)
        state = snapshot.current().state
        ends = [year_end_of(state, company, year, person) for company in dict.fromkeys(companies)]
        faults = [fault for end in ends for fault in end.faults]
        if faults:
            raise Refused(faults)
        ready: list[tuple[JournalRow, tuple[BookedLine, ...]]] = []
        for end in ends:
            if end.lines and end.period:
                chart = state.require(Chart, state.require(Company, end.company).chart)
                words = f"Result of {year} to {chart.result_account}"
                number = next_number(state, end.company)
                ready.append(
                    (JournalRow(end.company, number, end.period.ends_on, "closing", words), end.lines)
                )
        if not ready:
            what = f"Nothing is left to carry of {year}."
            raise Refused([Fault("nothing-chosen", what, way_out="Choose companies with something left.")])
        posting.post(state, [row for row, _ in ready], posting.lines_of(state, ready), person)
        _check_carried(state, ready, year)
        return [(row.company, row.journal) for row, _ in ready]


def _check_carried(state: State, ready: Sequence[tuple[JournalRow, Any]], year: int) -> None:
    """Journals of other companies may have brought lines in meanwhile: then it is begun anew."""
    for row, _ in ready:
        if any(result_balances(state, row.company, year)):
            what = f"The books of {row.company} moved while their year was closed."
            raise Refused([Fault("changed-since", what, way_out="Try it again.")])


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
    rows = closing_journals(state, company, year)
    if not rows:
        what = f"No closing journal of {year} of {company} can be taken back."
        raise Refused([Fault("nothing-chosen", what)])
    with transaction.atomic():
        return [reverse(company, row.journal, row.date, "", person) for row in rows]
