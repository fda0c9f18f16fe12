"""Storey 2: a structure on one page, with an account tried beside it."""

from __future__ import annotations

from datetime import date

from django.http import Http404, HttpRequest, HttpResponse, HttpResponseRedirect
from django.shortcuts import render
from django.urls import reverse

from core.accounts import chart_index, date_faults, resolve, seat
from core.codes import list_index
from core.state import State
from core.tables import (
    Chart,
    ChartDimension,
    ChartSegment,
    Company,
    PairingCondition,
    PairingRule,
    Structure,
    StructureSegment,
)
from web.people.rights import SIGNED_IN, charts_seen, companies_seen, needs
from web.structures.beam import beam


@needs(SIGNED_IN)
def first(request: HttpRequest, state: State) -> HttpResponse:
    charts = charts_seen(request.user, state)
    if not charts:
        return render(request, "structures/none.html", {"structures": list(state.rows(Structure))})
    companies = list(state.rows(Company))
    best = max(sorted(charts), key=lambda chart: sum(row.chart == chart for row in companies))
    return HttpResponseRedirect(reverse("structure", kwargs={"chart": best}))


@needs(SIGNED_IN)
def structure(request: HttpRequest, state: State, chart: str) -> HttpResponse:
    head, index = state.get(Chart, chart), chart_index(state, chart)
    if head is None or index is None:
        raise Http404
    segments = sorted(state.part(StructureSegment, head.structure).values(), key=lambda row: row.position)
    rows = [
        (segment, state.get(ChartSegment, chart, segment.segment) or ChartSegment(chart, segment.segment), field)
        for segment, field in zip(segments, index.segments, strict=True)
    ]
    sample = [
        field.default or next((c for c in list_index(state, field.code_list).posting), "") for field in index.segments
    ]  # fmt: skip
    rules = sorted(state.part(PairingRule, chart).values(), key=lambda row: (row.position, row.rule))
    conditions = list(state.part(PairingCondition, chart).values())
    return render(request, "structures/structure.html", {
        "chart": head, "structure": state.get(Structure, head.structure), "rows": rows, "beam": beam(state, head),
        "sample": index.separator.join(sample), "rules": [(r, [c for c in conditions if c.rule == r.rule]) for r in rules],
        "charts": sorted((state.get(Chart, c) for c in charts_seen(request.user, state)), key=lambda c: c.name if c else ""),
        "hung": list(state.part(ChartDimension, chart).values()), "next": len(rows) + 1,
        "companies": [row for row in companies_seen(request.user, state) if row.chart == chart],
    })  # fmt: skip


@needs(SIGNED_IN)
def try_account(request: HttpRequest, state: State, chart: str) -> HttpResponse:
    """Works an account string out for a company on a date and tells every fault."""
    text = request.GET.get("account", "").strip()[:400].replace("\x00", "")
    company = request.GET.get("company", "")
    if not text or company not in {row.company for row in companies_seen(request.user, state)}:
        return HttpResponse("")
    seated = seat(state, company)
    if seated is None or seated.chart.chart != chart:
        raise Http404
    try:
        on = date.fromisoformat(request.GET.get("on", ""))
    except ValueError:
        on = date.today()
    found = resolve(seated, text, request.GET.get("dimensions", ""), seated.chart.book.active(on))
    faults = [*found.faults, *date_faults(seated.chart, found, on)]
    chips = [
        (i, (i - 1) % 6 + 1, field, found.values[i - 1], field.codes.get(found.values[i - 1]))
        for i, field in enumerate((*seated.chart.segments, *seated.chart.dimensions), 1)
        if i <= len(seated.chart.segments) or found.values[i - 1]
    ]
    return render(request, "structures/tried.html", {"found": found, "faults": faults, "chips": chips, "on": on})
