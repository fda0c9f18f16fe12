"""The heads of statements and budgets, as tables edited in place."""

from __future__ import annotations

from django.urls import reverse

from core.sheets import Sheet
from web.sheets.pages import register

STATEMENTS = register(
    Sheet(
        "statements",
        "statements",
        "Statements",
        "statement",
        ("statement", "name", "chart", "kind"),
        (),
        titles={"statement": "Id"},
        order=lambda row: (row.chart, row.name),
        empty="No statements yet.",
        register=True,
    ),
    lambda row: reverse("statement", kwargs={"statement": row.statement}),
)
BUDGETS = register(
    Sheet(
        "budgets",
        "budgets",
        "Budgets",
        "budget",
        ("budget", "name", "chart"),
        (),
        titles={"budget": "Id"},
        order=lambda row: row.name,
        empty="No budgets yet: their lines come in with a package.",
        register=True,
    )
)
