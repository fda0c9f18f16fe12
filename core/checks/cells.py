"""Each cell of a row as a package could bring it: so that what a screen or a command puts there can go out
and come in again."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from core.definitions.parsing import empty_value, read_cell, write_cell
from core.definitions.row_faults import fault
from core.definitions.tables import BY_ROW, Column
from core.fault_codes import FaultCode
from core.faults import Fault


def check(rows: list[Any]) -> Iterator[Fault]:
    """Cells that no import would read as they are. `rows` are of one table. A value that stands in many rows
    is looked at once."""
    columns = BY_ROW[type(rows[0])].columns if rows else ()
    for place, column in enumerate(columns):
        wrong = {
            value: said
            for value in {row[place] for row in rows}
            if (said := _wrong(column, value)) is not None
        }
        for row in rows if wrong else ():
            if (said := wrong.get(row[place])) is not None:
                yield fault(row, column.name, *said)


def _wrong(column: Column, value: Any) -> tuple[str, str, FaultCode] | None:
    """What is wrong with a cell, the way out, and the fault's code; None where nothing is."""
    text = write_cell(value)
    if not text:
        if column.must or value != empty_value(column):
            return f"The {column.name.replace('_', ' ')} must be given.", "Fill the cell.", "cell-empty"
        return None
    try:
        if read_cell(column, text) != value:
            return f"'{text}' would be read as something else.", "Correct the cell.", "cell-unreadable"
    except ValueError as refused:
        return str(refused), "Correct the cell.", "cell-unreadable"
    return None
