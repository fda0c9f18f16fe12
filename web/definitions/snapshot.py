"""The current definitions, kept in the process by the version that made them.

A process proves that what it keeps is true: each edit it replays must find the row as the log says it was,
and the state
it comes to must have the digest that the version carries. Where not, it says so in the log and loads
everything anew.
"""

from __future__ import annotations

import logging
import uuid
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass
from typing import NamedTuple

from django.db import connection, transaction
from django.db.models import Sum

from core.definitions.parsing import decode_row
from core.definitions.state import Edit, OutOfStep, State
from core.definitions.tables import TABLES
from web.definitions import kept_definitions, store
from web.definitions.models import Edited, Version
from web.process_cache import ProcessCache

log = logging.getLogger(__name__)
MOST_REPLAYED = 2_000
KEPT_ANEW_AFTER = 500
"""So many edits after the version that a file of this machine keeps, whoever reads it keeps a newer one."""


@dataclass(frozen=True)
class Snapshot:
    """A state with the version that made it; version 0 is the empty beginning."""

    version: int
    token: uuid.UUID | None
    state: State


class Latest(NamedTuple):
    """The newest version, and the digest of the definitions it left."""

    version: int
    token: uuid.UUID | None
    digest: str


NEWEST_DIGEST = "SELECT digest FROM definitions_version ORDER BY version DESC LIMIT 1"
BEGINNING = Latest(0, None, State().digest)
_kept: ProcessCache[str, Snapshot] = ProcessCache(1)
_pinned: ContextVar[Snapshot | None] = ContextVar("pinned", default=None)


def latest() -> Latest:
    with connection.cursor() as cursor:  # asked on every page
        cursor.execute("SELECT version, token, digest FROM definitions_version ORDER BY version DESC LIMIT 1")
        row = cursor.fetchone()
    return Latest(*row) if row else BEGINNING


def chart_versions(charts: Iterable[str]) -> dict[str, int]:
    """How many versions each of some charts has had, of those that had any: the newest version of each
    says."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT c.chart, (newest.charts ->> c.chart)::int FROM unnest(%s::text[]) AS c(chart),"
            " LATERAL (SELECT v.charts FROM definitions_version v WHERE v.charts ? c.chart"
            " ORDER BY v.version DESC LIMIT 1) newest",
            [sorted(charts)],
        )
        return dict(cursor.fetchall())


@contextmanager
def one_reading() -> Iterator[None]:
    """Whatever is read inside is of one moment. Inside a transaction its own lock or isolation has to see to
    that."""
    if connection.in_atomic_block:
        yield
        return
    with transaction.atomic():
        with connection.cursor() as cursor:
            cursor.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ, READ ONLY")
        yield


def current() -> Snapshot:
    """The newest definitions. One small query when nothing has changed; else the changes since are
    replayed."""
    if (pinned := _pinned.get()) is not None:
        return pinned
    known = latest()
    cached = _kept.get("current")
    if cached is not None and cached.token == known.token:
        return cached
    with _kept.lock, one_reading():
        known = latest()  # another thread may have brought it up to date while this one waited
        cached = _kept.get("current")
        if cached is not None and cached.token == known.token:
            return cached
        replayed = _replayed(cached, known) if cached is not None else None
        replayed = replayed or _kept_on_disk(known) or _loaded()
        if cached is None or cached.version <= replayed.version or not _is_known(cached):
            _kept.put("current", replayed)
        return replayed


def _kept_on_disk(known: Latest) -> Snapshot | None:
    """What a file of this machine keeps, brought up to the newest version; None where loading is the better
    way."""
    kept = kept_definitions.kept()
    if kept is None or not _is_left_by(kept):
        return None
    own = Snapshot(kept.version, kept.token, kept.state)
    if own.token == known.token:
        return own
    if (replayed := _replayed(own, known)) and replayed.token:
        between = Version.objects.filter(version__gt=own.version, version__lte=replayed.version)
        if (between.aggregate(edits=Sum("rows"))["edits"] or 0) > KEPT_ANEW_AFTER:
            kept_definitions.keep(replayed.version, replayed.token, replayed.state)
    return replayed


def _is_left_by(kept: kept_definitions.KeptDefinitions) -> bool:
    return Version.objects.filter(version=kept.version, token=kept.token, digest=kept.digest).exists()


def _loaded() -> Snapshot:
    """Read from the tables, and kept for the next process of this machine."""
    loaded = current_uncached()
    if loaded.token and loaded.state.digest == latest().digest:
        kept_definitions.keep(loaded.version, loaded.token, loaded.state)
    return loaded


def current_uncached() -> Snapshot:
    """All definitions read from their tables. Whether they are what the newest version left is told in the
    log."""
    for _ in range(3):
        known = latest()
        state = store.load()
        if state.digest == known.digest:
            return Snapshot(known.version, known.token, state)
    log.error(
        "The definitions in the database are not those that version %s left. `./pine check` says more.",
        known.version,
    )
    return Snapshot(known.version, known.token, state)


def _is_known(kept: Snapshot) -> bool:
    """Whether the log has this version; it hasn't where the database is another one by now."""
    return kept.token is None or Version.objects.filter(version=kept.version, token=kept.token).exists()


def _replayed(kept: Snapshot, known: Latest) -> Snapshot | None:
    """The kept state brought up to a newer version by the log, or None where loading is the better way."""
    if known.token is None or known.version <= kept.version or kept.token is None or not _is_known(kept):
        return None
    rows = Edited.objects.filter(version_id__gt=kept.version, version_id__lte=known.version).order_by(
        "version_id", "pk"
    )
    edits = [as_edit(row) for row in rows[: MOST_REPLAYED + 1]]
    if len(edits) > MOST_REPLAYED:
        return None
    try:
        state = kept.state.replayed(edits)
    except OutOfStep as refused:
        log.error(
            "Version %s does not lead from version %s: %s was another row. Loading anew.",
            known.version,
            kept.version,
            refused,
        )
        return None
    if state.digest != known.digest:
        log.error(
            "Replaying from version %s to %s led to other definitions. Loading anew.",
            kept.version,
            known.version,
        )
        return None
    return Snapshot(known.version, known.token, state)


def as_edit(row: Edited) -> Edit:
    old, new = decode_row(row.table, row.old), decode_row(row.table, row.new)
    return Edit(row.table, TABLES[row.table].key(new if new is not None else old), old, new)


@contextmanager
def pinned(before: Snapshot) -> Iterator[None]:
    """While rows of a version are written that isn't there yet, definitions are what it is judged against:
    read now, they would be half of both."""
    token = _pinned.set(before)
    try:
        yield
    finally:
        _pinned.reset(token)


def keep(made: Snapshot) -> None:
    """After a change was committed here, the state it led to is known without reading it back."""
    with _kept.lock:
        cached = _kept.get("current")
        if cached is None or cached.version < made.version:
            _kept.put("current", made)
