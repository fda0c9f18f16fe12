"""Books locked for a posting, in a fixed order, and how far they had come when amounts were worked out."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping

from django.db import connection

from core.faults import Fault, Location, Refused
from web.definitions.deciding import Moved
from web.journals.chain import lock_numbers

MOST_DEBITS = 4 * 10**18
"""Minor units of all debits of a book: up to this no sum of its amounts can wrap at 64 bits. Sums over
several books
switch over to integers without a bound where they might (core/books/balances.py)."""


def lock_books(debits: Mapping[tuple[str, int], int]) -> dict[tuple[str, int], tuple[int, int]]:
    """Makes and locks books in a fixed order and raises their sequence: (book id, its new sequence).

    `debits` is what comes to each, minor units. Raises Refused where a book would hold more than adds up
    exactly.
    """
    keep_within(debits)
    keys = sorted(debits)
    with connection.cursor() as cursor:
        cursor.execute(
            "INSERT INTO journals_book AS b (company, fiscal_year, sequence, debits)"
            " SELECT c, y, 1, d FROM unnest(%s::text[], %s::int[], %s::bigint[]) AS w(c, y, d) ORDER BY c, y"
            " ON CONFLICT (company, fiscal_year)"
            " DO UPDATE SET sequence = b.sequence + 1, debits = b.debits + excluded.debits"
            " RETURNING b.company, b.fiscal_year, b.id, b.sequence, b.debits",
            [[company for company, _ in keys], [year for _, year in keys], [debits[key] for key in keys]],
        )
        rows = cursor.fetchall()
    keep_within({(company, year): total for company, year, _, _, total in rows})
    return {(company, year): (number, sequence) for company, year, number, sequence, _ in rows}


def keep_within(totals: Mapping[tuple[str, int], int]) -> None:
    """Raises Refused where the debits of a book come to more than is sure to add up exactly."""
    faults = [
        Fault(
            "too-much",
            f"The debits of {company} in {year} would come to more than is kept exactly.",
            Location("journals", (), "journal"),
            f"At most {MOST_DEBITS:,} minor units a company and year.",
        )
        for (company, year), total in totals.items()
        if total > MOST_DEBITS
    ]
    if faults:
        raise Refused(faults)


BooksSeen = dict[tuple[str, int], int]
"""The sequences of companies' books, by (company, fiscal year): what amounts were worked out from."""


def books_seen(companies: Iterable[str], lock: bool = False) -> BooksSeen:
    """How far the books of companies have come; locked in a fixed order, nobody posts to those years."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT company, fiscal_year, sequence FROM journals_book WHERE company = ANY(%s)"
            f" ORDER BY company, fiscal_year{' FOR UPDATE' if lock else ''}",
            [sorted(set(companies))],
        )
        return {(company, year): sequence for company, year, sequence in cursor.fetchall()}


def hold_books(
    companies: Iterable[str], seen: BooksSeen, only: Collection[tuple[str, int]] | None = None
) -> None:
    """Keeps everybody else from posting to companies until commit. Raises Moved where somebody did since the
    books were looked at: any of them, or only some."""
    own = sorted(set(companies))
    lock_numbers(own)
    now = books_seen(own, lock=True)
    years = now.keys() | seen.keys() if only is None else only
    if any(now.get(year, 0) != seen.get(year, 0) for year in years):
        raise Moved


def see_that_journals_may(locked: Mapping[tuple[str, int], tuple[int, int]]) -> None:
    """A year has journals or balances kept elsewhere; whoever brings those locks its book too."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT EXISTS (SELECT FROM journals_balance n JOIN unnest(%s::text[], %s::int[]) AS w(c, y)"
            " ON n.company = w.c AND n.fiscal_year = w.y)",
            [list(column) for column in zip(*sorted(locked), strict=True)],
        )
        if cursor.fetchone()[0]:
            raise Moved
