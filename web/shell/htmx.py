"""What htmx says of a request, and how a reply answers it."""

from __future__ import annotations

from typing import TypeVar

from django.http import HttpRequest, HttpResponse
from django.http.response import HttpResponseBase
from django_htmx.http import HttpResponseLocation, reswap, retarget
from django_htmx.middleware import HtmxDetails

R = TypeVar("R", bound=HttpResponseBase)


def is_fragment(request: HttpRequest) -> bool:
    """Whether a page asks for a part of itself, not a person for a page."""
    return bool(HtmxDetails(request))


def page_of(request: HttpRequest) -> str:
    """The page of this application that a fragment was asked from, a path with its query; / where none is
    known."""
    return HtmxDetails(request).current_url_abs_path or "/"


def among_messages(reply: R) -> R:
    """Puts a reply into the place for messages, whatever it was asked for."""
    return reswap(retarget(reply, "#told"), "innerHTML")


def reload_at(address: str) -> HttpResponse:
    """After a change the whole page is read anew at an address, so that every figure on it is."""
    return HttpResponseLocation(address, target="body", swap="innerHTML")
