"""The trial balance of a company on screen: opening, debit, credit, closing, each account down to its
lines."""

from __future__ import annotations

from django.http import HttpResponse
from django.shortcuts import render

from core.analysis.stretches import of_periods
from core.books.periods import company_calendar
from core.definitions.state import State
from core.definitions.tables import Period
from core.money import digits_of
from core.statements.figures import natural_list
from core.structures.overlays import shown_account
from web.definitions.viewing import PineRequest
from web.people.rights import SIGNED_IN, companies_seen, needs
from web.statements.addresses import asked_period, drill_from
from web.statements.queries import trial_balance
from web.statements.rows import trial_rows


@needs(SIGNED_IN, localised=True)
def trial(request: PineRequest, state: State) -> HttpResponse:
    """Debits equal credits here, or the page says so."""
    companies = companies_seen(request.user, state)
    wanted = request.GET.get("company") or request.session.get("company")
    company = next((row for row in companies if row.company == wanted), companies[0] if companies else None)
    if company is None:
        return render(request, "statements/trial.html", {"rows": ""})
    year, period, first = asked_period(request, state, company.calendar)
    calendar = company_calendar(state, company.company)
    at = of_periods(calendar, year, period, first)
    digits = digits_of(company.currency)
    rows = trial_balance(state, company.company, year, period, first)
    accounts = natural_list(state, company.chart)
    seen = [(row, shown_account(state, accounts, row.account, row.name)) for row in rows]
    if state.overlay:
        seen.sort(key=lambda one: one[1])
    totals = tuple(
        sum(getattr(row, name) for row in rows) for name in ("opening", "debit", "credit", "closing")
    )
    return render(
        request,
        "statements/trial.html",
        {
            "company": company,
            "companies": companies,
            "rows": trial_rows(company.company, seen, digits, drill_from(at)),
            "totals": totals,
            "digits": digits,
            "agrees": totals[1] == totals[2] and not totals[0] and not totals[3],
            "window": at,
            "year": year,
            "period": state.get(Period, company.calendar, year, period),
            "periods": [calendar.of_year(y) for y in reversed(calendar.years())],
        },
    )
