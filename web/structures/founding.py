"""A new structure on one page: its segments, the lists they need and the chart that puts it to use."""

from __future__ import annotations

from django.http import HttpResponse
from django.shortcuts import render
from django.urls import reverse

from core.definitions.kinds import ROLES, SEPARATORS
from core.definitions.parsing import CONTROL, HALF
from core.definitions.state import State
from core.definitions.tables import CodeList
from core.faults import Fault, Location, Refused
from core.founding.structures import SegmentWanted, chart_made, new_structure
from web.definitions.viewing import PineRequest
from web.people.rights import CHANGE_ALL, needs
from web.sheets.changing import apply_change, reload_at
from web.shell.asked import text

MOST_ROWS = 30
LONGEST_CODES = 4_000_000


def _cell(written: str, most: int = 200) -> str:
    """A cell of a row; only the codes may have more than one line."""
    lines = (HALF.sub("", CONTROL.sub(" ", line)) for line in written[:LONGEST_CODES].splitlines())
    return "\n".join(lines).strip()[:most]


def _wanted(request: PineRequest) -> list[SegmentWanted]:
    """The segments of the form, empty rows too. Raises Refused where they can't be read."""
    columns = [request.POST.getlist(name) for name in SegmentWanted._fields]
    if len({len(column) for column in columns}) != 1 or len(columns[0]) > MOST_ROWS:
        raise Refused(
            [Fault("unreadable", "The segments could not be read.", way_out="Load the page again.")]
        )
    segments = []
    for name, role, code_list, length, codes, required, default in zip(*columns, strict=True):
        if role and role not in ROLES:
            raise Refused(
                [
                    Fault(
                        "choice",
                        f"There is no role '{_cell(role, 40)}'.",
                        Location("structure_segments", (), "role"),
                    )
                ]
            )
        segments.append(
            SegmentWanted(
                _cell(name),
                role,
                _cell(code_list),
                _cell(length),
                _cell(codes, LONGEST_CODES),
                required != "optional",
                _cell(default),
            )
        )
    return segments


@needs(CHANGE_ALL, posts=True)
def new(request: PineRequest, state: State) -> HttpResponse:
    """GET: the form. POST: makes all of it in one change and opens the chart."""
    if request.method != "POST":
        return render(
            request,
            "structures/new.html",
            {
                "lists": sorted(state.rows(CodeList), key=lambda row: row.name),
                "roles": ROLES,
                "separators": SEPARATORS,
            },
        )
    change = new_structure(
        state, text(request.POST, "structure"), text(request.POST, "separator", 1), _wanted(request)
    )
    apply_change(request, change)
    return reload_at(reverse("structure", kwargs={"chart": chart_made(change)}))
