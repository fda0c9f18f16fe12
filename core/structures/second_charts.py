"""In which charts a company's books are seen: the one it posts in, and second ones through a mapping; and in
which ones it posted before it moved to that."""

from __future__ import annotations

from datetime import datetime

from core.definitions.state import State
from core.definitions.tables import ChartMove, Company, SecondChart
from core.structures.charts import chart_index


def charts_of(state: State, company: Company) -> tuple[str, ...]:
    """The company's own chart first, then its second ones in the order of their ids."""
    second = {row.chart for row in state.part(SecondChart, company.company).values()} - {company.chart}
    return (company.chart, *sorted(second))


def is_seen_in(state: State, company: Company, chart: str) -> bool:
    return company.chart == chart or state.get(SecondChart, company.company, chart) is not None


def chart_with(state: State, company: Company, code_list: str) -> str:
    """The first of the charts that a company is seen in whose natural accounts are those of a list; empty
    where there is none."""
    for chart in charts_of(state, company):
        index = chart_index(state, chart)
        if index is not None and index.natural_list == code_list:
            return chart
    return ""


def moves_of(state: State, company: str) -> tuple[ChartMove, ...]:
    """A company's moves from one chart to another, the first first."""
    return tuple(sorted(state.part(ChartMove, company).values(), key=lambda row: row.on))


def moment(text: str) -> datetime:
    """A moment as rows keep it."""
    return datetime.fromisoformat(text)


def posted_in(state: State, company: Company, posted_at: str) -> str:
    """The chart that a journal of the company was posted in; without a moment the one it is on."""
    for row in moves_of(state, company.company) if posted_at else ():  # none, of nearly all companies
        if moment(posted_at) < moment(row.moved_at):
            return row.chart_before
    return company.chart
