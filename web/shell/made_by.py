"""Who asks, for what is handed out: files say by whom they were made, and when."""

from __future__ import annotations

import re
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from typing import Any

from django.http import HttpResponseBase
from django.utils import timezone

NAMED = re.compile(r'filename="([^"]+)\.(\w+)"')
KEEPS_ITS_NAME = "Pine-Keeps-Its-Name"
"""A header by which a view says that a file's name is given by law, or that it says by itself who made it; it
isn't sent."""
_maker: ContextVar[str] = ContextVar("maker", default="command line")


@contextmanager
def made_by(name: str) -> Iterator[None]:
    """Whatever is made inside is made by this person."""
    token = _maker.set(name)
    try:
        yield
    finally:
        _maker.reset(token)


def properties() -> dict[str, Any]:
    """Of a workbook: its author; when it was made a workbook knows by itself."""
    return {"author": _maker.get(), "company": "Pine Scaffold"}


def with_maker(reply: HttpResponseBase, username: str) -> HttpResponseBase:
    """A file to keep says in its name who made it and when, in UTC."""
    if KEEPS_ITS_NAME in reply:
        del reply[KEEPS_ITS_NAME]
    elif "Content-Disposition" in reply:
        made = f"by-{re.sub(r'[^A-Za-z0-9_.-]+', '-', username)}-{timezone.now():%Y%m%d-%H%M}"
        reply["Content-Disposition"] = NAMED.sub(rf'filename="\1-{made}.\2"', reply["Content-Disposition"], 1)
    return reply
