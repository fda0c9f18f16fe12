"""Account strings and taggings as numbers: each text once, its number kept for good."""

from __future__ import annotations

from collections.abc import Sequence

from django.db import connection

FEW = 500
Accounts = dict[tuple[str, str], int]


def intern_accounts(wanted: Sequence[tuple[str, str, str]]) -> Accounts:
    """Numbers of (chart, account, natural), adding those that are new. Keys of the result: (chart, account)."""
    if not wanted:
        return {}
    if len(wanted) < FEW:
        return _few(wanted)
    with connection.cursor() as cursor:
        # Through a table of its own: arrays of many texts as parameters cost more than the rows.
        cursor.execute('CREATE TEMP TABLE IF NOT EXISTS wanted_accounts (chart text, account text, "natural" text)')
        cursor.execute("TRUNCATE wanted_accounts")
        with cursor.copy("COPY wanted_accounts FROM STDIN") as copy:
            for start in range(0, len(wanted), 20_000):
                copy.write("".join(["\t".join(row) + "\n" for row in wanted[start : start + 20_000]]))
        cursor.execute("SELECT a.chart, a.account, a.id FROM journals_account a JOIN wanted_accounts w USING (chart, account)")
        found = {(chart, account): number for chart, account, number in cursor.fetchall()}
        fresh = [row for row in dict.fromkeys(wanted) if row[:2] not in found]
        # Only an import brings so many, and it holds the lock that keeps posters out: numbers can be given here.
        cursor.execute(
            "SELECT nextval(pg_get_serial_sequence('journals_account', 'id')) FROM generate_series(1, %s)", [len(fresh)]
        )
        numbers = [row[0] for row in cursor.fetchall()]
        with cursor.copy('COPY journals_account (id, chart, account, "natural") FROM STDIN') as copy:
            for start in range(0, len(fresh), 20_000):
                part = zip(numbers[start : start + 20_000], fresh[start : start + 20_000], strict=True)
                copy.write("".join([f"{number}\t{chart}\t{account}\t{natural}\n" for number, (chart, account, natural) in part]))
        found.update(((chart, account), number) for number, (chart, account, _) in zip(numbers, fresh, strict=True))
    return found


def _few(wanted: Sequence[tuple[str, str, str]]) -> Accounts:
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
