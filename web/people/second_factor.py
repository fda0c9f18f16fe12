"""A second factor beside the password: one-time codes by time (RFC 6238) from somebody's own device, and
recovery codes for the day it is lost."""

from __future__ import annotations

import base64
import hashlib
import hmac
import time
from typing import Any, NamedTuple

import pyotp
import segno
from cryptography.fernet import Fernet, InvalidToken, MultiFernet
from django.conf import settings
from django.db import transaction

from core.faults import Fault, Location, Refused
from web.people.models import Person, PersonEvent

STEP = 30
"""Seconds for which a code holds; the one before and the one after are taken too."""
ISSUER = "Pine Scaffold"
RECOVERY_CODES, RECOVERY_LENGTH = 10, 16


def new_secret() -> str:
    return pyotp.random_base32()


def drawing(person: Person, secret: str) -> str:
    """The secret as a code that a device reads, as SVG."""
    address = pyotp.TOTP(secret).provisioning_uri(name=person.username, issuer_name=ISSUER)
    return str(segno.make(address, error="m").svg_inline(scale=4, border=2, dark="#21302a", light="#fffdf8"))


def _box() -> MultiFernet:
    """Secrets are kept so that who reads the database alone can't use them: sealed under the application's
    secret of now, opened under those of before too."""
    digests = (
        hashlib.sha256(f"second factor {secret}".encode()).digest()
        for secret in (settings.SECRET_KEY, *settings.SECRET_KEY_FALLBACKS)
    )
    return MultiFernet([Fernet(base64.urlsafe_b64encode(digest)) for digest in digests])


def _opened(person: Person) -> str:
    """Empty where it was kept under a secret of the application that isn't known here."""
    try:
        return _box().decrypt(person.factor.encode()).decode()
    except InvalidToken:
        return ""


def opens(person: Person) -> bool:
    """Whether codes of the person's device can be judged here: not after a backup came to a machine of
    another secret."""
    return bool(_opened(person))


class Sealed(NamedTuple):
    """How many factors were sealed anew, and whose can't be opened."""

    anew: int
    unopened: list[str]


@transaction.atomic
def seal_anew() -> Sealed:
    """Every factor under the secret of now, so that those of before may be forgotten."""
    anew, unopened, box = 0, [], _box()
    for person in Person.objects.select_for_update().exclude(factor="").order_by("username"):
        try:
            sealed = box.rotate(person.factor.encode()).decode()
        except InvalidToken:
            unopened.append(person.username)
            continue
        Person.objects.filter(pk=person.pk).update(factor=sealed)
        anew += 1
    return Sealed(anew, unopened)


def unopened() -> list[str]:
    """The names of those whose factor was sealed under a secret that isn't known here."""
    people = Person.objects.exclude(factor="").order_by("username")
    return [person.username for person in people if not opens(person)]


def told_unopened(names: list[str]) -> str:
    """What to do for them, as a sentence."""
    return (
        f"The second factor of {', '.join(names)} was sealed under another secret, so no code of a device"
        " fits. Give that secret in PINE_SECRET_EARLIER and run ./pine person seal-factors; or they sign in"
        " with a recovery code; or ./pine person factor-off NAME."
    )


def _step_of(secret: str, code: str, after: int) -> int | None:
    """The step whose code this is, later than the one used last; a code is taken once."""
    now = int(time.time()) // STEP
    for step in (now - 1, now, now + 1):
        right = pyotp.TOTP(secret).at(step * STEP)
        if step > after and hmac.compare_digest(right.encode(), code.encode()):
            return step
    return None


def fits(person: Person, code: str) -> bool:
    """Whether a code is the person's of now, or one of their recovery codes, and was not used before; it is
    used then."""
    text, secret = code.replace(" ", "")[:12], _opened(person)
    if _recovers(person, code):
        return True
    step = _step_of(secret, text, person.factor_step) if secret else None
    if step is None:
        return False
    unused = Person.objects.filter(pk=person.pk, factor=person.factor, factor_step__lt=step)
    return bool(unused.update(factor_step=step))


def wrong(column: str, what: str) -> Refused:
    return Refused([Fault("password", what, Location(column=column), "Type what the device shows now.")])


def _plain(code: str) -> str:
    """A recovery code as it is judged: people leave out the dashes, or write small letters."""
    return "".join(code.split()).replace("-", "").upper()


def _digest(code: str) -> str:
    """A code holds 80 bits by chance, so one digest keeps it as well as a slow one, and apart from the
    application's secret: it holds on another machine too."""
    return hashlib.sha256(f"recovery code {_plain(code)}".encode()).hexdigest()


@transaction.atomic
def _recovers(person: Person, code: str) -> bool:
    if len(_plain(code)) != RECOVERY_LENGTH:
        return False
    kept = Person.objects.select_for_update().get(pk=person.pk)
    digest = _digest(code)
    if not kept.factor or digest not in kept.factor_recovery:
        return False
    kept.factor_recovery.remove(digest)
    kept.save(update_fields=["factor_recovery"])
    left = len(kept.factor_recovery)
    _note(person, person, f"{person.shown_name()} used a recovery code; {left} of {RECOVERY_CODES} are left")
    return True


def _new_recovery(person: Person) -> list[str]:
    """Codes for somebody without the device, told once; those of before end."""
    codes = [pyotp.random_base32(32)[:RECOVERY_LENGTH] for _ in range(RECOVERY_CODES)]
    digests = [_digest(code) for code in codes]
    Person.objects.filter(pk=person.pk).update(factor_recovery=digests)
    return ["-".join(code[at : at + 4] for at in range(0, RECOVERY_LENGTH, 4)) for code in codes]


@transaction.atomic
def new_recovery(person: Person) -> list[str]:
    """Recovery codes in the place of those of before, each good for one sign-in."""
    _note(person, person, f"{person.shown_name()} wrote out recovery codes")
    return _new_recovery(person)


@transaction.atomic
def switch_on(person: Person, secret: str, code: str) -> list[str]:
    """From the next sign-in on; the recovery codes, which nobody is told again. Raises Refused where the
    device shows something else."""
    step = _step_of(secret, code.replace(" ", "")[:12], 0)
    if step is None:
        raise wrong("code", "This is not the code of now.")
    factor = _box().encrypt(secret.encode()).decode()
    Person.objects.filter(pk=person.pk).update(factor=factor, factor_step=step)
    _note(person, person, f"{person.shown_name()} switched a second factor on")
    return _new_recovery(person)


@transaction.atomic
def switch_off(person: Person, by: Any) -> None:
    Person.objects.filter(pk=person.pk).update(factor="", factor_step=0, factor_recovery=[])
    _note(person, by, f"Switched the second factor of {person.shown_name()} off")


def _note(person: Person, by: Any, sentence: str) -> None:
    PersonEvent.objects.create(person=person, by=by, sentence=sentence)
