"""A first load of a table: its indexes are dropped before and built after, which costs less than half of
keeping them up.

Only inside the caller's transaction, so a load that fails leaves all as it was; and only into an empty table,
so nobody
who reads meanwhile misses an index (they wait for a table that holds nothing). The owner's functions do it
(journals/migrations/0002_guards.py): the application's role may not alter tables.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from django.db import connection
from psycopg import sql

FROM_ROWS = 50_000


def is_empty(table: str) -> bool:
    with connection.cursor() as cursor:
        cursor.execute(sql.SQL("SELECT NOT EXISTS (SELECT 1 FROM {})").format(sql.Identifier(table)))
        return bool(cursor.fetchone()[0])


@contextmanager
def loading(table: str, rows: int) -> Iterator[bool]:
    """Around the COPY of so many rows into a table; whether it is empty, and nobody else's until commit."""
    if rows < FROM_ROWS or not is_empty(table):
        yield False
        return
    with connection.cursor() as cursor:
        cursor.execute("SELECT pine_load_begin(%s)", [table])
        dropped = bool(cursor.fetchone()[0])
        yield dropped
        if dropped:
            # References of the rows just written are checked now; a table with checks outstanding takes no
            # index.
            cursor.execute("SET CONSTRAINTS ALL IMMEDIATE")
            cursor.execute("SELECT pine_load_end(%s)", [table])
            cursor.execute("SET CONSTRAINTS ALL DEFERRED")
