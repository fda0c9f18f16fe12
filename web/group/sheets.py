"""The tables of storey 6 that are edited in place: members, eliminations, mapping rows, rates."""

from __future__ import annotations

from typing import Any

from django.urls import reverse

from core.definitions.state import State
from core.definitions.tables import Elimination
from core.group.mapping import ordered
from core.sheets import Given, Sheet, place_after
from web.sheets.pages import register


def _next_elimination(state: State, given: Given, near: Any) -> dict[str, Any]:
    return {
        "position": place_after(
            (row.position for row in state.part(Elimination, given["group"]).values()), near
        )
    }


def _next_row(state: State, given: Given, near: Any) -> dict[str, Any]:
    """The first mapping row that fits wins, so the place matters."""
    return {
        "position": place_after(
            (row.position for row in ordered(state, given["group"], given["company"])), near
        )
    }


GROUPS = register(
    Sheet(
        "groups",
        "groups",
        "Groups",
        "group",
        ("group", "name", "currency", "chart", "calendar"),
        (),
        titles={"group": "Id"},
        order=lambda row: row.name,
        empty="No groups yet: a group consolidates companies, or other groups.",
        register=True,
    ),
    lambda row: reverse("members", kwargs={"group": row.group}),
)
MEMBERS = register(
    Sheet(
        "members",
        "group_members",
        "Members",
        "member",
        ("member", "member_kind", "method", "ownership", "in_from", "in_until"),
        ("group",),
        titles={"member_kind": "Kind", "ownership": "Owned %", "in_from": "From", "in_until": "Until"},
        empty="No members yet: a group consolidates companies, or other groups.",
    )
)
ELIMINATIONS = register(
    Sheet(
        "eliminations",
        "eliminations",
        "Eliminations",
        "elimination",
        ("position", "elimination", "name", "accounts", "partners_only", "difference_account"),
        ("group",),
        titles={
            "position": "No.",
            "partners_only": "Partners only",
            "difference_account": "Difference goes to",
        },
        proposed=_next_elimination,
        empty="No eliminations: balances between members stay in the consolidated figures.",
    )
)
MAPPINGS = register(
    Sheet(
        "mappings",
        "mappings",
        "Rows: the first that fits wins",
        "row",
        ("position", "accounts", "field", "codes", "target"),
        ("group", "company"),
        titles={
            "position": "No.",
            "accounts": "Own accounts",
            "field": "Only where",
            "codes": "Is",
            "target": "Group account",
        },
        proposed=_next_row,
        empty="No rows yet: every account is unplaced.",
    )
)
RATES = register(
    Sheet(
        "rates",
        "rates",
        "Exchange rates",
        "rate",
        ("from_currency", "to_currency", "kind", "on", "rate"),
        (),
        titles={"from_currency": "From", "to_currency": "To"},
        empty="No rates are kept.",
        order=lambda row: (row.from_currency, row.to_currency, row.kind, row.on),
    )
)
