"""Budgets: the year of a company on a statement's lines, keyed in place."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.http import Http404, HttpResponse, HttpResponseRedirect
from django.shortcuts import render
from django.urls import reverse

from core.budgets.fitting import misfits
from core.definitions.state import State
from core.definitions.tables import Budget, Statement
from core.statements.plans import plan
from web.budgets.acting import acts_of
from web.budgets.address import BudgetAddress, budget_address
from web.budgets.listing import books_listed
from web.budgets.remarks import notes_of, numbers_in
from web.budgets.table import BudgetTable
from web.definitions.viewing import PineRequest
from web.people.rights import POST, SIGNED_IN, companies_seen, needs
from web.shell import tabular
from web.shell.asked import text
from web.statements.views import seen_statements

MOST_TOLD = 40
MOST_ACTS = 12


@needs(SIGNED_IN, published=True)
def listing(request: PineRequest, state: State) -> HttpResponse:
    """All budgets that a person may know of, with the companies and years that have lines."""
    return render(request, "budgets/listing.html", books_listed(request, state))


@needs(SIGNED_IN, published=True)
def first_book(request: PineRequest, state: State, budget: str) -> HttpResponse:
    """A budget's page of the company looked at last, on the first statement of its chart."""
    row = state.get(Budget, budget)
    companies = [one for one in companies_seen(request.user, state) if row and one.chart == row.chart]
    wanted = text(request.GET, "company", 40) or request.session.get("company")
    company = next((one for one in companies if one.company == wanted), companies[0] if companies else None)
    statement = _first_statement(request, state, row) if row else None
    if company is None or statement is None:
        raise Http404
    return HttpResponseRedirect(reverse("budget", args=[budget, company.company, statement.statement]))


def _keyed_on(request: PineRequest, state: State, chart: str) -> list[Statement]:
    """Statements of a chart that are made from amounts by account."""
    rows = (row for row in seen_statements(request, state) if row.chart == chart)
    return [row for row in rows if (planned := plan(state, row.statement)) and not planned.needs_rows]


def _first_statement(request: PineRequest, state: State, budget: Budget) -> Statement | None:
    """An income statement where there is one: that is what is budgeted most; of statistics one that shows
    some."""
    rows = _keyed_on(request, state, budget.chart)
    if budget.kind == "statistics":
        plans = ((row, plan(state, row.statement)) for row in rows)
        rows = [row for row, planned in plans if planned and planned.has_statistics] or rows
    return next((row for row in rows if row.kind == "income_statement"), rows[0] if rows else None)


@needs(POST, published=True)
def budget(request: PineRequest, state: State, budget: str, company: str, statement: str) -> HttpResponse:
    address = budget_address(request, state, budget, company, statement)
    request.session["company"] = company
    stored = address.stored()
    grid, exact = address.grid(stored), request.GET.get("unit") == "exact"
    notes = notes_of(address, BudgetTable(address, grid).named)
    table = BudgetTable(address, grid, exact, _row_asked(request), numbers_in(notes))
    acts = list(acts_of(address).select_related("by")[: MOST_ACTS + 1])
    return render(
        request,
        "budgets/budget.html",
        {
            "address": address,
            "table": table,
            "rows": table.rows(),
            "acts": acts[:MOST_ACTS],
            "more_acts": len(acts) > MOST_ACTS,
            "taken_back": {row.takes_back_id for row in acts},
            "seen": acts[0].pk if acts else 0,
            "misfits": _misfits(address, stored),
            "missed": _missed(table),
            "notes": notes,
            "is_statistics": address.budget.kind == "statistics",
            **_around(request, state, address),
        },
    )


def _row_asked(request: PineRequest) -> str:
    """The key of the row that an act came from."""
    name, _, key = text(request.GET, "row", 400).partition(":")
    return key if name == "budget" else ""


def _misfits(address: BudgetAddress, stored: Any) -> list[Any]:
    periods = frozenset(row.period for row in address.calendar.of_year(address.year))
    return list(misfits(address.state, address.context, address.budget, stored, periods))[:MOST_TOLD]


def _missed(table: BudgetTable) -> list[tuple[str, int]]:
    """Budgeted accounts that stand on no line of this statement, with the year's raw amount."""
    plan = table.grid.plan
    missed = {plan.accounts.posting[i] for i in plan.missed().tolist()}
    return [
        (str(name), sums[-1] or 0)
        for name, sums in sorted(table.grid.by_account.items(), key=lambda pair: str(pair[0]))
        if name in missed and sums[-1] is not None
    ][:MOST_TOLD]


def _around(request: PineRequest, state: State, address: BudgetAddress) -> dict[str, Any]:
    chart = address.budget.chart
    return {
        "budgets": sorted(row for row in state.rows(Budget) if row.chart == chart),
        "companies": [row for row in companies_seen(request.user, state) if row.chart == chart],
        "statements": _keyed_on(request, state, chart),
        "years": address.calendar.years(),
        "sources": [
            *(str(year) for year in reversed(address.calendar.years())),
            *(row.budget for row in sorted(state.rows(Budget)) if row.chart == chart),
        ],
    }


@needs(POST, published=True)
def out(
    request: PineRequest, state: State, budget: str, company: str, statement: str, kind: str
) -> HttpResponse:
    """The cells as a file that comes back in: a row an account string, a column a period."""
    address = budget_address(request, state, budget, company, statement)
    grid = address.grid(address.stored())
    titles = ["account", "dimensions", *(str(period) for period in address.periods)]
    rows: list[Sequence[tabular.Cell]] = []
    for row in grid.rows(every_account=False, with_strings=True):
        if row.string is None or all(value is None for value in row.shown[1:-2]):
            continue
        amounts = (tabular.Money(value, address.digits) for value in row.shown[1:-2])
        rows.append([*row.string, *amounts])
    return tabular.attached(f"{budget}-{company}-{address.year}", kind, titles, rows)
