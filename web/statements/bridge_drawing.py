"""A bridge drawn: what a figure was, each change up or down, what it is."""

from __future__ import annotations

from collections.abc import Iterator
from html import escape
from typing import NamedTuple

from django.utils.safestring import SafeString, mark_safe

from core.money import show_whole
from core.statements.bridge import Bridge

WIDTH, HEIGHT = 780, 214
TOP, GROUND = 22, 172
"""Heights of the highest and the lowest value."""
LETTER = 6.4
"""How wide a letter of a label is, at most."""
FLAT = 3
"""Where changes are less than one part in so many of what stands, bars begin higher, and it is said."""


class Bar(NamedTuple):
    """From one value to another, minor units; `css` says what it is, `text` stands above it."""

    label: str
    low: int
    high: int
    css: str
    text: str


def _bars(made: Bridge, titles: tuple[str, str], digits: int) -> Iterator[Bar]:
    yield _whole(titles[0], made.start, digits)
    stands = made.start
    for step in made.steps:
        after = stands + step.change
        sign = "+" if step.change > 0 else ""
        css = "up" if step.change > 0 else "down"
        low, high = sorted((stands, after))
        yield Bar(step.label, low, high, css, f"{sign}{show_whole(step.change, digits)}")
        stands = after
    yield _whole(titles[1], made.end, digits)


def _whole(label: str, value: int, digits: int) -> Bar:
    return Bar(label, min(0, value), max(0, value), "whole", show_whole(value, digits))


def _label(bar: Bar, i: int, middle: float, step: float, *, is_last: bool) -> tuple[str, str, float]:
    """What stands below a bar, as long as there is room; the outer ones begin and end with the drawing."""
    outer = i == 0 or is_last
    most = int(step * (1.2 if outer else 1) / LETTER)
    text = bar.label if len(bar.label) <= most else bar.label[: most - 1] + "…"
    if not outer:
        return text, "", middle
    return (text, "last", WIDTH) if is_last else (text, "first", 0)


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
    """An SVG whose table stands beside it: bars carry their change with its sign, so no colour says it
    alone."""
    bars, base = list(_bars(made, titles, digits)), cut_at(made, digits)
    lowest, highest = max(min(bar.low for bar in bars), base), max(bar.high for bar in bars)
    scale = (GROUND - TOP) / ((highest - lowest) or 1)
    step = WIDTH / len(bars)

    def height(value: int) -> float:
        return round(GROUND - (max(value, lowest) - lowest) * scale, 1)

    parts = []
    for i, bar in enumerate(bars):
        left, middle = round(i * step + step * 0.12, 1), round(i * step + step / 2, 1)
        top = height(bar.high)
        tall = max(1.5, round(height(bar.low) - top, 1))
        label, place, at = _label(bar, i, middle, step, is_last=i == len(bars) - 1)
        parts.append(
            f'<rect class="{bar.css}" x="{left}" y="{top}" width="{round(step * 0.76, 1)}" height="{tall}"/>'
            f'<text class="amount" x="{middle}" y="{round(top - 5, 1)}">{escape(bar.text)}</text>'
            f'<text class="{place}" x="{at}" y="{GROUND + 18}"><title>{escape(bar.label)}</title>'
            f"{escape(label)}</text>"
        )
    ground = height(0)
    if base:
        parts.append(
            f'<text class="cut" x="0" y="{HEIGHT - 4}">bars begin at {show_whole(base, digits)}</text>'
        )
    return mark_safe(  # noqa: S308 - numbers, and words that are escaped
        f'<svg class="bridge" viewBox="0 0 {WIDTH} {HEIGHT}" role="img" aria-labelledby="bridge-title">'
        f'{"".join(parts)}<line x1="0" x2="{WIDTH}" y1="{ground}" y2="{ground}"/></svg>'
    )
