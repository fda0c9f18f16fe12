"""What was posted, asked of the database for core/fixed.py."""

from __future__ import annotations

from functools import cache
from typing import Any

from django.db import connection

from core.accounts import chart_index, parse_dimensions
from core.fixed import Facts
from core.state import State
from core.tables import Budget, Company
from core.uses import charts_of_list


def _column(sql: str, *values: object) -> list[tuple[object, ...]]:
    with connection.cursor() as cursor:
        cursor.execute(sql, values)
        return cursor.fetchall()


def posted_facts(state: State) -> Facts:
    """Facts that query at most once each, for the length of one action or page."""

    @cache
    def codes(code_list: str) -> frozenset[str]:
        found: set[str] = set()
        for chart, fields in charts_of_list(state, code_list).items():
            index = chart_index(state, chart)
            places = [i for i, s in enumerate(index.segments) if s.name in fields] if index else []
            for place in places:
                sql = (
                    "SELECT DISTINCT natural FROM journals_account WHERE chart = %s"
                    if index and place == index.natural
                    else "SELECT DISTINCT split_part(account, %s, %s) FROM journals_account WHERE chart = %s"
                )
                values = (chart,) if index and place == index.natural else (index.separator, place + 1, chart) if index else ()
                found.update(str(row[0]) for row in _column(sql.replace("natural ", '"natural" '), *values))
            if index and any(d.name in fields for d in index.dimensions):
                for (text,) in _column("SELECT codes FROM journals_tagging"):
                    found.update(code for name, code in parse_dimensions(str(text))[0].items() if name in fields)
        return frozenset(found)

    @cache
    def dimensions() -> frozenset[str]:
        return frozenset(
            name for (text,) in _column("SELECT codes FROM journals_tagging") for name in parse_dimensions(str(text))[0]
        )

    @cache
    def charts() -> frozenset[str]:
        return frozenset(str(row[0]) for row in _column("SELECT DISTINCT chart FROM journals_account"))

    @cache
    def companies() -> frozenset[str]:
        return frozenset(
            str(row[0])
            for row in _column(
                "SELECT DISTINCT company FROM journals_book WHERE sequence > 0 UNION SELECT DISTINCT company FROM journals_budgetline"
            )
        )

    @cache
    def periods(calendar: str) -> frozenset[tuple[int, int]]:
        rows = _column(
            "SELECT DISTINCT b.fiscal_year, l.period FROM journals_journalline l JOIN journals_book b ON b.id = l.book_id"
            " JOIN companies_company c ON c.company = b.company WHERE c.calendar = %s"
            " UNION SELECT DISTINCT l.fiscal_year, l.period FROM journals_balance l"
            " JOIN companies_company c ON c.company = l.company WHERE c.calendar = %s"
            " UNION SELECT DISTINCT l.fiscal_year, l.period FROM journals_budgetline l"
            " JOIN companies_company c ON c.company = l.company WHERE c.calendar = %s",
            calendar, calendar, calendar,
        )  # fmt: skip
        return frozenset((int(str(year)), int(str(period))) for year, period in rows)

    @cache
    def budgeted(code_list: str) -> frozenset[str]:
        indexes = {row.company: chart_index(state, row.chart) for row in state.rows(Company)}
        rows = _column("SELECT DISTINCT company, account FROM journals_budgetline")
        pairs = ((indexes.get(str(company)), str(account)) for company, account in rows)
        return frozenset(index.natural_of(account) for index, account in pairs if index and index.natural_list == code_list)

    @cache
    def own_codes(company: str) -> frozenset[str]:
        head = state.get(Company, company)
        index = chart_index(state, head.chart) if head else None
        if head is None or index is None or index.company < 0:
            return frozenset()
        rows = _column(
            "SELECT DISTINCT split_part(a.account, %s, %s) FROM journals_account a WHERE a.chart = %s AND (EXISTS"
            " (SELECT 1 FROM journals_journalline l JOIN journals_book b ON b.id = l.book_id WHERE l.account_id = a.id AND b.company = %s)"
            " OR EXISTS (SELECT 1 FROM journals_balance l WHERE l.account_id = a.id AND l.company = %s))",
            index.separator, index.company + 1, head.chart, company, company,
        )  # fmt: skip
        return frozenset(str(row[0]) for row in rows)

    return Facts(codes, charts, companies, periods, dimensions, budgeted, own_codes, _tie)


TIES = (
    (Company, "journals_budgetline", "company", "budgets have lines of it"),
    (Company, "journals_unfinished", "company", "a journal of it is being keyed"),
    (Budget, "journals_budgetline", "budget", "it has lines"),
)


def _tie(kind: type[Any], name: str) -> str:
    """What else keeps a row from being deleted: rows that no definition knows of."""
    for row, table, column, because in TIES:
        if row is kind and _column(f"SELECT 1 FROM {table} WHERE {column} = %s LIMIT 1", name):
            return because
    if kind is Company and _column(
        "SELECT 1 FROM companies_company c WHERE c.company = %s AND ("
        "EXISTS (SELECT 1 FROM journals_journalline l WHERE l.partner_id = c.id)"
        " OR EXISTS (SELECT 1 FROM journals_balance b WHERE b.partner_id = c.id))", name
    ):  # fmt: skip
        return "lines name it as their partner"
    if kind is Company and _column(
        "SELECT 1 FROM people_person_companies p JOIN companies_company c ON c.id = p.company_id WHERE c.company = %s LIMIT 1",
        name,
    ):
        return "people work in it"
    return ""
