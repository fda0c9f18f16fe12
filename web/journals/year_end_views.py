"""The page of a year's end: each company's result, carried to equity for one or many, and taken back."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from django.contrib import messages
from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.urls import reverse
from django.utils import timezone

from core.access.rights import Right
from core.books.periods import company_calendar
from core.closing.year_end import YearEnd, still_running
from core.codes.lists import list_index
from core.definitions.state import State
from core.definitions.tables import Chart, Company
from core.faults import Fault, Refused
from core.money import digits_of, show_amount
from core.statements.plans import natural_list
from web.definitions.viewing import PineRequest
from web.journals.models import Journal
from web.journals.year_end import carry, closing_journals, take_back, year_ends
from web.people.rights import POST, companies_with, needs, needs_post
from web.sheets.changing import reload_at
from web.shell.asked import listed, text, whole
from web.shell.asking import Choice, ask, decided
from web.shell.table_rows import Cell, TableRow, table_rows

READY, CARRIED, NOTHING = "ready", "carried", "nothing to carry"


def _years(state: State, companies: list[Company]) -> list[int]:
    return sorted({year for row in companies for year in company_calendar(state, row.company).years()})


def _year(request: PineRequest, years: list[int]) -> int:
    """The year asked for, or the last but one: the last is most likely still open."""
    return whole(request.GET, "year", years[-2] if len(years) > 1 else years[-1] if years else 0, 9999)


@needs(POST)
def year_end_page(request: PineRequest, state: State) -> HttpResponse:
    """Every company that the person sees, with what is left to carry of a year."""
    companies = companies_with(request.user, state, Right.POST)
    years = _years(state, companies)
    year = _year(request, years)
    names = [row.company for row in companies if year in company_calendar(state, row.company).years()]
    journals = closing_journals(state, names, year)
    rows = [
        _row(state, end, journals.get(end.company, [])) for end in year_ends(state, names, year, request.user)
    ]
    return render(
        request,
        "journals/year_end.html",
        {"year": year, "years": years, "rows": table_rows(rows), "any": bool(rows)},
    )


def _row(state: State, end: YearEnd, journals: list[Journal]) -> TableRow:
    company = state.require(Company, end.company)
    chart = state.get(Chart, company.chart)
    address = reverse("year-end-lines", args=[company.company])
    return TableRow(
        company.company,
        [
            Cell(company.name),
            Cell(chart.result_account if chart else "", "code"),
            Cell(company.currency, "code"),
            Cell(show_amount(end.result if end.lines else None, digits_of(company.currency)), "num"),
            Cell(*_state(end, journals)),
        ],
        proof=f"{address}?year={end.year}",
    )


def _state(end: YearEnd, journals: list[Journal]) -> tuple[str, str]:
    """How a year's end stands, in words, with the mark it has."""
    by = f"{CARRIED} by {', '.join(row.journal for row in journals)}" if journals else ""
    if end.lines and not end.result and by:
        return f"{by}; by codes amounts are left that cancel", "look wrap"
    if end.faults:
        return f"{by + ', and more came: ' if by else ''}{end.faults[0].what}", "must wrap"
    if end.lines:
        return (f"{by}, and more came since" if by else READY), "look"
    return by or NOTHING, "ok" if by else "soft"


@needs(POST)
def lines(request: PineRequest, state: State, company: str) -> HttpResponse:
    """The lines that would carry a company's result, and what carried it so far."""
    row = state.require(Company, company)
    (end,) = year_ends(state, [company], whole(request.GET, "year", 0, 9999), request.user)
    codes = list_index(state, natural_list(state, row.chart)).codes
    return render(
        request,
        "journals/year_end_lines.html",
        {
            "company": row,
            "end": end,
            "lines": list(_named(end, codes)),
            "digits": digits_of(row.currency),
            "journals": closing_journals(state, [company], end.year).get(company, []),
        },
    )


def _named(end: YearEnd, codes: Any) -> Iterator[tuple[Any, str]]:
    for line in (*end.equity, *end.closed):
        code = codes.get(line.natural)
        yield line, code.name if code else ""


@needs_post(POST, published=True)
def act(request: PineRequest, state: State) -> HttpResponse:
    """Carries the results of the chosen companies, all or none, or takes them back."""
    year, seen = (
        whole(request.POST, "year", 0, 9999),
        {row.company for row in companies_with(request.user, state, Right.POST)},
    )
    chosen, kind = listed(request.POST, "what"), text(request.POST, "act", 10)
    if kind not in ("carry", "back") or not set(chosen) <= seen:
        raise Http404
    if not chosen:
        raise Refused(
            [Fault("nothing-chosen", "No company is chosen.", way_out="Choose one or more rows first.")]
        )
    if kind == "carry":
        running = still_running(state, chosen, year, timezone.localdate())
        if running and not decided(request):
            return ask(request, running, Choice("carry", "Carry it now"))
        posted = carry(chosen, year, request.user)
        messages.success(
            request,
            f"Carried {year} of {', '.join(f'{company} by {journal}' for company, journal in posted)}.",
        )
    else:
        taken = [number for company in chosen for number in take_back(company, year, request.user)]
        messages.success(request, f"Took back {year}: {', '.join(taken)}.")
    return reload_at(f"{reverse('year-end')}?year={year}")
