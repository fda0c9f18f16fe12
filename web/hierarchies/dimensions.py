"""Dimensions of a chart: hung beside the structure at any time, required or not, and how much is untagged."""

from __future__ import annotations

import re
from urllib.parse import urlencode

from django.db import connection
from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.urls import reverse

from core.books.periods import company_calendar
from core.books.untagged import untagged
from core.changes.kinds import Change, ChangeSequence, Drop, Put
from core.codes.lists import list_index
from core.definitions.state import State
from core.definitions.tables import Chart, ChartDimension, CodeList, Dimension
from core.faults import Fault, Location, Refused, WrongCall
from core.money import digits_of
from core.statements.figures import natural_list
from core.structures.accounts import parse_dimensions
from web.definitions.viewing import PineRequest
from web.journals.books import books_for
from web.people.rights import CHANGE, SIGNED_IN, companies_seen, needs, needs_post
from web.shell.change_views import apply_change, filled, reload_at
from web.shell.tabular import Money, attached
from web.statements.queries import window
from web.statements.views import asked_period

PLAIN = re.compile(r"[^A-Za-z0-9_-]+")


def _tagged(dimension: str) -> frozenset[int]:
    """numbers of the dimension sets that carry a code of a dimension."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT id, codes FROM journals_dimensionset WHERE codes LIKE %s", [f"%{dimension}=%"])
        return frozenset(
            number for number, codes in cursor.fetchall() if dimension in parse_dimensions(codes)[0]
        )


@needs(SIGNED_IN)
def page(request: PineRequest, state: State, chart: str) -> HttpResponse:
    """The dimensions of a chart; for one of them the untagged share of each account."""
    chart_row = state.get(Chart, chart)
    if chart_row is None:
        raise Http404
    hung = sorted(state.part(ChartDimension, chart).values(), key=lambda row: row.dimension)
    rows = [
        (row, dim, len(list_index(state, dim.code_list).posting))
        for row in hung
        if (dim := state.get(Dimension, row.dimension))
    ]
    others = [dim for dim in state.rows(Dimension) if dim.dimension not in {row.dimension for row in hung}]
    companies = [row for row in companies_seen(request.user, state) if row.chart == chart]
    wanted = request.GET.get("company") or request.session.get("company")
    company = next((row for row in companies if row.company == wanted), companies[0] if companies else None)
    name = request.GET.get("dimension", rows[0][1].dimension if rows else "")
    shares, year, period, begin = [], 0, 0, 0
    if company and name in {dim.dimension for _, dim, _ in rows}:
        year, period, first = asked_period(request, state, company.calendar)
        try:
            at = window(company_calendar(state, company.company), year, period, first)
            begin = at.first
            shares = untagged(books_for([company.company])[company.company], _tagged(name), at.start, at.end)
        except WrongCall:
            shares = []
    codes = list_index(state, natural_list(state, chart)).codes
    digits = digits_of(company.currency) if company else 2
    items = [(share, codes[share.code].name if share.code in codes else "") for share in shares]
    if request.GET.get("file") in ("csv", "xlsx"):
        return attached(
            f"{chart}-{name}-untagged",
            request.GET["file"],
            ("account", "name", "turnover", "untagged", "percent"),
            ((s.code, n, Money(s.all, digits), Money(s.untagged, digits), s.percent) for s, n in items),
        )
    return render(
        request,
        "hierarchies/dimensions.html",
        {
            "chart": chart_row,
            "rows": rows,
            "others": others,
            "lists": sorted(state.rows(CodeList), key=lambda row: row.name),
            "name": name,
            "company": company,
            "companies": companies,
            "shares": items,
            "digits": digits,
            "year": year,
            "period": period,
            "drill": urlencode(
                {"year": year, "period": period, "from_year": year, "from_period": begin, "untagged": name}
            ),
            "whole": sum(s.all for s in shares),
            "bare": sum(s.untagged for s in shares),
        },
    )


@needs_post(CHANGE)
def hang(request: PineRequest, state: State, chart: str) -> HttpResponse:
    """Hangs a dimension on a chart (a new one or one there is), makes it required or not, or takes it off."""
    name, act = request.POST.get("dimension", ""), request.POST.get("act", "hang")
    chart_dimension_row = state.get(ChartDimension, chart, name)
    changes: list[Change] = []
    if act == "off" and chart_dimension_row:
        changes = [Drop(chart_dimension_row)]
    elif act in ("required", "free") and chart_dimension_row:
        changes = [Put(chart_dimension_row._replace(required=act == "required"))]
    elif act == "hang":
        if not name:
            title = request.POST.get("name", "").strip()
            name = PLAIN.sub("-", title.lower()).strip("-")[:40]
            if not name:
                raise Refused(
                    [Fault("cell-empty", "Choose a dimension, or name a new one.", Location(column="name"))]
                )
            if state.get(Dimension, name):
                raise Refused(
                    [
                        Fault(
                            "taken",
                            f"There is a dimension {name} already.",
                            way_out="Choose it from the list.",
                        )
                    ]
                )
            changes.append(Put(filled(request, Dimension(name, "", ""), "name", "code_list")))
        changes.append(Put(ChartDimension(chart, name)))
    else:
        raise Http404
    apply_change(request, ChangeSequence(tuple(changes)))
    return reload_at(reverse("dimensions", args=[chart]) + f"?dimension={name}")
