"""./pine person: the people of a database from the command line, as the page has it. And what the start
tells."""

from __future__ import annotations

import argparse
import os
import sys

import django

from core.faults import Refused

DONE, FAULTS, WRONG = 0, 1, 2


def parser() -> argparse.ArgumentParser:
    argument_parser = argparse.ArgumentParser(prog="./pine person", allow_abbrev=False)
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
    for name, what in (
        ("link", "a link to set a new password, once"),
        ("off", "may not sign in any more"),
        ("on", "may sign in again"),
    ):
        acts.add_parser(name, help=what, allow_abbrev=False).add_argument("username")
    return argument_parser


def address(token: str) -> str:
    base = os.environ.get("PINE_ADDRESS") or f"http://127.0.0.1:{os.environ.get('PINE_SERVED_PORT', '8123')}"
    return f"{base.rstrip('/')}/link/{token}/"


def run(given: argparse.Namespace) -> int:
    from web.people import actions
    from web.people.models import Person

    if given.act == "list":
        for row in Person.objects.prefetch_related("companies").order_by("username"):
            names = ",".join(sorted(company.company for company in row.companies.all()))
            sys.stdout.write(
                f"{row.username}\t{row.shown_name()}\t{row.role}\t{names}\t"
                f"{'on' if row.is_active else 'off'}\n"
            )
        return DONE
    companies = [part for part in getattr(given, "companies", "").replace(" ", "").split(",") if part]
    if given.act == "add":
        added = actions.add(given.username, given.name, given.role, companies, None)
        sys.stdout.write(f"{address(actions.link_for(added))}\n")
        return DONE
    person: Person | None = Person.objects.filter(username=given.username).first()
    if person is None:
        sys.stderr.write(f"Nobody signs in as {given.username}.\n")
        return WRONG
    if given.act == "link":
        sys.stdout.write(f"{address(actions.link_for(person))}\n")
    elif given.act == "change":
        actions.change(person, given.name or person.get_full_name(), given.role, companies, None)
    else:
        actions.switch(person, given.act == "on", None)
    return DONE


def welcome() -> int:
    """What the start tells: the demo's sign-ins where they are the demo's, or one link to make the first
    person."""
    from demo.__main__ import PASSWORD, PEOPLE
    from web.people import actions
    from web.people.models import Person

    if not Person.objects.exists():
        sys.stdout.write(
            "Nobody can sign in yet. Make the first person with this link, once, within seven days:\n"
        )
        sys.stdout.write(f"  {address(actions.link_for(None))}\n")
        return DONE
    people = {
        person.username: person
        for person in Person.objects.filter(username__in=[row[0] for row in PEOPLE], is_active=True)
    }
    for username, *_, companies in PEOPLE:
        person = people.get(username)
        if person is not None and person.check_password(PASSWORD):
            what = f"company accountant ({', '.join(companies)})" if companies else "group accountant"
            sys.stdout.write(f"Sign in as the demo's {what}: {username}  {PASSWORD}\n")
    return DONE


def main(words: list[str]) -> int:
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "web.settings")
    django.setup()
    if words == ["--welcome"]:
        return welcome()
    given = parser().parse_args(words)
    try:
        return run(given)
    except Refused as refused:
        for fault in refused.faults:
            sys.stderr.write(f"{fault.what} {fault.way_out}\n")
        return FAULTS


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
