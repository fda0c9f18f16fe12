"""Account strings and taggings as numbers: each text once, its number kept for good."""

from __future__ import annotations

from collections.abc import Sequence

from django.db import connection

Accounts = dict[tuple[str, str], int]


def intern_accounts(wanted: Sequence[tuple[str, str, str]]) -> Accounts:
    """Numbers of (chart, account, natural), adding those that are new. Keys of the result: (chart, account)."""
    if not wanted:
        return {}
    columns = [list(column) for column in zip(*wanted, strict=True)]
    with connection.cursor() as cursor:
        cursor.execute(
            'INSERT INTO journals_account (chart, account, "natural") SELECT * FROM unnest(%s::text[], %s::text[], %s::text[])'
            " ORDER BY 1, 2 ON CONFLICT DO NOTHING",
            columns,
        )
        cursor.execute(
            "SELECT a.chart, a.account, a.id FROM journals_account a"
            " JOIN unnest(%s::text[], %s::text[]) AS w(chart, account) USING (chart, account)",
            columns[:2],
        )
        return {(chart, account): number for chart, account, number in cursor.fetchall()}


def intern_dimensions(wanted: Sequence[str]) -> dict[str, int]:
    """Numbers of taggings; the empty one is 0 and not kept."""
    texts = [text for text in wanted if text]
    found = {"": 0}
    if texts:
        with connection.cursor() as cursor:
            cursor.execute(
                "INSERT INTO journals_tagging (codes) SELECT * FROM unnest(%s::text[]) ORDER BY 1 ON CONFLICT DO NOTHING",
                [texts],
            )
            cursor.execute("SELECT codes, id FROM journals_tagging WHERE codes = ANY(%s)", [texts])
            found.update(cursor.fetchall())
    return found
