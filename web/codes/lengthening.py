"""A list made longer or shorter with the codes that are in it: what it would do first, then done as one
change."""

from __future__ import annotations

from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.urls import reverse

from core.changes.recoding import Recode
from core.definitions.state import State
from core.definitions.tables import CodeList
from core.faults import Fault, Location, Refused
from web.definitions.viewing import PineRequest
from web.journals.recoding import everything, preview, recode
from web.people.rights import CHANGE, needs
from web.sheets.changing import reload_at, seen_version
from web.shell.asked import number
from web.shell.tabular import attached


@needs(CHANGE, published=True, posts=True)
def length(request: PineRequest, state: State, code_list: str) -> HttpResponse:
    """GET: every code, cell and posted account string before and after. POST: does it."""
    code_list_row = state.get(CodeList, code_list)
    if code_list_row is None:
        raise Http404
    given = request.POST if request.method == "POST" else request.GET
    characters = number(given, "length", None, 99)
    if characters is None:
        place = Location("code_lists", (code_list,), "length", given.get("length", ""))
        raise Refused([Fault("cell-unreadable", "Give the new length as a number.", place)])
    change = Recode(code_list, characters, given.get("side", "front"))
    if request.method != "POST" and request.GET.get("file"):
        return attached(
            f"{code_list}-{change.length}",
            request.GET["file"],
            ("what", "before", "after"),
            everything(state, change),
        )
    if request.method != "POST":
        return render(
            request,
            "codes/length.html",
            {"head": code_list_row, "change": change, "told": preview(state, change)},
        )
    if request.viewed.as_of is not None:
        raise Refused(
            [
                Fault(
                    "as-of",
                    "You look at a version that is past.",
                    way_out="Come back to now to change things.",
                )
            ]
        )
    recode(change, request.user, seen_version(request))
    return reload_at(reverse("codes-settings", args=[code_list]))
