"""The definitions as of an earlier version (the current ones with the edits since turned back), and the history of a row."""

from __future__ import annotations

import threading
import uuid
from typing import Any, NamedTuple

from core.changes import edit_sentence
from core.state import State
from web.definitions.models import Edited, Version
from web.definitions.snapshot import as_edit, current

MOST_EDITS = 20_000
MOST_KEPT = 8
MOST_TOLD = 20
_lock = threading.Lock()
_kept: dict[tuple[uuid.UUID | None, int], State] = {}


def state_at(version: int) -> State | None:
    """The state of a version, or None where it lies too many edits back (or ahead), or before codes were spelled anew."""
    now = current()
    if version == now.version:
        return now.state
    if version > now.version or Version.objects.filter(version__gt=version, respells__isnull=False).exists():
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
    """The changes of one row in sentences, newest first; those of a code under its former spellings too."""
    found: list[Told] = []
    rows = Edited.objects.filter(table=table).select_related("version__by").order_by("-version")
    while key and len(found) < MOST_TOLD:
        former = ""
        for row in rows.filter(key=key)[:MOST_TOLD]:
            if row.version.respells and row.old is None:
                found.append(Told(row.version, row.version.sentence))
                former, rows = _former(row, key), rows.filter(version__lt=row.version_id)
                break
            found.append(Told(row.version, edit_sentence(as_edit(row))))
        key = former
    return found


def _former(row: Edited, key: str) -> str:
    """The key under which a row stood before its codes were spelled anew."""
    spelling = row.version.respells["spelling"]
    return " ".join(spelling.get(part, part) for part in key.split(" "))
