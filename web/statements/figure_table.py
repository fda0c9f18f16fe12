"""Figures of a statement or hierarchy across columns, as a table."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property

from django.utils.html import format_html
from django.utils.safestring import SafeString

from core.analysis.column_sums import TOTAL
from core.analysis.variances import COLUMNS, PerCents, compares, in_tenths, judgement, per_cent
from core.money import UNITS, show_amount, show_quantity, show_whole
from core.statements.figures import Figure
from core.statements.printing import PrintedLine, left_out, printed
from web.shell.table_rows import Cell, TableRow, indent, table_rows
from web.statements.figure_address import FigureAddress
from web.statements.formula_cells import formula_cells
from web.statements.queries import StatementFigures
from web.statements.rows import WITHOUT_FIGURE
from web.statements.trend_drawing import trend

MANY = 3
"""From more columns on figures are in whole units, unless something else is asked for."""
EXACT = "exact"
MOST_BESIDE_DRAWINGS = 6
BUDGET = COLUMNS[1]


@dataclass(frozen=True, slots=True)
class FigureHead:
    """The head of a column: what it is called, and the names behind its codes."""

    title: str
    name: str
    css: str


@dataclass(frozen=True)
class FigureTable:
    """`trends` are the last periods of each line."""

    address: FigureAddress
    found: StatementFigures
    trends: Mapping[str, Sequence[int | None]]
    noted: Mapping[str, str] = field(default_factory=dict)
    """numbers of notes by line"""
    names: Mapping[str, str] = field(default_factory=dict)
    """of companies that stand side by side"""

    @cached_property
    def _cells_at(self) -> str:
        return f"{self.address.path}cell/?{self.address.query(line='')}"

    def cell_address(self, line: str, column: int) -> str:
        """Where a figure opens: what is asked for is written once for all of them."""
        return f"{self._cells_at}&line={line}&column={column}"

    @cached_property
    def unit(self) -> str:
        asked = self.address.unit
        if asked in UNITS or asked == EXACT:
            return asked
        return "whole" if self.wide > MANY else EXACT

    @cached_property
    def periods_drawn(self) -> int:
        """How many periods the drawings go back; 0 where there is none, or no room for them."""
        if self.wide > MOST_BESIDE_DRAWINGS:
            return 0
        return max((len(values) for values in self.trends.values() if any(values)), default=0)

    @cached_property
    def wide(self) -> int:
        """How many columns are shown, those in per cent too."""
        behind = sum(1 + len(self._per_cents.get(i, ())) for i in self.shown)
        return behind + len(self.found.formulas)

    @property
    def is_narrow(self) -> bool:
        return self.wide <= MANY

    @cached_property
    def empty(self) -> list[int]:
        """Columns of codes or periods in which no line shows anything."""
        lines = self.found.figures.lines
        return [
            i
            for i, title in enumerate(self.found.columns)
            if (self.found.keys or self.found.across or self.address.choice)
            and title.partition("/")[0] != TOTAL
            and not any(f.seen(i) for f in lines)
            and not any(u.raw[i] for u in self.found.figures.unplaced)
        ]

    @cached_property
    def shown(self) -> list[int]:
        """Places of the columns that are shown; those with nothing fold away."""
        folded = () if self.address.everything else self.empty
        return [i for i in range(len(self.found.columns)) if i not in folded]

    def heads(self) -> Iterator[FigureHead]:
        for i in self.shown:
            title = self._title(i).replace("/", " / ")
            yield FigureHead(title, ", ".join(self._names_behind(i)), self._css(i, head=True))
            for one in self._per_cents.get(i, ()):
                of_what = one.title.removeprefix("% ").removesuffix(" %")
                yield FigureHead("%", compares(of_what) if one.before >= 0 else of_what, "per-cent")
            if i in self._judged_in_words:
                yield FigureHead("", "favourable", "judged")
        for worked_out in self.found.formulas:
            yield FigureHead(worked_out.title, worked_out.text, "num worked-out")

    def titles(self) -> list[str]:
        """Each column with the names behind its codes, in one text: for files."""
        return [
            " ".join(filter(None, (self._title(i).replace("/", " / "), ", ".join(self._names_behind(i)))))
            for i in range(len(self.found.columns))
        ]

    def _title(self, column: int) -> str:
        title = self.found.columns[column]
        if self.address.choice:
            return self.names.get(title, title)
        return self.found.currency if title == "amount" else title

    def _names_behind(self, column: int) -> Iterator[str]:
        """The names of a column's codes, or of the budget that it is of."""
        if self.found.keys and self.found.keys[column]:
            fields = [self.address.chart.field(name.strip()) for name in self.address.asked.by.split(",")]
            for field, code in zip(fields, self.found.keys[column], strict=True):
                row = field.codes.get(code) if field else None
                no_code = f"no {field.title.lower()}" if field and not code else code
                yield row.name if row else no_code
        if self.address.asked.budget and compares(self.found.columns[column]) == BUDGET:
            yield self.address.budget_name
        if column < len(self.found.across) and self.address.planned(self.found, column):
            yield self.address.forecast_name

    @cached_property
    def _per_cents(self) -> dict[int, list[PerCents]]:
        """By column those that stand behind it."""
        behind: dict[int, list[PerCents]] = {}
        for one in self.found.per_cents:
            behind.setdefault(one.column, []).append(one)
        return behind

    @cached_property
    def _judged_in_words(self) -> tuple[int, ...]:
        """Where there is room for the words; else they are said of each figure where it is pointed at."""
        return self.found.judged if len(self.found.judged) == 1 else ()

    def _css(self, column: int, head: bool = False) -> str:
        """The total stays in sight, and where there is none of periods the last."""
        is_last = bool(self.found.across) and column == self.shown[-1]
        last = (self.found.columns[column] == TOTAL or is_last) and len(self.shown) > 1
        if self.found.formulas:
            return "num total" if last else "num"
        return "num total stays-end" if last else "num code-head" if head and self.found.keys else "num"

    def rows(self) -> SafeString:
        totals = self.found.plan.statement.totals
        return table_rows(self._row(line) for line in printed(self.lines, totals))

    @cached_property
    def lines(self) -> list[Figure]:
        """Those that are shown: down to a level, and without those with nothing where these fold away."""
        level, lines = self.address.level, self.found.figures.lines
        shown = [figure for figure in lines if not level or figure.line.depth < level]
        if not self.address.filled_only:
            return shown
        return [figure for figure in shown if any(figure.seen(i) for i in self.shown)]

    @cached_property
    def nothing_in(self) -> int:
        """How many lines fold away because nothing is in them."""
        gone = left_out(self.found.figures.lines)
        lines = [
            f
            for f in self.found.figures.lines
            if f.line.row.kind not in WITHOUT_FIGURE and f.line.row.line not in gone
        ]
        return sum(not any(f.seen(i) for i in self.shown) for f in lines)

    def _row(self, printed_line: PrintedLine) -> TableRow:
        line = printed_line.figure.line.row
        css = "heading" if line.kind == "heading" else ""
        key = f"{line.line}/head" if printed_line.part == "head" else line.line
        element = "" if printed_line.part == "head" else f"line-{line.line}"
        return TableRow(
            key,
            list(self._cells(printed_line)),
            css=css,
            element=element,
            level=printed_line.figure.line.depth,
        )

    def _cells(self, printed_line: PrintedLine) -> Iterator[Cell]:
        figure = printed_line.figure
        line, digits = figure.line.row, self.found.digits
        yield Cell(self._label(printed_line), f"{indent(figure.line.depth)} stays", title=line.label)
        values = self.trends.get(line.line, ())
        if self.periods_drawn:
            yield Cell(trend(values, digits) if printed_line.has_figures else "", "trend-cell")
        for i in self.shown:
            yield self._cell(figure, i) if printed_line.has_figures else Cell("", self._css(i))
            for one in self._per_cents.get(i, ()):
                says = printed_line.has_figures and not figure.is_ratio and figure.seen(i) is not None
                yield Cell(in_tenths(per_cent(self.found.figures, figure, one)) if says else "", "per-cent")
            if i in self._judged_in_words:
                yield Cell(judgement(figure, i) if printed_line.has_figures else "", "judged")
        yield from formula_cells(
            self.found,
            figure,
            lambda value: self.written(value, figure),
            has_figures=printed_line.has_figures,
        )

    def _cell(self, figure: Figure, column: int) -> Cell:
        value = figure.seen(column)
        exact = "" if value is None or self.unit == EXACT else show_amount(value, self.found.digits)
        words = judgement(figure, column) if column in self.found.judged else ""
        return Cell(
            self.written(value, figure),
            f"{self._css(column)}{self._judged(figure, column)}",
            link=self.cell_address(figure.line.row.line, column),
            opens=column == self.shown[-1],
            in_proof=True,
            title=" ".join(filter(None, (exact, words))),
        )

    def _label(self, printed_line: PrintedLine) -> SafeString:
        """What is taken off under its heading says so, that a reader can add the column up."""
        figure = printed_line.figure
        code = (
            format_html('<span class="code">{}</span> ', figure.line.row.line)
            if self.address.hierarchy
            else ""
        )
        less = (
            format_html('<span class="soft">{} </span>', "less")
            if self.found.plan.is_taken_off(figure.line) and printed_line.part != "head"
            else ""
        )
        noted = self.noted.get(figure.line.row.line) if printed_line.part != "head" else ""
        note = format_html("<sup>{}</sup>", noted) if noted else ""
        return format_html("{}{}{}{}", less, code, printed_line.label, note)

    def _judged(self, figure: Figure, column: int) -> str:
        """Of a difference whether it is favourable, in colour too."""
        words = judgement(figure, column) if column in self.found.judged else ""
        return {"": "", "favourable": " plus", "unfavourable": " minus"}[words]

    def written(self, value: int | None, figure: Figure | None = None) -> str:
        digits = self.found.digits
        if figure and figure.line.quantity:
            return show_quantity(value, digits)
        if (figure and figure.is_ratio) or self.unit == EXACT:
            return show_amount(value, digits)
        return show_whole(value, digits, UNITS[self.unit])

    def unplaced(self) -> list[tuple[str, str, list[str]]]:
        """(account, name, amounts as shown) of accounts with an amount that stand on no line; per cents are
        empty, and of several companies the name says whose it is."""
        return [
            (
                u.account,
                f"{u.name}, {self.names.get(u.company, u.company)}" if self.address.choice else u.name,
                [text for i in self.shown for text in (self.written(u.raw[i]), *self._no_per_cents(i))],
            )
            for u in self.found.figures.unplaced
            if any(u.raw)
        ]

    def _no_per_cents(self, column: int) -> list[str]:
        more = len(self.found.formulas) if column == self.shown[-1] else 0
        more += column in self._judged_in_words
        return [""] * (len(self._per_cents.get(column, ())) + more)

    @property
    def proven(self) -> bool | None:
        """Whether the columns and `none` add up to the total, line by line; None where there is no total."""
        columns, running = self.found.columns, self.address.balances and not self.found.keys
        if not columns or columns[-1] != TOTAL or running or self.found.alone:
            return None
        if self.found.across and any(part.side for part in self.found.plan.parts):
            return None  # each period's balances stand on their own side
        return all(
            sum(f.raw[:-1]) == f.raw[-1]
            for f in self.found.figures.lines
            if self.found.keys or not (f.line.is_result or f.line.stands)
        )
