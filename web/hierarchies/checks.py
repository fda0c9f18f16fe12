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
    made, head = tree(state, hierarchy), state.get(Hierarchy, hierarchy)
    found = [
        Check(OK, "No code stands under two rollup codes"),
        Check(OK, "No rollup code stands under itself"),
    ]
    loose = (
        standing_under_none(state, made.code_list)
        if head and head.main
        else [code for code in list_index(state, made.code_list).posting if code not in made.place]
    )
    if loose:
        found.append(
            Check(
                MUST if head and head.main else LOOK,
                f"{len(loose):,} posting codes stand under none",
                tuple(loose[:40]),
            )
        )
    counts = counted(state, hierarchy)
    if counts.empty[-1]:
        first = [made.order[i][0] for i in np.flatnonzero(np.diff(counts.empty))[:40]]
        found.append(Check(LOOK, f"{counts.empty[-1]:,} rollup codes hold nothing", tuple(first)))
    if made.code_list in natural_lists(state):
        for code, classes in mixed(state, hierarchy)[:20]:
            named = " and ".join(name.capitalize() for name in classes)
            found.append(Check(LOOK, f"{code} holds classes {named}", (code,)))
    if counts.levels > MOST_LEVELS:
        found.append(
            Check(LOOK, f"It is {counts.levels} levels deep; more than {MOST_LEVELS} are hard to read")
        )
    return tuple(found)
