"""The definitions as of an earlier version (the current ones with the edits since turned back), and the
history of a row."""

from __future__ import annotations

import logging
import uuid
from typing import Any, NamedTuple

from core.changes.kinds import edit_sentence
from core.definitions.state import OutOfStep, State
from web.definitions.models import Edited, Version
from web.definitions.snapshot import BEGINNING, as_edit, current
from web.process_cache import ProcessCache

log = logging.getLogger(__name__)
MOST_EDITS = 20_000
MOST_TOLD = 20
_kept: ProcessCache[tuple[uuid.UUID | None, int], State] = ProcessCache(8)


def state_at(version: int) -> State | None:
    """The state of a version, proven by its digest.

    None where it lies too many edits back (or ahead), before codes were spelled anew, or where the log
    doesn't lead there.
    """
    now = current()
    if version == now.version:
        return now.state
    if version > now.version or Version.objects.filter(version__gt=version, recodes__isnull=False).exists():
        return None
    key = (now.token, version)
    if (cached := _kept.get(key)) is not None:
        return cached
    rows = Edited.objects.filter(version_id__gt=version).order_by("-version_id", "-pk")
    edits = [as_edit(row).turned() for row in rows[: MOST_EDITS + 1]]
    if len(edits) > MOST_EDITS:
        return None
    known = Version.objects.filter(version=version).values_list("digest", flat=True).first()
    try:
        state = now.state.replayed(edits)
    except OutOfStep as refused:
        log.error(
            "The log does not lead back from version %s to %s: %s was another row.",
            now.version,
            version,
            refused,
        )
        return None
    if state.digest != (known if version else BEGINNING.digest):
        log.error(
            "Going back from version %s to %s led to other definitions than it left.", now.version, version
        )
        return None
    _kept.put(key, state)
    return state


class LoggedChange(NamedTuple):
    """A change of one row in a sentence, with its version."""

    version: Any
    sentence: str


def of_row(table: str, key: str) -> list[LoggedChange]:
    """The changes of one row in sentences, newest first; those of a code under its former spellings too."""
    logged_changes: list[LoggedChange] = []
    rows = Edited.objects.filter(table=table).select_related("version__by").order_by("-version_id", "-pk")
    while key and len(logged_changes) < MOST_TOLD:
        former = ""
        for row in rows.filter(key=key)[:MOST_TOLD]:
            if row.version.recodes and row.old is None:
                logged_changes.append(LoggedChange(row.version, row.version.sentence))
                former, rows = _former(row, key), rows.filter(version__lt=row.version_id)
                break
            logged_changes.append(LoggedChange(row.version, edit_sentence(as_edit(row))))
        key = former
    return logged_changes


def _former(row: Edited, key: str) -> str:
    """The key under which a row stood before its codes were spelled anew."""
    spelling: dict[str, str] = (row.version.recodes or {}).get("spelling", {})
    return " ".join(spelling.get(part, part) for part in key.split(" "))
