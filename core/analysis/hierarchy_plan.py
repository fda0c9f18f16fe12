"""A hierarchy of natural accounts as a statement that nobody built: its rollup and posting codes down to a
level, raw amounts."""

from __future__ import annotations

import numpy as np

from core.codes.hierarchies import tree
from core.codes.lists import list_index
from core.definitions.state import State, derived
from core.definitions.tables import (
    Chart,
    Code,
    Hierarchy,
    HierarchyNode,
    Statement,
    StatementLine,
    Structure,
    StructureSegment,
)
from core.faults import WrongCall
from core.statements.line_parts import DEBIT
from core.statements.plans import RESULT_CLASSES, Plan, PlanLine, natural_list


def hierarchy_plan(state: State, chart: str, hierarchy: str, level: int | None = None) -> Plan:
    """Raises WrongCall for a hierarchy that isn't one of the chart's natural accounts, or a level below the
    top. Lines are named by their codes; every account with an amount belongs."""
    row = state.get(Hierarchy, hierarchy)
    code_list = natural_list(state, chart)
    if row is None:
        raise WrongCall(f"There is no hierarchy {hierarchy}.")
    if row.code_list != code_list:
        raise WrongCall(
            f"Hierarchy {hierarchy} is of {row.code_list}, not of the natural accounts of {chart}."
        )
    if level is not None and level < 1:
        raise WrongCall(f"There is no level {level}; the top is level 1.")
    return _planned(state, chart, hierarchy, level or 0)


@derived(Chart, Structure, StructureSegment, Code, Hierarchy, HierarchyNode)
def _planned(state: State, chart: str, hierarchy: str, level: int) -> Plan:
    """`level` 0: all levels."""
    code_list = natural_list(state, chart)
    accounts, shape = list_index(state, code_list), tree(state, hierarchy)
    line_of = np.full(len(accounts.posting), -1, dtype=np.int64)
    lines: list[PlanLine] = []
    index: dict[str, int] = {}
    for code, depth in shape.order:
        if code not in accounts.codes or (level and depth >= level):
            continue
        named, parent = accounts.codes[code], shape.parent.get(code, "")
        cut = level and depth == level - 1
        picks = [c for c in [code, *(shape.below(code) if cut else ())] if c in accounts.position]
        kind = "heading" if named.rollup and not cut else "accounts"
        place = index[code] = len(lines)
        line_of[[accounts.position[c] for c in picks]] = place
        line = StatementLine(hierarchy, code, parent, place, named.name, kind, sign="debit")
        lines.append(PlanLine(line, depth, index.get(parent, -1), DEBIT, tuple(sorted(picks)), False))
    name = state.get(Hierarchy, hierarchy)
    classes = [accounts.codes[code].account_class for code in accounts.posting]
    return Plan(
        Statement(hierarchy, name.name if name else hierarchy, chart, "balance_sheet"),
        accounts,
        tuple(lines),
        index,
        line_of,
        (),
        (),
        False,
        np.array([c in RESULT_CLASSES for c in classes], dtype=bool),
    )
