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
from web.definitions.models import Draft
from web.rollouts.models import RolloutRun
from web.rollouts.queries import fingerprint, matrix_for
from web.shell.retrying import retried

LETTERS = {"new": "n", "alike": "a", "cannot": "x"}
MOST_REASONS = 20_000


def letter(cell: RolloutCell, wins: bool) -> str:
    """How a cell came out, as the log keeps it."""
    return LETTERS.get(cell.outcome, "c" if wins else "k")


@retried
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
    with transaction.atomic():
        state = _locked_state(draft)
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
        version = _make(matrix, by, draft, why)
        run = _kept(matrix, version, draft, by)
        tell("done", cells)
        within(run)
    return run


def _locked_state(draft: int | None) -> State:
    """Nobody else changes them until commit."""
    if draft is None:
        actions.lock_definitions()
        return snapshot.current().state
    return drafting.working(drafting.locked(draft, Draft.OPEN)).state


def _make(matrix: Matrix, by: Any, draft: int | None, why: str) -> int | None:
    if draft is None:
        return actions.make_change(matrix.change(), by, reason=why).version
    drafting.record(draft, matrix.change(), by)
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
