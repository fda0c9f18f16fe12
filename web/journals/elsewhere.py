"""Balances whose journals are kept elsewhere: read and written as a package brings them."""

from __future__ import annotations

from collections.abc import Mapping

from django.db import connection

from web.definitions.deciding import Moved
from web.journals import books
from web.journals.book_locks import keep_within, lock_books
from web.journals.interning import company_numbers, intern_accounts, intern_dimensions

BalanceKey = tuple[str, int, int, str, str, str]
"""(company, fiscal year, period, account string, dimensions, partner)"""
COLUMNS = "company, fiscal_year, period, account_id, dimensions_id, partner_id, amount"


def years_with_balances() -> set[tuple[str, int]]:
    """(company, fiscal year) pairs that have balances without journals."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT DISTINCT company, fiscal_year FROM journals_balance")
        return set(cursor.fetchall())


def years_with_journals(companies: set[str]) -> set[tuple[str, int]]:
    """(company, fiscal year) pairs with posted lines."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT b.company, b.fiscal_year FROM journals_book b WHERE b.company = ANY(%s)"
            " AND EXISTS (SELECT 1 FROM journals_journalline l WHERE l.book_id = b.id)",
            [sorted(companies)],
        )
        return set(cursor.fetchall())


def stored_balances(companies: set[str]) -> dict[BalanceKey, int]:
    """Raw minor units."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT l.company, l.fiscal_year, l.period, a.account, coalesce(d.codes, ''),"
            " coalesce(c.company, ''), l.amount FROM journals_balance l JOIN journals_account a ON a.id ="
            " l.account_id LEFT JOIN journals_dimensionset d ON d.id = l.dimensions_id LEFT JOIN"
            " companies_company c ON c.id = l.partner_id WHERE l.company = ANY(%s)",
            [sorted(companies)],
        )
        return {(a, b, c, d, e, f): amount for a, b, c, d, e, f, amount in cursor.fetchall()}


def write_balances(amounts: Mapping[BalanceKey, tuple[tuple[str, str, str], int]]) -> None:
    """Adds or replaces balances: key → ((chart, account, natural), raw minor units), inside the caller's
    transaction; the books they belong to are summed anew."""
    locked = lock_books(dict.fromkeys(((key[0], key[1]) for key in amounts), 0))
    if years_with_journals({company for company, _ in locked}) & set(locked):
        raise Moved  # somebody posted to a year since it was looked at
    accounts = intern_accounts(sorted({place for place, _ in amounts.values()}))
    dimensions = intern_dimensions(sorted({key[4] for key in amounts}))
    companies = company_numbers()
    rows = [
        (*key[:3], accounts[place[:2]].number, dimensions[key[4]].number, companies.get(key[5], 0), amount)
        for key, (place, amount) in amounts.items()
    ]
    with connection.cursor() as cursor:
        cursor.execute("CREATE TEMP TABLE balances_in (LIKE journals_balance) ON COMMIT DROP")
        cursor.execute("ALTER TABLE balances_in ALTER id DROP NOT NULL")
        with cursor.copy(f"COPY balances_in ({COLUMNS}) FROM STDIN") as copy:
            for row in rows:
                copy.write_row(row)
        cursor.execute(
            f"INSERT INTO journals_balance ({COLUMNS}) SELECT {COLUMNS} FROM balances_in"
            " ON CONFLICT (company, fiscal_year, period, account_id, dimensions_id, partner_id)"
            " DO UPDATE SET amount = excluded.amount"
        )
        cursor.execute(
            "SELECT company, fiscal_year, sum(greatest(amount, 0)) FROM journals_balance WHERE (company,"
            " fiscal_year) IN (SELECT DISTINCT company, fiscal_year FROM balances_in) GROUP BY 1, 2"
        )
        keep_within({(company, year): int(total) for company, year, total in cursor.fetchall()})
    for (company, year), (book, sequence) in locked.items():
        books.rebuild(book, company, year, sequence)
