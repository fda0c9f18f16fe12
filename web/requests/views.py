"""The page of requests: one's own and those of one's companies; a group accountant answers them."""

from __future__ import annotations

from typing import Any

from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.urls import reverse

from core.access.rights import Right
from core.codes.lists import list_index, next_free
from core.definitions.kinds import MONEY_CLASSES
from core.definitions.state import State
from core.definitions.tables import Company
from core.structures.charts import chart_index
from web.definitions.viewing import PineRequest
from web.people.rights import (
    CHANGE,
    ENTER,
    SIGNED_IN,
    companies_seen,
    companies_with,
    needs,
    needs_post,
)
from web.requests import actions
from web.requests.models import AccountRequest
from web.sheets.changing import words_of
from web.shell.asked import text, whole
from web.shell.htmx import reload_at
from web.shell.table_rows import Cell, TableRow, table_rows

MOST = 200
MARKS = {"open": "look", "made": "ok", "declined": "must", "withdrawn": "soft"}


def requests_seen(request: PineRequest, state: State) -> Any:
    """Requests of companies that the person sees, those that wait first."""
    names = [row.company for row in companies_seen(request.user, state)]
    rows = AccountRequest.objects.filter(company_id__in=names).select_related("by", "answered_by")
    return rows.order_by("-state", "-pk")


@needs(SIGNED_IN, published=True)
def listing(request: PineRequest, state: State) -> HttpResponse:
    """What was asked for, and a form to ask."""
    companies = companies_seen(request.user, state)
    names = {row.company: row.name for row in companies}
    rows = (
        TableRow(
            str(row.pk),
            [
                Cell(names[row.company_id]),
                Cell(row.name, "wrap"),
                Cell(row.by.shown_name()),
                Cell(f"{row.at:%Y-%m-%d}", "code"),
                Cell(f"{row.get_state_display()}{f' as {row.code}' if row.code else ''}", MARKS[row.state]),
            ],
            proof=reverse("request", kwargs={"number": str(row.pk)}),
        )
        for row in requests_seen(request, state)[:MOST]
    )
    return render(
        request,
        "requests/listing.html",
        {"rows": table_rows(rows), "companies": companies, "classes": MONEY_CLASSES},
    )


def _request(request: PineRequest, state: State, number: str) -> AccountRequest:
    row: AccountRequest | None = requests_seen(request, state).filter(pk=whole({"n": number}, "n")).first()
    if row is None:
        raise Http404
    return row


@needs(SIGNED_IN, published=True)
def one(request: PineRequest, state: State, number: str) -> HttpResponse:
    """A request with its reason, and the acts that answer it."""
    row = _request(request, state, number)
    company = state.require(Company, row.company_id)
    index = chart_index(state, company.chart)
    code_list = index.natural_list if index else ""
    return render(
        request,
        "requests/request.html",
        {
            "row": row,
            "company": company,
            "near": list_index(state, code_list).codes.get(row.beside),
            "free": next_free(state, code_list, row.beside),
            "code_list": code_list,
            "mine": row.by_id == request.user.pk,
        },
    )


@needs_post(ENTER, published=True)
def new(request: PineRequest, state: State) -> HttpResponse:
    company = text(request.POST, "company", 40)
    if company not in {row.company for row in companies_with(request.user, state, Right.ENTER)}:
        raise Http404
    account_class = text(request.POST, "account_class", 10)
    if account_class and account_class not in MONEY_CLASSES:
        raise Http404
    actions.ask(
        state,
        company,
        words_of(request, "name", 200),
        account_class,
        text(request.POST, "beside", 40),
        words_of(request, "reason"),
        request.user,
    )
    return reload_at(reverse("requests"))


@needs_post(CHANGE, published=True)
def make(request: PineRequest, state: State, number: str) -> HttpResponse:
    row = _request(request, state, number)
    actions.make(row.pk, text(request.POST, "code", 40), request.user)
    return reload_at(reverse("requests"))


@needs_post(CHANGE, published=True)
def decline(request: PineRequest, state: State, number: str) -> HttpResponse:
    row = _request(request, state, number)
    actions.decline(row.pk, words_of(request, "answer"), request.user)
    return reload_at(reverse("requests"))


@needs_post(ENTER, published=True)
def withdraw(request: PineRequest, state: State, number: str) -> HttpResponse:
    row = _request(request, state, number)
    actions.withdraw(row.pk, request.user)
    return reload_at(reverse("requests"))
