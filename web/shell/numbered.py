"""Each request has a number: it stands in every line the log says meanwhile, on the page of a fault, and in a
header."""

from __future__ import annotations

import logging
import secrets
from collections.abc import Callable
from contextvars import ContextVar

from django.http import HttpRequest, HttpResponse

current: ContextVar[str] = ContextVar("request number", default="")


class NumberMiddleware:
    """Gives a request its number, and closes what it shows: figures are kept by nobody on the way."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        token = current.set(secrets.token_hex(4))
        try:
            reply = self.get_response(request)
            reply["X-Request-Number"] = current.get()
            if not reply.has_header("Cache-Control"):
                reply["Cache-Control"] = "no-store, private"
            return reply
        finally:
            current.reset(token)


class NumberFilter(logging.Filter):
    """Puts the number on each record; `-` outside of a request."""

    def filter(self, record: logging.LogRecord) -> bool:
        record.request_number = current.get() or "-"
        return True
