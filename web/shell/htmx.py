"""What htmx says of a request, and how a reply answers it."""

from __future__ import annotations

from typing import TypeVar

from django.http import HttpRequest
from django.http.response import HttpResponseBase
from django_htmx.http import reswap, retarget
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
