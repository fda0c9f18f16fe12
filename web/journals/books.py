"""Balances of companies as packed arrays: kept in the process by the book's sequence, read from the pack, or
added up
from the lines. Only books that moved are read again."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from typing import Any

import numpy as np
import psycopg
from django.db import connection

from core.books.balances import ROW, Books, PostedColumns, books_from_rows, books_of, unpack
from core.books.periods import BROUGHT_FORWARD, ordinal
from core.definitions.state import State
from core.definitions.tables import Company
from core.faults import Fault, Refused
from web.journals.line_parts import is_attached
from web.journals.reading import read_in
from web.process_cache import ProcessCache

LONGEST_TAIL = 2_000
MOST_BYTES = 512 * 1024 * 1024
_kept: ProcessCache[int, Books] = ProcessCache(MOST_BYTES, lambda books: books.rows.nbytes)


def books_for(state: State, companies: Iterable[str]) -> dict[str, tuple[Books, ...]]:
    """All fiscal years of each company as of now, read in the chart that it is on in a state."""
    by_key, moved = _up_to_now(companies)
    for company in moved:
        if (row := state.get(Company, company)) and by_key[company]:
            by_key[company] = read_in(row.chart, by_key[company])
    return by_key


def books_as_posted(companies: Iterable[str]) -> dict[str, tuple[Books, ...]]:
    """The same on the account strings that were posted to, whichever chart they are of."""
    return _up_to_now(companies)[0]


def _up_to_now(companies: Iterable[str]) -> tuple[dict[str, tuple[Books, ...]], set[str]]:
    """Books as posted, and which of the companies ever moved to another chart."""
    names = sorted(set(companies))
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT b.id, b.company, b.fiscal_year, b.sequence, p.sequence, EXISTS"
            " (SELECT 1 FROM journals_chartmove v WHERE v.company = b.company) FROM journals_book b"
            " LEFT JOIN journals_bookpack p ON p.book_id = b.id WHERE b.company = ANY(%s) ORDER BY b.company,"
            " b.fiscal_year",
            [names],
        )
        heads = cursor.fetchall()
    by_name = {entry[0]: books for entry in heads if (books := _kept.get(entry[0])) is not None}
    by_name |= _brought_up(by_name, [h for h in heads if h[3] and not _is_fresh(by_name.get(h[0]), h)])
    by_key: dict[str, list[Books]] = {name: [] for name in names}
    for entry in heads:
        if entry[0] in by_name and entry[3]:
            by_key[entry[1]].append(by_name[entry[0]])
    moved = {entry[1] for entry in heads if entry[5]}
    return {name: tuple(books) for name, books in by_key.items()}, moved


def _brought_up(by_name: dict[int, Books], stale: list[tuple[Any, ...]]) -> dict[int, Books]:
    """Books that lag, brought up to their rows (id, company, year, sequence, that of the pack) and kept."""
    packed = [h for h in stale if h[4] is not None and not _can_follow(by_name.get(h[0]), h)]
    bases = {
        **{h[0]: by_name[h[0]] for h in stale if h not in packed and h[4] is not None},
        **_unpacked([h[0] for h in packed]),
    }
    now = {entry[0]: _up_to_date(entry, bases.get(entry[0])) for entry in stale}
    for number, books in now.items():
        _kept.put(number, books)
    return now


def _is_fresh(kept: Books | None, head: Any) -> bool:
    return (
        kept is not None
        and kept.sequence == head[3]
        and (kept.company, kept.fiscal_year) == (head[1], head[2])
    )


def _can_follow(kept: Books | None, head: Any) -> bool:
    return kept is not None and kept.company == head[1] and head[4] <= kept.sequence <= head[3]


def _unpacked(books: list[int]) -> dict[int, Books]:
    if not books:
        return {}
    connection.ensure_connection()
    with psycopg.Cursor(
        connection.connection
    ) as cursor:  # binary: bytes come as they are, not as hexadecimal text
        cursor.execute(
            "SELECT book_id, data FROM journals_bookpack WHERE book_id = ANY(%s)", [books], binary=True
        )
        return {number: unpack(data) for number, data in cursor.fetchall()}


def _up_to_date(head: Any, base: Books | None) -> Books:
    book, company, year, sequence, *_ = head
    if base is not None and base.sequence == sequence:
        return base
    if base is not None:
        with connection.cursor() as cursor:
            cursor.execute(TAIL, [book, year, base.sequence, LONGEST_TAIL + 1])
            rows = cursor.fetchall()
        if len(rows) <= LONGEST_TAIL:
            columns = [list(column) for column in zip(*rows, strict=True)] or [[] for _ in range(8)]
            last = max(columns[7], default=base.sequence)
            return books_of(company, year, last, PostedColumns(*columns[:7]), base)
    return rebuild(book, company, year, sequence)


TAIL = """
    SELECT a."natural", coalesce(l.partner_id, 0), l.account_id, coalesce(l.dimensions_id, 0), l.period,
    l.closing, l.amount,
           l.sequence
    FROM journals_journalline l JOIN journals_account a ON a.id = l.account_id
    WHERE l.book_id = %s AND l.fiscal_year = %s AND l.sequence > %s LIMIT %s
"""
SUMS = """
    SELECT a."natural", coalesce(l.partner_id, 0), l.account_id, coalesce(l.dimensions_id, 0), l.period,
    l.closing::int,
           sum(greatest(l.amount, 0))::bigint, sum(greatest(-l.amount, 0))::bigint
    FROM journals_journalline l JOIN journals_account a ON a.id = l.account_id
    WHERE l.book_id = %s AND l.fiscal_year = %s AND l.sequence <= %s GROUP BY 1, 2, 3, 4, 5, 6
"""
ELSEWHERE = """
    SELECT a."natural", l.partner_id, l.account_id, l.dimensions_id, l.period, 0,
           greatest(l.amount, 0), greatest(-l.amount, 0)
    FROM journals_balance l JOIN journals_account a ON a.id = l.account_id
    WHERE l.company = %s AND l.fiscal_year = %s AND l.amount <> 0
"""


def rebuild(book: int, company: str, year: int, sequence: int) -> Books:
    """Adds a book up from its lines, or from the balances kept elsewhere, and packs it."""
    books = added_up(book, company, year, sequence)
    save_packs([(book, books)])
    return books


def _see_that_lines_are_there(cursor: Any, book: int, company: str, year: int) -> None:
    """A book without a line is one that was posted to nothing, and not one whose year is kept elsewhere: its
    amounts would be nil in silence. Raises Refused."""
    cursor.execute("SELECT debits > 0 FROM journals_book WHERE id = %s", [book])
    (has_amounts,) = cursor.fetchone()
    if has_amounts and not is_attached(year):
        what = f"The lines of {company} in {year} are not attached, so its books can't be added up."
        raise Refused(
            [
                Fault(
                    "lines-elsewhere",
                    what,
                    way_out=f"Attach the lines of {year} again (docs/architecture.md).",
                )
            ]
        )


def added_up(book: int, company: str, year: int, sequence: int) -> Books:
    with connection.cursor() as cursor:
        cursor.execute(ELSEWHERE, [company, year])
        rows = cursor.fetchall()
        if rows:
            rows = [(*row[:4], BROUGHT_FORWARD if row[4] == 0 else row[4], *row[5:]) for row in rows]
        else:
            cursor.execute(SUMS, [book, year, sequence])
            rows = cursor.fetchall()
            if not rows and sequence:
                _see_that_lines_are_there(cursor, book, company, year)
    naturals = sorted({row[0] for row in rows})
    number = {name: i for i, name in enumerate(naturals)}
    values = np.array(
        [(number[r[0]], r[1], r[2], r[3], ordinal(year, r[4]), *r[5:]) for r in rows], dtype=ROW
    )
    return books_from_rows(company, year, sequence, tuple(naturals), values)


def packed(book: int) -> Books | None:
    """What is kept packed of a book, as it is."""
    return _unpacked([book]).get(book)


def same(one: Books, other: Books) -> bool:
    """Whether two hold the same amounts, whatever order their accounts are numbered in."""

    def amounts(books: Books) -> list[tuple[Any, ...]]:
        rows = books.rows[(books.rows["debit"] != 0) | (books.rows["credit"] != 0)]
        return sorted((books.naturals[row[0]], *row[1:]) for row in rows.tolist())

    return (one.company, one.fiscal_year) == (other.company, other.fiscal_year) and amounts(one) == amounts(
        other
    )


def as_of(book: int, company: str, year: int, sequence: int) -> Books:
    """A book's balances up to a sequence, read afresh and kept nowhere: for use inside a posting's
    transaction."""
    base = _unpacked([book]).get(book)
    if base is not None and base.sequence == sequence:
        return base
    return added_up(book, company, year, sequence)


def save_packs(made: Iterable[tuple[int, Books]]) -> None:
    """Keeps packs beside the lines. One that is older than what is there already is passed over."""
    with connection.cursor() as cursor:
        cursor.executemany(
            "INSERT INTO journals_bookpack (book_id, sequence, data) VALUES (%s, %s, %s) ON CONFLICT"
            " (book_id) DO UPDATE SET sequence = excluded.sequence, data = excluded.data WHERE"
            " journals_bookpack.sequence < excluded.sequence",
            [(book, books.sequence, books.packed()) for book, books in made],
        )


def forget_packs(companies: Iterable[str]) -> dict[int, Books]:
    """Lets packs go, so that books are added up anew from their lines, by book as they were; raises every
    book's sequence, so that no process goes on with what it keeps. A pack of lines of several charts says
    nowhere which account is of which."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT id, sequence FROM journals_book WHERE company = ANY(%s) ORDER BY id FOR UPDATE",
            [list(companies)],
        )
        books = dict(cursor.fetchall())
        packs = _unpacked(list(books))
        cursor.execute(
            "UPDATE journals_book SET sequence = sequence + 1 WHERE id = ANY(%s) AND sequence > 0",
            [list(books)],
        )
        cursor.execute("DELETE FROM journals_bookpack WHERE book_id = ANY(%s)", [list(books)])
    return {number: pack for number, pack in packs.items() if pack.sequence == books[number]}


def replace_naturals(companies: Iterable[str], spelt: dict[str, str]) -> None:
    """Spells natural accounts in packs anew."""
    save_packs(
        (
            number,
            replace(
                pack,
                sequence=pack.sequence + 1,
                naturals=tuple(spelt.get(code, code) for code in pack.naturals),
            ),
        )
        for number, pack in forget_packs(companies).items()
    )
