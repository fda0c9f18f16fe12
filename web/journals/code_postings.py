"""What was posted with a code, in any segment or dimension it serves as."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any, NamedTuple

import numpy as np
from django.db import connection

from core.definitions.state import State
from core.definitions.tables import Company
from core.references.cells import charts_of_list
from core.structures.charts import chart_index
from web.journals.books import books_as_posted


class CodePostings(NamedTuple):
    """How much was posted with a code: account strings that hold it, lines, the first and the last day of
    one."""

    strings: int
    lines: int
    first: Any
    last: Any


POSTED = """
    SELECT count(DISTINCT l.account_id), count(*), min(j.date), max(j.date) FROM journals_journalline l
    JOIN journals_journal j ON j.id = l.journal_id JOIN journals_book b ON b.id = l.book_id
    WHERE b.company = ANY(%(companies)s) AND
"""


def postings_with(state: State, code_list: str, code: str, companies: list[Company]) -> CodePostings:
    """Counted over the companies given, as segment or dimension; balances kept elsewhere not."""
    asked = [
        *_as_segment(state, code_list, code),
        *(
            (
                "l.dimensions_id IN (SELECT id FROM journals_dimensionset WHERE codes ~ %(tag)s)",
                {"tag": rf"(^|; ){re.escape(name)}={re.escape(code)}(;|$)"},
            )
            for name in _as_dimension(state, code_list)
        ),
    ]
    postings = [CodePostings(0, 0, None, None)]
    with connection.cursor() as cursor:
        for condition, values in asked:
            given = {**values, "companies": [row.company for row in companies]}
            cursor.execute(f"{POSTED} {condition}", given)
            postings.append(CodePostings(*cursor.fetchone()))
    days = [day for row in postings for day in (row.first, row.last) if day]
    return CodePostings(
        sum(r.strings for r in postings),
        sum(r.lines for r in postings),
        min(days, default=None),
        max(days, default=None),
    )


def _as_segment(state: State, code_list: str, code: str) -> Iterator[tuple[str, dict[str, Any]]]:
    """A condition with its values for each segment of a chart that the list serves as."""
    for chart, fields in charts_of_list(state, code_list).items():
        index = chart_index(state, chart)
        for at, segment in enumerate(index.segments if index else ()):
            if index and segment.name in fields:
                natural = 'a."natural" = %(code)s'
                part = "split_part(a.account, %(mark)s, %(at)s) = %(code)s"
                yield (
                    (
                        "l.account_id IN (SELECT a.id FROM journals_account a WHERE a.chart = %(chart)s"
                        f" AND {natural if at == index.natural else part})"
                    ),
                    {"code": code, "mark": index.separator, "at": at + 1, "chart": chart},
                )


def _as_dimension(state: State, code_list: str) -> list[str]:
    """Names of the dimensions that the list serves as."""
    indexes = ((chart_index(state, c), fields) for c, fields in charts_of_list(state, code_list).items())
    return sorted(
        {d.name for index, fields in indexes if index for d in index.dimensions if d.name in fields}
    )


STRINGS = """
    SELECT DISTINCT coalesce(n.account, a.account) FROM journals_account a
    JOIN companies_company c ON c.company = %(company)s
    LEFT JOIN journals_movedaccount m ON m.company = c.company AND m.account_id = a.id AND m.chart = c.chart
    LEFT JOIN journals_account n ON n.id = m.now_id WHERE a.id = ANY(%(numbers)s) ORDER BY 1
"""


def strings_of(company: str) -> tuple[str, ...]:
    """Account strings that a company was posted to, or that its balances kept elsewhere name, as they are
    read in the chart that it is on."""
    books = books_as_posted([company])[company]
    numbers = {int(number) for book in books for number in np.unique(book.rows["account"])}
    with connection.cursor() as cursor:
        cursor.execute(STRINGS, {"company": company, "numbers": sorted(numbers)})
        return tuple(account for (account,) in cursor.fetchall())
