"""A statement as a workbook that recalculates in any spreadsheet to the same figures."""

from __future__ import annotations

import io
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import xlsxwriter
from xlsxwriter.utility import xl_col_to_name

from core.analysis.variances import (
    CHANGE,
    VARIANCE,
    FormulaColumn,
    PerCents,
    compares,
    judgement,
    per_cent,
    worked_out_column,
)
from core.statements import formulas
from core.statements.line_parts import CREDIT, DEBIT
from core.statements.plans import WITH_FIGURES
from core.statements.printing import left_out, printed
from web.shell.made_by import properties
from web.shell.tabular import SheetBook
from web.statements.queries import StatementFigures

TOP = 3
DIFFERENCES = (VARIANCE, CHANGE)
"""Columns that are the one before the last less the last."""


def statement_workbook(
    found: StatementFigures,
    titles: list[str],
    heading: str,
    made_from: Sequence[tuple[str, str]] = (),
    notes: Sequence[str] = (),
    kind: str = "xlsx",
) -> bytes:
    """One statement as a workbook, or as an open document (`ods`); a last sheet says what it was made
    from."""
    out = io.BytesIO()
    book = new_book(out, kind)
    book.set_properties(properties())
    write_statement(book, found.plan.statement.name, found, titles, heading, notes)
    if made_from:
        write_made_from(book, made_from)
    book.close()
    return out.getvalue()


def new_book(out: io.BytesIO, kind: str) -> SheetBook:
    """A workbook, or an open document (`ods`)."""
    return _open_document(out) if kind == "ods" else new_workbook(out)


def _open_document(out: io.BytesIO) -> SheetBook:
    from web.shell.open_document import OpenDocument

    return OpenDocument(out)


def new_workbook(out: io.BytesIO) -> xlsxwriter.Workbook:
    """Text that begins like a formula or an address stays text."""
    book = xlsxwriter.Workbook(
        out, {"in_memory": True, "strings_to_formulas": False, "strings_to_urls": False}
    )
    book.set_properties(properties())
    return book


def as_sheet_name(words: str) -> str:
    """Words as a sheet of a workbook may be called."""
    return words.translate(str.maketrans("[]:*?/\\'", "        "))[:31]


def write_statement(
    book: SheetBook,
    sheet: str,
    found: StatementFigures,
    titles: Sequence[str],
    heading: str,
    notes: Sequence[str] = (),
) -> None:
    """A sheet in which headings are live sums of what is under them, formulas live formulas; accounts are
    figures, and notes stand below. The title block stays in sight, the outline folds."""
    page = book.add_worksheet(as_sheet_name(sheet) or "Statement")
    money = "#,##0" + (f".{'0' * found.digits}" if found.digits else "")
    bold = book.add_format({"bold": True, "num_format": money})
    plain = book.add_format({"num_format": money})
    top = book.add_format({"bold": True, "bottom": 1, "align": "right"})
    page.write_string(0, 0, heading, book.add_format({"bold": True, "font_size": 13}))
    page.write_string(
        1, 0, f"{found.window.title(found.plan.statement.kind == 'balance_sheet')}, {found.currency}"
    )
    page.write_string(TOP - 1, 0, "Line", book.add_format({"bold": True, "bottom": 1}))
    for column, title in enumerate(titles, 1):
        page.write_string(TOP - 1, column, title, top)
    page.freeze_panes(TOP, 1)
    page.outline_settings(True, False, False, False)
    page.set_column(0, 0, 44)
    page.set_column(1, len(titles), 18)
    indents = [book.add_format({"indent": min(i, 15)}) for i in range(16)]
    order = printed(found.figures.lines, found.plan.statement.totals, every=True)
    hidden = left_out(found.figures.lines)  # formulas may name them, so their rows are there
    rows = {
        found.plan.index[line.figure.line.row.line]: TOP + at
        for at, line in enumerate(order)
        if line.part != "head"
    }
    cells = FormulaCells(found, rows)
    for at, line in enumerate(order):
        depth = line.figure.line.depth
        options = {"level": min(depth, 7), "hidden": line.figure.line.row.line in hidden}
        page.set_row(TOP + at, None, None, options)
        page.write_string(TOP + at, 0, line.label, indents[min(depth, 15)])
        for column in range(len(titles) if line.part != "head" else 0):
            style = bold if line.figure.line.row.kind == "heading" else plain
            cells.write(page, found.plan.index[line.figure.line.row.line], column, style)
    _write_per_cents(page, cells, titles, (top, book.add_format({"num_format": "0.0%"})))
    behind = len(titles) + len(found.per_cents) + 1
    _write_formulas(page, cells, behind, (top, plain))
    _write_judged(page, cells, titles, behind + len(found.formulas), top)
    _unplaced(page, found, len(titles), plain, TOP + len(order))
    _write_notes(page, found, notes, TOP + len(order) + len(found.figures.unplaced) + 1)


def _write_notes(page: Any, found: StatementFigures, notes: Sequence[str], below: int) -> None:
    """Under the figures: sides that differ, what the caller says, what is off by whom."""
    of_sides = [found.told_of_sides] if found.told_of_sides and found.told_of_sides not in notes else []
    for at, note in enumerate([*of_sides, *notes, *(one.sentence(found.digits) for one in found.apart)]):
        page.write_string(below + at, 0, note)


def _write_per_cents(page: Any, cells: FormulaCells, titles: Sequence[str], styles: tuple[Any, Any]) -> None:
    """Columns in per cent, behind those of amounts."""
    found = cells.found
    for at, one in enumerate(found.per_cents, len(titles) + 1):
        words = one.title if one.before >= 0 else f"{one.title}: {titles[one.column]}"
        page.write_string(TOP - 1, at, words, styles[0])
        page.set_column(at, at, 18)
        for i in cells.rows:
            if not found.figures.lines[i].is_ratio:
                cells.write_per_cent(page, i, one, at, styles[1])


def _write_formulas(page: Any, cells: FormulaCells, first: int, styles: tuple[Any, Any]) -> None:
    """Columns worked out of the others, behind all of them."""
    for at, one in enumerate(cells.found.formulas, first):
        page.write_string(TOP - 1, at, f"{one.title} = {one.text}", styles[0])
        page.set_column(at, at, 18)
        for i in cells.rows:
            cells.write_column(page, i, one, at, styles[1])


def _write_judged(page: Any, cells: FormulaCells, titles: Sequence[str], first: int, style: Any) -> None:
    """Whether differences are favourable, in words, behind all others."""
    found = cells.found
    for at, column in enumerate(found.judged, first):
        page.write_string(TOP - 1, at, f"{titles[column]}: favourable or not", style)
        page.set_column(at, at, 18)
        for i in cells.rows:
            cells.write_judgement(page, i, column, at)


def write_made_from(book: SheetBook, made_from: Sequence[tuple[str, str]]) -> None:
    told = book.add_worksheet("Made from")
    told.set_column(0, 0, 22)
    told.set_column(1, 1, 60)
    for at, (what, which) in enumerate(made_from):
        told.write_string(at, 0, what)
        told.write_string(at, 1, which)


@dataclass(frozen=True)
class FormulaCells:
    """Figures as cells that recalculate. `rows` are the rows of the sheet by place of the line."""

    found: StatementFigures
    rows: Mapping[int, int]

    def write(self, page: Any, i: int, column: int, style: Any) -> None:
        found, figure = self.found, self.found.figures.lines[i]
        shown, kind = figure.shown[column], figure.line.row.kind
        if shown is None and kind != "formula":
            return
        value = "" if shown is None else shown / 10**found.digits
        if compares(found.columns[column]) in DIFFERENCES:
            formula = self._variance(i, column)
        elif kind == "heading":
            formula = self._sum(i, column)
        elif kind == "formula":
            formula = self._formula(i, column)
        else:
            page.write_number(self.rows[i], column + 1, value, style)
            return
        page.write_formula(self.rows[i], column + 1, formula, style, value)

    def write_per_cent(self, page: Any, i: int, one: PerCents, to: int, style: Any) -> None:
        """What a figure is of another, in a column behind all others."""
        found, figure = self.found, self.found.figures.lines[i]
        if figure.line.row.kind in ("text", "gap") or (one.line >= 0 and one.line not in self.rows):
            return
        value = per_cent(found.figures, figure, one)
        amount = self._cell(i, one.column)
        whole = self._cell(i, one.before) if one.before >= 0 else self._cell(one.line, one.column)
        base = f"ABS({whole})" if one.before >= 0 else whole
        formula = f'=IF(OR({amount}="",{whole}="",{whole}=0),"",{amount}/{base})'
        page.write_formula(self.rows[i], to, formula, style, "" if value is None else float(value / 100))

    def write_column(self, page: Any, i: int, one: FormulaColumn, to: int, style: Any) -> None:
        """What a formula over the columns comes to on a line."""
        figure, digits = self.found.figures.lines[i], self.found.digits
        if figure.line.row.kind not in (*WITH_FIGURES, "formula"):
            return
        value = worked_out_column(figure, one, digits)
        text = _live(one.formula, lambda place: self._cell(i, int(place)), digits)
        page.write_formula(self.rows[i], to, text, style, "" if value is None else value / 10**digits)

    def write_judgement(self, page: Any, i: int, column: int, to: int) -> None:
        figure = self.found.figures.lines[i]
        own, kind = figure.line.direction, figure.line.row.kind
        if not own or kind not in (*WITH_FIGURES, "formula"):
            return
        cell = self._cell(i, column)
        more, less = ("", "un") if own == CREDIT else ("un", "")
        text = f'=IF(OR({cell}="",{cell}=0),"",IF({cell}>0,"{more}favourable","{less}favourable"))'
        page.write_formula(self.rows[i], to, text, None, judgement(figure, column))

    def _cell(self, line: int, column: int) -> str:
        return f"{xl_col_to_name(column + 1)}{self.rows[line] + 1}"

    def _variance(self, i: int, column: int) -> str:
        """The amount less the budget, empty where either is."""
        amount, budget = self._cell(i, column - 2), self._cell(i, column - 1)
        return f'=IF(OR({amount}="",{budget}=""),"",{amount}-{budget})'

    def _sum(self, i: int, column: int) -> str:
        """The shown sum of the children, each turned to the heading's own direction."""
        lines = self.found.plan.lines
        own = lines[i].direction
        same: list[str] = []
        turned: list[str] = []
        for j, line in enumerate(lines):
            if line.parent == i and self.found.plan.adds(j) and line.row.kind in WITH_FIGURES:
                is_same = (line.direction == DEBIT) == (own == DEBIT)
                (same if is_same else turned).append(self._cell(j, column))
        text = _added(same) or "0"
        if turned:
            text += f"-{_added(turned)}"
        return f"=ROUND({text},{self.found.digits})"

    def _formula(self, i: int, column: int) -> str:
        """The line's formula over cells of its column."""
        formula, index = formulas.parse(self.found.plan.lines[i].row.formula), self.found.plan.index
        return _live(formula, lambda line: self._cell(index[line], column), self.found.digits)


def _live(formula: formulas.Formula, cell: Callable[[str], str], digits: int) -> str:
    """A formula over cells; an empty operand or a division by zero gives an empty cell."""
    stack: list[str] = []
    operands: list[str] = []
    for kind, value in formula.steps:
        if kind == "number":
            stack.append(str(float(value)))
        elif kind == "line":
            name = cell(str(value))
            operands.append(name)
            stack.append(name)
        elif value == "neg":
            stack.append(f"(-{stack.pop()})")
        else:
            right, left = stack.pop(), stack.pop()
            stack.append(f"({left}{value}{right})")
    body = f'IFERROR(ROUND({stack.pop() if stack else 0},{digits}),"")'
    empty = ",".join(f'{name}=""' for name in dict.fromkeys(operands))
    return f'=IF(OR({empty}),"",{body})' if empty else f"={body}"


def _added(cells: list[str]) -> str:
    """SUM of cells in pieces of at most 200, which every spreadsheet takes."""
    pieces = [f"SUM({','.join(cells[i : i + 200])})" for i in range(0, len(cells), 200)]
    return f"({'+'.join(pieces)})" if len(pieces) > 1 else "".join(pieces)


def _unplaced(page: Any, found: StatementFigures, columns: int, style: Any, row: int) -> None:
    """Below the last line, a row apart."""
    if not found.figures.unplaced:
        return
    page.write_string(row + 1, 0, "On no line, debit plus")
    totals = found.figures.unplaced_total()
    for column in range(columns):
        page.write_number(row + 1, column + 1, totals[column] / 10**found.digits, style)
