"""Hierarchies changed: begun, moved in, intakes, versions kept."""

from __future__ import annotations

from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.urls import reverse

from core.changes.kinds import Add, Amend, Change, ChangeSequence, MoveNode
from core.changes.of_codes import KeepVersion, MoveNodes, TakeOut, by_beginnings, copied, shifted
from core.codes.hierarchies import main_hierarchies, tree
from core.codes.lists import list_index, pad
from core.codes.selectors import named_codes
from core.definitions.state import State
from core.definitions.tables import Code, CodeList, Hierarchy, HierarchyNode
from core.faults import Fault, Location, Refused
from web.definitions.viewing import PineRequest
from web.people.rights import CHANGE, needs, needs_post
from web.sheets.changing import apply_change, date_of, filled, reload_at
from web.shell.asked import text, whole
from web.shell.asking import Choice, ask, decided
from web.shell.htmx import page_of
from web.shell.ids import free_id


def back(request: PineRequest, hierarchy: str, at: str = "") -> HttpResponse:
    """To the view the person was in, at the code that was moved."""
    came = page_of(request)
    name = "elevation" if "/elevation/" in came else "hierarchy"
    query = came.split("?", 1)[1] if "?" in came else ""
    query_left = "&".join(part for part in query.split("&") if part and not part.startswith("at="))
    return reload_at(
        reverse(name, args=[hierarchy])
        + "?"
        + "&".join(part for part in (query_left, f"at={at}" if at else "") if part)
    )


def _free(state: State, base: str) -> str:
    return free_id(base, lambda name: state.get(Hierarchy, name) is not None, "tree")


@needs_post(CHANGE)
def new(request: PineRequest, state: State, code_list: str) -> HttpResponse:
    """A hierarchy from nothing, in the shape of another one, or proposed from leading characters."""
    title = request.POST.get("name", "").strip()
    if not title:
        raise Refused([Fault("cell-empty", "The hierarchy needs a name.", Location(column="name"))])
    name = _free(state, title.lower())
    row = filled(request, Hierarchy(name, code_list, ""), "name")._replace(
        main=code_list not in main_hierarchies(state)
    )
    source, length = request.POST.get("like", ""), request.POST.get("beginnings", "")
    change: Change = Add(row)
    if source:
        other = state.get(Hierarchy, source)
        if other is None or other.code_list != code_list:
            raise Refused([Fault("reference", f"There is no hierarchy {source} of this list.")])
        change = copied(state, source, row)
    elif length:
        count = whole(request.POST, "beginnings")
        if not 0 < count < 20:
            raise Refused(
                [
                    Fault(
                        "cell-unreadable",
                        "Give a small number of leading characters.",
                        Location(column="beginnings"),
                    )
                ]
            )
        change = by_beginnings(state, row, count)
    apply_change(request, change)
    return reload_at(reverse("hierarchy", args=[name]))


@needs_post(CHANGE)
def move(request: PineRequest, state: State, hierarchy: str) -> HttpResponse:
    """Places codes below a rollup code of this hierarchy: by key, menu, drag."""
    head = state.get(Hierarchy, hierarchy)
    if head is None:
        raise Http404
    what = named_codes(state, head.code_list, text(request.POST, "what", 20_000))
    onto = request.POST.get("onto", "").split(" ")[0].strip()
    apply_change(
        request,
        MoveNode(hierarchy, what[0], onto) if len(what) == 1 else MoveNodes(hierarchy, what, onto),
    )
    return back(request, hierarchy, what[0])


@needs(CHANGE, posts=True)
def header(request: PineRequest, state: State, hierarchy: str) -> HttpResponse:
    """GET: the form of a new rollup code at the selected place. POST: adds it to the list and places it in
    this hierarchy alone."""
    head = state.get(Hierarchy, hierarchy)
    if head is None:
        raise Http404
    index, shape = list_index(state, head.code_list), tree(state, hierarchy)
    if request.method != "POST":
        near = index.codes.get(text(request.GET, "near", 60))
        under = "" if near is None else near.code if near.rollup else shape.parent.get(near.code, "")
        context = {"head": head, "under": index.codes.get(under), "list": state.get(CodeList, head.code_list)}
        return render(request, "hierarchies/header.html", context)
    code_list = state.require(CodeList, head.code_list)
    row = filled(request, Code(head.code_list, pad(code_list, text(request.POST, "code", 60)), ""), "name")
    if not row.code:
        raise Refused([Fault("cell-empty", "The code must be given.", Location("codes", (), "code"))])
    row = row._replace(rollup=True, posting=False)
    onto = text(request.POST, "onto", 60).split(" ")[0]
    sentence = (
        f"Added header {row.code} {row.name} {f'under {onto}' if onto else 'at the top'} in {hierarchy}"
    )
    apply_change(request, ChangeSequence((Add(row), MoveNode(hierarchy, row.code, onto)), sentence))
    return back(request, hierarchy, row.code)


@needs_post(CHANGE)
def shift(request: PineRequest, state: State, hierarchy: str, way: str) -> HttpResponse:
    """Moves a code (`row`) among its neighbours or between levels: up, down, deeper, higher."""
    code = text(request.POST, "row")
    shape = tree(state, hierarchy)
    if code not in shape.place:
        raise Refused([Fault("not-placed", f"{code} does not stand in this hierarchy.")])
    change = shifted(state, shape, code, way)
    if change is None:
        raise Refused([Fault("no-room", f"{code} cannot go {way} from here.")])
    apply_change(request, change)
    return back(request, hierarchy, code)


@needs_post(CHANGE)
def leave(request: PineRequest, state: State, hierarchy: str) -> HttpResponse:
    """Takes codes out of the hierarchy; the codes themselves stay. What stands below them is asked about
    first."""
    what = tuple(code for code in request.POST.get("what", "").split(",") if code)
    if not what:
        raise Refused([Fault("nothing-chosen", "No code is chosen that was placed here by hand.")])
    change = TakeOut(hierarchy, what, decided(request) == "along")
    below = change.below(state)
    if below and not decided(request):
        stand = f"{below:,} {'code stands' if below == 1 else 'codes stand'} below"
        one = what[0] if len(what) == 1 else f"the {len(what):,} codes"
        return ask(
            request,
            f"{stand} {one}. Where do they go?",
            Choice("up", "They move up"),
            Choice("along", "They leave too"),
        )
    shape = tree(state, hierarchy)
    apply_change(request, change)
    return back(request, hierarchy, shape.parent.get(what[0], ""))


@needs_post(CHANGE)
def intake(request: PineRequest, state: State, hierarchy: str) -> HttpResponse:
    """What a rollup code takes in by itself."""
    code = request.POST.get("code", "")
    row = state.get(HierarchyNode, hierarchy, code)
    if row is None:
        raise Http404
    apply_change(
        request,
        Amend("hierarchy_nodes", (hierarchy, code), (("intake", filled(request, row, "intake").intake),)),
    )
    return back(request, hierarchy, code)


@needs_post(CHANGE)
def keep(request: PineRequest, state: State, hierarchy: str) -> HttpResponse:
    """Keeps the present shape as a version; from the date given on the hierarchy may take another."""
    hierarchy_row = state.get(Hierarchy, hierarchy)
    on = date_of(request, "on")
    if hierarchy_row is None:
        raise Http404
    if on is None:
        raise Refused(
            [Fault("cell-empty", "Give the day from which the hierarchy holds anew.", Location(column="on"))]
        )
    apply_change(request, KeepVersion(hierarchy, _free(state, f"{hierarchy[:22]}-until-{on}"), on))
    return back(request, hierarchy)
