"""Hierarchies looked at: as a list, as an elevation, two of them compared."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from django.http import Http404, HttpResponse, HttpResponseRedirect
from django.shortcuts import render
from django.urls import reverse
from django.utils.safestring import SafeString

from core.codes.elevation import draw
from core.codes.hierarchies import Tree, main_hierarchies, moved_codes, standing_under_none, tree, versions_of
from core.codes.lists import list_index
from core.codes.tree_counts import counted
from core.definitions.state import State
from core.definitions.tables import CodeList, Company, Hierarchy, HierarchyNode
from core.money import show_amount
from core.statements.plans import natural_list
from web.definitions.viewing import PineRequest
from web.hierarchies import checks, queries
from web.hierarchies.svg import as_svg
from web.journals.queries import lines_posted
from web.people.rights import SIGNED_IN, companies_seen, needs
from web.shell.asked import whole
from web.shell.table_rows import Cell, TableRow, addresses, indent, table_rows
from web.shell.tabular import Money, attached, download
from web.statements.addresses import asked_period

CHUNK = 150


@needs(SIGNED_IN)
def of_list(request: PineRequest, state: State, code_list: str) -> HttpResponse:
    """The main hierarchy of a list, or any it has, or the page to begin one."""
    names = [row.hierarchy for row in hierarchies_of(state, code_list)]
    best = main_hierarchies(state).get(code_list) or next(iter(names), None)
    if best is None:
        return render(request, "hierarchies/none.html", {"list": state.get(CodeList, code_list)})
    return HttpResponseRedirect(reverse("hierarchy", args=[best]))


def hierarchies_of(state: State, code_list: str) -> list[Hierarchy]:
    """Those in their own right, the main one first."""
    rows = [row for row in state.rows(Hierarchy) if row.code_list == code_list and not row.version_of]
    return sorted(rows, key=lambda row: (not row.main, row.name))


def _company(request: PineRequest, state: State, made: Tree) -> Company | None:
    rows = [
        row for row in companies_seen(request.user, state) if natural_list(state, row.chart) == made.code_list
    ]
    wanted = request.GET.get("company") or request.session.get("company")
    company_row = next((row for row in rows if row.company == wanted), rows[0] if rows else None)
    if company_row and request.session.get("company") != company_row.company:
        request.session["company"] = company_row.company
    return company_row


def _context(request: PineRequest, state: State, hierarchy: str, *, figured: bool = True) -> dict[str, Any]:
    """What both views of a hierarchy show: its figures, its sisters, where it is used, how it stands."""
    hierarchy_row, shape = state.get(Hierarchy, hierarchy), tree(state, hierarchy)
    if hierarchy_row is None:
        raise Http404
    company = _company(request, state, shape)
    year, period, _ = (
        asked_period(request, state, company.calendar, company.company) if company else (0, 0, None)
    )
    figures = queries.figures(state, shape, company if figured else None, year, period)
    counts = counted(state, hierarchy)
    zoom = request.GET.get("zoom", "") if request.GET.get("zoom", "") in shape.place else ""
    level = request.GET.get("level", "")
    return {
        "head": hierarchy_row,
        "tree": shape,
        "figures": figures,
        "company": company,
        "year": year,
        "period": period,
        "zoom": zoom,
        "path": shape.path(zoom)[:-1] if zoom else [],
        "level": int(level) if level in "123456789" and level else 0,
        "words": request.GET.get("find", "").strip()[:100],
        "hierarchies": hierarchies_of(state, hierarchy_row.code_list),
        "versions": versions_of(state, hierarchy),
        "companies": [
            row
            for row in companies_seen(request.user, state)
            if natural_list(state, row.chart) == shape.code_list
        ],
        "deepest": counts.levels,
        "at": request.GET.get("at", ""),
        "posting": counts.total,
        "checks": checks.of(state, hierarchy),
        "loose": (
            [
                list_index(state, hierarchy_row.code_list).codes[c]
                for c in standing_under_none(state, hierarchy_row.code_list)[:40]
            ]
            if hierarchy_row.main
            else []
        ),
        "drafted": moved_places(request, hierarchy),
        "list": state.get(CodeList, hierarchy_row.code_list),
    }


def moved_places(request: PineRequest, hierarchy: str) -> dict[str, tuple[str, str]]:
    """Codes that the open draft places elsewhere: (old parent, new parent); '—' where it had none."""
    working = request.viewed.working
    if working is None:
        return {}
    was, now = tree(working.published.state, hierarchy), tree(working.state, hierarchy)
    if was is now:
        return {}
    codes = moved_codes(working.published.state, working.state, hierarchy)
    return {code: (was.parent.get(code, "—"), now.parent[code]) for code in codes if code in now.place}


def _table_rows(
    rows: Iterable[queries.TreeRow], hierarchy: str, figures: queries.TreeFigures, drafted: Any, at: str
) -> SafeString:
    proof = addresses("hierarchy-node", hierarchy)

    def table_row(row: queries.TreeRow) -> TableRow:
        kind, depth = "heading" if row.rollup else "closed" if row.closed else "", indent(row.depth)
        return TableRow(
            row.code,
            [
                Cell(row.code, f"code {depth}"),
                Cell(row.name, depth),
                Cell(row.intake, "code sub"),
                Cell(f"{row.under:,}" if row.rollup else "", "num"),
                Cell(show_amount(row.raw, figures.digits) if figures.company else "", "num"),
            ],
            css=f"{kind} drafted" if row.code in drafted else kind,
            element=f"row-{row.code}",
            proof=proof(row.code),
            takes=row.rollup,
            draggable=True,
            focused=row.code == at,
        )

    return table_rows(map(table_row, rows))


def _rows(state: State, context: dict[str, Any], start: int) -> dict[str, Any]:
    hierarchy_row, at = context["head"], context["at"]
    places = queries.places(
        state, hierarchy_row.hierarchy, level=context["level"], zoom=context["zoom"], words=context["words"]
    )
    wanted = context["tree"].place.get(at)
    if wanted is not None and not start and wanted in places:
        place = places.index(wanted)
        start = max(0, place - 30) if place > CHUNK - 30 else 0
    part = queries.rows_at(state, hierarchy_row.hierarchy, places[start : start + CHUNK], context["figures"])
    rows = _table_rows(part, hierarchy_row.hierarchy, context["figures"], context["drafted"], at)
    end = start + len(part)
    more = {"next": end if end < len(places) else None, "before": max(0, start - CHUNK) if start else None}
    return {**context, "rows": rows, "total": len(places), **more}


@needs(SIGNED_IN, localised=True)
def listed(request: PineRequest, state: State, hierarchy: str) -> HttpResponse:
    """The list view: nested codes with how many stand under each and what they come to."""
    return render(request, "hierarchies/list.html", _rows(state, _context(request, state, hierarchy), 0))


@needs(SIGNED_IN, localised=True)
def rows(request: PineRequest, state: State, hierarchy: str) -> HttpResponse:
    return render(
        request,
        "hierarchies/rows.html",
        _rows(state, _context(request, state, hierarchy), whole(request.GET, "from")),
    )


def _drawn(request: PineRequest, state: State, context: dict[str, Any]) -> tuple[Any, str]:
    """The drawing, and what its widths mean."""
    by = request.GET.get("by", "codes")
    weights = None
    if by == "balance" and context["company"]:
        weights = context["figures"].weights()
    elif by == "lines" and context["company"]:
        weights = lines_posted(state, context["company"], context["year"])
    else:
        by = "codes"
    return (
        draw(
            state, context["head"].hierarchy, zoom=context["zoom"], weights=weights, moved=context["drafted"]
        ),
        by,
    )


@needs(SIGNED_IN, localised=True)
def elevation(request: PineRequest, state: State, hierarchy: str) -> HttpResponse:
    """The elevation: roof, storeys, posts on the ground."""
    context = _context(request, state, hierarchy, figured=request.GET.get("by") == "balance")
    shape, by = _drawn(request, state, context)
    return render(
        request,
        "hierarchies/elevation.html",
        {
            **context,
            "drawing": shape,
            "by": by,
            "svg": as_svg(shape, hierarchy, context["at"] or context["zoom"]),
        },
    )


@needs(SIGNED_IN, localised=True)
def drawing(request: PineRequest, state: State, hierarchy: str) -> HttpResponse:
    """The drawing alone, as a file."""
    context = _context(request, state, hierarchy)
    shape, _ = _drawn(request, state, context)
    return download(as_svg(shape, hierarchy, "", alone=True), hierarchy, "svg")


@needs(SIGNED_IN, localised=True)
def node(request: PineRequest, state: State, hierarchy: str, code: str) -> HttpResponse:
    """The proof leaf of one code in a hierarchy."""
    shape = tree(state, hierarchy)
    row = list_index(state, shape.code_list).codes.get(code)
    if row is None:
        raise Http404
    company = _company(request, state, shape)
    year, period, _ = (
        asked_period(request, state, company.calendar, company.company) if company else (0, 0, None)
    )
    figures = queries.figures(state, shape, company, year, period)
    place = shape.place.get(code)
    codes = list_index(state, shape.code_list).codes
    below = [c for c in shape.below(code) if c in codes and not codes[c].rollup]
    placed = state.get(HierarchyNode, hierarchy, code)
    return render(
        request,
        "hierarchies/node.html",
        {
            "row": row,
            "head": state.get(Hierarchy, hierarchy),
            "path": [codes[c] for c in shape.path(code)[:-1] if c in codes],
            "placed": placed,
            "below": len(below),
            "levels": int(shape.depths[place]) + 1 if place is not None else 0,
            "figures": figures,
            "raw": figures.of(code),
            "year": year,
            "period": period,
            "taken": place is not None and placed is None,
        },
    )


@needs(SIGNED_IN, localised=True)
def out(request: PineRequest, state: State, hierarchy: str, kind: str) -> HttpResponse:
    """The list view as a file."""
    context = _context(request, state, hierarchy)
    places = queries.places(
        state, hierarchy, level=context["level"], zoom=context["zoom"], words=context["words"]
    )
    rows = queries.rows_at(state, hierarchy, places, context["figures"])
    shape, digits = context["tree"], context["figures"].digits
    header = ("code", "name", "parent", "depth", "intake", "codes", "balance")
    return attached(
        hierarchy,
        kind,
        header,
        (
            (
                row.code,
                row.name,
                shape.parent.get(row.code, ""),
                row.depth,
                row.intake,
                row.under if row.rollup else "",
                Money(row.raw, digits),
            )
            for row in rows
        ),
    )


@needs(SIGNED_IN, localised=True)
def compare(request: PineRequest, state: State, hierarchy: str) -> HttpResponse:
    """This hierarchy beside another one, or a version of it: what stands elsewhere, with amounts."""
    context = _context(request, state, hierarchy)
    others = [row for row in (*context["versions"], *context["hierarchies"]) if row.hierarchy != hierarchy]
    wanted = request.GET.get("with", "")
    other = next((row for row in others if row.hierarchy == wanted), others[0] if others else None)
    compared = queries.compared(state, other.hierarchy, hierarchy, context["figures"]) if other else []
    return render(
        request,
        "hierarchies/compare.html",
        {**context, "others": others, "other": other, "found": compared[:2000], "count": len(compared)},
    )
