"""Checks of second charts: that they are other charts than the own ones, and how accounts go there; and of
moves from one chart to another."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from core.checks.build import mapping_faults
from core.checks.companies import natural_faults
from core.definitions.row_faults import fault
from core.definitions.state import State
from core.definitions.tables import ChartMove, Company, SecondChart, SecondChartMapping
from core.faults import Fault
from core.structures.charts import chart_index
from core.structures.second_charts import moment, moves_of


def second_charts(state: State, rows: list[SecondChart]) -> Iterator[Fault]:
    for row in rows:
        company = state.get(Company, row.company)
        if company is not None and company.chart == row.chart:
            what = f"{row.company} posts in {row.chart}: it is its own chart, not a second one."
            yield fault(row, "chart", what, "Leave the row out.", "mapping-unused")


def mappings(state: State, rows: list[SecondChartMapping]) -> Iterator[Fault]:
    for row in rows:
        own, second = chart_index(state, row.chart), chart_index(state, row.second_chart)
        if row.chart == row.second_chart:
            what = f"A chart isn't mapped to itself: {row.chart}."
            yield fault(row, "second_chart", what, "Name another chart.")
        yield from natural_faults(second, row, "target")
        if own is not None:
            yield from mapping_faults(state, row, own)


def moves(state: State, rows: list[ChartMove]) -> Iterator[Fault]:
    """The moves of a company lead from one chart to the next, to the one that it is on."""
    for name in sorted({row.company for row in rows}):
        company = state.get(Company, name)
        in_order = moves_of(state, name)
        for row, following in zip(in_order, (*in_order[1:], None), strict=True):
            leads_to = following.chart_before if following else company.chart if company else row.chart
            if row.chart == row.chart_before:
                what = f"{name} doesn't move from {row.chart} to itself."
                yield fault(row, "chart", what, "Name the chart that it moved to.")
            elif row.chart != leads_to:
                what = f"{name} moved to {row.chart} on {row.on}, and is on {leads_to} afterwards."
                yield fault(row, "chart", what, "Let each move begin where the one before it ended.")
            if following and moment(row.moved_at) >= moment(following.moved_at):
                what = f"{name} moved on {row.on} after it moved on {following.on}."
                yield fault(row, "moved_at", what, "Give the moments in the order of the days.", "dates")


CHECKS: list[tuple[type[Any], Any]] = [
    (SecondChart, second_charts),
    (SecondChartMapping, mappings),
    (ChartMove, moves),
]
