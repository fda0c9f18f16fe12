"""What moved since a period was kept: statement by statement, line by line, by its cause."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any, NamedTuple

from core.definitions.state import Edit, State
from core.definitions.tables import (
    DEFINING_TABLES,
    AcquiredEquity,
    Acquisition,
    ChartMapping,
    Elimination,
    Group,
    GroupMember,
    GroupOpening,
    Mapping,
    OwnershipChange,
    Rate,
    TranslationRule,
)
from core.statements.figures import Figures
from core.statements.plans import line_title

JOURNALS, PROGRAM, OTHER = "journals", "program", "definitions"
TABLES_OF_CAUSE: dict[str, tuple[type[Any], ...]] = {
    "rates": (Rate,),
    "shares": (GroupMember, OwnershipChange, Acquisition, AcquiredEquity),
    "rules": (Group, TranslationRule, GroupOpening, Elimination),
    "mapping": (Mapping, ChartMapping),
}
"""In the order in which causes are told apart; what no table here holds counts as other definitions."""


class MovedLine(NamedTuple):
    """A line with what was kept, what each cause brought to it since, and what it is now; as shown, minor
    units, None where it had or has no figure. `by` sums to the difference."""

    line: str
    title: str
    depth: int
    is_heading: bool
    kept: int | None
    by: dict[str, int]
    now: int | None

    @property
    def difference(self) -> int:
        return (self.now or 0) - (self.kept or 0)

    @property
    def has_moved(self) -> bool:
        return any(self.by.values()) or (self.kept is None) != (self.now is None)


def edits_between(one: State, other: State, tables: Sequence[str]) -> list[Edit]:
    """What makes these tables of one state those of the other."""
    edits = []
    for name in tables:
        was, will_be = dict(one.table(name)), dict(other.table(name))
        for key in {**was, **will_be}:
            if was.get(key) != will_be.get(key):
                edits.append(Edit(name, key, was.get(key), will_be.get(key)))
    return edits


def states_between(kept: State, now: State) -> Iterator[tuple[str, State, list[Edit]]]:
    """From the definitions kept to those of now, cause by cause: the state after it and its edits; a cause
    that changed nothing is left out. Other definitions come before mappings, which may name what they add."""
    by_class = {table.row: table.name for table in DEFINING_TABLES}
    named = {cause: [by_class[row] for row in rows] for cause, rows in TABLES_OF_CAUSE.items()}
    taken = {name for names in named.values() for name in names}
    named[OTHER] = [table.name for table in DEFINING_TABLES if table.name not in taken]
    state = kept
    for cause in ("rates", OTHER, "shares", "rules", "mapping"):
        edits = edits_between(state, now, named[cause])
        if edits:
            state = state.edited(edits)
            yield cause, state, edits


def moved_lines(stages: Sequence[tuple[str, Figures]]) -> list[MovedLine]:
    """`stages` are the figures kept (under any name), then those after each cause, the last those of now.
    Only the group's column. In the order of the statement of now; lines that are gone stand last."""
    values = [{figure.line.row.line: figure.shown[-1] for figure in figures.lines} for _, figures in stages]
    first, last = stages[0][1], stages[-1][1]
    lines = {figure.line.row.line: figure.line for figure in (*last.lines, *first.lines)}
    for figure in last.lines:
        lines[figure.line.row.line] = figure.line
    rows = []
    for name, line in lines.items():
        by: dict[str, int] = {}
        for n, (cause, _) in enumerate(stages[1:], 1):
            by[cause] = by.get(cause, 0) + (values[n].get(name) or 0) - (values[n - 1].get(name) or 0)
        rows.append(
            MovedLine(
                name,
                line_title(line.row),
                line.depth,
                line.row.kind == "heading",
                values[0].get(name),
                by,
                values[-1].get(name),
            )
        )
    return rows
