"""Faults are data: collected, never raised one at a time to a user."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from typing import Any

from core.fault_codes import FaultCode, Severity

MUST: Severity = "must"  # ■ must be put right
LOOK: Severity = "look"  # ◆ worth a look

Key = tuple[Any, ...]


@dataclass(frozen=True, slots=True)
class Location:
    """Where a fault stands: a row of a table by its key, a column, the value found; `row` once a file is
    known."""

    table: str = ""
    key: Key = ()
    column: str = ""
    value: str = ""
    row: int | None = None

    def __str__(self) -> str:
        parts = [self.table] if self.table else []
        if self.row is not None:
            parts.append(f"row {self.row}")
        elif self.key:
            parts.append(" ".join(str(part) for part in self.key if part not in ("", None)))
        if self.column:
            parts.append(f"column {self.column}")
        if self.value:
            shown = self.value if len(self.value) <= 80 else self.value[:79] + "…"
            parts.append(f"value '{shown}'")
        return ", ".join(parts)


@dataclass(frozen=True, slots=True)
class Fault:
    """What is wrong, where, and how to put it right. `subject` names the thing for links and grouping."""

    code: FaultCode
    what: str
    where: Location = field(default_factory=Location)
    way_out: str = ""
    subject: str = ""
    severity: Severity = MUST

    def __str__(self) -> str:
        text = f"{self.what} {self.way_out}".strip()
        place = str(self.where)
        text = f"{place}: {text}" if place else text
        return text.translate(LINE_BREAKS)

    def at(self, **place: Any) -> Fault:
        """The same fault with parts of its place replaced."""
        return replace(self, where=replace(self.where, **place))


LINE_BREAKS = {ord("\n"): "⏎", ord("\r"): "⏎", 0: "␀"}


def blocking(faults: Iterable[Fault]) -> list[Fault]:
    """Only those that must be put right."""
    return [fault for fault in faults if fault.severity == MUST]


class Refused(Exception):
    """Carries faults out of an action whose transaction must not go on."""

    def __init__(self, faults: Iterable[Fault]) -> None:
        self.faults = list(faults)
        super().__init__("; ".join(str(fault) for fault in self.faults[:5]))


class WrongCall(Refused):
    """Something asked for does not exist: exit status 2 on the command line, 404 on a screen."""

    def __init__(self, what: str) -> None:
        super().__init__([Fault("wrong-call", what)])
