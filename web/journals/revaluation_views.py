"""The page of revaluation: each company's balances in foreign currencies at a period's closing rate."""

from __future__ import annotations

from django.contrib import messages
from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.urls import reverse

from core.access.rights import Right
from core.books.periods import calendar_index
from core.closing.revaluation import Revaluation
from core.codes.lists import list_index
from core.definitions.state import State
from core.definitions.tables import Chart, Company
from core.faults import Fault, Refused
from core.money import digits_of, show_amount
from core.statements.plans import natural_list
from web.definitions.viewing import PineRequest
from web.journals.models import Journal
from web.journals.revaluation import posted_in, revaluations, revalue, take_back
from web.people.rights import POST, companies_with, needs, needs_post
from web.sheets.changing import reload_at
from web.shell.asked import listed, text, whole
from web.shell.table_rows import Cell, TableRow, table_rows
from web.shell.templatetags.pine import as_rate


def _period(request: PineRequest, state: State, companies: list[Company]) -> tuple[int, int]:
    """The period asked for: the first open one of the calendar that most companies keep, if none is."""
    calendars = [row.calendar for row in companies]
    most = max(sorted(set(calendars)), key=calendars.count, default="")
    regular = calendar_index(state, most).regular
    first = next((p for p in regular if p.status == "open"), regular[-1] if regular else None)
    year, number = (first.fiscal_year, first.period) if first else (0, 0)
    return whole(request.GET, "year", year, 9999), whole(request.GET, "period", number, 9999)


@needs(POST)
def page(request: PineRequest, state: State) -> HttpResponse:
    """Companies with balances in foreign currencies on accounts that are revalued."""
    companies = companies_with(request.user, state, Right.POST)
    year, number = _period(request, state, companies)
    found = revaluations(state, [row.company for row in companies], year, number, request.user)
    shown = [one for one in found if one.rows]
    posted = posted_in(state, [one.company for one in shown], year, number)
    rows = [_row(state, one, posted.get(one.company, [])) for one in shown]
    calendars = sorted({row.calendar for row in companies})
    return render(
        request,
        "journals/revaluation.html",
        {
            "rows": table_rows(rows),
            "any": bool(rows),
            "year": year,
            "number": number,
            "period": next((one.period for one in shown if one.period), None),
            "periods": [p for name in calendars[:1] for p in reversed(calendar_index(state, name).regular)][
                :36
            ],
        },
    )


def _row(state: State, one: Revaluation, journals: list[Journal]) -> TableRow:
    company = state.require(Company, one.company)
    chart = state.get(Chart, company.chart)
    currencies = sorted({row.balance.currency for row in one.rows})
    by = f"revalued by {', '.join(row.journal for row in journals)}" if journals else ""
    if one.faults:
        said, mark = one.faults[0].what, "must wrap"
    elif one.lines:
        said, mark = (f"{by}, and more came since" if by else "to be revalued"), "look"
    else:
        said, mark = by or "at the rate", "ok"
    address = reverse("revaluation-lines", args=[company.company])
    year, number = (one.period.fiscal_year, one.period.period) if one.period else (0, 0)
    return TableRow(
        company.company,
        [
            Cell(company.name),
            Cell(", ".join(currencies), "code"),
            Cell(chart.exchange_account if chart else "", "code"),
            Cell(company.currency, "code"),
            Cell(show_amount(one.difference, digits_of(company.currency)), "num"),
            Cell(said, mark),
        ],
        proof=f"{address}?year={year}&period={number}",
    )


@needs(POST)
def lines(request: PineRequest, state: State, company: str) -> HttpResponse:
    """Each balance of a company: in its currency, booked, at the rate, and what makes the difference."""
    row = state.require(Company, company)
    at = whole(request.GET, "year", 0, 9999), whole(request.GET, "period", 0, 9999)
    (one,) = revaluations(state, [company], *at, request.user)
    codes = list_index(state, natural_list(state, row.chart)).codes
    return render(
        request,
        "journals/revaluation_lines.html",
        {
            "company": row,
            "one": one,
            "rows": [
                {
                    "account": own.balance.account,
                    "name": code.name if (code := codes.get(own.balance.natural)) else "",
                    "currency": own.balance.currency,
                    "keyed": show_amount(own.balance.keyed, digits_of(own.balance.currency)),
                    "rate": as_rate(own.rate) if own.rate else "—",
                    "difference": show_amount(own.difference, digits_of(row.currency)),
                }
                for own in one.rows
            ],
            "journals": posted_in(state, [company], *at).get(company, []),
        },
    )


@needs_post(POST, published=True)
def act(request: PineRequest, state: State) -> HttpResponse:
    """Revalues the chosen companies, all or none, or takes it back."""
    at = whole(request.POST, "year", 0, 9999), whole(request.POST, "period", 0, 9999)
    seen = {row.company for row in companies_with(request.user, state, Right.POST)}
    chosen, kind = listed(request.POST, "what"), text(request.POST, "act", 10)
    if kind not in ("revalue", "back") or not set(chosen) <= seen:
        raise Http404
    if not chosen:
        raise Refused(
            [Fault("nothing-chosen", "No company is chosen.", way_out="Choose one or more rows first.")]
        )
    if kind == "revalue":
        posted = revalue(chosen, *at, request.user)
        messages.success(
            request, f"Revalued {', '.join(f'{company} by {number}' for company, number in posted)}."
        )
    else:
        taken = [number for company in chosen for number in take_back(company, *at, request.user)]
        messages.success(request, f"Took back: {', '.join(taken)}.")
    return reload_at(f"{reverse('revaluation')}?year={at[0]}&period={at[1]}")
