"""The page of packs: a new one, how far each is, and its file; a statement of a page as PDF."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from django.db import transaction
from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.urls import reverse

from core.books.periods import calendar_index
from core.definitions.state import State
from core.definitions.tables import Calendar
from core.faults import Fault, Location, Refused
from web.definitions.viewing import PineRequest
from web.group import matrix as group_matrix
from web.group.addresses import group_address
from web.group.statement import figures_at, shown_columns_of
from web.packs import job
from web.packs.making import pack_items
from web.packs.matrices import matrix_item
from web.packs.models import Pack
from web.packs.paper import paper_of, paper_of_matrix
from web.packs.pdf import as_pdf
from web.people.models import Person
from web.people.rights import SIGNED_IN, companies_seen, groups_seen, needs, needs_post, sees_everything
from web.sheets.changing import reload_at, words_of
from web.shell import tabular
from web.shell.asked import text, whole
from web.shell.htmx import is_fragment
from web.shell.made_by import KEEPS_ITS_NAME
from web.shell.progress import ask_to_stop
from web.statements.addresses import default_period
from web.statements.figure_address import figure_address
from web.statements.figure_source import FigureSource
from web.statements.figure_views import figures_beside, titles_in_files
from web.statements.made_from import MadeFrom
from web.statements.matrix import matrix_asked
from web.statements.matrix_files import MatrixSheet
from web.statements.views import seen_statements

MOST_LISTED = 60
ALL = "*"


@needs(SIGNED_IN, published=True)
def listing(request: PineRequest, state: State) -> HttpResponse:
    """Packs made so far, and what a new one may hold."""
    packs = _packs(request, state)
    if is_fragment(request) and request.GET.get("part") == "packs":
        return render(request, "packs/packs.html", {"packs": packs, "busy": any(p.is_busy for p in packs)})
    companies = companies_seen(request.user, state)
    groups = groups_seen(request.user, state)
    calendars = sorted({row.calendar for row in companies})
    year, period = default_period(state, calendars[0]) if calendars else (0, 0)
    return render(
        request,
        "packs/listing.html",
        {
            "packs": packs,
            "busy": any(p.is_busy for p in packs),
            "statements": seen_statements(request, state),
            "companies": companies,
            "groups": groups,
            "matrices": request.user.columns.get(MATRICES, []),
            "forms": Pack.FORMS,
            "year": year,
            "period": period,
            "calendars": [
                (state.require(Calendar, name).name, calendar_index(state, name)) for name in calendars
            ],
        },
    )


def _packs(request: PineRequest, state: State) -> list[Any]:
    """One's own; all for who sees everything."""
    rows = Pack.objects.select_related("by", "made").defer("made__content").order_by("-pk")
    if not sees_everything(request.user, state):
        rows = rows.filter(by=request.user)
    packs: list[Any] = list(rows[:MOST_LISTED])
    for pack in packs:
        pack.count = len(pack.items)
    return packs


@needs_post(SIGNED_IN, published=True)
def new(request: PineRequest, state: State) -> HttpResponse:
    """Begins a pack of what the person may see."""
    form, name = request.POST.get("form", ""), words_of(request, "name", 200)
    if form not in dict(Pack.FORMS):
        raise Http404
    statements, companies, groups = _chosen(request, state)
    matrices = [matrix_item(state, address, request.user)[0] for address in request.POST.getlist("matrix")]
    if not name:
        raise Refused([Fault("cell-empty", "The pack needs a name.", Location(column="name"))])
    year, period = whole(request.POST, "year", 0, 9999), whole(request.POST, "period", 0, 9999)
    items = (
        pack_items(state, statements, companies, groups, year, period) if statements or not matrices else []
    )
    items += matrices
    pack = Pack.objects.create(
        by=request.user,
        name=name,
        form=form,
        fiscal_year=year,
        period=period,
        beside_year=request.POST.get("beside") == "year",
        items=[[item.statement, item.company, item.group, item.matrix] for item in items],
    )
    _keep_matrices(request, lambda waiting: [])
    job.start(pack.pk)
    return reload_at(reverse("packs"))


MATRICES = "@pack"
"""Whose matrices wait for the next pack: rows of address and what it is called, among a person's choices."""
MOST_MATRICES = 20


def _keep_matrices(request: PineRequest, of: Callable[[list[list[str]]], list[list[str]]]) -> None:
    """What waits then, made of what waits now, whichever window put it there."""
    with transaction.atomic():
        person = Person.objects.select_for_update().get(pk=request.user.pk)
        person.columns = {**person.columns, MATRICES: of(person.columns.get(MATRICES, []))}
        person.save(update_fields=["columns"])


@needs_post(SIGNED_IN, published=True)
def put_matrix(request: PineRequest, state: State) -> HttpResponse:
    """A matrix waits for the person's next pack; with `drop` it waits no more."""
    address = text(request.POST, "matrix", 2000)
    put = [] if request.POST.get("drop") else [[address, matrix_item(state, address, request.user)[1]]]

    def then(waiting: list[list[str]]) -> list[list[str]]:
        rows = [*(row for row in waiting if row[0] != address), *put]
        if len(rows) > MOST_MATRICES:
            what = f"{MOST_MATRICES} matrices wait for the next pack."
            raise Refused([Fault("nothing-chosen", what, way_out="Make it, or drop some.")])
        return rows

    _keep_matrices(request, then)
    return reload_at(reverse("packs"))


def _chosen(request: PineRequest, state: State) -> tuple[list[str], list[str], list[str]]:
    """Statements, companies and groups of the form. Raises Http404 for what the person doesn't see."""
    companies = [row.company for row in companies_seen(request.user, state)]
    statements = {row.statement for row in seen_statements(request, state)}
    chosen = {key: request.POST.getlist(key) for key in ("statement", "company", "group")}
    if ALL in chosen["company"]:
        chosen["company"] = companies
    groups = [row.group for row in groups_seen(request.user, state)]
    if ALL in chosen["group"]:
        chosen["group"] = sorted(groups)
    if not set(chosen["group"]) <= set(groups):
        raise Http404
    if not set(chosen["company"]) <= set(companies) or not set(chosen["statement"]) <= statements:
        raise Http404
    return chosen["statement"], chosen["company"], chosen["group"]


@needs_post(SIGNED_IN, published=True)
def stop(request: PineRequest, state: State, number: str) -> HttpResponse:
    pack = _pack(request, state, number)
    ask_to_stop(pack, job.NOTHING)
    return reload_at(reverse("packs"))


@needs(SIGNED_IN, published=True)
def file(request: PineRequest, state: State, number: str) -> HttpResponse:
    """The pack as it was made."""
    pack = _pack(request, state, number)
    made = getattr(pack, "made", None)
    if made is None:
        raise Http404
    name = f"{pack.name}-{pack.fiscal_year}-{pack.period}"
    reply = tabular.download(bytes(made.content), name, pack.form)
    reply[KEEPS_ITS_NAME] = "1"
    return reply


def _pack(request: PineRequest, state: State, number: str) -> Pack:
    """One's own, of companies and groups that one still sees; all for who sees everything."""
    pack = Pack.objects.select_related("made").filter(pk=whole({"n": number}, "n")).first()
    person = request.user
    if pack is None or not (sees_everything(person, state) or pack.by == person):
        raise Http404
    seen = {row.company for row in companies_seen(person, state)} | {""}
    groups = {row.group for row in groups_seen(person, state)} | {""}
    for _, companies, group, *_matrix in pack.items:
        if group not in groups or not seen.issuperset(companies.split(",")):
            raise Http404
    return pack


@needs(SIGNED_IN, localised=True)
def figures_pdf(request: PineRequest, state: State, statement: str = "", hierarchy: str = "") -> HttpResponse:
    """The page of figures as it is looked at, on paper."""
    address = figure_address(request, state, statement, hierarchy)
    source = FigureSource(state, address.company, address.asked)
    found, _ = figures_beside(state, source, address)
    told = [f"Only {address.asked.filter}"] if address.asked.filter else []
    made = MadeFrom.of_request(request).sentence()
    notes = address.remarks.notes(address.plan) if address.remarks else []
    unit = text(request.GET, "unit", 20)
    found = replace(found, columns=tuple(titles_in_files(address, found)))
    paper = paper_of(found, address.whose, address.title(), made, unit, told, notes)
    return tabular.download(as_pdf([paper], paper.name), address.file_name, "pdf")


@needs(SIGNED_IN)
def group_pdf(request: PineRequest, state: State, group: str) -> HttpResponse:
    """The consolidated statement with the columns of the page, on paper."""
    at = group_address(request, state, group)
    found = figures_at(state, at)
    if found is None or at.statement is None:
        raise Http404
    statement = shown_columns_of(state, at, found)
    stretch = statement.window.title(at.statement.kind == "balance_sheet")
    notes = at.remarks.notes(statement.plan) if at.remarks else []
    made = MadeFrom.of_request(request).sentence()
    paper = paper_of(statement, f"{at.group.name}, consolidated", stretch, made, at.unit, (), notes)
    paper = replace(paper, notes=(*paper.notes, *found.told))
    name = f"{at.statement.statement}-{group}-{at.year}-{at.period}"
    return tabular.download(as_pdf([paper], paper.name), name, "pdf")


@needs(SIGNED_IN, localised=True)
def matrix_pdf(request: PineRequest, state: State, statement: str = "", hierarchy: str = "") -> HttpResponse:
    """The matrix as it is looked at, on paper."""
    table = matrix_asked(request, state, statement, hierarchy)
    return _matrix_on_paper(request, table.sheet(), table.address.unit)


@needs(SIGNED_IN)
def group_matrix_pdf(request: PineRequest, state: State, group: str) -> HttpResponse:
    """The matrix of a line of the consolidated statement, on paper."""
    table = group_matrix.matrix_asked(request, state, group)
    return _matrix_on_paper(request, table.sheet(), "exact" if table.exact else "whole")


def _matrix_on_paper(request: PineRequest, sheet: MatrixSheet, unit: str) -> HttpResponse:
    paper = paper_of_matrix(sheet, MadeFrom.of_request(request).sentence(), unit)
    return tabular.download(as_pdf([paper], paper.name), sheet.file_name, "pdf")
