"""Rows that a person gives, each compared with what is there before anything is taken."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

from core.faults import Fault

NEW, CHANGED, SAME, FAULT = "new", "changed", "same", "fault"


@dataclass
class RowProposal:
    """One row: what it would do, and each cell that would change as (column, was, now)."""

    number: int
    code: str
    name: str
    kind: str
    differences: list[tuple[str, str, str]] = field(default_factory=list)
    faults: list[Fault] = field(default_factory=list)


def plain_rows(records: Iterable[Sequence[str]]) -> list[list[str]]:
    """Records without empty ones, each cell as a person means it."""
    return [[_plain(cell) for cell in record] for record in records if any(cell.strip() for cell in record)]


def _plain(cell: str) -> str:
    """A cell without the mark that keeps a spreadsheet from running it."""
    cell = cell.strip()
    return cell[1:] if cell.startswith("'") and cell[1:2] in ("=", "+", "-", "@") else cell
