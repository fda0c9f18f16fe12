"""The definitions of a version in a file of this machine: a new process reads of them only what it is asked
for, and what no process asks for is no object in any.

The file says of which version it is, by token and digest; whoever reads it looks whether the log has that
version with that digest, and brings it up to the newest by the log (web/definitions/snapshot.py). `./pine
verify` compares it row by row.
"""

from __future__ import annotations

import hashlib
import pickle
import sys
import uuid
from collections.abc import Callable, Iterator
from typing import Any, NamedTuple

from core.definitions.state import State, UnreadPart, read
from core.definitions.tables import DEFINING_TABLES
from web.shell import kept_files

NAME = "definitions"
FROM_ROWS = 2_000
"""Fewer are read from their tables as fast."""
LENGTH = 8


class Stretch(NamedTuple):
    """Where the rows of a part stand behind the contents."""

    table: str
    first: Any
    rows: int
    start: int
    end: int


class KeptDefinitions(NamedTuple):
    """What a file says: of which version, and the state that reads of it what it is asked for."""

    version: int
    token: uuid.UUID
    digest: str
    state: State


def _layout() -> str:
    """What a file must have been written with: the tables' columns, and this Python."""
    told = repr((sys.version_info[:2], [(table.name, table.row._fields) for table in DEFINING_TABLES]))
    return hashlib.blake2b(told.encode(), digest_size=16).hexdigest()


def keep(version: int, token: uuid.UUID, state: State) -> None:
    """Puts the definitions of a version in the place of those that are kept."""
    if sum(state.count(table.row) for table in DEFINING_TABLES) < FROM_ROWS:
        return
    parts, contents, at = [], [], 0
    for table, first, part in state.parts():
        cells = pickle.dumps([tuple(row) for row in read(part).values()], pickle.HIGHEST_PROTOCOL)
        contents.append(tuple(Stretch(table, first, len(read(part)), at, at + len(cells))))
        parts.append(cells)
        at += len(cells)
    head = pickle.dumps((_layout(), version, token, state.digest, contents), pickle.HIGHEST_PROTOCOL)
    kept_files.write(NAME, (len(head).to_bytes(LENGTH, "little"), head, *parts))


def kept() -> KeptDefinitions | None:
    """What is kept, of whichever version; None where nothing is, or by another program."""
    content = kept_files.read(NAME)
    if content is None:
        return None
    behind = LENGTH + int.from_bytes(content[:LENGTH], "little")
    # S301: the file carries a seal by this installation's secret
    layout, version, token, digest, contents = pickle.loads(content[LENGTH:behind])  # noqa: S301
    if layout != _layout():
        return None
    parts: dict[str, dict[Any, UnreadPart]] = {}
    for table, first, rows, start, end in contents:
        cells = _cells_of(content[behind + start : behind + end])
        parts.setdefault(table, {})[first] = UnreadPart(table, rows, cells)
    return KeptDefinitions(version, token, digest, State.of_parts(parts, digest))


def _cells_of(content: memoryview) -> Callable[[], list[tuple[Any, ...]]]:
    return lambda: pickle.loads(content)  # noqa: S301


def differing() -> Iterator[str]:
    """Sentences about a file whose rows don't come to the digest that it says."""
    there = kept()
    if (
        there is not None
        and State.of(row for table in DEFINING_TABLES for row in there.state.rows(table.row)).digest
        != there.digest
    ):
        yield f"The definitions kept on this machine are not those of version {there.version}."
