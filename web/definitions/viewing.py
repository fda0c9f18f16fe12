"""Which definitions a request works on: those published, those of the open draft, or those of an earlier
version."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from django.db.models import QuerySet
from django.http import HttpRequest

from core.access.rights import Right
from core.definitions.state import State
from core.faults import Fault, Refused
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

    @property
    def name(self) -> str:
        """As an address and a page's requests name it: `draft=7`, `version=5`, empty for what is
        published."""
        if self.as_of is not None:
            return f"version={self.as_of}"
        return f"draft={self.working.draft.pk}" if self.working is not None else ""

    @staticmethod
    def of(request: HttpRequest, person: Person, published: bool) -> DefinitionView:
        """What the person last went over to, in whichever window."""
        snapshot = current()
        access = person.access(snapshot.state)
        if not access.may_anywhere(Right.DEFINE):
            return DefinitionView(snapshot, snapshot.state)
        of_all = Right.DEFINE in access.everywhere
        as_of, draft_open = request.session.get("as_of"), request.session.get("draft")
        if of_all and as_of is not None and (state := state_at(as_of)) is not None:
            return DefinitionView(snapshot, snapshot.state if published else state, None, as_of)
        draft = _drafts_of(person, of_all).filter(pk=draft_open).first() if draft_open else None
        if draft is None:
            return DefinitionView(snapshot, snapshot.state)
        open_draft = working(draft)
        return DefinitionView(snapshot, snapshot.state if published else open_draft.state, open_draft)


VIEW_FIELDS = ("draft", "version")


@dataclass(frozen=True)
class OtherView:
    """A view that an address names, as the person may go over to it."""

    name: str
    told: str
    draft: int | None = None
    as_of: int | None = None

    def open(self, request: HttpRequest) -> None:
        """From now on the person's pages show it, and changes go into it."""
        for key, value in (("draft", self.draft), ("as_of", self.as_of)):
            if value is None:
                request.session.pop(key, None)
            else:
                request.session[key] = value


PUBLISHED = OtherView("", "what is published")


def view_named(person: Person, state: State, name: str) -> OtherView | None:
    """The view of a name (`draft=7`, `draft=none`, `version=5`) where there is such a one and it is the
    person's; else None."""
    access = person.access(state)
    of_all = Right.DEFINE in access.everywhere
    kind, _, value = name.partition("=")
    if not access.may_anywhere(Right.DEFINE):
        return None
    if name in ("", "draft=none"):
        return PUBLISHED
    wanted = number({kind: value}, kind)
    if wanted is None:
        return None
    if kind == "draft" and (draft := _drafts_of(person, of_all).filter(pk=wanted).first()):
        return OtherView(f"draft={wanted}", f"the draft {draft.name}", draft=wanted)
    if kind == "version" and of_all and state_at(wanted) is not None:
        return OtherView(f"version={wanted}", f"the definitions of version {wanted}", as_of=wanted)
    return None


def view_of_link(request: PineRequest) -> OtherView | None:
    """The other view than the one looked at in which a link was made; None where it names none. A link tells
    its view and never changes it: what somebody works on is their own act."""
    if request.method != "GET" or is_fragment(request):
        return None
    for kind in VIEW_FIELDS:
        if value := request.GET.get(kind):
            link = view_named(request.user, request.viewed.snapshot.state, f"{kind}={value}")
            return link if link is not None and link.name != request.viewed.name else None
    return None


def need_the_view_shown(request: PineRequest) -> None:
    """What a page sends works on what that page shows. Raises Refused where the person went over to another
    view since, in another window, or the page's draft was published or dropped."""
    shown = request.headers.get("Pine-View")
    if shown is None or shown == request.viewed.name:
        return
    person, state = request.user, request.viewed.snapshot.state
    link, stands = view_named(person, state, shown), view_named(person, state, request.viewed.name)
    there = link.told if link else "a draft that is published or dropped by now"
    here = stands.told if stands else "what is published"
    what = f"This page shows {there}; what you work on is {here} meanwhile."
    raise Refused([Fault("view-moved", what, way_out="Load the page again. Nothing was changed.")])


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
