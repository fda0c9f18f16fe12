"""A list made longer or shorter with the codes that are in it: what it would do first, then done as one
change."""

from __future__ import annotations

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.urls import reverse

from core.faults import Fault, Place, Refused
from core.respelling import Respell
from core.state import State
from core.tables import CodeList
from web.journals.respelling import everything, preview, respell
from web.people.rights import CHANGE, needs
from web.shell.acts import go, seen_version
from web.shell.asked import number
from web.shell.tabular import attached


@needs(CHANGE, published=True, posts=True)
def length(request: HttpRequest, state: State, code_list: str) -> HttpResponse:
    """GET: every code, cell and posted account string before and after. POST: does it."""
    head = state.get(CodeList, code_list)
    if head is None:
        raise Http404
    given = request.POST if request.method == "POST" else request.GET
    characters = number(given, "length", None, 99)
    if characters is None:
        place = Place("code_lists", (code_list,), "length", given.get("length", ""))
        raise Refused([Fault("cell-unreadable", "Give the new length as a number.", place)])
    change = Respell(code_list, characters, given.get("side", "front"))
    if request.method != "POST" and request.GET.get("file"):
        return attached(
            f"{code_list}-{change.length}",
            request.GET["file"],
            ("what", "before", "after"),
            everything(state, change),
        )
    if request.method != "POST":
        return render(
            request, "codes/length.html", {"head": head, "change": change, "told": preview(state, change)}
        )
    if request.seen.as_of is not None:  # type: ignore[attr-defined]
        raise Refused(
            [
                Fault(
                    "as-of",
                    "You look at a version that is past.",
                    way_out="Come back to now to change things.",
                )
            ]
        )
    respell(change, request.user, seen_version(request))
    return go(reverse("codes-settings", args=[code_list]))
