"""Rollup hierarchies as flat arrays: parents before children, and what stands below each node. Nothing
recurses."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date
from itertools import compress, islice
from operator import is_not
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from core.codes.lists import beginning_with, in_range, list_index
from core.codes.selector_text import Parsed, SelectorItem, parse
from core.definitions.state import Edit, State, derived
from core.definitions.tables import Code, Hierarchy, HierarchyNode

K = TypeVar("K")
NOTHING = np.zeros(0, dtype=np.int64)
MOST_FOLLOWED = 400
"""Nodes that may have changed for a tree to be laid out from the former one."""


def order_key(position: int | None, name: object) -> tuple[int, object]:
    return (position if position is not None else 1 << 40, name)


def find_cycle(parents: Mapping[K, K | None]) -> list[K]:
    """One cycle of a parent map, in order from its least name whatever the map's order, or an empty list.
    Linear."""
    done: set[K] = set()
    for start in parents:
        path: dict[K, None] = {}
        node: K | None = start
        while node is not None and node in parents and node not in done:
            if node in path:
                names = list(path)
                cycle = names[names.index(node) :]
                first = cycle.index(min(cycle, key=str))
                return cycle[first:] + cycle[:first]
            path[node] = None
            node = parents[node]
        done.update(path)
    return []


def preorder(children: Mapping[K, list[K]], roots: Iterable[K]) -> list[tuple[K, int]]:
    """Nodes with their depth, each before what stands below it."""
    pairs: list[tuple[K, int]] = []
    stack = list(roots)[::-1]
    depths = [0] * len(stack)
    while stack:
        node, depth = stack.pop(), depths.pop()
        pairs.append((node, depth))
        if below := children.get(node):
            stack += below[::-1]
            depths += [depth + 1] * len(below)
    return pairs


@dataclass(frozen=True, slots=True, eq=False)
class Tree:
    """One hierarchy. `codes` lists all, parents first, `depths` how deep each stands; `end[i]` is where what
    is below codes[i] ends."""

    hierarchy: str
    code_list: str
    name: str
    codes: list[str]
    depths: NDArray[np.int64]
    parent: dict[str, str]
    children: dict[str, list[str]]
    place: dict[str, int]
    end: NDArray[np.int64]

    @property
    def order(self) -> list[tuple[str, int]]:
        """Every code with its depth."""
        return list(zip(self.codes, self.depths.tolist(), strict=True))

    def below(self, code: str) -> list[str]:
        """Every code below, rollup codes too; not the code itself."""
        start = self.place.get(code)
        return [] if start is None else self.codes[start + 1 : self.end[start]]

    def path(self, code: str) -> list[str]:
        """From the top down to the code itself."""
        items = [code]
        while parent := self.parent.get(items[-1], ""):
            items.append(parent)
        return items[::-1]


def tree(state: State, hierarchy: str) -> Tree:
    """The hierarchy as a tree, with what its intakes take in; nodes on a cycle (a fault elsewhere) are left
    out."""
    if not intakes(state, hierarchy):
        return _placed(state, hierarchy)
    hierarchy_row = state.get(Hierarchy, hierarchy)
    return _grown(state, hierarchy, hierarchy_row.code_list if hierarchy_row else "")


@derived((HierarchyNode, 0))
def intakes(state: State, hierarchy: str) -> list[HierarchyNode]:
    """Nodes that take codes in by themselves, in code order."""
    return sorted(
        (node for node in state.part(HierarchyNode, hierarchy).values() if node.intake),
        key=lambda node: node.code,
    )


def _reparented(
    changed: Iterable[tuple[HierarchyNode | None, HierarchyNode | None]], parent: dict[str, str]
) -> dict[str, None]:
    """Puts the changes into `parent`; the codes whose children came or went, in order."""
    touched: dict[str, None] = {}
    for old, new in changed:
        if old is not None:
            touched[old.parent] = None
            parent.pop(old.code, None)
        if new is not None:
            touched[new.parent] = None
            parent[new.code] = new.parent
    return touched


def _upwards(parent: Mapping[str, str], code: str) -> set[str]:
    """A code and all above it; each once, also where they go round."""
    seen: set[str] = set()
    while code and code not in seen:
        seen.add(code)
        code = parent.get(code, "")
    return seen


def _followed(state: State, read: tuple[Any, ...], before: Tree, hierarchy: str) -> Tree | None:
    """The tree after a few nodes were moved, laid out from stretches of the former one: nothing else is
    looked at."""
    was: Mapping[Any, HierarchyNode] = read[1] or {}
    now = state.part(HierarchyNode, hierarchy)
    changed = _changed(was, now)
    if len(changed) > MOST_FOLLOWED or len(before.codes) != len(was):
        return None
    parent, children = dict(before.parent), dict(before.children)
    touched = _reparented(changed, parent)
    moved = {node.code for pair in changed for node in pair if node is not None}
    for above in touched:
        near = [code for code in children.get(above, ()) if code not in moved]
        near += [code for code in moved if parent.get(code) == above]
        children[above] = sorted(near, key=lambda code: order_key(now[hierarchy, code].position, code))
        if not near:
            del children[above]
    open_codes = {"", *touched, *moved}.union(*(_upwards(parent, above) for above in touched))
    hierarchy_row = state.get(Hierarchy, hierarchy)
    codes, depths, end = _restretched(before, children, open_codes)
    place = dict(zip(codes, range(len(codes)), strict=True))
    code_list, name = (hierarchy_row.code_list, hierarchy_row.name) if hierarchy_row else ("", "")
    return Tree(hierarchy, code_list, name, codes, depths, parent, children, place, end)


def _changed(
    was: Mapping[Any, HierarchyNode], now: Mapping[Any, HierarchyNode]
) -> list[tuple[HierarchyNode | None, HierarchyNode | None]]:
    """Nodes that differ, before and after. Rows keep their order through a change, so mostly they are
    compared side by side."""
    pairs: list[tuple[HierarchyNode | None, HierarchyNode | None]] = list(
        compress(zip(was.values(), now.values(), strict=False), map(is_not, was.values(), now.values()))
    )
    aligned = all(
        old is not None and new is not None and old.code == new.code
        for old, new in pairs[: MOST_FOLLOWED + 1]
    )
    if aligned and len(now) >= len(was):
        return pairs + [(None, node) for node in islice(now.values(), len(was), None)]
    gone = [(node, None) for key, node in was.items() if key not in now]
    return [*gone, *((was.get(key), node) for key, node in now.items() if was.get(key) is not node)]


def _restretched(
    before: Tree, children: Mapping[str, list[str]], open_codes: set[str]
) -> tuple[list[str], NDArray[np.int64], NDArray[np.int64]]:
    """Codes, depths and ends: what stands below an open code is laid out child by child, all else as it lay
    before."""
    codes: list[str] = []
    depths: list[NDArray[np.int64]] = [NOTHING]
    ends: list[NDArray[np.int64]] = [NOTHING]
    ended: dict[int, int] = {}
    stack: list[tuple[str, int]] = [(code, 0) for code in reversed(children.get("", []))]
    waiting: list[tuple[int, int]] = []  # (depth, place) of open codes whose branch has not ended yet
    while stack:
        code, depth = stack.pop()
        while waiting and waiting[-1][0] >= depth:
            ended[waiting.pop()[1]] = len(codes)
        start = before.place.get(code)
        if code in open_codes or start is None:
            waiting.append((depth, len(codes)))
            depths.append(np.array([depth]))
            ends.append(np.array([-1]))
            codes.append(code)
            stack += [(child, depth + 1) for child in reversed(children.get(code, []))]
            continue
        stop = int(before.end[start])
        depths.append(before.depths[start:stop] + (depth - before.depths[start]))
        ends.append(before.end[start:stop] + (len(codes) - start))
        codes += before.codes[start:stop]
    ended |= {at: len(codes) for _, at in waiting}
    end = np.concatenate(ends)
    end[list(ended)] = list(ended.values())
    return codes, np.concatenate(depths), end


@derived(Hierarchy, (HierarchyNode, 0), follow=_followed)
def _placed(state: State, hierarchy: str) -> Tree:
    return _made(state, hierarchy, state.part(HierarchyNode, hierarchy).values())


@derived(Hierarchy, (HierarchyNode, 0), (Code, 1))
def _grown(state: State, hierarchy: str, code_list: str) -> Tree:
    part = state.part(HierarchyNode, hierarchy)
    taken = taken_in(state, hierarchy, code_list)
    return _made(
        state,
        hierarchy,
        [*part.values(), *(HierarchyNode(hierarchy, code, into[0]) for code, into in taken.items())],
    )


@derived((HierarchyNode, 0), (Code, 1))
def taken_in(state: State, hierarchy: str, code_list: str) -> dict[str, list[str]]:
    """Codes that intakes take in, each with the rollup codes whose intake picks it (more than one is a
    fault).

    A code that was placed by hand stays where it was placed.
    """
    part = state.part(HierarchyNode, hierarchy)
    by_name: dict[str, list[str]] = {}
    for node in intakes(state, hierarchy):
        for code in sorted(picked(state, code_list, parse(node.intake))):
            if (hierarchy, code) not in part:
                by_name.setdefault(code, []).append(node.code)
    return by_name


def picked(state: State, code_list: str, parsed: Parsed) -> set[str]:
    """Posting codes that the parts of a selector without `under` pick."""
    posting = list_index(state, code_list).posting

    def of(item: SelectorItem) -> list[str]:
        if item.kind == "all":
            return posting
        if item.kind == "prefix":
            return beginning_with(posting, item.first)
        last = item.second if item.kind == "range" else item.first
        return [] if item.kind == "under" else in_range(posting, item.first, last)

    names = {code for item in parsed.items for code in of(item)}
    return names.difference(code for item in parsed.taken_away for code in of(item))


def _made(state: State, hierarchy: str, rows: Iterable[HierarchyNode]) -> Tree:
    hierarchy_row = state.get(Hierarchy, hierarchy)
    last = 1 << 40
    nodes = sorted([(n.position if n.position is not None else last, n.code, n.parent) for n in rows])
    children: dict[str, list[str]] = {}
    for _, code, above in nodes:
        children.setdefault(above, []).append(code)
    order = preorder(children, children.get("", []))
    place = {code: i for i, (code, _) in enumerate(order)}
    end = [len(order)] * len(order)
    open_at: list[int] = []
    for i, (_, depth) in enumerate(order):
        while open_at and order[open_at[-1]][1] >= depth:
            end[open_at.pop()] = i
        open_at.append(i)
    parent = {code: above for _, code, above in nodes}
    code_list, name = (hierarchy_row.code_list, hierarchy_row.name) if hierarchy_row else ("", "")
    depths = np.array([depth for _, depth in order], dtype=np.int64)
    ends = np.array(end, dtype=np.int64)
    return Tree(
        hierarchy, code_list, name, [code for code, _ in order], depths, parent, children, place, ends
    )


@derived(Hierarchy, (HierarchyNode, 0), Code, stays=True)
def codes_below(state: State, hierarchy: str, code: str) -> list[str] | None:
    """Every code below one, rollup codes too, parents first; None where it doesn't stand there."""
    there = tree(state, hierarchy)
    return there.below(code) if code in there.place else None


def moved_codes(before: State, after: State, hierarchy: str) -> list[str]:
    """Codes that stand under another code in one state than in the other, came or went."""
    was, now = tree(before, hierarchy), tree(after, hierarchy)
    if intakes(before, hierarchy) or intakes(after, hierarchy):
        return [code for code in {**was.parent, **now.parent} if was.parent.get(code) != now.parent.get(code)]
    changed = _changed(before.part(HierarchyNode, hierarchy), after.part(HierarchyNode, hierarchy))
    codes = dict.fromkeys(node.code for pair in changed for node in pair if node is not None)
    return [code for code in codes if was.parent.get(code) != now.parent.get(code)]


def versions_of(state: State, hierarchy: str) -> list[Hierarchy]:
    """A hierarchy and its kept versions, the one that holds latest first."""
    hierarchy_row = state.get(Hierarchy, hierarchy)
    name = hierarchy_row.version_of or hierarchy_row.hierarchy if hierarchy_row else hierarchy
    rows = [row for row in state.rows(Hierarchy) if name in (row.hierarchy, row.version_of)]
    return sorted(rows, key=lambda row: (row.holds_from or date.min, row.hierarchy == name), reverse=True)


def holding(state: State, hierarchy: str, on: date) -> str:
    """The version of a hierarchy that holds on a day; the earliest where none does yet."""
    rows = versions_of(state, hierarchy)
    first = next((row for row in rows if (row.holds_from or date.min) <= on), rows[-1] if rows else None)
    return first.hierarchy if first else hierarchy


def as_held(state: State, on: date) -> State:
    """The definitions with every hierarchy in the shape that held on a day."""
    edits = _held(state, on)
    return state.edited(edits) if edits else state


@derived(Hierarchy, HierarchyNode)
def _held(state: State, on: date) -> tuple[Edit, ...]:
    """What differs then. Edits and not a state are kept: a state would keep all else as it was when it was
    first asked."""
    edits: list[Edit] = []
    for row in state.rows(Hierarchy):
        then = holding(state, row.hierarchy, on)
        if row.version_of or then == row.hierarchy:
            continue
        part, other = state.part(HierarchyNode, row.hierarchy), state.part(HierarchyNode, then)
        by_name = {
            (row.hierarchy, node.code): node._replace(hierarchy=row.hierarchy) for node in other.values()
        }
        edits += [
            Edit("hierarchy_nodes", key, part.get(key), by_name.get(key)) for key in {**part, **by_name}
        ]
    return tuple(edits)


@derived(Hierarchy)
def main_hierarchies(state: State) -> dict[str, str]:
    """The main hierarchy of each list that has one."""
    return {row.code_list: row.hierarchy for row in state.rows(Hierarchy) if row.main}


def main_tree(state: State, code_list: str) -> Tree | None:
    name = main_hierarchies(state).get(code_list)
    return tree(state, name) if name else None


@derived(Hierarchy, HierarchyNode, (Code, 0))
def standing_under_none(state: State, code_list: str) -> list[str]:
    """Posting codes of a list that has a main hierarchy, but not in it."""
    main = main_tree(state, code_list)
    if main is None:
        return []
    return sorted(set(list_index(state, code_list).posting).difference(main.place))
