"""Each cell of a row as a package could bring it: so that what a screen or a command puts there can go out
and come in again."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from core.definitions.parsing import empty_value, read_cell, write_cell
from core.definitions.row_faults import fault
from core.definitions.tables import BY_ROW
from core.faults import Fault


def check(rows: list[Any]) -> Iterator[Fault]:
    """Cells that no import would read as they are. `rows` are of one table."""
    columns = BY_ROW[type(rows[0])].columns if rows else ()
    for row in rows:
        for column, value in zip(columns, row, strict=True):
            text = write_cell(value)
            if not text:
                if column.must or value != empty_value(column):
                    what = f"The {column.name.replace('_', ' ')} must be given."
                    yield fault(row, column.name, what, "Fill the cell.", "cell-empty")
                continue
            try:
                if read_cell(column, text) != value:
                    what = f"'{text}' would be read as something else."
                    yield fault(row, column.name, what, "Correct the cell.", "cell-unreadable")
            except ValueError as refused:
                yield fault(row, column.name, str(refused), "Correct the cell.", "cell-unreadable")
