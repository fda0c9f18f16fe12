"""What a person is shown when something can't be done: the same page for all, with the request's number where
it is ours."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render

from core.faults import Fault
from web.shell import numbered
from web.shell.htmx import among_messages, is_fragment


def told(request: HttpRequest, faults: list[Fault], status: int) -> HttpResponse:
    """Faults as a fragment for htmx (into the place for messages), else as a page."""
    number = numbered.current.get()
    if is_fragment(request):
        reply = render(
            request,
            "shell/faults.html",
            {"faults": faults[:50], "status": status, "number": number},
            status=status,
        )
        return among_messages(reply)
    return render(
        request,
        "shell/fault_page.html",
        {"faults": faults[:200], "status": status, "number": number},
        status=status,
    )


def csrf_failed(request: HttpRequest, reason: str = "") -> HttpResponse:
    what = "This page was open while somebody signed in or out, so what it sends is not taken."
    return told(request, [Fault("csrf", what, way_out="Load the page again; nothing was changed.")], 403)


def broken(request: HttpRequest, *_: Any) -> HttpResponse:
    """An error of ours: plain, and without asking the database for anything."""
    return render(None, "500.html", {"number": numbered.current.get()}, status=500)


def address_of(request: HttpRequest) -> str:
    """Where a request comes from: what our proxy wrote last into its header, which nobody before it can; with
    no proxy, the other end of the connection."""
    told = request.META.get("HTTP_X_FORWARDED_FOR", "") if settings.BEHIND_TLS else ""
    return told.rsplit(",", 1)[-1].strip() or str(request.META.get("REMOTE_ADDR", ""))


def locked_out(request: HttpRequest, *_: Any, **__: Any) -> HttpResponse:
    what = "Too many tries did not succeed from here."
    return told(request, [Fault("locked-out", what, way_out="Wait fifteen minutes, then try again.")], 429)
