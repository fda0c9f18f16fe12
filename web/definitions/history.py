"""The definitions as of an earlier version (the current ones with the edits since turned back), and the history of a row."""

from __future__ import annotations

import threading
import uuid
from typing import Any, NamedTuple

from core.changes import edit_sentence
from core.state import State
from web.definitions.models import Edited
from web.definitions.snapshot import as_edit, current

MOST_EDITS = 20_000
MOST_KEPT = 8
_lock = threading.Lock()
_kept: dict[tuple[uuid.UUID | None, int], State] = {}


def state_at(version: int) -> State | None:
    """The state of a version, or None where it lies too many edits back (or ahead)."""
    now = current()
    if version == now.version:
        return now.state
    if version > now.version:
        return None
    key = (now.token, version)
    with _lock:
        if key in _kept:
            return _kept[key]
    rows = list(Edited.objects.filter(version__gt=version).order_by("-version", "-pk")[: MOST_EDITS + 1])
    if len(rows) > MOST_EDITS:
        return None
    state = now.state.edited(as_edit(row).turned() for row in rows)
    with _lock:
        if len(_kept) >= MOST_KEPT:
            _kept.pop(next(iter(_kept)))
        _kept[key] = state
    return state


class Told(NamedTuple):
    version: Any
    sentence: str


def of_row(table: str, key: str) -> list[Told]:
    """The changes of one row in sentences, newest first."""
    rows = Edited.objects.filter(table=table, key=key).select_related("version__by").order_by("-version")[:20]
    return [Told(row.version, edit_sentence(as_edit(row))) for row in rows]
