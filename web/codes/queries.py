"""Reads for storey 1: rows of a list in the order of its main hierarchy, and what is known of one code."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np
from django.db import connection

from core.codes.hierarchies import main_tree
from core.codes.lists import list_index
from core.codes.tree_counts import counted
from core.definitions.state import State, derived
from core.definitions.tables import Code, Company, Hierarchy, HierarchyNode
from core.drafts.replaying import tells
from core.money import digits_of
from core.references.uses import charts_of_list
from core.structures.charts import chart_index
from web.definitions.drafting import Working
from web.journals.books import books_for

CHUNK = 120


class CodeRow(NamedTuple):
    """A code as the table shows it: depth in the main hierarchy and how many posting codes are under it."""

    code: Code
    depth: int
    under: int


@derived((Code, 0), Hierarchy, HierarchyNode)
def ordered(state: State, code_list: str) -> list[str]:
    """All codes: the main hierarchy from the top, then what stands under none, in code order."""
    index, main = list_index(state, code_list), main_tree(state, code_list)
    if main is None:
        return index.ordered
    placed = [code for code, _ in main.order if code in index.codes]
    loose = sorted(set(index.ordered).difference(main.place)) if len(placed) < len(index.ordered) else []
    return [*placed, *loose]


@derived((Code, 0), Hierarchy, HierarchyNode)
def places(state: State, code_list: str) -> dict[str, int]:
    codes = ordered(state, code_list)
    return dict(zip(codes, range(len(codes)), strict=True))


def rows_of(state: State, code_list: str, codes: list[str]) -> list[CodeRow]:
    """Rows of the table: worked out when they are shown, for a list is long and a page is not."""
    index, main = list_index(state, code_list).codes, main_tree(state, code_list)
    if main is None:
        return [CodeRow(index[code], 0, 0) for code in codes]
    counts = counted(state, main.hierarchy)
    places = [(code, main.place.get(code)) for code in codes]
    return [
        (
            CodeRow(index[code], 0, 0)
            if place is None
            else CodeRow(index[code], main.order[place][1], counts.below(place))
        )
        for code, place in places
    ]


def drafted(working: Working | None, code_list: str) -> frozenset[str]:
    """Codes of a list that the open draft changes: their rows, names, properties or places."""
    if working is None:
        return frozenset()
    names = set()
    for (table, key), edit in working.edits.items():
        if table in ("codes", "code_names", "code_properties") and key[0] == code_list:
            names.add(key[1])
        elif table == "hierarchy_nodes" and tells(edit):
            hierarchy_row = working.state.get(Hierarchy, key[0])
            if hierarchy_row and hierarchy_row.code_list == code_list:
                names.add(key[1])
    return frozenset(names)


@dataclass(frozen=True, slots=True)
class RowWindow:
    """A stretch of the table: rows from `start`, and how many there are in all."""

    rows: list[CodeRow]
    start: int
    total: int

    @property
    def next(self) -> int | None:
        end = self.start + len(self.rows)
        return end if end < self.total else None

    @property
    def previous(self) -> int | None:
        return max(0, self.start - CHUNK) if self.start else None


def window(state: State, code_list: str, codes: list[str] | None, start: int, at: str = "") -> RowWindow:
    """A stretch of the codes given (None: all, in the order of the main hierarchy), around one of them if
    asked."""
    narrowed = codes is not None
    shown = ordered(state, code_list) if codes is None else codes
    if at:
        place = (
            shown.index(at)
            if narrowed and at in shown
            else None
            if narrowed
            else places(state, code_list).get(at)
        )
        if place is not None:
            start = max(0, place - 30) if place > CHUNK - 30 else 0
    start = max(0, min(start, len(shown)))
    rows = rows_of(state, code_list, shown[start : start + CHUNK])
    return RowWindow([row._replace(depth=0) for row in rows] if narrowed else rows, start, len(shown))


class Amount(NamedTuple):
    """What stands on a code for one company; `minor` raw in minor units."""

    company: str
    name: str
    currency: str
    digits: int
    minor: int


def amounts(state: State, code_list: str, code: str, companies: list[Company]) -> list[Amount]:
    """What stands on a natural account in each company that was ever booked to it; raw, everything so far."""
    charts = {
        chart
        for chart in charts_of_list(state, code_list)
        if (index := chart_index(state, chart)) and index.natural_list == code_list
    }
    rows = [row for row in companies if row.chart in charts]
    books = books_for(row.company for row in rows)
    items = []
    for row in rows:
        total, booked = 0, False
        for book in books[row.company]:
            if code in book.naturals:
                mask = book.rows["natural"] == book.naturals.index(code)
                booked = booked or bool(mask.any())
                total += (
                    int(
                        np.sum(
                            book.rows["debit"][mask].astype(object) - book.rows["credit"][mask].astype(object)
                        )
                    )
                    if mask.any()
                    else 0
                )
        if booked:
            items.append(Amount(row.company, row.name, row.currency, digits_of(row.currency), total))
    return items


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


def posted(state: State, code_list: str, code: str, companies: list[Company]) -> CodePostings:
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


def beside(state: State, code_list: str, code: str, codes: list[str]) -> tuple[str, str]:
    """The codes before and after one in the table as it is asked for."""
    if code not in codes:
        return "", ""
    at = codes.index(code)
    return (codes[at - 1] if at else ""), (codes[at + 1] if at + 1 < len(codes) else "")
