"""./pine person: the people of a database from the command line, as the page has it."""

from __future__ import annotations

import argparse
import sys
from typing import Any

from django.core.management.base import CommandParser

from web.people import actions, second_factor
from web.people.links import address
from web.people.models import Person
from web.shell.pine_command import PineCommand

DONE, LEFT, WRONG = 0, 1, 2


def add_acts(argument_parser: argparse.ArgumentParser) -> None:
    acts = argument_parser.add_subparsers(dest="act", required=True, metavar="ACT")
    acts.add_parser("list", help="everybody who signs in", allow_abbrev=False)
    for name, what in (
        ("add", "somebody new; prints a link to set a password"),
        ("change", "another name, role, companies"),
    ):
        sub = acts.add_parser(name, help=what, allow_abbrev=False)
        sub.add_argument("username")
        sub.add_argument("--name", default="")
        sub.add_argument("--role", choices=("group", "company"), default="company")
        sub.add_argument("--companies", default="", help="ids, parted by commas")
        what = "whether it posts into restricted periods"
        sub.add_argument("--restricted", choices=("yes", "no"), default="", help=what)
    for name, what in (
        ("link", "a link to set a new password, once"),
        ("off", "may not sign in any more"),
        ("on", "may sign in again"),
        ("factor-off", "signs in without a second factor again"),
    ):
        acts.add_parser(name, help=what, allow_abbrev=False).add_argument("username")
    what = "seals every second factor under the secret of now, that of before in PINE_SECRET_EARLIER"
    acts.add_parser("seal-factors", help=what, allow_abbrev=False)


def done(given: argparse.Namespace) -> int:
    if given.act == "list":
        for row in Person.objects.prefetch_related("companies").order_by("username"):
            names = ",".join(sorted(company.company for company in row.companies.all()))
            sys.stdout.write(
                f"{row.username}\t{row.shown_name()}\t{row.role}\t{names}\t"
                f"{'on' if row.is_active else 'off'}\n"
            )
        return DONE
    if given.act == "seal-factors":
        return seal_factors()
    companies = [part for part in getattr(given, "companies", "").replace(" ", "").split(",") if part]
    if given.act == "add":
        restricted = given.restricted == "yes"
        added = actions.add(
            given.username, given.name, given.role, companies, None, posts_restricted=restricted
        )
        sys.stdout.write(f"{address(actions.link_for(added))}\n")
        return DONE
    person: Person | None = Person.objects.filter(username=given.username).first()
    if person is None:
        sys.stderr.write(f"Nobody signs in as {given.username}.\n")
        return WRONG
    if given.act == "link":
        sys.stdout.write(f"{address(actions.link_for(person))}\n")
    elif given.act == "change":
        kept_or_said = {"yes": True, "no": False}.get(given.restricted)
        name = given.name or person.get_full_name()
        actions.change(person, name, given.role, companies, None, posts_restricted=kept_or_said)
    elif given.act == "factor-off":
        second_factor.switch_off(person, None)
    else:
        actions.switch(person, given.act == "on", None)
    return DONE


def seal_factors() -> int:
    sealed = second_factor.seal_anew()
    sys.stderr.write(f"{sealed.anew} second factor{'' if sealed.anew == 1 else 's'} sealed anew.\n")
    if not sealed.unopened:
        return DONE
    sys.stderr.write(f"{second_factor.told_unopened(sealed.unopened)}\n")
    return LEFT


class PersonCommand(PineCommand):
    """./pine person."""

    def add_arguments(self, parser: CommandParser) -> None:
        self.named("./pine person", parser)
        add_acts(parser)

    def handle(self, *_: Any, **given: Any) -> None:
        self.end_with(done, given)


Command = PersonCommand
"""By this name Django finds it."""
