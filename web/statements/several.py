"""A statement of several companies side by side, each as if it were asked for alone, with what they come to
together: added up, nothing eliminated."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from core.analysis.asked import Asked
from core.analysis.column_sums import TOTAL, Measure, measure_of
from core.analysis.variances import joined
from core.cash_flow.non_cash import joined_pairs
from core.definitions.state import State
from core.definitions.tables import Company
from core.faults import WrongCall
from core.money import digits_of
from core.statements.coverage import sides
from core.statements.plans import Plan
from core.structures.company_choice import chosen_companies
from core.structures.second_charts import is_seen_in
from web.journals.amount_rows import ReadAtOnce
from web.statements.figure_source import FigureSource
from web.statements.queries import LeftOut, StatementFigures, figures_of


def companies_of(state: State, text: str, seen: Iterable[Company]) -> list[Company]:
    """Companies that a choice picks among those that somebody sees. Raises WrongCall for what can't be read
    and where none is left."""
    choice = chosen_companies(state, text)
    if choice.faults:
        raise WrongCall(" ".join(choice.faults))
    names = {row.company for row in seen}
    picked = [row for row in choice.companies if row.company in names]
    if not picked:
        raise WrongCall(f"'{text}' picks no company.")
    return picked


def several_figures(
    state: State,
    planned: Plan,
    companies: Sequence[Company],
    currency: str,
    asked: Asked,
    measure: Measure | None = None,
) -> StatementFigures:
    """Of those whose books are kept in a currency and seen in the plan's chart: columns by id, then `total`.
    Raises WrongCall where none is left, and for what can't be asked of several."""
    if asked.by or asked.periods or asked.budget or asked.forecast:
        raise WrongCall("Columns are by companies, or by codes, periods or a budget, not by both.")
    at_once = ReadAtOnce(state, (row.company for row in companies))
    columns, left_out = list[tuple[Company, StatementFigures]](), list[LeftOut]()
    for company in companies:
        try:
            _check_fits(state, planned, company, currency)
            source = FigureSource(state, company, asked, at_once=at_once)
            columns.append((company, figures_of(source, planned, measure)))
        except WrongCall as refused:
            left_out.append(LeftOut(company, refused.faults[0].what))
    if not columns:
        raise WrongCall(" ".join(f"{one.company.name}: {one.why}" for one in left_out))
    names = [row.company for row, _ in columns]
    figures = joined(planned, [one.figures for _, one in columns], digits_of(currency), names)
    first = columns[0][1]
    return StatementFigures(
        planned,
        figures,
        (*names, TOTAL),
        currency,
        digits_of(currency),
        first.window,
        figures.amounts,
        companies=tuple(row for row, _ in columns),
        left_out=tuple(left_out),
        apart=joined_pairs(one.apart for _, one in columns),
        sides=None if asked.filter else sides(planned, figures),
    )


def _check_fits(state: State, planned: Plan, company: Company, currency: str) -> None:
    """Raises WrongCall that says why a company has no column."""
    if company.currency != currency:
        raise WrongCall(f"keeps its books in {company.currency}")
    if not is_seen_in(state, company, planned.statement.chart):
        raise WrongCall(f"is not seen in chart {planned.statement.chart}")


def several_asked(state: State, planned: Plan, text: str, asked: Asked) -> StatementFigures:
    """For the command line: all that the choice picks, in one currency. Raises WrongCall."""
    companies = companies_of(state, text, state.rows(Company))
    currencies = sorted({row.currency for row in companies})
    if len(currencies) > 1:
        raise WrongCall(
            f"These companies keep their books in {', '.join(currencies)}:"
            f" ask for those of one, as in '{text}; currency={currencies[0]}'."
        )
    if measure_of(planned) != "standing" and asked.by_day and asked.start is None:
        raise WrongCall("A movement needs its first day too.")
    return several_figures(state, planned, companies, currencies[0], asked)
