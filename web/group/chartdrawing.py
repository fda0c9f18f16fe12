"""The members of a group drawn as a tree: boxes and lines in user units, for an SVG."""

from __future__ import annotations

import textwrap
from typing import NamedTuple

from core.definitions.state import State
from core.definitions.tables import Company, Group, GroupMember

WIDTH, WIDEST, NARROWEST, BOX_H, GAP, LEVEL = 786, 168, 96, 58, 8, 94


class Box(NamedTuple):
    x: int
    y: int
    width: int
    title: str
    name: list[str]
    told: str
    mark: str
    share: str
    address: str


class Drawing(NamedTuple):
    boxes: list[Box]
    lines: list[str]
    width: int
    height: int


def fitted(title: str, width: int) -> list[str]:
    """A name in the two lines that a box has room for; names that begin alike are told apart by the
    second."""
    room = int((width - 17) / 7.1)
    lines = textwrap.wrap(title, room) or [""]
    rest = " ".join(lines[1:])
    return [lines[0], *([rest if len(rest) <= room else rest[: room - 1] + "…"] if rest else [])]


def draw(state: State, group: str) -> Drawing:
    """The group on top, its members below, members of member groups below those."""
    group_row = state.get(Group, group)
    if group_row is None:
        return Drawing([], [], WIDTH, 0)
    rows = [[(group, "group", "", -1)]]
    while any(kind == "group" for _, kind, _, _ in rows[-1]) and len(rows) < 6:
        below = []
        for at, (name, kind, _, _) in enumerate(rows[-1]):
            if kind == "group":
                members = sorted(
                    state.part(GroupMember, name).values(), key=lambda m: (m.member_kind, m.member)
                )
                below += [
                    (
                        m.member,
                        m.member_kind,
                        f"{m.ownership or 100:.0f}%" + (f" {m.method}" if m.method != "full" else ""),
                        at,
                    )
                    for m in members
                ]
        if not below:
            break
        rows.append(below)
    widest = max(len(row) for row in rows)
    box = max(NARROWEST, min(WIDEST, WIDTH // widest - GAP))
    width = max(WIDTH, widest * (box + GAP))
    boxes, lines, centres = [], [], []
    for level, row in enumerate(rows):
        step = width / len(row)
        centres.append([round(step * (i + 0.5)) for i in range(len(row))])
        for i, (name, kind, share, parent) in enumerate(row):
            x, y = centres[level][i] - box // 2, 2 + level * LEVEL
            company = state.get(Company, name) if kind == "company" else None
            nested = state.get(Group, name)
            title = company.name if company else nested.name if nested else name
            own = "shared" if company and company.chart == group_row.chart else "own"
            caption = (
                f"{company.currency} · {own}" if company else f"{nested.currency if nested else ''} · group"
            )
            mark = "pine" if not company or company.chart == group_row.chart else "resin"
            address = f"/companies/{name}/" if company else f"/group/{name}/"
            boxes.append(Box(x, y, box, title, fitted(title, box), caption, mark, share, address))
            if parent >= 0:
                top, middle = y - (LEVEL - BOX_H), y - 18
                lines.append(f"M{centres[level - 1][parent]} {top}V{middle}H{centres[level][i]}V{y}")
    return Drawing(boxes, lines, width, 4 + (len(rows) - 1) * LEVEL + BOX_H)
