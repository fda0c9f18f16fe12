"""The tables of storey 6 that are edited in place: members, eliminations, mapping rows, rates."""

from __future__ import annotations

from datetime import timedelta
from decimal import Decimal
from fractions import Fraction
from typing import Any

from django.urls import reverse

from core.definitions.state import State
from core.definitions.tables import Acquisition, Elimination, Rate
from core.group.mapping import ordered
from core.group.ownership import held_apart, purchases_of
from core.money import round_half_up
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


def _purchases_not_keyed(state: State, given: Given) -> list[Acquisition]:
    """What a change of ownership says was bought or sold and no row does, the first of each member: all but
    the cost is known."""
    rows: dict[str, Acquisition] = {}
    for apart in held_apart(state, given["group"]):
        own = next(one for one in purchases_of(state, given["group"]) if one.member.company == apart.member)
        last = max((row for row in own.rows if row.on <= apart.on), key=lambda row: row.on)
        if last.on < apart.on:
            bought = last._replace(on=apart.on, percent=_as_kept(apart.missing), cost="", equity_at=None)
            rows.setdefault(apart.member, bought)
    return list(rows.values())


PERCENT_PLACES = 12


def _as_kept(percent: Fraction) -> Decimal:
    """By as many decimals as a percentage is kept with."""
    return Decimal(round_half_up(percent * 10**PERCENT_PLACES)).scaleb(-PERCENT_PLACES)


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
        (
            *("position", "elimination", "name", "accounts", "partners_only", "difference_account"),
            *("partners", "tolerance"),
        ),
        ("group",),
        titles={
            "position": "No.",
            "partners_only": "Partners only",
            "difference_account": "Difference goes to",
            "partners": "Partners are",
        },
        proposed=_next_elimination,
        empty="No eliminations: balances between members stay in the consolidated figures.",
    )
)
GROUP_ACCOUNTS = register(
    Sheet(
        "group-accounts",
        "groups",
        "Accounts for consolidation",
        "group",
        (
            *("group", "translation_account", "retained_account", "minority_account"),
            *("minority_result_account", "equity_investment_account", "equity_result_account"),
            *("disposal_account", "rates_through"),
        ),
        (),
        titles={
            "translation_account": "Translation reserve",
            "retained_account": "Retained",
            "minority_account": "Minority",
            "minority_result_account": "Minority's result",
            "equity_investment_account": "By equity",
            "equity_result_account": "Result by equity",
            "disposal_account": "Disposal",
            "rates_through": "Rates through",
        },
        adds=False,
    )
)
OWNERSHIP = register(
    Sheet(
        "ownership",
        "ownership_changes",
        "Changes of ownership",
        "change",
        ("member", "on", "ownership"),
        ("group",),
        titles={"ownership": "Owned % from then"},
        order=lambda row: (row.member, row.on),
        empty="What each member is owned at has not changed.",
    )
)
ACQUISITIONS = register(
    Sheet(
        "acquisitions",
        "acquisitions",
        "Acquisitions",
        "acquisition",
        (
            *("member", "on", "holder", "percent", "cost", "investment", "goodwill_account"),
            *("goodwill_in", "equity_at"),
        ),
        ("group",),
        titles={"percent": "Acquired %", "goodwill_account": "Goodwill", "goodwill_in": "In currency of"},
        missing=_purchases_not_keyed,
        order=lambda row: (row.member, row.on),
        empty="No acquisitions: investments in members stay as their holders booked them.",
    )
)
ACQUIRED_EQUITY = register(
    Sheet(
        "acquired-equity",
        "acquired_equity",
        "Equity acquired, where it is not the member's own",
        "amount",
        ("member", "on", "account", "amount"),
        ("group",),
        order=lambda row: (row.member, row.on, row.account),
        empty="Equity acquired is what the member's books show.",
    )
)
TRANSLATION = register(
    Sheet(
        "translation-rules",
        "translation_rules",
        "Translation: the first rule that fits",
        "rule",
        ("position", "accounts", "rate"),
        ("group",),
        titles={"position": "No."},
        empty="Balances at closing, results at average, equity at historical rates.",
    )
)
OPENINGS = register(
    Sheet(
        "group-openings",
        "group_openings",
        "Opening amounts of historical accounts",
        "amount",
        ("company", "account", "on", "amount"),
        ("group",),
        order=lambda row: (row.company, row.account, row.on),
        empty="Historical accounts come to what their rates give.",
    )
)
CHART_MAPPINGS = register(
    Sheet(
        "chart-mappings",
        "chart_mappings",
        "Mapping of whole charts",
        "row",
        ("chart", "position", "accounts", "field", "codes", "target"),
        ("group",),
        titles={
            "position": "No.",
            "accounts": "Own accounts",
            "field": "Only where",
            "codes": "Is",
            "target": "Group account",
        },
        order=lambda row: (row.chart, row.position),
        empty="No chart is mapped for all companies on it.",
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

NOTES = register(
    Sheet(
        "disagreement-notes",
        "disagreement_notes",
        "Notes on pairs, over all periods",
        "note",
        ("rule", "company", "partner", "state", "up_to", "note"),
        ("group",),
        titles={"rule": "Elimination", "up_to": "Accepted up to"},
        order=lambda row: (row.rule, row.company, row.partner),
        empty="No notes: each pair that disagrees is open.",
    )
)


def _next_rate(state: State, given: Given, near: Any) -> dict[str, Any]:
    """The month's end after the newest rate of the selected row's pair and kind."""
    row = near or max(state.rows(Rate), key=lambda row: row.on, default=None)
    if row is None:
        return {}
    pair = (row.from_currency, row.to_currency, row.kind)
    newest = max(r.on for r in state.rows(Rate) if (r.from_currency, r.to_currency, r.kind) == pair)
    after = (newest + timedelta(days=1)).replace(day=1) + timedelta(days=32)
    columns = ("from_currency", "to_currency", "kind", "on")
    return dict(zip(columns, (*pair, after.replace(day=1) - timedelta(days=1)), strict=True))


ROUNDINGS = register(
    Sheet(
        "roundings",
        "roundings",
        "Roundings from other currencies",
        "rounding",
        ("currency", "purpose", "in_use_from", "way"),
        (),
        titles={"currency": "To", "purpose": "Of amounts", "in_use_from": "From", "way": "Rounded"},
        order=lambda row: row[:3],
        empty="Everything is rounded to the nearest, halves away from zero.",
        register=True,
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
        proposed=_next_rate,
        empty="No rates are kept.",
        order=lambda row: (row.from_currency, row.to_currency, row.kind, row.on),
    )
)
