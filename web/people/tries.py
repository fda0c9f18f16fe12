"""Passwords and codes that are tried: wrong ones count, wherever they are typed."""

from __future__ import annotations

from collections.abc import Callable

from axes.handlers.proxy import AxesProxyHandler
from django.contrib.auth.signals import user_login_failed
from django.http import HttpRequest

from web.people.models import Person


class TooManyTries(Exception):
    """Nothing is judged for a while."""


def is_right(request: HttpRequest, person: Person, judge: Callable[[], bool]) -> bool:
    """What `judge` says. A wrong one counts as a wrong password at sign-in does. Raises TooManyTries."""
    credentials = {"username": person.username}
    if not AxesProxyHandler.is_allowed(request, credentials):
        raise TooManyTries
    right = judge()
    if not right:
        user_login_failed.send(sender=__name__, credentials=credentials, request=request)
    return right
