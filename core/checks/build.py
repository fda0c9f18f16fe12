"""How checks write their faults."""

from __future__ import annotations

from typing import Any

from core.codes.selectors import Picked, pick
from core.definitions.state import State
from core.definitions.tables import BY_ROW
from core.faults import LOOK, MUST, Fault, Location


def fault(
    row: Any, column: str, what: str, way_out: str = "", code: str = "definition", severity: str = MUST
) -> Fault:
    """A fault at a column of a definition's row, with the value found there."""
    table = BY_ROW[type(row)]
    value = getattr(row, column, "")
    shown = "" if value is None else str(value).lower() if isinstance(value, bool) else str(value)
    key = table.key(row)
    return Fault(
        code, what, Location(table.name, key, column, shown), way_out, f"{table.name}:{key[-1]}", severity
    )


def selector_faults(state: State, row: Any, column: str, code_list: str) -> tuple[Picked, list[Fault]]:
    """Works a selector column out and tells what is wrong with it; empty ranges are only worth a look."""
    picked = pick(state, code_list, getattr(row, column))
    rows = [fault(row, column, text, "Correct the selector.", "selector") for text in picked.faults]
    rows += [fault(row, column, text, "", "selector-empty", LOOK) for text in picked.looks]
    return picked, rows
