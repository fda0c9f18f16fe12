"""Budget lines: read and written by cell, and as a package brings them."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, NamedTuple

from django.db import connection

from core.budgets.cells import BudgetCell, CellEdit

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


def copy_budget(source: str, target: str) -> int:
    """All lines of a budget into one without any; how many."""
    with connection.cursor() as cursor:
        cursor.execute(COPY, [target, source])
        return int(cursor.rowcount)


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
