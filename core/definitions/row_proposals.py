"""Rows that a person gives, each compared with what is there before anything is taken."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from typing import Any

from core.faults import Fault, Location

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


@dataclass
class Proposals:
    """All rows with the change that takes those that differ (a `Change`; None where there are faults)."""

    rows: list[RowProposal]
    change: Any
    faults: list[Fault]

    def count(self, kind: str) -> int:
        return sum(row.kind == kind for row in self.rows)


def with_faults(proposals: list[RowProposal], faults: dict[int, list[Fault]]) -> list[Fault]:
    """Gives each proposal its faults by its number, and those of other rows one of their own, in order; all
    faults."""
    for proposal in proposals:
        proposal.faults = faults.pop(proposal.number, [])
        proposal.kind = FAULT if proposal.faults else proposal.kind
    proposals += [RowProposal(number, "", "", FAULT, [], rest) for number, rest in faults.items() if rest]
    proposals.sort(key=lambda row: row.number)
    return [fault for row in proposals for fault in row.faults]


def too_many(rows: Sequence[Any], most: int, table: str) -> list[Fault]:
    """A fault where more rows are given than are taken at once."""
    what = f"At most {most:,} rows are taken at once."
    return [Fault("too-many-rows", what, Location(table))] if len(rows) > most else []


def plain_rows(records: Iterable[Sequence[str]]) -> list[list[str]]:
    """Records without empty ones, each cell as a person means it."""
    return [[_plain(cell) for cell in record] for record in records if any(cell.strip() for cell in record)]


def _plain(cell: str) -> str:
    """A cell without the mark that keeps a spreadsheet from running it."""
    cell = cell.strip()
    return cell[1:] if cell.startswith("'") and cell[1:2] in ("=", "+", "-", "@") else cell
