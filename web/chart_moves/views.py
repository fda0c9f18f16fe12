"""The page on which a company is moved to another chart: which one, from when, what it carries over, and that
every statement agrees before and after."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any
from urllib.parse import urlencode

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import render
from django.template.loader import render_to_string
from django.urls import reverse

from core.access.rights import Owner, Right
from core.books.periods import company_calendar
from core.changes.kinds import Put
from core.definitions.state import State
from core.definitions.tables import Chart, Company, CompanyCode, Group, Period, SecondChart
from core.faults import Fault, Refused
from core.mapping.second_charts import second_chart_plan
from core.money import digits_of
from core.structures.charts import ChartIndex, chart_index
from core.structures.second_charts import moves_of
from web.chart_moves.groups import group_agrees, groups_moved
from web.chart_moves.moving import ChartMovePlan, agreements, move, planned
from web.chart_moves.rows import account_rows, agreement_rows, group_rows, sentences, stopped_row
from web.definitions.viewing import PineRequest
from web.journals.moved_accounts import budgeted, unfinished
from web.people.rights import CHANGE, POST, charts_seen, needs, needs_post
from web.sheets.changing import apply_change, reload_at, seen_version
from web.shell import asked
from web.shell.table_rows import table_rows


@dataclass(frozen=True)
class MoveAsked:
    """What an address or form asks for; empty where nothing is chosen yet."""

    chart: str
    on: date | None
    own_codes: tuple[str, ...]


def _asked(given: Mapping[str, Any], state: State, company: Company) -> MoveAsked:
    chart = asked.text(given, "chart", 40)
    index = chart_index(state, chart) if chart else None
    codes = asked.text(given, "codes", 400).replace(",", " ").split()
    if not codes and "codes" not in given and index is not None:
        codes = _codes_alike(state, company, index)
    return MoveAsked(chart, asked.day(given, "on"), tuple(dict.fromkeys(codes)))


def _codes_alike(state: State, company: Company, index: ChartIndex) -> list[str]:
    """The company's codes now, where the new chart's company segment has the same list."""
    own = chart_index(state, company.chart)
    if own is None or own.company < 0 or index.company < 0:
        return []
    if own.segments[own.company].code_list != index.segments[index.company].code_list:
        return []
    return sorted(row.code for row in state.part(CompanyCode, company.company).values())


@needs(CHANGE, published=True)
def page(request: PineRequest, state: State, company: str) -> HttpResponse:
    row = state.require(Company, company)
    wanted = _asked(request.GET, state, row)
    move_plan = None
    if wanted.on is not None and wanted.chart:
        move_plan = planned(state, row, wanted.chart, wanted.on, wanted.own_codes, request.user)
    seen = charts_seen(request.user, state)
    former = {one.chart_before for one in moves_of(state, company)}
    charts = [one for one in state.rows(Chart) if one.chart in seen and one.chart not in {row.chart, *former}]
    index = chart_index(state, wanted.chart) if wanted.chart else None
    return render(
        request,
        "chart_moves/page.html",
        {
            "company": row,
            "chart": state.require(Chart, row.chart),
            "charts": sorted(charts, key=lambda one: one.name),
            "asked": wanted,
            "target": state.get(Chart, wanted.chart),
            "periods": list(reversed(_periods(state, row)))[:60],
            "asks_codes": bool(index and index.company >= 0),
            "codes_title": index.segments[index.company].title if index and index.company >= 0 else "",
            "moves": moves_of(state, company),
            "may_post": request.user.access(state).may(Right.POST, Owner("company", company)),
            **(_preview(state, move_plan, row, wanted) if move_plan else {}),
        },
    )


def _periods(state: State, company: Company) -> list[Period]:
    """Those a move can begin with: regular ones that aren't closed."""
    regular = company_calendar(state, company.company).regular
    last = max((one.on for one in moves_of(state, company.company)), default=date.min)
    return [one for one in regular if one.status != "closed" and one.starts_on > last]


def _preview(state: State, plan: ChartMovePlan, company: Company, wanted: MoveAsked) -> dict[str, Any]:
    statements, classes = agreements(state, plan)
    faults = plan.faults
    digits = digits_of(state.require(Company, plan.change.company).currency)
    budgets = budgeted(plan.change.company)
    return {
        "plan": plan,
        "faults": faults[:100],
        "fault_count": len(faults),
        "unmapped": any(fault.code == "unmapped" for fault in faults),
        "agreements": table_rows(
            agreement_rows([one for one in classes if one.was or one.now], statements, digits)
        ),
        "comparable": bool(classes),
        "next_group": _next_group(company, wanted, groups_moved(state, plan), 0),
        "differing": sum(bool(one.differing) for one in statements),
        "compared": len(statements),
        "accounts": table_rows(account_rows(state, plan, digits)),
        "account_count": len(plan.carried.strings) if plan.carried else 0,
        "sentences": sentences(plan),
        "digits": digits,
        "unfinished": unfinished(plan.change.company),
        "budgets": budgets,
        "budgeted": sum(budgets.values()),
    }


@needs(CHANGE, published=True)
def groups(request: PineRequest, state: State, company: str) -> HttpResponse:
    """Consolidated statements of one group before and after, as rows, and the row that asks for the next: a
    group of many companies takes longer than all the rest of the page."""
    row = state.require(Company, company)
    wanted = _asked(request.GET, state, row)
    if wanted.on is None or not wanted.chart:
        return HttpResponse("")
    plan = planned(state, row, wanted.chart, wanted.on, wanted.own_codes, request.user)
    compared = groups_moved(state, plan)
    at = asked.whole(request.GET, "at")
    if asked.text(request.GET, "stop"):
        return HttpResponse(table_rows([stopped_row(compared[at:])]))
    rows = table_rows(group_rows(group_agrees(state, plan, compared[at]))) if at < len(compared) else ""
    return HttpResponse(rows + _next_group(row, wanted, compared, at + 1))


def _next_group(company: Company, wanted: MoveAsked, compared: Sequence[Group], at: int) -> str:
    """The row that asks for a further group as soon as it stands on the page; none after the last."""
    if at >= len(compared):
        return ""
    codes = ", ".join(wanted.own_codes)
    address = urlencode({"chart": wanted.chart, "on": wanted.on, "codes": codes})
    row = {"company": company, "address": address, "at": at, "groups": compared, "group": compared[at]}
    return render_to_string("chart_moves/next_group.html", row)


@needs_post(CHANGE, published=True)
def map_first(request: PineRequest, state: State, company: str) -> HttpResponse:
    """Lets the company be seen in the chart, so that its accounts can be mapped there."""
    chart = asked.text(request.POST, "chart", 40)
    row = state.require(Company, company)
    if second_chart_plan(state, row.chart, chart) is None or chart == row.chart:
        raise Refused([Fault("nothing-chosen", "A chart to move to is needed.")])
    if state.get(SecondChart, company, chart) is None:
        apply_change(request, Put(SecondChart(company, chart, "To move to it")))
    return reload_at(reverse("second-chart", args=[company, chart]))


@needs_post(POST, published=True)
def make(request: PineRequest, state: State, company: str) -> HttpResponse:
    """Moves the company. What is refused says why; then nothing was done."""
    wanted = _asked(request.POST, state, state.require(Company, company))
    if wanted.on is None or not wanted.chart:
        raise Refused([Fault("nothing-chosen", "A chart and a period are needed.")])
    change = move(company, wanted.chart, wanted.on, wanted.own_codes, request.user, seen_version(request))
    carried = f"; {change.journal} carried over what stood" if change.journal else ""
    messages.success(request, f"Moved {company} to {wanted.chart} from {wanted.on} on{carried}.")
    return reload_at(reverse("company", args=[company]))
