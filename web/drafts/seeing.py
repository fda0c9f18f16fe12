"""Which drafts somebody may look at, and which they may work in."""

from __future__ import annotations

from typing import Any

from django.db.models import QuerySet
from django.http import Http404

from core.access.rights import Right
from core.definitions.state import State
from web.definitions import drafting
from web.definitions.models import Draft
from web.definitions.viewing import PineRequest


def _has_everywhere(person: Any, state: State, *rights: Right) -> bool:
    return any(right in person.access(state).everywhere for right in rights)


def _may_look(person: Any, draft: Draft) -> bool:
    """One's own, and those of which everything is one's to change or approve."""
    if draft.author_id == person.pk:
        return True
    if draft.status not in drafting.OPEN_ENDED:
        return False
    made = drafting.working(draft)
    edits = list(made.edits.values())
    return bool(edits) and not person.not_allowed(made.published.state, made.state, edits, approves=True)


def drafts_seen(person: Any, state: State, rows: QuerySet[Draft]) -> list[Draft]:
    """Of some drafts those that the person may look at, newest first."""
    access = person.access(state)
    if not (access.may_anywhere(Right.DEFINE) or access.may_anywhere(Right.APPROVE)):
        return []
    drafts = list(rows.select_related("author", "published_as").order_by("-pk"))
    if _has_everywhere(person, state, Right.DEFINE, Right.APPROVE):
        return drafts
    return [draft for draft in drafts if _may_look(person, draft)]


def known_draft(request: PineRequest, number: int, *, to_work: bool = False) -> Draft:
    """A draft that the person may look at, or may change. Raises Http404 for any other."""
    draft = Draft.objects.select_related("author", "approved_by").filter(pk=number).first()
    state = request.viewed.snapshot.state
    if draft is None:
        raise Http404
    rights = (Right.DEFINE,) if to_work else (Right.DEFINE, Right.APPROVE)
    if _has_everywhere(request.user, state, *rights):
        return draft
    if draft.author_id != request.user.pk if to_work else not _may_look(request.user, draft):
        raise Http404
    return draft
