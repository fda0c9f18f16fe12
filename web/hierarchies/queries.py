"""Figures of a hierarchy: what stands under each code, for one company and period or by lines posted."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from core.analysis.stretches import of_periods
from core.books.balances import exact
from core.books.periods import company_calendar
from core.codes.hierarchies import Tree, intakes, tree
from core.codes.lists import list_index
from core.codes.tree_counts import counted, summed
from core.definitions.state import State
from core.definitions.tables import Company
from core.faults import WrongCall
from core.money import digits_of
from core.statements.plans import natural_list
from web.statements.queries import company_sums


class TreeFigures(NamedTuple):
    """Raw amounts in minor units under the codes of a tree, as sums up to each place; none for lists that
    carry no amounts.

    `touched` counts, up to each place, the accounts that had any amount at all: nothing posted is not the
    same as zero.
    """

    company: Company | None
    currency: str
    digits: int
    tree: Tree
    sums: NDArray[Any] | None = None
    touched: NDArray[Any] | None = None

    def of(self, code: str) -> int | None:
        """What stands under a code, the code itself included; None where nothing was ever posted."""
        place = self.tree.place.get(code)
        if self.sums is None or self.touched is None or place is None:
            return None
        if self.touched[self.tree.end[place]] == self.touched[place]:
            return None
        return int(self.sums[self.tree.end[place]] - self.sums[place])

    def weights(self) -> dict[str, float]:
        """What stands under every code, for drawing."""
        if self.sums is None:
            return {}
        under = self.sums[self.tree.end] - self.sums[:-1]
        return dict(zip(self.tree.codes, map(float, under.tolist()), strict=True))


class TreeRow(NamedTuple):
    """A code as the list view shows it."""

    code: str
    name: str
    depth: int
    rollup: bool
    under: int
    raw: int | None
    intake: str
    closed: bool


def figures(state: State, made: Tree, company: Company | None, year: int, period: int) -> TreeFigures:
    """What stands under each code to the end of the period."""
    if company is None or natural_list(state, company.chart) != made.code_list:
        return TreeFigures(None, "", 2, made)
    bare = TreeFigures(company, company.currency, digits_of(company.currency), made)
    try:
        at = of_periods(company_calendar(state, company.company), year, period)
    except WrongCall:
        return bare
    _, sums = company_sums(state, company.company, at)
    size, accounts = len(list_index(state, made.code_list).posting), counted(state, made.hierarchy).accounts
    amounts, touched = np.append(sums["cumulative"][:size], 0), np.append(sums["touched"][:size], False)
    return bare._replace(sums=summed(exact(amounts[accounts])), touched=summed(touched[accounts]))


def places(state: State, hierarchy: str, *, level: int, zoom: str, words: str) -> Sequence[int]:
    """Places in the order of the tree: down to a level, below one code, or those that fit with their
    ancestors."""
    shape = tree(state, hierarchy)
    start, end = 0, len(shape.codes)
    if zoom in shape.place:
        start, end = shape.place[zoom], int(shape.end[shape.place[zoom]])
    if words:
        return sorted(_fitting(state, shape, start, end, words))
    if level:
        depths = shape.depths[start:end]
        return (start + np.flatnonzero(depths < depths[:1] + level)).tolist() if start < end else []
    return range(start, end)


def _fitting(state: State, made: Tree, start: int, end: int, words: str) -> set[int]:
    """Those that begin with the words or hold them in their name, and every code above them."""
    codes, small = list_index(state, made.code_list).codes, words.lower()
    keep: set[int] = set()
    for i in range(start, end):
        code = made.codes[i]
        if code.startswith(words) or (code in codes and small in codes[code].name.lower()):
            keep.add(i)
            up = made.parent.get(code, "")
            while up in made.place and made.place[up] not in keep:
                keep.add(made.place[up])
                up = made.parent.get(up, "")
    return keep


def rows_at(state: State, hierarchy: str, wanted: Sequence[int], found: TreeFigures) -> list[TreeRow]:
    shape, counts, intakes = tree(state, hierarchy), counted(state, hierarchy), intakes_of(state, hierarchy)
    codes = list_index(state, shape.code_list).codes
    rows = []
    for i in wanted:
        code, depth = shape.codes[i], int(shape.depths[i])
        if row := codes.get(code):
            under = counts.below(i) if row.rollup else 0
            rows.append(
                TreeRow(
                    code,
                    row.name,
                    depth,
                    row.rollup,
                    under,
                    found.of(code),
                    intakes.get(code, ""),
                    bool(row.in_use_until),
                )
            )
    return rows


def intakes_of(state: State, hierarchy: str) -> dict[str, str]:
    return {node.code: node.intake for node in intakes(state, hierarchy)}


class PlacedCode(NamedTuple):
    """A code that stands elsewhere in another hierarchy, with its amount."""

    code: str
    name: str
    was: str
    now: str
    raw: int | None


def compared(state: State, one: str, other: str, found: TreeFigures) -> list[PlacedCode]:
    """What stands elsewhere: from where in one hierarchy to where in another; empty where it is not in one of
    them."""
    was, now = tree(state, one), tree(state, other)
    codes = list_index(state, now.code_list).codes
    return [
        PlacedCode(
            code,
            codes[code].name if code in codes else "",
            was.parent.get(code, "—"),
            now.parent.get(code, "—"),
            found.of(code),
        )
        for code in sorted({*was.place, *now.place})
        if was.parent.get(code) != now.parent.get(code)
    ]
