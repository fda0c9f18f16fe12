"""Faults that leave a view become a page or a fragment; nothing ends as a bare error page."""

from __future__ import annotations

from typing import Any

import psycopg
from django.core.exceptions import RequestDataTooBig, TooManyFieldsSent
from django.db import DatabaseError
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render

from core.faults import Fault, Refused
from web.statements.queries import WrongCall


class FaultMiddleware:
    def __init__(self, get_response: Any):
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        return self.get_response(request)

    def process_exception(self, request: HttpRequest, error: Exception) -> HttpResponse | None:
        """Refused: its faults, 422. Something that doesn't exist: 404. The database gave way: 503, nothing half done."""
        if isinstance(error, WrongCall):
            return told(request, error.faults, 404)
        if isinstance(error, Refused):
            return told(request, error.faults, 422)
        if isinstance(error, (RequestDataTooBig, TooManyFieldsSent)):
            return told(
                request, [Fault("too-big", "What was sent is larger than this page takes.", way_out="Import a file.")], 413
            )
        if isinstance(error, (DatabaseError, psycopg.Error)):
            what = str(error).split("\n")[0]
            if what.startswith("pine: "):
                return told(request, [Fault("refused", f"{what[6:].capitalize()}.")], 422)
            return told(
                request,
                [Fault("database", "The database could not do this now; nothing was changed.", way_out="Try again.")],
                503,
            )
        return None


def told(request: HttpRequest, faults: list[Fault], status: int) -> HttpResponse:
    """Faults as a fragment for htmx (into the place for messages), else as a page."""
    if request.headers.get("HX-Request"):
        reply = render(request, "shell/faults.html", {"faults": faults[:50]}, status=status)
        reply["HX-Retarget"], reply["HX-Reswap"] = "#told", "innerHTML"
        return reply
    return render(request, "shell/fault_page.html", {"faults": faults[:200], "status": status}, status=status)
