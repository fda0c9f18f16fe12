"""The tables of rollouts that are edited in place: the rollouts, and what each of them brings."""

from __future__ import annotations

from typing import Any

from django.urls import reverse

from core.definitions.state import State
from core.definitions.tables import RolloutItem
from core.sheets import Given, Sheet, place_after
from web.sheets.pages import register


def _next_item(state: State, given: Given, near: Any) -> dict[str, Any]:
    """Behind the selected one, of its kind."""
    rows = state.part(RolloutItem, given["rollout"]).values()
    position = place_after((row.position for row in rows), near)
    return {"position": position, "kind": near.kind if near is not None else "account"}


ROLLOUTS = register(
    Sheet(
        "rollouts",
        "rollouts",
        "Rollouts",
        "rollout",
        ("rollout", "name", "company", "companies", "in_use_from"),
        titles={
            "rollout": "Id",
            "company": "Things of",
            "companies": "Brought to",
            "in_use_from": "In use from",
        },
        order=lambda row: row.name,
        empty="No rollouts yet: one brings accounts, codes and rules of a company to many others.",
    ),
    lambda row: reverse("rollout", kwargs={"rollout": row.rollout}),
)
TO_WHOM = register(
    Sheet(
        "rollout-companies",
        "rollouts",
        "Whose, and to whom",
        "rollout",
        ("rollout", "name", "company", "companies", "in_use_from"),
        titles=ROLLOUTS.titles,
        adds=False,
    )
)
SWAPS = register(
    Sheet(
        "rollout-swap",
        "rollouts",
        "Segment swap",
        "rollout",
        ("rollout", "swap_field", "swap_from", "swap_to", "swap_name"),
        titles={
            "rollout": "Id",
            "swap_field": "In",
            "swap_from": "Instead of",
            "swap_to": "Comes",
            "swap_name": "Named",
        },
        adds=False,
    )
)
ITEMS = register(
    Sheet(
        "rollout-items",
        "rollout_items",
        "What it brings",
        "item",
        ("position", "kind", "field", "codes", "account", "name"),
        ("rollout",),
        titles={
            "position": "No.",
            "kind": "Kind",
            "field": "Field or statement",
            "codes": "Codes",
            "account": "Account string",
            "name": "Rule or quick code",
        },
        proposed=_next_item,
        empty="Nothing yet: accounts, codes, strings, rules, quick codes, places on statements.",
    )
)
