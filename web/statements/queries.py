"""Figures of one company: trial balance and statements, from its packed balances."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from core.books.balances import TrialRow, by_account
from core.books.periods import CalendarIndex, company_calendar, ordinal, stretch_name
from core.codes.lists import list_index
from core.definitions.state import State
from core.definitions.tables import Company, Statement
from core.faults import WrongCall
from core.money import digits_of
from core.statements.figures import (
    Amounts,
    Figures,
    Plan,
    StrayAccount,
    compute,
    natural_list,
    plan,
)
from core.structures.charts import chart_index
from web.journals.books import books_for


@dataclass(frozen=True, slots=True)
class PeriodWindow:
    """A stretch of periods of one year, as ordinals: movement from `start` to `end`; `name` says which it
    is."""

    year: int
    first: int
    period: int
    start: int
    end: int
    name: str
    ends: str

    def title(self, balances: bool) -> str:
        """What the figures are about: a movement over the stretch, or what stands at its end."""
        return self.ends if balances else self.name


def window(calendar: CalendarIndex, year: int, period: int, first: int | None = None) -> PeriodWindow:
    """Raises WrongCall for a year or period that the calendar does not have."""
    if year not in calendar.years():
        raise WrongCall(f"There is no fiscal year {year} in calendar {calendar.calendar}.")
    begin = calendar.first_period(year) if first is None else first
    for number in (begin, period):
        if (year, number) not in calendar.periods:
            raise WrongCall(
                f"There is no period {number} in fiscal year {year} of calendar {calendar.calendar}."
            )
    if begin > period:
        raise WrongCall(f"Period {begin} is after period {period}.")
    ends = calendar.periods[(year, period)].name
    return PeriodWindow(
        year,
        begin,
        period,
        ordinal(year, begin),
        ordinal(year, period),
        stretch_name(calendar, year, begin, period),
        ends,
    )


def known_company(state: State, company: str) -> Company:
    row = state.get(Company, company)
    if row is None:
        raise WrongCall(f"There is no company {company}.")
    return row


def known_plan(state: State, statement: str, chart: str) -> Plan:
    planned = plan(state, statement)
    if planned is None:
        raise WrongCall(f"There is no statement {statement}.")
    if planned.statement.chart != chart:
        raise WrongCall(f"Statement {statement} belongs to chart {planned.statement.chart}, not to {chart}.")
    return planned


def company_sums(state: State, company: str, at: PeriodWindow) -> tuple[list[str], dict[str, np.ndarray]]:
    """The company's posting accounts in order, and its sums by account (core.books.balances.by_account)."""
    company_row = known_company(state, company)
    chart = chart_index(state, company_row.chart)
    index = list_index(state, chart.natural_list if chart else "")
    codes = list(index.posting)
    places = dict(index.position)
    books = list(books_for([company])[company])
    for book in books:
        for natural in book.naturals:
            if natural not in places:
                places[natural] = len(codes)
                codes.append(natural)
    return codes, by_account(books, places, len(codes), at.start, at.end)


def trial_balance(
    state: State, company: str, year: int, period: int, first: int | None = None
) -> list[TrialRow]:
    """Accounts in code order with any amount up to the end of the period; debit plus, minor units."""
    at = window(company_calendar(state, known_company(state, company).company), year, period, first)
    codes, sums = company_sums(state, company, at)
    company_row = known_company(state, company)
    chart = chart_index(state, company_row.chart)
    names = list_index(state, chart.natural_list if chart else "").codes
    return [
        TrialRow(
            code,
            names[code].name if code in names else "",
            int(sums["opening"][i]),
            int(sums["debit"][i]),
            int(sums["credit"][i]),
        )
        for i, code in sorted(enumerate(codes), key=lambda item: item[1])
        if sums["touched"][i]
    ]


@dataclass(frozen=True, slots=True)
class StatementFigures:
    """A statement worked out: figures with one column a company (and more for a group)."""

    plan: Plan
    figures: Figures
    columns: tuple[str, ...]
    currency: str
    digits: int
    window: PeriodWindow


def company_amounts(state: State, company: str, statement: Statement, at: PeriodWindow) -> Amounts:
    codes, sums = company_sums(state, company, at)
    listed = len(list_index(state, natural_list(state, known_company(state, company).chart)).posting)
    unmapped = tuple(StrayAccount("", code, "", "") for code in codes[listed:])
    cumulative = sums["cumulative"].reshape(-1, 1)
    chosen = sums["cumulative"] if statement.kind == "balance_sheet" else sums["window"]
    return Amounts(chosen.reshape(-1, 1), cumulative, unmapped, None, sums["touched"].reshape(-1, 1))


def company_statement(
    state: State, statement: str, company: str, year: int, period: int, first: int | None = None
) -> StatementFigures:
    company_row = known_company(state, company)
    planned = known_plan(state, statement, company_row.chart)
    at = window(company_calendar(state, company), year, period, first)
    digits = digits_of(company_row.currency)
    figures = compute(planned, company_amounts(state, company, planned.statement, at), digits)
    return StatementFigures(planned, figures, (company,), company_row.currency, digits, at)
