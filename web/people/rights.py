"""Closed by default: each view names the right it needs; what its address names is resolved against the person once.

An outsider gets 404 (nothing is told to exist), an insider without the right 403.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import wraps
from typing import Any

import rules
from django.contrib.auth.views import redirect_to_login
from django.core.exceptions import PermissionDenied
from django.http import Http404, HttpRequest, HttpResponse
from django.urls import URLPattern, path
from django.views.decorators.http import require_POST

from core.state import State
from core.tables import Chart, CodeList, Company, Group, Hierarchy, Statement
from core.uses import charts_of_list
from web.definitions.drafting import OPEN_ENDED, Working, working
from web.definitions.history import state_at
from web.definitions.models import Draft
from web.definitions.snapshot import Snapshot, current
from web.shell.asked import number

View = Callable[..., HttpResponse]
OPEN, SIGNED_IN, CHANGE, POST = "open", "signed in", "change definitions", "post journals"
RIGHTS = (OPEN, SIGNED_IN, CHANGE, POST)


@rules.predicate
def is_group_accountant(person: Any) -> bool:
    return bool(person.is_authenticated and person.is_group_accountant)


rules.add_perm("change definitions", is_group_accountant)


def own_companies(person: Any) -> frozenset[str]:
    """The companies a company accountant works in; kept on the person for the length of a request."""
    if not hasattr(person, "_own_companies"):
        person._own_companies = frozenset(person.companies.values_list("company", flat=True))
    return person._own_companies  # type: ignore[no-any-return]


def companies_seen(person: Any, state: State) -> list[Company]:
    rows = sorted(state.rows(Company), key=lambda row: row.name)
    if person.is_group_accountant:
        return rows
    own = own_companies(person)
    return [row for row in rows if row.company in own]


def charts_seen(person: Any, state: State) -> frozenset[str]:
    if person.is_group_accountant:
        return frozenset(row.chart for row in state.rows(Chart))
    return frozenset(row.chart for row in companies_seen(person, state))


def lists_seen(person: Any, state: State) -> list[CodeList]:
    rows = sorted(state.rows(CodeList), key=lambda row: row.name)
    if person.is_group_accountant:
        return rows
    charts = charts_seen(person, state)
    return [row for row in rows if charts & set(charts_of_list(state, row.code_list))]


def sees(person: Any, state: State, kind: str, name: str) -> bool:
    """Whether a person may know of a company, chart, list, hierarchy, statement or group; of anything else yes."""
    if kind == "company":
        return any(row.company == name for row in companies_seen(person, state))
    if kind == "chart":
        return name in charts_seen(person, state)
    if kind == "code_list":
        return any(row.code_list == name for row in lists_seen(person, state))
    if kind == "hierarchy":
        head = state.get(Hierarchy, name)
        return head is not None and sees(person, state, "code_list", head.code_list)
    if kind == "statement":
        row = state.get(Statement, name)
        return row is not None and row.chart in charts_seen(person, state)
    if kind == "group":
        return bool(person.is_group_accountant) and state.get(Group, name) is not None
    return True


@dataclass(frozen=True)
class Seen:
    """The definitions a page shows: as published, as a draft would have them, or as of an earlier version."""

    snapshot: Snapshot
    state: State
    working: Working | None = None
    as_of: int | None = None

    @staticmethod
    def of(request: HttpRequest, published: bool) -> Seen:
        snapshot = current()
        if not request.user.is_group_accountant:  # type: ignore[union-attr]
            return Seen(snapshot, snapshot.state)
        _opened(request)
        as_of, number = request.session.get("as_of"), request.session.get("draft")
        if as_of is not None and (state := state_at(as_of)) is not None:
            return Seen(snapshot, snapshot.state if published else state, None, as_of)
        draft = Draft.objects.filter(pk=number, status__in=OPEN_ENDED).first() if number else None
        if draft is None:
            return Seen(snapshot, snapshot.state)
        found = working(draft)
        return Seen(snapshot, snapshot.state if published else found.state, found)


def _opened(request: HttpRequest) -> None:
    """A link carries its view: `?draft=7` opens that draft, `?draft=none` what is published, `?version=5` looks at that one.

    Only a whole page does; its fragments follow the session.
    """
    if request.method != "GET" or request.headers.get("HX-Request"):
        return
    draft, version = number(request.GET, "draft"), number(request.GET, "version")
    if request.GET.get("draft") == "none":
        request.session.pop("draft", None)
        request.session.pop("as_of", None)
    elif draft is not None and Draft.objects.filter(pk=draft, status__in=OPEN_ENDED).exists():
        request.session["draft"] = draft
        request.session.pop("as_of", None)
    elif version is not None and state_at(version) is not None:
        request.session["as_of"] = version
        request.session.pop("draft", None)


def needs(right: str, *, published: bool = False) -> Callable[[View], View]:
    """Says which right a view needs and guards it. Views take (request, state, …what the address names).

    `published`: the view works on the published definitions even while a draft is open (journals, packages).
    """
    if right not in RIGHTS:
        raise ValueError(f"There is no right '{right}'.")

    def wrap(view: View) -> View:
        @wraps(view)
        def guarded(request: HttpRequest, **named: Any) -> HttpResponse:
            if right == OPEN:
                return view(request, **named)
            person: Any = request.user
            if not person.is_authenticated:
                return redirect_to_login(request.get_full_path())
            seen = request.seen = Seen.of(request, published or right == POST)  # type: ignore[attr-defined]
            for kind, name in named.items():
                if not sees(person, seen.state, kind, name):
                    raise Http404
            if right == CHANGE and not person.has_perm("change definitions"):
                raise PermissionDenied("Only a group accountant changes definitions.")
            return view(request, seen.state, **named)

        guarded.right = right  # type: ignore[attr-defined]
        return guarded

    return wrap


def acts(right: str, *, published: bool = False) -> Callable[[View], View]:
    """Like `needs`, for views that change something: only a POST, with its token, gets through."""

    def wrap(view: View) -> View:
        return needs(right, published=published)(require_POST(view))

    return wrap


def route(address: str, view: View, name: str) -> URLPattern:
    """A route to a view that names its right; anything else fails when the addresses load."""
    if getattr(view, "right", None) not in RIGHTS:
        raise ValueError(f"The view at {address} names no right.")
    return path(address, view, name=name)
