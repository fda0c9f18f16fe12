"""The way in, find, and the sign of life."""

from __future__ import annotations

from django.http import HttpResponse, HttpResponseRedirect
from django.shortcuts import render
from django.urls import reverse

from core.definitions.state import State
from core.definitions.tables import Company
from web.definitions.viewing import PineRequest
from web.frame import finding
from web.people.rights import OPEN, SIGNED_IN, needs
from web.shell.asked import text


@needs(OPEN)
def alive(request: PineRequest) -> HttpResponse:
    return HttpResponse("pine scaffold", content_type="text/plain")


@needs(SIGNED_IN)
def home(request: PineRequest, state: State) -> HttpResponse:
    """What waits for somebody; where there is no company yet, the page that says how to begin."""
    return HttpResponseRedirect(reverse("today" if any(True for _ in state.rows(Company)) else "codes"))


@needs(SIGNED_IN)
def find(request: PineRequest, state: State) -> HttpResponse:
    words = text(request.GET, "q", 100)
    return render(
        request,
        "shell/found.html",
        {"found": finding.find(state, request.user, words) if words else [], "text": words},
    )
