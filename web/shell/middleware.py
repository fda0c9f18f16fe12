"""Faults that leave a view become a page or a fragment; nothing ends as a bare error page."""

from __future__ import annotations

import logging
from collections.abc import Callable
from typing import Any

import psycopg
from django.core.exceptions import RequestDataTooBig, TooManyFieldsSent
from django.db import DatabaseError
from django.http import Http404, HttpRequest, HttpResponse

from core.faults import Fault, Refused, WrongCall
from web.shell.failing import told
from web.shell.retrying import asks_again

log = logging.getLogger(__name__)
AWAY = (
    psycopg.errors.AdminShutdown,
    psycopg.errors.CrashShutdown,
    psycopg.errors.CannotConnectNow,
    psycopg.errors.TooManyConnections,
    psycopg.errors.DiskFull,
    psycopg.errors.OutOfMemory,
)
"""What the database says when it can't be reached or can't go on; without any of these an error is our
own."""


class FaultMiddleware:
    """Turns what leaves a view as an error into a page or fragment that says what to do."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        return self.get_response(request)

    def process_view(self, request: HttpRequest, *_: Any) -> HttpResponse | None:
        """Nothing that is asked for has a NUL in its address; nothing that is sent may hold one."""
        if "\x00" in request.path or "\r" in request.path or "\n" in request.path:
            raise Http404
        given = (request.GET, request.POST) if request.method == "POST" else (request.GET,)
        if any(
            "\x00" in value for values in given for part in values.lists() for value in (part[0], *part[1])
        ):
            what = "What was sent holds a character that no text may hold."
            return told(request, [Fault("unreadable", what, way_out="Type it anew.")], 400)
        return None

    def process_exception(self, request: HttpRequest, error: Exception) -> HttpResponse | None:
        """Refused: its faults, 422. Something that doesn't exist: 404. The database is away: 503. Anything
        else is ours."""
        if isinstance(error, WrongCall):
            return told(request, error.faults, 404)
        if isinstance(error, Refused):
            return told(request, error.faults, 422)
        if isinstance(error, (RequestDataTooBig, TooManyFieldsSent)):
            return told(
                request,
                [Fault("too-big", "What was sent is larger than this page takes.", way_out="Import a file.")],
                413,
            )
        if isinstance(error, (DatabaseError, psycopg.Error)):
            return _of_database(request, error)
        return None


def _of_database(request: HttpRequest, error: Exception) -> HttpResponse | None:
    what = str(error).split("\n")[0]
    if what.startswith("pine: "):
        return told(request, [Fault("refused", f"{what[6:].capitalize()}.")], 422)
    cause = error if isinstance(error, psycopg.Error) else error.__cause__
    if asks_again(error) or isinstance(cause, psycopg.errors.IntegrityError):
        log.warning("Two acts met at %s", request.path, exc_info=error)
        fault = Fault(
            "met",
            "Somebody changed the same at the same moment; nothing was changed here.",
            way_out="Look again, then do it anew.",
        )
        return told(request, [fault], 422)
    if isinstance(cause, AWAY) or (isinstance(cause, psycopg.OperationalError) and cause.sqlstate is None):
        log.error("The database was away at %s", request.path, exc_info=error)
        fault = Fault(
            "database",
            "The database can't be reached now; nothing was changed.",
            way_out="Try again in a moment.",
        )
        return told(request, [fault], 503)
    return None
