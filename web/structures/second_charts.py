"""Books seen in a second chart: where the accounts of a company's chart go there, and which go nowhere."""

from __future__ import annotations

from typing import NamedTuple

from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.urls import reverse

from core.analysis.asked import Asked
from core.analysis.stretches import of_periods
from core.books.periods import company_calendar
from core.changes.kinds import ChangeSequence
from core.changes.of_statements import MapSecondChart
from core.codes.lists import ListIndex, list_index
from core.definitions.state import State
from core.definitions.tables import Chart, Code, Company, Period, SecondChart
from core.faults import Fault, Refused
from core.group.mapping import MapPlan
from core.mapping.likely import LikelyTarget, by_target, likely_by_plan, several_accounts
from core.mapping.second_charts import ordered, second_chart_plan
from core.money import digits_of
from core.statements.plans import natural_list
from web.definitions.viewing import PineRequest
from web.people.rights import CHANGE, SIGNED_IN, needs, needs_post
from web.sheets.changing import apply_change, reload_at
from web.sheets.pages import stretch
from web.shell.asked import text, whole
from web.shell.asking import Choice, ask, decided
from web.statements.addresses import asked_period, where
from web.statements.figure_source import FigureSource
from web.structures import taken
from web.structures.sheets import SECOND_CHART_MAPPINGS

MOST_SHOWN = 200


class AccountToPlace(NamedTuple):
    """An own account that has none in the second chart: its raw amount, and which one is likely."""

    code: Code
    raw: int
    likely: LikelyTarget | None
    target: Code | None


def _known(state: State, company: str, second_chart: str) -> tuple[Company, MapPlan]:
    row = state.get(Company, company)
    plan = second_chart_plan(state, row.chart, second_chart) if row else None
    if row is None or plan is None or state.get(SecondChart, company, second_chart) is None:
        raise Http404
    return row, plan


@needs(SIGNED_IN, localised=True)
def second_chart(request: PineRequest, state: State, company: str, second_chart: str) -> HttpResponse:
    row, plan = _known(state, company, second_chart)
    theirs = list_index(state, natural_list(state, second_chart))
    start = whole(request.GET, "from")
    rows = stretch(
        request,
        state,
        SECOND_CHART_MAPPINGS,
        {"chart": row.chart, "second_chart": second_chart},
        start=start,
        extra={"Its name there": _names(state, row.chart, second_chart, theirs)},
        by_page=True,
    )
    if start:
        return render(request, "sheets/sheet_rows.html", {"sheet": rows})
    year, period, first = asked_period(request, state, row.calendar, row.company)
    raw = _raw(state, row, year, period)
    own = list_index(state, plan.chart.natural_list)
    without = [code for code in own.posting if plan.plain(code) == ""]
    unmapped = _to_place(state, plan, theirs, raw, without)
    return render(
        request,
        "structures/second_chart.html",
        {
            "company": row,
            "chart": state.require(Chart, row.chart),
            "second": state.require(Chart, second_chart),
            "kept": state.get(SecondChart, company, second_chart),
            "shared": plan.shared,
            "rows": rows,
            "unmapped": unmapped,
            "taken": taken.still_taken(f"chart {second_chart}", [f"chart {row.chart}"], plan),
            "placed": len(own.posting) - len(without),
            "total": len(own.posting),
            "without": len(without),
            "more": len(without) - len(unmapped),
            "with_amounts": sum(1 for code in without if raw.get(code)),
            "digits": digits_of(row.currency),
            "targets": [theirs.codes[code] for code in theirs.posting],
            "period": state.get(Period, row.calendar, year, period),
            "query": where(
                {"company": company, "in": second_chart, "year": year, "period": period, "first": first}
            ),
            "others": sum(other.chart == row.chart for other in state.rows(Company)) - 1,
        },
    )


def _to_place(
    state: State, plan: MapPlan, theirs: ListIndex, raw: dict[str, int], without: list[str]
) -> list[AccountToPlace]:
    """Own accounts that have none there, those with an amount first, each with its likely account."""
    own = list_index(state, plan.chart.natural_list)
    ordered = sorted(without, key=lambda code: (not raw.get(code), code))[:MOST_SHOWN]
    likely = likely_by_plan(state, plan, theirs, ordered)
    return [
        AccountToPlace(own.codes[code], raw.get(code, 0), one, theirs.codes.get(one.target) if one else None)
        for code in ordered
        for one in (likely.get(code),)
    ]


def _names(state: State, chart: str, second_chart: str, theirs: ListIndex) -> dict[str, object]:
    """By row of the mapping what its account is called in the second chart."""
    rows = ordered(state, chart, second_chart)
    return {str(row.position): theirs.codes[row.target].name for row in rows if row.target in theirs.codes}


def _raw(state: State, row: Company, year: int, period: int) -> dict[str, int]:
    """By own account what stands on it at the end of a period, raw; nothing where there is no such period."""
    calendar = company_calendar(state, row.company)
    if (year, period) not in calendar.periods:
        return {}
    at = of_periods(calendar, year, period)
    rows = FigureSource(state, row, Asked(year, period)).rows
    rows = rows.where(rows.time <= at.end)
    sums: dict[str, int] = {}
    for place, net in zip(rows.natural.tolist(), rows.net.tolist(), strict=True):
        sums[rows.naturals[place]] = sums.get(rows.naturals[place], 0) + net
    return sums


@needs_post(CHANGE)
def map_accounts(request: PineRequest, state: State, company: str, second_chart: str) -> HttpResponse:
    """Maps an account; with `take` every unmapped one to its likely account, in one change."""
    row, plan = _known(state, company, second_chart)
    if request.POST.get("take"):
        likely, theirs = (
            _likely(state, second_chart, plan),
            list_index(state, natural_list(state, second_chart)),
        )
        if not decided(request):
            names = {code: one.name for code, one in theirs.codes.items()}
            return ask(request, taken.question(likely, names), Choice("take", "Map them"))
        changes = tuple(
            MapSecondChart(row.chart, second_chart, codes, target)
            for target, codes in by_target(likely).items()
        )
        sentence = f"Mapped {several_accounts(likely)} of chart {row.chart} by name or code in {second_chart}"
        apply_change(request, ChangeSequence(changes, sentence))
        taken.keep_taken(f"chart {second_chart}", f"chart {row.chart}", likely, request.user)
    else:
        codes = tuple(code for code in text(request.POST, "code", 2000).replace(" ", "").split(",") if code)
        target = text(request.POST, "target", 60).split(" ")[0]
        if not codes or not target:
            raise Refused([Fault("nothing-chosen", "An account and its target are needed.")])
        apply_change(request, MapSecondChart(row.chart, second_chart, codes, target))
    return reload_at(reverse("second-chart", args=[company, second_chart]))


@needs_post(CHANGE, published=True)
def taken_looked_at(request: PineRequest, state: State, company: str, second_chart: str) -> HttpResponse:
    """One account that was mapped by name or code was looked at, or all of them."""
    row, _ = _known(state, company, second_chart)
    taken.look_at(f"chart {second_chart}", [f"chart {row.chart}"], text(request.POST, "account", 60))
    return reload_at(reverse("second-chart", args=[company, second_chart]))


def _likely(state: State, second_chart: str, plan: MapPlan) -> dict[str, LikelyTarget]:
    """All accounts of a sure ground. Raises Refused where there are none."""
    own, theirs = (
        list_index(state, plan.chart.natural_list),
        list_index(state, natural_list(state, second_chart)),
    )
    without = [code for code in own.posting if plan.plain(code) == ""]
    likely = {code: one for code, one in likely_by_plan(state, plan, theirs, without).items() if one.is_sure}
    if not likely:
        what = "No account has one there by name or code."
        raise Refused([Fault("nothing-likely", what, way_out="Choose accounts one by one.")])
    return likely
