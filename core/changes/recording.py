"""Changes as plain data (JSON) and back: for drafts."""

from __future__ import annotations

from dataclasses import fields
from datetime import date
from typing import Any

from core.changes.kinds import KINDS, Change
from core.definitions.parsing import decode_row, encode_row
from core.definitions.state import Edit
from core.definitions.tables import BY_ROW, TABLES


def encode(value: Any) -> Any:
    """A change, or a value inside one."""
    if isinstance(value, Edit):
        return {"edit": value.table, "old": encode_row(value.old), "new": encode_row(value.new)}
    if type(value) in BY_ROW:
        return {"row": BY_ROW[type(value)].name, "cells": encode_row(value)}
    if type(value).__name__ in KINDS:
        return {
            "change": type(value).__name__,
            **{f.name: encode(getattr(value, f.name)) for f in fields(value)},
        }
    if isinstance(value, tuple):
        return [encode(part) for part in value]
    return {"date": value.isoformat()} if isinstance(value, date) else value


def decode(data: Any) -> Any:
    """What `encode` wrote. Raises KeyError for a kind of change that there is not."""
    if isinstance(data, list):
        return tuple(decode(part) for part in data)
    if not isinstance(data, dict):
        return data
    if "change" in data:  # first: a change may well have a column called row or date
        kind = KINDS[data["change"]]
        return kind(**{name: decode(part) for name, part in data.items() if name != "change"})
    if "edit" in data:
        old, new = decode_row(data["edit"], data["old"]), decode_row(data["edit"], data["new"])
        return Edit(data["edit"], TABLES[data["edit"]].key(new if new is not None else old), old, new)
    if "row" in data:
        return decode_row(data["row"], data["cells"])
    return date.fromisoformat(data["date"])


def decode_change(data: Any) -> Change:
    change: Change = decode(data)
    return change
