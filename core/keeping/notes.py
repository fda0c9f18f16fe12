"""What a note makes of two sides that disagree: open, explained, or accepted up to an amount."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

from core.consolidation.eliminate import Disagreement
from core.definitions.state import State
from core.definitions.tables import DisagreementNote
from core.faults import LOOK, MUST
from core.money import parse_amount

OPEN, EXPLAINED, ACCEPTED, BEYOND = "open", "explained", "accepted", "beyond"
SEVERITY = {OPEN: MUST, EXPLAINED: LOOK, ACCEPTED: "", BEYOND: MUST}
"""Empty: in order."""
SAYS = {OPEN: "open", EXPLAINED: "explained", ACCEPTED: "accepted", BEYOND: "more than was accepted"}


class NotedDisagreement(NamedTuple):
    """A pair with its note, if there is one; `state` is BEYOND where it has outgrown what was accepted."""

    apart: Disagreement
    note: DisagreementNote | None
    state: str

    @property
    def severity(self) -> str:
        return SEVERITY[self.state]


def noted(state: State, group: str, rows: Iterable[Disagreement], digits: int) -> list[NotedDisagreement]:
    """Each pair under its rule; `digits` are those of the group's currency."""
    notes = state.part(DisagreementNote, group)
    result = []
    for apart in rows:
        note = notes.get((group, apart.elimination, apart.company, apart.partner))
        how = note.state if note else OPEN
        if note and how == ACCEPTED:
            most = parse_amount(note.up_to, digits)
            how = ACCEPTED if isinstance(most, int) and abs(apart.amount) <= most else BEYOND
        result.append(NotedDisagreement(apart, note, how))
    return result
