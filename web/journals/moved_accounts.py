"""How account strings of a company are read after it moved to another chart: kept beside its lines, which
stay as they were posted."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from datetime import date
from typing import Any, NamedTuple

from django.db import connection
from django.db.models import Count
from django.utils import timezone

from core.books.balances import Books
from core.chart_moves.carrying import PostedBefore, StandingAmount
from core.definitions.state import State
from core.definitions.tables import ChartMove, Company, MovedAccount
from web.journals.books import books_as_posted, books_for
from web.journals.interning import intern_accounts
from web.journals.models import BudgetLine, HandedIn, Unfinished
from web.journals.reading import NOT_CARRIED

POSTED_TO = """
    SELECT a.account FROM journals_account a WHERE a.chart = %(chart)s AND a.id = ANY(%(numbers)s)
    UNION SELECT n.account FROM journals_movedaccount m JOIN journals_account n ON n.id = m.now_id
    WHERE m.company = %(company)s AND m.chart = %(chart)s
"""
TEXTS = "SELECT id, account FROM journals_account WHERE id = ANY(%s)"
COMBINATIONS = "SELECT id, codes FROM journals_dimensionset WHERE id = ANY(%s)"
PARTNERS = "SELECT id, company FROM companies_company WHERE id = ANY(%s)"
LAST = """
    SELECT max(j.date) FROM journals_journal j WHERE j.company = %(company)s OR (j.date >= %(on)s AND EXISTS
    (SELECT 1 FROM journals_journalline l JOIN journals_book b ON b.id = l.book_id
     WHERE l.journal_id = j.id AND b.company = %(company)s))
"""
AHEAD = """
    SELECT max(j.posted_at) FROM journals_journal j WHERE j.posted_at >= %(now)s
    AND (j.company = %(company)s OR EXISTS
         (SELECT 1 FROM journals_journalline l JOIN journals_book b ON b.id = l.book_id
          WHERE l.journal_id = j.id AND b.company = %(company)s))
"""
ADD = """
    INSERT INTO journals_movedaccount (company, account_id, chart, now_id)
    SELECT %(company)s, was, %(chart)s, now
    FROM unnest(%(was)s::bigint[], %(now)s::bigint[]) AS pair(was, now)
"""
ADD_EARLIER = """
    INSERT INTO journals_movedaccount (company, account_id, chart, now_id)
    SELECT m.company, m.account_id, %(chart)s, n.now_id FROM journals_movedaccount m
    JOIN journals_movedaccount n ON n.company = m.company AND n.chart = %(chart)s AND n.account_id = m.now_id
    WHERE m.company = %(company)s AND m.chart = %(chart_before)s
"""
STORED = """
    SELECT m.company, a.chart, a.account, m.chart, n.account FROM journals_movedaccount m
    JOIN journals_account a ON a.id = m.account_id JOIN journals_account n ON n.id = m.now_id
"""
APART = f"""
    SELECT coalesce(c."natural", s."natural"), coalesce(c.amount, 0), coalesce(s.amount, 0) FROM (
        SELECT a."natural", sum(l.amount) AS amount FROM journals_journal j
        JOIN journals_journalline l ON l.journal_id = j.id JOIN journals_account a ON a.id = l.account_id
        WHERE j.company = %(company)s AND j.journal = %(journal)s GROUP BY 1
    ) c FULL JOIN (
        SELECT n."natural", sum(l.amount) AS amount FROM journals_book b
        JOIN journals_journalline l ON l.book_id = b.id AND l.fiscal_year = b.fiscal_year
         AND {NOT_CARRIED.format(book="b", line="l")}
        JOIN journals_movedaccount m ON m.company = b.company AND m.account_id = l.account_id
         AND m.chart = %(chart)s JOIN journals_account n ON n.id = m.now_id
        WHERE b.company = %(company)s GROUP BY 1
    ) s ON s."natural" = c."natural" WHERE coalesce(c.amount, 0) <> coalesce(s.amount, 0) ORDER BY 1
"""


def posted_before(state: State, company: Company, on: date) -> PostedBefore:
    """A company's books in the chart that it is on; `on` is the day from which it would be on another one."""
    posted = books_as_posted([company.company])[company.company]
    numbers = sorted({int(number) for book in posted for number in set(book.rows["account"].tolist())})
    values: dict[str, Any] = {
        "company": company.company,
        "chart": company.chart,
        "numbers": numbers,
        "on": on,
    }
    with connection.cursor() as cursor:
        cursor.execute(POSTED_TO, values)
        accounts = frozenset(account for (account,) in cursor.fetchall())
        cursor.execute(LAST, values)
        (last,) = cursor.fetchone()
        cursor.execute(AHEAD, {**values, "now": timezone.now()})
        (ahead,) = cursor.fetchone()
    standing = list(_standing(state, company))
    return PostedBefore(accounts, standing, last, ahead.isoformat() if ahead else "")


def _standing(state: State, company: Company) -> Iterator[StandingAmount]:
    sums: dict[tuple[int, int, int], int] = {}
    for book in books_for(state, [company.company])[company.company]:
        for _, partner, account, dimensions, _, _, debit, credit in book.rows.tolist():
            key = account, dimensions, partner
            sums[key] = sums.get(key, 0) + debit - credit
    accounts, combinations, partners = (
        _texts(sql, {key[at] for key in sums}) for at, sql in enumerate((TEXTS, COMBINATIONS, PARTNERS))
    )
    for (account, dimensions, partner), amount in sums.items():
        if amount:
            yield StandingAmount(
                accounts[account], combinations.get(dimensions, ""), partners.get(partner, ""), amount
            )


def _texts(sql: str, numbers: set[int]) -> dict[int, str]:
    with connection.cursor() as cursor:
        cursor.execute(sql, [sorted(numbers)])
        return dict(cursor.fetchall())


def keep(company: str, chart_before: str, chart: str, strings: Mapping[str, tuple[str, str]]) -> None:
    """Keeps how strings of the chart before (text → target string and its natural account) are read in
    another, and by them those of charts before that, inside the caller's transaction."""
    was = intern_accounts([(chart_before, account, "") for account in sorted(strings)])
    now = intern_accounts(sorted({(chart, *target) for target in strings.values()}))
    values: dict[str, Any] = {
        "company": company,
        "chart": chart,
        "chart_before": chart_before,
        "was": [was[(chart_before, account)].number for account in strings],
        "now": [now[(chart, target)].number for target, _ in strings.values()],
    }
    with connection.cursor() as cursor:
        cursor.execute(ADD, values)
        cursor.execute(ADD_EARLIER, values)


def stored(companies: Iterable[str]) -> dict[tuple[str, str, str, str], str]:
    """By (company, chart before, account, chart) the string that it is read as."""
    with connection.cursor() as cursor:
        cursor.execute(f"{STORED} WHERE m.company = ANY(%s)", [sorted(companies)])
        return {tuple(row[:4]): row[4] for row in cursor.fetchall()}


def restore(rows: Iterable[tuple[MovedAccount, str, str]]) -> None:
    """Keeps rows of a package, each with the natural accounts of both strings, inside the caller's
    transaction."""
    given = list(rows)
    wanted = {(row.chart_before, row.account, own) for row, own, _ in given}
    numbers = intern_accounts(sorted(wanted | {(row.chart, row.target, there) for row, _, there in given}))
    with connection.cursor() as cursor:
        for company, chart in sorted({(row.company, row.chart) for row, _, _ in given}):
            own_rows = [row for row, _, _ in given if (row.company, row.chart) == (company, chart)]
            cursor.execute(
                ADD,
                {
                    "company": company,
                    "chart": chart,
                    "was": [numbers[(row.chart_before, row.account)].number for row in own_rows],
                    "now": [numbers[(row.chart, row.target)].number for row in own_rows],
                },
            )


def accounts_named(books: Iterable[Books]) -> dict[int, str]:
    """The account strings of books by number."""
    return _texts(TEXTS, {number for book in books for number in set(book.rows["account"].tolist())})


def unfinished(company: str) -> int:
    """How many journals of a company are being keyed, or handed in and not posted."""
    entries = (Unfinished.objects.filter(company_id=company), HandedIn.objects.filter(company_id=company))
    return sum(rows.count() for rows in entries)


def budgeted(company: str) -> dict[str, int]:
    """How many lines of a company each budget has."""
    rows = BudgetLine.objects.filter(company_id=company).values_list("budget_id").annotate(Count("id"))
    return dict(rows.order_by("budget_id"))


class CarriedApart(NamedTuple):
    """An account on which a move carried over another amount than what stood: raw minor units."""

    account: str
    carried: int
    stood: int


def carried_apart(move: ChartMove) -> list[CarriedApart]:
    """Where what a move carried over is not what was posted before it."""
    values = {"company": move.company, "chart": move.chart, "journal": move.journal}
    with connection.cursor() as cursor:
        cursor.execute(APART, values)
        return [CarriedApart(account, int(one), int(other)) for account, one, other in cursor.fetchall()]
