"""Pages of rollouts: all of them with their log, the matrix of one, a cell; and the acts."""

from __future__ import annotations

from typing import Any
from urllib.parse import urlencode

from django.http import Http404, HttpResponse, QueryDict
from django.shortcuts import render
from django.urls import reverse
from django.utils import timezone

from core.changes.kinds import Add, ChangeSet, Put
from core.definitions.state import State
from core.definitions.tables import Company, Rollout
from core.faults import Fault, Refused
from core.rollouts.adding import items_added
from core.rollouts.matrix import EVERY, Matrix
from core.structures.charts import chart_index
from core.structures.company_choice import without_company
from web.definitions.models import Edited
from web.definitions.snapshot import as_edit
from web.definitions.viewing import PineRequest
from web.people.rights import CHANGE, needs, needs_post
from web.rollouts import grid, job
from web.rollouts.models import RolloutJob
from web.rollouts.queries import (
    fingerprint,
    matrix_for,
    ours_of,
    ours_text,
    runs_seen,
)
from web.rollouts.running import roll_out
from web.rollouts.sheets import ITEMS, ROLLOUTS, SWAPS, TO_WHOM
from web.sheets.changing import apply_change, reload_at, words_of
from web.sheets.pages import stretch
from web.shell.asked import text, whole
from web.shell.asking import Choice, ask, decided
from web.shell.htmx import is_fragment
from web.shell.progress import ask_to_stop

LARGE = 4_000
ASKED = 20
"""From so many cells on it is asked once more, with what it comes to."""
"""Cells that write; more are made in the worker."""
MOST_RUNS = 100
LONGEST_OURS = 60_000


@needs(CHANGE)
def listing(request: PineRequest, state: State) -> HttpResponse:
    """Rollouts, and the log of their runs, as far as they are the person's to see."""
    runs = runs_seen(request.user.access(state)).defer("outcomes", "reasons", "things", "companies")
    return render(
        request,
        "rollouts/listing.html",
        {
            "rollouts": stretch(request, state, ROLLOUTS, {}),
            "runs": runs[:MOST_RUNS],
        },
    )


def _ours(given: Any) -> str:
    return ours_text(ours_of(text(given, "ours", LONGEST_OURS)))


def _show(request: PineRequest) -> str:
    show = text(request.GET, "show")
    return show if show in grid.SHOWS else "all"


@needs(CHANGE)
def rollout(request: PineRequest, state: State, rollout: str) -> HttpResponse:
    """The matrix: things down, companies across."""
    row = state.require(Rollout, rollout)
    matrix = matrix_for(state, row, _ours(request.GET), request.user.access(state))
    left = min(whole(request.GET, "left"), max(0, len(matrix.companies) - 1)) // grid.ACROSS * grid.ACROSS
    part = grid.matrix_part(state, matrix, _show(request), whole(request.GET, "from"), left)
    context = {
        "rollout": row,
        "part": part,
        "left": left,
        "right": left + grid.ACROSS if left + grid.ACROSS < len(matrix.companies) else None,
        "before": max(0, left - grid.ACROSS) if left else None,
        "show": _show(request),
        "shows": grid.SHOWS,
        "ours": _ours(request.GET),
    }
    if is_fragment(request) and "from" in request.GET:
        return render(request, "rollouts/rows.html", context)
    context |= _summary(request, state, matrix)
    return render(request, "rollouts/rollout.html", context)


def _summary(request: PineRequest, state: State, matrix: Matrix) -> dict[str, Any]:
    """What the matrix comes to, and what stands in its way."""
    counts, changed = matrix.counts(), matrix.changed()
    source = state.require(Company, matrix.rollout.company)
    index = chart_index(state, source.chart)
    field = index.field(matrix.rollout.swap_field) if index and matrix.rollout.swap_to else None
    running = RolloutJob.objects.filter(rollout=matrix.rollout.rollout).order_by("-pk").first()
    return {
        "source": source,
        "companies": len(matrix.companies),
        "things": len(matrix.things),
        "counts": counts,
        "changed": changed,
        "kept": counts["differs"] - changed,
        "writes": counts["new"] + changed,
        "remarks": matrix.remarks,
        "faults": matrix.faults[:8],
        "reasons": grid.reasons(matrix),
        "fingerprint": fingerprint(matrix),
        "swap": field,
        "swap_mark": index.index[field.name] + 1 if index and field else 0,
        "busy": running if running and running.is_busy else None,
        "last": running if running and not running.is_busy else None,
    }


@needs(CHANGE)
def cell(request: PineRequest, state: State, rollout: str) -> HttpResponse:
    """One cell in words, with the ways to decide it."""
    row, ours = state.require(Rollout, rollout), ours_of(text(request.GET, "ours", LONGEST_OURS))
    matrix = matrix_for(state, row, ours_text(ours), request.user.access(state))
    thing, company = text(request.GET, "row"), text(request.GET, "col")
    i = next((i for i, own in enumerate(matrix.things) if own.key == thing), None)
    j = next((j for j, own in enumerate(matrix.companies) if own.company == company), None)
    if i is None or j is None:
        raise Http404
    found = matrix.cells[i][j]
    address = reverse("rollout", kwargs={"rollout": rollout})
    page = QueryDict(text(request.GET, "at", LONGEST_OURS), mutable=True)

    def at(decided: str) -> str:
        page["ours"] = decided
        return f"{address}?{page.urlencode()}"

    return render(
        request,
        "rollouts/cell.html",
        {
            "rollout": row,
            "words": grid.thing_words(state, matrix, matrix.things[i]),
            "company": matrix.companies[j],
            "cell": found,
            "wins": matrix.wins[i][j],
            "says": grid.SAYS[found.outcome],
            "theirs": at(ours_text(ours.keeping(thing, company))),
            "takes": at(ours_text(ours.taking(thing, company))),
            "takes_row": at(ours_text(ours.taking(thing, EVERY))),
            "takes_column": at(ours_text(ours.taking(EVERY, company))),
            "takes_all": at(ours_text(ours.taking(EVERY, EVERY))),
        },
    )


@needs(CHANGE)
def what(request: PineRequest, state: State, rollout: str) -> HttpResponse:
    """What a rollout brings, to whom, with which swap: tables edited in place."""
    row = state.require(Rollout, rollout)
    return render(
        request,
        "rollouts/what.html",
        {
            "rollout": row,
            "settings": stretch(request, state, TO_WHOM, {}, among=[row]),
            "swap": stretch(request, state, SWAPS, {}, among=[row]),
            "items": stretch(request, state, ITEMS, {"rollout": rollout}),
        },
    )


@needs_post(CHANGE)
def fill(request: PineRequest, state: State, rollout: str) -> HttpResponse:
    """Items for what the open draft added, or what the person added since they signed in."""
    row = state.require(Rollout, rollout)
    working = request.viewed.working
    if request.POST.get("from") == "draft":
        edits = list(working.edits.values()) if working else []
    else:
        since = request.user.last_login or timezone.now()
        rows = Edited.objects.filter(version__by=request.user, version__at__gte=since, old__isnull=True)
        edits = [as_edit(own) for own in rows.order_by("version_id", "pk")]
    items = items_added(state, row, edits)
    if not items:
        raise Refused(
            [
                Fault(
                    "nothing-missing",
                    "Nothing was added there that the rollout doesn't bring yet.",
                    way_out="Add accounts, codes, rules first, or name them in the table.",
                )
            ]
        )
    change = ChangeSet(tuple(Add(item) for item in items), f"Added {len(items)} items to rollout {row.name}")
    apply_change(request, change)
    return reload_at(reverse("rollout-what", kwargs={"rollout": rollout}))


@needs_post(CHANGE)
def leave_out(request: PineRequest, state: State, rollout: str) -> HttpResponse:
    """Leaves a company out of it."""
    row = state.require(Rollout, rollout)
    company = text(request.POST, "company")
    if state.get(Company, company) is None:
        raise Http404
    apply_change(request, Put(row._replace(companies=without_company(row.companies, company))))
    return reload_at(_address(rollout, _ours(request.POST)))


def _address(rollout: str, ours: str) -> str:
    address = reverse("rollout", kwargs={"rollout": rollout})
    return f"{address}?{urlencode({'ours': ours})}" if ours else address


@needs_post(CHANGE)
def make(request: PineRequest, state: State, rollout: str) -> HttpResponse:
    """Makes what the matrix shows; a large one in the worker, with progress."""
    ours, seen = _ours(request.POST), text(request.POST, "fingerprint", 64)
    viewed = request.viewed
    if viewed.as_of is not None:
        raise Refused([Fault("as-of", f"You look at version {viewed.as_of}, which is past.")])
    draft = viewed.working.draft.pk if viewed.working else None
    matrix = matrix_for(state, state.require(Rollout, rollout), ours, request.user.access(state))
    why = words_of(request, "why")
    writes = sum(1 for _ in matrix.written())
    if writes >= ASKED and not decided(request):
        return ask(request, f"{matrix.told()}.", Choice("make", f"Write {writes:,} cells"))
    if writes > LARGE:
        started = RolloutJob.objects.create(
            rollout=rollout, ours=ours, fingerprint=seen, draft_id=draft, by=request.user, why=why
        )
        job.start(started.pk)
        return reload_at(_address(rollout, ours))
    run = roll_out(rollout, ours, seen, request.user, draft, why)
    return reload_at(reverse("rollout-run", kwargs={"number": run.pk}))


@needs(CHANGE)
def progress(request: PineRequest, state: State, rollout: str) -> HttpResponse:
    """How far a large one is; once it has ended, the page is read anew."""
    running = RolloutJob.objects.filter(rollout=rollout).order_by("-pk").first()
    if running is None or not running.is_busy:
        if running is not None and running.run_id:
            return reload_at(reverse("rollout-run", kwargs={"number": running.run_id}))
        return reload_at(reverse("rollout", kwargs={"rollout": rollout}))
    return render(
        request, "rollouts/progress.html", {"busy": running, "rollout": state.require(Rollout, rollout)}
    )


@needs_post(CHANGE)
def stop(request: PineRequest, state: State, rollout: str) -> HttpResponse:
    for running in RolloutJob.objects.filter(rollout=rollout, ended_at=None):
        ask_to_stop(running, job.NOTHING)
    return reload_at(reverse("rollout", kwargs={"rollout": rollout}))
