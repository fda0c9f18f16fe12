"""Teams, roles made of rights, and what is granted to people and teams. One transaction each, with what was
done."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from django.db import IntegrityError, transaction

from core.access.rights import EVERYTHING, Grant, Right, with_what_they_bring
from core.definitions.state import State
from core.definitions.tables import Chart, Group
from core.faults import Fault, Location, Refused
from core.structures.company_choice import chosen_companies
from web.people.models import GrantedRole, Person, PersonEvent, RightsGrant, Team
from web.people.standing import changes_rights

MOST_NAME = 100


def _refused(column: str, what: str, way_out: str = "") -> Refused:
    return Refused([Fault("person", what, Location(column=column), way_out)])


def _note(people: Iterable[Person], by: Any, sentence: str) -> None:
    PersonEvent.objects.bulk_create(PersonEvent(person=one, by=by, sentence=sentence) for one in people)


def _not_oneself(by: Any, people: Iterable[Person]) -> None:
    """Whoever administers people without having all rights doesn't give themselves any."""
    if by is not None and not by.is_group_accountant and any(one.pk == by.pk for one in people):
        raise _refused("who", "Nobody changes their own rights.", "Ask another one who administers people.")


def _name(text: str) -> str:
    name = text.strip()[:MOST_NAME]
    if not name:
        raise _refused("name", "It needs a name.")
    return name


@changes_rights
def put_role(role: GrantedRole | None, name: str, rights: Iterable[str], by: Any) -> GrantedRole:
    """A new role, or another name and other rights of one. Raises Refused."""
    given = sorted(set(rights))
    if unknown := [right for right in given if right not in set(Right)]:
        raise _refused("rights", f"There is no right {unknown[0]}.", f"There are {', '.join(Right)}.")
    if not given:
        raise _refused("rights", "A role needs a right.", "Choose one.")
    holders = list(_holders(role)) if role else []
    _not_oneself(by, holders)
    row = role or GrantedRole()
    row.name, row.rights = _name(name), given
    _saved(row, "role")
    for grant in row.granted.all():
        _check_over_everything(grant.as_grant())
    _note(holders, by, f"Made role {row.name}: {', '.join(given)}")
    return row


def _saved(row: GrantedRole | Team, noun: str) -> None:
    try:
        with transaction.atomic():
            row.save()
    except IntegrityError:
        raise _refused("name", f"There is a {noun} {row.name} already.", "Choose another name.") from None


def _holders(role: GrantedRole) -> Iterable[Person]:
    grants = role.granted.select_related("person", "team").prefetch_related("team__people")
    people = {one.pk: one for grant in grants for one in receivers(grant)}
    return people.values()


def receivers(grant: RightsGrant) -> list[Person]:
    """Whom a grant is given to: one person, or everybody in a team."""
    if grant.person is not None:
        return [grant.person]
    return list(grant.team.people.all()) if grant.team is not None else []


@changes_rights
def drop_role(role: GrantedRole) -> None:
    if role.granted.exists():
        raise _refused("role", f"{role.name} is granted to somebody.", "Take those grants back first.")
    role.delete()


@changes_rights
def put_team(team: Team | None, name: str, usernames: Iterable[str], by: Any) -> Team:
    """A new team, or another name and other people of one. Raises Refused."""
    wanted = sorted({one.strip() for one in usernames if one.strip()})
    people = list(Person.objects.filter(username__in=wanted).order_by("username"))
    if missing := set(wanted) - {one.username for one in people}:
        raise _refused("people", f"Nobody signs in as {', '.join(sorted(missing))}.", "Correct the name.")
    row = team or Team()
    before = list(team.people.all()) if team else []
    changed = {one.pk: one for one in (*before, *people) if (one in before) != (one in people)}
    _not_oneself(by, changed.values())
    row.name = _name(name)
    _saved(row, "team")
    row.people.set(people)
    _note([one for one in changed.values() if one in people], by, f"Put into team {row.name}")
    _note([one for one in changed.values() if one not in people], by, f"Taken out of team {row.name}")
    return row


@changes_rights
def drop_team(team: Team, by: Any) -> None:
    """With it goes what was granted to it."""
    people = list(team.people.all())
    _not_oneself(by, people)
    _note(people, by, f"Team {team.name} is no more")
    team.delete()


@changes_rights
def grant(
    state: State, to: Person | Team, role: GrantedRole, over: tuple[str, str, str], by: Any
) -> RightsGrant:
    """Gives a role to a person or a team over companies, charts and groups. Raises Refused."""
    companies, charts, groups = (part.strip()[:1000] for part in over)
    people = [to] if isinstance(to, Person) else list(to.people.all())
    _not_oneself(by, people)
    faults = list(_over_faults(state, companies, charts, groups))
    if faults:
        raise Refused(faults)
    row = RightsGrant(role=role, companies=companies, charts=charts, groups=groups)
    row.person, row.team = (to, None) if isinstance(to, Person) else (None, to)
    _check_over_everything(row.as_grant())
    row.save()
    _note(people, by, f"Granted {told(row)}")
    return row


def _check_over_everything(given: Grant) -> None:
    if Right.ADMINISTER in given.rights and not given.over_everything:
        raise _refused(
            "role",
            "People are administered for everything or not at all.",
            "Grant it over all companies, charts and groups.",
        )


def _over_faults(state: State, companies: str, charts: str, groups: str) -> Iterable[Fault]:
    if not (companies or charts or groups):
        yield Fault("person", "Over what is not said.", Location(column="companies"), "Say all, or ids.")
    for what in chosen_companies(state, companies).faults if companies else ():
        yield Fault("person", what, Location(column="companies"), "Correct it.")
    for noun, kind, text in (("chart", Chart, charts), ("group", Group, groups)):
        for name in filter(None, (part.strip() for part in text.split(","))):
            if name.lower() != EVERYTHING and state.get(kind, name) is None:
                yield Fault(
                    "person", f"There is no {noun} {name}.", Location(column=f"{noun}s"), "Correct it."
                )


def told(row: RightsGrant) -> str:
    """`Closer (close, see) over companies country=NL; charts all`."""
    rights = ", ".join(sorted(with_what_they_bring(row.role.rights_held())))
    over = (("companies", row.companies), ("charts", row.charts), ("groups", row.groups))
    return f"{row.role.name} ({rights}) over {'; '.join(f'{noun} {text}' for noun, text in over if text)}"


@changes_rights
def take_back(row: RightsGrant, by: Any) -> None:
    people = receivers(row)
    _not_oneself(by, people)
    _note(people, by, f"Took back {told(row)}")
    row.delete()
