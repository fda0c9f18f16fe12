"""The current definitions, kept in the process by the version that made them."""

from __future__ import annotations

import threading
import uuid
from dataclasses import dataclass

from django.db import connection, transaction

from core.recording import decode_row
from core.state import Edit, State
from core.tables import TABLES
from web.definitions import store
from web.definitions.models import Edited, Version

MOST_REPLAYED = 2_000


@dataclass(frozen=True)
class Snapshot:
    """A state with the version that made it; version 0 is the empty beginning."""

    version: int
    token: uuid.UUID | None
    state: State


_lock = threading.Lock()
_kept: Snapshot | None = None


def latest() -> tuple[int, uuid.UUID | None]:
    return Version.objects.order_by("-version").values_list("version", "token").first() or (0, None)


def chart_versions() -> dict[str, int]:
    """How many versions each chart has had."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT c.key, max(c.value::int) FROM definitions_version v, jsonb_each_text(v.charts) c GROUP BY c.key")
        return dict(cursor.fetchall())


def current() -> Snapshot:
    """The newest definitions. One small query when nothing has changed; else the changes since are replayed."""
    global _kept
    version, token = latest()
    kept = _kept
    if kept is not None and kept.token == token and token is not None:
        return kept
    with _lock:
        made = _replayed(kept, version, token) if kept else None
        if made is None:
            with transaction.atomic():
                # One reading of all tables must not see half of a change that commits meanwhile.
                version, token = latest()
                made = Snapshot(version, token, store.load())
                if latest()[1] != token:
                    return current_uncached()
        _kept = made
        return made


def current_uncached() -> Snapshot:
    version, token = latest()
    return Snapshot(version, token, store.load())


def _replayed(kept: Snapshot, version: int, token: uuid.UUID | None) -> Snapshot | None:
    """The kept state brought up to a newer version by the log, or None where loading is the better way."""
    if token is None or version <= kept.version or kept.token is None:
        return None
    if not Version.objects.filter(version=kept.version, token=kept.token).exists():
        return None
    rows = list(
        Edited.objects.filter(version__gt=kept.version, version__lte=version).order_by("version", "pk")[: MOST_REPLAYED + 1]
    )
    if len(rows) > MOST_REPLAYED:
        return None
    state = kept.state.edited(as_edit(row) for row in rows)
    return Snapshot(version, token, state)


def as_edit(row: Edited) -> Edit:
    old, new = decode_row(row.table, row.old), decode_row(row.table, row.new)
    return Edit(row.table, TABLES[row.table].key(new if new is not None else old), old, new)


def keep(made: Snapshot) -> None:
    """After a change was committed here, the state it led to is known without reading it back."""
    global _kept
    with _lock:
        if _kept is None or _kept.version < made.version or _kept.token != made.token:
            _kept = made


def forget() -> None:
    """For tests, whose databases are rolled back below the process."""
    global _kept
    _kept = None
