"""Storey 2: a structure on one page, with an account tried beside it."""

from __future__ import annotations

from datetime import date
from typing import Any

from django.http import Http404, HttpResponse, HttpResponseRedirect
from django.shortcuts import render
from django.urls import reverse
from django.utils.html import format_html

from core.definitions.state import State
from core.definitions.tables import Chart, Company, Structure
from core.structures.accounts import date_faults, resolve
from core.structures.charts import ChartIndex, chart_index, company_context
from core.structures.quick_codes import as_kept, expand
from web.definitions.viewing import PineRequest
from web.people.rights import SIGNED_IN, charts_seen, companies_seen, needs
from web.sheets.pages import stretch
from web.shell.asked import day, text as words
from web.shell.beam import beam
from web.structures.sheets import HUNG, QUICK, RULES, SEGMENTS, STRINGS, sample


@needs(SIGNED_IN)
def first(request: PineRequest, state: State) -> HttpResponse:
    charts = charts_seen(request.user, state)
    if not charts:
        return render(request, "structures/none.html", {"structures": list(state.rows(Structure))})
    companies = list(state.rows(Company))
    best = max(sorted(charts), key=lambda chart: sum(row.chart == chart for row in companies))
    return HttpResponseRedirect(reverse("structure", kwargs={"chart": best}))


@needs(SIGNED_IN, localised=True)
def structure(request: PineRequest, state: State, chart: str) -> HttpResponse:
    chart_row, index = state.get(Chart, chart), chart_index(state, chart)
    if chart_row is None or index is None:
        raise Http404
    given = {"structure": chart_row.structure, "chart": chart}
    text = sample(state, chart)
    return render(
        request,
        "structures/structure.html",
        {
            "chart": chart_row,
            "structure": state.get(Structure, chart_row.structure),
            "beam": beam(state, chart_row),
            "sample": text,
            "segments": stretch(request, state, SEGMENTS, given, extra=_lengths(state, index)),
            "rules": stretch(request, state, RULES, given),
            "hung": stretch(request, state, HUNG, given),
            "charts": sorted(
                (row for row in state.rows(Chart) if row.chart in charts_seen(request.user, state)),
                key=lambda row: row.name,
            ),
            "companies": [row for row in companies_seen(request.user, state) if row.chart == chart],
        },
    )


def _lengths(state: State, index: ChartIndex) -> dict[str, dict[str, Any]]:
    """Beside each segment: how long its codes are, and its list with a way there."""
    by_name = {}
    for place, field in enumerate(index.segments, 1):
        rule = field.rule
        size = (
            ""
            if rule is None
            else (
                str(rule.max_length)
                if rule.min_length == rule.max_length
                else f"{rule.min_length} to {rule.max_length}"
            )
        )
        by_name[str(place)] = format_html(
            '<a href="{}?chart={}">{}</a>',
            reverse("code-list", kwargs={"code_list": field.code_list}),
            index.chart,
            size,
        )
    return {"Length": by_name}


@needs(SIGNED_IN)
def strings(request: PineRequest, state: State, chart: str) -> HttpResponse:
    """Quick codes and listed account strings of a chart."""
    chart_row = state.get(Chart, chart)
    if chart_row is None:
        raise Http404
    return render(
        request,
        "structures/strings.html",
        {
            "chart": chart_row,
            "beam": beam(state, chart_row),
            "quick": stretch(request, state, QUICK, {"chart": chart}),
            "strings": stretch(request, state, STRINGS, {"chart": chart}),
            "companies": [row for row in companies_seen(request.user, state) if row.chart == chart],
        },
    )


@needs(SIGNED_IN, localised=True)
def try_account(request: PineRequest, state: State, chart: str) -> HttpResponse:
    """Works an account string out for a company on a date and tells every fault."""
    text = words(request.GET, "account", 400)
    company = request.GET.get("company", "")
    if not text or company not in {row.company for row in companies_seen(request.user, state)}:
        return HttpResponse("")
    seated = company_context(state, company)
    if seated is None or seated.chart.chart != chart:
        raise Http404
    on = day(request.GET, "on") or date.today()
    person = request.user.username
    account = as_kept(state, seated, text, person)
    account, dimensions = expand(state, seated, account, words(request.GET, "dimensions", 400), person)
    resolved = resolve(seated, account, dimensions, seated.chart.book.active(on))
    faults = [*resolved.faults, *date_faults(seated.chart, resolved, on)]
    count = len(seated.chart.segments)
    places = [
        *seated.chart.order,
        *(count + i for i in range(len(seated.chart.dimensions)) if resolved.values[count + i]),
    ]
    fields = (*seated.chart.segments, *seated.chart.dimensions)
    chips = [
        (i + 1, i % 6 + 1, fields[i], resolved.values[i], fields[i].codes.get(resolved.values[i]))
        for i in places
    ]
    return render(
        request,
        "structures/tried.html",
        {
            "found": resolved,
            "shown": seated.chart.shown(resolved.account),
            "faults": faults,
            "chips": chips,
            "on": on,
        },
    )
