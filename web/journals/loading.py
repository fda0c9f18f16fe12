"""A first load of a table: its indexes are dropped before and built after, which costs less than half of keeping them up.

Only inside the caller's transaction, so a load that fails leaves all as it was; and only into an empty table, so nobody
who reads meanwhile misses an index (they wait for a table that holds nothing).
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from django.db import connection
from psycopg import sql

FROM_ROWS = 50_000
INDEXES = """
    SELECT c.relname, pg_get_indexdef(i.indexrelid), con.conname, pg_get_constraintdef(con.oid)
    FROM pg_index i JOIN pg_class c ON c.oid = i.indexrelid
    LEFT JOIN pg_constraint con ON con.conindid = i.indexrelid AND con.conrelid = i.indrelid AND con.contype IN ('p', 'u')
    WHERE i.indrelid = %s::regclass AND NOT EXISTS (SELECT 1 FROM pg_constraint f WHERE f.conindid = i.indexrelid AND f.contype = 'f')
    ORDER BY con.contype = 'p' DESC NULLS LAST, c.relname
"""


def is_empty(table: str) -> bool:
    with connection.cursor() as cursor:
        cursor.execute(sql.SQL("SELECT NOT EXISTS (SELECT 1 FROM {})").format(sql.Identifier(table)))
        return bool(cursor.fetchone()[0])


@contextmanager
def loading(table: str, rows: int) -> Iterator[None]:
    """Around the COPY of so many rows into a table."""
    if rows < FROM_ROWS or not is_empty(table):
        yield
        return
    name = sql.Identifier(table)
    with connection.cursor() as cursor:
        cursor.execute(INDEXES, [table])
        indexes = cursor.fetchall()
        for index, _, constraint, _ in indexes:
            if constraint:
                cursor.execute(sql.SQL("ALTER TABLE {} DROP CONSTRAINT {}").format(name, sql.Identifier(constraint)))
            else:
                cursor.execute(sql.SQL("DROP INDEX {}").format(sql.Identifier(index)))
        yield
        # References of the rows just written are checked now; a table with checks outstanding takes no index.
        cursor.execute("SET CONSTRAINTS ALL IMMEDIATE")
        for _, definition, constraint, rule in indexes:
            if constraint:
                made = sql.SQL("ALTER TABLE {} ADD CONSTRAINT {} ").format(name, sql.Identifier(constraint))
                cursor.execute(made + sql.SQL(rule))
            else:
                cursor.execute(definition)
        cursor.execute("SET CONSTRAINTS ALL DEFERRED")
