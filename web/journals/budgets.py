"""Budget lines: read and written by cell, and as a package brings them."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import Any, NamedTuple

from django.db import connection

from core.budgets.cells import BudgetCell, CellEdit
from web.definitions.models import Sealed
from web.definitions.sealing import Told, seal, text_of

COLUMNS = "budget, company, fiscal_year, period, account, dimensions, amount"
PUT = (
    f"INSERT INTO journals_budgetline ({COLUMNS}) VALUES (%s, %s, %s, %s, %s, %s, %s)"
    " ON CONFLICT (budget, company, fiscal_year, period, account, dimensions)"
    " DO UPDATE SET amount = excluded.amount"
)
TAKE_AWAY = (
    "DELETE FROM journals_budgetline WHERE budget = %s AND company = %s AND fiscal_year = %s"
    " AND period = %s AND account = %s AND dimensions = %s"
)
COPY = (
    f"INSERT INTO journals_budgetline ({COLUMNS})"
    " SELECT %s, company, fiscal_year, period, account, dimensions, amount"
    " FROM journals_budgetline WHERE budget = %s"
)


class BudgetBook(NamedTuple):
    """A company's year of a budget, with how many lines it has."""

    budget: str
    company: str
    fiscal_year: int
    lines: int


def budget_books() -> list[BudgetBook]:
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT budget, company, fiscal_year, count(*) FROM journals_budgetline GROUP BY 1, 2, 3 ORDER BY"
            " 1, 2, 3"
        )
        return [BudgetBook(*row) for row in cursor.fetchall()]


def budget_cells(budget: str, company: str, fiscal_year: int) -> dict[BudgetCell, int]:
    """Raw minor units."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT period, account, dimensions, amount FROM journals_budgetline"
            " WHERE budget = %s AND company = %s AND fiscal_year = %s",
            [budget, company, fiscal_year],
        )
        return {BudgetCell(*row[:3]): row[3] for row in cursor.fetchall()}


def write_edits(budget: str, company: str, fiscal_year: int, edits: Iterable[CellEdit]) -> None:
    """Inside the caller's transaction, which holds the budget's lock and has checked the cells."""
    book = (budget, company, fiscal_year)
    edits = list(edits)
    with connection.cursor() as cursor:
        if gone := [(*book, *edit.cell) for edit in edits if edit.now is None]:
            cursor.executemany(TAKE_AWAY, gone)
        if put := [(*book, *edit.cell, edit.now) for edit in edits if edit.now is not None]:
            cursor.executemany(PUT, put)
    seal_books([book])


def copy_budget(source: str, target: str) -> int:
    """All lines of a budget into one without any; how many."""
    with connection.cursor() as cursor:
        cursor.execute(COPY, [target, source])
        copied = int(cursor.rowcount)
    seal_budgets([target])
    return copied


def lock_budget(budget: str) -> None:
    """Whoever changes lines of a budget does so one after the other until commit."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_advisory_xact_lock(hashtextextended('budget ' || %s, 0))", [budget])


def stored_budgets() -> dict[tuple[Any, ...], int]:
    """(budget, company, fiscal year, period, account string, dimensions) → raw minor units."""
    with connection.cursor() as cursor:
        cursor.execute(f"SELECT {COLUMNS} FROM journals_budgetline")
        return {row[:6]: row[6] for row in cursor.fetchall()}


def write_budgets(rows: list[tuple[Any, ...]]) -> None:
    """Adds or replaces budget lines, with the columns of `stored_budgets` and its amount last."""
    with connection.cursor() as cursor:
        cursor.executemany(PUT, rows)
    seal_books(sorted({row[:3] for row in rows}))


BUDGETS = "budgets"
CONTENTS = (
    "SELECT budget, company, fiscal_year, count(*), sum(amount), encode(sha256(convert_to(string_agg("
    "concat_ws(chr(31), period, account, dimensions, amount), chr(30)"
    " ORDER BY period, account COLLATE \"C\", dimensions COLLATE \"C\"), 'UTF8')), 'hex')"
    " FROM journals_budgetline"
)
GROUPED = " GROUP BY 1, 2, 3 ORDER BY 1, 2, 3"


def seal_books(books: Sequence[tuple[str, str, int]]) -> None:
    """Seals companies' years of budgets as they stand, inside the caller's transaction; all of them where
    none was sealed before."""
    if not books:
        return
    if not Sealed.objects.filter(log=BUDGETS).exists():
        return seal(BUDGETS, budgets_told())
    names = [list(column) for column in zip(*books, strict=True)]
    where = (
        " WHERE (budget, company, fiscal_year) IN (SELECT * FROM unnest(%s::text[], %s::text[], %s::int[]))"
    )
    left = dict(_contents(where, names))
    seal(BUDGETS, ((key, left.get(key, ())) for key in map(_key, books)))


def seal_budgets(budgets: Sequence[str]) -> None:
    """The same of all that stands in some budgets."""
    seal_books([row[:3] for row in budget_books() if row.budget in budgets])


def budgets_told() -> Told:
    """Every company's year of every budget, by a hash over its lines."""
    return _contents("", [])


def _contents(where: str, values: list[Any]) -> Iterator[tuple[str, list[str]]]:
    with connection.cursor() as cursor:
        cursor.execute(CONTENTS + where + GROUPED, values)
        for row in cursor.fetchall():
            yield _key(row[:3]), [text_of(row[3], str(row[4]), row[5])]


def _key(book: Sequence[Any]) -> str:
    return " ".join(map(str, book))
