"""An overlay: its local numbers edited in place, and what it lacks."""

from __future__ import annotations

from typing import NamedTuple

from django.http import HttpResponse
from django.shortcuts import render

from core.definitions.state import State
from core.definitions.tables import CodeList, Company, Overlay
from core.structures.charts import chart_index
from core.structures.overlays import OverlayGaps, overlay_gaps, overlay_lists
from web.companies.sheets import LOCAL_CODES
from web.definitions.viewing import PineRequest
from web.journals.code_postings import strings_of
from web.people.rights import SIGNED_IN, companies_seen, needs
from web.sheets.pages import stretch

MOST_NAMED = 60


class ListGaps(NamedTuple):
    """What an overlay lacks of one list, and whether that is anything."""

    code_list: CodeList
    gaps: OverlayGaps

    @property
    def whole(self) -> bool:
        return not any(self.gaps)

    @property
    def more(self) -> int:
        return max(0, len(self.gaps.without) - MOST_NAMED)


@needs(SIGNED_IN)
def overlay(request: PineRequest, state: State, overlay: str) -> HttpResponse:
    """Codes that its companies posted to need a local number; one that stands twice, or is a code of its own,
    can't be keyed."""
    used = _used(state, overlay)
    lists = [
        ListGaps(row, overlay_gaps(state, overlay, name, used.get(name, ())))
        for name in overlay_lists(state, overlay)
        if (row := state.get(CodeList, name)) is not None
    ]
    seen = {row.company for row in companies_seen(request.user, state)}
    return render(
        request,
        "structures/overlay.html",
        {
            "overlay": state.require(Overlay, overlay),
            "codes": stretch(request, state, LOCAL_CODES, {"overlay": overlay}),
            "lists": lists,
            "most": MOST_NAMED,
            "companies": sorted(
                row.name for row in state.rows(Company) if row.overlay == overlay and row.company in seen
            ),
        },
    )


def _used(state: State, overlay: str) -> dict[str, set[str]]:
    """Codes by list in strings that companies seen as the overlay have posted to; where there is none, those
    of all companies."""
    rows = [row for row in state.rows(Company) if row.overlay == overlay] or list(state.rows(Company))
    used: dict[str, set[str]] = {}
    for row in rows:
        index = chart_index(state, row.chart)
        for string in strings_of(row.company) if index else ():
            for field, code in zip(index.segments, index.codes_of(string), strict=True) if index else ():
                if code:
                    used.setdefault(field.code_list, set()).add(code)
    return used
