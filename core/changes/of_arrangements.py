"""Changes of arrangements: begun as a copy, what moved above taken or settled, set back, ended."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from typing import Any

from core.changes.kinds import ChangeSequence, Drop, Put, change
from core.codes.hierarchies import order_key
from core.definitions.state import Edit, State
from core.definitions.tables import ArrangedLine, Arrangement, Statement, StatementLine
from core.faults import Fault, Location
from core.mapping.arrangements import (
    branch,
    fingerprint,
    member_name,
    own_lines,
    stands_as_above,
    upstream,
)
from core.statements.plans import line_title

Lines = Mapping[str, StatementLine]


@change
class Arrange:
    """A statement of its own for a company or group, begun as a copy of the one that it inherits."""

    row: Arrangement
    name: str

    def edits(self, state: State) -> list[Edit]:
        over = state.get(Statement, self.row.over)
        if over is None:
            return []
        own, lines = self.row.statement, own_lines(state, self.row.over)
        rows: list[Any] = [over._replace(statement=own, name=self.name)]
        rows += [row._replace(statement=own) for row in lines.values()]
        rows += [self.row, *(ArrangedLine(own, line, fingerprint(row)) for line, row in lines.items())]
        return ChangeSequence(tuple(Put(row) for row in rows)).edits(state)

    def refusals(self, state: State) -> Iterator[Fault]:
        if state.get(Statement, self.row.statement) is not None:
            what = f"There is a statement {self.row.statement} already."
            where = Location("statements", (self.row.statement,), "statement")
            yield Fault("taken", what, where, "Give another id.")

    def sentence(self, state: State) -> str:
        over = state.get(Statement, self.row.over)
        return f"Arranged {over.name if over else self.row.over} for {member_name(state, self.row)}"


@change
class TakeUpstream:
    """A line as it is above: put here, or gone from here, what stood under it lifted a level."""

    statement: str
    line: str

    def edits(self, state: State) -> list[Edit]:
        arrangement = state.get(Arrangement, self.statement)
        if arrangement is None:
            return []
        above, own = own_lines(state, arrangement.over), own_lines(state, self.statement)
        now, mine = above.get(self.line), own.get(self.line)
        changes: list[Any] = []
        if now is not None:
            row = now._replace(statement=self.statement, parent=now.parent if now.parent in own else "")
            stays = mine is not None and mine.parent == row.parent
            own[self.line] = row._replace(position=mine.position) if mine and stays else row
            changes += _put(own, above, [self.line], () if stays else [self.line])
            changes.append(Put(ArrangedLine(self.statement, self.line, fingerprint(now))))
        elif mine is not None:
            under = [row for row in own.values() if row.parent == self.line]
            changes += [*(Put(row._replace(parent=mine.parent)) for row in under), Drop(mine)]
            if known := state.get(ArrangedLine, self.statement, self.line):
                changes.append(Drop(known))
        return ChangeSequence(tuple(changes)).edits(state)

    def sentence(self, state: State) -> str:
        return f"Took {_title(state, self.statement, self.line)} as it is above into {self.statement}"


@change
class SettleUpstream:
    """A line that moved above stays here as it is, or is left out, with the reason."""

    statement: str
    line: str
    reason: str

    def edits(self, state: State) -> list[Edit]:
        arrangement = state.get(Arrangement, self.statement)
        if arrangement is None:
            return []
        now = own_lines(state, arrangement.over).get(self.line)
        return Put(ArrangedLine(self.statement, self.line, fingerprint(now), self.reason)).edits(state)

    def refusals(self, state: State) -> Iterator[Fault]:
        if not self.reason.strip():
            where = Location("arranged_lines", (self.statement, self.line), "reason")
            what = "Why it is left as it is here is not said."
            yield Fault("note-missing", what, where, "Give the reason.")

    def sentence(self, state: State) -> str:
        title = _title(state, self.statement, self.line)
        return f"Left {title} as it is in {self.statement}: {self.reason}"


@change
class SetBack:
    """A section as it is above (an empty line: all of it): own lines go, changed ones are as they were."""

    statement: str
    line: str = ""

    def edits(self, state: State) -> list[Edit]:
        arrangement = state.get(Arrangement, self.statement)
        if arrangement is None:
            return []
        above, own = own_lines(state, arrangement.over), own_lines(state, self.statement)
        wanted = branch(above, self.line)
        going = [one for one in branch(own, self.line) if one not in above]
        orphans = [one for one, row in own.items() if row.parent in going and one not in {*going, *wanted}]
        after = {one: row for one, row in own.items() if one not in going}
        after |= {one: own[one]._replace(parent="") for one in orphans}
        after |= {one: self._as_above(one, above, own, {*after, *wanted}) for one in wanted}
        changes: list[Any] = _put(after, above, [*orphans, *wanted], wanted)
        changes += [Put(ArrangedLine(self.statement, one, fingerprint(above[one]))) for one in wanted]
        changes += [Drop(own[one]) for one in going]
        return ChangeSequence(tuple(changes)).edits(state)

    def sentence(self, state: State) -> str:
        what = _title(state, self.statement, self.line) if self.line else "all of it"
        return f"Set back {what} of {self.statement} to how it is above"

    def _as_above(self, line: str, above: Lines, own: Lines, stays: Collection[str]) -> StatementLine:
        """A line as it is above; the topmost of a section stays where the section stands here."""
        row = above[line]._replace(statement=self.statement)
        parent = own[line].parent if line == self.line and line in own else row.parent
        return row._replace(parent=parent if parent in stays else "")


@change
class EndArrangement:
    """An arrangement with its statement; what it was over is shown again."""

    statement: str

    def edits(self, state: State) -> list[Edit]:
        arrangement, row = state.get(Arrangement, self.statement), state.get(Statement, self.statement)
        seen = state.part(ArrangedLine, self.statement).values()
        lines = state.part(StatementLine, self.statement).values()
        rows = [*seen, *([arrangement] if arrangement else []), *lines, *([row] if row else [])]
        return ChangeSequence(tuple(Drop(one) for one in rows)).edits(state)

    def sentence(self, state: State) -> str:
        return f"Ended the arrangement {self.statement}"


def _put(
    rows: Lines,
    above: Lines,
    changed: Sequence[str],
    placing: Collection[str],
) -> list[Put]:
    """The lines of an arrangement that changed (`rows` as they are then), and their neighbours where
    `placing` puts some of them where they stand above."""
    puts = {line: rows[line] for line in changed}
    for parent in {rows[line].parent for line in placing}:
        near = sorted(
            (row for row in rows.values() if row.parent == parent),
            key=lambda row: order_key(row.position, row.line),
        )
        names = stands_as_above([row.line for row in near], list(above), placing)
        for i, name in enumerate(names):
            if name in puts or rows[name].position != (i + 1) * 10:
                puts[name] = rows[name]._replace(position=(i + 1) * 10)
    return [Put(row) for row in puts.values()]


def take_all(state: State, statement: str) -> ChangeSequence | None:
    """Everything that moved above, as it is there; None where nothing did."""
    arrangement = state.get(Arrangement, statement)
    moved = upstream(state, arrangement) if arrangement else []
    order = sorted(moved, key=lambda one: one.movement == "gone")
    changes = tuple(TakeUpstream(statement, one.line) for one in order)
    return (
        ChangeSequence(changes, f"Took all {len(changes)} from above into {statement}") if changes else None
    )


def _title(state: State, statement: str, line: str) -> str:
    arrangement = state.get(Arrangement, statement)
    rows = [
        state.get(StatementLine, name, line) for name in (statement, arrangement.over if arrangement else "")
    ]
    return next((line_title(row) for row in rows if row), line)
