"""Which budgets there are, for which companies and years, and making another."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any, NamedTuple

from django.db import transaction
from django.db.models import Max
from django.http import HttpResponse
from django.urls import reverse
from django.utils import timezone

from core.changes.kinds import Add, Put
from core.definitions.state import State
from core.definitions.tables import Budget, Chart, Company
from core.faults import Fault, Location, Refused
from web.budgets.models import BudgetAct
from web.definitions import actions
from web.definitions.viewing import PineRequest
from web.journals.budgets import BudgetBook, budget_books, copy_budget, lock_budget
from web.people.rights import CHANGE, charts_seen, companies_seen, needs_post
from web.sheets.changing import reload_at, seen_version, words_of
from web.shell.ids import free_id


class BudgetListed(NamedTuple):
    """A budget with its companies' years."""

    row: Budget
    chart: str
    books: list[BookListed]


class BookListed(NamedTuple):
    """A company's year of a budget; when it was changed last, if it was here."""

    company: Company
    fiscal_year: int
    lines: int
    changed: Any


def books_listed(request: PineRequest, state: State) -> dict[str, Any]:
    seen = {row.company: row for row in companies_seen(request.user, state)}
    charts = charts_seen(request.user, state)
    changed = {
        row[:3]: row[3]
        for row in BudgetAct.objects.values_list("budget", "company", "fiscal_year").annotate(Max("at"))
    }
    books: dict[str, list[BudgetBook]] = {}
    for book in budget_books():
        if book.company in seen:
            books.setdefault(book.budget, []).append(book)

    return {
        "budgets": list(_listed(state, charts, seen, books, changed)),
        "charts": sorted((row for row in state.rows(Chart) if row.chart in charts), key=lambda row: row.name),
    }


def _listed(
    state: State,
    charts: frozenset[str],
    seen: Mapping[str, Company],
    books: Mapping[str, list[BudgetBook]],
    changed: Mapping[Any, Any],
) -> Iterator[BudgetListed]:
    for row in sorted(state.rows(Budget), key=lambda one: (one.chart, one.name)):
        chart = state.get(Chart, row.chart)
        if chart is None or row.chart not in charts:
            continue
        own = [
            BookListed(seen[book.company], book.fiscal_year, book.lines, changed.get(tuple(book[:3])))
            for book in books.get(row.budget, [])
        ]
        yield BudgetListed(row, chart.name, own)


@needs_post(CHANGE, published=True)
def new(request: PineRequest, state: State) -> HttpResponse:
    """A budget of a chart, empty, or as another one stands, with all its companies' lines."""
    name, source = words_of(request, "name", 200), state.get(Budget, words_of(request, "from", 40))
    chart = source.chart if source else words_of(request, "chart", 40)
    if not name:
        raise Refused([Fault("cell-empty", "The budget needs a name.", Location("budgets", (), "name"))])
    taken = {row.budget for row in state.rows(Budget)}
    kind = source.kind if source else words_of(request, "kind", 20) or "budget"
    row = Budget(free_id(name, lambda one: one in taken, "budget"), name, chart, kind=kind)
    with transaction.atomic():
        if source is not None:
            lock_budget(source.budget)
            _log_copies(request, source, row, copy_budget(source.budget, row.budget))
        actions.make_change(Add(row), request.user)  # last, since it locks
    return reload_at(reverse("budgets"))


def _log_copies(request: PineRequest, source: Budget, row: Budget, lines: int) -> None:
    if not lines:
        return
    BudgetAct.objects.bulk_create(
        BudgetAct(
            budget=row.budget,
            company=book.company,
            fiscal_year=book.fiscal_year,
            sentence=f"Begun as {source.name} stood, {book.lines:,} lines",
            edits=[],
            at=timezone.now(),
            by=request.user,
        )
        for book in budget_books()
        if book.budget == row.budget
    )


@needs_post(CHANGE, published=True)
def approve(request: PineRequest, state: State, budget: str) -> HttpResponse:
    """Closes a budget's lines, or opens them again with a reason for the log."""
    row = state.get(Budget, budget)
    if row is None:
        raise Refused([Fault("reference", f"There is no budget {budget}.")])
    reason = words_of(request, "why")
    if row.approved and not reason:
        what = "Say why the approval is taken back."
        raise Refused([Fault("cell-empty", what, Location("budgets", (budget,), "why"))])
    with transaction.atomic():
        actions.make_change(
            Put(row._replace(approved=not row.approved)), request.user, seen_version(request), reason
        )
    return reload_at(reverse("budgets"))
