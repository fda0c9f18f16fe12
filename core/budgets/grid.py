"""A budget's year as a table: statement lines, accounts, account strings down; the year before, periods, the
year across."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import numpy as np

from core.budgets.cells import BudgetCell, BudgetSpan, BudgetYear, Cells
from core.statements.amounts import Amounts, StrayAccount
from core.statements.figures import Figure, compute
from core.statements.line_parts import DEBIT
from core.statements.plans import Plan

Sums = list[int | None]
"""By column; None where there is no cell."""


class GridRow(NamedTuple):
    """A row: `line` its line of the plan; of an account or string those too. `shown` in the direction of the
    line."""

    key: str
    line: int
    naturals: tuple[str, ...]
    string: tuple[str, str] | None
    shown: tuple[int | None, ...]

    @property
    def is_line(self) -> bool:
        return self.key.startswith("line:")


@dataclass(frozen=True)
class BudgetGrid:
    """Columns: the year before, each span of regular periods, what lies in other periods, the year."""

    plan: Plan
    year: BudgetYear
    before: Cells
    spans: tuple[BudgetSpan, ...]
    digits: int
    may_key: Callable[[str], bool]
    """whether a natural account is offered with nothing on it"""

    @property
    def columns(self) -> int:
        return len(self.spans) + 3

    def _sums(self, key: Callable[[BudgetCell], object]) -> dict[object, Sums]:
        place = {period: i for i, span in enumerate(self.spans, 1) for period in span.periods}
        sums: dict[object, Sums] = {}

        def add(cell: BudgetCell, column: int, amount: int) -> None:
            row = sums.setdefault(key(cell), [None] * self.columns)
            row[column] = (row[column] or 0) + amount

        parts: dict[int, dict[BudgetCell, int]] = {
            0: dict(self.before),
            self.columns - 1: dict(self.year.cells),
        }
        for cell, amount in self.year.cells.items():
            parts.setdefault(place.get(cell.period, self.columns - 2), {})[cell] = amount
        for column, cells in parts.items():
            ends = self.year.last_periods(cells)
            for cell, amount in cells.items():
                if self.year.counts(cell, ends):
                    add(cell, column, amount)
        return sums

    @cached_property
    def by_account(self) -> dict[object, Sums]:
        return self._sums(lambda cell: self.year.natural_of(cell.account))

    @cached_property
    def by_string(self) -> dict[object, Sums]:
        return self._sums(lambda cell: (cell.account, cell.dimensions))

    @cached_property
    def strings(self) -> dict[str, list[tuple[str, str]]]:
        """Account strings with dimensions by natural account, in order."""
        keys = sorted({cell[1:] for cells in (self.before, self.year.cells) for cell in cells})
        strings: dict[str, list[tuple[str, str]]] = {}
        for key in keys:
            strings.setdefault(self.year.natural_of(key[0]), []).append(key)
        return strings

    @cached_property
    def figures(self) -> tuple[Figure, ...]:
        """The lines' figures by column."""
        accounts = self.plan.accounts
        strays = sorted(str(name) for name in self.by_account if name not in accounts.position)
        places = {**accounts.position, **{name: len(accounts.posting) + i for i, name in enumerate(strays)}}
        window = np.zeros((len(places), self.columns), dtype=object)
        touched = np.zeros(window.shape, dtype=bool)
        for name, sums in self.by_account.items():
            window[places[str(name)]] = [value or 0 for value in sums]
            touched[places[str(name)]] = [value is not None for value in sums]
        unmapped = tuple(StrayAccount("", name, "", "") for name in strays)
        return compute(
            self.plan, Amounts(window, window, unmapped, None, touched, has_statistics=True), self.digits
        ).lines

    def rows(self, *, every_account: bool, with_strings: bool) -> Iterator[GridRow]:
        """Lines, accounts with a figure below theirs (or all that may be keyed), and their strings."""
        for i, figure in enumerate(self.figures):
            naturals = self.naturals_below(i)
            shown = tuple(figure.seen(column) for column in range(self.columns))
            yield GridRow(f"line:{figure.line.row.line}", i, naturals, None, shown)
            if figure.line.row.kind == "accounts":
                yield from self._accounts(i, every_account, with_strings)

    def _accounts(self, line: int, every: bool, with_strings: bool) -> Iterator[GridRow]:
        direction = self.plan.lines[line].direction
        for natural in self._homed(line):
            sums = self.by_account.get(natural)
            if sums is None and not (every and self.may_key(natural)):
                continue
            shown = _turned(sums or [None] * self.columns, direction)
            yield GridRow(f"account:{natural}", line, (natural,), None, shown)
            strings = self.strings.get(natural, [])
            for string in strings if with_strings else ():
                shown = _turned(self.by_string[string], direction)
                yield GridRow(f"string:{'|'.join(string)}", line, (natural,), string, shown)

    def naturals_below(self, line: int) -> tuple[str, ...]:
        """Accounts on a line or under a heading; of any other line none."""
        if self.plan.lines[line].row.kind not in ("accounts", "heading"):
            return ()
        quantity = self.plan.lines[line].quantity
        below = self.plan.lines[line : self.plan.end_of(line)]
        return tuple(
            code for at, one in enumerate(below, line) if one.quantity == quantity for code in self._homed(at)
        )

    def _homed(self, line: int) -> tuple[str, ...]:
        """Accounts that are keyed on a line: one of which several lines take a part, on the one that takes
        the rest."""
        entry, position = self.plan.lines[line], self.plan.accounts.position
        if entry.row.kind != "accounts" or not self.plan.parts:
            return entry.picks
        return tuple(code for code in entry.picks if self.plan.home_of(position[code]) == line)

    def row(self, key: str) -> GridRow | None:
        """The row of a key, whether it is shown or not."""
        return (self._keyed_strings if key.startswith("string:") else self._keyed).get(key)

    @cached_property
    def _keyed(self) -> dict[str, GridRow]:
        return {row.key: row for row in self.rows(every_account=True, with_strings=False)}

    @cached_property
    def _keyed_strings(self) -> dict[str, GridRow]:
        return {row.key: row for row in self.rows(every_account=True, with_strings=True)}

    def direction(self, row: GridRow) -> int:
        return DEBIT if self.plan.lines[row.line].direction == DEBIT else -1


def _turned(sums: Sequence[int | None], direction: int) -> tuple[int | None, ...]:
    return tuple(None if v is None else v if direction == DEBIT else -v for v in sums)
