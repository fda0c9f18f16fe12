"""A bridge drawn: what a figure was, each change up or down, what it is."""

from __future__ import annotations

from collections.abc import Iterator

from django.utils.safestring import SafeString

from core.money import show_whole
from core.statements.bridge import Bridge
from web.statements.bar_drawing import Bar, drawing, whole_bar

FLAT = 3
"""Where changes are less than one part in so many of what stands, bars begin higher, and it is said."""


def _bars(made: Bridge, titles: tuple[str, str], digits: int) -> Iterator[Bar]:
    yield whole_bar(titles[0], made.start, digits)
    stands = made.start
    for step in made.steps:
        after = stands + step.change
        sign = "+" if step.change > 0 else ""
        css = "up" if step.change > 0 else "down"
        low, high = sorted((stands, after))
        yield Bar(step.label, low, high, css, f"{sign}{show_whole(step.change, digits)}")
        stands = after
    yield whole_bar(titles[1], made.end, digits)


def cut_at(made: Bridge, digits: int) -> int:
    """Where the bars begin, minor units: at 0, or where all that changes would be too flat to see, at a round
    amount below it."""
    stands = [made.start]
    for step in made.steps:
        stands.append(stands[-1] + step.change)
    low, high = min(stands), max(stands)
    if low <= 0 or (high - low) * FLAT > high:
        return 0
    wanted = max(low - (high - low), 0)
    unit = int(10 ** max(digits, len(str(high - low)) - 1))
    return wanted // unit * unit


def bridge_drawing(made: Bridge, titles: tuple[str, str], digits: int) -> SafeString:
    """An SVG whose table stands beside it: bars carry their change with its sign."""
    return drawing(list(_bars(made, titles, digits)), cut_at(made, digits), digits, "bridge-title")
