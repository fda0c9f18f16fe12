"""A consolidated statement as a table: columns, rows, comparison, rounding."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from functools import cached_property

from django.utils.html import format_html
from django.utils.safestring import SafeString

from core.analysis.variances import difference_per_cent, in_tenths
from core.group_figures.columns import GROUP, SUBGROUP, column_title
from core.money import UNITS, rounded_to, show_amount, show_whole
from core.statements.figures import Figure
from core.statements.plans import line_title
from core.statements.printing import PrintedLine, printed
from web.group.addresses import GroupAddress
from web.group.queries import GroupFigures
from web.shell.table_rows import Cell, TableRow, addresses, indent, table_rows
from web.statements.formula_cells import WORKED_OUT, formula_cells
from web.statements.queries import StatementFigures

WITHOUT_FIGURE = ("text", "gap")
COMPARED = ("then", "change", "percent")
"""Columns beside the group's where it is compared with another period."""
LARGE = 10_000_000
"""From so many whole units on a table is in thousands, unless something else is asked for."""


@dataclass(frozen=True, slots=True)
class ColumnHead:
    """The head of a column: its title, the whole name behind it, where it opens or folds."""

    key: str
    title: str
    name: str
    css: str = "num"
    subgroup: str = ""


@dataclass(frozen=True)
class ConsolidatedTable:
    """A statement with the columns that are asked for. `then` is the group's column of the period compared
    with, by line."""

    address: GroupAddress
    found: GroupFigures
    names: Mapping[str, str]
    then: Mapping[str, Figure] | None = None
    then_title: str = ""
    noted: Mapping[str, str] = field(default_factory=dict)
    """numbers of notes by line"""
    titled: StatementFigures | None = None
    """the same statement with its columns as they are called, and those worked out of them"""

    @cached_property
    def unit(self) -> str:
        """The unit asked for; else thousands where whole units would be too long to read."""
        if self.address.unit:
            return self.address.unit
        digits = self.found.statement.digits
        most = max(
            (abs(f.shown[-1] or 0) for f in self.found.statement.figures.lines if not f.is_ratio), default=0
        )
        return "thousands" if most >= LARGE * 10**digits else "whole"

    @cached_property
    def shown(self) -> list[int]:
        """Places of the columns that are shown, in order; what corrects stays behind the companies."""
        columns = self.found.statement.columns
        if self.then is not None and not self.address.hidden:
            return [columns.index(GROUP)]  # beside another period only the group, unless more is asked for
        places = [i for i, name in enumerate(columns) if name not in self.address.hidden or name == GROUP]
        if not self.address.by_size:
            return places
        own = [i for i in places if not columns[i].startswith("+")]
        top = self.found.statement.figures.lines[0].shown if self.found.statement.figures.lines else ()
        own.sort(key=lambda i: -abs(top[i] or 0))
        return own + [i for i in places if columns[i].startswith("+")]

    def heads(self) -> Iterator[ColumnHead]:
        columns = self.found.statement.columns
        for i in self.shown:
            name = column_title(self.found.group, columns[i], self.names)
            title = name if columns[i].startswith(("+", SUBGROUP)) else columns[i].capitalize()
            subgroup = columns[i][1:] if columns[i].startswith(SUBGROUP) else ""
            css = "num total stays-end" if columns[i] == GROUP and self.then is None else "num"
            yield ColumnHead(columns[i], title, name, css, subgroup)
        if self.titled:
            yield from (ColumnHead("", one.title, one.text, WORKED_OUT) for one in self.titled.formulas)
        if self.then is not None:
            names = (self.then_title, "Change", "%")
            told = (
                f"The group, {self.then_title}",
                "The group less what it was",
                "In per cent of what it was",
            )
            yield from (ColumnHead(*three) for three in zip(COMPARED, names, told, strict=True))

    def hidden(self) -> list[tuple[str, str]]:
        """(key, title) of columns that are there and hidden."""
        known = [name for name in self.address.hidden if name in self.found.statement.columns]
        return [(name, column_title(self.found.group, name, self.names)) for name in known]

    def rows(self) -> SafeString:
        return table_rows(
            TableRow(
                line.figure.line.row.line + ("/head" if line.part == "head" else ""),
                list(self._cells(line)) if line.part != "head" else self._words(line),
                css="heading" if line.figure.line.row.kind == "heading" else "",
                level=line.figure.line.depth,
            )
            for line in printed(
                self.found.statement.figures.lines, self.found.statement.plan.statement.totals
            )
            if line.figure.line.row.kind not in WITHOUT_FIGURE
        )

    def _words(self, line: PrintedLine) -> list[Cell]:
        """A heading whose total stands below."""
        return [Cell(line.label, f"{indent(line.figure.line.depth)} stays"), *(Cell() for _ in self.heads())]

    def _cells(self, printed_line: PrintedLine) -> Iterator[Cell]:
        columns, digits = self.found.statement.columns, self.found.statement.digits
        figure = printed_line.figure
        line = figure.line.row
        address = addresses("group-cell", self.address.group.group, line.line)
        ratio, query = figure.is_ratio, self.address.query
        noted = self.noted.get(line.line)
        words = printed_line.label
        label = format_html("{}<sup>{}</sup>", words, noted) if noted else words
        yield Cell(label, f"{indent(figure.line.depth)} stays")
        for i in self.shown:
            name, value = columns[i], figure.seen(i)
            yield Cell(
                show_amount(value, digits) if ratio else show_whole(value, digits, UNITS[self.unit]),
                ("num total" if self.then is not None else "num total stays-end") if name == GROUP else "num",
                link=f"{address(name)}?{query}",
                opens=name == GROUP,
                in_proof=True,
                title="" if value is None or ratio else show_amount(value, digits),
            )
        if self.titled:
            yield from formula_cells(self.titled, figure, self._written, has_figures=True)
        if self.then is not None:
            yield from self._compared(figure, self.then.get(line.line), ratio)

    def _written(self, value: int) -> str:
        return show_whole(value, self.found.statement.digits, UNITS[self.unit])

    def _compared(self, figure: Figure, then: Figure | None, ratio: bool) -> Iterator[Cell]:
        digits = self.found.statement.digits
        now, was = figure.seen(len(figure.shown) - 1), then.seen(len(then.shown) - 1) if then else None
        change = None if now is None and was is None else (now or 0) - (was or 0)
        for value in (was, change):
            text = show_amount(value, digits) if ratio else show_whole(value, digits, UNITS[self.unit])
            yield Cell(text, "num", title="" if value is None else show_amount(value, digits))
        yield Cell((in_tenths(difference_per_cent(change, was)) if not ratio else "") or "—", "num")

    def roundings(self) -> list[tuple[str, int]]:
        """Headings whose rounded parts add up to something else than themselves rounded, and by how much."""
        digits, units = self.found.statement.digits, UNITS[self.unit]
        lines = self.found.statement.figures.lines
        sums: dict[int, int] = {}
        for figure in lines:
            if figure.line.parent >= 0 and figure.line.row.kind != "formula":
                value = rounded_to(figure.raw[-1], digits, units)
                sums[figure.line.parent] = sums.get(figure.line.parent, 0) + value
        return [
            (line_title(lines[i].line.row), apart)
            for i, total in sums.items()
            if (apart := rounded_to(lines[i].raw[-1], digits, units) - total)
        ]
