"""The log of definitions as its seals cover it: each version with all of its edits."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from itertools import groupby
from typing import Any

from core.changes.recording import encode_row
from core.definitions.state import Edit
from web.definitions.models import Edited, Version
from web.definitions.sealing import Told, text_of
from web.definitions.store import key_text

VERSIONS = "versions"
EditTold = tuple[str, str, Any, Any]
"""The table, the key, and the row before and after as the log keeps them."""


def edit_told(edit: Edit) -> EditTold:
    return edit.table, key_text(edit.key), encode_row(edit.old), encode_row(edit.new)


def version_texts(row: Version, edits: Iterable[EditTold]) -> Iterator[str]:
    yield text_of(row.version, row.at, row.by_id, row.sentence, row.reason, row.charts, row.rows)
    yield text_of(row.digest, row.recodes, row.takes_back_id)
    yield from (text_of(*edit) for edit in edits)


def versions_told() -> Told:
    """Every version, its edits read beside it in one pass."""
    rows = Edited.objects.order_by("version_id", "pk").values_list("version_id", "table", "key", "old", "new")
    edits = groupby(rows.iterator(), key=lambda row: row[0])
    number, own = next(edits, (0, iter(())))
    for version in Version.objects.order_by("version").iterator():
        while number and number < version.version:
            number, own = next(edits, (0, iter(())))
        beside = (
            (table, key, old, new) for _, table, key, old, new in (own if number == version.version else ())
        )
        yield str(version.version), version_texts(version, beside)
