"""Dimensions of a chart: hung beside the structure at any time, required or not, and how much is untagged."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple
from urllib.parse import urlencode

from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.urls import reverse

from core.analysis.stretches import of_periods
from core.books.periods import company_calendar
from core.books.untagged import UntaggedShare, untagged
from core.changes.kinds import Change, ChangeSequence, Drop, Put
from core.codes.lists import list_index
from core.definitions.state import State
from core.definitions.tables import Chart, ChartDimension, CodeList, Company, Dimension
from core.faults import Fault, Location, Refused, WrongCall
from core.money import digits_of
from core.statements.plans import natural_list
from web.definitions.viewing import PineRequest
from web.journals.books import books_for
from web.journals.queries import sets_with
from web.people.rights import CHANGE, SIGNED_IN, companies_seen, needs, needs_post
from web.sheets.changing import apply_change, filled, reload_at
from web.shell.ids import id_of
from web.shell.tabular import Money, attached
from web.statements.addresses import asked_period


class UntaggedPart(NamedTuple):
    """How much is untagged of the accounts of a company, in a stretch that `drill` names for an address."""

    shares: list[UntaggedShare]
    year: int
    period: int
    drill: str

    @property
    def all(self) -> int:
        return sum(share.all for share in self.shares)

    @property
    def untagged(self) -> int:
        return sum(share.untagged for share in self.shares)


def _untagged(request: PineRequest, state: State, company: Company, name: str) -> UntaggedPart:
    year, period, first = asked_period(request, state, company.calendar, company.company)
    begin, shares = 0, list[UntaggedShare]()
    try:
        at = of_periods(company_calendar(state, company.company), year, period, first)
        begin = at.first
        shares = untagged(
            books_for(state, [company.company])[company.company], sets_with(name), at.start, at.end
        )
    except WrongCall:
        pass  # a period that is not there has nothing to tag
    stretch = {"year": year, "period": period, "from_year": year, "from_period": begin, "untagged": name}
    return UntaggedPart(shares, year, period, urlencode(stretch))


def _hung(state: State, chart: str) -> Iterator[tuple[ChartDimension, Dimension, int]]:
    """Dimensions of a chart, each with how many codes it has."""
    for row in sorted(state.part(ChartDimension, chart).values(), key=lambda row: row.dimension):
        if dimension := state.get(Dimension, row.dimension):
            yield row, dimension, len(list_index(state, dimension.code_list).posting)


def company_of(request: PineRequest, companies: list[Company]) -> Company | None:
    """The company asked for, or the one looked at last, or the first."""
    wanted = request.GET.get("company") or request.session.get("company")
    return next((row for row in companies if row.company == wanted), companies[0] if companies else None)


@needs(SIGNED_IN)
def page(request: PineRequest, state: State, chart: str) -> HttpResponse:
    """The dimensions of a chart; for one of them the untagged share of each account."""
    chart_row = state.get(Chart, chart)
    if chart_row is None:
        raise Http404
    rows = list(_hung(state, chart))
    companies = [row for row in companies_seen(request.user, state) if row.chart == chart]
    company = company_of(request, companies)
    name = request.GET.get("dimension", rows[0][1].dimension if rows else "")
    there = {row.dimension for row, _, _ in rows}
    part = UntaggedPart([], 0, 0, "")
    if company and name in there:
        part = _untagged(request, state, company, name)
    codes = list_index(state, natural_list(state, chart)).codes
    digits = digits_of(company.currency) if company else 2
    items = [(share, codes[share.code].name if share.code in codes else "") for share in part.shares]
    if request.GET.get("file") in ("csv", "xlsx"):
        return attached(
            f"{chart}-{name}-untagged",
            request.GET["file"],
            ("account", "name", "turnover", "untagged", "percent"),
            ((s.code, n, Money(s.all, digits), Money(s.untagged, digits), s.percent) for s, n in items),
        )
    return render(
        request,
        "structures/dimensions.html",
        {
            "chart": chart_row,
            "rows": rows,
            "others": [dim for dim in state.rows(Dimension) if dim.dimension not in there],
            "lists": sorted(state.rows(CodeList), key=lambda row: row.name),
            "name": name,
            "company": company,
            "companies": companies,
            "shares": items,
            "digits": digits,
            "year": part.year,
            "period": part.period,
            "drill": part.drill,
            "whole": part.all,
            "bare": part.untagged,
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
            name = id_of(title)
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
