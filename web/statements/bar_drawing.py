"""Bars as SVG: a line of a statement across its columns, and what a bridge stands on."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction
from html import escape
from typing import NamedTuple

from django.utils.safestring import SafeString, mark_safe

from core.analysis.column_sums import TOTAL
from core.money import round_half_up, show_amount, show_whole
from core.statements.figures import Figure

WIDTH, HEIGHT = 780, 214
TOP, GROUND = 22, 172
"""Heights of the highest and the lowest value."""
LETTER = 6.4
"""How wide a letter of a label is, at most."""
MOST = 24
"""More bars can't be told apart: the largest are drawn, the rest together."""


class Bar(NamedTuple):
    """From one value to another, minor units; `css` says what it is, `text` stands above it."""

    label: str
    low: int
    high: int
    css: str
    text: str


def whole_bar(label: str, value: int, digits: int) -> Bar:
    return Bar(label, min(0, value), max(0, value), "whole", show_whole(value, digits))


def _label(bar: Bar, i: int, middle: float, step: float, *, is_last: bool) -> tuple[str, str, float]:
    """What stands below a bar, as long as there is room; long ones of the outer bars begin and end with the
    drawing."""
    outer = (i == 0 or is_last) and len(bar.label) * LETTER > step
    most = int(step * (1.2 if outer else 1) / LETTER)
    text = bar.label if len(bar.label) <= most else bar.label[: most - 1] + "…"
    if not outer:
        return text, "", middle
    return (text, "last", WIDTH) if is_last else (text, "first", 0)


def drawing(bars: Sequence[Bar], base: int, digits: int, labelled: str) -> SafeString:
    """An SVG whose table stands beside it. `base`: where bars begin, minor units; `labelled` is the id of its
    heading. Each bar carries its value, so no colour says it alone."""
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
        parts.append(_cut(base, digits))
    return mark_safe(  # noqa: S308 - numbers, and words that are escaped
        f'<svg class="bridge" viewBox="0 0 {WIDTH} {HEIGHT}" role="img" aria-labelledby="{labelled}">'
        f'{"".join(parts)}<line x1="0" x2="{WIDTH}" y1="{ground}" y2="{ground}"/></svg>'
    )


def _cut(base: int, digits: int) -> str:
    return f'<text class="cut" x="0" y="{HEIGHT - 4}">bars begin at {show_whole(base, digits)}</text>'


def per_cent(per_mille: int | None) -> str:
    """A part in tenths of a per cent as it is written; empty where there is none."""
    if per_mille is None:
        return ""
    sign = "−" if per_mille < 0 else ""
    return f"{sign}{abs(per_mille) // 10}.{abs(per_mille) % 10} %"


class ColumnShare(NamedTuple):
    """A column of a line: its title, shown amount in minor units, and per cent of the total in tenths (None:
    there is no total to be a part of)."""

    title: str
    amount: int
    per_mille: int | None

    @property
    def per_cent(self) -> str:
        return per_cent(self.per_mille)


def column_shares(figure: Figure, columns: Sequence[str]) -> list[ColumnShare]:
    """The columns of a line but its total, with their part of it; more than MOST: the largest, and the rest
    as one."""
    own = [i for i, title in enumerate(columns) if title != TOTAL]
    total = figure.shown[columns.index(TOTAL)] if TOTAL in columns else None
    amounts = [(columns[i], figure.shown[i] or 0) for i in own]
    if len(amounts) > MOST:
        by_size = sorted(range(len(amounts)), key=lambda i: -abs(amounts[i][1]))
        kept = sorted(by_size[: MOST - 1])
        rest = sum(amounts[i][1] for i in by_size[MOST - 1 :])
        amounts = [*(amounts[i] for i in kept), (f"{len(amounts) - len(kept)} more", rest)]
    return [
        ColumnShare(title, amount, round_half_up(Fraction(amount * 1000, total)) if total else None)
        for title, amount in amounts
    ]


def share_drawing(shares: Sequence[ColumnShare], digits: int, labelled: str) -> SafeString:
    """A bar a column; above it its part of the total, or where there is none its amount."""
    bars = [
        Bar(
            f"{share.title}, {show_amount(share.amount, digits)}",
            min(0, share.amount),
            max(0, share.amount),
            "whole",
            share.per_cent or show_whole(share.amount, digits),
        )._replace(label=share.title)
        for share in shares
    ]
    return drawing(bars, 0, digits, labelled)
