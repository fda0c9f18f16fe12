"""The cells of one budget, company and fiscal year: raw minor units by period, account string and
dimensions."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, replace
from typing import NamedTuple


class BudgetCell(NamedTuple):
    """Account string and dimensions as the package writes them."""

    period: int
    account: str
    dimensions: str = ""


Cells = Mapping[BudgetCell, int]
"""Debit plus; a cell that isn't there has nothing, which is not the same as zero."""


class CellEdit(NamedTuple):
    """A cell before and after; None where it isn't there."""

    cell: BudgetCell
    was: int | None
    now: int | None


class BudgetSpan(NamedTuple):
    """What stands in one column: some regular periods of the year, by a name that a form can give, and what
    it is called."""

    name: str
    title: str
    periods: tuple[int, ...]


@dataclass(frozen=True)
class BudgetYear:
    """The cells with what is known of the year: its regular periods in order, and whose account a string
    is."""

    cells: Cells
    periods: tuple[int, ...]
    natural_of: Callable[[str], str]
    standing: frozenset[str] = frozenset()
    """natural accounts whose quantities stand at a period's end and aren't added up"""
    whole: int = 1
    """one of such a quantity in minor units: it isn't cut in pieces"""

    def of(self, naturals: Iterable[str], periods: Iterable[int]) -> dict[BudgetCell, int]:
        """Those of some natural accounts and periods."""
        wanted, within = frozenset(naturals), frozenset(periods)
        return {
            cell: amount
            for cell, amount in self.cells.items()
            if cell.period in within and self.natural_of(cell.account) in wanted
        }

    def standing_sum(self, cells: Cells) -> int:
        """What some cells come to: of quantities that stand those of the last period alone."""
        ends = self.last_periods(cells)
        return sum(amount for cell, amount in cells.items() if self.counts(cell, ends))

    def last_periods(self, cells: Cells) -> dict[str, int]:
        """By natural account whose quantities stand the last period that has one."""
        ends: dict[str, int] = {}
        for cell in cells:
            if (natural := self.natural_of(cell.account)) in self.standing:
                ends[natural] = max(cell.period, ends.get(natural, cell.period))
        return ends

    def counts(self, cell: BudgetCell, ends: Mapping[str, int]) -> bool:
        """Whether a cell is of what stands at the end of some periods, or adds up."""
        return ends.get(self.natural_of(cell.account), cell.period) == cell.period

    def edits(self, after: Mapping[BudgetCell, int | None]) -> list[CellEdit]:
        """What putting amounts into cells changes; None takes a cell away."""
        pairs = ((cell, self.cells.get(cell), now) for cell, now in sorted(after.items()))
        return [CellEdit(cell, was, now) for cell, was, now in pairs if was != now]

    def with_edits(self, edits: Iterable[CellEdit]) -> BudgetYear:
        cells = dict(self.cells)
        for cell, _, now in edits:
            if now is None:
                cells.pop(cell, None)
            else:
                cells[cell] = now
        return replace(self, cells=cells)
