"""A hierarchy as a building: the roof is the whole, storeys are levels, posting codes are posts standing on
the ground.

Pure geometry in whole drawing units; what is drawn where is decided here, how it looks is the screen's.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np

from core.codes.hierarchies import Tree, tree
from core.codes.lists import list_index
from core.codes.tree_counts import counted, summed
from core.definitions.kinds import CLASSES
from core.definitions.state import State

WIDTH, HEIGHT, GROUND = 786, 610, 560
READABLE = 15
"""Bays narrower than this are merged with their neighbours."""
POST_GAP = 3.0
MOST_LEVELS = 12


class Bay(NamedTuple):
    """A rollup code, or several merged ones (`holds` > 1; then `code` is the first)."""

    code: str
    name: str
    level: int
    x: float
    y: float
    width: float
    height: float
    posting: int
    holds: int
    account_class: str
    moved: str
    """'' as published, 'new' at the place the draft gives it, 'old' at the place it leaves"""


class Pillar(NamedTuple):
    """A posting code standing on the ground, or a row of them too close to draw apart (`holds` > 1)."""

    code: str
    name: str
    x: float
    y: float
    width: float
    holds: int
    moved: str
    closed: bool


@dataclass(frozen=True)
class Elevation:
    """A drawing WIDTH by HEIGHT. `path` leads from the top to the bay that was zoomed into."""

    bays: list[Bay] = field(default_factory=list)
    posts: list[Pillar] = field(default_factory=list)
    levels: int = 0
    posting: int = 0
    path: tuple[str, ...] = ()


class _Node(NamedTuple):
    """A code in the drawing; a ghost stands where the draft takes it from."""

    code: str
    rollup: bool
    moved: str = ""


class _Ground:
    """The tree with its weights: what stands below a code, how wide it is, what the draft takes from
    where."""

    def __init__(
        self,
        state: State,
        made: Tree,
        weights: Mapping[str, float] | None,
        moved: Mapping[str, tuple[str, str]],
    ) -> None:
        self.made, self.codes = made, list_index(state, made.code_list).codes
        self.counted = counted(state, made.hierarchy)
        if weights is None:
            self.weight = self.counted.posting + self.counted.empty
        else:
            rows = [
                abs(weights.get(code, 0.0)) if code in self.codes and not self.codes[code].rollup else 0.0
                for code in made.codes
            ]
            self.weight = summed(np.array(rows))
        self.moved = moved
        self.ghosts: dict[str, list[str]] = {}
        for code, (was, _) in moved.items():
            if code in made.place and (was in made.place or not was):
                self.ghosts.setdefault(was, []).append(code)

    def _span(self, code: str) -> tuple[int, int]:
        if not code:
            return 0, len(self.made.codes)
        at = self.made.place[code]
        return at, int(self.made.end[at])

    def children(self, node: _Node) -> list[_Node]:
        if node.moved == "old":
            return []
        own = [
            _Node(code, self.codes[code].rollup, "new" if code in self.moved else "")
            for code in self.made.children.get(node.code, [])
            if code in self.codes and code in self.made.place
        ]
        return own + [_Node(code, self.codes[code].rollup, "old") for code in self.ghosts.get(node.code, [])]

    def width(self, node: _Node) -> float:
        """The weight of a node; ghosts that stand right below it take their room too."""
        start, end = self._span(node.code)
        own = float(self.weight[end] - self.weight[start])
        return own + (
            sum(self.width(_Node(code, False, "old")) for code in self.ghosts.get(node.code, []))
            if node.moved != "old"
            else 0.0
        )

    def posting(self, node: _Node) -> int:
        start, end = self._span(node.code)
        return 0 if node.moved == "old" else int(self.counted.posting[end] - self.counted.posting[start])

    def account_class(self, nodes: list[_Node]) -> str:
        spans = [self._span(node.code) for node in nodes]
        votes = [sum(int(row[end] - row[start]) for start, end in spans) for row in self.counted.classes]
        return CLASSES[votes.index(max(votes))] if any(votes) else ""

    def levels(self, node: _Node) -> int:
        start, end = self._span(node.code)
        base = int(self.made.depths[start]) - 1 if node.code else -1
        deepest = int(self.counted.depths[start:end].max(initial=base))
        return deepest - base + (0 if node.code else 1)


def draw(
    state: State,
    hierarchy: str,
    *,
    zoom: str = "",
    weights: Mapping[str, float] | None = None,
    moved: Mapping[str, tuple[str, str]] | None = None,
) -> Elevation:
    """Lays a hierarchy out. `weights` by posting code (None: all alike); `moved`: code → (old parent, new
    parent)."""
    shape = tree(state, hierarchy)
    ground = _Ground(state, shape, weights, moved or {})
    inside = zoom in shape.place and zoom in ground.codes and ground.codes[zoom].rollup
    root = _Node(zoom if inside else "", True)
    levels = min(ground.levels(root), MOST_LEVELS)
    path = tuple(shape.path(zoom)[:-1]) if inside else ()
    drawing = Elevation([], [], levels, ground.posting(root), path)
    _Draughtsman(drawing, min(84.0, (GROUND - 60) / max(levels, 1)), ground).whole(root)
    return drawing


class _Draughtsman:
    """Goes through the tree from the roof down, merging what would be too narrow to read."""

    def __init__(self, drawing: Elevation, pitch: float, ground: _Ground) -> None:
        self.drawing, self.pitch, self.ground = drawing, pitch, ground

    def _name(self, code: str) -> str:
        return self.ground.codes[code].name if code else self.ground.made.name

    def whole(self, root: _Node) -> None:
        work = [(root, 0, 0.0, float(WIDTH))]
        self._bay([root], 0, 0.0, float(WIDTH))
        while work:
            node, level, x, width = work.pop()
            work.extend(self._below(node, level, x, width))

    def _bay(self, nodes: list[_Node], level: int, x: float, width: float) -> None:
        first, ground = nodes[0], self.ground
        moved = next((node.moved for node in nodes if node.moved), "")
        self.drawing.bays.append(
            Bay(
                first.code,
                self._name(first.code),
                level,
                x,
                level * self.pitch,
                max(width - 2, 1.0),
                self.pitch - 8,
                sum(ground.posting(node) for node in nodes),
                len(nodes),
                ground.account_class(nodes),
                moved,
            )
        )

    def _below(
        self, node: _Node, level: int, x: float, width: float
    ) -> list[tuple[_Node, int, float, float]]:
        """Draws what stands directly below a bay; returns the bays that have more below them."""
        weighed = [(child, self.ground.width(child)) for child in self.ground.children(node)]
        total = sum(weight for _, weight in weighed)
        share = [
            (child, width * (weight / total if total else 1 / len(weighed))) for child, weight in weighed
        ]
        further: list[tuple[_Node, int, float, float]] = []
        narrow: list[tuple[_Node, float]] = []
        at = start = x
        for child, wide in share:
            if wide < READABLE and child.rollup and not child.moved:
                start = start if narrow else at
                narrow.append((child, wide))
            else:
                further += self._narrow_bays(narrow, level + 1, start)
                narrow = []
                if child.rollup and wide >= 1:
                    self._bay([child], level + 1, at, max(wide, 4.0))
                    if child.moved != "old" and level + 1 < MOST_LEVELS:
                        further.append((child, level + 1, at, wide))
            at += wide
        further += self._narrow_bays(narrow, level + 1, start)
        self._standing(node, level, x, width, share)
        return further

    def _narrow_bays(
        self, row: list[tuple[_Node, float]], level: int, start: float
    ) -> list[tuple[_Node, int, float, float]]:
        """Neighbours too narrow to be read share one bay; a single one is a bay, and has more below it."""
        wide = sum(width for _, width in row)
        if wide >= 1:
            self._bay([node for node, _ in row], level, start, wide)
        if len(row) > 1:
            self._merged_posts([node for node, _ in row], level, start, wide)
        return [(row[0][0], level, start, wide)] if len(row) == 1 and level < MOST_LEVELS else []

    def _standing(
        self, node: _Node, level: int, x: float, width: float, share: list[tuple[_Node, float]]
    ) -> None:
        """The posts of a bay's own posting codes, each in its share; those too close together as one."""
        at = x
        run: list[tuple[_Node, float, float]] = []
        for child, wide in share:
            if not child.rollup:
                if run and (
                    child.moved
                    or run[-1][0].moved
                    or at - run[-1][1] >= POST_GAP
                    or at > run[-1][1] + run[-1][2] + 0.5
                ):
                    self._post(run, level)
                    run = []
                run.append((child, at, wide))
            at += wide
        if run:
            self._post(run, level)

    def _post(self, run: list[tuple[_Node, float, float]], level: int) -> None:
        first, start, _ = run[0]
        end = run[-1][1] + run[-1][2]
        y = (level + 1) * self.pitch - 8
        wide = max(end - start, 0.8)
        narrow = min(wide * 0.7, 9.0) if len(run) == 1 else max(wide - 2, 1.0)
        closed = all(self.ground.codes[node.code].in_use_until for node, _, _ in run)
        self.drawing.posts.append(
            Pillar(
                first.code,
                self._name(first.code),
                start + (wide - narrow) / 2,
                y,
                narrow,
                len(run),
                first.moved,
                closed,
            )
        )

    def _merged_posts(self, nodes: list[_Node], level: int, x: float, width: float) -> None:
        """What stands below merged bays, as one block of posts."""
        if count := sum(self.ground.posting(node) for node in nodes):
            y = (level + 1) * self.pitch - 8
            self.drawing.posts.append(
                Pillar(nodes[0].code, "", x + 2, y, max(width - 6, 1.0), count, "", False)
            )
