"""How checks write their faults."""

from __future__ import annotations

from typing import Any

from core.codes.selectors import Picked, pick
from core.definitions.row_faults import fault
from core.definitions.state import State
from core.faults import LOOK, Fault


def selector_faults(state: State, row: Any, column: str, code_list: str) -> tuple[Picked, list[Fault]]:
    """Works a selector column out and tells what is wrong with it; empty ranges are only worth a look."""
    picked = pick(state, code_list, getattr(row, column))
    rows = [fault(row, column, text, "Correct the selector.", "selector") for text in picked.faults]
    rows += [fault(row, column, text, "", "selector-empty", LOOK) for text in picked.looks]
    return picked, rows
