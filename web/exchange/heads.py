"""Where the chains ended when they were last looked at, in a file beside the database: what is missing behind
such an end can't be seen in the database alone."""

from __future__ import annotations

import csv
import logging
from collections.abc import Mapping
from pathlib import Path

from django.conf import settings
from django.db import connection

from core.books.chain import End
from web.definitions.sealing import MARK, ends_of_seals, seals_at
from web.journals.verifying import ends_of_chains, hashes_at

HEADS = ("company", "number", "hash")
log = logging.getLogger(__name__)


def known_ends(path: Path) -> dict[str, End]:
    """What an earlier run printed. Raises ValueError where it is none of that."""
    with path.open(newline="") as file:
        rows = list(csv.reader(file))
    if (
        not rows
        or tuple(rows[0]) != HEADS
        or any(len(row) != 3 or not row[1].isdecimal() for row in rows[1:])
    ):
        raise ValueError(f"{path} is not what ./pine verify prints: {','.join(HEADS)}.")
    return {company: End(int(number), text) for company, number, text in rows[1:]}


def kept_file() -> Path | None:
    """Where this installation keeps ends of this database by itself; None where nobody said. One that is made
    anew under the same name has another number."""
    if not settings.HEADS:
        return None
    with connection.cursor() as cursor:
        cursor.execute("SELECT datname, oid FROM pg_database WHERE datname = current_database()")
        name, number = cursor.fetchone()
    return Path(settings.HEADS) / f"{name}-{number}.csv"


def kept_ends() -> dict[str, End]:
    """Raises OSError or ValueError for a file that can't be read."""
    path = kept_file()
    return known_ends(path) if path is not None and path.exists() else {}


def keep(ends: Mapping[str, End]) -> None:
    """Puts the file in the place of the one before, whole or not at all."""
    if (path := kept_file()) is None:
        return
    path.parent.mkdir(parents=True, exist_ok=True)
    beside = path.with_suffix(".new")
    with beside.open("w", newline="") as file:
        writer = csv.writer(file)
        writer.writerow(HEADS)
        writer.writerows((name, end.number, end.hash) for name, end in sorted(ends.items()))
    beside.replace(path)


def keep_current() -> list[str]:
    """Keeps where the chains end now, unless an end kept before is no longer in its chain: which are, then,
    and the file stays as it is."""
    known = kept_ends()
    hashes = _at(known)
    if gone := [name for name, end in sorted(known.items()) if hashes.get(name) != end.hash]:
        log.error(
            "Chains no longer hold what was kept of them: %s. ./pine verify says more.", ", ".join(gone)
        )
        return gone
    keep(ends_of_chains() | ends_of_seals())
    return []


def _at(known: Mapping[str, End]) -> dict[str, str]:
    """The hashes that chains have now at known ends."""
    seals = {name: end for name, end in known.items() if name.startswith(MARK)}
    return hashes_at({name: end for name, end in known.items() if name not in seals}) | seals_at(seals)
