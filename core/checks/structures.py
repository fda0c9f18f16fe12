"""Checks of storey 2: structures, charts, pairing rules, account strings, quick codes."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from core.checks.build import selector_faults
from core.codes.lists import list_index
from core.definitions.row_faults import fault
from core.definitions.state import State
from core.definitions.tables import (
    AccountString,
    ChartDimension,
    ChartSegment,
    OverlayCode,
    PairingCondition,
    PairingRule,
    QuickCode,
    Structure,
    StructureSegment,
)
from core.faults import LOOK, Fault
from core.structures.accounts import code_fault, parse_dimensions
from core.structures.charts import ALWAYS_REQUIRED, ChartIndex, chart_index

MOST_SEGMENTS = 30


def structures(state: State, rows: list[Structure]) -> Iterator[Fault]:
    for row in rows:
        segments = state.part(StructureSegment, row.structure).values()
        if not any(segment.role == "natural_account" for segment in segments):
            what = f"The structure {row.structure} has no natural account."
            way_out = "Give one segment the role natural_account."
            yield fault(row, "structure", what, way_out, "no-natural-account")


def segments(state: State, rows: list[StructureSegment]) -> Iterator[Fault]:
    for name in sorted({row.structure for row in rows}):
        part = sorted(state.part(StructureSegment, name).values(), key=lambda s: s.position)
        roles: dict[str, str] = {}
        names: set[str] = set()
        for expected, row in enumerate(part, 1):
            if row.position != expected:
                what = f"Segment {row.segment} stands at position {row.position}, expected {expected}."
                yield fault(row, "position", what, "Number the segments from 1 without gaps.")
                break
        for row in part:
            if row.role != "other" and (first := roles.setdefault(row.role, row.segment)) != row.segment:
                what = f"{row.segment} has the role {row.role} that {first} has already."
                way_out = "At most one segment of a structure has this role."
                yield fault(row, "role", what, way_out, "role-twice")
            if row.segment in names:
                what = f"The segment {row.segment} stands in {name} twice."
                yield fault(row, "segment", what, "Give it another id.")
            names.add(row.segment)
        if len(part) > MOST_SEGMENTS:
            yield fault(
                part[-1], "position", f"A structure has at most {MOST_SEGMENTS} segments.", "Use dimensions."
            )


def _usable(field: Any, row: Any, column: str, code: str) -> Iterator[Fault]:
    if problem := code_fault(field, field.padded(code), column, code):
        yield fault(row, column, problem.what, problem.way_out, problem.code)


def chart_segments(state: State, rows: list[ChartSegment]) -> Iterator[Fault]:
    for row in rows:
        index = chart_index(state, row.chart)
        if index is None:
            continue
        field = next((s for s in index.segments if s.name == row.segment), None)
        if field is None:
            what = f"The structure of {row.chart} has no segment {row.segment}."
            yield fault(row, "segment", what, "Name a segment of the structure.", "reference")
        elif not row.required and field.role in ALWAYS_REQUIRED:
            what = f"{field.title} is the {field.role.replace('_', ' ')} segment: every line carries it."
            yield fault(row, "required", what, "Leave it required.", "segment-missing")
        elif row.default_code:
            yield from _usable(field, row, "default_code", row.default_code)


def chart_dimensions(state: State, rows: list[ChartDimension]) -> Iterator[Fault]:
    for row in rows:
        index = chart_index(state, row.chart)
        if index and any(segment.name == row.dimension for segment in index.segments):
            what = f"{row.dimension} is a segment of {row.chart} already."
            yield fault(row, "dimension", what, "A dimension and a segment have different names.")


def pairing_rules(state: State, rows: list[PairingRule]) -> Iterator[Fault]:
    for row in rows:
        index = chart_index(state, row.chart)
        if index is None:
            continue
        field = index.field(row.field)
        if field is None:
            what = f"{row.chart} has no segment or dimension {row.field}."
            yield fault(row, "field", what, "Name one of the chart.", "reference")
            continue
        if row.outcome in ("only", "never"):
            if not row.codes:
                what = f"The outcome {row.outcome} needs the codes it speaks of."
                yield fault(row, "codes", what, "Give a selector.")
            else:
                yield from selector_faults(state, row, "codes", field.code_list)[1]
        elif row.outcome == "fill":
            if not row.codes:
                yield fault(row, "codes", "The outcome fill needs the code to fill.", "Give one code.")
            else:
                yield from _usable(field, row, "codes", row.codes.strip())
        elif row.codes:
            yield fault(
                row, "codes", f"The outcome {row.outcome} uses no codes.", "Leave them out.", severity=LOOK
            )
        if row.in_use_from and row.in_use_until and row.in_use_until < row.in_use_from:
            yield fault(
                row, "in_use_until", "The rule would end before it begins.", "Give a later last day.", "dates"
            )


def pairing_conditions(state: State, rows: list[PairingCondition]) -> Iterator[Fault]:
    for row in rows:
        index = chart_index(state, row.chart)
        if index is None:
            continue
        if state.get(PairingRule, row.chart, row.rule) is None:
            yield fault(
                row, "rule", f"{row.chart} has no pairing rule {row.rule}.", "Add the rule.", "reference"
            )
        field = index.field(row.field)
        if field is None:
            what = f"{row.chart} has no segment or dimension {row.field}."
            yield fault(row, "field", what, "Name one of the chart.", "reference")
        else:
            yield from selector_faults(state, row, "codes", field.code_list)[1]


def parts_faults(index: ChartIndex, row: Any, column: str, account: str) -> Iterator[Fault]:
    """Each part of an account string must be a code that exists; its dates and the rules are not asked."""
    parts = index.split(account)
    if len(parts) > len(index.segments):
        what = f"{account} has {len(parts)} parts and {index.name} has {len(index.segments)} segments."
        way_out = f"Give at most {len(index.segments)} codes joined by '{index.separator}'."
        yield fault(row, column, what, way_out, "too-many-parts")
        return
    for field, code in zip(index.segments, parts, strict=True):
        padded = field.padded(code)
        if (
            code
            and (problem := code_fault(field, padded, column, account))
            and problem.code in ("code-unknown", "code-rollup")
        ):
            yield fault(row, column, problem.what, problem.way_out, problem.code)


def _known_codes(index: ChartIndex) -> list[set[str]]:
    """By segment what may stand there without another look: nothing, or a code that isn't a rollup code."""
    return [
        {"", *(code for code, row in segment.codes.items() if not row.rollup)} for segment in index.segments
    ]


def _all_known(known: list[set[str]], parts: list[str]) -> bool:
    return len(parts) == len(known) and all(map(set.__contains__, known, parts))


def account_strings(state: State, rows: list[AccountString]) -> Iterator[Fault]:
    seen: dict[tuple[str, str], str] = {}
    charts = {chart: chart_index(state, chart) for chart in {row.chart for row in rows}}
    known = {chart: _known_codes(index) for chart, index in charts.items() if index}
    for row in rows:
        index = charts[row.chart]
        if index is None:
            continue
        parts = index.split(row.account)
        if _all_known(known[row.chart], parts):
            normal = row.account if all(parts) else index.normal(row.account)
        else:
            yield from parts_faults(index, row, "account", row.account)
            normal = index.normal(row.account)
        first = seen.setdefault((row.chart, normal), row.account)
        if first != row.account:
            what = f"{row.account} is the same account string as {first}."
            yield fault(row, "account", what, "List it once.", "string-twice")
        if row.in_use_from and row.in_use_until and row.in_use_until < row.in_use_from:
            what = "The string would be closed before it is in use."
            yield fault(row, "in_use_until", what, "Give a later last day.", "dates")


def quick_codes(state: State, rows: list[QuickCode]) -> Iterator[Fault]:
    for row in rows:
        index = chart_index(state, row.chart)
        if index is None:
            continue
        if index.separator and index.separator in row.quick_code:
            what = f"A quick code of {row.chart} never holds its separator '{index.separator}'."
            yield fault(row, "quick_code", what, "Choose another word.", "separator")
        yield from parts_faults(index, row, "account", row.account)
        given, bad = parse_dimensions(row.dimensions)
        if bad:
            yield fault(row, "dimensions", bad, "Write season=SP26; project=P104.")
        for name, code in given.items():
            field = next((d for d in index.dimensions if d.name == name), None)
            if field is None:
                what = f"{row.chart} has no dimension {name}."
                yield fault(row, "dimensions", what, "Hang it on the chart.", "reference")
            else:
                yield from _usable(field, row, "dimensions", code)


def overlay_codes(state: State, rows: list[OverlayCode]) -> Iterator[Fault]:
    for row in rows:
        if row.code not in list_index(state, row.code_list).codes:
            what = f"There is no code {row.code} in {row.code_list}."
            yield fault(row, "code", what, "Add the code or correct it.", "reference")


CHECKS: list[tuple[type[Any], Any]] = [
    (Structure, structures),
    (StructureSegment, segments),
    (ChartSegment, chart_segments),
    (ChartDimension, chart_dimensions),
    (PairingRule, pairing_rules),
    (PairingCondition, pairing_conditions),
    (AccountString, account_strings),
    (QuickCode, quick_codes),
    (OverlayCode, overlay_codes),
]
