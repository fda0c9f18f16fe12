"""The members of a group drawn as a tree: boxes and lines in user units, for an SVG."""

from __future__ import annotations

import textwrap
from datetime import date
from typing import NamedTuple

from core.definitions.state import State
from core.definitions.tables import Company, Group, GroupMember
from core.group.ownership import held_by, is_link_in
from core.money import show_percent

WIDTH, WIDEST, NARROWEST, BOX_H, GAP, LEVEL = 786, 168, 96, 58, 8, 94


class Box(NamedTuple):
    """A member as drawn."""

    x: int
    y: int
    width: int
    title: str
    name: list[str]
    told: str
    mark: str
    share: str
    address: str
    is_in: bool = True


class Drawing(NamedTuple):
    """The drawing of a group; `dashed` lines lead to what isn't in."""

    boxes: list[Box]
    lines: list[str]
    dashed: list[str]
    width: int
    height: int


def fitted(title: str, width: int) -> list[str]:
    """A name in the two lines that a box has room for; names that begin alike are told apart by the
    second."""
    room = int((width - 17) / 7.1)
    lines = textwrap.wrap(title, room) or [""]
    rest = " ".join(lines[1:])
    return [lines[0], *([rest if len(rest) <= room else rest[: room - 1] + "…"] if rest else [])]


DEEPEST = 6


class Placed(NamedTuple):
    """A member on a level. `parent` is a place in the level above (-1: none), `share` stands on its line;
    it is in where it and all above it are."""

    name: str
    kind: str
    share: str
    parent: int
    is_in: bool = True


def _levels(state: State, group: str, on: date | None) -> list[list[Placed]]:
    """The group, its members, members of member groups, as held on a day."""
    levels = [[Placed(group, "group", "", -1)]]
    while len(levels) < DEEPEST:
        below = [
            Placed(
                row.member,
                row.member_kind,
                _share(state, row, on),
                at,
                above.is_in and (on is None or is_link_in(row, on)),
            )
            for at, above in enumerate(levels[-1])
            if above.kind == "group"
            for row in sorted(
                state.part(GroupMember, above.name).values(), key=lambda m: (m.member_kind, m.member)
            )
        ]
        if not below:
            break
        levels.append(below)
    return levels


def _share(state: State, row: GroupMember, on: date | None) -> str:
    return show_percent(held_by(state, row, on or date.max)).replace(" ", "") + (
        f" {row.method}" if row.method != "full" else ""
    )


def _box(state: State, chart: str, placed: Placed, x: int, y: int, width: int) -> Box:
    company = state.get(Company, placed.name) if placed.kind == "company" else None
    if company is not None:
        shares = company.chart == chart
        caption = f"{company.currency} · {'shared' if shares else 'own'}"
        mark, title, address = "pine" if shares else "resin", company.name, f"/companies/{placed.name}/"
    else:
        nested = state.get(Group, placed.name)
        caption = f"{nested.currency if nested else ''} · group"
        mark, title, address = "pine", nested.name if nested else placed.name, f"/group/{placed.name}/"
    return Box(x, y, width, title, fitted(title, width), caption, mark, placed.share, address, placed.is_in)


def draw(state: State, group: str, on: date | None = None) -> Drawing:
    """The group on top, its members below, members of member groups below those; as held on a day, or in the
    end."""
    group_row = state.get(Group, group)
    if group_row is None:
        return Drawing([], [], [], WIDTH, 0)
    levels = _levels(state, group, on)
    widest = max(map(len, levels))
    box = max(NARROWEST, min(WIDEST, WIDTH // widest - GAP))
    width = max(WIDTH, widest * (box + GAP))
    boxes: list[Box] = []
    lines: list[str] = []
    dashed: list[str] = []
    above: list[int] = []
    for level, row in enumerate(levels):
        centres = [round(width / len(row) * (i + 0.5)) for i in range(len(row))]
        y = 2 + level * LEVEL
        for centre, placed in zip(centres, row, strict=True):
            boxes.append(_box(state, group_row.chart, placed, centre - box // 2, y, box))
            if placed.parent >= 0:
                (lines if placed.is_in else dashed).append(
                    f"M{above[placed.parent]} {y - (LEVEL - BOX_H)}V{y - 18}H{centre}V{y}"
                )
        above = centres
    return Drawing(boxes, lines, dashed, width, 4 + (len(levels) - 1) * LEVEL + BOX_H)
