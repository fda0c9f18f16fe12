"""Which definitions a request works on: those published, those of the open draft, or those of an earlier
version."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from django.db.models import QuerySet
from django.http import HttpRequest

from core.access.rights import Right
from core.definitions.state import State
from core.structures.overlays import AS_KEPT, seen_as
from web.definitions.drafting import OPEN_ENDED, Working, working
from web.definitions.history import state_at
from web.definitions.models import Draft
from web.definitions.snapshot import Snapshot, current
from web.process_cache import ProcessCache
from web.shell.asked import number
from web.shell.htmx import is_fragment

_seen: ProcessCache[tuple[str, str, str], State] = ProcessCache(6)

if TYPE_CHECKING:
    from web.people.models import Person


class PineRequest(HttpRequest):
    """A request as views behind a right get it: somebody is signed in, and what they look at is known."""

    user: Person
    viewed: DefinitionView
    defines: bool
    """whether they may change what the page is about"""
    company_named: str
    """by the address; empty where it names none"""


def may_change(request: PineRequest) -> bool:
    """Whether definitions can be changed from where the person looks: by right, not at an earlier version."""
    return request.defines and request.viewed.as_of is None


@dataclass(frozen=True)
class DefinitionView:
    """The definitions a page shows: as published, as a draft would have them, or as of an earlier version."""

    snapshot: Snapshot
    state: State
    working: Working | None = None
    as_of: int | None = None

    def state_seen_as(self, person: Person) -> State:
        """What this shows, for reading, with codes named as the person sees them. Every version of the
        definitions is made ready once for each way to see it. A draft is seen as it is kept: who defines
        needs the codes themselves."""
        seen = person.sees_as()
        if seen == AS_KEPT or self.working is not None:
            return self.state
        key = (self.state.digest, *seen)
        if (localised := _seen.get(key)) is None:
            localised = seen_as(self.state, seen)
            _seen.put(key, localised)
        return localised

    @staticmethod
    def of(request: HttpRequest, person: Person, published: bool) -> DefinitionView:
        snapshot = current()
        access = person.access(snapshot.state)
        if not access.may_anywhere(Right.DEFINE):
            return DefinitionView(snapshot, snapshot.state)
        of_all = Right.DEFINE in access.everywhere
        _opened(request, person, of_all)
        as_of, number = request.session.get("as_of"), request.session.get("draft")
        if of_all and as_of is not None and (state := state_at(as_of)) is not None:
            return DefinitionView(snapshot, snapshot.state if published else state, None, as_of)
        draft = _drafts_of(person, of_all).filter(pk=number).first() if number else None
        if draft is None:
            return DefinitionView(snapshot, snapshot.state)
        open_draft = working(draft)
        return DefinitionView(snapshot, snapshot.state if published else open_draft.state, open_draft)


def drafts_to_work_in(person: Person, state: State) -> QuerySet[Draft]:
    """Open drafts into which the person's changes may go."""
    access = person.access(state)
    if not access.may_anywhere(Right.DEFINE):
        return Draft.objects.none()
    return _drafts_of(person, Right.DEFINE in access.everywhere)


def _drafts_of(person: Person, of_all: bool) -> QuerySet[Draft]:
    """Drafts that a person may work in: one's own, or all where they define everything."""
    rows = Draft.objects.filter(status__in=OPEN_ENDED)
    return rows if of_all else rows.filter(author=person)


def _opened(request: HttpRequest, person: Person, of_all: bool) -> None:
    """A link carries its view: `?draft=7` opens that draft, `?draft=none` what is published, `?version=5`
    looks at that one.

    Only a whole page does; its fragments follow the session.
    """
    if (
        request.method != "GET"
        or is_fragment(request)
        or request.headers.get("Sec-Fetch-Site") == "cross-site"
    ):
        return  # another site's link doesn't decide what somebody works on
    draft, version = number(request.GET, "draft"), number(request.GET, "version")
    if request.GET.get("draft") == "none":
        request.session.pop("draft", None)
        request.session.pop("as_of", None)
    elif draft is not None and _drafts_of(person, of_all).filter(pk=draft).exists():
        request.session["draft"] = draft
        request.session.pop("as_of", None)
    elif of_all and version is not None and state_at(version) is not None:
        request.session["as_of"] = version
        request.session.pop("draft", None)
