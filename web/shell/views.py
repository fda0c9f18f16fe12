"""The way in, find, and the sign of life."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.shortcuts import render
from django.urls import reverse

from core.state import State
from web.people.rights import OPEN, SIGNED_IN, needs
from web.shell import finding


@needs(OPEN)
def alive(request: HttpRequest) -> HttpResponse:
    return HttpResponse("pine scaffold", content_type="text/plain")


@needs(SIGNED_IN)
def home(request: HttpRequest, state: State) -> HttpResponse:
    return HttpResponseRedirect(reverse("codes"))


@needs(SIGNED_IN)
def find(request: HttpRequest, state: State) -> HttpResponse:
    text = request.GET.get("q", "").strip()[:100].replace("\x00", "")
    return render(request, "shell/found.html", {"found": finding.find(state, request.user, text) if text else [], "text": text})
