"""Reads for storey 1: rows of a list in the order of its main hierarchy, and what is known of one code."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import accumulate
from typing import Any, NamedTuple

import numpy as np
from django.db import connection

from core.accounts import chart_index
from core.codes import list_index
from core.drafts import tells
from core.hierarchies import main_tree
from core.money import digits_of
from core.state import State, derived
from core.tables import Chart, Code, Company, Hierarchy, HierarchyNode
from core.uses import charts_of_list
from web.definitions.drafting import Working
from web.journals.books import books_for

CHUNK = 120


class Row(NamedTuple):
    """A code as the table shows it: depth in the main hierarchy and how many posting codes are under it."""

    code: Code
    depth: int
    under: int


@derived((Code, 0), Hierarchy, HierarchyNode)
def ordered(state: State, code_list: str) -> list[Row]:
    """All codes: the main hierarchy from the top, then what stands under none, in code order."""
    index = list_index(state, code_list)
    main = main_tree(state, code_list)
    if main is None:
        return [Row(index.codes[code], 0, 0) for code in index.ordered]
    posting = [int(code in index.codes and not index.codes[code].rollup) for code, _ in main.order]
    sums = [0, *accumulate(posting)]
    rows = [
        Row(index.codes[code], depth, sums[main.end[i]] - sums[i + 1])
        for i, (code, depth) in enumerate(main.order)
        if code in index.codes
    ]
    return [*rows, *(Row(index.codes[code], 0, 0) for code in index.ordered if code not in main.place)]


@derived((Code, 0), Hierarchy, HierarchyNode)
def places(state: State, code_list: str) -> dict[str, int]:
    return {row.code.code: i for i, row in enumerate(ordered(state, code_list))}


def drafted(working: Working | None, code_list: str) -> frozenset[str]:
    """Codes of a list that the open draft changes: their rows, names, properties or places."""
    if working is None:
        return frozenset()
    found = set()
    for (table, key), edit in working.edits.items():
        if table in ("codes", "code_names", "code_properties") and key[0] == code_list:
            found.add(key[1])
        elif table == "hierarchy_nodes" and tells(edit):
            head = working.state.get(Hierarchy, key[0])
            if head and head.code_list == code_list:
                found.add(key[1])
    return frozenset(found)


@dataclass(frozen=True, slots=True)
class Window:
    """A stretch of the table: rows from `start`, and how many there are in all."""

    rows: list[Row]
    start: int
    total: int

    @property
    def next(self) -> int | None:
        end = self.start + len(self.rows)
        return end if end < self.total else None

    @property
    def previous(self) -> int | None:
        return max(0, self.start - CHUNK) if self.start else None


def window(state: State, code_list: str, codes: list[str] | None, start: int, at: str = "") -> Window:
    """A stretch of the codes given (None: all, in the order of the main hierarchy), around one of them if asked."""
    rows, place_of = ordered(state, code_list), places(state, code_list)
    total = len(rows) if codes is None else len(codes)
    if at:
        place = place_of.get(at) if codes is None else (codes.index(at) if at in codes else None)
        if place is not None:
            start = max(0, place - 30) if place > CHUNK - 30 else 0
    start = max(0, min(start, total))
    if codes is None:
        return Window(rows[start : start + CHUNK], start, total)
    return Window([rows[place_of[code]]._replace(depth=0) for code in codes[start : start + CHUNK]], start, total)


class Amount(NamedTuple):
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
    found = []
    for row in rows:
        total, booked = 0, False
        for book in books[row.company]:
            if code in book.naturals:
                mask = book.rows["natural"] == book.naturals.index(code)
                booked = booked or bool(mask.any())
                total += (
                    int(np.sum(book.rows["debit"][mask].astype(object) - book.rows["credit"][mask].astype(object)))
                    if mask.any()
                    else 0
                )
        if booked:
            found.append(Amount(row.company, row.name, row.currency, digits_of(row.currency), total))
    return found


def first_and_last_posting(state: State, code_list: str, code: str) -> tuple[Any, Any]:
    """The dates of the first and the last journal line on a natural account, or None."""
    charts = [c for c in charts_of_list(state, code_list) if state.get(Chart, c)]
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT min(j.date), max(j.date) FROM journals_account a JOIN journals_journalline l ON l.account_id = a.id"
            ' JOIN journals_journal j ON j.id = l.journal_id WHERE a.chart = ANY(%s) AND a."natural" = %s',
            [charts, code],
        )
        return cursor.fetchone()


def beside(state: State, code_list: str, code: str, codes: list[str]) -> tuple[str, str]:
    """The codes before and after one in the table as it is asked for."""
    if code not in codes:
        return "", ""
    at = codes.index(code)
    return (codes[at - 1] if at else ""), (codes[at + 1] if at + 1 < len(codes) else "")
