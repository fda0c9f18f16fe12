"""Making a rollout: one transaction for all it writes and for the outcome of every cell."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.db import transaction

from core.definitions.state import State
from core.definitions.tables import Rollout
from core.faults import Fault, Refused
from core.rollouts.cells import RolloutCell
from core.rollouts.matrix import Matrix, Tell
from web.definitions import actions, drafting, snapshot
from web.definitions.deciding import decided, keep_others_out
from web.definitions.models import Draft
from web.rollouts.models import RolloutRun
from web.rollouts.queries import fingerprint, matrix_for

LETTERS = {"new": "n", "alike": "a", "cannot": "x"}
MOST_REASONS = 20_000


def letter(cell: RolloutCell, wins: bool) -> str:
    """How a cell came out, as the log keeps it."""
    return LETTERS.get(cell.outcome, "c" if wins else "k")


@decided(keep_others_out)
def roll_out(
    rollout: str,
    ours: str,
    seen: str,
    by: Any,
    draft: int | None = None,
    why: str = "",
    tell: Tell = lambda what, done: None,
    within: Callable[[RolloutRun], None] = lambda run: None,
) -> RolloutRun:
    """Makes it on what is published now, or in a draft. `seen` is the fingerprint of the matrix that was
    looked at; `within` is called last in its transaction. Raises Refused with every reason, or what `tell`
    and `within` raise; then nothing was written."""
    on = _on(draft)
    state = on.state
    row = state.get(Rollout, rollout)
    if row is None:
        raise Refused([Fault("reference", f"There is no rollout {rollout}.")])
    matrix = matrix_for(state, row, ours, by.access(state), tell)
    if matrix.faults:
        raise Refused(matrix.faults)
    if fingerprint(matrix) != seen:
        what = "Definitions or books changed meanwhile, and it would come to something else."
        raise Refused([Fault("changed-since", what, way_out="Look at the matrix as it is now.")])
    cells = sum(1 for _ in matrix.written())
    if not cells:
        raise Refused([Fault("nothing-missing", "There is nothing to make.")])
    tell("writing", cells)
    with transaction.atomic():
        version = _make(matrix, on, by, why)
        run = _kept(matrix, version, draft, by)
        tell("done", cells)
        within(run)
    return run


def _on(draft: int | None) -> snapshot.Snapshot | drafting.Working:
    """What it is made on: what is published, or a draft that is being worked on."""
    return snapshot.current() if draft is None else drafting.working(drafting.allowed(draft, Draft.OPEN))


def _make(matrix: Matrix, on: snapshot.Snapshot | drafting.Working, by: Any, why: str) -> int | None:
    """The version it made, if it isn't in a draft. Raises Moved where what it was worked out on is another
    by now."""
    if isinstance(on, snapshot.Snapshot):
        return actions.make_change(matrix.change(), by, reason=why, on=on.token).version
    drafting.record(on.draft.pk, matrix.change(), by, on=on)
    return None


def _kept(matrix: Matrix, version: int | None, draft: int | None, by: Any) -> RolloutRun:
    reasons = {
        f"{i}.{j}": f"{cell.fault.what} {cell.fault.way_out}".strip()
        for i, row in enumerate(matrix.cells)
        for j, cell in enumerate(row)
        if cell.fault
    }
    return RolloutRun.objects.create(
        rollout=matrix.rollout.rollout,
        name=matrix.rollout.name,
        version_id=version,
        draft_id=draft,
        sentence=matrix.change().sentence(State()),
        things=[list(thing) for thing in matrix.things],
        companies=[[row.company, row.name] for row in matrix.companies],
        outcomes=[
            "".join(letter(cell, win) for cell, win in zip(row, wins, strict=True))
            for row, wins in zip(matrix.cells, matrix.wins, strict=True)
        ],
        reasons=dict(list(reasons.items())[:MOST_REASONS]),
        by=by,
    )
