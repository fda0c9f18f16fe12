"""What more there is to a code and to a list: further properties, names in languages, doubts, closing,
settings."""

from __future__ import annotations

from datetime import date
from typing import Any

from django.core.paginator import Paginator
from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.urls import reverse

from core.cash_flow.misplaced import doubts_of_activity
from core.changes.kinds import Add, Change, ChangeSequence, Drop, Put
from core.codes.columns import properties
from core.codes.doubts import KINDS, MATTER, doubts
from core.codes.lists import fullness, fullness_by_beginning, natural_lists
from core.definitions.kinds import CASH_FLOWS, PROPERTY_KINDS
from core.definitions.state import State
from core.definitions.tables import (
    Code,
    CodeList,
    CodeName,
    CodeProperty,
    Dimension,
    Hierarchy,
    ListProperty,
    SetAside,
    Statement,
    Structure,
    StructureSegment,
)
from core.references.uses import charts_of_list
from core.structures.charts import chart_index
from web.codes import closing
from web.definitions.viewing import PineRequest
from web.people.rights import CHANGE, SIGNED_IN, companies_seen, needs, needs_post
from web.sheets.changing import apply_change, filled, reload_at, words_of
from web.shell.asked import text
from web.shell.ids import id_of
from web.shell.tabular import attached


def code_address(code_list: str, code: str = "") -> str:
    return reverse("code-list", kwargs={"code_list": code_list}) + (f"?at={code}" if code else "")


@needs(SIGNED_IN)
def before_closing(request: PineRequest, state: State, code_list: str, code: str) -> HttpResponse:
    """What still uses a code on its last day, shown before the closing is confirmed."""
    row = state.get(Code, code_list, code)
    if row is None:
        raise Http404
    try:
        until = date.fromisoformat(request.GET.get("until", ""))
    except ValueError:
        return HttpResponse("")
    uses = closing.still_used(state, code_list, code, request.user, until)
    return render(
        request,
        "codes/closing.html",
        {"row": row, "until": until, "found": uses[:60], "more": max(0, len(uses) - 60)},
    )


@needs(CHANGE, posts=True)
def more(request: PineRequest, state: State, code_list: str, code: str) -> HttpResponse:
    """GET: the further properties of a code as a form. POST: takes them."""
    row = state.get(Code, code_list, code)
    if row is None:
        raise Http404
    rules = properties(state, code_list)
    if request.method != "POST":
        names = sorted(
            (n for n in state.part(CodeName, code_list).values() if n.code == code), key=lambda n: n.language
        )
        own = {
            name: state.get(CodeProperty, code_list, code, name) for name in (rule.property for rule in rules)
        }
        return render(
            request,
            "codes/more.html",
            {
                "row": row,
                "natural": code_list in natural_lists(state) and not row.rollup,
                "flows": CASH_FLOWS,
                "names": names,
                "rules": [
                    (
                        rule,
                        value.value if (value := own[rule.property]) else "",
                        [c.strip() for c in rule.choices.split(",")],
                    )
                    for rule in rules
                ],
                "list": state.get(CodeList, code_list),
            },
        )
    columns = ["notes", *([] if row.rollup else ["budgeting"])]
    if code_list in natural_lists(state) and not row.rollup:
        columns += ["unit", "adds_up"] if row.is_statistic else ["currency", "revalue", "cash_flow"]
    changes: list[Change] = [Put(filled(request, row, *columns))]
    changes += _properties(request, state, rules, code_list, code)
    changes += _names(request, state, code_list, code)
    apply_change(request, ChangeSequence(tuple(changes)))
    return reload_at(code_address(code_list, code))


def _properties(
    request: PineRequest, state: State, rules: list[ListProperty], code_list: str, code: str
) -> list[Change]:
    puts = list[Change]()
    for rule in rules:
        value = words_of(request, f"own-{rule.property}")
        code_property_row = state.get(CodeProperty, code_list, code, rule.property)
        if value:
            puts.append(Put(CodeProperty(code_list, code, rule.property, value)))
        elif code_property_row is not None:
            puts.append(Drop(code_property_row))
    return puts


def _names(request: PineRequest, state: State, code_list: str, code: str) -> list[Change]:
    """Names in languages: those of the form by their language, and a new one."""
    puts = list[Change]()
    for name in [n for n in state.part(CodeName, code_list).values() if n.code == code]:
        text = (
            words_of(request, f"name-{name.language}")
            if f"name-{name.language}" in request.POST
            else name.name
        )
        puts.append(Put(name._replace(name=text)) if text else Drop(name))
    language, text = words_of(request, "language", 20), words_of(request, "new_name")
    if text or language:
        puts.append(Put(CodeName(code_list, code, language, text)))
    return puts


@needs(SIGNED_IN)
def doubts_page(request: PineRequest, state: State, code_list: str) -> HttpResponse:
    """What looks wrong in a list, each with its way out."""
    known = closing.doubts_known(state, code_list, request.user)
    standing, aside = doubts(state, code_list, known, doubts_of_activity(state, code_list))
    counts = {kind: sum(doubt.kind == kind for doubt in standing) for kind in KINDS}
    wanted = request.GET.get("kind", "")
    shown = [doubt for doubt in standing if not wanted or doubt.kind == wanted]
    if request.GET.get("file") in ("csv", "xlsx"):
        return attached(
            f"{code_list}-doubts",
            request.GET["file"],
            ("doubt", "code", "what", "way_out"),
            ((KINDS[d.kind], d.code, d.sentence, d.way_out) for d in shown),
        )
    page = Paginator(shown, 100).get_page(request.GET.get("page"))
    return render(
        request,
        "codes/doubts.html",
        {
            "head": state.get(CodeList, code_list),
            "page": page,
            "kinds": [(k, t, counts[k]) for k, t in KINDS.items()],
            "wanted": wanted,
            "titles": KINDS,
            "aside": aside[:200],
            "total": len(standing),
            "matter": (matter := sum(doubt.kind in MATTER for doubt in standing)),
            "slight": len(standing) - matter,
            "matter_kinds": MATTER,
            "whole": sorted(
                (row for row in state.part(SetAside, code_list).values() if not row.code),
                key=lambda row: row.doubt,
            ),
            "names": {
                doubt.code: row.name if (row := state.get(Code, code_list, doubt.code)) else ""
                for doubt in page
            },
        },
    )


@needs_post(CHANGE)
def set_aside(request: PineRequest, state: State, code_list: str) -> HttpResponse:
    """Sets a doubt of a code, or without one that kind for the whole list, aside with a reason; or takes it
    up again."""
    code, kind = request.POST.get("code", ""), request.POST.get("doubt", "")
    if kind not in KINDS or (code and state.get(Code, code_list, code) is None):
        raise Http404
    other_name = state.get(SetAside, code_list, code, kind)
    if request.POST.get("again"):
        if other_name is not None:
            apply_change(request, Drop(other_name))
    else:
        apply_change(request, Put(filled(request, SetAside(code_list, code, kind, ""), "reason")))
    return reload_at(reverse("codes-doubts", args=[code_list]))


@needs(SIGNED_IN)
def settings(request: PineRequest, state: State, code_list: str) -> HttpResponse:
    """The list itself: its rule, how full it is, where it is used, its own properties."""
    code_list_row = state.get(CodeList, code_list)
    if code_list_row is None:
        raise Http404
    structures = [
        (state.get(Structure, s.structure), s)
        for s in state.rows(StructureSegment)
        if s.code_list == code_list
    ]
    charts = charts_of_list(state, code_list)
    return render(
        request,
        "codes/settings.html",
        {
            "head": code_list_row,
            "full": fullness(state, code_list),
            "beginnings": fullness_by_beginning(state, code_list),
            "structures": structures,
            "dimensions": [row for row in state.rows(Dimension) if row.code_list == code_list],
            "charts": sorted(charts),
            "companies": [row for row in companies_seen(request.user, state) if row.chart in charts],
            "rules": properties(state, code_list),
            "kinds": PROPERTY_KINDS,
        },
    )


@needs_post(CHANGE)
def change_list(request: PineRequest, state: State, code_list: str) -> HttpResponse:
    """Another rule for the list: lengths, padding, name, language. The checks tell every code that it would
    shut out."""
    code_list_row = state.get(CodeList, code_list)
    if code_list_row is None:
        raise Http404
    apply_change(
        request,
        Put(
            filled(
                request,
                code_list_row,
                "name",
                "min_length",
                "max_length",
                "characters",
                "zero_pad",
                "language",
            )
        ),
    )
    return reload_at(reverse("codes-settings", args=[code_list]))


@needs_post(CHANGE)
def own_property(request: PineRequest, state: State, code_list: str) -> HttpResponse:
    """A further property of the list's codes, new or changed, or taken away while no code has it."""
    name = request.POST.get("property", "").strip()
    list_property_row = state.get(ListProperty, code_list, name)
    if request.POST.get("act") == "delete":
        if list_property_row is None:
            raise Http404
        apply_change(request, Drop(list_property_row))
    else:
        base = list_property_row or ListProperty(code_list, id_of(text(request.POST, "name")), "")
        row = filled(request, base, "name", "kind", "choices")
        apply_change(request, Put(row) if list_property_row else Add(row))
    return reload_at(reverse("codes-settings", args=[code_list]))


@needs(CHANGE)
def deciding(request: PineRequest, state: State, code_list: str) -> HttpResponse:
    """An aid before something is added: an account, a code of another segment, a dimension's code, or a place
    in a tree."""
    charts = charts_of_list(state, code_list)
    sizes = [(chart, _segments(state, chart)) for chart in sorted(charts)]
    return render(
        request,
        "codes/deciding.html",
        {
            "head": state.get(CodeList, code_list),
            "charts": sizes,
            "natural": code_list in natural_lists(state),
            "dimensions": sorted(state.rows(Dimension), key=lambda row: row.name),
            "strings": _strings(state, charts),
            "trees": _trees(state, code_list),
        },
    )


def _segments(state: State, chart: str) -> list[tuple[Any, int]]:
    index = chart_index(state, chart)
    return [(segment, len(segment.codes)) for segment in index.segments] if index else []


def _strings(state: State, charts: Any) -> int:
    """How many account strings one more natural account could make, at most, in the largest chart."""
    most = 1
    for chart in charts:
        joined = 1
        for segment, count in _segments(state, chart):
            joined *= 1 if segment.role == "natural_account" else max(count, 1)
        most = max(most, joined)
    return most


def _trees(state: State, code_list: str) -> int:
    charts = charts_of_list(state, code_list)
    return sum(row.code_list == code_list for row in state.rows(Hierarchy)) + sum(
        row.chart in charts for row in state.rows(Statement)
    )
