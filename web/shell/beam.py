"""The beam: the account string of a chart as planks with their marks, dimensions hanging beside it."""

from __future__ import annotations

from dataclasses import dataclass

from core.codes.lists import list_index
from core.definitions.state import State
from core.definitions.tables import Chart
from core.structures.charts import ChartIndex, Field, chart_index

MARKS = 6


@dataclass(frozen=True, slots=True)
class Plank:
    """A segment or dimension on the beam."""

    number: int
    mark: int
    field: Field
    codes: int
    here: bool

    @property
    def length(self) -> str:
        rule = self.field.rule
        if rule is None:
            return ""
        return (
            f"{rule.max_length}"
            if rule.min_length == rule.max_length
            else f"{rule.min_length} to {rule.max_length}"
        )


@dataclass(frozen=True, slots=True)
class Beam:
    """A chart's account string as drawn above a page."""

    chart: ChartIndex
    planks: list[Plank]
    tags: list[Plank]


def beam(state: State, chart: Chart | None, at: str = "") -> Beam | None:
    """The beam of a chart; the plank whose list is `at` is the one being looked at."""
    index = chart_index(state, chart.chart) if chart else None
    if index is None:
        return None

    def plank(number: int, field: Field) -> Plank:
        codes = len(list_index(state, field.code_list).posting)
        return Plank(number, (number - 1) % MARKS + 1, field, codes, field.code_list == at)

    return Beam(
        index,
        [plank(i + 1, index.segments[i]) for i in index.order],
        [plank(i, f) for i, f in enumerate(index.dimensions, 1)],
    )
