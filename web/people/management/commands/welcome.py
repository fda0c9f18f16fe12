"""What ./pine start tells."""

from __future__ import annotations

import sys
from typing import Any

from demo.__main__ import PASSWORD, PEOPLE
from web.people import actions
from web.people.links import address
from web.people.models import Person
from web.shell.pine_command import PineCommand


def welcome() -> None:
    """What the start tells: the demo's sign-ins where they are the demo's, or one link to make the first
    person."""
    if not Person.objects.exists():
        sys.stdout.write(
            "Nobody can sign in yet. Make the first person with this link, once, within seven days:\n"
        )
        sys.stdout.write(f"  {address(actions.link_for(None))}\n")
        return
    people = {
        person.username: person
        for person in Person.objects.filter(username__in=[row[0] for row in PEOPLE], is_active=True)
    }
    for username, *_, companies, does in PEOPLE:
        person = people.get(username)
        if person is not None and person.check_password(PASSWORD):
            what = f"{does} ({', '.join(companies)})" if companies else does
            sys.stdout.write(f"Sign in as the demo's {what}: {username}  {PASSWORD}\n")


class WelcomeCommand(PineCommand):
    """Who can sign in, where nobody knows yet."""

    def handle(self, *_: Any, **__: Any) -> None:
        welcome()


Command = WelcomeCommand
"""By this name Django finds it."""
