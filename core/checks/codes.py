"""Checks of storey 1: code lists, codes, hierarchies."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from core.codes.columns import BUILT_IN, choices_of, value_fault
from core.codes.doubts import KINDS
from core.codes.hierarchies import find_cycle, taken_in
from core.codes.lists import list_index, natural_lists, serving_lists, text_fault
from core.codes.selector_text import parse
from core.definitions.row_faults import fault
from core.definitions.state import State
from core.definitions.tables import (
    Code,
    CodeList,
    CodeName,
    CodeProperty,
    Hierarchy,
    HierarchyNode,
    ListProperty,
    SetAside,
)
from core.faults import Fault

LONGEST = 40
DEEPEST = 60
FEW = 200


def lists(state: State, rows: list[CodeList]) -> Iterator[Fault]:
    for row in rows:
        if row.max_length < row.min_length:
            what = f"The maximum length {row.max_length} is below the minimum {row.min_length}."
            yield fault(row, "max_length", what, "Raise the maximum or lower the minimum.")
        if row.max_length > LONGEST:
            yield fault(
                row, "max_length", f"Codes have at most {LONGEST} characters.", "Lower the maximum length."
            )
        if row.zero_pad and row.min_length != row.max_length:
            what = "Zero padding needs codes of one length."
            yield fault(row, "zero_pad", what, "Make minimum and maximum length equal.")
        for code in list_index(state, row.code_list).codes.values():
            if text := text_fault(row, code.code, code.rollup):
                yield fault(code, "code", text, "Correct the code, or the rule of the list.", "code-text")


def codes(state: State, rows: list[Code]) -> Iterator[Fault]:
    natural, serving = natural_lists(state), serving_lists(state)
    rules: dict[str, CodeList | None] = {}
    for row in rows:
        if row.code_list not in rules:
            rules[row.code_list] = state.get(CodeList, row.code_list)
        rule = rules[row.code_list]
        if rule and (text := text_fault(rule, row.code, row.rollup)):
            yield fault(row, "code", text, "Correct the code, or the rule of the list.", "code-text")
        if row.code_list in natural and row.takes_amounts and not row.account_class:
            what = f"{row.code} {row.name} has no account class."
            way_out = "Give asset, liability, equity, revenue, expense or statistic."
            yield fault(row, "account_class", what, way_out, "class-missing")
        # A list that serves nowhere yet may be made ready first: its codes may have the classes they will
        # need.
        if row.account_class and (row.rollup or row.code_list in serving - natural):
            where = (
                "A rollup code"
                if row.rollup
                else f"A code of {row.code_list}, which serves as natural account nowhere,"
            )
            what = f"{where} has no account class."
            yield fault(row, "account_class", what, "Leave the class empty.", "class-unexpected")
        yield from _unit(row)
        if row.in_use_from and row.in_use_until and row.in_use_until < row.in_use_from:
            what = f"{row.code} would be closed before it is in use from {row.in_use_from}."
            yield fault(row, "in_use_until", what, "Give a later last day.", "dates")


def _unit(row: Code) -> Iterator[Fault]:
    if row.is_statistic and not row.unit:
        what = f"{row.code} {row.name} is a statistic without a unit."
        yield fault(row, "unit", what, "Give what it is counted in, such as heads or m2.")
    if not row.is_statistic and (row.unit or row.adds_up):
        column = "unit" if row.unit else "adds_up"
        what = f"{row.code} {row.name} is no statistic: units and adding up are for those."
        yield fault(row, column, what, "Make it of class statistic, or leave it out.")


def hierarchies(state: State, rows: list[Hierarchy]) -> Iterator[Fault]:
    for row in rows:
        if row.version_of:
            yield from _version(state, row)
    mains: dict[str, str] = {}
    for row in state.rows(Hierarchy):
        if row.main:
            other = mains.setdefault(row.code_list, row.hierarchy)
            if other != row.hierarchy and (row in rows or state.get(Hierarchy, other) in rows):
                what = f"{row.code_list} has a main hierarchy already: {other}."
                yield fault(row, "main", what, "Make one of them not main.")


def _version(state: State, row: Hierarchy) -> Iterator[Fault]:
    other = state.get(Hierarchy, row.version_of)
    if other is None:
        what = f"There is no hierarchy {row.version_of}."
        yield fault(row, "version_of", what, "Name the hierarchy it is a version of.", "reference")
    elif other.version_of or other.code_list != row.code_list or other.hierarchy == row.hierarchy:
        what = f"{row.version_of} is not a hierarchy of {row.code_list} in its own right."
        yield fault(row, "version_of", what, "Name the hierarchy it is a version of.", "version")
    if row.main:
        what = "A kept version of a hierarchy is never the main one."
        yield fault(row, "main", what, "Make it not main.", "version")


def nodes(state: State, rows: list[HierarchyNode]) -> Iterator[Fault]:
    for row in rows:
        hierarchy_row = state.get(Hierarchy, row.hierarchy)
        if hierarchy_row is None:
            continue
        code = state.get(Code, hierarchy_row.code_list, row.code)
        if code is None:
            what = f"There is no code {row.code} in {hierarchy_row.code_list}."
            yield fault(row, "code", what, "Add the code or correct it.", "reference")
        if not row.parent:
            continue
        parent = state.get(Code, hierarchy_row.code_list, row.parent)
        if parent is None:
            what = f"There is no code {row.parent} in {hierarchy_row.code_list}."
            yield fault(row, "parent", what, "Choose a rollup code.", "reference")
        elif not parent.rollup:
            what = f"{row.parent} {parent.name} is a posting code and has nothing below it."
            yield fault(row, "parent", what, "Choose a rollup code.", "parent-posting")
        elif state.get(HierarchyNode, row.hierarchy, row.parent) is None:
            what = f"{row.parent} does not stand in hierarchy {row.hierarchy}."
            yield fault(row, "parent", what, "Place it in the hierarchy first.", "parent-absent")
    for name in sorted({row.hierarchy for row in rows}):
        own = [row for row in rows if row.hierarchy == name]
        # A few moves can only close a circle above the codes that were moved; a whole tree is gone through
        # once.
        if len(own) <= FEW and not _circle_above(state, name, own):
            yield from _intakes(state, name)
            continue
        yield from _shape(state, name)
        yield from _intakes(state, name)


def _circle_above(state: State, hierarchy: str, rows: list[HierarchyNode]) -> bool:
    """Whether the way up from any of these codes comes back to itself, or is as long as no tree may be
    deep."""
    part = state.part(HierarchyNode, hierarchy)
    for row in rows:
        at, steps = row.parent, 0
        while at and (node := part.get((hierarchy, at))) is not None:
            steps += 1
            if at == row.code or steps > DEEPEST // 2:
                return True
            at = node.parent
    return False


def _intakes(state: State, hierarchy: str) -> Iterator[Fault]:
    """Intakes that can't be read, stand where none may, or take the same code in."""
    hierarchy_row = state.get(Hierarchy, hierarchy)
    rows = {node.code: node for node in state.part(HierarchyNode, hierarchy).values() if node.intake}
    for row in rows.values():
        code = state.get(Code, hierarchy_row.code_list, row.code) if hierarchy_row else None
        parsed = parse(row.intake)
        for text in parsed.faults:
            yield fault(row, "intake", text, "Correct the intake.", "selector")
        if code is not None and not code.rollup:
            what = f"{row.code} is a posting code and takes nothing in."
            yield fault(row, "intake", what, "Leave the intake empty.", "intake")
        if any(item.kind == "under" for item in (*parsed.items, *parsed.taken_away)):
            what = "An intake names codes, ranges and beginnings; 'under' would turn round on itself."
            yield fault(row, "intake", what, "Name the codes themselves.", "intake")
    names: set[tuple[str, str]] = set()
    for taken, into in (
        sorted(taken_in(state, hierarchy, hierarchy_row.code_list).items()) if hierarchy_row and rows else ()
    ):
        if len(into) > 1 and (into[0], into[1]) not in names:
            names.add((into[0], into[1]))
            what = f"The intakes of {into[0]} and {into[1]} both take {taken} in."
            yield fault(rows[into[1]], "intake", what, "Take it out of one of them.", "intake-twice")


def _shape(state: State, hierarchy: str) -> Iterator[Fault]:
    part: dict[Any, HierarchyNode] = dict(state.part(HierarchyNode, hierarchy))
    parents: dict[str, str | None] = {node.code: node.parent or None for node in part.values()}
    if cycle := find_cycle(parents):
        row = part[(hierarchy, cycle[0])]
        path = " under ".join([*cycle, cycle[0]])
        yield fault(
            row, "parent", f"A code stands under itself: {path}.", "Move one of them elsewhere.", "cycle"
        )
        return
    depths: dict[str, int] = {"": 0}
    for code in parents:
        path_up = []
        at: str | None = code
        while at and at not in depths and at in parents:
            path_up.append(at)
            at = parents[at]
        base = depths.get(at or "", 0)
        for up in reversed(path_up):
            base += 1
            depths[up] = base
        if depths.get(code, 0) > DEEPEST:
            what = f"{code} would stand {depths[code]} levels deep."
            way_out = f"A hierarchy has at most {DEEPEST} levels."
            yield fault(part[(hierarchy, code)], "parent", what, way_out, "too-deep")
            return


def of_codes(state: State, rows: list[Any]) -> Iterator[Fault]:
    """What is kept beside a code needs the code."""
    for row in rows:
        if state.get(Code, row.code_list, row.code) is None:
            what = f"There is no code {row.code} in {row.code_list}."
            yield fault(row, "code", what, "Add the code or correct it.", "reference")


def own_properties(state: State, rows: list[ListProperty]) -> Iterator[Fault]:
    for row in rows:
        if row.property in (*Code._fields, *BUILT_IN):
            what = f"{row.property} is a property of every code already."
            yield fault(row, "property", what, "Give another one.", "taken")
        if row.kind == "choice" and not choices_of(row):
            what = f"{row.name} has nothing to choose from."
            yield fault(row, "choices", what, "Give its choices, parted by commas.", "choices")


def property_values(state: State, rows: list[CodeProperty]) -> Iterator[Fault]:
    yield from of_codes(state, rows)
    for row in rows:
        rule = state.get(ListProperty, row.code_list, row.property)
        if rule is None:
            what = f"{row.code_list} has no property {row.property}."
            yield fault(row, "property", what, "Add the property, or leave the value out.", "reference")
        elif cell_fault := value_fault(rule, row.value):
            yield fault(row, "value", cell_fault, "Correct the value.", "property-value")


def set_aside(state: State, rows: list[SetAside]) -> Iterator[Fault]:
    yield from of_codes(state, [row for row in rows if row.code])
    for row in rows:
        if row.doubt not in KINDS:
            what = f"There is no doubt {row.doubt}."
            yield fault(row, "doubt", what, f"One of these is expected: {', '.join(KINDS)}.", "reference")


CHECKS: list[tuple[type[Any], Any]] = [
    (CodeList, lists),
    (Code, codes),
    (CodeName, of_codes),
    (ListProperty, own_properties),
    (CodeProperty, property_values),
    (SetAside, set_aside),
    (Hierarchy, hierarchies),
    (HierarchyNode, nodes),
]
