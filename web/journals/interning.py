"""account strings and dimension combinations as numbers: each text once, its number kept for good."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

import numpy as np
from django.db import connection

from web.journals.loading import is_empty, loading

FEW = 500
Accounts = dict[tuple[str, str], int]


def intern_accounts(wanted: Sequence[tuple[str, str, str]]) -> Accounts:
    """Numbers of (chart, account, natural), adding those that are new. Keys of the result: (chart,
    account)."""
    if not wanted:
        return {}
    if len(wanted) < FEW:
        return _few(wanted)
    with connection.cursor() as cursor:
        by_name: Accounts = {}
        if not is_empty("journals_account"):
            # Through a table of its own: arrays of many texts as parameters cost more than the rows.
            cursor.execute(
                'CREATE TEMP TABLE IF NOT EXISTS wanted_accounts (chart text, account text, "natural" text)'
            )
            cursor.execute("TRUNCATE wanted_accounts")
            _copy(cursor, "wanted_accounts", wanted)
            cursor.execute(
                "SELECT a.chart, a.account, a.id FROM journals_account a JOIN wanted_accounts w USING (chart,"
                " account)"
            )
            by_name = {(chart, account): number for chart, account, number in cursor.fetchall()}
        fresh = [row for row in dict.fromkeys(wanted) if row[:2] not in by_name]
        # Only an import brings so many, and it holds the lock that keeps posters out: numbers can be given
        # here.
        cursor.execute("SELECT nextval(pg_get_serial_sequence('journals_account', 'id'))")
        first = cursor.fetchone()[0]
        cursor.execute(
            "SELECT setval(pg_get_serial_sequence('journals_account', 'id'), %s)", [first + len(fresh)]
        )
        numbered = [(str(number), *row) for number, row in enumerate(fresh, first)]
        with loading("journals_account", len(fresh)):
            _copy(cursor, 'journals_account (id, chart, account, "natural")', numbered)
        by_name.update(((chart, account), number) for number, (chart, account, _) in enumerate(fresh, first))
    return by_name


def _copy(cursor: Any, table: str, rows: Sequence[tuple[str, ...]]) -> None:
    """Ids, codes and account strings hold nothing that COPY would take for a mark."""
    with cursor.copy(f"COPY {table} FROM STDIN") as copy:
        for start in range(0, len(rows), 20_000):
            copy.write("".join(["\t".join(row) + "\n" for row in rows[start : start + 20_000]]))


def _few(wanted: Sequence[tuple[str, str, str]]) -> Accounts:
    columns = [list(column) for column in zip(*wanted, strict=True)]
    with connection.cursor() as cursor:
        cursor.execute(
            'INSERT INTO journals_account (chart, account, "natural") SELECT * FROM unnest(%s::text[],'
            " %s::text[], %s::text[]) ORDER BY 1, 2 ON CONFLICT DO NOTHING",
            columns,
        )
        cursor.execute(
            "SELECT a.chart, a.account, a.id FROM journals_account a"
            " JOIN unnest(%s::text[], %s::text[]) AS w(chart, account) USING (chart, account)",
            columns[:2],
        )
        return {(chart, account): number for chart, account, number in cursor.fetchall()}


def intern_dimensions(wanted: Sequence[str]) -> dict[str, int]:
    """Numbers of dimension combinations; the empty one is 0 and not kept."""
    texts = [text for text in wanted if text]
    by_name = {"": 0}
    if texts:
        with connection.cursor() as cursor:
            cursor.execute(
                "INSERT INTO journals_dimensionset (codes) SELECT * FROM unnest(%s::text[]) ORDER BY 1 ON"
                " CONFLICT DO NOTHING",
                [texts],
            )
            cursor.execute("SELECT codes, id FROM journals_dimensionset WHERE codes = ANY(%s)", [texts])
            by_name.update(cursor.fetchall())
    return by_name


def texts_as_posted(
    accounts: Iterable[int], dimensions: Iterable[int]
) -> tuple[dict[int, str], dict[int, str]]:
    """The texts under which account strings and dimension combinations were first posted, of those whose
    codes were spelled anew since."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT true, id, posted_as FROM journals_account WHERE posted_as <> '' AND id = ANY(%s) UNION"
            " ALL SELECT false, id, posted_as FROM journals_dimensionset WHERE posted_as <> '' AND id ="
            " ANY(%s)",
            [list(accounts), list(dimensions)],
        )
        rows = cursor.fetchall()
    return {number: text for is_account, number, text in rows if is_account}, {
        number: text for kind, number, text in rows if not kind
    }


def interned_texts(rows: Any) -> list[tuple[str, str]]:
    """Account strings and dimensions of balance rows."""
    accounts, sets = np.unique(rows["account"]).tolist(), np.unique(rows["dimensions"]).tolist()
    with connection.cursor() as cursor:
        cursor.execute("SELECT id, account FROM journals_account WHERE id = ANY(%s)", [accounts])
        strings = dict(cursor.fetchall())
        cursor.execute("SELECT id, codes FROM journals_dimensionset WHERE id = ANY(%s)", [sets])
        codes = {0: "", **dict(cursor.fetchall())}
    return [
        (strings[a], codes[d])
        for a, d in zip(rows["account"].tolist(), rows["dimensions"].tolist(), strict=True)
    ]
