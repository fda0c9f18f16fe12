"""The log of changes: who changed what, when and why, and take back."""

from __future__ import annotations

from typing import Any

from django.contrib.auth import get_user_model
from django.core.paginator import Paginator
from django.db.models import Exists, OuterRef, Q
from django.http import Http404, HttpResponse
from django.shortcuts import render

from core.changes.kinds import edit_sentence
from core.definitions.state import State
from core.definitions.tables import Chart
from web.definitions import actions, snapshot
from web.definitions.models import Edited, Version
from web.definitions.viewing import PineRequest
from web.people.rights import CHANGE_ALL, needs, needs_post
from web.sheets.changing import apply_change, reload_at
from web.shell import asked
from web.shell.tabular import attached

MOST_OUT = 200_000


def narrowed(request: PineRequest) -> tuple[Any, dict[str, Any]]:
    """Versions that fit what the address asks for (words, a row, a person, a day, a chart), newest first."""
    rows = Version.objects.select_related("by", "takes_back").order_by("-version")
    given: dict[str, Any] = {name: asked.text(request.GET, name) for name in ("words", "row", "chart")}
    given |= {"who": asked.number(request.GET, "who"), "day": asked.day(request.GET, "day")}
    if given["words"]:
        rows = rows.filter(sentence__icontains=given["words"]) | rows.filter(reason__icontains=given["words"])
    if given["row"]:
        key = Edited.objects.filter(version=OuterRef("pk")).filter(
            Q(key=given["row"]) | Q(key__startswith=f"{given['row']} ") | Q(key__endswith=f" {given['row']}")
        )
        rows = rows.filter(Exists(key))
    if given["who"] is not None:
        rows = rows.filter(by=given["who"])
    if given["day"] is not None:
        rows = rows.filter(at__date=given["day"])
    if given["chart"]:
        rows = rows.filter(charts__has_key=given["chart"])
    return rows, given


@needs(CHANGE_ALL)
def log(request: PineRequest, state: State) -> HttpResponse:
    """Who changed what, when and why, newest first; each can be opened and taken back."""
    rows, given = narrowed(request)
    page = Paginator(rows, 60).get_page(request.GET.get("page"))
    taken = set(
        Version.objects.filter(takes_back__in=[row.version for row in page]).values_list(
            "takes_back", flat=True
        )
    )
    return render(
        request,
        "sheets/log.html",
        {
            "page": page,
            "taken": taken,
            "asked": given,
            "people": get_user_model().objects.order_by("first_name"),
            "charts": sorted(state.rows(Chart), key=lambda row: row.name),
        },
    )


@needs(CHANGE_ALL)
def log_out(request: PineRequest, state: State, kind: str) -> HttpResponse:
    """The log as it is narrowed, row by row: who changed what, when and why."""
    versions, _ = narrowed(request)
    chosen = {row.version: row for row in versions[:MOST_OUT]}
    rows = Edited.objects.filter(version__in=list(chosen)).order_by("-version_id", "pk")[:MOST_OUT]
    header = ("version", "at", "by", "sentence", "reason", "table", "key", "change")
    return attached(
        "changes",
        kind,
        header,
        (
            (
                str(v.version),
                v.at.isoformat(timespec="seconds"),
                v.by.shown_name() if v.by else "",
                v.sentence,
                v.reason,
                row.table,
                row.key,
                edit_sentence(snapshot.as_edit(row)),
            )
            for row in rows
            for v in (chosen[row.version_id],)
        ),
    )


@needs(CHANGE_ALL)
def logged(request: PineRequest, state: State, version: int) -> HttpResponse:
    """One change: its rows before and after."""
    version_row = Version.objects.filter(version=version).select_related("by").first()
    if version_row is None:
        raise Http404
    edits = [edit_sentence(snapshot.as_edit(row)) for row in version_row.edits.order_by("pk")[:200]]
    back = Version.objects.filter(takes_back=version_row).first()
    return render(request, "sheets/logged.html", {"made": version_row, "edits": edits, "back": back})


@needs_post(CHANGE_ALL)
def take_back(request: PineRequest, state: State, version: int) -> HttpResponse:
    seen = request.viewed
    if seen.working is None:
        actions.take_back(version, request.user)
    else:
        apply_change(request, actions.taking_back(version))
    return reload_at("/log/")
