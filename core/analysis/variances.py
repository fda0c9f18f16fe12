"""Figures beside others, a budget's or an earlier stretch's: amount, the other, and by how much they
differ."""

from __future__ import annotations

from core.statements.figures import Figure, Figures, UnplacedAccount

COLUMNS = ("amount", "budget", "variance")


def beside(actual: Figures, other: Figures) -> Figures:
    """Of one plan, each with one column. The variance is the difference of the two shown figures, empty where
    either is."""
    lines = tuple(_figure(one, two) for one, two in zip(actual.lines, other.lines, strict=True))
    mine = {(u.company, u.account): u for u in actual.unplaced}
    planned = {(u.company, u.account): u for u in other.unplaced}
    unplaced = []
    for key in sorted({*mine, *planned}):
        account = mine.get(key) or planned[key]
        have, want = (of[key].raw[0] if key in of else 0 for of in (mine, planned))
        unplaced.append(UnplacedAccount(*account[:4], (have, want, have - want)))
    return Figures(lines, tuple(unplaced), actual.amounts)


def _figure(actual: Figure, other: Figure) -> Figure:
    raw = (actual.raw[0], other.raw[0], actual.raw[0] - other.raw[0])
    have, want = actual.shown[0], other.shown[0]
    variance = None if have is None or want is None else have - want
    bare = tuple((f.bare or (False,))[0] for f in (actual, other))
    return Figure(actual.line, raw, (have, want, variance), (*bare, all(bare)))
