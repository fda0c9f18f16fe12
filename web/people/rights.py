"""Closed by default: each view names the right it needs; what its address names is resolved against the
person once.

An outsider gets 404 (nothing is told to exist), an insider without the right 403.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from functools import wraps
from typing import Any, cast

from django.contrib.auth.views import redirect_to_login
from django.core.exceptions import PermissionDenied
from django.http import (
    Http404,
    HttpRequest,
    HttpResponse,
    HttpResponseBase,
    HttpResponseNotAllowed,
    JsonResponse,
)
from django.shortcuts import render
from django.urls import URLPattern, path
from django_htmx.http import HttpResponseClientRedirect

from core.access.owners import owners_of
from core.access.rights import Owner, Right
from core.definitions.state import State
from core.definitions.tables import (
    Arrangement,
    Budget,
    Calendar,
    Chart,
    CodeList,
    Company,
    Group,
    Hierarchy,
    IntercompanyPair,
    Overlay,
    Rollout,
    Statement,
    Structure,
)
from core.references.uses import charts_of_list
from core.writing import written_as
from web.definitions.viewing import DefinitionView, PineRequest, need_the_view_shown, view_of_link
from web.shell.htmx import is_fragment
from web.shell.made_by import made_by, with_maker

View = Callable[..., HttpResponseBase]
OPEN, SIGNED_IN, CHANGE, POST = "open", "signed in", "change definitions", "post journals"
ENTER, CLOSE, REVIEW = "enter journals", "close periods", "change or approve definitions"
CHANGE_ALL, ADMINISTER = "change all definitions", "administer people"
REQUIRES: dict[str, tuple[tuple[Right, ...], bool, str]] = {
    OPEN: ((), False, ""),
    SIGNED_IN: ((), False, ""),
    CHANGE: ((Right.DEFINE,), False, "You have no right to change definitions."),
    REVIEW: ((Right.DEFINE, Right.APPROVE), False, "You have no right to change or approve definitions."),
    CHANGE_ALL: ((Right.DEFINE,), True, "You have no right to change the definitions of everything."),
    POST: ((Right.POST,), False, "You have no right to post journals here."),
    ENTER: ((Right.ENTER,), False, "You have no right to enter journals here."),
    CLOSE: ((Right.CLOSE,), False, "You have no right to close periods here."),
    ADMINISTER: ((Right.ADMINISTER,), True, "You have no right to administer people."),
}
"""By what a view names: one of which rights it needs, whether over everything, what is said without it."""
RIGHTS = tuple(REQUIRES)
TABLE_OF = {
    "company": "companies",
    "chart": "charts",
    "code_list": "code_lists",
    "hierarchy": "hierarchies",
    "statement": "statements",
    "budget": "budgets",
    "group": "groups",
    "structure": "structures",
    "calendar": "calendars",
    "rollout": "rollouts",
    "overlay": "overlays",
}
"""The tables of what an address names."""


def _seen(person: Any, state: State, kind: str) -> frozenset[str] | None:
    names: frozenset[str] | None = person.access(state).names(Right.SEE, kind)
    return names


def companies_with(person: Any, state: State, right: Right) -> list[Company]:
    """Companies over which the person has a right, by name."""
    names = person.access(state).names(right, "company")
    rows = sorted(state.rows(Company), key=lambda row: row.name)
    return rows if names is None else [row for row in rows if row.company in names]


def companies_seen(person: Any, state: State) -> list[Company]:
    return companies_with(person, state, Right.SEE)


def charts_seen(person: Any, state: State) -> frozenset[str]:
    names = _seen(person, state, "chart")
    return frozenset(row.chart for row in state.rows(Chart)) if names is None else names


def lists_seen(person: Any, state: State) -> list[CodeList]:
    rows = sorted(state.rows(CodeList), key=lambda row: row.name)
    charts = _seen(person, state, "chart")
    return rows if charts is None else [r for r in rows if charts & set(charts_of_list(state, r.code_list))]


def groups_seen(person: Any, state: State) -> list[Group]:
    """Groups of which the person sees figures, mappings, eliminations, members; by name."""
    names = _seen(person, state, "group")
    rows = sorted(state.rows(Group), key=lambda row: row.name)
    return rows if names is None else [row for row in rows if row.group in names]


def sees_everything(person: Any, state: State) -> bool:
    """Whether nothing is hidden from the person."""
    return Right.SEE in person.access(state).everywhere


def defines(person: Any, state: State, kind: str, name: str) -> bool:
    """Whether the person may change the definitions that belong to a thing."""
    owners = owners_of(state, TABLE_OF[kind], name)
    allowed: bool = person.access(state).may_all(Right.DEFINE, owners)
    return allowed


def partners_seen(person: Any, state: State, company: str) -> list[Company]:
    """Companies that may be named beside one: all, or one's own and those that it has intercompany pairs
    with. Books that adjust another company's are nobody's partner."""
    own = _seen(person, state, "company")
    rows = sorted((row for row in state.rows(Company) if not row.adjusts), key=lambda row: row.name)
    if own is None:
        return rows
    paired = {pair.partner for pair in state.part(IntercompanyPair, company).values()}
    return [row for row in rows if row.company in paired | own]


def _sees_company(person: Any, state: State, name: str) -> bool:
    return any(row.company == name for row in companies_seen(person, state))


def _sees_list(person: Any, state: State, name: str) -> bool:
    return any(row.code_list == name for row in lists_seen(person, state))


def _sees_hierarchy(person: Any, state: State, name: str) -> bool:
    hierarchy_row = state.get(Hierarchy, name)
    return hierarchy_row is not None and _sees_list(person, state, hierarchy_row.code_list)


def _sees_statement(person: Any, state: State, name: str) -> bool:
    row = state.get(Statement, name)
    return row is not None and row.chart in charts_seen(person, state) and sees_member(person, state, name)


def sees_member(person: Any, state: State, statement: str) -> bool:
    """Whether somebody sees the company or group that shows an arrangement; true of any other statement."""
    row = state.get(Arrangement, statement)
    if row is None:
        return True
    if row.member_kind == "group":
        return _sees_group(person, state, row.member)
    return any(company.company == row.member for company in companies_seen(person, state))


def _sees_budget(person: Any, state: State, name: str) -> bool:
    row = state.get(Budget, name)
    return row is not None and row.chart in charts_seen(person, state)


def _sees_group(person: Any, state: State, name: str) -> bool:
    return any(row.group == name for row in groups_seen(person, state))


def _sees_structure(person: Any, state: State, name: str) -> bool:
    if sees_everything(person, state):
        return state.get(Structure, name) is not None
    return any(row.structure == name and row.chart in charts_seen(person, state) for row in state.rows(Chart))


def _sees_calendar(person: Any, state: State, name: str) -> bool:
    if sees_everything(person, state):
        return state.get(Calendar, name) is not None
    return any(row.calendar == name for row in companies_seen(person, state))


def _sees_rollout(person: Any, state: State, name: str) -> bool:
    row = state.get(Rollout, name)
    return row is not None and defines(person, state, "rollout", name)


SEES: dict[str, Callable[[Any, State, str], bool]] = {
    "company": _sees_company,
    "chart": lambda person, state, name: name in charts_seen(person, state),
    "code_list": _sees_list,
    "hierarchy": _sees_hierarchy,
    "statement": _sees_statement,
    "budget": _sees_budget,
    "group": _sees_group,
    "structure": _sees_structure,
    "second_chart": lambda person, state, name: name in charts_seen(person, state),
    "calendar": _sees_calendar,
    "rollout": _sees_rollout,
    "overlay": lambda person, state, name: state.get(Overlay, name) is not None,
}
"""Things that an address may name, and who may know of each."""
PLAIN = frozenset(
    {
        "code",
        "journal",
        "line",
        "column",
        "elimination",
        "kind",
        "way",
        "sheet",
        "version",
        "number",
        "change",
        "act",
        "token",
        "partner",
    }
)
"""Words of addresses that name nothing by themselves: their view looks them up in what it may show."""


def sees(person: Any, state: State, kind: str, name: str) -> bool:
    """Whether a person may know of a thing of this kind. Raises KeyError for a kind that nobody said anything
    of."""
    return SEES[kind](person, state, name)


def _signed_out(request: HttpRequest) -> HttpResponse:
    """To the sign-in; scripts, which can't show that page in the middle of another, are told where it is."""
    reply: HttpResponse = redirect_to_login(
        request.get_full_path() if request.method == "GET" and not is_fragment(request) else "/"
    )
    address = reply["Location"]
    if is_fragment(request):
        reply = HttpResponseClientRedirect(address)
        reply.status_code = 401
    elif request.content_type == "application/json" or "application/json" in request.headers.get(
        "Accept", ""
    ):
        reply = JsonResponse({"sign_in": address}, status=401)
    return reply


def naming_right(view: View, right: str) -> View:
    """Keeps with a view which right it needs."""
    vars(view)["right"] = right  # a decorator around the view takes it along
    return view


def right_of(view: View) -> str | None:
    """The right that a view names; None where it names none."""
    return vars(view).get("right")


def needs(
    right: str, *, published: bool = False, posts: bool = False, localised: bool = False
) -> Callable[[View], View]:
    """Says which right a view needs and guards it. Views take (request, state, …what the address names).

    `published`: the view works on the published definitions even while a draft is open (journals, packages).
    `posts`: it also takes what its own form sends; else only GET and HEAD get through.
    `localised`: it gets the definitions with codes named as the person sees them, so it must only read: what
    changes or exports definitions never is.
    """
    if right not in RIGHTS:
        raise ValueError(f"There is no right '{right}'.")
    methods = ["GET", "HEAD", *(["POST"] if posts else [])]
    if localised and right in (CHANGE, CHANGE_ALL):
        raise ValueError("What changes definitions doesn't get them localised.")
    return _guarding(right, published, methods, localised)


def allowed(person: Any, state: State, right: str, named: Mapping[str, str]) -> bool:
    """Whether the person has the right that a view names, over what its address names. Over which
    definitions is looked at once more with each change (web/definitions/actions.py)."""
    rights, over_everything, _ = REQUIRES[right]
    access = person.access(state)
    if not rights:
        return True
    if over_everything:
        return any(one in access.everywhere for one in rights)
    if right in (POST, ENTER) and "company" in named:
        return any(access.may(one, Owner("company", named["company"])) for one in rights)
    if right == CLOSE and "group" in named:
        return any(access.may(one, Owner("group", named["group"])) for one in rights)
    return any(access.may_anywhere(one) for one in rights)


def may_book(request: PineRequest, right: Right) -> bool:
    """Whether journals of the company that the address names can be entered or posted; if none, of any."""
    access, name = request.user.access(request.viewed.state), request.company_named
    return access.may(right, Owner("company", name)) if name else access.may_anywhere(right)


def _defines_all(person: Any, state: State, named: Mapping[str, str]) -> bool:
    """Whether what a page is about can be changed by the person; of a page about nothing, anything."""
    about = next(((kind, name) for kind, name in named.items() if kind in TABLE_OF), None)
    if about is None:
        may: bool = person.access(state).may_anywhere(Right.DEFINE)
        return may
    return defines(person, state, *about)


ASKED = ("company", "group")
"""Fields of an address's query that name what figures are asked of, on any page."""


def need_to_see(request: HttpRequest, named: Mapping[str, str], person: Any, state: State) -> None:
    """Raises Http404 where an address names, or asks by its query for, what isn't the person's: a page never
    shows something else instead."""
    for kind, name in named.items():
        if kind not in PLAIN and not sees(person, state, kind, name):
            raise Http404
    for kind in ASKED:
        for name in request.GET.getlist(kind):
            if name and not sees(person, state, kind, name):
                raise Http404


def _guarding(
    right: str, published: bool, methods: list[str], localised: bool = False
) -> Callable[[View], View]:
    def wrap(view: View) -> View:
        @wraps(view)
        def guarded(request: HttpRequest, **named: Any) -> HttpResponseBase:
            if right == OPEN:
                return (
                    view(request, **named) if request.method in methods else HttpResponseNotAllowed(methods)
                )
            person: Any = request.user
            if not person.is_authenticated:
                return _signed_out(request)
            asked = cast(PineRequest, request)
            asked.company_named, asked.defines = named.get("company", ""), False
            on_published = published or right in (POST, ENTER)
            asked.viewed = DefinitionView.of(request, person, on_published)
            if (other := view_of_link(asked)) is not None:
                return render(request, "drafts/other_view.html", {"other": other})
            if not on_published:
                need_the_view_shown(asked)
            need_to_see(request, named, person, asked.viewed.state)
            if not allowed(person, asked.viewed.state, right, named):
                raise PermissionDenied(REQUIRES[right][2])
            asked.defines = _defines_all(person, asked.viewed.state, named)
            if right == CHANGE and not asked.defines:
                raise PermissionDenied(REQUIRES[right][2])
            if request.method not in methods:
                return HttpResponseNotAllowed(methods)
            state = asked.viewed.state_seen_as(person) if localised else asked.viewed.state
            with made_by(person.shown_name()), written_as(person.writing):
                return with_maker(view(asked, state, **named), person.username)

        return naming_right(guarded, right)

    return wrap


def needs_post(right: str, *, published: bool = False, localised: bool = False) -> Callable[[View], View]:
    """Like `needs`, for views that change something: only a POST, with its token, gets through."""
    if localised and right in (CHANGE, CHANGE_ALL):
        raise ValueError("What changes definitions doesn't get them localised.")
    return _guarding(right, published, ["POST"], localised)


def route(address: str, view: View, name: str) -> URLPattern:
    """A route to a view that names its right; anything else fails when the addresses load."""
    if right_of(view) not in RIGHTS:
        raise ValueError(f"The view at {address} names no right.")
    unknown = set(re.findall(r"<(?:\w+:)?(\w+)>", address)) - set(SEES) - PLAIN
    if unknown:
        raise ValueError(f"Nobody said who may know of what {address} names: {', '.join(sorted(unknown))}.")
    return path(address, view, name=name)
