"""A run of the log of rollouts: every cell as it came out."""

from __future__ import annotations

from django.http import Http404, HttpResponse
from django.shortcuts import render

from core.definitions.state import State
from core.definitions.tables import Rollout
from core.rollouts.things import Thing
from web.definitions.viewing import PineRequest
from web.people.rights import CHANGE, needs
from web.rollouts import grid
from web.rollouts.queries import runs_seen
from web.shell.asked import text, whole
from web.shell.cell_grid import short_names
from web.shell.htmx import is_fragment


@needs(CHANGE)
def run(request: PineRequest, state: State, number: str) -> HttpResponse:
    """A run of the log: every cell as it came out, and why not."""
    made = runs_seen(request.user.access(state)).filter(pk=whole({"n": number}, "n")).first()
    if made is None:
        raise Http404
    left = min(whole(request.GET, "left"), max(0, len(made.companies) - 1)) // grid.ACROSS * grid.ACROSS
    start = whole(request.GET, "from")
    heads = short_names(made.companies)[left : left + grid.ACROSS]
    stop_at = start + grid.CHUNK
    context = {
        "run": made,
        "rows": grid.run_rows(
            made.things[start:stop_at],
            heads,
            [own[left : left + grid.ACROSS] for own in made.outcomes[start:stop_at]],
        ),
        "columns": heads,
        "next": stop_at if stop_at < len(made.things) else None,
        "left": left,
        "right": left + grid.ACROSS if left + grid.ACROSS < len(made.companies) else None,
        "before": max(0, left - grid.ACROSS) if left else None,
    }
    if is_fragment(request) and "from" in request.GET:
        return render(request, "rollouts/run_rows.html", context)
    there = state.get(Rollout, made.rollout)
    taken = getattr(made.version, "taken_back_by", None) if made.version else None
    return render(request, "rollouts/run.html", {**context, "there": there, "taken_back": taken})


@needs(CHANGE)
def run_cell(request: PineRequest, state: State, number: str) -> HttpResponse:
    """How one cell of a run came out."""
    made = runs_seen(request.user.access(state)).filter(pk=whole({"n": number}, "n")).first()
    if made is None:
        raise Http404
    keys = [Thing(*thing).key for thing in made.things]
    names = [own for own, _ in made.companies]
    thing, company = text(request.GET, "row"), text(request.GET, "col")
    if thing not in keys or company not in names:
        raise Http404
    i, j = keys.index(thing), names.index(company)
    return render(
        request,
        "rollouts/run_cell.html",
        {
            "thing": made.things[i],
            "company": made.companies[j][1],
            "says": grid.BY_LETTER[made.outcomes[i][j]].title,
            "reason": made.reasons.get(f"{i}.{j}", ""),
        },
    )
