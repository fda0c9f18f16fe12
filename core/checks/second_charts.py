"""Checks of second charts: that they are other charts than the own ones, and how accounts go there."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from core.checks.build import mapping_faults
from core.checks.companies import natural_faults
from core.definitions.row_faults import fault
from core.definitions.state import State
from core.definitions.tables import Company, SecondChart, SecondChartMapping
from core.faults import LOOK, Fault
from core.structures.charts import chart_index


def second_charts(state: State, rows: list[SecondChart]) -> Iterator[Fault]:
    for row in rows:
        company = state.get(Company, row.company)
        if company is not None and company.chart == row.chart:
            what = f"{row.company} posts in {row.chart}: it is its own chart, not a second one."
            yield fault(row, "chart", what, "Leave the row out.", "mapping-unused", LOOK)


def mappings(state: State, rows: list[SecondChartMapping]) -> Iterator[Fault]:
    for row in rows:
        own, second = chart_index(state, row.chart), chart_index(state, row.second_chart)
        if row.chart == row.second_chart:
            what = f"A chart isn't mapped to itself: {row.chart}."
            yield fault(row, "second_chart", what, "Name another chart.")
        yield from natural_faults(second, row, "target")
        if own is not None:
            yield from mapping_faults(state, row, own)


CHECKS: list[tuple[type[Any], Any]] = [(SecondChart, second_charts), (SecondChartMapping, mappings)]
