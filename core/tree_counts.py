"""Sums over the order of a hierarchy, so that what stands below any code is one difference of two entries."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from core.codes import list_index
from core.hierarchies import tree
from core.state import State, derived
from core.tables import CLASSES, Code, Hierarchy, HierarchyNode


class Counted(NamedTuple):
    """`posting`, `empty` (rollup codes with nothing below) and `classes` (a row for each of CLASSES) are sums up to a place,
    one longer than the order; `depths` and `ends` are by place, depths -1 for posting codes."""

    posting: NDArray[Any]
    classes: NDArray[Any]
    empty: NDArray[Any]
    depths: NDArray[Any]
    ends: NDArray[Any]
    levels: int

    def below(self, place: int) -> int:
        """How many posting codes stand below the code at a place of the order."""
        return int(self.posting[self.ends[place]] - self.posting[place + 1])

    @property
    def total(self) -> int:
        return int(self.posting[-1])


@derived(Hierarchy, HierarchyNode, Code)
def counted(state: State, hierarchy: str) -> Counted:
    made = tree(state, hierarchy)
    codes = list_index(state, made.code_list).codes
    rows = [codes.get(code) for code, _ in made.order]
    number = {name: i for i, name in enumerate(CLASSES)}
    posting = np.array([row is not None and not row.rollup for row in rows], dtype=np.int64)
    kind = np.array([number.get(row.account_class, -1) if row is not None else -1 for row in rows], dtype=np.int64)
    ends = np.array(made.end, dtype=np.int64)
    rollup = np.array([row is not None and row.rollup for row in rows], dtype=bool)
    empty = rollup & (ends == np.arange(1, len(rows) + 1))
    deep = np.array([depth for _, depth in made.order], dtype=np.int64)
    depths = np.where(rollup, deep, -1)
    classes = np.stack([summed(kind == i) for i in range(len(CLASSES))])
    return Counted(summed(posting), classes, summed(empty), depths, ends, int(deep.max(initial=-1)) + 1)


def summed(values: NDArray[Any]) -> NDArray[Any]:
    """Sums up to each place, the first of them nothing."""
    return np.concatenate([[0], np.cumsum(values)])


def mixed(state: State, hierarchy: str) -> list[tuple[str, tuple[str, ...]]]:
    """Rollup codes below the top under which several account classes stand, with those classes."""
    made, found = tree(state, hierarchy), counted(state, hierarchy)
    if not made.order:
        return []
    held = found.classes[:, found.ends] - found.classes[:, np.arange(len(made.order))]
    places = np.flatnonzero(((held > 0).sum(axis=0) > 1) & (found.depths > 0))
    return [
        (made.order[i][0], tuple(name for name, count in zip(CLASSES, held[:, i], strict=True) if count)) for i in places.tolist()
    ]
