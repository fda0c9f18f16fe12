"""A budget's year as a table, and one of its rows as inputs."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import NamedTuple

from django.utils.html import format_html
from django.utils.safestring import SafeString

from core.budgets.cells import BudgetSpan
from core.budgets.grid import BudgetGrid, GridRow
from core.codes.lists import list_index
from core.money import format_amount, key_amount, show_amount, show_quantity, show_whole
from web.budgets.address import BudgetAddress
from web.shell.table_rows import Cell, TableRow, indent, table_rows

YEAR = "year"


class BudgetInput(NamedTuple):
    """A cell of a row that is being keyed: `was` is what it holds until then."""

    name: str
    title: str
    was: str


@dataclass(frozen=True)
class BudgetTable:
    """`at` is the key of the row that takes focus."""

    address: BudgetAddress
    grid: BudgetGrid
    exact: bool = False
    at: str = ""
    noted: Mapping[tuple[str, int], str] = field(default_factory=dict)
    """numbers of remarks by row and column"""

    @cached_property
    def has_others(self) -> bool:
        """Whether anything lies in a period that is not a regular one."""
        return any(figure.raw[-2] for figure in self.grid.figures)

    @cached_property
    def columns(self) -> list[int]:
        """Those that are shown, in order."""
        last = self.grid.columns - 1
        return [0, *range(1, last - 1), *([last - 1] if self.has_others else []), last]

    @property
    def titles(self) -> list[tuple[str, str]]:
        """(short, whole) title of each column that is shown."""
        address = self.address
        every = [
            (f"{address.year - 1}", f"Posted in {address.year - 1}"),
            *((short(span), span.title) for span in address.spans),
            ("other", "Periods that are not regular"),
            (f"{address.year}", f"{address.budget.name}, {address.year}"),
        ]
        return [every[i] for i in self.columns]

    def rows(self) -> SafeString:
        rows = self.grid.rows(every_account=self.address.every, with_strings=self.address.strings)
        return table_rows(self._row(row) for row in rows if self._is_kept(row))

    def _is_kept(self, row: GridRow) -> bool:
        """Statistics are keyed on lines of statistics alone."""
        is_money = self.grid.plan.lines[row.line].quantity is None
        return not (is_money and self.address.budget.kind == "statistics")

    def _row(self, row: GridRow) -> TableRow:
        line = self.grid.plan.lines[row.line]
        is_heading = row.is_line and line.row.kind == "heading"
        css = "heading" if is_heading else "" if row.is_line else "account-row"
        return TableRow(
            row.key, list(self._cells(row)), css=css, element=f"row-{row.key}", focused=row.key == self.at
        )

    def _cells(self, row: GridRow) -> Iterator[Cell]:
        code, text = self.name(row)
        depth = self.grid.plan.lines[row.line].depth + (0 if row.is_line else 2 if row.string else 1)
        yield Cell(text, f"{indent(depth)} stays", code=code, title=f"{code} {text}".strip())
        last = self.columns[-1]
        for column in self.columns:
            css = "num soft" if column == 0 else "num total stays-end" if column == last else "num"
            yield Cell(self._noted(row, column), css)

    def _noted(self, row: GridRow, column: int) -> str:
        numbers = self.noted.get((row.key, column))
        text = self.shown(row, column)
        return format_html("{}<sup>{}</sup>", text, numbers) if numbers else text

    def shown(self, row: GridRow, column: int) -> str:
        value = row.shown[column]
        if value is None:
            kind = self.grid.plan.lines[row.line].row.kind
            return "" if row.is_line and kind in ("text", "gap") else "—"
        if self.grid.plan.lines[row.line].quantity:
            return show_quantity(value, self.grid.digits)
        return show_amount(value, self.grid.digits) if self.exact else show_whole(value, self.grid.digits)

    def name(self, row: GridRow) -> tuple[str, str]:
        """(code, words) that a row is known by."""
        if row.is_line:
            line = self.grid.plan.lines[row.line].row
            return "", line.label or ("" if line.kind in ("text", "gap") else line.line)
        if row.string:
            account, dimensions = row.string
            return self.address.context.chart.shown(account), dimensions
        codes = list_index(self.address.state, self.address.context.chart.natural_list).codes
        return row.naturals[0], codes[row.naturals[0]].name

    def named(self, key: str) -> str:
        """What the row of a key is called; empty where there is none."""
        row = self.grid.row(key)
        return " ".join(self.name(row)).strip() if row else ""

    def inputs(self, row: GridRow) -> list[BudgetInput]:
        """The periods and the year of a row, exact, to be keyed."""
        spans = [(span.name, span.title, column) for column, span in enumerate(self.address.spans, 1)]
        named = [*spans, (YEAR, f"The year {self.address.year}", self.grid.columns - 1)]
        digits = self.grid.digits
        if self.grid.plan.lines[row.line].quantity:
            return [BudgetInput(name, title, _trimmed(row.shown[at], digits)) for name, title, at in named]
        return [BudgetInput(name, title, _exact(row.shown[at], digits)) for name, title, at in named]


def _exact(value: int | None, digits: int) -> str:
    return "" if value is None else key_amount(value, digits)


def _trimmed(value: int | None, digits: int) -> str:
    """A quantity with decimals only where it has some."""
    if value is None:
        return ""
    whole, part = divmod(abs(value), 10**digits)
    if not part:
        return format_amount(whole if value > 0 else -whole, 0)
    return key_amount(value, digits)


def short(span: BudgetSpan) -> str:
    """What stands over a span's column: the first letters of a period's name, or which quarter it is."""
    if len(span.periods) > 1:
        return span.name.upper()
    word = (span.title.split() or [""])[0]
    return word[:3] if word.isalpha() else span.title[:7]
