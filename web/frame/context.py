"""What the page frame shows on every page: the six storeys and how they stand, and the title block's
context."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from typing import Any, cast

from django.http import HttpRequest
from django.urls import reverse
from django.utils.functional import SimpleLazyObject

from core.access.rights import Right
from core.books.periods import company_calendar
from core.codes.hierarchies import main_hierarchies, standing_under_none
from core.codes.lists import natural_lists
from core.definitions.state import State, derived
from core.definitions.tables import (
    Chart,
    Code,
    CodeList,
    Company,
    Hierarchy,
    HierarchyNode,
    Overlay,
    Statement,
    StatementLine,
    StructureSegment,
)
from core.statements.plans import PLAN_READS, plan
from core.structures.overlays import languages, overlay_name
from core.version import VERSION
from web.definitions.snapshot import Snapshot, chart_versions
from web.definitions.viewing import PineRequest, drafts_to_work_in, may_change
from web.people.rights import (
    ADMINISTER,
    CHANGE_ALL,
    allowed,
    charts_seen,
    companies_seen,
    groups_seen,
    lists_seen,
    may_book,
)
from web.process_cache import ProcessCache


@dataclass(frozen=True, slots=True)
class Storey:
    """A storey in the frame: how it stands in a few words, and the mark before them."""

    number: int
    name: str
    address: str
    told: str
    mark: str


@derived(Code, CodeList, Hierarchy, HierarchyNode, StructureSegment)
def _codes_under_none(state: State) -> int:
    main = main_hierarchies(state)
    return sum(len(standing_under_none(state, name)) for name in natural_lists(state) if name in main)


@derived(StatementLine, *PLAN_READS)
def _unplaced(state: State) -> int:
    plans = (plan(state, row.statement) for row in state.rows(Statement))
    return sum(len(entry.missed()) for entry in plans if entry is not None)


def standing(state: State) -> None:
    """Works out what every page's frame says, once for this state."""
    _codes_under_none(state)
    _unplaced(state)


def plural(count: int, one: str, many: str = "") -> str:
    return f"{count} {one if count == 1 else many or one + 's'}"


def storeys(state: State, person: Any) -> list[Storey]:
    """The six storeys from the top, each with how it stands for this person."""
    companies, charts = companies_seen(person, state), charts_seen(person, state)
    open_period = _open_period(state, companies)
    shared = sum(count for count in Counter(row.chart for row in companies).values() if count > 1)
    sharing = f"{shared} share, {len(companies) - shared} own"
    return [
        Storey(6, "Group", reverse("groups"), _groups_word(state, person), ""),
        Storey(5, "Statements", reverse("statements"), *_statements_word(state, charts)),
        Storey(4, "Journals", reverse("journals"), open_period, "ok" if open_period else ""),
        Storey(3, "Companies", reverse("companies"), sharing, "ok" if companies else ""),
        Storey(2, "Structures", reverse("structures"), plural(len(charts), "chart"), "ok" if charts else ""),
        Storey(1, "Codes", reverse("codes"), *_codes_word(state, lists_seen(person, state))),
    ]


def _groups_word(state: State, person: Any) -> str:
    groups = groups_seen(person, state)
    return plural(len(groups), "group") if groups else "nothing here for you"


def _statements_word(state: State, charts: frozenset[str]) -> tuple[str, str]:
    if unplaced := _unplaced(state):
        return plural(unplaced, "unplaced", "unplaced"), "look"
    return plural(sum(row.chart in charts for row in state.rows(Statement)), "tree"), "ok"


def _codes_word(state: State, lists: list[Any]) -> tuple[str, str]:
    words = plural(len(lists), "list")
    if loose := _codes_under_none(state):
        return f"{words}, {loose} loose", "look"
    return words, "ok" if lists else ""


def _open_period(state: State, companies: list[Company]) -> str:
    for company in companies[:1]:
        periods = [p for p in company_calendar(state, company.company).regular if p.status == "open"]
        if periods:
            return f"{periods[0].name} open"
    return ""


_versions: ProcessCache[Any, dict[str, int]] = ProcessCache(1)


def _chart_versions(snapshot: Snapshot) -> dict[str, int]:
    """By chart, kept in the process until there is a newer version of anything."""
    if (entry := _versions.get(snapshot.token)) is not None:
        return entry
    counted = chart_versions(row.chart for row in snapshot.state.rows(Chart))
    _versions.put(snapshot.token, counted)
    return counted


def _seen_as(state: State, person: Any) -> dict[str, Any]:
    """What the person sees codes as, and what else there is."""
    chosen = person.sees_as()
    return {
        "chosen": chosen,
        "name": overlay_name(state, chosen),
        "overlays": sorted(state.rows(Overlay), key=lambda row: row.name),
        "languages": languages(state),
    }


def frame(request: HttpRequest) -> dict[str, Any]:
    seen = getattr(request, "viewed", None)
    if seen is None or not request.user.is_authenticated:
        return {}
    person = cast(PineRequest, request).user
    parts = request.path.split("/")
    here = parts[2] if parts[1] == "new" else parts[1]
    numbers = {
        "codes": 1,
        "hierarchies": 1,
        "structures": 2,
        "companies": 3,
        "rollouts": 3,
        "journals": 4,
        "statements": 5,
        "budgets": 5,
        "packs": 5,
        "group": 6,
        "structure": 2,
        "company": 3,
    }
    return {
        "release": VERSION,
        "storeys": SimpleLazyObject(lambda: storeys(seen.state, person)),
        "working": seen.working,
        "view_name": seen.name,
        "as_of": seen.as_of,
        "drafts": SimpleLazyObject(
            lambda: list(drafts_to_work_in(person, seen.state).order_by("-made_at")[:30])
        ),
        "at_storey": numbers.get(here, 0),
        "version": seen.snapshot.version,
        "chart_versions": SimpleLazyObject(lambda: _chart_versions(seen.snapshot)),
        "may_change": may_change(cast(PineRequest, request)),
        "may_enter": may_book(cast(PineRequest, request), Right.ENTER),
        "may_post": may_book(cast(PineRequest, request), Right.POST),
        "changes_all": allowed(person, seen.state, CHANGE_ALL, {}),
        "administers": allowed(person, seen.state, ADMINISTER, {}),
        "seen_as": SimpleLazyObject(lambda: _seen_as(seen.state, person)),
    }
