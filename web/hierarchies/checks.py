"""How a hierarchy stands, for the proof leaf."""

from __future__ import annotations

from typing import NamedTuple

from core.codes import list_index, natural_lists
from core.faults import LOOK, MUST
from core.hierarchies import standing_under_none, tree
from core.readiness import OK
from core.state import State, derived
from core.tables import Code, Hierarchy, HierarchyNode, StructureSegment

MOST_LEVELS = 8


class Check(NamedTuple):
    """`codes` are those it speaks of, the first to go to."""

    severity: str
    sentence: str
    codes: tuple[str, ...] = ()


@derived(Hierarchy, HierarchyNode, Code, StructureSegment)
def of(state: State, hierarchy: str) -> tuple[Check, ...]:
    made, head = tree(state, hierarchy), state.get(Hierarchy, hierarchy)
    codes = list_index(state, made.code_list).codes
    found = [Check(OK, "No code stands under two rollup codes"), Check(OK, "No rollup code stands under itself")]
    loose = standing_under_none(state, made.code_list) if head and head.main else [
        code for code in list_index(state, made.code_list).posting if code not in made.place
    ]  # fmt: skip
    if loose:
        found.append(
            Check(MUST if head and head.main else LOOK, f"{len(loose):,} posting codes stand under none", tuple(loose[:40]))
        )
    empty = [
        code for i, (code, _) in enumerate(made.order) if code in codes and codes[code].rollup and made.end[i] == i + 1
    ]  # fmt: skip
    if empty:
        found.append(Check(LOOK, f"{len(empty):,} rollup codes hold nothing", tuple(empty[:40])))
    if made.code_list in natural_lists(state):
        found += _mixed(state, hierarchy)
    deepest = max((depth for _, depth in made.order), default=-1) + 1
    if deepest > MOST_LEVELS:
        found.append(Check(LOOK, f"It is {deepest} levels deep; more than {MOST_LEVELS} are hard to read"))
    return tuple(found)


def _mixed(state: State, hierarchy: str) -> list[Check]:
    """Rollup codes right below which several account classes meet, the top left out: there they are meant to."""
    made = tree(state, hierarchy)
    codes = list_index(state, made.code_list).codes
    classes: dict[str, set[str]] = {}
    for code, _ in reversed(made.order):
        if code not in codes:
            continue
        own = {codes[code].account_class} - {""} if not codes[code].rollup else classes.get(code, set())
        classes.setdefault(made.parent.get(code, ""), set()).update(own)
    found = []
    for code, depth in made.order:
        held = classes.get(code, set())
        split = held & {"asset", "liability", "equity"} and held & {"revenue", "expense"}
        if len(held) > 1 and depth and code in codes and (split or len(held) > 1):
            named = " and ".join(name.capitalize() for name in sorted(held))
            found.append(Check(LOOK, f"{code} holds classes {named}", (code,)))
    return found[:20]
