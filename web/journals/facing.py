"""Posted lines of companies that face each other."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

from django.db import connection

from core.books.twins import FacingLine
from core.definitions.state import State
from core.definitions.tables import Company
from web.journals.reading import lines_of_accounts

FACING = """
    SELECT k.n, b.company, j.company, j.journal, l.line, j.date, l.source_number,
           coalesce(nullif(l.description, ''), j.description), j.currency, l.keyed, l.amount, a."natural"
    FROM unnest(%(n)s::int[], %(company)s::text[], %(chart)s::text[], %(code)s::text[], %(partner)s::text[],
                %(since)s::date[]) k(n, company, chart, code, partner, since)
    JOIN journals_account a ON a.chart = k.chart AND a."natural" = k.code
    JOIN journals_book b ON b.company = k.company
    {lines}
    JOIN journals_journal j ON j.id = l.journal_id
    JOIN companies_company c ON c.id = l.partner_id AND c.company = k.partner
    WHERE j.date <= %(until)s AND NOT l.closing AND j.date >= k.since
    ORDER BY k.n, j.date, j.id, l.line LIMIT %(most)s
"""
MOST = 20_000
"""More lines than this are not matched one by one."""


@dataclass(frozen=True, slots=True)
class Facing:
    """Whose lines are asked for: on which of its natural accounts, with which partner, from which day on."""

    company: Company
    codes: Sequence[str]
    partner: str
    since: date


def facing_lines(state: State, asked: Sequence[Facing], until: date) -> list[list[FacingLine]] | None:
    """The lines of each, in one query, closing journals left out; those keyed in no currency of their own are
    in the company's. None where they are more than MOST together."""
    rows = [
        (n, one.company.company, one.company.chart, code, one.partner, one.since)
        for n, one in enumerate(asked)
        for code in one.codes
    ]
    names = ("n", "company", "chart", "code", "partner", "since")
    values: dict[str, Any] = {name: [row[i] for row in rows] for i, name in enumerate(names)}
    with connection.cursor() as cursor:
        query = FACING.format(lines=lines_of_accounts(state, {one.company.company for one in asked}))
        cursor.execute(query, {**values, "until": until, "most": MOST + 1})
        found = cursor.fetchall()
    if len(found) > MOST:
        return None
    lines: list[list[FacingLine]] = [[] for _ in asked]
    for n, *cells in found:
        line = FacingLine(*cells)
        lines[n].append(line if line.currency else line._replace(currency=asked[n].company.currency))
    return lines
