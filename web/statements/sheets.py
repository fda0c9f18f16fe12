"""The heads of statements and budgets, and sets of columns, as tables edited in place."""

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
        ("statement", "name", "chart", "kind", "totals"),
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
        ("budget", "name", "chart", "approved", "kind"),
        (),
        titles={"budget": "Id"},
        order=lambda row: row.name,
        empty="No budgets yet.",
        register=True,
    ),
    lambda row: reverse("budget-first", args=[row.budget]),
)
NON_CASH_PAIRS = register(
    Sheet(
        "non-cash-pairs",
        "non_cash_pairs",
        "Non-cash pairs",
        "pair",
        ("pair", "name", "accounts", "against"),
        ("statement",),
        titles={"pair": "Id"},
        order=lambda row: row.pair,
        empty="Nothing is left out: every journal counts.",
    )
)
COLUMNS = register(
    Sheet(
        "columns",
        "column_sets",
        "Columns",
        "set of columns",
        (
            *("column_set", "name", "chart", "by", "within", "periods", "companies"),
            *("budget", "forecast", "beside", "part_of", "formulas"),
        ),
        (),
        titles={
            "column_set": "Id",
            "by": "By codes of",
            "part_of": "Per cent of line",
            "formulas": "Worked out",
        },
        order=lambda row: (row.chart, row.name),
        empty="No columns are kept yet: figures keep theirs under a name.",
        register=True,
    )
)
