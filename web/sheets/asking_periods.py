"""Before periods close out of order, or are opened again: what that means, and why it is done."""

from __future__ import annotations

from django.http import HttpResponse

from core.books.periods import closed_early, reopened
from core.changes.kinds import Change
from core.definitions.state import State
from web.definitions.posted import kept_since
from web.definitions.viewing import PineRequest
from web.sheets.changing import refuse_first, words_of
from web.shell.asking import Choice, ask, decided


def ask_of_periods(request: PineRequest, state: State, change: Change) -> HttpResponse | None:
    """The question, or None where there is nothing to ask, or it was answered with a reason."""
    edits = change.edits(state)
    early, again = closed_early(state, edits), reopened(edits, state)
    if not (early or again) or (decided(request) and words_of(request, "why")):
        return None
    refuse_first(state, change)
    if again:
        kept = kept_since(state, edits)
        again = " ".join((again, *kept, "Say why it is opened."))
    choice = Choice("close", "Close it") if early else Choice("open", "Open it")
    return ask(request, " ".join(filter(None, (early, again))), choice, why=True)
