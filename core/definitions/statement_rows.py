"""Rows of statements, their columns and budgets."""

from __future__ import annotations

from typing import Annotated, NamedTuple

from core.definitions.kinds import (
    LATER,
    MUST,
    BudgetId,
    ChartId,
    Flag,
    Id,
    Kind,
    Selector,
    StatementId,
    Text,
    choice,
)

CASH_TAKEN_OVER, RATE_EFFECT = "cash_taken_over", "rate_effect"
OF_CASH = (CASH_TAKEN_OVER, RATE_EFFECT)
"""Kinds of lines of a cash flow that tell what cash gained beside what flowed: with companies, by rates."""
LINE_KINDS = ("heading", "accounts", "result", "formula", "text", "gap", *OF_CASH)
STATEMENT_KINDS = ("balance_sheet", "income_statement", "cash_flow", "direct_cash_flow", "other")
FLOW_STATEMENTS = ("cash_flow", "direct_cash_flow")


WITH_AMOUNT = "with_amount"
"""What a line says that is shown only where it has an amount."""


class Statement(NamedTuple):
    """A tree of lines over the natural accounts of a chart."""

    statement: Id
    name: Annotated[str, Kind("text"), MUST]
    chart: Annotated[ChartId, MUST]
    kind: Annotated[str, choice(*STATEMENT_KINDS)] = "other"
    totals: Annotated[str, choice("above", "below"), LATER] = "above"


class StatementLine(NamedTuple):
    """A line of a statement; a heading totals what stands under it."""

    statement: StatementId
    line: Id
    parent: Id = ""
    position: Annotated[int, Kind("integer"), MUST] = 0
    label: Text = ""
    kind: Annotated[str, choice(*LINE_KINDS), MUST] = "heading"
    accounts: Selector = ""
    formula: Text = ""
    sign: Annotated[str, choice("natural", "debit", "credit")] = "natural"
    field: Annotated[str, Kind("id"), LATER] = ""
    codes: Annotated[str, Kind("selector"), LATER] = ""
    side: Annotated[str, choice("any", "debit", "credit", "received", "paid"), LATER] = "any"
    shown_when: Annotated[str, choice("always", WITH_AMOUNT), LATER] = "always"


class Arrangement(NamedTuple):
    """A statement that a company or group shows in place of one that it inherits."""

    statement: StatementId
    over: Annotated[StatementId, MUST]
    member: Annotated[Id, MUST]
    member_kind: Annotated[str, choice("company", "group")] = "company"
    in_use: Flag = True


class ArrangedLine(NamedTuple):
    """What an inherited line was like above when it was last looked at, and why it was left as it is."""

    statement: StatementId
    line: Id
    seen: Annotated[str, Kind("text"), MUST] = ""
    reason: Text = ""


class NonCashPair(NamedTuple):
    """Accounts of a cash flow statement that journals move against one another without cash: what is posted
    between the two alone is left out of its lines, and told below them."""

    statement: StatementId
    pair: Id
    name: Annotated[str, Kind("text"), MUST]
    accounts: Annotated[Selector, MUST]
    against: Annotated[Selector, MUST]


class Budget(NamedTuple):
    """A budget of a chart's companies, or statistics of theirs; its lines are kept with the books."""

    budget: Id
    name: Annotated[str, Kind("text"), MUST]
    chart: Annotated[ChartId, MUST]
    approved: Annotated[bool, Kind("flag"), LATER] = False
    kind: Annotated[str, choice("budget", "statistics"), LATER] = "budget"


class ColumnSet(NamedTuple):
    """What stands across, for any statement of a chart: codes of one or two fields, periods, codes within
    periods, companies, a budget or another stretch beside the figures; per cents of a line, columns worked
    out of the others."""

    column_set: Id
    name: Annotated[str, Kind("text"), MUST]
    chart: Annotated[ChartId, MUST]
    by: Text = ""
    periods: Annotated[str, choice("none", "months", "quarters", "years")] = "none"
    budget: BudgetId = ""
    beside: Annotated[str, choice("nothing", "before", "year")] = "nothing"
    forecast: Annotated[BudgetId, LATER] = ""
    within: Annotated[str, choice("nothing", "months", "quarters", "years"), LATER] = "nothing"
    companies: Annotated[str, Kind("text"), LATER] = ""
    part_of: Annotated[str, Kind("id"), LATER] = ""
    formulas: Annotated[str, Kind("text"), LATER] = ""
