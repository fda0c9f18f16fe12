"""How checks write their faults, and what rows of several tables are looked at for alike."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from core.codes.selectors import Picked, pick
from core.definitions.row_faults import fault
from core.definitions.state import State
from core.faults import LOOK, Fault
from core.structures.charts import ChartIndex


def selector_faults(state: State, row: Any, column: str, code_list: str) -> tuple[Picked, list[Fault]]:
    """Works a selector column out and tells what is wrong with it; empty ranges are only worth a look."""
    picked = pick(state, code_list, getattr(row, column))
    rows = [fault(row, column, text, "Correct the selector.", "selector") for text in picked.faults]
    rows += [fault(row, column, text, "", "selector-empty", LOOK) for text in picked.looks]
    return picked, rows


def mapping_faults(state: State, row: Any, own: ChartIndex) -> Iterator[Fault]:
    """What is wrong with the accounts of a mapping row and with its condition; `own` is the chart they are
    of."""
    yield from selector_faults(state, row, "accounts", own.natural_list)[1]
    if bool(row.field) != bool(row.codes):
        column = "codes" if row.field else "field"
        yield fault(row, column, "A condition needs a field and its codes.", "Give both or neither.")
    elif row.field:
        field = own.field(row.field)
        if field is None:
            what = f"{own.chart} has no segment or dimension {row.field}."
            yield fault(row, "field", what, "Name one of it.", "reference")
        else:
            yield from selector_faults(state, row, "codes", field.code_list)[1]
