"""A new company on one page, and the acts that complete one: its pairs in both directions, the periods of the
next year."""

from __future__ import annotations

from collections import Counter

from django.http import HttpResponse
from django.shortcuts import render
from django.urls import reverse

from core.changes.kinds import ChangeSequence, examine
from core.definitions.nouns import NOUNS, free_id, many
from core.definitions.state import State
from core.definitions.tables import Calendar, Chart, Company, Group, Overlay
from core.faults import Fault, Location, Refused, blocking
from core.founding.companies import new_company, next_year, pair_with_all
from core.founding.company_like import PLACES, company_like
from web.definitions.posted import posted_facts
from web.definitions.viewing import PineRequest
from web.people.actions import give_access
from web.people.rights import CHANGE, CHANGE_ALL, companies_seen, needs, needs_post
from web.sheets.changing import apply_change, filled, reload_at
from web.shell.asked import required_day, text

WRITTEN = ("name", "country", "currency", "chart")
PLACES_TITLES = (
    ("accounts", "the same accounts open"),
    ("pairs", "pairs with the same partners, in both directions"),
    ("groups", "a member of the same groups"),
    ("mapping", "the same mapping into them, seen in the same second charts"),
    ("access", "the same people work in it"),
)


@needs(CHANGE_ALL, posts=True)
def new(request: PineRequest, state: State) -> HttpResponse:
    """GET: the form. POST: makes the company with what it needs, in all places of the one it is to be like,
    in one change, and opens its page."""
    if request.method != "POST":
        return render(
            request,
            "companies/new.html",
            {
                "charts": sorted(state.rows(Chart), key=lambda row: row.name),
                "calendars": sorted(state.rows(Calendar), key=lambda row: row.name),
                "overlays": sorted(state.rows(Overlay), key=lambda row: row.name),
                "patterns": [row for row in companies_seen(request.user, state) if not row.adjusts],
                "places": PLACES_TITLES,
            },
        )
    row, change = _founded(request, state)
    apply_change(request, change)
    if "access" in request.POST.getlist("place") and request.viewed.working is None:
        give_access(text(request.POST, "like", 40), row.company, request.user)
    return reload_at(reverse("company", kwargs={"company": row.company}))


@needs_post(CHANGE_ALL)
def preview(request: PineRequest, state: State) -> HttpResponse:
    """What making the company would bring, before it is made."""
    try:
        _, change = _founded(request, state)
        examined = examine(state, change, posted_facts(state))
    except Refused as refused:
        return render(request, "companies/new_preview.html", {"faults": refused.faults[:6]})
    counts = Counter(edit.table for edit in examined.edits)
    return render(
        request,
        "companies/new_preview.html",
        {
            "faults": blocking(examined.faults)[:6],
            "counts": [(count, _noun(table, count)) for table, count in counts.items()],
            "codes": [edit.new for edit in examined.edits if edit.table == "codes"],
        },
    )


def _noun(table: str, count: int) -> str:
    return NOUNS[table] if count == 1 else many(NOUNS[table])


def _founded(request: PineRequest, state: State) -> tuple[Company, ChangeSequence]:
    """The company of the form and the change that makes it. Raises Refused with its faults."""
    pattern = state.get(Company, text(request.POST, "like", 40))
    empty = Company("", "", "", "", "", "")
    if pattern is not None:
        empty = empty._replace(
            country=pattern.country, currency=pattern.currency, chart=pattern.chart, calendar=pattern.calendar
        )
    given = tuple(name for name in WRITTEN if pattern is None or text(request.POST, name) or name == "name")
    row = filled(request, empty, *given)
    taken = {other.company for other in state.rows(Company)} | {group.group for group in state.rows(Group)}
    own = (
        filled(request, row, "company").company
        if text(request.POST, "company")
        else free_id(row.name, taken, "company")
    )
    begins, calendar = required_day(request.POST, "begins"), text(request.POST, "calendar", 40)
    row = row._replace(
        company=own,
        calendar=calendar or ("" if begins else row.calendar),
        overlay=text(request.POST, "overlay", 40),
    )
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
    own_code, closing = text(request.POST, "own_code", 40), request.POST.get("closing") == "on"
    if pattern is None:
        return row, new_company(state, row, own_code, begins, closing)
    places = frozenset(request.POST.getlist("place")) & frozenset(PLACES)
    return row, company_like(state, row, pattern, own_code, begins, places, closing)


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
