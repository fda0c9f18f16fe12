"""Rows of definitions between the database and the core. One generic way for all tables: columns are named
alike."""

from __future__ import annotations

from collections.abc import Iterable
from functools import cache
from typing import Any

from django.apps import apps
from django.db import connection

from core.definitions.parsing import write_cell
from core.definitions.state import Edit, State
from core.definitions.tables import BY_ROW, DEFINING_TABLES, TABLES

COPY_FROM = 40


@cache
def database_table(name: str) -> str:
    """The database table that keeps a table of the package."""
    for model in apps.get_models():
        if getattr(model, "exchange", None) == name:
            return model._meta.db_table
    raise LookupError(name)


def columns_of(name: str) -> str:
    return ", ".join(f'"{column}"' for column in TABLES[name].row._fields)


def load() -> State:
    """All definitions, one query a table."""
    rows: list[Any] = []
    with connection.cursor() as cursor:
        for table in DEFINING_TABLES:
            cursor.execute(f"SELECT {columns_of(table.name)} FROM {database_table(table.name)}")
            rows += map(table.row._make, cursor.fetchall())
    return State.of(rows)


def write(edits: Iterable[Edit]) -> None:
    """Writes edits; inserts parents first, deletes children first."""
    inserts: dict[str, list[Any]] = {}
    updates: dict[str, list[Edit]] = {}
    deletes: dict[str, list[Edit]] = {}
    for edit in edits:
        if edit.old is None:
            inserts.setdefault(edit.table, []).append(edit.new)
        elif edit.new is None:
            deletes.setdefault(edit.table, []).append(edit)
        else:
            updates.setdefault(edit.table, []).append(edit)
    with connection.cursor() as cursor:
        for table in reversed(DEFINING_TABLES):
            _delete(cursor, table.name, deletes.get(table.name, []))
        for table in DEFINING_TABLES:
            _insert(cursor, table.name, inserts.get(table.name, []))
            _update(cursor, table.name, updates.get(table.name, []))


def _insert(cursor: Any, name: str, rows: list[Any]) -> None:
    if len(rows) >= COPY_FROM:
        with cursor.copy(f"COPY {database_table(name)} ({columns_of(name)}) FROM STDIN") as copy:
            for row in rows:
                copy.write_row(row)
    elif rows:
        places = ", ".join(["%s"] * len(rows[0]))
        cursor.executemany(f"INSERT INTO {database_table(name)} ({columns_of(name)}) VALUES ({places})", rows)


def _where(name: str) -> str:
    fields = TABLES[name].row._fields[: TABLES[name].keys]
    return " AND ".join(f'"{field}" = %s' for field in fields)


def _update(cursor: Any, name: str, edits: list[Edit]) -> None:
    if not edits:
        return
    table = TABLES[name]
    values = ", ".join(f'"{field}" = %s' for field in table.row._fields[table.keys :])
    sql = f"UPDATE {database_table(name)} SET {values} WHERE {_where(name)}"
    # A main hierarchy makes way before another one becomes it: there is never more than one.
    ordered = sorted(edits, key=lambda edit: getattr(edit.new, "main", False))
    cursor.executemany(sql, [(*edit.new[table.keys :], *edit.key) for edit in ordered])


def _delete(cursor: Any, name: str, edits: list[Edit]) -> None:
    if edits:
        cursor.executemany(
            f"DELETE FROM {database_table(name)} WHERE {_where(name)}", [edit.key for edit in edits]
        )


def key_text(key: tuple[Any, ...]) -> str:
    return " ".join(write_cell(part) for part in key)


def key_of(row: Any) -> tuple[Any, ...]:
    return BY_ROW[type(row)].key(row)
