"""Kept account strings written anew: posted ones through the one function that may.

Lines stay as they were posted: they name their account string by number, and only the text behind the number
changes.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

from django.db import connection

from web.journals.budgets import seal_budgets
from web.journals.models import BudgetLine, Unfinished

Spell = Callable[[str], str]


def as_it_is(text: str) -> str:
    return text


def rewrite(table: str, column: str, chart: str, spell: Spell) -> None:
    """Spells the different texts of a column anew, recorded row by row
    (journals/migrations/0002_guards.py)."""
    where = "WHERE chart = %s" if chart else ""
    with connection.cursor() as cursor:
        cursor.execute(f'SELECT DISTINCT "{column}" FROM {table} {where}', [chart] if chart else [])
        texts = [text for (text,) in cursor.fetchall() if spell(text) != text]
        if texts:
            cursor.execute(
                "SELECT pine_recode(%s, %s, %s, %s)", [column, chart, texts, list(map(spell, texts))]
            )


def rewrite_strings(chart: str, account: Spell, tagging: Spell = as_it_is) -> None:
    """Account strings of a chart that were posted to, and what its budgets have of them."""
    rewrite("journals_account", "account", chart, account)
    lines = BudgetLine.objects.filter(budget__chart__chart=chart).values_list(
        "id", "account", "dimensions", "budget_id"
    )
    rows = [(account(text), tagging(codes), number) for number, text, codes, _ in lines]
    with connection.cursor() as cursor:
        cursor.executemany("UPDATE journals_budgetline SET account = %s, dimensions = %s WHERE id = %s", rows)
    seal_budgets(sorted({str(row[3]) for row in lines}))


def rewrite_unfinished(companies: Sequence[str], account: Spell) -> None:
    """Account strings of journals being keyed, which may be half written."""
    for entry in Unfinished.objects.filter(company__in=list(companies)):
        for line in entry.content.get("lines", []):
            if isinstance(line, dict) and isinstance(line.get("account"), str):
                line["account"] = account(line["account"])
        entry.save(update_fields=["content"])
