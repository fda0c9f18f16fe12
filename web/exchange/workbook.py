"""A package as one workbook, a sheet a table: for editing in a spreadsheet without losing leading zeros."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from pathlib import Path

import xlsxwriter


def write_workbook(path: Path, tables: Iterable[tuple[str, Sequence[str], Iterable[Sequence[str]]]]) -> None:
    """Every cell is text, so that codes keep their zeros and nothing runs."""
    options = {
        "constant_memory": True,
        "strings_to_formulas": False,
        "strings_to_urls": False,
        "strings_to_numbers": False,
    }
    book = xlsxwriter.Workbook(str(path), options)
    plain = book.add_format({"num_format": "@"})
    bold = book.add_format({"bold": True, "bottom": 1, "num_format": "@"})
    for name, header, rows in tables:
        page = book.add_worksheet(name)
        page.freeze_panes(1, 0)
        page.set_column(0, len(header) - 1, 16, plain)
        for column, text in enumerate(header):
            page.write_string(0, column, text, bold)
        for number, row in enumerate(rows, 1):
            for column, text in enumerate(row):
                if text:
                    page.write_string(number, column, text, plain)
    book.close()
