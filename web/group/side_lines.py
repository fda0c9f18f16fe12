"""The lines behind two sides that disagree, of one pair or of many."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, timedelta
from typing import NamedTuple

import numpy as np

from core.books.twins import Matched, match
from core.consolidation.eliminate import Disagreement
from core.consolidation.position import Consolidation, Position
from core.definitions.tables import Company
from web.journals.facing import Facing, facing_lines


class SideOfPair(NamedTuple):
    """What one of a pair has: raw in its own currency and in the group's, on which accounts of its own."""

    company: Company
    own: int
    translated: int
    codes: list[str]


def side_of(
    group: Consolidation, position: Position, apart: Disagreement, name: str, other: str
) -> SideOfPair:
    """The company's amounts with the other as partner that the rule took, results since the books were last
    closed."""
    rule = next((rule for rule in group.rules if rule.row.elimination == apart.elimination), None)
    place = group.books.partners.index(other) if other in group.books.partners else None
    own, codes = 0, set()
    for part in position.taken.get(name, ()):
        one = part.books
        faces = (one.partner == place) if place is not None else np.ones(len(one.own), dtype=bool)
        chosen = faces & (rule.selected[one.target] if rule is not None else True)
        first = one.since_closed(position.period)[0] if one.since_closed(position.period) else 0
        for c in np.flatnonzero(chosen).tolist():
            to = one.books.books_to[c]
            before = int(to[first - 1]) if one.result[c] and first else 0
            amount = int(to[position.period]) - before
            own += amount
            if amount:
                codes.add(one.own[c])
    return SideOfPair(group.state.require(Company, name), own, apart.side(name), sorted(codes))


def both_sides(group: Consolidation, position: Position, apart: Disagreement) -> list[SideOfPair]:
    """The two companies of a pair; none where lines can't tell why they disagree."""
    if not (apart.partner and apart.shares):
        return []
    pair = apart.company, apart.partner
    return [side_of(group, position, apart, one, other) for one, other in (pair, reversed(pair))]


def matched_lines(
    group: Consolidation, position: Position, pairs: Sequence[tuple[Disagreement, list[SideOfPair]]]
) -> list[Matched] | None:
    """The lines of each pair's two sides, matched; None where they are too many."""
    asked = [
        Facing(side.company, side.codes, other.company.company, _since(group, position, apart, side))
        for apart, both in pairs
        for side, other in zip(both, reversed(both), strict=True)
    ]
    lines = facing_lines(group.state, asked, group.periods.ends_on(position.period))
    if lines is None:
        return None
    return [match(one, other) for one, other in zip(lines[::2], lines[1::2], strict=True)]


def _since(group: Consolidation, position: Position, apart: Disagreement, side: SideOfPair) -> date:
    """From which day on lines count: for results since the books were last closed."""
    part = next(iter(position.taken.get(side.company.company, ())), None)
    results = all(group.books.accounts.is_result(target) for _, _, target, _ in apart.shares)
    closed = part.books.last_closed(position.period) if part and results else None
    return group.periods.ends_on(closed) + timedelta(days=1) if closed else date.min
