"""What one row names in another table must exist there; and the way back: where a row is used."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from core.checks.build import fault
from core.definitions.state import State
from core.definitions.tables import (
    AccountString,
    Budget,
    Calendar,
    Chart,
    ChartDimension,
    ChartSegment,
    Code,
    CodeList,
    CodeName,
    CodeProperty,
    Company,
    CompanyAccount,
    CompanyCode,
    Dimension,
    Elimination,
    Group,
    GroupMember,
    Hierarchy,
    HierarchyNode,
    IntercompanyPair,
    ListProperty,
    Mapping,
    Overlay,
    OverlayCode,
    PairingCondition,
    PairingRule,
    Period,
    QuickCode,
    SetAside,
    Statement,
    StatementLine,
    Structure,
    StructureSegment,
)
from core.faults import Fault

NAMES: dict[type[Any], str] = {
    CodeList: "code list",
    Hierarchy: "hierarchy",
    Structure: "structure",
    Dimension: "dimension",
    Chart: "chart",
    Overlay: "overlay",
    Calendar: "calendar",
    Company: "company",
    Statement: "statement",
    Group: "group",
}

REFERENCES: tuple[tuple[type[Any], str, type[Any]], ...] = (
    (Code, "code_list", CodeList),
    (CodeName, "code_list", CodeList),
    (ListProperty, "code_list", CodeList),
    (CodeProperty, "code_list", CodeList),
    (SetAside, "code_list", CodeList),
    (Hierarchy, "code_list", CodeList),
    (HierarchyNode, "hierarchy", Hierarchy),
    (StructureSegment, "structure", Structure),
    (StructureSegment, "code_list", CodeList),
    (Dimension, "code_list", CodeList),
    (Chart, "structure", Structure),
    (ChartSegment, "chart", Chart),
    (ChartDimension, "chart", Chart),
    (ChartDimension, "dimension", Dimension),
    (PairingRule, "chart", Chart),
    (PairingCondition, "chart", Chart),
    (AccountString, "chart", Chart),
    (QuickCode, "chart", Chart),
    (QuickCode, "company", Company),
    (OverlayCode, "overlay", Overlay),
    (OverlayCode, "code_list", CodeList),
    (Period, "calendar", Calendar),
    (Company, "chart", Chart),
    (Company, "calendar", Calendar),
    (Company, "overlay", Overlay),
    (CompanyCode, "company", Company),
    (CompanyAccount, "company", Company),
    (IntercompanyPair, "company", Company),
    (IntercompanyPair, "partner", Company),
    (Statement, "chart", Chart),
    (StatementLine, "statement", Statement),
    (Group, "chart", Chart),
    (Group, "calendar", Calendar),
    (GroupMember, "group", Group),
    (Mapping, "group", Group),
    (Mapping, "company", Company),
    (Elimination, "group", Group),
    (Budget, "chart", Chart),
)
_BY_ROW: dict[type[Any], list[tuple[str, type[Any]]]] = {}
for _row, _column, _target in REFERENCES:
    _BY_ROW.setdefault(_row, []).append((_column, _target))


def check(state: State, rows: list[Any]) -> Iterator[Fault]:
    """Names in the rows that stand for nothing."""
    if not rows:
        return
    for column, target in _BY_ROW.get(type(rows[0]), []):
        known: dict[str, bool] = {"": True}
        for row in rows:
            name = getattr(row, column)
            if name not in known:
                known[name] = state.get(target, name) is not None
            if not known[name]:
                yield fault(
                    row,
                    column,
                    f"There is no {NAMES[target]} {name}.",
                    f"Add the {NAMES[target]} or correct the name.",
                    "reference",
                )


def users(state: State, target: type[Any], name: str) -> Iterator[Any]:
    """Rows that name a row with a single key: a list, a chart, a company …"""
    for row_class, column, named in REFERENCES:
        if named is target:
            for row in state.rows(row_class):
                if getattr(row, column) == name:
                    yield row
    if target in (Company, Group):
        kind = "company" if target is Company else "group"
        yield from (row for row in state.rows(GroupMember) if row.member == name and row.member_kind == kind)
