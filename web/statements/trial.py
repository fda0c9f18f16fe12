"""The trial balance of a company on screen: opening, debit, credit, closing, each account down to its
lines."""

from __future__ import annotations

from collections.abc import Callable

from django.http import HttpResponse
from django.shortcuts import render

from core.analysis.asked import Asked
from core.analysis.stretches import of_periods
from core.books.balances import TrialRow
from core.books.periods import company_calendar
from core.definitions.state import State
from core.definitions.tables import Chart, Company, Period
from core.money import digits_of
from core.statements.plans import natural_list
from core.structures.overlays import ShownAccount, shown_account
from core.structures.second_charts import charts_of
from web.definitions.viewing import PineRequest
from web.people.rights import SIGNED_IN, companies_seen, needs
from web.shell.asked import text
from web.shell.table_rows import addresses
from web.statements.addresses import asked_period, drill_from, where
from web.statements.figure_source import FigureSource
from web.statements.own_accounts import own_accounts
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
    year, period, first = asked_period(request, state, company.calendar, company.company)
    calendar = company_calendar(state, company.company)
    at = of_periods(calendar, year, period, first)
    digits = digits_of(company.currency)
    chart = _chart_asked(request, state, company)
    rows = trial_balance(state, company.company, year, period, first, chart)
    totals = tuple(
        sum(getattr(row, name) for row in rows) for name in ("opening", "debit", "credit", "closing")
    )
    lines_of = _lines_of(state, company, chart, drill_from(at))
    of_stretch = {"year": at.year, "period": at.period, "first": at.first}
    return render(
        request,
        "statements/trial.html",
        {
            "company": company,
            "companies": companies,
            "rows": trial_rows(_as_seen(state, company, chart, rows), digits, lines_of),
            "charts": [state.require(Chart, name) for name in charts_of(state, company)],
            "chart": chart,
            "unmapped": [row for row in rows if row.unmapped],
            "totals": totals,
            "digits": digits,
            "file_query": where({"company": company.company, "in": chart, **of_stretch}),
            "agrees": totals[1] == totals[2] and not totals[0] and not totals[3],
            "window": at,
            "year": year,
            "period": state.get(Period, company.calendar, year, period),
            "periods": [calendar.of_year(y) for y in reversed(calendar.years())],
        },
    )


def _as_seen(
    state: State, company: Company, chart: str, rows: list[TrialRow]
) -> list[tuple[TrialRow, ShownAccount]]:
    """Each row with its account as the person sees it, in the order of what they see."""
    own, accounts = natural_list(state, company.chart), natural_list(state, chart)
    seen = [
        (row, shown_account(state, own if row.unmapped else accounts, row.account, row.name)) for row in rows
    ]
    return sorted(seen, key=lambda one: one[1]) if state.overlay else seen


def _chart_asked(request: PineRequest, state: State, company: Company) -> str:
    """The chart that the address names, if the company is seen in it; else its own."""
    wanted = text(request.GET, "in", 40)
    return wanted if wanted in charts_of(state, company) else company.chart


def _lines_of(state: State, company: Company, chart: str, drill: str) -> Callable[[TrialRow], str]:
    """By account of a chart the address of its lines."""
    lines = addresses("account-lines", company.company)
    if chart == company.chart:
        return lambda row: f"{lines(row.account)}?{drill}"
    own = own_accounts(FigureSource(state, company, Asked()), chart)

    def address(row: TrialRow) -> str:
        accounts, into = own.get("" if row.unmapped else row.account, ((row.account,), ""))
        if row.unmapped:
            accounts = (row.account,)
        return f"{lines(','.join(accounts))}?{drill}{'&' if into else ''}{into}"

    return address
