"""What was posted, asked of the database for core/fixed.py."""

from __future__ import annotations

from functools import cache

from django.db import connection

from core.accounts import chart_index, parse_dimensions
from core.fixed import Facts
from core.state import State
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
        return frozenset(str(row[0]) for row in _column("SELECT DISTINCT company FROM journals_book WHERE sequence > 0"))

    @cache
    def periods(calendar: str) -> frozenset[tuple[int, int]]:
        rows = _column(
            "SELECT DISTINCT b.fiscal_year, l.period FROM journals_journalline l JOIN journals_book b ON b.id = l.book_id"
            " JOIN companies_company c ON c.company = b.company WHERE c.calendar = %s"
            " UNION SELECT DISTINCT l.fiscal_year, l.period FROM journals_balance l"
            " JOIN companies_company c ON c.company = l.company WHERE c.calendar = %s",
            calendar, calendar,
        )  # fmt: skip
        return frozenset((int(str(year)), int(str(period))) for year, period in rows)

    return Facts(codes, charts, companies, periods, dimensions)
