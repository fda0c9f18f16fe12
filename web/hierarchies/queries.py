"""Figures of a hierarchy: what stands under each code, for one company and period or by lines posted."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from django.db import connection

from core.codes import list_index
from core.hierarchies import Tree, tree
from core.money import digits_of
from core.periods import company_calendar
from core.state import State
from core.statements import natural_list
from core.tables import Company, HierarchyNode
from core.tree_counts import counted
from web.statements.queries import WrongCall, company_sums, window


class Figures(NamedTuple):
    """Raw amounts in minor units by code, rollup codes too; empty for lists that carry no amounts of a company."""

    company: Company | None
    currency: str
    digits: int
    raw: dict[str, int]


class Row(NamedTuple):
    """A code as the list view shows it."""

    code: str
    name: str
    depth: int
    rollup: bool
    under: int
    raw: int | None
    intake: str
    closed: bool


def figures(state: State, made: Tree, company: Company | None, year: int, period: int) -> Figures:
    """What stands under each code to the end of the period."""
    if company is None or natural_list(state, company.chart) != made.code_list:
        return Figures(None, "", 2, {})
    try:
        at = window(company_calendar(state, company.company), year, period)
    except WrongCall:
        return Figures(company, company.currency, digits_of(company.currency), {})
    codes, sums = company_sums(state, company.company, at)
    own = dict(zip(codes, sums["cumulative"].tolist(), strict=True))
    amounts = np.array([own.get(code, 0) for code, _ in made.order] or [0], dtype=object)
    totals = [0, *np.cumsum(amounts).tolist()]
    raw = {code: totals[made.end[i]] - totals[i] for i, (code, _) in enumerate(made.order)}
    return Figures(company, company.currency, digits_of(company.currency), raw)


def places(state: State, hierarchy: str, *, level: int, zoom: str, words: str) -> Sequence[int]:
    """Places in the order of the tree: down to a level, below one code, or those that fit with their ancestors."""
    made = tree(state, hierarchy)
    start, end = 0, len(made.order)
    if zoom in made.place:
        start, end = made.place[zoom], made.end[made.place[zoom]]
    if words:
        return sorted(_fitting(state, made, start, end, words))
    if level:
        deepest = made.order[start][1] + level if start < end else 0
        return [i for i in range(start, end) if made.order[i][1] < deepest]
    return range(start, end)


def _fitting(state: State, made: Tree, start: int, end: int, words: str) -> set[int]:
    """Those that begin with the words or hold them in their name, and every code above them."""
    codes, small = list_index(state, made.code_list).codes, words.lower()
    keep: set[int] = set()
    for i in range(start, end):
        code = made.order[i][0]
        if code.startswith(words) or (code in codes and small in codes[code].name.lower()):
            keep.add(i)
            up = made.parent.get(code, "")
            while up in made.place and made.place[up] not in keep:
                keep.add(made.place[up])
                up = made.parent.get(up, "")
    return keep


def rows_at(state: State, hierarchy: str, wanted: Sequence[int], found: Figures) -> list[Row]:
    made, counts, intakes = tree(state, hierarchy), counted(state, hierarchy), intakes_of(state, hierarchy)
    codes = list_index(state, made.code_list).codes
    rows = []
    for i in wanted:
        code, depth = made.order[i]
        if row := codes.get(code):
            under = counts.below(i) if row.rollup else 0
            rows.append(
                Row(code, row.name, depth, row.rollup, under, found.raw.get(code), intakes.get(code, ""), bool(row.in_use_until))
            )
    return rows


def intakes_of(state: State, hierarchy: str) -> dict[str, str]:
    return {node.code: node.intake for node in state.part(HierarchyNode, hierarchy).values() if node.intake}


def lines_posted(state: State, company: Company, year: int) -> dict[str, float]:
    """How many lines a company posted to each natural account in a fiscal year."""
    with connection.cursor() as cursor:
        cursor.execute(
            'SELECT a."natural", count(*) FROM journals_journalline l JOIN journals_account a ON a.id = l.account_id'
            " JOIN journals_book b ON b.id = l.book_id WHERE b.company = %s AND b.fiscal_year = %s GROUP BY 1",
            [company.company, year],
        )
        return {code: float(count) for code, count in cursor.fetchall()}


class Placed(NamedTuple):
    """A code that stands elsewhere in another hierarchy, with its amount."""

    code: str
    name: str
    was: str
    now: str
    raw: int | None


def compared(state: State, one: str, other: str, found: Figures) -> list[Placed]:
    """What stands elsewhere: from where in one hierarchy to where in another; empty where it is not in one of them."""
    was, now = tree(state, one), tree(state, other)
    codes = list_index(state, now.code_list).codes
    return [
        Placed(
            code,
            codes[code].name if code in codes else "",
            was.parent.get(code, "—"),
            now.parent.get(code, "—"),
            found.raw.get(code),
        )
        for code in sorted({*was.place, *now.place})
        if was.parent.get(code) != now.parent.get(code)
    ]
