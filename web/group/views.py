"""Storey 6: members of a group and mappings into its chart."""

from __future__ import annotations

from datetime import date

from django.http import HttpResponse, HttpResponseRedirect
from django.shortcuts import render
from django.urls import reverse

from core.definitions.state import State
from core.definitions.tables import Company, Group
from core.group.membership import membership
from core.group.ownership import days_of_change, stakes
from web.definitions.viewing import PineRequest
from web.group import chartdrawing
from web.group.addresses import group_address
from web.group.sheets import (
    ACQUIRED_EQUITY,
    ACQUISITIONS,
    CHART_MAPPINGS,
    ELIMINATIONS,
    GROUP_ACCOUNTS,
    MEMBERS,
    OPENINGS,
    OWNERSHIP,
    TRANSLATION,
)
from web.people.rights import SIGNED_IN, groups_seen, needs
from web.sheets.pages import stretch
from web.shell import asked


@needs(SIGNED_IN)
def first(request: PineRequest, state: State) -> HttpResponse:
    groups = groups_seen(request.user, state)
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
    stops = sorted({*days, on})
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
            "stops": stops,
            "at_stop": stops.index(on),
            "earlier": max((day for day in days if day < on), default=None),
            "later": min((day for day in days if day > on), default=None),
            "stakes": [(names.get(one.company, one.company), one) for one in stakes(state, group, on)],
            **{name: stretch(request, state, sheet, given) for name, sheet in sheets.items()},
            "accounts": stretch(request, state, GROUP_ACCOUNTS, {}, among=[at.group]),
            "drawing": chartdrawing.draw(state, group, on),
            "groups": list(state.rows(Group)),
        },
    )
