"""A digest of all definitions: a sum over their rows, so that an edit brings it up to date without reading
the rest."""

from __future__ import annotations

import hashlib
from typing import Any

from core.definitions.parsing import write_cell
from core.definitions.tables import TABLES

BITS = 128
BETWEEN = "\x1f"
"""No cell holds it: control characters are refused on the way in."""


def row_digest(table: str, row: Any) -> int:
    """A number below 2^128 that stands for one row as the package writes it; 0 for no row. Columns that came
    later don't count while they hold their defaults, so that the digest of an earlier version stays true."""
    if row is None:
        return 0
    count, later = TABLES[table].at_first
    own = row[:count] if later and row[count:] == later else row
    cells = BETWEEN.join([table, *(cell if type(cell) is str else write_cell(cell) for cell in own)])
    return int.from_bytes(
        hashlib.blake2b(cells.encode("utf-8", "surrogatepass"), digest_size=BITS // 8).digest(), "big"
    )


def added(digest: int, *, gone: int, come: int) -> int:
    """The digest after one row's digest has gone and another has come."""
    return (digest - gone + come) % (1 << BITS)


def digest_text(digest: int) -> str:
    return f"{digest:0{BITS // 4}x}"
