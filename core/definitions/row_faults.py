"""How a fault at a row of definitions is written."""

from __future__ import annotations

from typing import Any

from core.definitions.parsing import write_cell
from core.definitions.tables import BY_ROW
from core.fault_codes import FaultCode, Severity
from core.faults import MUST, Fault, Location


def fault(
    row: Any,
    column: str,
    what: str,
    way_out: str = "",
    code: FaultCode = "definition",
    severity: Severity = MUST,
) -> Fault:
    """A fault at a column of a definition's row, with the value found there."""
    table = BY_ROW[type(row)]
    shown = write_cell(getattr(row, column, ""))
    key = table.key(row)
    return Fault(
        code, what, Location(table.name, key, column, shown), way_out, f"{table.name}:{key[-1]}", severity
    )
