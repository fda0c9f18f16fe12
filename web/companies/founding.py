"""A new company on one page, and the acts that complete one: its pairs in both directions, the periods of the
next year."""

from __future__ import annotations

from django.http import HttpResponse
from django.shortcuts import render
from django.urls import reverse

from core.changes.founding import free_id, new_company, next_year, pair_with_all
from core.definitions.state import State
from core.definitions.tables import Calendar, Chart, Company, Group
from core.faults import Fault, Location, Refused
from web.definitions.viewing import PineRequest
from web.people.rights import CHANGE, needs, needs_post
from web.sheets.changing import apply_change, filled, reload_at
from web.shell.asked import required_day, text

WRITTEN = ("name", "country", "currency", "chart")


@needs(CHANGE, posts=True)
def new(request: PineRequest, state: State) -> HttpResponse:
    """GET: the form. POST: makes the company with what it needs in one change and opens its page."""
    if request.method != "POST":
        return render(
            request,
            "companies/new.html",
            {
                "charts": sorted(state.rows(Chart), key=lambda row: row.name),
                "calendars": sorted(state.rows(Calendar), key=lambda row: row.name),
            },
        )
    row = filled(request, Company("", "", "", "", "", ""), *WRITTEN)
    taken = {other.company for other in state.rows(Company)} | {group.group for group in state.rows(Group)}
    own = (
        filled(request, row, "company").company
        if text(request.POST, "company")
        else free_id(row.name, taken, "company")
    )
    row = row._replace(company=own, calendar=text(request.POST, "calendar", 40))
    begins = required_day(request.POST, "begins")
    if row.calendar and begins:
        raise Refused(
            [
                Fault(
                    "dates",
                    "A calendar is chosen, and a year of a new one begun.",
                    Location("companies", (), "begins", str(begins)),
                    "Give one of both.",
                )
            ]
        )
    apply_change(
        request,
        new_company(
            state, row, text(request.POST, "own_code", 40), begins, request.POST.get("closing") == "on"
        ),
    )
    return reload_at(reverse("company", kwargs={"company": row.company}))


@needs_post(CHANGE)
def pairs(request: PineRequest, state: State, company: str) -> HttpResponse:
    """Every missing pair with companies of the same chart, in both directions, on two accounts."""
    apply_change(
        request,
        pair_with_all(state, company, text(request.POST, "due_from", 40), text(request.POST, "due_to", 40)),
    )
    return reload_at(reverse("company", kwargs={"company": company}))


@needs_post(CHANGE)
def next_year_of(request: PineRequest, state: State, company: str) -> HttpResponse:
    """The periods of the year after the last one of the company's calendar."""
    company_row = state.get(Company, company)
    apply_change(request, next_year(state, company_row.calendar if company_row else ""))
    return reload_at(reverse("company", kwargs={"company": company}))
