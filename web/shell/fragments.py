"""A part of a page that somebody opens by its address comes as a page: in the frame, with the way back."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.urls import Resolver404, resolve
from django.utils.safestring import mark_safe

PAGE = b"<!doctype html"


class FragmentPages:
    """Browsers say what they ask for: a document that would come without a frame gets one."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        reply = self.get_response(request)
        if not _is_bare(request, reply):
            return reply
        fragment: Any = mark_safe(reply.content.decode())  # noqa: S308 - a template of ours wrote it
        page = render(request, "shell/fragment.html", {"fragment": fragment, "whole": _page_above(request)})
        page.status_code = reply.status_code
        return page


def _is_bare(request: HttpRequest, reply: HttpResponse) -> bool:
    """Whether a browser goes to this address, and what came is a part of a page."""
    return (
        request.headers.get("Sec-Fetch-Dest") == "document"
        and request.method == "GET"
        and reply.status_code == 200
        and not reply.streaming
        and reply.get("Content-Type", "").startswith("text/html")
        and not reply.has_header("Content-Disposition")
        and bool(reply.content.strip())
        and reply.content.lstrip()[: len(PAGE)].lower() != PAGE
    )


def _page_above(request: HttpRequest) -> str:
    """The nearest address above that is one of ours, with what this one asks for."""
    parts = request.path.strip("/").split("/")[:-1]
    while parts:
        above = f"/{'/'.join(parts)}/"
        try:
            resolve(above)
        except Resolver404:
            parts.pop()
            continue
        query = request.META.get("QUERY_STRING", "")
        return f"{above}?{query}" if query else above
    return "/"
