"""A draft: changes in order, replayed on the definitions as they are by now. What collides, and what depends
on what."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any, NamedTuple

from core import checks
from core.changes.kinds import Amend, Change, ChangeSequence, ChangeSet, Put, joined
from core.definitions.nouns import named
from core.definitions.parsing import write_cell
from core.definitions.state import Edit, Key, State
from core.definitions.tables import BY_ROW, TABLES
from core.fault_codes import FaultCode
from core.faults import Fault, blocking

MAY_WAIT: tuple[FaultCode, ...] = ("placed-twice", "sign-mixed", "sign-turned", "class-misplaced", "selector")
"""Faults that a change brings to other rows and that a draft may hold until it is published: a code moved in
a tree
first, the statement that picks it put right after."""
PLACED = {"hierarchy_nodes": "position", "statement_lines": "position"}
"""Columns that only say the order among neighbours: two people may number the same neighbours anew."""


def recorded(change: Change, state: State) -> Change:
    """The change as a draft keeps it: of a known row only the columns that it changes, so that others stay
    free."""
    if isinstance(change, ChangeSequence):
        rows = []
        for part in change.changes:
            rows.append(recorded(part, state))
            state = state.edited(part.edits(state))
        return ChangeSequence(tuple(rows), change.told)
    if isinstance(change, ChangeSet):
        return ChangeSet(tuple(recorded(part, state) for part in change.changes), change.told)
    if isinstance(change, Put):
        table = BY_ROW[type(change.row)]
        old = state.get(type(change.row), *table.key(change.row))
        if old is not None:
            values = tuple(
                (name, write_cell(new))
                for name, was, new in zip(table.row._fields, old, change.row, strict=True)
                if was != new
            )
            return Amend(table.name, tuple(write_cell(part) for part in table.key(change.row)), values)
    return change


class Step(NamedTuple):
    """A change of a draft as it works out by now. No edits: it does nothing any more."""

    number: int
    change: Change
    sentence: str
    edits: tuple[Edit, ...]


class Replayed(NamedTuple):
    """A draft's steps on a state, and the state they lead to."""

    base: State
    steps: tuple[Step, ...]
    state: State

    def edits(self) -> list[Edit]:
        """What the draft comes to: each row once, before and after."""
        return joined(edit for step in self.steps for edit in step.edits)

    def followed(self, made: Sequence[tuple[int, Change]]) -> Replayed:
        """With further changes at the end."""
        steps, state = list(self.steps), self.state
        for number, change in made:
            edits = tuple(change.edits(state))
            steps.append(Step(number, change, change.sentence(state), edits))
            state = state.edited(edits) if edits else state
        return Replayed(self.base, tuple(steps), state)


def replay(base: State, made: Sequence[tuple[int, Change]]) -> Replayed:
    """Makes numbered changes one after the other."""
    return Replayed(base, (), base).followed(made)


class Collision(NamedTuple):
    """A row that the draft and a version published meanwhile both changed. `columns` are those that
    differ."""

    table: str
    key: Key
    columns: tuple[str, ...]
    mine: Any
    theirs: Any

    @property
    def sentence(self) -> str:
        if self.mine is None or self.theirs is None:
            row = self.mine if self.mine is not None else self.theirs
            who = ("The draft deletes", "a version published meanwhile changes it")
            one, other = (
                who
                if self.mine is None
                else ("A version published meanwhile deletes", "the draft changes it")
            )
            return f"{one} the {named(row)}; {other}."
        sides = ", ".join(
            f"{name} {write_cell(getattr(self.theirs, name)) or 'empty'} as published, "
            f"{write_cell(getattr(self.mine, name)) or 'empty'} in the draft"
            for name in self.columns
        )
        return f"The {named(self.theirs)} was changed meanwhile: {sides}."


def collisions(mine: Iterable[Edit], theirs: Iterable[Edit]) -> list[Collision]:
    """Rows where a draft would undo what was published since it began.

    `theirs` is what was published since, `mine` what the draft comes to on top of that.
    """
    published = {(edit.table, edit.key): edit for edit in theirs}
    rows = []
    for edit in mine:
        other = published.get((edit.table, edit.key))
        if other is None or (edit.new is None and other.new is None):
            continue  # both deleted it: nothing is left to decide
        columns: tuple[str, ...] = ()
        if edit.new is not None and other.new is not None:
            columns = tuple(
                name
                for i, name in enumerate(TABLES[edit.table].row._fields)
                if edit.new[i] != other.new[i]
                and (other.old is None or other.new[i] != other.old[i])
                and name != PLACED.get(edit.table)
            )
            if not columns:
                continue
        rows.append(Collision(edit.table, edit.key, columns, edit.new, other.new))
    return rows


def tells(edit: Edit) -> bool:
    """Whether an edit says more than the order among neighbours."""
    if edit.old is None or edit.new is None or edit.table not in PLACED:
        return True
    name = PLACED[edit.table]
    return bool(edit.old._replace(**{name: None}) != edit.new._replace(**{name: None}))


def touching(replayed: Replayed, table: str, key: Key) -> list[int]:
    """Numbers of the steps that change a row."""
    return [
        step.number
        for step in replayed.steps
        if any((e.table, e.key) == (table, key) and tells(e) for e in step.edits)
    ]


def dependents(replayed: Replayed, number: int) -> list[int]:
    """Other steps that can't stay when one is taken back: they would do nothing any more, or leave a
    fault."""
    gone = {number}
    had = {step.number for step in replayed.steps if step.edits}
    known = {(fault.where, fault.what) for fault in _faults(replayed)}
    while True:
        left = replay(replayed.base, [(s.number, s.change) for s in replayed.steps if s.number not in gone])
        lost = {step.number for step in left.steps if not step.edits and step.number in had}
        for fault in _faults(left):
            if (fault.where, fault.what) not in known:
                lost |= set(touching(left, fault.where.table, fault.where.key))
        if not lost:
            return sorted(gone - {number})
        gone |= lost


def _faults(replayed: Replayed) -> list[Fault]:
    return blocking(checks.of_change(replayed.base, replayed.state, replayed.edits()))
