"""One line's figures by the codes of two fields: one down, one across, with totals both ways."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

from django.utils.safestring import SafeString

from core.analysis.filters import NONE
from core.money import show_amount
from web.shell.table_rows import Cell, TableRow, table_rows
from web.statements.figure_address import FigureAddress
from web.statements.figure_table import EXACT, FigureHead, FigureTable
from web.statements.queries import StatementFigures


@dataclass(frozen=True)
class MatrixTable:
    """`table` has a column for each pair of codes and a total; `line` is whose figures they are."""

    table: FigureTable
    line: str

    @property
    def address(self) -> FigureAddress:
        return self.table.address

    @property
    def found(self) -> StatementFigures:
        return self.table.found

    @cached_property
    def shown(self) -> dict[tuple[str, str], tuple[int, int]]:
        """By pair of codes the place of its column, and its amount in minor units; those with nothing are
        left
        out."""
        figure = self.found.figures.lines[self.found.plan.index[self.line]]
        return {
            (key[0], key[1]): (i, figure.shown[i] or 0)
            for i, key in enumerate(self.found.keys)
            if len(key) == 2 and figure.seen(i) is not None
        }

    @cached_property
    def down(self) -> list[str]:
        return sorted({row for row, _ in self.shown}, key=_none_last)

    @cached_property
    def across(self) -> list[str]:
        return sorted({column for _, column in self.shown}, key=_none_last)

    @property
    def total(self) -> int:
        """What the line comes to; rows and columns add up to it."""
        return self.found.figures.lines[self.found.plan.index[self.line]].shown[-1] or 0

    @property
    def proven(self) -> bool:
        return sum(amount for _, amount in self.shown.values()) == self.total

    def titles(self) -> list[str]:
        """What goes down, and what goes across."""
        fields = [self.address.chart.field(name.strip()) for name in self.address.asked.by.split(",")]
        return [field.title for field in fields if field]

    def heads(self) -> list[FigureHead]:
        return [FigureHead(code or NONE, self._name(1, code), "num code-head") for code in self.across]

    def _name(self, place: int, code: str) -> str:
        field = self.address.chart.field(self.address.asked.by.split(",")[place].strip())
        row = field.codes.get(code) if field else None
        return row.name if row else f"no {field.title.lower()}" if field else ""

    def rows(self) -> SafeString:
        return table_rows(TableRow(code or NONE, list(self._cells(code))) for code in self.down)

    def _cells(self, code: str) -> Iterator[Cell]:
        yield Cell(self._name(0, code), "stays", code=code or NONE)
        for column in self.across:
            place, amount = self.shown.get((code, column), (-1, 0))
            if place < 0:
                yield Cell("—", "num")
                continue
            yield Cell(
                self.table.written(amount),
                "num",
                link=self.table.cell_address(self.line, place),
                opens=True,
                in_proof=True,
                title="" if self.table.unit == EXACT else show_amount(amount, self.found.digits),
            )
        yield Cell(self.table.written(self.sums[0][code]), "num total stays-end")

    @cached_property
    def sums(self) -> tuple[dict[str, int], dict[str, int]]:
        """What each code comes to, down and across."""
        both: tuple[dict[str, int], dict[str, int]] = ({}, {})
        for key, (_, amount) in self.shown.items():
            for sums, code in zip(both, key, strict=True):
                sums[code] = sums.get(code, 0) + amount
        return both

    def column_totals(self) -> list[str]:
        return [self.table.written(self.sums[1][code]) for code in self.across]

    def grand_total(self) -> str:
        return self.table.written(self.total)


def _none_last(code: str) -> tuple[bool, str]:
    return not code, code
