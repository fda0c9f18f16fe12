"""A mapping drawn: own accounts on the left, group accounts on the right, ribbons as wide as what they
carry."""

from __future__ import annotations

from typing import Any, NamedTuple

from core.group.mapping import MapPlan

ROW, LEFT, RIGHT, MOST = 34, 250, 540, 24


class Side(NamedTuple):
    """One end of ribbons: an account, or several alike, at a height."""

    y: int
    code: str
    name: str
    codes: int


class Ribbon(NamedTuple):
    """A way from own accounts to an account of the group, as a path."""

    path: str
    width: float
    split: bool


class Ribbons(NamedTuple):
    """The drawing of a mapping."""

    left: list[Side]
    right: list[Side]
    ribbons: list[Ribbon]
    height: int
    hidden: int


def ribbons(made: MapPlan, own: Any, theirs: Any, sums: dict[str, int]) -> Ribbons:
    """Own accounts with the same way to the group stand together; the widest share first where there are too
    many."""
    blocks = _blocks(made, own)
    hidden = max(0, len(blocks) - MOST)
    blocks = blocks[:MOST]
    targets = sorted({target for way, _ in blocks for target in way})
    right = [Side(i * ROW, t, theirs[t].name if t in theirs else "", 0) for i, t in enumerate(targets)]
    place = {side.code: side.y for side in right}
    weights = [sum(abs(sums.get(code, 0)) for code in codes) for _, codes in blocks]
    most = max(weights, default=0) or 1
    left, drawn = [], []
    for i, ((way, codes), weight) in enumerate(zip(blocks, weights, strict=True)):
        label = codes[0] if len(codes) == 1 else f"{codes[0]} … {codes[-1]}"
        left.append(Side(i * ROW, label, own.codes[codes[0]].name, len(codes)))
        width = max(1.5, 14 * weight / most)
        drawn += [_ribbon(i * ROW + 14, place[target] + 14, width, len(way)) for target in way]
    return Ribbons(left, right, drawn, max(len(left), len(right)) * ROW + 4, hidden)


def _blocks(made: MapPlan, own: Any) -> list[tuple[tuple[str, ...], list[str]]]:
    """Own accounts by the targets they may go to, in the order of their first account."""
    ways: dict[tuple[str, ...], list[str]] = {}
    for code in own.posting:
        way = tuple(dict.fromkeys(row.row.target for row in made.rows.get(code, [])))
        if way:
            ways.setdefault(way, []).append(code)
    return sorted(ways.items(), key=lambda item: item[1][0])


def _ribbon(y: int, to: int, width: float, parts: int) -> Ribbon:
    middle = (LEFT + RIGHT) // 2
    path = f"M{LEFT} {y}C{middle} {y} {middle} {to} {RIGHT} {to}"
    return Ribbon(path, round(width / parts, 1), parts > 1)
