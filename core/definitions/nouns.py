"""What definitions are called in sentences: the noun of each table, and a row in words."""

from __future__ import annotations

import re
from collections.abc import Container
from typing import Any

from core.definitions.parsing import write_cell
from core.definitions.tables import BY_ROW, DEFINING_TABLES

NOUNS = {table.name: table.noun for table in DEFINING_TABLES}


def named(row: Any) -> str:
    """A row in words: code 11250 Seed stock of accounts."""
    table = BY_ROW[type(row)]
    key = [write_cell(part) for part in table.key(row)]
    label = getattr(row, "name", "") or getattr(row, "label", "")
    own = " ".join(key[1:]) or key[0]
    of = f" of {key[0]}" if len(key) > 1 else ""
    return f"{NOUNS[table.name]} {own}{f' {label}' if label else ''}{of}"


def many(noun: str) -> str:
    """The plural of a definition's noun."""
    if " of " in noun:
        first, _, rest = noun.partition(" of ")
        return f"{many(first)} of {rest}"
    if noun.endswith("company"):
        return noun[:-1] + "ies"
    if noun.endswith(("hierarchy", "property")):
        return noun[:-1] + "ies"
    return noun.replace("doubt set", "doubts set") if noun == "doubt set aside" else f"{noun}s"


LONGEST_ID = 40


def free_id(name: str, taken: Container[str], otherwise: str = "new") -> str:
    """An id made of a name's letters and digits that nothing has yet."""
    base = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[: LONGEST_ID - 4] or otherwise
    return next(text for n in range(1, 10**6) if (text := base if n == 1 else f"{base}-{n}") not in taken)
