"""A mapping drawn: own accounts on the left, group accounts on the right, ribbons as wide as what they carry.
Long lists are bundled by rollup code; a bundle opens into what is right below it."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any, NamedTuple

from core.codes.lists import ListIndex
from core.group.mapping import MapPlan
from core.mapping.bundles import BY_CLASS, Bundle, Bundles

ROW, LEFT, RIGHT, MOST = 34, 250, 540, 24
BundledWay = tuple[str, ...]


class Side(NamedTuple):
    """One end of ribbons: an account, several alike, or a bundle (`opens`), at a height."""

    y: int
    code: str
    name: str
    codes: int
    opens: str = ""


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


def ribbons(
    plan: MapPlan, own: ListIndex, theirs: dict[str, Any], sums: dict[str, int], left: Bundles, right: Bundles
) -> Ribbons:
    """Own accounts with the same way to the group stand together; where that is too many to be drawn, both
    sides are bundled."""
    blocks = _blocks(plan, own)
    if len(blocks) > MOST or left.opened:
        return _bundled(plan, own, sums, left, right)
    ends = sorted({target for way, _ in blocks for target in way})
    names = {target: theirs[target].name if target in theirs else "" for target in ends}
    rows = [
        (codes[0] if len(codes) == 1 else f"{codes[0]} … {codes[-1]}", own.codes[codes[0]].name, way, codes)
        for way, codes in blocks
    ]
    return _drawn(
        [(label, name, len(codes), "") for label, name, _, codes in rows],
        [(target, names[target], 0, "") for target in ends],
        {
            (i, ends.index(target)): (_weight(codes, sums), len(way))
            for i, (_, _, way, codes) in enumerate(rows)
            for target in way
        },
    )


def _bundled(plan: MapPlan, own: ListIndex, sums: dict[str, int], left: Bundles, right: Bundles) -> Ribbons:
    ways = {account: _way(plan, account) for account in own.posting}
    mapped = [account for account, way in ways.items() if way]
    lefts = left.told(mapped)
    targets = sorted({target for account in mapped for target in ways[account]})
    rights = right.told(targets)
    place = {one.key: i for i, one in enumerate(lefts)}
    end = {one.key: i for i, one in enumerate(rights)}
    flows: dict[tuple[int, int], tuple[int, int]] = {}
    for account in mapped:
        for target in ways[account]:
            key = place[left.of(account)], end[right.of(target)]
            weight, parts = flows.get(key, (0, 1))
            flows[key] = weight + abs(sums.get(account, 0)), max(parts, len(ways[account]))
    return _drawn(
        [_end_of(one) for one in lefts],
        [_end_of(one) for one in rights],
        flows,
    )


def _end_of(one: Bundle) -> tuple[str, str, int, str]:
    code = "" if one.key.startswith(BY_CLASS) else one.key
    return code, one.name.capitalize() if not code else one.name, one.accounts, one.key if one.opens else ""


def _drawn(
    lefts: list[tuple[str, str, int, str]],
    rights: list[tuple[str, str, int, str]],
    flows: dict[tuple[int, int], tuple[int, int]],
) -> Ribbons:
    """`flows` are weight and number of ways by places on either side."""
    most = max((weight for weight, _ in flows.values()), default=0) or 1
    ways = [
        _ribbon(i * ROW + 14, j * ROW + 14, max(1.5, 14 * weight / most), parts)
        for (i, j), (weight, parts) in flows.items()
    ]
    return Ribbons(_sides(lefts), _sides(rights), ways, max(len(lefts), len(rights)) * ROW + 4)


def _sides(rows: Collection[tuple[str, str, int, str]]) -> list[Side]:
    return [Side(i * ROW, *row) for i, row in enumerate(rows)]


def _weight(codes: list[str], sums: dict[str, int]) -> int:
    return sum(abs(sums.get(code, 0)) for code in codes)


def _way(plan: MapPlan, account: str) -> BundledWay:
    return tuple(dict.fromkeys(row.row.target for row in plan.rows.get(account, [])))


def _blocks(plan: MapPlan, own: ListIndex) -> list[tuple[BundledWay, list[str]]]:
    """Own accounts by the targets they may go to, in the order of their first account."""
    ways: dict[BundledWay, list[str]] = {}
    for code in own.posting:
        if way := _way(plan, code):
            ways.setdefault(way, []).append(code)
    return sorted(ways.items(), key=lambda item: item[1][0])


def _ribbon(y: int, to: int, width: float, parts: int) -> Ribbon:
    middle = (LEFT + RIGHT) // 2
    path = f"M{LEFT} {y}C{middle} {y} {middle} {to} {RIGHT} {to}"
    return Ribbon(path, round(width / parts, 1), parts > 1)
