"""Acts that hold nobody up while they think.

An act reads, judges and works out without any lock and writes inside its transaction; last of all it takes
the lock of the definitions, sees that what it was judged against still stands, and commits. Where that
moved, all it wrote is taken back and it is judged again; after a few times it keeps the others out first,
so that it comes to an end.

Two locks of PostgreSQL's own (advisory, until the transaction ends):

- `DEFINITIONS`: whoever makes a version holds it alone, whoever posts or budgets against a version shares it;
  both only from their last look to the commit.
- `TURNSTILE`: whoever makes a version passes it before they write, so that an act that was judged in vain can
  keep others from making one without keeping anybody from posting.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from functools import wraps
from typing import ParamSpec, TypeVar

import psycopg
from django.db import IntegrityError, connection, transaction

from core.faults import Fault, Refused
from web.definitions import snapshot
from web.definitions.models import Edited
from web.definitions.posted import AskedOfBooks
from web.shell.retrying import retried

P = ParamSpec("P")
R = TypeVar("R")
DEFINITIONS, TURNSTILE = 0x50494E45, 0x50494E46
TRIES = 4
_deciding: ContextVar[bool] = ContextVar("deciding", default=False)


class Moved(Exception):
    """What an act was judged against is not what stands now: it must be judged again."""


def decided(at_last: Callable[..., None]) -> Callable[[Callable[P, R]], Callable[P, R]]:
    """An act that is judged again where it raises Moved. `at_last` begins the transaction of the last try,
    with the act's arguments: it keeps out whoever could move it once more. Within a larger act of the kind,
    the larger one is judged again."""

    def decides(act: Callable[P, R]) -> Callable[P, R]:
        def tried(attempt: int, *args: P.args, **named: P.kwargs) -> R:
            if attempt < TRIES:
                return act(*args, **named)
            with transaction.atomic():
                at_last(*args, **named)
                return act(*args, **named)

        tried.__name__ = act.__name__

        @wraps(act)
        def whole(*args: P.args, **named: P.kwargs) -> R:
            if _deciding.get():
                return act(*args, **named)
            token = _deciding.set(True)
            try:
                for attempt in range(1, TRIES + 1):
                    try:
                        return retried(tried)(attempt, *args, **named)
                    except Moved as moved:
                        if attempt == TRIES and moved.__cause__ is not None:
                            raise moved.__cause__ from None  # nobody else was there: it is a fault of ours
            finally:
                _deciding.reset(token)
            what = "Others changed what this hangs on, again and again."
            raise Refused([Fault("changed-since", what, way_out="Try it again.")])

        return whole

    return decides


def _lock(function: str, *keys: int) -> None:
    with connection.cursor() as cursor:
        for key in keys:
            cursor.execute(f"SELECT {function}(%s)", [key])


@contextmanager
def moved_where_refused() -> Iterator[None]:
    """What the database refuses, which was in order when it was judged, somebody else was quicker with."""
    try:
        yield
    except (IntegrityError, psycopg.errors.IntegrityError) as error:  # COPY raises the driver's own
        raise Moved from error


def keep_definers_out(*_: object, **__: object) -> None:
    """For the last try of who posts: nobody makes a version until commit, others may post."""
    _lock("pg_advisory_xact_lock", TURNSTILE)


def keep_others_out(*_: object, **__: object) -> None:
    """For the last try of who makes a version: nobody makes one or posts until commit."""
    _lock("pg_advisory_xact_lock", TURNSTILE, DEFINITIONS)


def pass_turnstile() -> None:
    """Before rows of a version are written."""
    _lock("pg_advisory_xact_lock_shared", TURNSTILE)


def lock_alone(before: snapshot.Snapshot, asked: AskedOfBooks | None = None) -> None:
    """Last of all before a version is written: nobody else makes one or posts until commit. Raises Moved
    where `before` isn't the newest version, or the books answer otherwise by now."""
    _lock("pg_advisory_xact_lock", DEFINITIONS)
    if snapshot.latest().token != before.token or (asked is not None and not asked.hold()):
        raise Moved


def share(judged: snapshot.Snapshot, unread: Collection[str] = ()) -> None:
    """Last of all before who posts commits: no version is made until then. Raises Moved where one was made
    since `judged`, in other tables than those that nothing was judged by."""
    _lock("pg_advisory_xact_lock_shared", DEFINITIONS)
    newest = snapshot.latest()
    if newest.token == judged.token:
        return
    since = Edited.objects.filter(version_id__gt=judged.version)
    if newest.version < judged.version or since.exclude(table__in=unread).exists():
        raise Moved
