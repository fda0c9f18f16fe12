"""Who may do what, sealed as a whole with each act that changes it."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import ParamSpec, TypeVar

from django.db import transaction

from web.definitions.models import Sealed
from web.definitions.sealing import Told, seal, text_of
from web.people.models import Person, RightsGrant, Team

P = ParamSpec("P")
R = TypeVar("R")
RIGHTS = "rights"


def changes_rights(act: Callable[P, R]) -> Callable[P, R]:
    """One transaction for the act and the seal of what people may do after it."""

    @wraps(act)
    def acted(*args: P.args, **named: P.kwargs) -> R:
        with transaction.atomic():
            result = act(*args, **named)
            seal(RIGHTS, rights_told())
        return result

    return acted


def begin_seal() -> None:
    """Where nothing was sealed so far: what people may do now counts from now on."""
    if not Sealed.objects.filter(log=RIGHTS).exists():
        with transaction.atomic():
            seal(RIGHTS, rights_told())


def rights_told() -> Told:
    yield "everybody", _lines()


def _lines() -> list[str]:
    people = Person.objects.order_by("pk").values_list(
        "pk", "username", "role", "is_active", "is_superuser", "is_staff", "posts_restricted"
    )
    companies = Person.companies.through.objects.order_by("person_id", "company_id").values_list(
        "person_id", "company_id"
    )
    members = Person.teams.through.objects.order_by("person_id", "team_id").values_list(
        "person_id", "team_id"
    )
    teams = Team.objects.order_by("pk").values_list("pk", "name")
    grants = RightsGrant.objects.order_by("pk").values_list(
        "pk", "person_id", "team_id", "role__name", "role__rights", "companies", "charts", "groups"
    )
    return [
        text_of(kind, *row)
        for kind, rows in (
            ("person", people),
            ("company", companies),
            ("member", members),
            ("team", teams),
            ("grant", grants),
        )
        for row in rows
    ]
