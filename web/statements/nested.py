"""Codes of a field within months, quarters or years: each column as if it were asked for alone."""

from __future__ import annotations

from dataclasses import replace
from typing import NamedTuple

from core.analysis.asked import Asked
from core.analysis.column_sums import TOTAL, Measure
from core.analysis.filters import of_column
from core.analysis.period_columns import PeriodColumn, Step, period_columns
from core.analysis.variances import beside_one_another, joined
from core.cash_flow.non_cash import joined_pairs
from core.faults import WrongCall
from core.statements.figures import Figures
from core.statements.plans import Plan
from web.statements.figure_source import FigureSource
from web.statements.queries import StatementFigures, figures_of


class NestedColumn(NamedTuple):
    """A code of a period, or its total (no key): the figures it is a column of, by place, and what it shows
    asked for by itself."""

    title: str
    key: tuple[str, ...]
    figures: tuple[Figures, int]
    alone: Asked


def nested_figures(
    source: FigureSource, planned: Plan, measure: Measure, step: Step, *, with_total: bool
) -> StatementFigures:
    """The codes of each period with its total, then what the periods come to, where movements are shown.
    Raises WrongCall for what doesn't go with it."""
    asked = source.asked
    _check(asked)
    across = period_columns(source.calendar, step, *source.ends, source.years_with_amounts)
    if not across:
        raise WrongCall("There is no period to stand across.")
    parts = [_of_period(source, planned, measure, column) for column in across]
    columns = [
        NestedColumn(
            f"{period.title}/{title}",
            part.keys[place],
            (part.figures, place),
            _asked_alone(source, measure, period, part.keys[place]),
        )
        for period, part in zip(across, parts, strict=True)
        for place, title in enumerate(part.columns)
        if title != TOTAL or len(part.columns) != 2
    ]
    if with_total:
        of_periods = [beside_one_another([(part.figures, -1)]) for part in parts]
        totals = joined(planned, of_periods, parts[0].digits, of_periods=True)
        columns.append(NestedColumn(TOTAL, (), (totals, -1), replace(asked, by="")))
    figures = beside_one_another([one.figures for one in columns])
    return replace(
        parts[-1],
        apart=joined_pairs(part.apart for part in parts),
        figures=figures,
        columns=tuple(one.title for one in columns),
        amounts=figures.amounts,
        window=source.stretch,
        keys=tuple(one.key for one in columns),
        alone=tuple(one.alone for one in columns),
    )


def _check(asked: Asked) -> None:
    if not asked.by or asked.by_day or asked.first is not None or asked.budget or asked.forecast:
        raise WrongCall("Codes stand within periods of a year up to a period, one field of them.")


def _of_period(
    source: FigureSource, planned: Plan, measure: Measure, column: PeriodColumn
) -> StatementFigures:
    alone = replace(_asked_alone(source, measure, column, ()), by=source.asked.by)
    return figures_of(source.asking(alone), planned, measure)


def _asked_alone(source: FigureSource, measure: Measure, column: PeriodColumn, key: tuple[str, ...]) -> Asked:
    """What one column shows, asked for by itself."""
    asked = source.asked
    year, last = column.key(source.calendar, asked.year or 0, asked.period or 0)
    first = None if measure == "standing" else column.first
    text = asked.filter
    for field, code in zip(source.fields if key else (), key, strict=True):
        text = of_column(text, source.chart, field, code)
    return replace(asked, year=year, period=last, first=first, filter=text, by="", periods="")
