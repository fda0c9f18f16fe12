"""Checks of storey 3: calendars, companies, their codes and accounts, intercompany pairs; and rates."""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from datetime import timedelta
from typing import Any

from core.books.periods import calendar_index
from core.codes.lists import list_index
from core.definitions.row_faults import fault
from core.definitions.state import State
from core.definitions.tables import (
    Chart,
    Company,
    CompanyAccount,
    CompanyCode,
    CompanyCurrency,
    IntercompanyPair,
    Period,
    Rate,
)
from core.faults import LOOK, Fault
from core.structures.accounts import code_fault
from core.structures.charts import ChartIndex, chart_index

ONE_DAY = timedelta(days=1)


def periods(state: State, rows: list[Period]) -> Iterator[Fault]:
    for row in rows:
        if row.ends_on < row.starts_on:
            what = f"{row.name} would end before it starts on {row.starts_on}."
            yield fault(row, "ends_on", what, "Give a later last day.", "dates")
        if row.fiscal_year > 9999 or row.period > 999:
            column = "fiscal_year" if row.fiscal_year > 9999 else "period"
            what = "A fiscal year has up to four digits and a period up to three."
            yield fault(row, column, what, "Use smaller numbers.")
    for name in sorted({row.calendar for row in rows}):
        regular = calendar_index(state, name).regular
        for before, after in itertools.pairwise(row for row in regular if row.starts_on <= row.ends_on):
            if after.starts_on <= before.ends_on:
                what = f"{after.name} overlaps {before.name}, which ends on {before.ends_on}."
                yield fault(after, "starts_on", what, "Regular periods do not overlap.", "periods-overlap")
            elif after.starts_on != before.ends_on + ONE_DAY:
                what = (
                    f"There is a gap between {before.name}, which ends on {before.ends_on}, and {after.name}."
                )
                yield fault(after, "starts_on", what, "Regular periods leave no gap.", "periods-gap")


def _chart_of(state: State, company: str) -> ChartIndex | None:
    company_row = state.get(Company, company)
    return chart_index(state, company_row.chart) if company_row else None


def company_codes(state: State, rows: list[CompanyCode]) -> Iterator[Fault]:
    for row in rows:
        index = _chart_of(state, row.company)
        if index is None:
            continue
        field = next((s for s in index.segments if s.name == row.segment), None)
        if field is None or field.role != "company":
            what = f"{row.segment} is not the company segment of {index.name}."
            yield fault(row, "segment", what, "Name the segment whose role is company.", "reference")
        elif (problem := code_fault(field, field.padded(row.code), "code", row.code)) and problem.code in (
            "code-unknown",
            "code-rollup",
        ):
            yield fault(row, "code", problem.what, problem.way_out, problem.code)


def natural_faults(index: ChartIndex | None, row: Any, column: str) -> Iterator[Fault]:
    """An account named by a definition must exist and be a posting code, whatever its dates."""
    if index is None or index.natural < 0:
        return
    field = index.segments[index.natural]
    code = getattr(row, column)
    if (problem := code_fault(field, code, column, code)) and problem.code != "code-disabled":
        yield fault(row, column, problem.what, problem.way_out, problem.code)


def company_accounts(state: State, rows: list[CompanyAccount]) -> Iterator[Fault]:
    """A company may have thousands: its chart is asked for once, and most codes are in order at a glance."""
    charts = {company: _chart_of(state, company) for company in {row.company for row in rows}}
    posting = {
        index.natural_list: {
            code.code for code in list_index(state, index.natural_list).codes.values() if code.takes_amounts
        }
        for index in {index.chart: index for index in charts.values() if index}.values()
    }
    for row in rows:
        index = charts[row.company]
        if index is None or row.code not in posting[index.natural_list]:
            yield from natural_faults(index, row, "code")


def company_currencies(state: State, rows: list[CompanyCurrency]) -> Iterator[Fault]:
    for row in rows:
        company = state.get(Company, row.company)
        if company is None:
            continue
        if row.currency == company.currency:
            what = f"{row.currency} is the own currency of {row.company}."
            yield fault(row, "currency", what, "Leave the row out.", "currency-not-kept", LOOK)
        elif not company.foreign_currencies:
            what = f"{row.company} keys no foreign currencies, so this one isn't asked for."
            yield fault(row, "currency", what, "Let it key foreign currencies.", "currency-not-kept", LOOK)


def pairs(state: State, rows: list[IntercompanyPair]) -> Iterator[Fault]:
    for row in rows:
        if row.company == row.partner:
            yield fault(row, "partner", "A company is not its own partner.", "Choose another company.")
        index = _chart_of(state, row.company)
        yield from natural_faults(index, row, "due_from")
        yield from natural_faults(index, row, "due_to")


def rates(state: State, rows: list[Rate]) -> Iterator[Fault]:
    for row in rows:
        if row.from_currency == row.to_currency:
            yield fault(row, "to_currency", "A rate is between two currencies.", "Leave the row out.")


NAMED_BY_CHARTS = (
    ("result_account", ("equity",), "an equity account", "takes the result at a year's end"),
    ("exchange_account", ("revenue", "expense"), "a revenue or expense account", "takes the differences"),
)
"""Accounts that a chart names, by the classes they may have, and what for."""


def charts(state: State, rows: list[Chart]) -> Iterator[Fault]:
    """Accounts that a chart names are of a class that goes there."""
    for row in rows:
        index = chart_index(state, row.chart)
        for column, classes, kind, purpose in NAMED_BY_CHARTS:
            if index is None or not getattr(row, column):
                continue
            yield from natural_faults(index, row, column)
            code = list_index(state, index.natural_list).codes.get(getattr(row, column))
            if code and code.takes_amounts and code.account_class not in classes:
                what = f"{code.code} {code.name} is not {kind}."
                yield fault(row, column, what, f"Choose the account that {purpose}.", "class-misplaced")


CHECKS: list[tuple[type[Any], Any]] = [
    (Period, periods),
    (CompanyCode, company_codes),
    (CompanyAccount, company_accounts),
    (CompanyCurrency, company_currencies),
    (IntercompanyPair, pairs),
    (Rate, rates),
    (Chart, charts),
]
