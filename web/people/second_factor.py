"""A second factor beside the password: one-time codes by time (RFC 6238) from somebody's own device."""

from __future__ import annotations

import base64
import hashlib
import hmac
import time
from typing import Any

import pyotp
import segno
from cryptography.fernet import Fernet, InvalidToken
from django.conf import settings
from django.db import transaction

from core.faults import Fault, Location, Refused
from web.people.models import Person, PersonEvent

STEP = 30
"""Seconds for which a code holds; the one before and the one after are taken too."""
ISSUER = "Pine Scaffold"


def new_secret() -> str:
    return pyotp.random_base32()


def drawing(person: Person, secret: str) -> str:
    """The secret as a code that a device reads, as SVG."""
    address = pyotp.TOTP(secret).provisioning_uri(name=person.username, issuer_name=ISSUER)
    return str(segno.make(address, error="m").svg_inline(scale=4, border=2, dark="#21302a", light="#fffdf8"))


def _box() -> Fernet:
    """Secrets are kept so that who reads the database alone can't use them."""
    digest = hashlib.sha256(f"second factor {settings.SECRET_KEY}".encode()).digest()
    return Fernet(base64.urlsafe_b64encode(digest))


def _opened(person: Person) -> str:
    """Empty where it was kept under another secret of the application."""
    try:
        return _box().decrypt(person.factor.encode()).decode()
    except InvalidToken:
        return ""


def _step_of(secret: str, code: str, after: int) -> int | None:
    """The step whose code this is, later than the one used last; a code is taken once."""
    now = int(time.time()) // STEP
    for step in (now - 1, now, now + 1):
        right = pyotp.TOTP(secret).at(step * STEP)
        if step > after and hmac.compare_digest(right.encode(), code.encode()):
            return step
    return None


def fits(person: Person, code: str) -> bool:
    """Whether a code is the person's of now, and was not used before; it is used then."""
    text, secret = code.replace(" ", "")[:12], _opened(person)
    step = _step_of(secret, text, person.factor_step) if secret else None
    if step is None:
        return False
    unused = Person.objects.filter(pk=person.pk, factor=person.factor, factor_step__lt=step)
    return bool(unused.update(factor_step=step))


def wrong(column: str, what: str) -> Refused:
    return Refused([Fault("password", what, Location(column=column), "Type what the device shows now.")])


@transaction.atomic
def switch_on(person: Person, secret: str, code: str) -> None:
    """From the next sign-in on. Raises Refused where the device shows something else."""
    step = _step_of(secret, code.replace(" ", "")[:12], 0)
    if step is None:
        raise wrong("code", "This is not the code of now.")
    factor = _box().encrypt(secret.encode()).decode()
    Person.objects.filter(pk=person.pk).update(factor=factor, factor_step=step)
    _note(person, person, f"{person.shown_name()} switched a second factor on")


@transaction.atomic
def switch_off(person: Person, by: Any) -> None:
    Person.objects.filter(pk=person.pk).update(factor="", factor_step=0)
    _note(person, by, f"Switched the second factor of {person.shown_name()} off")


def _note(person: Person, by: Any, sentence: str) -> None:
    PersonEvent.objects.create(person=person, by=by, sentence=sentence)
