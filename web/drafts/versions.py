"""Versions: looking at everything as of one, comparing two, bringing an older one back as a draft."""

from __future__ import annotations

from django.http import HttpResponse
from django.shortcuts import render
from django.urls import reverse

from core.changes.kinds import edit_sentence, joined
from core.definitions.state import State
from core.drafts.replaying import tells
from core.faults import Fault, Refused
from web.definitions import drafting
from web.definitions.history import state_at
from web.definitions.models import Edited, Version
from web.definitions.snapshot import as_edit
from web.definitions.viewing import PineRequest
from web.drafts import queries
from web.drafts.views import asked, causes_page, moves_out, periods_of, shown
from web.people.rights import CHANGE_ALL, needs, needs_post
from web.sheets.changing import reload_at
from web.shell.asked import whole
from web.shell.htmx import page_of

MOST_SENTENCES = 500


def _state(version: int) -> State:
    then = state_at(version)
    if then is None:
        raise Refused(
            [
                Fault(
                    "version-far",
                    f"Version {version} lies too far back, before codes were spelled anew, or is none.",
                    way_out="Choose a later one.",
                )
            ]
        )
    return then


@needs_post(CHANGE_ALL)
def look(request: PineRequest, state: State, version: int) -> HttpResponse:
    """From now on every page shows the definitions as of this version; nothing can be changed meanwhile."""
    _state(version)
    request.session.pop("draft", None)
    request.session["as_of"] = version
    return reload_at(reverse("codes"))


@needs_post(CHANGE_ALL)
def now(request: PineRequest, state: State) -> HttpResponse:
    request.session.pop("as_of", None)
    return reload_at(page_of(request))


@needs_post(CHANGE_ALL)
def bring_back(request: PineRequest, state: State, version: int) -> HttpResponse:
    """A draft that turns back every version after this one; nothing is published by it."""
    _state(version)
    draft = drafting.bring_back(version, request.user, f"Back to version {version}")
    request.session.pop("as_of", None)
    request.session["draft"] = draft.pk
    return reload_at(reverse("draft", args=[draft.pk]))


@needs(CHANGE_ALL)
def compare(request: PineRequest, state: State) -> HttpResponse:
    """Two versions side by side: which rows differ, and which figures."""
    newest = request.viewed.snapshot.version

    one, other = sorted((whole(request.GET, "from", max(0, newest - 1)), whole(request.GET, "to", newest)))
    before, after = _state(one), _state(other)
    at = asked(request, after)
    if request.GET.get("line"):
        return causes_page(request, before, after, at)
    rows = Edited.objects.filter(version_id__gt=one, version_id__lte=other).order_by("version_id", "pk")
    edits = [edit for edit in joined(as_edit(row) for row in rows) if tells(edit)]
    trees = queries.moved(before, after, at)
    if kind := request.GET.get("file"):
        return moves_out(kind, f"versions-{one}-{other}", after, trees)
    return render(
        request,
        "drafts/compare.html",
        {
            "one": one,
            "other": other,
            "newest": newest,
            "at": at,
            "trees": shown(after, trees),
            "edits": len(edits),
            "sentences": [edit_sentence(edit) for edit in edits[:MOST_SENTENCES]],
            "periods": periods_of(after),
            "versions": list(Version.objects.order_by("-version")[:200]),
            "total": sum(len(t.rows) for t in trees),
            "period": next(
                (p for year in periods_of(after) for p in year if (p.fiscal_year, p.period) == at[:2]), None
            ),
            "names": (f"Version {one}", f"Version {other}"),
            "causes": f"{request.path}?from={one}&to={other}",
        },
    )
