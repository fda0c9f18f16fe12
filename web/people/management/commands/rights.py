"""./pine rights: roles made of rights, teams, and what is granted to whom, as the page has it."""

from __future__ import annotations

import argparse
import sys
from typing import Any

from django.core.management.base import CommandParser

from core.access.rights import Right
from web.definitions.snapshot import current
from web.people import granting
from web.people.models import GrantedRole, Person, RightsGrant, Team
from web.shell.pine_command import PineCommand

DONE, WRONG = 0, 2


def add_acts(parser: argparse.ArgumentParser) -> None:
    acts = parser.add_subparsers(dest="act", required=True, metavar="ACT")
    acts.add_parser("list", help="roles, teams and grants with their numbers", allow_abbrev=False)
    role = acts.add_parser("role", help="a role, or other rights of one", allow_abbrev=False)
    role.add_argument("name")
    role.add_argument("--rights", required=True, help=f"of {', '.join(Right)}, parted by commas")
    team = acts.add_parser("team", help="a team, or other people of one", allow_abbrev=False)
    team.add_argument("name")
    team.add_argument("--people", default="", help="sign-in names, parted by commas")
    grant = acts.add_parser("grant", help="a role to a person or a team", allow_abbrev=False)
    grant.add_argument("role")
    to = grant.add_mutually_exclusive_group(required=True)
    to.add_argument("--person")
    to.add_argument("--team")
    grant.add_argument("--companies", default="", help="all, ids, or a rule: country=NL; code=under 1")
    grant.add_argument("--charts", default="", help="all, or ids parted by commas")
    grant.add_argument("--groups", default="", help="all, or ids parted by commas")
    back = acts.add_parser("take-back", help="a grant, by its number in the list", allow_abbrev=False)
    back.add_argument("number", type=int)


def parted(text: str) -> list[str]:
    return [part for part in (piece.strip() for piece in text.split(",")) if part]


def listed() -> str:
    """A row each: what it is, its name or number, what it holds."""
    rows = [("role", role.name, ", ".join(role.rights)) for role in GrantedRole.objects.order_by("name")]
    for team in Team.objects.prefetch_related("people").order_by("name"):
        names = sorted(person.username for person in team.people.all())
        rows.append(("team", team.name, ", ".join(names)))
    for grant in RightsGrant.objects.select_related("role", "person", "team").order_by("pk"):
        whose = grant.person.username if grant.person else f"team {grant.team.name if grant.team else ''}"
        rows.append((f"grant {grant.pk}", whose, granting.told(grant)))
    return "".join("\t".join(row) + "\n" for row in rows)


def missing(what: str) -> int:
    sys.stderr.write(f"There is no {what}.\n")
    return WRONG


def give(given: argparse.Namespace) -> int:
    role = GrantedRole.objects.filter(name=given.role).first()
    if role is None:
        return missing(f"role {given.role}")
    to: Person | Team | None
    if given.person:
        to = Person.objects.filter(username=given.person).first()
    else:
        to = Team.objects.filter(name=given.team).first()
    if to is None:
        return missing(f"person {given.person}" if given.person else f"team {given.team}")
    over = (given.companies, given.charts, given.groups)
    granted = granting.grant(current().state, to, role, over, None)
    sys.stdout.write(f"{granted.pk}\n")
    return DONE


def done(given: argparse.Namespace) -> int:
    match given.act:
        case "list":
            sys.stdout.write(listed())
        case "role":
            known = GrantedRole.objects.filter(name=given.name).first()
            granting.put_role(known, given.name, parted(given.rights), None)
        case "team":
            team = Team.objects.filter(name=given.name).first()
            granting.put_team(team, given.name, parted(given.people), None)
        case "grant":
            return give(given)
        case _:
            row = RightsGrant.objects.filter(pk=given.number).first()
            if row is None:
                return missing(f"grant {given.number}")
            granting.take_back(row, None)
    return DONE


class RightsCommand(PineCommand):
    """./pine rights."""

    def add_arguments(self, parser: CommandParser) -> None:
        self.named("./pine rights", parser)
        add_acts(parser)

    def handle(self, *_: Any, **given: Any) -> None:
        self.end_with(done, given)


Command = RightsCommand
"""By this name Django finds it."""
