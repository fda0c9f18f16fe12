"""One cell of a rollout's matrix: what would come of one thing in one company, and what it would write."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Literal, NamedTuple

from core.definitions.parsing import write_cell
from core.definitions.state import State
from core.definitions.tables import BY_ROW
from core.faults import Fault

Outcome = Literal["new", "alike", "differs", "cannot"]
Scope = Literal["list", "chart", "company"]


class Placing(NamedTuple):
    """An account that goes onto a line of a statement."""

    statement: str
    line: str
    code: str


class Difference(NamedTuple):
    """A column in which the row that is there and the one that comes are not alike."""

    column: str
    there: str
    ours: str


class RolloutCell(NamedTuple):
    """`rows` and `placing` are written where it is new, or where it differs and the source wins. `scope`: for
    whom they hold: everyone on the code list or chart, or the one company. `note`: worth saying of it."""

    outcome: Outcome
    rows: tuple[Any, ...] = ()
    placing: Placing | None = None
    differences: tuple[Difference, ...] = ()
    fault: Fault | None = None
    note: str = ""
    scope: Scope = "chart"


ALIKE = RolloutCell("alike")


def cannot(fault: Fault) -> RolloutCell:
    return RolloutCell("cannot", fault=fault)


def compared(state: State, rows: Sequence[Any], scope: Scope, but: Sequence[str] = ()) -> RolloutCell:
    """Rows of the source, as the target would keep them, beside those that are there. `but`: columns in which
    they may differ."""
    fresh, changed, differences = [], [], []
    for row in rows:
        table = BY_ROW[type(row)]
        there = state.get(type(row), *table.key(row))
        if there is None:
            fresh.append(row)
            continue
        ours = row._replace(**{name: getattr(there, name) for name in but if name in row._fields})
        if ours != there:
            changed.append(ours)
            differences += [
                Difference(name, write_cell(getattr(there, name)), write_cell(getattr(ours, name)))
                for name in row._fields[table.keys :]
                if getattr(there, name) != getattr(ours, name)
            ]
    if changed:
        return RolloutCell("differs", (*fresh, *changed), differences=tuple(differences), scope=scope)
    return RolloutCell("new", tuple(fresh), scope=scope) if fresh else ALIKE


def both(one: RolloutCell, other: RolloutCell) -> RolloutCell:
    """Two parts of one thing as one cell: the graver outcome stands, what either writes is written."""
    ranks = {"cannot": 3, "differs": 2, "new": 1, "alike": 0}
    graver, lighter = (one, other) if ranks[one.outcome] >= ranks[other.outcome] else (other, one)
    if graver.outcome == "cannot" or lighter.outcome == "alike":
        return graver
    return RolloutCell(
        graver.outcome,
        (*one.rows, *other.rows),
        differences=(*one.differences, *other.differences),
        note=one.note or other.note,
        scope=_scope([part for part in (one, other) if part.outcome == graver.outcome]),
    )


def _scope(parts: Sequence[RolloutCell]) -> Scope:
    """A choice in a cell holds for all for whom one of the rows that it is about does."""
    return next((part.scope for part in parts if part.scope != "company"), "company")
