"""Sums over the order of a hierarchy, so that what stands below any code is one difference of two entries."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from core.codes.hierarchies import tree
from core.codes.lists import list_index
from core.definitions.kinds import CLASSES
from core.definitions.state import State, derived
from core.definitions.tables import Code, Hierarchy, HierarchyNode


class Counted(NamedTuple):
    """`posting`, `empty` (rollup codes with nothing below) and `classes` (a row for each of CLASSES) are sums
    up to a place,
    one longer than the order; `depths` and `ends` are by place, depths -1 for posting codes; `accounts` is by
    place too: which
    posting code of the list stands there, in code order (the number after the last: none)."""

    posting: NDArray[Any]
    classes: NDArray[Any]
    empty: NDArray[Any]
    depths: NDArray[Any]
    ends: NDArray[Any]
    accounts: NDArray[Any]
    levels: int

    def below(self, place: int) -> int:
        """How many posting codes stand below the code at a place of the order."""
        return int(self.posting[self.ends[place]] - self.posting[place + 1])

    @property
    def total(self) -> int:
        return int(self.posting[-1])


class _Marks(NamedTuple):
    """By code, in the order of the list: -1 a rollup code, else the number of its class (past the last:
    none); with places,
    and which posting code each is."""

    place: dict[str, int]
    marks: NDArray[Any]
    posting: NDArray[Any]


@derived((Code, 0))
def _marks(state: State, code_list: str) -> _Marks:
    index = list_index(state, code_list)
    classes = {name: i for i, name in enumerate(CLASSES)}
    rows = [index.codes[code] for code in index.ordered]
    marks = [-1 if row.rollup else classes.get(row.account_class, len(CLASSES)) for row in rows]
    kinds = np.array([*marks, -2], dtype=np.int8)
    number = np.where(kinds >= 0, np.cumsum(kinds >= 0) - 1, len(index.posting))
    return _Marks({code: i for i, code in enumerate(index.ordered)}, kinds, number)


@derived(Hierarchy, HierarchyNode, Code)
def counted(state: State, hierarchy: str) -> Counted:
    shape = tree(state, hierarchy)
    place, marks, posting = _marks(state, shape.code_list)
    last = len(marks) - 1  # a code that is not in the list any more
    at = np.array([place.get(code, last) for code in shape.codes], dtype=np.int64)
    kind = marks[at]
    ends, deep = shape.end, shape.depths
    rollup = kind == -1
    empty = rollup & (ends == np.arange(1, len(kind) + 1))
    classes = np.stack([summed(kind == i) for i in range(len(CLASSES))])
    return Counted(
        summed(kind >= 0),
        classes,
        summed(empty),
        np.where(rollup, deep, -1),
        ends,
        posting[at],
        int(deep.max(initial=-1)) + 1,
    )


def summed(values: NDArray[Any]) -> NDArray[Any]:
    """Sums up to each place, the first of them nothing."""
    return np.concatenate([[0], np.cumsum(values)])


def mixed(state: State, hierarchy: str) -> list[tuple[str, tuple[str, ...]]]:
    """Rollup codes below the top under which several account classes stand, with those classes."""
    shape, classes = tree(state, hierarchy), counted(state, hierarchy)
    if not shape.codes:
        return []
    held = classes.classes[:, classes.ends] - classes.classes[:, np.arange(len(shape.codes))]
    places = np.flatnonzero(((held > 0).sum(axis=0) > 1) & (classes.depths > 0))
    return [
        (shape.codes[i], tuple(name for name, count in zip(CLASSES, held[:, i], strict=True) if count))
        for i in places.tolist()
    ]
