"""Rollup hierarchies as flat arrays: parents before children, and what stands below each node. Nothing recurses."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import TypeVar

from core.state import State, derived
from core.tables import Code, Hierarchy, HierarchyNode

K = TypeVar("K")


def order_key(position: int | None, name: object) -> tuple[int, object]:
    return (position if position is not None else 1 << 40, name)


def find_cycle(parents: Mapping[K, K | None]) -> list[K]:
    """One cycle of a parent map, in order, or an empty list. Linear."""
    done: set[K] = set()
    for start in parents:
        path: dict[K, None] = {}
        node: K | None = start
        while node is not None and node in parents and node not in done:
            if node in path:
                names = list(path)
                return names[names.index(node) :]
            path[node] = None
            node = parents[node]
        done.update(path)
    return []


def preorder(children: Mapping[K, list[K]], roots: Iterable[K]) -> list[tuple[K, int]]:
    """Nodes with their depth, each before what stands below it."""
    found: list[tuple[K, int]] = []
    stack = [(root, 0) for root in reversed(list(roots))]
    while stack:
        node, depth = stack.pop()
        found.append((node, depth))
        stack.extend((child, depth + 1) for child in reversed(children.get(node, [])))
    return found


@dataclass(frozen=True, slots=True)
class Tree:
    """One hierarchy. `order` lists codes with depth, parents first; `end[i]` is where what is below order[i] ends."""

    hierarchy: str
    code_list: str
    name: str
    order: list[tuple[str, int]]
    parent: dict[str, str]
    children: dict[str, list[str]]
    place: dict[str, int]
    end: list[int]

    def below(self, code: str) -> list[str]:
        """Every code below, rollup codes too; not the code itself."""
        start = self.place.get(code)
        return [] if start is None else [node for node, _ in self.order[start + 1 : self.end[start]]]

    def path(self, code: str) -> list[str]:
        """From the top down to the code itself."""
        found = [code]
        while parent := self.parent.get(found[-1], ""):
            found.append(parent)
        return found[::-1]


@derived(Hierarchy, (HierarchyNode, 0))
def tree(state: State, hierarchy: str) -> Tree:
    """The hierarchy as a tree; nodes on a cycle (a fault elsewhere) are left out."""
    head = state.get(Hierarchy, hierarchy)
    nodes = sorted(state.part(HierarchyNode, hierarchy).values(), key=lambda n: order_key(n.position, n.code))
    children: dict[str, list[str]] = {}
    for node in nodes:
        children.setdefault(node.parent, []).append(node.code)
    order = preorder(children, children.get("", []))
    place = {code: i for i, (code, _) in enumerate(order)}
    end = [len(order)] * len(order)
    open_at: list[int] = []
    for i, (_, depth) in enumerate(order):
        while open_at and order[open_at[-1]][1] >= depth:
            end[open_at.pop()] = i
        open_at.append(i)
    parent = {node.code: node.parent for node in nodes}
    return Tree(hierarchy, head.code_list if head else "", head.name if head else "", order, parent, children, place, end)


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
    codes = state.part(Code, code_list).values()
    return sorted(code.code for code in codes if not code.rollup and code.code not in main.place)
