"""Who shares what, drawn: charts as floors, companies as posts that stand on them, dashed ties to the charts
into which a chart is mapped for a group."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from html import escape
from math import log10
from typing import NamedTuple

from django.urls import reverse
from django.utils.safestring import SafeString, mark_safe

from core.definitions.state import State
from core.definitions.tables import Chart, ChartMapping, Company, Group, Mapping
from core.structures.second_charts import charts_of
from web.definitions.posted import JournalCount
from web.shell.cell_grid import short_names

WIDTH, LEFT, RIGHT = 780, 8, 150
FLOOR, GAP = 118, 34
WIDEST, NARROWEST, LABELLED = 92, 9, 54
LOWEST, HIGHEST = 26, 74
MOST_LABELS = 7
LETTER = 7
"""about as wide as a letter of a label"""


class Tie(NamedTuple):
    """A chart whose accounts go into another chart, for groups or for companies that are seen in it too:
    whose, by name."""

    chart: str
    into: str
    names: tuple[str, ...]
    is_second: bool = False
    """a second chart of companies"""

    def title(self) -> str:
        words = "Also seen here:" if self.is_second else "Mapped into"
        return f"{words} {', '.join(self.names)}"

    def labels(self) -> Iterator[str]:
        """What stands beside the chart that it leads to."""
        for name in self.names:
            yield f"seen by {name}" if self.is_second else f"into {name}"


def ties(state: State, companies: Sequence[Company]) -> list[Tie]:
    """Charts of companies that are mapped into the chart of a group, or seen in a second one."""
    return [*_of_groups(state, companies), *_second_charts(state, companies)]


def _second_charts(state: State, companies: Sequence[Company]) -> Iterator[Tie]:
    seen: dict[tuple[str, str], list[str]] = {}
    for row in companies:
        for chart in charts_of(state, row)[1:]:
            seen.setdefault((row.chart, chart), []).append(row.name)
    yield from (Tie(*pair, tuple(names), True) for pair, names in sorted(seen.items()))


def _of_groups(state: State, companies: Sequence[Company]) -> list[Tie]:
    charts = {row.company: row.chart for row in companies}
    found: dict[tuple[str, str], dict[str, None]] = {}
    mapped = {(row.group, charts.get(row.company, "")) for row in state.rows(Mapping)}
    mapped |= {(row.group, row.chart) for row in state.rows(ChartMapping)}
    for name, chart in sorted(mapped):
        group = state.get(Group, name)
        if group and chart in charts.values() and chart != group.chart:
            found.setdefault((chart, group.chart), {})[group.name] = None
    return [Tie(*key, tuple(groups)) for key, groups in sorted(found.items())]


def company_map(state: State, companies: Sequence[Company], counts: dict[str, JournalCount]) -> SafeString:
    """The drawing; a post leads to its company, and is as high as it has journals, on a scale of tens."""
    floors: dict[str, list[Company]] = {}
    for row in companies:
        floors.setdefault(row.chart, []).append(row)
    for tie in (all_ties := ties(state, companies)):
        floors.setdefault(tie.into, [])  # a chart that books are only seen in has nobody standing on it
    order = sorted(floors, key=lambda chart: (-len(floors[chart]), chart))
    bases = {chart: GAP + place * (FLOOR + GAP) + FLOOR for place, chart in enumerate(order)}
    height = GAP + len(order) * (FLOOR + GAP) + 8
    parts = [
        f'<svg viewBox="0 0 {WIDTH} {height}" width="{WIDTH}" height="{height}" class="company-map"'
        ' role="img" aria-label="Charts with the companies on them">'
    ]
    for chart in order:
        parts += _floor(state.require(Chart, chart), floors[chart], counts, bases[chart])
    parts += _ties(all_ties, bases)
    parts.append("</svg>")
    return mark_safe("".join(parts))  # noqa: S308 - every text was escaped


def _floor(
    chart: Chart, companies: Sequence[Company], counts: dict[str, JournalCount], base: int
) -> Iterator[str]:
    room = WIDTH - LEFT - RIGHT
    step = max(NARROWEST, min(WIDEST, room // max(1, len(companies))))
    heads = short_names([(row.company, row.name) for row in companies])
    for place, (row, head) in enumerate(zip(companies, heads, strict=True)):
        if (place + 1) * step > room:
            yield f'<text x="{LEFT + room}" y="{base - 8}" class="soft">+{len(companies) - place}</text>'
            break
        journals = counts[row.company].journals if row.company in counts else 0
        tall = min(HIGHEST, LOWEST + round(14 * log10(journals + 1)))
        label = shorten(head.name, step // LETTER) if step >= LABELLED else ""
        yield _post(row, label, LEFT + place * step, base, step, tall, journals)
    count = f"{len(companies)} compan{'y' if len(companies) == 1 else 'ies'}"
    yield f'<line x1="{LEFT}" x2="{LEFT + room}" y1="{base}" y2="{base}" class="floor"/>'
    yield (
        f'<text x="{LEFT}" y="{base + 17}"><a href="{reverse("structure", args=[chart.chart])}">'
        f'{escape(chart.name)}</a><tspan class="soft" dx="8">{count}</tspan></text>'
    )


def shorten(text: str, most: int) -> str:
    """As much of a text as there is room for."""
    return text if len(text) <= most else f"{text[: most - 1].rstrip(' ,')}…"


def _post(row: Company, label: str, x: int, base: int, step: int, tall: int, journals: int) -> str:
    wide = max(4, min(step - 5, 46))
    title = f"{row.name}, {row.country}, {row.currency}: {journals:,} journals"
    title += f", seen as {row.overlay}" if row.overlay else ""
    title += f", adjusts {row.adjusts}" if row.adjusts else ""
    css = "post adjusts" if row.adjusts else "post"
    middle = x + wide / 2
    texts = (
        f'<text x="{x}" y="{base - tall - 7}">{escape(label)}</text>'
        f'<text x="{middle}" y="{base - 8}" class="soft mid">{escape(row.currency)}</text>'
        if label
        else ""
    )
    if row.overlay and label:
        texts += f'<text x="{middle}" y="{base - tall + 14}" class="flag mid">{escape(row.overlay)}</text>'
    return (
        f'<a href="{reverse("company", args=[row.company])}"><title>{escape(title)}</title>'
        f'<rect x="{x}" y="{base - tall}" width="{wide}" height="{tall}" class="{css}"/>{texts}</a>'
    )


def _ties(found: Sequence[Tie], bases: dict[str, int]) -> Iterator[str]:
    """Dashed, at the right of the floors; beside the chart that they lead to stands for whom."""
    edge = WIDTH - RIGHT
    drawn = [one for one in found if one.into in bases and one.chart in bases]
    for place, tie in enumerate(drawn):
        x, low, high = edge + 14 + place * 10, bases[tie.chart], bases[tie.into]
        css = "tie second" if tie.is_second else "tie"
        title = f"<title>{escape(tie.title())}</title>"
        yield f'<path d="M{edge} {low}H{x}V{high}H{edge}" class="{css}">{title}</path>'
    for into in dict.fromkeys(tie.into for tie in drawn):
        labels = dict.fromkeys(label for tie in drawn if tie.into == into for label in tie.labels())
        for line, label in enumerate([*labels][:MOST_LABELS]):
            y = bases[into] - 6 - 16 * line
            yield f'<text x="{edge + 6}" y="{y}" class="soft">{escape(shorten(label, 22))}</text>'
