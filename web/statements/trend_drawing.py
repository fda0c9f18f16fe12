"""A line's last periods as a small line drawing, in a cell of a table."""

from __future__ import annotations

from collections.abc import Sequence
from html import escape

from django.utils.safestring import SafeString, mark_safe

from core.money import show_amount

WIDTH, HEIGHT, EDGE = 64, 20, 2


def trend(values: Sequence[int | None], digits: int) -> SafeString:
    """From the oldest to the newest, shown amounts in minor units; the end carries a dot. What it shows
    stands behind
    it in words. Nothing where nothing ever was."""
    known = [value or 0 for value in values]
    if len(known) < 2 or not any(known):
        return mark_safe("")
    low, high = min(known), max(known)
    step = (WIDTH - 2 * EDGE) / (len(known) - 1)

    def height(value: int) -> float:
        share = (value - low) / (high - low) if high > low else 0.5
        return round(HEIGHT - EDGE - share * (HEIGHT - 2 * EDGE), 1)

    points = [(round(EDGE + i * step, 1), height(value)) for i, value in enumerate(known)]
    told = (
        f"{len(known)} periods, from {show_amount(known[0], digits)} to {show_amount(known[-1], digits)},"
        f" lowest {show_amount(low, digits)}, highest {show_amount(high, digits)}"
    )
    drawn = " ".join(f"{x},{y}" for x, y in points)
    x, y = points[-1]
    return mark_safe(  # noqa: S308 - numbers, and words that are escaped
        f'<svg class="trend" width="{WIDTH}" height="{HEIGHT}" viewBox="0 0 {WIDTH} {HEIGHT}" role="img"'
        f' aria-label="{escape(told)}"><title>{escape(told)}</title><polyline points="{drawn}"/>'
        f'<circle cx="{x}" cy="{y}" r="1.8"/></svg>'
    )
