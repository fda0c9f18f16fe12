"""Storey 6: members of a group and mappings into its chart."""

from __future__ import annotations

from datetime import date

from django.http import Http404, HttpResponse, HttpResponseRedirect
from django.shortcuts import render
from django.urls import reverse

from core.books.periods import company_calendar
from core.changes.kinds import ChangeSequence
from core.changes.of_statements import MapAccounts
from core.codes.lists import list_index
from core.definitions.state import State
from core.definitions.tables import Company, Group, Period
from core.faults import Fault, Refused
from core.group.mapping import likely_target, map_plan
from core.group.membership import membership
from core.group_figures.stakes import days_of_change, stakes
from core.money import digits_of
from core.statements.figures import natural_list
from web.definitions.viewing import PineRequest
from web.group import chartdrawing
from web.group.addresses import group_address
from web.group.ribbons import ribbons
from web.group.sheets import (
    ACQUIRED_EQUITY,
    ACQUISITIONS,
    CHART_MAPPINGS,
    ELIMINATIONS,
    GROUP_ACCOUNTS,
    MAPPINGS,
    MEMBERS,
    OPENINGS,
    OWNERSHIP,
    TRANSLATION,
)
from web.people.rights import CHANGE, SIGNED_IN, needs, needs_post
from web.sheets.changing import apply_change, reload_at
from web.sheets.pages import stretch
from web.shell import asked
from web.statements.queries import company_sums, window


@needs(SIGNED_IN)
def first(request: PineRequest, state: State) -> HttpResponse:
    groups = sorted(state.rows(Group), key=lambda row: row.name) if request.user.is_group_accountant else []
    if not groups:
        return render(request, "group/none.html", {})
    biggest = max(groups, key=lambda row: len(membership(state, row.group).companies))
    return HttpResponseRedirect(reverse("group", kwargs={"group": biggest.group}))


@needs(SIGNED_IN)
def members(request: PineRequest, state: State, group: str) -> HttpResponse:
    """Who is in the group and how it is held on a day; what is eliminated; all edited in place."""
    at = group_address(request, state, group)
    days = days_of_change(state, group)
    on = asked.day(request.GET, "on") or (at.period_row.ends_on if at.period_row else date.today())
    given = {"group": group}
    names = {row.company: row.name for row in state.rows(Company)}
    sheets = {
        "members": MEMBERS,
        "ownership": OWNERSHIP,
        "acquisitions": ACQUISITIONS,
        "acquired": ACQUIRED_EQUITY,
        "translation": TRANSLATION,
        "openings": OPENINGS,
        "charts": CHART_MAPPINGS,
        "eliminations": ELIMINATIONS,
    }
    return render(
        request,
        "group/members.html",
        {
            "group": at.group,
            "query": at.query,
            "on": on,
            "days": days,
            "earlier": max((day for day in days if day < on), default=None),
            "later": min((day for day in days if day > on), default=None),
            "stakes": [(names.get(one.company, one.company), one) for one in stakes(state, group, on)],
            **{name: stretch(request, state, sheet, given) for name, sheet in sheets.items()},
            "accounts": stretch(request, state, GROUP_ACCOUNTS, {}, among=[at.group]),
            "drawing": chartdrawing.draw(state, group, on),
            "groups": list(state.rows(Group)),
        },
    )


@needs(SIGNED_IN)
def mapping(request: PineRequest, state: State, group: str, company: str) -> HttpResponse:
    """One company's own accounts and where each goes in the group's chart."""
    row, own = state.get(Group, group), state.get(Company, company)
    mapping_plan = map_plan(state, group, company)
    if row is None or own is None or mapping_plan is None:
        raise Http404
    at = group_address(request, state, group)
    year, period = at.year, at.period
    index = list_index(state, mapping_plan.chart.natural_list)
    theirs = list_index(state, natural_list(state, row.chart)).codes
    sums = own_sums(company, year, period, state)
    unmapped = [
        (index.codes[c], sums.get(c, 0), likely_target(state, group, company, c))
        for c in index.posting
        if mapping_plan.plain(c) == ""
    ]
    placed = len(index.posting) - len(unmapped)
    return render(
        request,
        "group/mapping.html",
        {
            "group": row,
            "company": own,
            "rows": stretch(request, state, MAPPINGS, {"group": group, "company": company}),
            "unmapped": [(s, a, t, theirs.get(t)) for s, a, t in unmapped],
            "shared": mapping_plan.shared,
            "placed": placed,
            "total": len(index.posting),
            "digits": digits_of(own.currency),
            "targets": sorted(theirs),
            "drawing": ribbons(mapping_plan, index, theirs, sums),
            "unplaced": sum(a for _, a, _ in unmapped),
            "theirs": theirs,
            "companies": [
                (r.company, state.get(Company, r.company))
                for r in membership(state, group).companies
                if (m := map_plan(state, group, r.company)) and not m.shared
            ],
            "balance": sum(sums.values()),
            "period": state.get(Period, own.calendar, year, period),
        },
    )


def own_sums(company: str, year: int, period: int, state: State) -> dict[str, int]:
    """Raw amounts by the company's own natural accounts to the end of a period."""
    calendar = company_calendar(state, company)
    if (year, period) not in calendar.periods:
        return {}
    codes, sums = company_sums(state, company, window(calendar, year, period))
    return {code: int(sums["cumulative"][i]) for i, code in enumerate(codes) if sums["touched"][i]}


@needs_post(CHANGE)
def map_accounts(request: PineRequest, state: State, group: str, company: str) -> HttpResponse:
    """Maps accounts to a target; with `take` every unplaced account goes to its likely target."""
    mapping_plan = map_plan(state, group, company)
    if mapping_plan is None:
        raise Http404
    if request.POST.get("take"):
        index = list_index(state, mapping_plan.chart.natural_list)
        likely = [
            (c, likely_target(state, group, company, c)) for c in index.posting if mapping_plan.plain(c) == ""
        ]
        changes = tuple(MapAccounts(group, company, (code,), target) for code, target in likely if target)
        if not changes:
            raise Refused(
                [
                    Fault(
                        "nothing-likely",
                        "No account has a likely target.",
                        way_out="Choose targets one by one.",
                    )
                ]
            )
        apply_change(
            request,
            ChangeSequence(
                changes, f"Mapped {len(changes)} accounts of {company} to their likely targets in {group}"
            ),
        )
    else:
        codes = tuple(c for c in request.POST.get("code", "").replace(" ", "").split(",") if c)
        target = request.POST.get("target", "").split(" ")[0]
        if not codes or not target:
            raise Refused([Fault("nothing-chosen", "An account and its target are needed.")])
        apply_change(request, MapAccounts(group, company, codes, target))
    return reload_at(reverse("mapping", kwargs={"group": group, "company": company}))
