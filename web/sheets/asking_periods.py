"""Before periods close out of order, or are opened again: what that means, and why it is done. Before a
calendar changes under what was posted: which journals fall into another period then."""

from __future__ import annotations

from django.http import HttpResponse

from core.books.periods import closed_early, reopened
from core.changes.kinds import Change
from core.definitions.state import Edit, State
from core.lost_rates import lost_rates, lost_rates_sentence
from web.definitions.actions import check_rights
from web.definitions.posted import falling_then, kept_since
from web.definitions.viewing import PineRequest
from web.sheets.changing import refuse_first, words_of
from web.shell.asking import Choice, ask, decided


def ask_of_periods(request: PineRequest, state: State, change: Change) -> HttpResponse | None:
    """The question, or None where there is nothing to ask, or it was answered with a reason."""
    edits = change.edits(state)
    check_rights(request.user, state, state.edited(edits), edits)  # before anything of others is told
    early, again = closed_early(state, edits), reopened(edits, state)
    needs_why, moving = bool(early or again), _moving(state, edits)
    if not (needs_why or moving) or (decided(request) and (words_of(request, "why") or not needs_why)):
        return None
    refuse_first(request, state, change)
    if again:
        kept = kept_since(state, edits)
        again = " ".join((again, *kept, "Say why it is opened."))
    choice = Choice("close", "Close it") if early else Choice("open", "Open it")
    choice = choice if needs_why else Choice("sort", "Sort them anew")
    return ask(request, " ".join(filter(None, (moving, early, again))), choice, why=needs_why)


def _moving(state: State, edits: list[Edit]) -> str:
    """What a changed calendar sorts anew and which rates it leaves behind; empty where nothing."""
    if not any(edit.table in ("periods", "companies") and edit.old is not None for edit in edits):
        return ""
    after = state.edited(edits)
    sentences = falling_then(state, after), lost_rates_sentence(lost_rates(state, after))
    return " ".join(filter(None, sentences))
