"""The log of definitions as its seals cover it: each version with all of its edits."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator
from itertools import groupby
from typing import Any

from web.definitions.models import Edited, Version
from web.definitions.sealing import Told, text_of

VERSIONS = "versions"
EditTold = tuple[str, str, str | None, str | None]
"""The table, the key, and the row before and after as `row_text` writes them."""


IN_ORDER = json.JSONEncoder(sort_keys=True)


def row_text(cells: Any) -> str | None:
    """The cells of a row as one text, in whatever order the database gives them back; None for no row."""
    return None if cells is None else IN_ORDER.encode(cells)


def version_texts(row: Version, edits: Iterable[EditTold]) -> Iterator[str]:
    yield text_of(row.version, row.at, row.by_id, row.sentence, row.reason, row.charts, row.rows)
    yield text_of(row.digest, row.recodes, row.takes_back_id)
    yield from ("\x1f".join(cell or "" for cell in edit) for edit in edits)


def versions_told() -> Told:
    """Every version, its edits read beside it in one pass."""
    rows = Edited.objects.order_by("version_id", "pk").values_list("version_id", "table", "key", "old", "new")
    edits = groupby(rows.iterator(), key=lambda row: row[0])
    number, own = next(edits, (0, iter(())))
    for version in Version.objects.order_by("version").iterator():
        while number and number < version.version:
            number, own = next(edits, (0, iter(())))
        beside = own if number == version.version else ()
        yield str(version.version), version_texts(version, (_edit_told(*edit[1:]) for edit in beside))


def _edit_told(table: str, key: str, old: Any, new: Any) -> EditTold:
    return table, key, row_text(old), row_text(new)
