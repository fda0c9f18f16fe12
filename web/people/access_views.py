"""Who may what: people and rights as a matrix, over everything or one company, chart or group; and why."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple, TypeVar

from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.urls import reverse

from core.access.rights import WHOLE, Owner, Right
from core.definitions.state import State
from core.definitions.tables import Chart, Company, Group
from web.definitions.viewing import PineRequest
from web.people import granting
from web.people.models import GrantedRole, Person, RightsGrant, Team
from web.people.rights import ADMINISTER, needs, needs_post
from web.shell.asked import listed, text, whole
from web.shell.htmx import reload_at

KINDS: dict[str, type[Company | Chart | Group]] = {"group": Group, "chart": Chart, "company": Company}


class PersonRights(NamedTuple):
    """A person with whether they have each right over what is looked at."""

    person: Person
    teams: str
    held: list[tuple[Right, bool]]


class RightSource(NamedTuple):
    """Where rights of a person come from; `grant` where it can be taken back."""

    words: str
    rights: str
    over: str
    grant: RightsGrant | None = None


def _over(request: PineRequest, state: State) -> Owner:
    """What the matrix is about. Raises Http404 for what there isn't."""
    kind, _, name = text(request.GET, "over", 60).partition(":")
    if not kind:
        return WHOLE
    if kind not in KINDS or state.get(KINDS[kind], name) is None:
        raise Http404
    return Owner(kind, name)


@needs(ADMINISTER, published=True)
def matrix(request: PineRequest, state: State) -> HttpResponse:
    over = _over(request, state)
    return render(
        request,
        "people/access.html",
        {
            "rows": list(_rows(state, over)),
            "rights": list(Right),
            "over": over,
            "choices": [
                (kind.capitalize(), [(f"{kind}:{row[0]}", row.name) for row in _named(state, kind)])
                for kind in KINDS
            ],
            "chosen": f"{over.kind}:{over.name}" if over.name else "",
            "teams": Team.objects.prefetch_related("people", "granted__role").order_by("name"),
            "roles": GrantedRole.objects.prefetch_related("granted").order_by("name"),
        },
    )


def _named(state: State, kind: str) -> list[Company | Chart | Group]:
    return sorted(state.rows(KINDS[kind]), key=lambda row: row.name)


def _rows(state: State, over: Owner) -> Iterator[PersonRights]:
    people = Person.objects.filter(is_active=True).prefetch_related(
        "companies", "teams__granted__role", "granted__role"
    )
    for person in people.order_by("first_name", "last_name", "username"):
        person.know_grants()
        access = person.access(state)
        teams = ", ".join(sorted(team.name for team in person.teams.all()))
        yield PersonRights(person, teams, [(right, access.may(right, over)) for right in Right])


@needs(ADMINISTER, published=True)
def of_person(request: PineRequest, state: State) -> HttpResponse:
    """What one person may and where it comes from, with the acts that change it."""
    person = Person.objects.filter(username=text(request.GET, "who", 150)).first()
    if person is None:
        raise Http404
    return render(
        request,
        "people/access_of.html",
        {
            "person": person,
            "sources": list(_sources(person)),
            "roles": GrantedRole.objects.order_by("name"),
            "teams": list(person.teams.order_by("name")),
        },
    )


def _sources(person: Person) -> Iterator[RightSource]:
    if person.is_group_accountant:
        yield RightSource("As group accountant", "every right", "everything")
        return
    own = ", ".join(sorted(company.company for company in person.companies.all()))
    if own:
        rights = f"see, enter, post{', post-restricted' if person.posts_restricted else ''}"
        yield RightSource("As company accountant", rights, f"companies {own}")
    for row in person.granted.select_related("role", "person", "team").order_by("role__name", "pk"):
        yield _of_grant("Granted", row, row)
    for team in person.teams.order_by("name"):
        for row in team.granted.select_related("role", "person", "team").order_by("role__name", "pk"):
            yield _of_grant(f"In team {team.name}", row, None)


def _of_grant(words: str, row: RightsGrant, grant: RightsGrant | None) -> RightSource:
    role, _, over = granting.told(row).partition(" over ")
    return RightSource(words, role, over, grant)


@needs_post(ADMINISTER, published=True)
def change(request: PineRequest, state: State) -> HttpResponse:
    """One act: a role or team put or dropped, a role granted to a person or team, or taken back."""
    act = text(request.POST, "act", 20)
    if act == "role":
        role = _one(GrantedRole, request, "role") if text(request.POST, "role") else None
        rights = [right for right in Right if request.POST.get(f"right-{right}")]
        granting.put_role(role, text(request.POST, "name"), rights, request.user)
    elif act == "role-drop":
        granting.drop_role(_one(GrantedRole, request, "role"))
    elif act == "team":
        team = _one(Team, request, "team") if text(request.POST, "team") else None
        granting.put_team(team, text(request.POST, "name"), listed(request.POST, "people"), request.user)
    elif act == "team-drop":
        granting.drop_team(_one(Team, request, "team"), request.user)
    elif act == "grant":
        over = tuple(text(request.POST, name, 1000) for name in ("companies", "charts", "groups"))
        to = _one(Team, request, "team") if text(request.POST, "team") else _person(request)
        granting.grant(
            state, to, _one(GrantedRole, request, "role"), (over[0], over[1], over[2]), request.user
        )
    elif act == "take":
        granting.take_back(_one(RightsGrant, request, "grant"), request.user)
    else:
        raise Http404
    return reload_at(reverse("access"))


Row = TypeVar("Row", GrantedRole, Team, RightsGrant)


def _one(kind: type[Row], request: PineRequest, name: str) -> Row:
    row = kind.objects.filter(pk=whole(request.POST, name)).first()
    if row is None:
        raise Http404
    return row


def _person(request: PineRequest) -> Person:
    person = Person.objects.filter(username=text(request.POST, "who", 150)).first()
    if person is None:
        raise Http404
    return person
