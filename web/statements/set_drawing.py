"""A set of lines as bars beside one another, column by column, with the part that each has of them all."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from fractions import Fraction
from html import escape
from typing import NamedTuple

from django.utils.safestring import SafeString, mark_safe

from core.analysis.column_sums import AMOUNT, TOTAL
from core.money import round_half_up, show_amount, show_whole
from core.statements.figures import Figure
from core.statements.plans import line_title
from web.statements.bar_drawing import GROUND, LETTER, MOST, TOP, WIDTH, per_cent
from web.statements.queries import StatementFigures

MOST_LINES = 6
HEIGHT = 234
BELOW_BAR, BELOW_GROUP = GROUND + 16, GROUND + 36
"""Where a bar's number and its column's title stand."""


class DrawnLine(NamedTuple):
    """A line of a set: its number in the drawing, shown amounts by column in minor units, and in tenths of a
    per cent its part of what the set comes to (None: nothing, or lines that don't add up)."""

    number: int
    label: str
    amounts: tuple[int, ...]
    per_mille: tuple[int | None, ...]

    @property
    def cells(self) -> list[tuple[int, str]]:
        """Amount and part, column by column."""
        return [(amount, per_cent(part)) for amount, part in zip(self.amounts, self.per_mille, strict=True)]


class LineSet(NamedTuple):
    """Lines that are drawn together. `drawn` are the places of the columns in the drawing: all, or the
    largest; `left_out` lines that show no amount of money, or are more than can be told apart."""

    columns: tuple[str, ...]
    lines: tuple[DrawnLine, ...]
    drawn: tuple[int, ...]
    left_out: tuple[str, ...]

    @property
    def adds_up(self) -> bool:
        return any(part is not None for line in self.lines for part in line.per_mille)


def line_set(found: StatementFigures, names: Sequence[str]) -> LineSet | None:
    """The lines of some ids in the order of the tree; None without two that show amounts of money."""
    known = _known(found, names)
    chosen = [one for one in known if not one.is_ratio][:MOST_LINES]
    if len(chosen) < 2:
        return None
    places = [i for i, title in enumerate(found.columns) if title != TOTAL or len(found.columns) == 1]
    totals = _totals(found, chosen, places)
    drawn = tuple(_drawn_line(number, one, places, totals) for number, one in enumerate(chosen, 1))
    titles = tuple(found.currency if found.columns[i] == AMOUNT else found.columns[i] for i in places)
    gone = tuple(line_title(one.line.row) for one in known if one not in chosen)
    return LineSet(titles, drawn, _largest(drawn, len(places)), gone)


def _known(found: StatementFigures, names: Sequence[str]) -> list[Figure]:
    """Those of the names that can show figures."""
    rows = ((one, one.line.row) for one in found.figures.lines)
    return [one for one, row in rows if row.line in names and row.kind not in ("text", "gap")]


def _drawn_line(number: int, figure: Figure, places: Sequence[int], totals: Sequence[int]) -> DrawnLine:
    amounts = tuple(figure.shown[i] or 0 for i in places)
    parts = tuple(
        round_half_up(Fraction(amount * 1000, total)) if total else None
        for amount, total in zip(amounts, totals, strict=True)
    )
    return DrawnLine(number, line_title(figure.line.row), amounts, parts)


def _largest(lines: Sequence[DrawnLine], columns: int) -> tuple[int, ...]:
    """The places of the columns that there is room for, in their order."""
    sizes = [sum(abs(line.amounts[i]) for line in lines) for i in range(columns)]
    by_size = sorted(range(columns), key=lambda i: (-sizes[i], i))
    return tuple(sorted(by_size[: MOST // len(lines)]))


def _totals(found: StatementFigures, chosen: Sequence[Figure], places: Sequence[int]) -> list[int]:
    """What the lines come to together by column; 0 where one is within another, or they count to different
    sides."""
    index, end = found.plan.index, -1
    for figure in chosen:
        start = index[figure.line.row.line]
        if start < end or figure.line.row.kind == "formula":
            return [0] * len(places)
        end = found.plan.end_of(start)
    if len({figure.line.direction for figure in chosen}) > 1:
        return [0] * len(places)
    return [sum(figure.shown[i] or 0 for figure in chosen) for i in places]


class _Scale(NamedTuple):
    """How amounts become heights: of the lowest one, and by how much each minor unit is higher."""

    lowest: int
    rise: float

    def height(self, value: int) -> float:
        return round(GROUND - (value - self.lowest) * self.rise, 1)


def set_drawing(chosen: LineSet, digits: int, labelled: str) -> SafeString:
    """An SVG whose table stands beside it; `labelled` is the id of its heading. Each bar carries the number
    of its line, so no colour says it alone."""
    values = [line.amounts[i] for line in chosen.lines for i in chosen.drawn]
    lowest, highest = min(0, *values), max(0, *values)
    scale = _Scale(lowest, (GROUND - TOP) / ((highest - lowest) or 1))
    step = WIDTH / len(chosen.drawn)
    parts = list[str]()
    for at, column in enumerate(chosen.drawn):
        parts += _bars(chosen, column, (at * step + step * 0.06, step * 0.88), scale, digits)
        parts.append(_below(chosen.columns[column], at * step + step / 2, step))
    ground = scale.height(0)
    return mark_safe(  # noqa: S308 - numbers, and words that are escaped
        f'<svg class="bridge" viewBox="0 0 {WIDTH} {HEIGHT}" role="img" aria-labelledby="{labelled}">'
        f'{"".join(parts)}<line x1="0" x2="{WIDTH}" y1="{ground}" y2="{ground}"/></svg>'
    )


def _bars(
    chosen: LineSet, column: int, place: tuple[float, float], scale: _Scale, digits: int
) -> Iterator[str]:
    """The lines of one column within a place (left, how wide); amounts stand above where there is room."""
    wide = place[1] / len(chosen.lines)
    for i, line in enumerate(chosen.lines):
        amount = line.amounts[column]
        left, top = place[0] + wide * i, scale.height(max(0, amount))
        middle, tall = round(left + wide / 2, 1), scale.height(min(0, amount)) - top
        says = f"{line.label}, {chosen.columns[column]}: {show_amount(amount, digits)}"
        yield (
            f'<rect class="nth nth-{line.number}" x="{round(left + 1, 1)}" y="{top}"'
            f' width="{round(wide - 2, 1)}" height="{max(1.5, round(tall, 1))}">'
            f"<title>{escape(says)}</title></rect>"
            f'<text x="{middle}" y="{BELOW_BAR}">{line.number}</text>'
        )
        shown = show_whole(amount, digits)
        if len(shown) * LETTER * 1.15 <= wide:
            yield f'<text class="amount" x="{middle}" y="{round(top - 5, 1)}">{shown}</text>'


def _below(title: str, middle: float, step: float) -> str:
    """A column's title, as long as there is room."""
    most = max(2, int(step / LETTER))
    written = title if len(title) <= most else f"{title[: most - 1]}…"
    words = f"<title>{escape(title)}</title>{escape(written)}"
    return f'<text x="{round(middle, 1)}" y="{BELOW_GROUP}">{words}</text>'
