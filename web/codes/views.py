"""Storey 1: the table of codes, edited in place; the detail of a code in the proof leaf."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.http import Http404, HttpResponse, HttpResponseBase, HttpResponseRedirect
from django.shortcuts import render
from django.urls import reverse

from core.changes.fixed import fixed_columns
from core.changes.kinds import (
    Add,
    AddCode,
    ChangeSequence,
    CloseCode,
    DeleteCode,
    MoveNode,
    Put,
    with_belongings,
)
from core.changes.of_codes import shifted
from core.codes.columns import columns, properties, values
from core.codes.hierarchies import main_hierarchies, main_tree, standing_under_none
from core.codes.lists import fullness, likely_class, list_index, natural_lists, next_free, pad, text_fault
from core.definitions.kinds import CLASSES
from core.definitions.state import State
from core.definitions.tables import Chart, Code, CodeList, CodeName, Hierarchy, HierarchyNode, Rollout
from core.faults import Fault, Location, Refused
from core.listing import STANDS
from core.references import uses
from core.references.landing import landing
from web.codes import closing, queries, table
from web.codes.many import SETTABLE
from web.codes.rows import code_rows
from web.definitions.history import of_row
from web.definitions.posted import posted_facts
from web.definitions.viewing import PineRequest, may_change
from web.journals.code_postings import postings_with
from web.people.rights import (
    CHANGE,
    SIGNED_IN,
    companies_seen,
    lists_seen,
    needs,
    needs_post,
    sees,
    sees_everything,
)
from web.sheets.changing import apply_change, date_of, filled, refuse_first, reload_at
from web.shell.asked import text, whole
from web.shell.asking import Choice, ask, decided
from web.shell.beam import beam

MOST_ROLLUPS = 2_000


def address(code_list: str, at: str = "") -> str:
    return reverse("code-list", kwargs={"code_list": code_list}) + (f"?at={at}" if at else "")


@needs(SIGNED_IN)
def first_list(request: PineRequest, state: State) -> HttpResponse:
    """The list of natural accounts that most companies use, or the page that says how to begin."""
    lists = lists_seen(request.user, state)
    if not lists:
        return render(request, "codes/none.html", {})
    counts = {row.code_list: len(uses.charts_of_list(state, row.code_list)) for row in lists}
    natural = natural_lists(state)
    sizes = {row.code_list: len(list_index(state, row.code_list).posting) for row in lists}
    best = max(lists, key=lambda row: (row.code_list in natural, counts[row.code_list], sizes[row.code_list]))
    return HttpResponseRedirect(address(best.code_list))


def _known(state: State, code_list: str, code: str) -> Code:
    row = state.get(Code, code_list, code)
    if row is None:
        raise Http404
    return row


def _chart_of(request: PineRequest, state: State, code_list: str) -> Chart | None:
    """The chart whose beam stands above the list: the one asked for, or the first that uses it."""
    charts = sorted(uses.charts_of_list(state, code_list))
    wanted = request.GET.get("chart", "")
    return state.get(Chart, wanted if wanted in charts else charts[0]) if charts else None


@needs(SIGNED_IN, localised=True)
def code_list_page(request: PineRequest, state: State, code_list: str) -> HttpResponse:
    code_list_row = state.get(CodeList, code_list)
    at = request.GET.get("at", "")
    chart = _chart_of(request, state, code_list)
    used = uses.charts_of_list(state, code_list)
    companies = [row for row in companies_seen(request.user, state) if row.chart in used]
    known = columns(state, code_list)
    rollouts = sorted(state.rows(Rollout), key=lambda row: row.name)
    return render(
        request,
        "codes/list.html",
        {
            **_rows(request, state, code_list, 0, at),
            "head": code_list_row,
            "at": at,
            "chart": chart,
            "known": known,
            "stands": STANDS,
            "beam": beam(state, chart, code_list),
            "lists": lists_seen(request.user, state),
            "charts": len(used),
            "classes": CLASSES,
            "companies": companies,
            "loose": standing_under_none(state, code_list),
            "full": fullness(state, code_list),
            "main": main_hierarchies(state).get(code_list),
            "natural": code_list in natural_lists(state),
            "settable": SETTABLE,
            "rollouts": [row for row in rollouts if sees(request.user, state, "rollout", row.rollout)],
            "narrowing": [
                (name, known[name])
                for name in known
                if name not in ("use", "account_class", "in_use_from", "in_use_until", "notes")
            ],
        },
    )


def _rows(request: PineRequest, state: State, code_list: str, start: int, at: str = "") -> dict[str, Any]:
    """A stretch of the table as it is asked for, with its columns."""
    asked = table.asked(request, state, code_list)
    hides = table.hides_closed(request, asked)
    codes = table.fitting(request, state, code_list) if asked.narrows or hides else None
    stretch = queries.window(state, code_list, codes, start, at, nested=not asked.narrows)
    chosen = table.chosen_columns(request, state, code_list)
    known = columns(state, code_list)
    drafted = queries.drafted(request.viewed.working, code_list)
    return {
        "rows": code_rows(state, code_list, stretch.rows, chosen, at, drafted),
        "found": stretch,
        "asked": asked,
        "query": table.query(asked),
        "chosen": [(name, known[name]) for name in chosen],
        "shown": frozenset(chosen),
        "span": len(chosen) + 2,
        "hides": hides,
    }


@needs(SIGNED_IN, localised=True)
def rows(request: PineRequest, state: State, code_list: str) -> HttpResponse:
    """A further stretch of the table, or what a search keeps of it."""
    table = _rows(request, state, code_list, whole(request.GET, "from"))
    return render(request, "codes/rows.html", {**table, "head": state.get(CodeList, code_list)})


@needs(SIGNED_IN, localised=True)
def code(request: PineRequest, state: State, code_list: str, code: str) -> HttpResponse:
    """The proof leaf of one code."""
    row = _known(state, code_list, code)
    main = main_tree(state, code_list)
    natural = code_list in natural_lists(state)
    amounts = (
        queries.amounts(state, code_list, code, companies_seen(request.user, state))
        if natural and not row.rollup
        else []
    )
    return render(
        request,
        "codes/code.html",
        {
            "row": row,
            "list": state.get(CodeList, code_list),
            "path": main.path(code)[:-1] if main and code in main.place else [],
            "placed": main is not None and code in main.place,
            "main": main,
            "amounts": amounts,
            "uses": closing.uses_seen(state, code_list, code, request.user)[:30],
            "fixed": (
                fixed_columns(state, posted_facts(state), row) if sees_everything(request.user, state) else {}
            ),
            "history": of_row("codes", f"{code_list} {code}") if sees_everything(request.user, state) else [],
            "natural": natural,
            "aside": queries.beside(state, code_list, code, table.fitting(request, state, code_list)),
            "own": own_values(state, code_list, code),
            "names": sorted(n for n in state.part(CodeName, code_list).values() if n.code == code),
            "query": table.query(table.asked(request, state, code_list)),
            "rollups": rollups(state, code_list) if main else [],
        },
    )


@needs(SIGNED_IN)
def posted(request: PineRequest, state: State, code_list: str, code: str) -> HttpResponse:
    """How much was posted with a code; counted apart, so that the detail doesn't wait for it."""
    _known(state, code_list, code)
    postings = postings_with(state, code_list, code, companies_seen(request.user, state))
    return render(
        request, "codes/posted.html", {"posted": postings, "natural": code_list in natural_lists(state)}
    )


def own_values(state: State, code_list: str, code: str) -> list[tuple[str, str]]:
    """The list's own properties that a code has, with their titles."""
    entry = values(state, code_list).get(code, {})
    return [
        (rule.name, entry[rule.property]) for rule in properties(state, code_list) if rule.property in entry
    ]


def rollups(state: State, code_list: str) -> list[Code]:
    """Rollup codes in code order, for choosing one to move below."""
    index = list_index(state, code_list)
    return [index.codes[code] for code in index.ordered if index.codes[code].rollup][:MOST_ROLLUPS]


def _row_form(request: PineRequest, state: State, row: Code, new: bool, **more: Any) -> HttpResponse:
    fixed = {} if new else fixed_columns(state, posted_facts(state), row)
    return render(
        request,
        "codes/edit_row.html",
        {
            "near": "",
            "parent": "",
            "placed": new and row.code_list in main_hierarchies(state),
            "row": row,
            "new": new,
            "natural": row.code_list in natural_lists(state),
            "classes": CLASSES,
            "fixed": fixed,
            **more,
        },
    )


@needs(CHANGE)
def new(request: PineRequest, state: State, code_list: str) -> HttpResponse:
    """The row for a new code, with the next free code after the selected one and what its neighbours
    suggest."""
    near = request.GET.get("near", "")
    like = state.get(Code, code_list, near)
    proposed = next_free(state, code_list, near)
    main = main_tree(state, code_list)
    parent = ""
    if main and like:
        parent = like.code if like.rollup else main.parent.get(like.code, "")
    start = like.in_use_from if like and not like.rollup else None
    if like and request.GET.get("like"):
        # Everything but what makes it itself: the same class, posting, budgeting, currency, cash flow.
        row = like._replace(code=proposed, name="", notes="", in_use_until=None)
        return _row_form(request, state, row, True, parent=parent, near=near, like=like)
    row = Code(
        code_list, proposed, "", account_class=likely_class(state, code_list, proposed), in_use_from=start
    )
    return _row_form(request, state, row, True, parent=parent, near=near)


@needs(CHANGE)
def probe(request: PineRequest, state: State, code_list: str) -> HttpResponse:
    """While a new code is typed: whether it is taken and by what, and the class its neighbours have."""
    text = request.GET.get("code", "").strip()
    code_list_row = state.get(CodeList, code_list)
    if code_list_row is None:
        raise Http404
    taken = state.get(Code, code_list, pad(code_list_row, text))
    wrong = (
        text_fault(code_list_row, pad(code_list_row, text), request.GET.get("rollup") == "on")
        if text
        else "Give a code."
    )
    natural = code_list in natural_lists(state)
    likely = likely_class(state, code_list, text) if natural and not wrong else ""
    rollup, parent = request.GET.get("rollup") == "on", request.GET.get("parent", "").strip()
    given = request.GET.get("account_class", "")
    row = Code(
        code_list,
        pad(code_list_row, text),
        "",
        rollup,
        not rollup,
        account_class=given if given in CLASSES else likely,
    )
    lands = None if wrong or taken else _landing(state, AddCode(row, parent))
    return render(
        request,
        "codes/probe.html",
        {
            "taken": taken,
            "wrong": wrong,
            "lands": lands,
            "likely": likely,
            "next": next_free(state, code_list, text) if taken else "",
        },
    )


def _landing(state: State, change: AddCode) -> str:
    """Where a code that isn't there yet would stand, in a sentence; what keeps it from standing there."""
    row = change.row
    parent = state.get(Code, row.code_list, change.parent)
    if change.parent and (parent is None or not parent.rollup):
        return f"There is no rollup code {change.parent} in {row.code_list}."
    return landing(state.edited(change.edits(state)), row.code_list, row.code).sentence


@needs_post(CHANGE)
def add(request: PineRequest, state: State, code_list: str) -> HttpResponse:
    code_list_row = state.get(CodeList, code_list)
    text = pad(code_list_row, request.POST.get("code", "").strip()) if code_list_row else ""
    like = state.get(Code, code_list, request.POST.get("like", ""))
    base = (
        like._replace(code=text, name="", notes="", in_use_until=None) if like else Code(code_list, text, "")
    )
    row = filled(request, base, "name", "rollup", "posting", "account_class", "contra", "in_use_from")
    row = _counted(request, row)
    if not text:
        raise Refused([Fault("cell-empty", "The code must be given.", Location("codes", (), "code"))])
    change = AddCode(row, request.POST.get("parent", "").strip())
    lands = _landing(state, change)
    apply_change(request, change)
    messages.success(request, f"Added {row.code} {row.name}. {lands}")
    return reload_at(address(code_list, text))


@needs(SIGNED_IN, posts=True)
def edit(request: PineRequest, state: State, code_list: str) -> HttpResponseBase:
    """GET: the row as a form. POST: takes it. The address names the code (`row`)."""
    code = text(request.GET, "row")
    row = _known(state, code_list, code)
    if request.method != "POST":
        if not may_change(request):
            return HttpResponse(status=204)
        return _row_form(request, state, row, False)
    return _edited(request, code_list=code_list, code=code)


@needs_post(CHANGE)
def _edited(request: PineRequest, state: State, code_list: str, code: str) -> HttpResponse:
    row = _known(state, code_list, code)
    fixed = fixed_columns(state, posted_facts(state), row)
    columns = ["name", "in_use_from", "in_use_until", *([] if row.rollup else ["posting", "contra"])]
    if code_list in natural_lists(state) and not row.rollup and "account_class" not in fixed:
        columns.append("account_class")
    apply_change(request, Put(_counted(request, filled(request, row, *columns))))
    return reload_at(address(code_list, code))


def _counted(request: PineRequest, row: Code) -> Code:
    """With its unit, which statistics alone have."""
    counted: Code = filled(request, row, "unit", "adds_up")
    return counted if row.is_statistic else row._replace(unit="", adds_up=False)


@needs_post(CHANGE)
def close(request: PineRequest, state: State, code_list: str, code: str) -> HttpResponse:
    """Sets or clears the last day of use."""
    apply_change(request, CloseCode(code_list, code, date_of(request, "until")))
    return reload_at(address(code_list, code))


@needs_post(CHANGE)
def delete(request: PineRequest, state: State, code_list: str, code: str) -> HttpResponse:
    order = queries.ordered(state, code_list)
    place = queries.places(state, code_list).get(code, 0)
    row = _known(state, code_list, code)
    if not decided(request):
        refuse_first(request, state, DeleteCode(code_list, code))
        return ask(
            request,
            f"{code} {row.name} goes for good{_with_it(state, row)}.",
            Choice("delete", f"Delete {code}"),
        )
    apply_change(request, DeleteCode(code_list, code))
    return reload_at(address(code_list, order[place - 1] if place else ""))


def _with_it(state: State, row: Code) -> str:
    """What goes with a code that is deleted, as the end of a sentence."""
    trees = [
        hierarchy_row.name
        for hierarchy_row in state.rows(Hierarchy)
        if state.get(HierarchyNode, hierarchy_row.hierarchy, row.code)
        and hierarchy_row.code_list == row.code_list
    ]
    parts = [f"its place in {', '.join(trees)}"] if trees else []
    if more := with_belongings(state, [row]):
        parts.append(more)
    return f", with {' and '.join(parts)}" if parts else ""


@needs_post(CHANGE)
def move(request: PineRequest, state: State, code_list: str) -> HttpResponse:
    """Places codes below a rollup code of the main hierarchy: by key, menu or drag."""
    what = [code for code in request.POST.get("what", "").split(",") if code]
    onto = request.POST.get("onto", "").split(" ")[0].strip()
    main = main_hierarchies(state).get(code_list)
    if main is None:
        raise Refused(
            [
                Fault(
                    "no-hierarchy",
                    "This list has no main hierarchy yet.",
                    way_out="Start one from the proof leaf.",
                )
            ]
        )
    if not what:
        raise Refused([Fault("nothing-chosen", "No code is chosen.")])
    before = request.POST.get("before", "").split(" ")[0].strip()
    apply_change(request, ChangeSequence(tuple(MoveNode(main, code, onto, before) for code in what)))
    return reload_at(address(code_list, what[0]))


@needs_post(CHANGE)
def shift(request: PineRequest, state: State, code_list: str, way: str) -> HttpResponse:
    """Moves a code (`row`) among its neighbours or between levels: up, down, deeper, higher."""
    code = text(request.POST, "row")
    main = main_tree(state, code_list)
    if main is None or code not in main.place:
        raise Refused(
            [
                Fault(
                    "not-placed",
                    f"{code} stands under no rollup code yet.",
                    way_out="Move it below one first (M).",
                )
            ]
        )
    change = shifted(state, main, code, way)
    if change is None:
        raise Refused([Fault("no-room", f"{code} cannot go {way} from here.")])
    apply_change(request, change)
    return reload_at(address(code_list, code))


@needs(CHANGE, posts=True)
def new_list(request: PineRequest, state: State) -> HttpResponse:
    """A new code list: the form, and taking it."""
    if request.method != "POST":
        return render(request, "codes/new_list.html", {})
    name = request.POST.get("code_list", "").strip()
    row = filled(
        request,
        CodeList("", "", 1, 1),
        "code_list",
        "name",
        "min_length",
        "max_length",
        "characters",
        "zero_pad",
    )
    changes: tuple[Any, ...] = (Add(row),)
    if request.POST.get("hierarchy"):
        changes += (Add(Hierarchy(f"{name}-tree"[:40], name, f"{row.name} by rollup", True)),)
    apply_change(request, ChangeSequence(changes))
    return reload_at(address(name))
