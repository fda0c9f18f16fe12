"""How a hierarchy stands, for the proof leaf."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from core.codes.hierarchies import standing_under_none, tree
from core.codes.lists import list_index, natural_lists
from core.codes.tree_counts import counted, mixed
from core.definitions.state import State, derived
from core.definitions.tables import Code, Hierarchy, HierarchyNode, StructureSegment
from core.drafts.readiness import OK
from core.faults import LOOK, MUST

MOST_LEVELS = 8


class Check(NamedTuple):
    """`codes` are those it speaks of, the first to go to."""

    severity: str
    sentence: str
    codes: tuple[str, ...] = ()


@derived(Hierarchy, HierarchyNode, Code, StructureSegment)
def of(state: State, hierarchy: str) -> tuple[Check, ...]:
    shape, row = tree(state, hierarchy), state.get(Hierarchy, hierarchy)
    checks = [
        Check(OK, "No code stands under two rollup codes"),
        Check(OK, "No rollup code stands under itself"),
    ]
    loose = (
        standing_under_none(state, shape.code_list)
        if row and row.main
        else [code for code in list_index(state, shape.code_list).posting if code not in shape.place]
    )
    if loose:
        checks.append(
            Check(
                MUST if row and row.main else LOOK,
                f"{len(loose):,} posting codes stand under none",
                tuple(loose[:40]),
            )
        )
    counts = counted(state, hierarchy)
    if counts.empty[-1]:
        first = [shape.codes[i] for i in np.flatnonzero(np.diff(counts.empty))[:40]]
        checks.append(Check(LOOK, f"{counts.empty[-1]:,} rollup codes hold nothing", tuple(first)))
    if shape.code_list in natural_lists(state):
        for code, classes in mixed(state, hierarchy)[:20]:
            named = " and ".join(name.capitalize() for name in classes)
            checks.append(Check(LOOK, f"{code} holds classes {named}", (code,)))
    if counts.levels > MOST_LEVELS:
        checks.append(
            Check(LOOK, f"It is {counts.levels} levels deep; more than {MOST_LEVELS} are hard to read")
        )
    return tuple(checks)
