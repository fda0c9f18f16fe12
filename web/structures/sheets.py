"""The tables of storey 2 that are edited in place: segments, pairing rules, hung dimensions, quick codes,
account strings."""

from __future__ import annotations

from typing import Any

from django.urls import reverse

from core.changes.kinds import Change, Drop, Put
from core.definitions.parsing import read_value, write_cell
from core.definitions.state import State
from core.definitions.tables import (
    TABLES,
    Chart,
    ChartSegment,
    PairingCondition,
    PairingRule,
    StructureSegment,
)
from core.sheets import Cells, CompanionColumns, Given, Sheet, place_after, text_column
from core.structures.charts import chart_index, order_words
from web.sheets.pages import register

OWN = ("required", "default_code", "display_position")


def _own(state: State, given: Given, row: Any) -> Cells:
    chart_segment_row = state.get(ChartSegment, given["chart"], row.segment) or ChartSegment(
        given["chart"], row.segment
    )
    return {name: write_cell(getattr(chart_segment_row, name)) for name in OWN}


def _put_own(state: State, given: Given, row: Any, cells: Cells) -> list[Change]:
    known = state.get(ChartSegment, given["chart"], row.segment)
    table = TABLES["chart_segments"]
    base = known or ChartSegment(given["chart"], row.segment)
    own = base._replace(
        **{
            name: read_value(table.by_name[name], cells[name])
            for name in OWN
            if cells.get(name, "") or name != "required"
        }
    )
    if (
        state.get(StructureSegment, row.structure, row.position) is None
    ):  # a new segment begins alike in all charts
        others = [
            chart.chart
            for chart in state.rows(Chart)
            if chart.structure == row.structure and chart.chart != own.chart
        ]
        return [
            Put(own._replace(chart=chart))
            for chart in (own.chart, *others)
            if own != ChartSegment(own.chart, row.segment)
        ]
    return [Put(own)] if known is not None or own != ChartSegment(given["chart"], row.segment) else []


def _next_segment(state: State, given: Given, near: Any) -> dict[str, Any]:
    chart_row = state.get(Chart, given["chart"])
    rows = state.part(StructureSegment, chart_row.structure) if chart_row else {}
    return {"position": max((row.position for row in rows.values()), default=0) + 1}


def _next_rule(state: State, given: Given, near: Any) -> dict[str, Any]:
    return {
        "position": place_after(
            (row.position for row in state.part(PairingRule, given["chart"]).values()), near
        )
    }


def _conditions(state: State, given: Given, row: Any) -> Cells:
    rows = sorted(c for c in state.part(PairingCondition, row.chart).values() if c.rule == row.rule)
    return {"when": "; ".join(f"{c.field}: {c.codes}" for c in rows)}


def _put_conditions(state: State, given: Given, row: Any, cells: Cells) -> list[Change]:
    wanted: dict[str, str] = {}
    for part in cells.get("when", "").split(";"):
        if not part.strip():
            continue
        name, colon, codes = part.partition(":")
        if not colon or not name.strip() or not codes.strip():
            raise ValueError(
                f"'{part.strip()}' is not written as a segment, a colon and its codes, as in account: 11240"
                " to 11249."
            )
        if name.strip() in wanted:
            raise ValueError(f"{name.strip()} stands twice; join its codes with commas.")
        wanted[name.strip()] = codes.strip()
    known = [c for c in state.part(PairingCondition, row.chart).values() if c.rule == row.rule]
    gone = [Drop(c) for c in known if c.field not in wanted]
    return [
        *gone,
        *(Put(PairingCondition(row.chart, row.rule, name, codes)) for name, codes in wanted.items()),
    ]


def _string_shown(state: State, given: Given, column: str, cell: str) -> str:
    """An account string in the order of segments that the chart shows, as on every other screen."""
    index = chart_index(state, given["chart"]) if column == "account" and cell else None
    return index.shown(cell) if index else cell


def _string_kept(state: State, given: Given, column: str, cell: str) -> str:
    index = chart_index(state, given["chart"]) if column == "account" and cell else None
    return index.kept(cell) if index else cell


def _orders(state: State, given: Given) -> str:
    index = chart_index(state, given["chart"])
    return order_words(index) if index else ""


STRUCTURES = register(
    Sheet(
        "structures",
        "structures",
        "Structures",
        "structure",
        ("structure", "name", "separator"),
        (),
        titles={"structure": "Id"},
        order=lambda row: row.name,
        empty="No structures yet.",
        register=True,
    )
)
CHARTS = register(
    Sheet(
        "charts",
        "charts",
        "Charts",
        "chart",
        ("chart", "name", "structure", "new_strings", "approval", "result_account", "exchange_account"),
        (),
        titles={
            "chart": "Id",
            "new_strings": "New account strings",
            "approval": "Needs approval",
            "result_account": "Takes the result",
            "exchange_account": "Takes exchange differences",
        },
        order=lambda row: row.name,
        empty="No charts yet: a chart puts a structure to use for companies.",
        register=True,
    ),
    lambda row: reverse("structure", kwargs={"chart": row.chart}),
)
SECOND_CHART_MAPPINGS = register(
    Sheet(
        "second-chart-mappings",
        "second_chart_mappings",
        "Mapping",
        "row",
        ("position", "accounts", "field", "codes", "target"),
        ("chart", "second_chart"),
        titles={
            "position": "No.",
            "accounts": "Own accounts",
            "field": "Only where",
            "codes": "Is",
            "target": "Account there",
        },
        order=lambda row: row.position,
        empty="No account has its place there yet.",
    )
)
DIMENSIONS = register(
    Sheet(
        "dimension-heads",
        "dimensions",
        "Dimensions",
        "dimension",
        ("dimension", "name", "code_list"),
        (),
        titles={"dimension": "Id", "code_list": "Code list"},
        order=lambda row: row.name,
        empty="No dimensions yet: a dimension tags lines with codes of a list, beside the account string.",
        register=True,
    )
)
SEGMENTS = register(
    Sheet(
        "segments",
        "structure_segments",
        "Segments",
        "segment",
        ("position", "segment", "name", "code_list", "role", "required", "default_code", "display_position"),
        ("structure", "chart"),
        CompanionColumns(tuple(TABLES["chart_segments"].by_name[name] for name in OWN), _own, _put_own),
        {
            "position": "No.",
            "code_list": "Code list",
            "default_code": "Default",
            "display_position": "Shown as no.",
        },
        _next_segment,
        empty="No segments yet: one of them must be the natural account.",
    )
)
RULES = register(
    Sheet(
        "rules",
        "pairing_rules",
        "Pairing rules",
        "rule",
        ("position", "rule", "when", "field", "outcome", "codes", "message", "in_use_from", "in_use_until"),
        ("chart",),
        CompanionColumns((text_column("when", "selector"),), _conditions, _put_conditions),
        {
            "position": "No.",
            "when": "When",
            "field": "Then",
            "outcome": "Is",
            "codes": "Codes",
            "message": "Says",
            "in_use_from": "From",
            "in_use_until": "Until",
        },
        _next_rule,
        empty="No pairing rules: any codes go together.",
    )
)
HUNG = register(
    Sheet(
        "dimensions",
        "chart_dimensions",
        "Dimensions beside it",
        "dimension",
        ("dimension", "required"),
        ("chart",),
        empty="No dimension hangs beside the account string.",
    )
)
QUICK = register(
    Sheet(
        "quick-codes",
        "quick_codes",
        "Quick codes",
        "quick code",
        ("quick_code", "account", "dimensions", "company", "scope", "owner"),
        ("chart",),
        empty="A quick code is a short word that stands for an account string with its dimensions.",
        as_shown=_string_shown,
        as_kept=_string_kept,
        orders=_orders,
    )
)
STRINGS = register(
    Sheet(
        "strings",
        "account_strings",
        "Listed account strings",
        "account string",
        ("account", "enabled", "in_use_from", "in_use_until"),
        ("chart",),
        titles={"in_use_from": "From", "in_use_until": "Until"},
        empty="No account strings are listed.",
        as_shown=_string_shown,
        as_kept=_string_kept,
        orders=_orders,
    )
)


def sample(state: State, chart: str) -> str:
    """An account string of the chart's first codes, as it is shown."""
    index = chart_index(state, chart)
    if index is None:
        return ""
    codes = [
        field.default
        or next(
            (c for c in sorted(field.codes) if field.codes[c].takes_amounts),
            "0" * (field.rule.min_length if field.rule else 1),
        )
        for field in index.segments
    ]
    return index.shown(index.separator.join(codes))
