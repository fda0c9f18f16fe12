"""Books of companies that moved to another chart, read in one: account strings of charts before as the move
has them, and without what journals of a move carried over, which stands where it was posted."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any, NamedTuple

import numpy as np
from django.db import connection

from core.books.balances import ROW, Books, ReadAs, books_from_rows, read_anew
from core.books.periods import ordinal
from core.definitions.state import State
from core.definitions.tables import ChartMove, Company
from web.process_cache import ProcessCache

AS_POSTED = """
    JOIN journals_account {account} ON {account}.id = {line}.account_id AND {account}.chart = {chart}
"""
NOT_CARRIED = """NOT EXISTS (
    SELECT 1 FROM journals_chartmove v
    JOIN journals_journal w ON w.company = v.company AND w.journal = v.journal
    WHERE v.company = {book}.company AND w.id = {line}.journal_id)"""
AS_READ = f"""
    LEFT JOIN journals_movedaccount {{account}}m ON {{account}}m.company = {{book}}.company
     AND {{account}}m.account_id = {{line}}.account_id AND {{account}}m.chart = {{chart}}
    JOIN journals_account {{account}} ON {{account}}.id = coalesce({{account}}m.now_id, {{line}}.account_id)
     AND {{account}}.chart = {{chart}} AND {NOT_CARRIED}
"""
LINES_OF_ACCOUNT = (
    "JOIN journals_journalline l"
    " ON l.account_id = a.id AND l.book_id = b.id AND l.fiscal_year = b.fiscal_year"
)
LINES_READ_AS = f"""
    JOIN LATERAL (SELECT a.id UNION ALL SELECT m.account_id FROM journals_movedaccount m
                  WHERE m.company = b.company AND m.chart = a.chart AND m.now_id = a.id) r ON true
    JOIN journals_journalline l
      ON l.account_id = r.id AND l.book_id = b.id AND l.fiscal_year = b.fiscal_year
     AND {NOT_CARRIED.format(book="b", line="l")}
"""
OWNED = """
    SELECT c.owners, c.part, c.side, a.id, NULL::text AS company
    FROM unnest(%(own)s::int[], %(own_charts)s::text[], %(parts)s::int[], %(sides)s::int[],
                %(naturals)s::text[]) AS c(owners, chart, part, side, "natural")
    JOIN journals_account a ON a.chart = c.chart AND a."natural" = c."natural"
"""
OWNED_READ_AS = f"""{OWNED}
    UNION ALL
    SELECT c.owners, c.part, c.side, m.account_id, m.company
    FROM unnest(%(own)s::int[], %(own_charts)s::text[], %(parts)s::int[], %(sides)s::int[],
                %(naturals)s::text[]) AS c(owners, chart, part, side, "natural")
    JOIN journals_account a ON a.chart = c.chart AND a."natural" = c."natural"
    JOIN journals_movedaccount m ON m.now_id = a.id AND m.chart = c.chart
"""
BOOK_IDS = "SELECT id, company, fiscal_year FROM journals_book WHERE company = ANY(%s)"
BOOKS_ASKED = """
    unnest(%(books)s::bigint[], %(companies)s::text[], %(years)s::int[], %(owners)s::int[],
           %(sequences)s::bigint[]) AS b(id, company, fiscal_year, owners, sequence)"""
BY_BOOK = f"""
    SELECT l.company, l.fiscal_year, l.journal_id, l.period, l.closing, l.amount, o.part, o.side
    FROM (SELECT b.company, b.fiscal_year, b.owners, l.journal_id, l.account_id, l.period, l.closing, l.amount
          FROM {BOOKS_ASKED}
          JOIN journals_journalline l
            ON l.book_id = b.id AND l.fiscal_year = b.fiscal_year AND l.sequence <= b.sequence{{carried}}
          OFFSET 0) l
    JOIN owned o ON o.id = l.account_id AND o.owners = l.owners AND (o.company = l.company) IS NOT false
"""
BY_ACCOUNT = f"""
    SELECT b.company, b.fiscal_year, l.journal_id, l.period, l.closing, l.amount, l.part, l.side
    FROM (SELECT o.owners, o.part, o.side, o.company AS only, l.book_id, l.journal_id, l.period, l.closing,
                 l.sequence, l.amount
          FROM owned o JOIN journals_journalline l ON l.account_id = o.id OFFSET 0) l
    JOIN {BOOKS_ASKED} ON b.id = l.book_id AND b.owners = l.owners AND l.sequence <= b.sequence
     AND (l.only = b.company) IS NOT false{{carried}}
"""
"""Lines of some books on some natural accounts. Strings are looked up once for all companies that share them.
By book just the lines of these books are gone through; by account those of other companies on the same
strings too, which is less where most companies of a chart are asked for. OFFSET 0 keeps the planner, which
takes `owned` for small, from looking each string up in each book."""
STRINGS = """
    SELECT a.id, a.id, a."natural" FROM journals_account a
    WHERE a.id = ANY(%(numbers)s) AND a.chart = %(chart)s
    UNION ALL
    SELECT m.account_id, n.id, n."natural" FROM journals_movedaccount m
    JOIN journals_account n ON n.id = m.now_id
    WHERE m.company = %(company)s AND m.chart = %(chart)s AND m.account_id = ANY(%(numbers)s)
"""
CARRIED = """
    SELECT b.fiscal_year, coalesce(l.partner_id, 0), l.account_id, coalesce(l.dimensions_id, 0), l.period,
           l.closing::int, sum(greatest(l.amount, 0))::bigint, sum(greatest(-l.amount, 0))::bigint
    FROM journals_chartmove v
    JOIN journals_journal j ON j.company = v.company AND j.journal = v.journal
    JOIN journals_journalline l ON l.journal_id = j.id JOIN journals_book b ON b.id = l.book_id
    WHERE v.company = %(company)s GROUP BY 1, 2, 3, 4, 5, 6
"""
UNREAD = """
    SELECT a.chart, a.account FROM journals_account a
    JOIN journals_chartmove v ON v.company = %(company)s AND v.chart_before = a.chart
    LEFT JOIN journals_chartmove until ON until.company = v.company AND until.chart_before = %(chart)s
    WHERE a.id = ANY(%(numbers)s) AND v."on" < coalesce(until."on", 'infinity')
"""
"""Strings of charts that the company was on before it came to the one that it is read in."""


class ReadBooks(NamedTuple):
    """A book read in a chart, and the one as posted that it was read from."""

    posted: Books
    read: Books


class NotRead(Exception):
    """An account string of a chart before that no move says how to read: amounts would be lost."""


_read: ProcessCache[tuple[str, int, str], ReadBooks] = ProcessCache(
    256 * 1024 * 1024, lambda one: one.read.rows.nbytes
)


def has_moved(state: State, companies: Iterable[str]) -> bool:
    """Whether any of some companies moved to the chart that it is on in a state."""
    return any(state.part(ChartMove, company) for company in companies)


def accounts_of_lines(
    state: State,
    companies: Iterable[str],
    line: str = "l",
    book: str = "b",
    account: str = "a",
    chart: str = "%(chart)s",
) -> str:
    """How SQL that goes by lines of some companies' books joins their account strings: as posted, or of a
    company that moved as they are read in its chart, without what was carried over. What a version of before
    a move doesn't know of is of another chart, and left out."""
    joined = AS_READ if has_moved(state, companies) else AS_POSTED
    return joined.format(line=line, book=book, account=account, chart=chart)


def lines_of_accounts(state: State, companies: Iterable[str]) -> str:
    """How SQL that goes by account strings (`a`) joins the lines (`l`) in a book (`b`) that are read as
    them."""
    return LINES_READ_AS if has_moved(state, companies) else LINES_OF_ACCOUNT


class OwnedAccounts(NamedTuple):
    """Some natural accounts of a chart, in parts (of a pair, of nothing) and on sides: (part, side,
    account)."""

    chart: str
    accounts: frozenset[tuple[int, int, str]]


ALL = 2**62


class BookUpTo(NamedTuple):
    """A company's book of a fiscal year as far as it was read."""

    company: str
    fiscal_year: int
    sequence: int


class LinesOfOwned(NamedTuple):
    """SQL: what it names `owned`; what it goes through, which is lines `l`, each with its company, fiscal
    year, part and side; the values of both."""

    owned: str
    lines: str
    values: dict[str, Any]


def lines_of_owned(
    state: State, owned: Mapping[str, OwnedAccounts], books: Iterable[BookUpTo] | None
) -> LinesOfOwned | None:
    """The lines of companies' books on some of their natural accounts, as they are read in its chart; None
    where there are no such books. `books`: as far as some were read; None: all."""
    numbers: dict[OwnedAccounts, int] = {}
    for accounts in owned.values():
        numbers.setdefault(accounts, len(numbers))
    with connection.cursor() as cursor:
        cursor.execute(BOOK_IDS, [sorted(owned)])
        known = cursor.fetchall()
    up_to = None if books is None else {(name, year): sequence for name, year, sequence in books}
    books_asked = [
        (number, company, year, numbers[owned[company]], sequence)
        for number, company, year in known
        if (sequence := ALL if up_to is None else up_to.get((company, year), 0))
    ]
    if not books_asked:
        return None
    accounts_asked = [
        (number, accounts.chart, *one)
        for accounts, number in numbers.items()
        for one in sorted(accounts.accounts)
    ]
    moved, charts = has_moved(state, owned), {accounts.chart for accounts in numbers}
    most = 2 * len(owned) >= sum(row.chart in charts for row in state.rows(Company))
    carried = f" AND {NOT_CARRIED.format(book='b', line='l')}" if moved else ""
    return LinesOfOwned(
        OWNED_READ_AS if moved else OWNED,
        f"({(BY_ACCOUNT if most else BY_BOOK).format(carried=carried)}) l",
        _columns(("own", "own_charts", "parts", "sides", "naturals"), accounts_asked)
        | _columns(("books", "companies", "years", "owners", "sequences"), books_asked),
    )


def _columns(names: Sequence[str], rows: Sequence[tuple[Any, ...]]) -> dict[str, list[Any]]:
    columns = [list(column) for column in zip(*rows, strict=True)] or [[] for _ in names]
    return dict(zip(names, columns, strict=True))


def read_in(chart: str, books: tuple[Books, ...]) -> tuple[Books, ...]:
    """The books of a company that moved, as posted, read in a chart. Raises NotRead."""
    earlier = [_read.get((one.company, one.fiscal_year, chart)) for one in books]
    known = [
        one.read if one and one.posted is book else None for one, book in zip(earlier, books, strict=True)
    ]
    if all(one is not None for one in known):
        return tuple(one for one in known if one is not None)
    company = books[0].company
    numbers = sorted({int(n) for one in books for n in np.unique(one.rows["account"])})
    strings = _strings(company, chart, numbers)
    carried = _carried(company, chart, strings)
    read = tuple(read_anew(one, strings, carried.get(one.fiscal_year)) for one in books)
    for one, posted in zip(read, books, strict=True):
        _read.put((company, one.fiscal_year, chart), ReadBooks(posted, one))
    return read


def _strings(company: str, chart: str, numbers: list[int]) -> dict[int, ReadAs]:
    values: dict[str, Any] = {"company": company, "chart": chart, "numbers": numbers}
    with connection.cursor() as cursor:
        cursor.execute(STRINGS, values)
        strings = {number: ReadAs(now, natural) for number, now, natural in cursor.fetchall()}
        cursor.execute(UNREAD, {**values, "numbers": [number for number in numbers if number not in strings]})
        unread: list[Any] = cursor.fetchall()
    if unread:
        what = ", ".join(f"{account} of {before}" for before, account in unread[:5])
        raise NotRead(f"Nothing says how {company} reads {what} in {chart}.")
    return strings


def _carried(company: str, chart: str, strings: dict[int, ReadAs]) -> dict[int, Books]:
    """By fiscal year what journals of the company's moves carried over, as far as the chart shows it."""
    with connection.cursor() as cursor:
        cursor.execute(CARRIED, {"company": company})
        lines = [line for line in cursor.fetchall() if line[2] in strings]
    by_year: dict[int, Books] = {}
    for year in sorted({line[0] for line in lines}):
        own = [(strings[line[2]], line) for line in lines if line[0] == year]
        naturals = tuple(sorted({one.natural for one, _ in own}))
        rows = [
            (
                naturals.index(one.natural),
                partner,
                one.account,
                tags,
                ordinal(year, period),
                closing,
                debit,
                credit,
            )
            for one, (_, partner, _, tags, period, closing, debit, credit) in own
        ]
        by_year[year] = books_from_rows(company, year, 0, naturals, np.array(rows, dtype=ROW))
    return by_year
