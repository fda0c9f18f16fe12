"""Reads for storey 1: rows of a list in the order of its main hierarchy, and what is known of one code."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

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


def window(
    state: State, code_list: str, codes: list[str] | None, start: int, at: str = "", nested: bool = False
) -> RowWindow:
    """A stretch of the codes given (None: all, in the order of the main hierarchy), around one of them if
    asked; `nested` keeps their depth in the main hierarchy."""
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
    return RowWindow(rows if nested else [row._replace(depth=0) for row in rows], start, len(shown))


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
    books = books_for(state, (row.company for row in rows))
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


def beside(state: State, code_list: str, code: str, codes: list[str]) -> tuple[str, str]:
    """The codes before and after one in the table as it is asked for."""
    if code not in codes:
        return "", ""
    at = codes.index(code)
    return (codes[at - 1] if at else ""), (codes[at + 1] if at + 1 < len(codes) else "")
