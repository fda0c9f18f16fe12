"""One company's own accounts and where each goes in the group's chart; what changed upstream since."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from typing import Any

from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.urls import reverse

from core.analysis.stretches import of_periods
from core.books.periods import company_calendar
from core.changes.kinds import Change, ChangeSequence
from core.changes.of_statements import MapAccounts, MapChart
from core.codes.lists import list_index, out_of_use
from core.definitions.state import State
from core.definitions.tables import ChartMapping, Code, Company, Group, Period
from core.faults import Fault, Refused
from core.group.mapping import MapPlan, map_plan
from core.group.membership import membership
from core.mapping.bundles import Bundles
from core.mapping.likely import LikelyTarget, by_target, likely_targets, several_accounts
from core.money import digits_of
from core.statements.plans import natural_list
from web.definitions.viewing import PineRequest
from web.group import upstream
from web.group.addresses import group_address
from web.group.ribbons import ribbons
from web.group.sheets import CHART_MAPPINGS, MAPPINGS
from web.people.rights import CHANGE, SIGNED_IN, needs, needs_post
from web.sheets.changing import apply_change, reload_at, words_of
from web.sheets.pages import stretch
from web.shell import asked
from web.shell.asking import Choice, ask, decided
from web.statements.queries import company_sums
from web.structures import taken

OF_CHART = "chart"
"""What is mapped is mapped for every company on the chart."""
MOST_SHOWN = 200


@needs(SIGNED_IN)
def mapping(request: PineRequest, state: State, group: str, company: str) -> HttpResponse:
    row, own = state.get(Group, group), state.get(Company, company)
    plan = map_plan(state, group, company)
    if row is None or own is None or plan is None:
        raise Http404
    at = group_address(request, state, group)
    theirs = list_index(state, natural_list(state, row.chart)).codes
    of_chart = [r for r in state.part(ChartMapping, group).values() if r.chart == own.chart]
    context = {
        "group": row,
        "company": own,
        "rows": stretch(request, state, MAPPINGS, {"group": group, "company": company}),
        "chart_rows": stretch(request, state, CHART_MAPPINGS, {"group": group}, among=of_chart),
        "shared": plan.shared,
        "scope": asked.text(request.GET, "scope", 10),
        "on_chart": sum(other.chart == own.chart for other in state.rows(Company)),
        "digits": digits_of(own.currency),
        "targets": [theirs[code] for code in sorted(theirs) if not theirs[code].rollup],
        "theirs": theirs,
        "companies": _mapped_companies(state, group),
        "period": state.get(Period, own.calendar, at.year, at.period),
    }
    sums = own_sums(company, at.year, at.period, state)
    return render(request, "group/mapping.html", context | _accounts(request, state, row, own, plan, sums))


def _accounts(
    request: PineRequest, state: State, group: Group, company: Company, plan: MapPlan, sums: dict[str, int]
) -> dict[str, Any]:
    """The company's accounts for its page, by whether they have a target: counts, drawn, to be mapped.
    `sums`: raw debit-plus by account."""
    index = list_index(state, plan.chart.natural_list)
    theirs = list_index(state, natural_list(state, group.chart)).codes
    without = [code for code in index.posting if plan.plain(code) == ""]
    listed = without
    if request.user.hides_closed:
        listed = [
            code for code in without if sums.get(code) or not out_of_use(index.codes[code], date.today())
        ]
    opened = tuple(name for name in asked.text(request.GET, "open", 2000).split(",") if name)
    told = {
        "placed": len(index.posting) - len(without),
        "without": len(without),
        "total": len(index.posting),
        "unplaced": sum(sums.get(code, 0) for code in without),
        "balance": sum(sums.values()),
        "opened": opened,
    }
    if plan.shared:
        return told
    bundles = (
        Bundles(state, code_list, opened)
        for code_list in (plan.chart.natural_list, natural_list(state, group.chart))
    )
    return told | {
        "unmapped": _unmapped(state, group.group, plan, listed, sums, theirs),
        "more": max(0, len(listed) - MOST_SHOWN),
        "left_out": len(without) - len(listed),
        "drawing": ribbons(plan, index, theirs, sums, *bundles),
        "review": upstream.reviews_of(state, group, {company.company: plan})[company.company],
        "taken": taken.still_taken(f"group {group.group}", _whose(state, company.company), plan),
    }


def _mapped_companies(state: State, group: str) -> list[tuple[str, Company | None]]:
    """The companies of a group that are on a chart of their own."""
    return [
        (reached.company, state.get(Company, reached.company))
        for reached in membership(state, group).companies
        if (plan := map_plan(state, group, reached.company)) and not plan.shared
    ]


def _unmapped(
    state: State,
    group: str,
    plan: MapPlan,
    without: Sequence[str],
    sums: dict[str, int],
    theirs: dict[str, Code],
) -> list[Any]:
    """Those with amounts first, each with its likely target and the ground of it."""
    first = sorted(without, key=lambda code: (not sums.get(code), code))[:MOST_SHOWN]
    likely = likely_targets(state, group, plan.company, first)
    codes = list_index(state, plan.chart.natural_list).codes
    return [
        (codes[code], sums.get(code, 0), one, theirs.get(one.target) if one else None)
        for code in first
        for one in (likely.get(code),)
    ]


def own_sums(company: str, year: int, period: int, state: State) -> dict[str, int]:
    """Raw amounts by the company's own natural accounts to the end of a period."""
    calendar = company_calendar(state, company)
    if (year, period) not in calendar.periods:
        return {}
    codes, sums = company_sums(state, company, of_periods(calendar, year, period))
    return {code: int(sums["cumulative"][i]) for i, code in enumerate(codes) if sums["touched"][i]}


@needs_post(CHANGE)
def map_accounts(request: PineRequest, state: State, group: str, company: str) -> HttpResponse:
    """Maps accounts to a target; with `take` every unplaced account that has one by name or code. For the
    company, or all on its chart."""
    plan, own = map_plan(state, group, company), state.get(Company, company)
    if plan is None or own is None:
        raise Http404
    scope = request.POST.get("scope", "")

    def mapped(codes: tuple[str, ...], target: str) -> Change:
        if scope == OF_CHART:
            return MapChart(group, own.chart, codes, target)
        return MapAccounts(group, company, codes, target)

    if request.POST.get("take"):
        likely = _likely(state, group, company, plan)
        if not decided(request):
            theirs = list_index(state, natural_list(state, state.require(Group, group).chart)).codes
            names = {code: row.name for code, row in theirs.items()}
            return ask(request, taken.question(likely, names), Choice("take", "Map them"))
        changes = tuple(mapped(codes, target) for target, codes in by_target(likely).items())
        sentence = f"Mapped {several_accounts(likely)} of {company} by name or code in {group}"
        apply_change(request, ChangeSequence(changes, sentence))
        of = f"chart {own.chart}" if scope == OF_CHART else f"company {company}"
        taken.keep_taken(f"group {group}", of, likely, request.user)
    else:
        codes = tuple(c for c in request.POST.get("code", "").replace(" ", "").split(",") if c)
        target = request.POST.get("target", "").split(" ")[0]
        if not codes or not target:
            raise Refused([Fault("nothing-chosen", "An account and its target are needed.")])
        apply_change(request, mapped(codes, target))
    return _back(group, company, scope)


def _likely(state: State, group: str, company: str, plan: MapPlan) -> dict[str, LikelyTarget]:
    """All targets of a sure ground, by account. Raises Refused where there are none."""
    index = list_index(state, plan.chart.natural_list)
    without = [code for code in index.posting if plan.plain(code) == ""]
    likely = {
        code: one for code, one in likely_targets(state, group, company, without).items() if one.is_sure
    }
    if not likely:
        way_out = "Choose targets one by one."
        raise Refused([Fault("nothing-likely", "No account has a target by name or code.", way_out=way_out)])
    return likely


def _back(group: str, company: str, scope: str = "") -> HttpResponse:
    address = reverse("mapping", kwargs={"group": group, "company": company})
    return reload_at(f"{address}?scope={OF_CHART}" if scope == OF_CHART else address)


@needs_post(CHANGE, published=True)
def looked_at(request: PineRequest, state: State, group: str, company: str) -> HttpResponse:
    """The mapping was looked at as it stands: what changed until now is known."""
    if map_plan(state, group, company) is None or not request.defines:
        raise Http404
    upstream.look_at(group, company, request.user)
    taken.look_at(f"group {group}", _whose(state, company))
    return _back(group, company)


def _whose(state: State, company: str) -> tuple[str, str]:
    """Whose accounts a company's mapping speaks of: its own, and those of its chart."""
    return f"company {company}", f"chart {state.require(Company, company).chart}"


@needs_post(CHANGE, published=True)
def taken_looked_at(request: PineRequest, state: State, group: str, company: str) -> HttpResponse:
    """One account that was mapped by name or code was looked at."""
    if map_plan(state, group, company) is None or not request.defines:
        raise Http404
    taken.look_at(f"group {group}", _whose(state, company), asked.text(request.POST, "account", 60))
    return _back(group, company)


@needs_post(CHANGE, published=True)
def settle(request: PineRequest, state: State, group: str, company: str) -> HttpResponse:
    """One changed account needs nothing more here, and why."""
    if map_plan(state, group, company) is None or not request.defines:
        raise Http404
    account, side = asked.text(request.POST, "account", 60), asked.text(request.POST, "side", 5)
    upstream.settle(group, company, side, account, words_of(request, "why"), request.user)
    return _back(group, company)
