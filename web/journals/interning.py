"""Account strings and dimension combinations as numbers: each text once, its number kept for good."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import Any, NamedTuple

import numpy as np
from django.db import connection

from web.journals.loading import loading

FEW = 500


class Interned(NamedTuple):
    """The number of a text, and what it was when it was first posted where its codes were spelled anew since
    (empty: the same)."""

    number: int
    posted_as: str = ""

    def as_posted(self, text: str) -> str:
        """The text as hashes of journals cover it."""
        return self.posted_as or text


Accounts = dict[tuple[str, str], Interned]
"""By (chart, account string)."""


def intern_accounts(wanted: Sequence[tuple[str, str, str]]) -> Accounts:
    """Numbers of (chart, account, natural), adding those that are new."""
    if not wanted:
        return {}
    if len(wanted) < FEW:
        return _few(wanted)
    rows = list(dict.fromkeys(wanted))
    with loading("journals_account", len(rows)) as is_first_load, connection.cursor() as cursor:
        return _first(cursor, rows) if is_first_load else _many(cursor, rows)


def _first(cursor: Any, rows: Sequence[tuple[str, str, str]]) -> Accounts:
    """Nobody else adds any until commit, so numbers can be given here."""
    cursor.execute("SELECT nextval(pg_get_serial_sequence('journals_account', 'id'))")
    first = cursor.fetchone()[0]
    cursor.execute("SELECT setval(pg_get_serial_sequence('journals_account', 'id'), %s)", [first + len(rows)])
    numbered = [(str(number), *row) for number, row in enumerate(rows, first)]
    _copy(cursor, 'journals_account (id, chart, account, "natural")', numbered)
    return {(chart, account): Interned(number) for number, (chart, account, _) in enumerate(rows, first)}


def _many(cursor: Any, rows: Sequence[tuple[str, str, str]]) -> Accounts:
    """Through a table of its own: arrays of many texts as parameters cost more than the rows."""
    cursor.execute(
        'CREATE TEMP TABLE IF NOT EXISTS wanted_accounts (chart text, account text, "natural" text)'
    )
    cursor.execute("TRUNCATE wanted_accounts")
    _copy(cursor, "wanted_accounts", rows)
    cursor.execute(
        'INSERT INTO journals_account (chart, account, "natural") SELECT * FROM wanted_accounts w'
        " WHERE NOT EXISTS"
        " (SELECT FROM journals_account a WHERE a.chart = w.chart AND a.account = w.account)"
        " ORDER BY 1, 2 ON CONFLICT DO NOTHING"
    )
    cursor.execute(
        "SELECT a.chart, a.account, a.id, a.posted_as"
        " FROM journals_account a JOIN wanted_accounts w USING (chart, account)"
    )
    return {(chart, account): Interned(*more) for chart, account, *more in cursor.fetchall()}


def _copy(cursor: Any, table: str, rows: Sequence[tuple[str, ...]]) -> None:
    """Ids, codes and account strings hold nothing that COPY would take for a mark."""
    with cursor.copy(f"COPY {table} FROM STDIN") as copy:
        for start in range(0, len(rows), 20_000):
            copy.write("".join(["\t".join(row) + "\n" for row in rows[start : start + 20_000]]))


def _few(wanted: Sequence[tuple[str, str, str]]) -> Accounts:
    """Most are there already: nothing is written to find that out."""
    columns = [list(column) for column in zip(*wanted, strict=True)]
    with connection.cursor() as cursor:
        by_name = _known(cursor, columns)
        fresh = [row for row in wanted if row[:2] not in by_name]
        if fresh:
            cursor.execute(
                'INSERT INTO journals_account (chart, account, "natural") SELECT * FROM unnest(%s::text[],'
                " %s::text[], %s::text[]) ORDER BY 1, 2 ON CONFLICT DO NOTHING",
                [list(column) for column in zip(*fresh, strict=True)],
            )
            by_name = _known(cursor, columns)
        return by_name


def _known(cursor: Any, columns: list[list[str]]) -> Accounts:
    cursor.execute(
        "SELECT a.chart, a.account, a.id, a.posted_as FROM journals_account a"
        " JOIN unnest(%s::text[], %s::text[]) AS w(chart, account) USING (chart, account)",
        columns[:2],
    )
    return {(chart, account): Interned(*more) for chart, account, *more in cursor.fetchall()}


def intern_dimensions(wanted: Sequence[str]) -> dict[str, Interned]:
    """Numbers of dimension combinations; the empty one is 0 and not kept."""
    texts = sorted({text for text in wanted if text})
    by_name = {"": Interned(0)}
    if texts:
        with connection.cursor() as cursor:
            known = "SELECT codes, id, posted_as FROM journals_dimensionset WHERE codes = ANY(%s)"
            cursor.execute(known, [texts])
            by_name.update((text, Interned(*more)) for text, *more in cursor.fetchall())
            if len(by_name) <= len(texts):
                cursor.execute(
                    "INSERT INTO journals_dimensionset (codes) SELECT * FROM unnest(%s::text[]) ORDER BY 1"
                    " ON CONFLICT DO NOTHING",
                    [[text for text in texts if text not in by_name]],
                )
                cursor.execute(known, [texts])
                by_name.update((text, Interned(*more)) for text, *more in cursor.fetchall())
    return by_name


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


def company_numbers(companies: Collection[str] | None = None) -> dict[str, int]:
    """The database's own numbers of companies (None: of all)."""
    if companies is not None and not companies:
        return {}
    with connection.cursor() as cursor:
        if companies is None:
            cursor.execute("SELECT company, id FROM companies_company")
        else:
            cursor.execute(
                "SELECT company, id FROM companies_company WHERE company = ANY(%s)", [sorted(companies)]
            )
        return dict(cursor.fetchall())
