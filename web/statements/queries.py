"""Figures of one company: trial balance and statements, from its packed balances."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np

from core.analysis.asked import Asked
from core.analysis.column_sums import (
    ClosingRow,
    Measure,
    by_codes,
    by_periods,
    closing_by_codes,
    measure_of,
    one_column,
    trial_rows,
)
from core.analysis.period_columns import PeriodColumn, last_periods, period_columns
from core.analysis.stretches import Stretch, of_periods
from core.analysis.time_steps import looked_back
from core.analysis.variances import (
    COLUMNS,
    FormulaColumn,
    PerCents,
    beside,
    formula_columns,
    worked_out_column,
)
from core.books.balances import Books, TrialRow, by_account
from core.books.periods import closing_ordinals
from core.cash_flow.non_cash import LeftOutPair
from core.codes.lists import list_index
from core.definitions.state import State
from core.definitions.tables import Company
from core.faults import WrongCall
from core.mapping.arrangements import shown_statement
from core.money import digits_of
from core.statements.amounts import Amounts
from core.statements.coverage import Sides, sides
from core.statements.figures import Figure, Figures, compute
from core.statements.plans import WITH_FIGURES, Plan, plan
from core.structures.charts import chart_index
from core.structures.second_charts import charts_of
from web.journals.amount_rows import (
    with_texts,
)
from web.journals.books import books_for
from web.statements.figure_source import FigureSource


def known_company(state: State, company: str) -> Company:
    row = state.get(Company, company)
    if row is None:
        raise WrongCall(f"There is no company {company}.")
    return row


def known_plan(state: State, statement: str, chart: str, *seen_in: str) -> Plan:
    """A statement of a chart, or of another one in which the same books are seen. Raises WrongCall."""
    planned = plan(state, statement)
    if planned is None:
        raise WrongCall(f"There is no statement {statement}.")
    if planned.statement.chart not in (chart, *seen_in):
        raise WrongCall(f"Statement {statement} belongs to chart {planned.statement.chart}, not to {chart}.")
    return planned


def company_plan(state: State, statement: str, company: Company) -> Plan:
    """A statement of the company's chart or of a second one, as the company arranges it. Raises WrongCall."""
    return known_plan(state, shown_statement(state, statement, company.company), *charts_of(state, company))


def company_sums(
    state: State, company: str, at: Stretch, books: Sequence[Books] | None = None
) -> tuple[list[str], dict[str, np.ndarray]]:
    """The company's posting accounts in order, and its sums by account (core.books.balances.by_account).
    `books`: its own, where those of several companies were read at once."""
    company_row = known_company(state, company)
    chart = chart_index(state, company_row.chart)
    index = list_index(state, chart.natural_list if chart else "")
    codes = list(index.posting)
    places = dict(index.position)
    own_books = list(books_for(state, [company])[company] if books is None else books)
    for book in own_books:
        for natural in book.naturals:
            if natural not in places:
                places[natural] = len(codes)
                codes.append(natural)
    return codes, by_account(own_books, places, len(codes), at.start, at.end)


class LeftOut(NamedTuple):
    """A company that has no column beside others, and why."""

    company: Company
    why: str


@dataclass(frozen=True, slots=True)
class StatementFigures:
    """A statement worked out: figures by column, and the amounts that they were made from. Columns are
    companies (and more for a group), codes,
    periods, or
    an amount beside a budget's. `keys` are the codes of each column by codes."""

    plan: Plan
    figures: Figures
    columns: tuple[str, ...]
    currency: str
    digits: int
    window: Stretch
    amounts: Amounts
    keys: tuple[tuple[str, ...], ...] = ()
    across: tuple[PeriodColumn, ...] = ()
    per_cents: tuple[PerCents, ...] = ()
    judged: tuple[int, ...] = ()
    """places of columns of which it is said whether they are favourable"""
    formulas: tuple[FormulaColumn, ...] = ()
    """columns worked out of the others, behind them"""
    alone: tuple[Asked, ...] = ()
    """what each column shows asked for by itself, where that isn't told by its codes or its period"""
    companies: tuple[Company, ...] = ()
    """those of several side by side, column by column"""
    left_out: tuple[LeftOut, ...] = ()
    apart: tuple[LeftOutPair, ...] = ()
    """what is left out of the stretch for the statement's non-cash pairs"""
    off: int = 0
    """by how much debits exceed credits in what stands at the end of a forecast; raw"""
    sides: Sides | None = None
    """of a balance sheet whose columns hold all that was posted; of the last one"""

    @property
    def told_of_sides(self) -> str:
        """One sentence where the two sides of a balance sheet differ."""
        return self.sides.sentence(self.digits, self.currency) if self.sides else ""

    def with_formulas(self, text: str) -> StatementFigures:
        """With columns worked out of these. Raises WrongCall for what can't be read."""
        return replace(self, formulas=formula_columns(text, self.columns))

    def worked_out(self, figure: Figure) -> list[int | None]:
        """What each of its formula columns comes to on a line."""
        return [worked_out_column(figure, one, self.digits) for one in self.formulas]


def worked_out(
    state: State, planned: Plan, company: str, asked: Asked, measure: Measure | None = None
) -> StatementFigures:
    """A plan's figures as they were asked for. Raises WrongCall for what there isn't or can't be asked
    together."""
    return figures_of(FigureSource(state, known_company(state, company), asked), planned, measure)


def figures_of(
    source: FigureSource, planned: Plan, measure: Measure | None = None, *, looks_back: bool = True
) -> StatementFigures:
    """`looks_back`: what formulas name of earlier stretches is worked out too."""
    asked, meant, row = source.asked, measure or measure_of(planned), source.company
    asked.check()
    digits, across = digits_of(row.currency), list[PeriodColumn]()
    if meant != "standing" and asked.by_day and asked.start is None:
        raise WrongCall("A movement needs its first day too.")
    rows = source.of_plan(planned, source.rows_of(planned))
    if asked.by:
        columns = by_codes(rows, planned, source.stretch, meant, source.chart, source.fields)
    elif step := asked.step:
        across = period_columns(source.calendar, step, *source.ends, source.years_with_amounts)
        columns = by_periods(rows, planned, source.stretch, meant, across, closing_ordinals(source.calendar))
    else:
        columns = one_column(rows, planned, source.stretch, meant)
    earlier = _earlier(source, planned, meant, columns.titles, across) if looks_back else {}
    figures, titles = compute(planned, columns.amounts, digits, earlier), columns.titles
    if asked.budget:
        figures, titles = beside(figures, _budgeted(source, planned, meant)), COLUMNS
    return StatementFigures(
        planned,
        figures,
        titles,
        row.currency,
        digits,
        source.stretch,
        figures.amounts,
        columns.keys,
        tuple(across),
        apart=source.told_left_out(planned, meant) if looks_back else (),
        off=source.off,
        sides=None if asked.filter or asked.by or asked.budget else sides(planned, figures),
    )


def moved_in_all(source: FigureSource, planned: Plan, measure: Measure) -> Amounts:
    """What all accounts of the plan's chart moved within the stretch, whatever journal moved them."""
    rows = source.rows_in(planned.statement.chart)
    return one_column(rows, planned, source.stretch, measure).amounts


def _earlier(
    source: FigureSource, planned: Plan, measure: Measure, titles: Sequence[str], across: list[PeriodColumn]
) -> dict[str, list[list[int | None]]]:
    """By earlier stretch what each line showed then in the column that each column looks back to."""
    known: dict[Asked, StatementFigures | None] = {}

    def figures_then(asked: Asked) -> StatementFigures | None:
        if asked not in known:
            try:
                known[asked] = figures_of(source.asking(asked), planned, measure, looks_back=False)
            except WrongCall:  # what the calendar or the books don't have
                known[asked] = None
        return known[asked]

    earlier = {}
    for stretch in planned.earlier:
        rows: list[list[int | None]] = [[None] * len(titles) for _ in planned.lines]
        for i, title in enumerate(titles):
            place = looked_back(source.calendar, source.asked, stretch, title, across, i)
            if place and (then := figures_then(place[0])):
                _put_column(rows, i, then, place[1])
        earlier[stretch] = rows
    return earlier


def _put_column(rows: list[list[int | None]], column: int, then: StatementFigures, title: str) -> None:
    """What a column showed then; a code that had no amounts then showed nothing, a period that there wasn't
    is left empty."""
    at = then.columns.index(title) if title in then.columns else -1
    if at < 0 and then.across:
        return
    for row, figure in zip(rows, then.figures.lines, strict=True):
        figured = figure.line.row.kind in WITH_FIGURES
        row[column] = figure.shown[at] if at >= 0 else 0 if figured else None


def _budgeted(source: FigureSource, planned: Plan, measure: Measure) -> Figures:
    rows = source.of_plan(planned, source.budget_in(planned.statement.chart))
    budget = one_column(rows, planned, source.stretch, measure)
    return compute(planned, budget.amounts, digits_of(source.company.currency))


def trends_of(
    source: FigureSource, planned: Plan, measure: Measure, count: int
) -> dict[str, tuple[int | None, ...]]:
    """By line its shown figures of the last regular periods up to the end of what is asked for."""
    end = source.asked.end
    period = source.calendar.period_of(end, "general") if end else None
    if end and period is None:
        return {}
    year, number = (period.fiscal_year, period.period) if period else source.ends
    by_period = replace(source, asked=Asked(year, number, filter=source.asked.filter)) if end else source
    stretch = of_periods(source.calendar, year, number)
    across = last_periods(source.calendar, year, number, count)
    rows = source.of_plan(planned, by_period.rows_of(planned))
    columns = by_periods(rows, planned, stretch, measure, across, closing_ordinals(source.calendar))
    figures = compute(planned, columns.amounts, digits_of(source.company.currency))
    return {figure.line.row.line: figure.shown[: len(across)] for figure in figures.lines}


def amounts_by_code(
    source: FigureSource, planned: Plan, line: str, field: str, measure: Measure
) -> dict[str, int | None]:
    """What a line shows with each code of a field (empty: none), whatever the filter says of that field."""
    others = tuple(condition for condition in source.conditions if condition.field != field)
    rows = source.rows_of(planned)
    if planned.has_conditions and not rows.strings:
        rows = with_texts(rows)
    if others:
        rows = rows.fitting(source.chart, others)
    rows = rows.divided(source.chart, planned)
    columns = by_codes(rows, planned, source.stretch, measure, source.chart, (field,))
    figures = compute(planned, columns.amounts, digits_of(source.company.currency))
    shown = figures.lines[planned.index[line]].shown
    return {key[0]: value for key, value in zip(columns.keys[:-1], shown, strict=False) if value}


def trial_balance(
    state: State, company: str, year: int, period: int, first: int | None = None, chart: str = ""
) -> list[TrialRow]:
    """Accounts in code order with any amount up to the end of the period; debit plus, minor units. `chart`:
    one in which the company is seen, where it isn't its own."""
    return trial_rows_asked(state, company, Asked(year, period, first), chart)


def trial_rows_asked(state: State, company: str, asked: Asked, chart: str = "") -> list[TrialRow]:
    source = _trial_source(state, company, asked)
    if asked.by_day and asked.start is None:
        raise WrongCall("A trial balance needs the first day of its movements too.")
    rows = source.fitting(source.rows_in(chart or source.company.chart))
    return trial_rows(rows, source.accounts_of(chart), source.stretch)


def closing_balances(
    state: State, company: str, asked: Asked, chart: str = ""
) -> tuple[tuple[str, ...], list[ClosingRow]]:
    """Closing balances by the codes of a field: what each column is called, and the accounts."""
    source = _trial_source(state, company, asked)
    rows = source.levelled(source.fitting(source.rows_in(chart or source.company.chart)))
    return closing_by_codes(rows, source.accounts_of(chart), source.stretch, source.chart, source.fields)


def _trial_source(state: State, company: str, asked: Asked) -> FigureSource:
    asked.check()
    if asked.periods or asked.budget or asked.forecast:
        raise WrongCall("A trial balance has no columns by periods or a budget, and no forecast.")
    return FigureSource(state, known_company(state, company), asked)
