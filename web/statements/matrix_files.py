"""A matrix taken off its page: as rows, as a workbook or open document whose totals recalculate."""

from __future__ import annotations

import io
from collections.abc import Callable, Sequence
from typing import NamedTuple

from xlsxwriter.utility import xl_rowcol_to_cell as at_cell

from core.analysis.axes import CrossedAmounts
from core.faults import WrongCall
from web.shell.made_by import properties
from web.shell.tabular import Cell, Money, SheetBook
from web.statements.outline import as_sheet_name, new_book, write_made_from

TOP = 3
"""The row of the heads: the title stands above."""
MOST_FILED = 100_000
"""So many cells go into a workbook."""


class MatrixSheet(NamedTuple):
    """One line by two axes. Amounts as shown, in minor units; None where nothing was posted. `row_totals` and
    `column_totals` are None where what stands along them runs on."""

    title: str
    whose: str
    stretch: str
    down: str
    """what stands down is called"""
    currency: str
    digits: int
    heads: tuple[str, ...]
    labels: tuple[tuple[str, str], ...]
    """code and name of each row"""
    cells: tuple[tuple[int | None, ...], ...]
    row_totals: tuple[int, ...] | None
    column_totals: tuple[int, ...] | None
    total: int

    @property
    def file_name(self) -> str:
        return " ".join((self.title, self.whose, self.stretch))

    def table(self) -> tuple[list[str], list[list[Cell]]]:
        """Heads and rows, the totals last both ways."""
        header = [self.down, "name", *self.heads, *([] if self.row_totals is None else ["total"])]
        rows: list[list[Cell]] = []
        for i, label in enumerate(self.labels):
            totals = [] if self.row_totals is None else [self.row_totals[i]]
            rows.append([*label, *(Money(value, self.digits) for value in (*self.cells[i], *totals))])
        if self.column_totals is not None:
            totals = [] if self.row_totals is None else [self.total]
            rows.append(
                ["total", "", *(Money(value, self.digits) for value in (*self.column_totals, *totals))]
            )
        return header, rows


def matrix_sheet(
    amounts: CrossedAmounts,
    shown: Callable[[int], int],
    heads: Sequence[str],
    labels: Sequence[tuple[str, str]],
    about: tuple[str, str, str, str, str, int],
) -> MatrixSheet:
    """`about`: title, whose, stretch, what stands down, currency and its digits. Raises WrongCall for more
    cells than a file takes."""
    if len(amounts.down) * len(amounts.across) > MOST_FILED:
        raise WrongCall("That is too many cells for a file: narrow it, or choose another field.")
    cells = tuple(
        tuple(shown(int(raw)) if there else None for raw, there in zip(row, touched, strict=True))
        for row, touched in zip(amounts.amounts.tolist(), amounts.touched.tolist(), strict=True)
    )
    row_totals = None if amounts.across_runs else tuple(map(shown, amounts.row_totals))
    column_totals = None if amounts.down_runs else tuple(map(shown, amounts.column_totals))
    return MatrixSheet(
        *about, tuple(heads), tuple(labels), cells, row_totals, column_totals, shown(amounts.total)
    )


def matrix_book(sheet: MatrixSheet, made_from: Sequence[tuple[str, str]], kind: str) -> bytes:
    """`kind` is xlsx or ods. Totals are live sums, with what they come to kept beside."""
    out = io.BytesIO()
    book: SheetBook = new_book(out, kind)
    book.set_properties(properties())
    write_matrix(book, "Matrix", sheet)
    write_made_from(book, made_from)
    book.close()
    return out.getvalue()


def write_matrix(book: SheetBook, name: str, sheet: MatrixSheet) -> None:
    """A sheet of a book under a name."""
    page = book.add_worksheet(as_sheet_name(name))
    money = "#,##0" + (f".{'0' * sheet.digits}" if sheet.digits else "")
    plain, bold = book.add_format({"num_format": money}), book.add_format({"bold": True, "num_format": money})
    top = book.add_format({"bold": True, "bottom": 1, "align": "right"})
    page.write_string(0, 0, f"{sheet.title}, {sheet.whose}", book.add_format({"bold": True, "font_size": 13}))
    page.write_string(1, 0, f"{sheet.stretch}, {sheet.currency}")
    page.write_string(TOP - 1, 0, sheet.down, book.add_format({"bold": True, "bottom": 1}))
    last = len(sheet.heads)
    for column, head in enumerate((*sheet.heads, *(() if sheet.row_totals is None else ("total",))), 1):
        page.write_string(TOP - 1, column, head, top)
    page.freeze_panes(TOP, 1)
    page.set_column(0, 0, 44)
    page.set_column(1, last + 1, 18)
    scale = 10**sheet.digits
    for i, (label, cells) in enumerate(zip(sheet.labels, sheet.cells, strict=True)):
        row = TOP + i
        page.write_string(row, 0, " ".join(filter(None, label)))
        for column, value in enumerate(cells, 1):
            if value is not None:
                page.write_number(row, column, value / scale, plain)
        if sheet.row_totals is not None:
            span = f"{at_cell(row, 1)}:{at_cell(row, last)}"
            page.write_formula(row, last + 1, f"=SUM({span})", bold, sheet.row_totals[i] / scale)
    if sheet.column_totals is not None and sheet.labels:
        row = TOP + len(sheet.labels)
        page.write_string(row, 0, "total", book.add_format({"bold": True}))
        totals = [*sheet.column_totals, *([] if sheet.row_totals is None else [sheet.total])]
        for column, value in enumerate(totals, 1):
            span = f"{at_cell(TOP, column)}:{at_cell(row - 1, column)}"
            page.write_formula(row, column, f"=SUM({span})", bold, value / scale)
