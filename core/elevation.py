"""A hierarchy as a building: the roof is the whole, storeys are levels, posting codes are posts standing on the ground.

Pure geometry in whole drawing units; what is drawn where is decided here, how it looks is the screen's.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import NamedTuple

from core.codes import list_index
from core.hierarchies import Tree, tree
from core.state import State

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


class Post(NamedTuple):
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
    posts: list[Post] = field(default_factory=list)
    levels: int = 0
    posting: int = 0
    path: tuple[str, ...] = ()


@dataclass(slots=True)
class _Node:
    code: str
    weight: float
    posting: int
    rollup: bool
    children: list[_Node]
    moved: str = ""
    votes: dict[str, int] = field(default_factory=dict)


def _built(state: State, made: Tree, weights: Mapping[str, float] | None, moved: Mapping[str, tuple[str, str]]) -> _Node:
    """The tree with its weights; a code that the draft moves also stands, as a ghost, where it was."""
    codes = list_index(state, made.code_list).codes
    root = _Node("", 0, 0, True, [])
    nodes: dict[str, _Node] = {"": root}
    for code, _ in made.order:
        row = codes.get(code)
        if row is None:
            continue
        # An empty rollup code is something to see, so it takes the room of one code.
        counts = not row.rollup or not made.children.get(code)
        weight = (1.0 if weights is None else 0.0 if row.rollup else abs(weights.get(code, 0.0))) if counts else 0.0
        node = _Node(code, weight, 0 if row.rollup else 1, row.rollup, [], "new" if code in moved else "")
        if row.account_class:
            node.votes[row.account_class] = 1
        nodes[code] = node
        nodes.get(made.parent.get(code, ""), root).children.append(node)
    for code, (was, _) in moved.items():
        if was in nodes and nodes[was].rollup and code in codes and code in nodes:
            weight = nodes[code].weight + sum(nodes[below].weight for below in made.below(code) if below in nodes)
            nodes[was].children.append(_Node(code, weight, 0, codes[code].rollup, [], "old"))
    for code, _ in reversed(made.order):
        if code in nodes:
            _gather(nodes.get(made.parent.get(code, ""), root), nodes[code])
    return root


def _gather(parent: _Node, child: _Node) -> None:
    child.weight += sum(ghost.weight for ghost in child.children if ghost.moved == "old")
    parent.weight += child.weight
    parent.posting += child.posting
    for name, count in child.votes.items():
        parent.votes[name] = parent.votes.get(name, 0) + count


def draw(
    state: State, hierarchy: str, *, zoom: str = "", weights: Mapping[str, float] | None = None,
    moved: Mapping[str, tuple[str, str]] | None = None,
) -> Elevation:  # fmt: skip
    """Lays a hierarchy out. `weights` by posting code (None: all alike); `moved`: code → (old parent, new parent)."""
    made = tree(state, hierarchy)
    root = _built(state, made, weights, moved or {})
    if zoom:
        found = _find(root, zoom)
        root = found if found is not None else root
    levels = min(_levels(root), MOST_LEVELS)
    found_path = tuple(made.path(zoom)[:-1]) if zoom and root.code == zoom else ()
    drawing = Elevation([], [], levels, root.posting, found_path)
    pitch = min(84.0, (GROUND - 60) / max(levels, 1))
    names = {code: row.name for code, row in list_index(state, made.code_list).codes.items()}
    closed = {code for code, row in list_index(state, made.code_list).codes.items() if row.in_use_until}
    _Draughtsman(drawing, pitch, names, closed, made.name).whole(root)
    return drawing


def _find(root: _Node, code: str) -> _Node | None:
    stack = [root]
    while stack:
        node = stack.pop()
        if node.code == code and node.rollup and node.moved != "old":
            return node
        stack.extend(node.children)
    return None


def _levels(root: _Node) -> int:
    deepest, stack = 0, [(root, 1)]
    while stack:
        node, depth = stack.pop()
        deepest = max(deepest, depth)
        stack.extend((child, depth + 1) for child in node.children if child.rollup)
    return deepest


class _Draughtsman:
    """Goes through the tree from the roof down, merging what would be too narrow to read."""

    def __init__(self, drawing: Elevation, pitch: float, names: Mapping[str, str], closed: set[str], title: str):
        self.drawing, self.pitch, self.names, self.closed, self.title = drawing, pitch, names, closed, title

    def whole(self, root: _Node) -> None:
        work = [(root, 0, 0.0, float(WIDTH))]
        self._bay([root], 0, 0.0, float(WIDTH))
        while work:
            node, level, x, width = work.pop()
            work.extend(self._below(node, level, x, width))

    def _bay(self, nodes: list[_Node], level: int, x: float, width: float) -> None:
        first = nodes[0]
        votes: dict[str, int] = {}
        for node in nodes:
            for name, count in node.votes.items():
                votes[name] = votes.get(name, 0) + count
        top = max(sorted(votes), key=lambda name: votes[name]) if votes else ""
        moved = next((node.moved for node in nodes if node.moved), "")
        name = self.names.get(first.code, "") if first.code else self.title
        posting = sum(node.posting for node in nodes)
        self.drawing.bays.append(
            Bay(
                first.code,
                name,
                level,
                x,
                level * self.pitch,
                max(width - 2, 1.0),
                self.pitch - 8,
                posting,
                len(nodes),
                top,
                moved,
            )
        )

    def _below(self, node: _Node, level: int, x: float, width: float) -> list[tuple[_Node, int, float, float]]:
        """Draws what stands directly below a bay; returns the bays that have more below them."""
        total = sum(child.weight for child in node.children)
        share = [(child, width * (child.weight / total if total else 1 / len(node.children))) for child in node.children]
        further: list[tuple[_Node, int, float, float]] = []
        row: list[tuple[_Node, float]] = []
        at = start = x
        for child, wide in [*share, (None, 0.0)]:
            narrow = child is not None and wide < READABLE and child.rollup and not child.moved
            if row and not (narrow and child is not None):
                if sum(w for _, w in row) >= 1:
                    self._bay([one for one, _ in row], level + 1, start, sum(w for _, w in row))
                if len(row) == 1 and level + 1 < MOST_LEVELS:
                    further.append((row[0][0], level + 1, start, row[0][1]))
                elif len(row) > 1:
                    self._merged_posts([one for one, _ in row], level + 1, start, sum(w for _, w in row))
                row = []
            if child is None:
                break
            if narrow:
                start = at if not row else start
                row.append((child, wide))
            elif child.rollup and wide >= 1:
                self._bay([child], level + 1, at, max(wide, 4.0))
                if child.moved != "old" and level + 1 < MOST_LEVELS:
                    further.append((child, level + 1, at, wide))
            at += wide
        self._standing(node, level, x, width, share)
        return further

    def _standing(self, node: _Node, level: int, x: float, width: float, share: list[tuple[_Node, float]]) -> None:
        """The posts of a bay's own posting codes, each in its share; those too close together as one."""
        at = x
        run: list[tuple[_Node, float, float]] = []
        for child, wide in share:
            if not child.rollup:
                if run and (child.moved or run[-1][0].moved or at - run[-1][1] >= POST_GAP or at > run[-1][1] + run[-1][2] + 0.5):
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
        closed = all(node.code in self.closed for node, _, _ in run)
        self.drawing.posts.append(
            Post(
                first.code, self.names.get(first.code, ""), start + (wide - narrow) / 2, y, narrow, len(run), first.moved, closed
            )
        )

    def _merged_posts(self, nodes: list[_Node], level: int, x: float, width: float) -> None:
        """What stands below merged bays, as one block of posts."""
        if count := sum(node.posting for node in nodes):
            y = (level + 1) * self.pitch - 8
            self.drawing.posts.append(Post(nodes[0].code, "", x + 2, y, max(width - 6, 1.0), count, "", False))
