"""Figures beside a budget and beside an earlier stretch, in one table; also for each month, quarter or year
of the stretch."""

from __future__ import annotations

from dataclasses import replace
from typing import NamedTuple

from core.analysis.asked import Asked
from core.analysis.column_sums import TOTAL
from core.analysis.period_columns import Step, period_columns
from core.analysis.variances import CHANGE, COLUMNS, beside, beside_one_another
from core.faults import WrongCall
from core.statements.figures import Figure, Figures
from web.statements.figure_address import FigureAddress
from web.statements.figure_source import FigureSource
from web.statements.queries import StatementFigures, figures_of


def beside_earlier(
    source: FigureSource, address: FigureAddress
) -> tuple[StatementFigures, StatementFigures | None]:
    """The figures, and those of the earlier stretch that they stand beside, where one is asked for: columns
    of now, then and the change; or of the amount, the budget, the variance and then. Raises WrongCall."""
    found, earlier = figures_of(source, address.plan, address.measure), address.earlier()
    if earlier is None:
        return found, None
    then = figures_of(source.asking(earlier.asked), address.plan, address.measure)
    if not address.asked.budget:
        columns = (found.columns[0], then.window.title(address.balances), CHANGE)
        return replace(found, figures=beside(found.figures, then.figures), columns=columns), then
    both = beside_one_another([*((found.figures, place) for place in range(len(COLUMNS))), (then.figures, 0)])
    return replace(found, figures=both, columns=(*found.columns, address.than_words)), then


def _nothing(figures: Figures) -> Figures:
    """A column of a stretch that there isn't: empty on each line."""
    lines = tuple(Figure(one.line, (0,), (None,), (False,)) for one in figures.lines)
    return Figures(lines, (), figures.amounts)


class BudgetColumn(NamedTuple):
    """A column of a period, or of all: the figures it is a column of, by place, and what it shows asked for
    by itself."""

    title: str
    figures: tuple[Figures, int]
    alone: Asked


def _stretches(source: FigureSource, address: FigureAddress, step: Step) -> list[tuple[str, Asked]]:
    """Each period with its title; where movements are shown, the whole stretch behind them."""
    asked = source.asked
    stretches = []
    for period in period_columns(source.calendar, step, *source.ends, frozenset({asked.year or 0})):
        year, last = period.key(source.calendar, asked.year or 0, asked.period or 0)
        first = None if address.balances else period.first
        stretches.append((period.title, replace(asked, year=year, period=last, first=first)))
    return stretches if address.balances else [*stretches, (TOTAL, asked)]


def _then(title: str, there: FigureAddress, figures: Figures, alone: Asked) -> BudgetColumn:
    """The stretch before of one period; nothing where there is none."""
    earlier = there.earlier()
    if earlier is None:
        return BudgetColumn(title, (_nothing(figures), 0), alone)
    return BudgetColumn(title, (figures, len(COLUMNS)), earlier.asked)


def budget_within(source: FigureSource, address: FigureAddress) -> StatementFigures:
    """For each period of the stretch, and where movements are shown for all of it, what `beside_earlier`
    gives. Raises WrongCall for what doesn't go with it."""
    asked, step = source.asked, address.within
    if step is None or asked.by or asked.by_day or asked.first is not None or asked.periods:
        raise WrongCall("A budget stands within periods of a year up to a period, without codes.")
    stretches = _stretches(source, address, step)
    addresses = [replace(address, asked=stretch, within=None) for _, stretch in stretches]
    parts = [beside_earlier(source.asking(there.asked), there)[0] for there in addresses]
    has_then = any(len(part.columns) > len(COLUMNS) for part in parts)
    columns = []
    for (title, stretch), there, part in zip(stretches, addresses, parts, strict=True):
        alone = replace(stretch, budget="")
        for place, kind in enumerate(COLUMNS):
            columns.append(BudgetColumn(f"{title}/{kind}", (part.figures, place), alone))
        if has_then:
            columns.append(_then(f"{title}/{address.than_words}", there, part.figures, alone))
    figures = beside_one_another([one.figures for one in columns])
    return replace(
        parts[-1],
        figures=figures,
        columns=tuple(one.title for one in columns),
        amounts=figures.amounts,
        window=source.stretch,
        alone=tuple(one.alone for one in columns),
    )
