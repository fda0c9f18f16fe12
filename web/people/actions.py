"""People: added, changed, switched off, given a link to set their password. One transaction each, with what
was done."""

from __future__ import annotations

import hashlib
import secrets
from collections.abc import Iterable
from datetime import timedelta
from typing import Any

from django.contrib.auth.models import AnonymousUser
from django.contrib.auth.password_validation import validate_password
from django.contrib.auth.validators import UnicodeUsernameValidator
from django.core.exceptions import ValidationError
from django.db import transaction
from django.utils import timezone

from core.faults import Fault, Location, Refused
from web.people.models import OneTimeLink, Person, PersonEvent
from web.people.standing import changes_rights

LASTS = timedelta(days=7)


def _refused(column: str, what: str, way_out: str = "", value: str = "") -> Refused:
    return Refused([Fault("person", what, Location(column=column, value=value), way_out)])


def _note(person: Person, by: Any, sentence: str) -> None:
    PersonEvent.objects.create(
        person=person, by=None if isinstance(by, AnonymousUser) else by, sentence=sentence
    )


def _companies(names: Iterable[str]) -> list[Any]:
    wanted = sorted(set(names))
    items: list[Any] = list(
        Person.companies.rel.model._default_manager.filter(company__in=wanted).order_by("company")
    )
    if missing := set(wanted) - {row.company for row in items}:
        raise _refused(
            "companies",
            f"There is no company {', '.join(sorted(missing))}.",
            "Name companies by their ids, parted by commas.",
        )
    return items


def _checked(username: str, role: str) -> None:
    if role not in Person.Role.values:
        raise _refused(
            "role", f"'{role}' is not a role.", f"One of these is expected: {', '.join(Person.Role.values)}."
        )
    try:
        UnicodeUsernameValidator()(username)
        if not username or len(username) > 150:
            raise ValidationError("")
    except ValidationError:
        raise _refused(
            "username",
            f"'{username}' can't be signed in with.",
            "Letters, digits and . + - _ @, at most 150.",
            username,
        ) from None


@changes_rights
def add(
    username: str, name: str, role: str, companies: Iterable[str], by: Any, *, posts_restricted: bool = False
) -> Person:
    """A new person, without a password yet. Raises Refused."""
    _checked(username, role)
    if Person.objects.filter(username__iexact=username).exists():
        raise _refused(
            "username",
            f"There is somebody who signs in as {username} already.",
            "Choose another name.",
            username,
        )
    first, _, last = name.strip().partition(" ")
    person = Person(username=username, first_name=first[:150], last_name=last[:150], role=role)
    person.posts_restricted = posts_restricted
    person.set_unusable_password()
    person.save()
    person.companies.set(_companies(companies))
    role_told = person.get_role_display().lower()
    _note(person, by, f"Added {person.shown_name()} as {role_told}{_restricted_too(person)}")
    return person


def _restricted_too(person: Person) -> str:
    return ", posts into restricted periods" if person.posts_restricted else ""


@changes_rights
def change(
    person: Person,
    name: str,
    role: str,
    companies: Iterable[str],
    by: Any,
    *,
    posts_restricted: bool | None = None,
) -> Person:
    """Another name, role or other companies; without `posts_restricted` that stays as it is. Raises Refused
    where nobody would be left who may do this."""
    person = Person.objects.select_for_update().get(pk=person.pk)
    _checked(person.username, role)
    if by is not None and by.pk == person.pk and not person.is_group_accountant:
        raise _refused("role", "Nobody changes their own rights.", "Ask another one who administers people.")
    if person.is_group_accountant and role != Person.Role.GROUP:
        _somebody_stays(person)
    person.first_name, _, person.last_name = name.strip()[:300].partition(" ")
    person.role = role
    if posts_restricted is not None:
        person.posts_restricted = posts_restricted
    person.save()
    person.companies.set(_companies(companies))
    _note(
        person,
        by,
        f"Changed {person.shown_name()}: {person.get_role_display().lower()}, companies"
        f" {', '.join(sorted(companies)) or 'none'}{_restricted_too(person)}",
    )
    return person


@changes_rights
def give_access(pattern: str, company: str, by: Any) -> None:
    """Whoever works in one company works in another one too."""
    (row,) = _companies([company])
    for person in Person.objects.select_for_update().filter(companies__company=pattern).order_by("pk"):
        person.companies.add(row)
        _note(person, by, f"Gave {person.shown_name()} company {company}, as {pattern}")


@changes_rights
def switch(person: Person, on: bool, by: Any) -> Person:
    """Lets a person sign in, or no more: who is signed in is out with the next page. Nobody is ever
    deleted."""
    person = Person.objects.select_for_update().get(pk=person.pk)
    if not on:
        if by is not None and by.pk == person.pk:
            raise _refused("username", "You can't switch yourself off.", "Ask another group accountant.")
        if person.is_group_accountant:
            _somebody_stays(person)
        OneTimeLink.objects.filter(person=person, used_at=None).delete()
    person.is_active = on
    person.save(update_fields=["is_active"])
    _note(person, by, f"Switched {person.shown_name()} {'on' if on else 'off'}")
    return person


def _somebody_stays(person: Person) -> None:
    others = (
        Person.objects.select_for_update()
        .filter(role=Person.Role.GROUP, is_active=True)
        .exclude(pk=person.pk)
    )
    if not others.exists():
        raise _refused(
            "role", f"{person.shown_name()} is the only group accountant.", "Make somebody else one first."
        )


def _digest(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


@transaction.atomic
def link_for(person: Person | None, by: Any = None) -> str:
    """A token by which a person sets a password, once, within seven days; earlier ones of theirs end. None:
    the first person."""
    if person is None and Person.objects.exists():
        raise _refused("username", "There are people already.", "A group accountant adds others.")
    OneTimeLink.objects.filter(person=person, used_at=None).delete()
    token = secrets.token_urlsafe(32)
    OneTimeLink.objects.create(digest=_digest(token), person=person, until=timezone.now() + LASTS)
    if person is not None:
        _note(person, by, f"Gave {person.shown_name()} a link to set a password")
    return token


def link_of(token: str) -> OneTimeLink | None:
    """The link of a token, while it may still be used."""
    link = (
        OneTimeLink.objects.select_related("person")
        .filter(digest=_digest(token), used_at=None, until__gt=timezone.now())
        .first()
    )
    return None if link is None or (link.person is not None and not link.person.is_active) else link


@changes_rights
def use(token: str, password: str, username: str = "", name: str = "") -> Person:
    """Sets the password of a link's person, or makes the first person. Raises Refused."""
    link = link_of(token)
    if link is None or not OneTimeLink.objects.select_for_update().filter(pk=link.pk, used_at=None).exists():
        raise _refused("password", "This link was used, or its time is over.", "Ask for another one.")
    if link.person is None:
        if Person.objects.exists():
            raise _refused("username", "There are people already.", "Sign in, or ask a group accountant.")
        person = add(username, name, Person.Role.GROUP, (), None)
    else:
        person = link.person
    OneTimeLink.objects.filter(pk=link.pk).update(used_at=timezone.now(), person=person)
    set_password(person, password)
    return person


@transaction.atomic
def set_password(person: Person, password: str) -> None:
    """A new password; whoever is signed in as this person elsewhere is out, and links that would set another
    end. Raises Refused with what is wrong with it."""
    try:
        validate_password(password, person)
    except ValidationError as error:
        raise Refused(
            [Fault("password", str(text), Location(column="password")) for text in error.messages]
        ) from None
    person.set_password(password)
    person.save(update_fields=["password"])
    OneTimeLink.objects.filter(person=person, used_at=None).delete()
    _note(person, person, f"{person.shown_name()} set a password")
