"""Posting and reversing: checked in the core outside of every lock, then written in one transaction."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import date
from typing import Any

import psycopg
from django.db import IntegrityError, connection, transaction

from core.access.rights import Right
from core.books.journals import BookedLine, Checked, PostingContext, check_journal, period_fault
from core.books.series import ONCE, JournalOfSeries, Recurrence, numbered, series
from core.definitions.state import State
from core.definitions.tables import Company, Journal as JournalRow, JournalLine
from core.faults import Fault, Location, Refused, blocking
from core.structures.second_charts import moves_of
from web.definitions import snapshot
from web.definitions.deciding import decided, keep_definers_out
from web.journals import posting
from web.journals.chain import lock_numbers
from web.journals.models import Balance, Journal, Unfinished
from web.journals.reading import accounts_of_lines


def rules_for(person: Any, state: State) -> PostingContext:
    """What somebody may post into, of the companies of a state."""
    named = person.access(state).names(Right.POST_RESTRICTED, "company")
    return PostingContext(None if person.may_post_restricted else named, person.username)


def check_entry(
    state: State,
    head: JournalRow,
    lines: Sequence[JournalLine],
    person: Any,
    elsewhere: dict[tuple[str, int], bool] | None = None,
    right: Right = Right.ENTER,
) -> Checked:
    """The journal as keyed, with what the person may not do told on the line: `right` is needed over every
    company that has one.

    `elsewhere` remembers whose years are kept elsewhere, for checking many journals with one question a year.
    """
    if foreign := _not_theirs(state, head, lines, person, right):
        return Checked((), tuple(foreign))  # nothing else is told: it would name what that company has
    checked = check_journal(state, head, lines, rules_for(person, state))
    faults = list(checked.faults)
    years = {(line.company, line.fiscal_year) for line in checked.lines}
    asked = {} if elsewhere is None else elsewhere
    for company, year in sorted(years):
        if (company, year) not in asked:
            asked[(company, year)] = Balance.objects.filter(company_id=company, fiscal_year=year).exists()
        if asked[(company, year)]:
            faults.append(
                Fault(
                    "journals-and-balances",
                    f"{company} has balances kept elsewhere in {year}.",
                    Location("journals", (head.company, head.journal), "date", str(head.date)),
                    "Post to another year.",
                )
            )
    return Checked(checked.lines, tuple(faults))


def _not_theirs(
    state: State, head: JournalRow, lines: Sequence[JournalLine], person: Any, right: Right
) -> list[Fault]:
    """Lines of companies over which the person doesn't have the right."""
    own = person.access(state).names(right, "company")
    if own is None:
        return []
    if head.company not in own:
        what = f"You have no right to {right} journals of {head.company}."
        where = Location("journals", (head.company, head.journal))
        return [Fault("right", what, where, "Ask its accountant, or a group accountant.")]
    return [
        Fault(
            "not-yours",
            f"{line.line_company} is not a company of yours.",
            Location(
                "journal_lines", (line.company, line.journal, line.line), "line_company", line.line_company
            ),
            "Ask its accountant, or a group accountant.",
        )
        for line in lines
        if line.line_company and line.line_company not in own
    ]


def check_keyed(
    state: State, head: JournalRow, lines: Sequence[JournalLine], recurrence: Recurrence, person: Any
) -> tuple[Checked, list[JournalOfSeries]]:
    """The journal as keyed, and what else would be posted with it; faults of those too, once each."""
    checked = check_entry(state, head, lines, person)
    if recurrence.is_none or blocking(checked.faults):
        return checked, []
    rows, faults = series(state, head, lines, recurrence)
    elsewhere: dict[tuple[str, int], bool] = {}
    for row in rows[1:]:
        known = {fault.what for fault in faults}
        further = check_entry(state, row.head, row.lines, person, elsewhere).faults
        faults += [
            replace(fault, what=what, where=Location("journals", (head.company, head.journal), "date"))
            for fault in blocking(further)
            if (what := f"On {row.head.date}: {fault.what}") not in known
        ]
    return Checked(checked.lines, (*checked.faults, *faults)), rows[1:]


def post_keyed(
    head: JournalRow,
    lines: Sequence[JournalLine],
    person: Any,
    proposed: str,
    recurrence: Recurrence = ONCE,
) -> list[str]:
    """Posts a keyed journal, with what repeats it or takes it back, and returns their numbers, its own first.
    One that was only proposed and is taken by now makes way for the next."""
    if recurrence.is_none and head.journal and head.journal != proposed:
        post_all([(head, lines)], person)
        return [head.journal]
    return _post_numbered(head, lines, person, recurrence, head.journal != proposed)


@decided(keep_definers_out)
def _post_numbered(
    head: JournalRow, lines: Sequence[JournalLine], person: Any, recurrence: Recurrence, is_own: bool
) -> list[str]:
    judged = snapshot.current()
    state, company = judged.state, head.company
    proposed = head.journal or next_number(state, company)
    rows, faults = series(state, head._replace(journal=proposed), lines, recurrence)
    if faults:
        raise Refused(faults)
    # Checked under numbers that may be taken by now: nothing that is checked hangs on them.
    ready = check_all(state, [(row.head, row.lines) for row in rows], person)
    with transaction.atomic():
        lock_numbers([company])
        number, taken = head.journal, Journal.objects.filter(company_id=company, journal=head.journal)
        if not number or (not is_own and taken.exists()):
            number = next_number(state, company)
        numbers = [number, *further_numbers(state, company, number, len(rows) - 1)]
        heads = [row.head for row in numbered(rows, numbers)]
        _write(judged, [(row, checked) for row, (_, checked) in zip(heads, ready, strict=True)], person)
    return numbers


def further_numbers(state: State, company: str, after: str, count: int) -> list[str]:
    """The next free numbers of the company's series, `after` taken."""
    numbers: list[str] = []
    beginning, digits = "", ""
    if count:
        first = next_number(state, company)
        digits = first[len(first.rstrip("0123456789")) :]
        beginning = first[: len(first) - len(digits)]
    at = int(digits or 0)
    while len(numbers) < count:
        text = f"{beginning}{at:0{len(digits)}d}"
        if text != after and not Journal.objects.filter(company_id=company, journal=text).exists():
            numbers.append(text)
        at += 1
    return numbers


def check_all(
    state: State, entries: Sequence[tuple[JournalRow, Sequence[JournalLine]]], person: Any
) -> list[tuple[JournalRow, tuple[BookedLine, ...]]]:
    """Journals with their lines as they would be posted. Raises Refused with every fault of all."""
    elsewhere: dict[tuple[str, int], bool] = {}
    faults: list[Fault] = []
    ready = []
    for entry, lines in entries:
        checked = check_entry(state, entry, lines, person, elsewhere, Right.POST)
        faults += blocking(checked.faults)
        ready.append((entry, checked.lines))
    if faults:
        raise Refused(faults)
    return ready


@decided(keep_definers_out)
def post_all(entries: Sequence[tuple[JournalRow, Sequence[JournalLine]]], person: Any) -> list[int]:
    """Posts journals, all or none. Raises Refused with every fault."""
    judged = snapshot.current()
    ready = check_all(judged.state, entries, person)
    with transaction.atomic():
        return _write(judged, ready, person)


def _write(
    judged: snapshot.Snapshot, ready: Sequence[tuple[JournalRow, Sequence[BookedLine]]], person: Any
) -> list[int]:
    """Writes checked journals in the caller's transaction. Raises Refused where a number is taken."""
    heads = [head for head, _ in ready]
    try:
        with transaction.atomic():
            ids = posting.post(judged.state, heads, posting.lines_of(judged.state, ready), person, judged)
            companies = {head.company for head in heads}
            Unfinished.objects.filter(by=person, company_id__in=companies).delete()
            return ids
    except (IntegrityError, psycopg.errors.IntegrityError) as error:  # COPY raises the driver's own
        if "journals_journal_key" in str(error):
            raise Refused(
                [
                    Fault(
                        "journal-taken",
                        "A journal of this number was posted meanwhile.",
                        Location("journals", (), "journal"),
                        "Give it the next number.",
                    )
                ]
            ) from None
        raise


@decided(keep_definers_out)
def reverse(company: str, name: str, on: date, number: str, person: Any) -> str:
    """Posts the opposite of a journal, line by line, on a date; returns its number. A journal is reversed
    once.

    Codes closed since may still be booked back: the lines are the ones that were posted. `number` empty: the
    next one.
    """
    judged = snapshot.current()
    state = judged.state
    journal_row = Journal.objects.filter(company_id=company, journal=name).first()
    if journal_row is None:
        raise Refused([Fault("journal-unknown", f"There is no journal {name}.")])
    if any(row.journal == name for row in moves_of(state, company)):
        what = f"{name} carried over what stood when {company} moved to another chart."
        way_out = "Correct single accounts by a journal of their own."
        raise Refused([Fault("carried-over", what, way_out=way_out)])
    lines, faults = _opposite(state, journal_row, on, person)
    if faults:
        raise Refused(faults)
    with transaction.atomic():
        lock_numbers([company])
        if Journal.objects.filter(reverses=journal_row).exists():
            raise Refused([Fault("reversed", f"{name} was reversed already.")])
        number = number or next_number(state, company)
        if Journal.objects.filter(company_id=company, journal=number).exists():
            what, way_out = f"There is a journal {number} already.", "Give it the next number."
            raise Refused([Fault("journal-taken", what, way_out=way_out)])
        row = JournalRow(
            company,
            number,
            on,
            journal_row.kind,
            f"Reversal of {name}",
            journal_row.currency,
            journal_row.rate,
            reverses=name,
        )
        posting.post(state, [row], posting.lines_of(state, [(row, lines)]), person, judged)
        return number


STORED = """
    SELECT l.line, b.company, a.account, a."natural", coalesce(d.codes, ''), l.amount, l.keyed,
    coalesce(c.company, ''), l.generated,
           l.description, l.source_type, l.source_number, l.source_party, l.source_item
    FROM journals_journalline l JOIN journals_book b ON b.id = l.book_id
    JOIN companies_company own ON own.company = b.company
    {accounts}
    LEFT JOIN journals_dimensionset d ON d.id = l.dimensions_id LEFT JOIN companies_company c ON c.id =
    l.partner_id
    WHERE l.journal_id = %(journal)s ORDER BY l.line
"""


def _opposite(state: State, journal: Journal, on: date, person: Any) -> tuple[list[BookedLine], list[Fault]]:
    """Its lines turned round, those of a company that moved meanwhile on the accounts they are read as."""
    everyone = [row.company for row in state.rows(Company)]
    with connection.cursor() as cursor:
        accounts = accounts_of_lines(state, everyone, chart="own.chart")
        cursor.execute(STORED.format(accounts=accounts), {"journal": journal.pk})
        rows = cursor.fetchall()
    lines: list[BookedLine] = []
    faults: dict[str, Fault] = {}
    theirs = person.access(state).names(Right.POST, "company")
    for row in rows:
        if theirs is not None and row[1] not in theirs:
            what = f"It has lines of {row[1]}, which is not a company of yours."
            where = Location("journals", (), "journal")
            faults[row[1]] = Fault("not-yours", what, where, "Ask its accountant.")
            continue
        period, what, way_out = period_fault(state, row[1], on, journal.kind, rules_for(person, state))
        if what or period is None:
            faults[row[1]] = Fault(
                "period-not-open", what, Location("journals", (), "date", str(on)), way_out
            )
            continue
        lines.append(
            BookedLine(
                row[0],
                row[1],
                row[2],
                row[3],
                row[4],
                -row[5],
                -row[6],
                row[7],
                row[8],
                period.fiscal_year,
                period.period,
                tuple(row[9:14]),
            )
        )
    return lines, list(faults.values())


SERIES = """
    WITH newest AS (
        SELECT journal, id FROM journals_journal WHERE company = %s AND journal ~ '[0-9]+$'
        ORDER BY id DESC LIMIT 500
    ), split AS (SELECT regexp_replace(journal, '[0-9]+$', '') AS head, substring(journal
    FROM '[0-9]+$') AS digits, id FROM newest)
    SELECT head, count(*), (array_agg(digits ORDER BY length(digits) DESC, digits DESC))[1] FROM split
    GROUP BY head ORDER BY count(*) DESC, max(id) DESC LIMIT 1
"""
FEW = 2


def next_number(state: State, company: str) -> str:
    """The next free number of the company's own series: the one that most of its newest journals are numbered
    in.

    A journal or two brought in under other numbers don't make a series; then the company's own begins.
    """
    own = f"{company[:2].upper()}-" if state.get(Company, company) else "J-"
    with connection.cursor() as cursor:
        cursor.execute(SERIES, [company])
        row = cursor.fetchone()
    beginning, digits = (row[0], row[2]) if row and (row[1] > FEW or row[0] == own) else (own, "00000")
    number = int(digits)
    while True:
        number += 1
        text = f"{beginning}{number:0{len(digits)}d}"
        if not Journal.objects.filter(company_id=company, journal=text).exists():
            return text
