"""Signing in by OpenID Connect, where a provider is named: mozilla-django-oidc does the exchange; who comes
in is one of the people that are there.

What the package leaves open is checked here: who issued the token, that it is meant for this application, and
that the person of the token is the one that the provider tells of.
"""

from __future__ import annotations

import time
from typing import Any, NamedTuple

import jwt
import requests
from django.conf import settings
from django.contrib.auth import login
from django.core.exceptions import SuspiciousOperation
from django.db.models import QuerySet
from django.http import Http404, HttpRequest, HttpResponse, HttpResponseRedirect
from django.shortcuts import render
from mozilla_django_oidc.auth import (  # type: ignore[import-untyped]  # ships no types
    OIDCAuthenticationBackend,
)
from mozilla_django_oidc.views import (  # type: ignore[import-untyped]  # ships no types
    OIDCAuthenticationCallbackView,
    OIDCAuthenticationRequestView,
)

from web.people.models import Person
from web.process_cache import ProcessCache

BACKEND = "django.contrib.auth.backends.ModelBackend"
"""Whoever has come in is known as after a password: switched off, they are out with the next page."""
LONGEST_WAIT = 10
ASKED_AGAIN = 600
"""Seconds after which the provider is asked anew what it says of itself: addresses and keys move."""


UNTRUSTED = (
    SuspiciousOperation,
    requests.RequestException,
    jwt.PyJWTError,
    ValueError,
    KeyError,
    TypeError,
    AttributeError,
)
"""What an answer that isn't as the standard says makes of the exchange."""


class Provider(NamedTuple):
    """What it said of itself, and when (seconds of the monotonic clock)."""

    told: dict[str, Any]
    asked_at: float


_known: ProcessCache[str, Provider] = ProcessCache(2)


class NotSignedIn(Exception):
    """Why the provider's answer lets nobody in, in words."""


def provider() -> dict[str, Any]:
    """What the provider says of itself at its discovery address. Raises NotSignedIn."""
    address = settings.SINGLE_SIGN_ON["discovery"]
    if not address:
        raise Http404
    known = _known.get(address)
    if known and time.monotonic() - known.asked_at < ASKED_AGAIN:
        return known.told
    try:
        reply = requests.get(address, timeout=LONGEST_WAIT)
        reply.raise_for_status()
        told: dict[str, Any] = reply.json()
        for name in ("issuer", "authorization_endpoint", "token_endpoint", "userinfo_endpoint", "jwks_uri"):
            told[name] = str(told[name])
    except UNTRUSTED as error:
        raise NotSignedIn("The sign-in service doesn't answer as it should.") from error
    _known.put(address, Provider(told, time.monotonic()))
    return told


class SingleSignOn(OIDCAuthenticationBackend):  # type: ignore[misc]  # ships no types
    """Lets in who the provider vouches for, if that person is here and switched on; makes nobody."""

    OIDC_RP_SIGN_ALGO = "RS256"
    OIDC_RP_IDP_SIGN_KEY = None

    def __init__(self) -> None:
        """Nothing is asked of the provider before somebody signs in."""
        self.UserModel = Person

    @property
    def OIDC_OP_TOKEN_ENDPOINT(self) -> str:
        return str(provider()["token_endpoint"])

    @property
    def OIDC_OP_USER_ENDPOINT(self) -> str:
        return str(provider()["userinfo_endpoint"])

    @property
    def OIDC_OP_JWKS_ENDPOINT(self) -> str:
        return str(provider()["jwks_uri"])

    @property
    def OIDC_RP_CLIENT_ID(self) -> str:
        return str(settings.SINGLE_SIGN_ON["client"])

    @property
    def OIDC_RP_CLIENT_SECRET(self) -> str:
        return str(settings.SINGLE_SIGN_ON["secret"])

    def authenticate(self, request: HttpRequest, **credentials: Any) -> Person | None:
        """Only for what comes back from the provider: a password is none of its business."""
        if "nonce" not in credentials:
            return None
        person: Person | None = super().authenticate(request, **credentials)
        return person

    def verify_token(self, token: str, **more: Any) -> dict[str, Any]:
        payload: dict[str, Any] = super().verify_token(token, **more)
        audience = payload.get("aud")
        meant_for = audience if isinstance(audience, list) else [audience]
        if payload.get("iss") != provider()["issuer"]:
            raise SuspiciousOperation("The token was issued by somebody else.")
        if self.OIDC_RP_CLIENT_ID not in meant_for or "exp" not in payload:
            raise SuspiciousOperation("The token is not meant for this application, or never ends.")
        return payload

    def get_or_create_user(self, access_token: str, id_token: str, payload: dict[str, Any]) -> Person | None:
        claims: dict[str, Any] = self.get_userinfo(access_token, id_token, payload)
        if claims.get("sub") != payload.get("sub") or not claims.get("sub"):
            raise SuspiciousOperation("The provider tells of another person than the token.")
        people = list(self.filter_users_by_claims(claims)[:2])
        if len(people) != 1:
            raise NotSignedIn(f"{self._name(claims) or 'Who signed in'} is not one of the people here.")
        return people[0]

    def _name(self, claims: dict[str, Any]) -> str:
        name = str(claims.get(settings.SINGLE_SIGN_ON["claim"]) or "")[:150]
        if "\0" in name:
            raise SuspiciousOperation("Nobody's name has a NUL in it.")
        return name

    def filter_users_by_claims(self, claims: dict[str, Any]) -> QuerySet[Person]:
        return Person.objects.filter(username__iexact=self._name(claims), is_active=True)


class Begin(OIDCAuthenticationRequestView):  # type: ignore[misc]  # ships no types
    """Off to the provider."""

    def __init__(self, **kwargs: Any) -> None:
        super(OIDCAuthenticationRequestView, self).__init__(**kwargs)

    @property
    def OIDC_OP_AUTH_ENDPOINT(self) -> str:
        return str(provider()["authorization_endpoint"])

    @property
    def OIDC_RP_CLIENT_ID(self) -> str:
        return str(settings.SINGLE_SIGN_ON["client"])

    def get(self, request: HttpRequest) -> HttpResponse:
        try:
            reply: HttpResponse = super().get(request)
        except NotSignedIn as error:
            return refused(request, str(error))
        return reply


class Back(OIDCAuthenticationCallbackView):  # type: ignore[misc]  # ships no types
    """What the provider answered: somebody is in, or the page says why not."""

    def get(self, request: HttpRequest) -> HttpResponse:
        try:
            provider()
            reply: HttpResponse = super().get(request)
        except NotSignedIn as error:
            return refused(request, str(error))
        except UNTRUSTED:
            return refused(request, "The sign-in service's answer can't be trusted, or came too late.")
        return reply

    def login_success(self) -> HttpResponse:
        login(self.request, self.user, backend=BACKEND)
        return HttpResponseRedirect(self.success_url)

    def login_failure(self) -> HttpResponse:
        return refused(self.request, "The sign-in service let nobody in.")


def refused(request: HttpRequest, what: str) -> HttpResponse:
    return render(request, "people/sign_in.html", {"refused": what}, status=403)
