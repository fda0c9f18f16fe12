"""Checks of storey 5: the lines of statements."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from core.analysis.axes import fields_asked
from core.analysis.variances import formula_columns
from core.cash_flow.activities import CASH, cash_accounts
from core.cash_flow.misplaced import misplaced
from core.checks.build import selector_faults
from core.codes.hierarchies import find_cycle
from core.codes.lists import list_index
from core.definitions.row_faults import fault
from core.definitions.state import State, derived
from core.definitions.statement_rows import WITH_AMOUNT
from core.definitions.tables import Budget, ColumnSet, NonCashPair, Statement, StatementLine
from core.faults import LOOK, Fault, WrongCall
from core.statements import formulas
from core.statements.line_parts import CREDIT, DEBIT, WAYS
from core.statements.placing import field_list
from core.statements.plans import (
    PLAN_READS,
    RESULT_CLASSES,
    Plan,
    PlanLine,
    formula_cycle,
    line_title,
    natural_list,
    plan,
)
from core.structures.charts import chart_index
from core.structures.company_choice import chosen_companies

MOST_NAMED = 20
DEEPEST = 60


def lines(state: State, rows: list[StatementLine]) -> Iterator[Fault]:
    for row in rows:
        if row.parent:
            yield from _parent(state, row)
        yield from _of_kind(row)
        if row.kind == "formula":
            yield from _formula(state, row)
        yield from _part(state, row)
        statement_row = state.get(Statement, row.statement)
        if statement_row and row.kind == "accounts" and row.accounts:
            yield from selector_faults(state, row, "accounts", natural_list(state, statement_row.chart))[1]
    for name in sorted({row.statement for row in rows}):
        yield from _tree(state, name)


def _of_kind(row: StatementLine) -> Iterator[Fault]:
    """What goes with the kind of a line, and what doesn't."""
    if row.kind == "accounts" and not row.accounts:
        what = f"The line {row.line} picks no accounts yet."
        yield fault(row, "accounts", what, "Give a selector.", "selector-missing", severity=LOOK)
    if row.kind != "accounts" and row.accounts:
        what = f"A line of kind {row.kind} picks no accounts by itself."
        yield fault(row, "accounts", what, "Make it a line of kind accounts, or leave the selector out.")
    if row.kind != "formula" and row.formula:
        what = f"A line of kind {row.kind} has no formula."
        yield fault(row, "formula", what, "Make it a line of kind formula.")
    if row.kind in ("text", "gap") and row.shown_when == WITH_AMOUNT:
        what = f"A line of kind {row.kind} has no amount to be shown with."
        yield fault(row, "shown_when", what, "Let it be shown always.")


def _part(state: State, row: StatementLine) -> Iterator[Fault]:
    """What a line asks of the amounts of its accounts."""
    if row.kind != "accounts":
        for column, is_set in (("field", row.field), ("codes", row.codes), ("side", row.side != "any")):
            if is_set:
                what = f"A line of kind {row.kind} takes no part of accounts."
                yield fault(row, column, what, "Make it a line of kind accounts, or leave it out.")
        return
    statement = state.get(Statement, row.statement)
    if row.side in WAYS and statement and statement.kind != "direct_cash_flow":
        what = (
            f"{line_title(row)} asks which way journals moved cash, and {statement.name} sums all journals."
        )
        yield fault(row, "side", what, "Only lines of a direct cash flow tell received from paid.")
    if row.codes and not row.field:
        what = f"{line_title(row)} asks for codes and for no field."
        yield fault(row, "field", what, "Name a segment or dimension of the chart.")
    if row.field:
        if code_list := field_list(state, row):
            if row.codes:
                yield from selector_faults(state, row, "codes", code_list)[1]
        else:
            what = f"The chart of {row.statement} has no segment or dimension {row.field}."
            yield fault(row, "field", what, "Name a segment or dimension of the chart.", "reference")


def _formula(state: State, row: StatementLine) -> Iterator[Fault]:
    formula = formulas.parse(row.formula)
    if formula.fault:
        yield fault(row, "formula", formula.fault, "Write it like [gross] - [overheads].", "formula")
    for name in formula.lines:
        if state.get(StatementLine, row.statement, name) is None:
            what = f"There is no line {name} in {row.statement}."
            yield fault(row, "formula", what, "Name a line of this statement.", "formula")
    for kind, value in formula.steps:
        name, stretch = formulas.operand(str(value)) if kind == "line" else ("", "")
        other = state.get(StatementLine, row.statement, name) if stretch else None
        if other is not None and formulas.parse(other.formula).earlier:
            what = f"{name} looks back by itself, so what it was {stretch} isn't known."
            yield fault(row, "formula", what, "Name the lines that it is made of.", "formula")


def _parent(state: State, row: StatementLine) -> Iterator[Fault]:
    parent = state.get(StatementLine, row.statement, row.parent)
    if parent is None:
        what = f"There is no line {row.parent} in {row.statement}."
        yield fault(row, "parent", what, "Choose a heading.", "reference")
    elif parent.kind != "heading":
        what = f"{row.parent} is of kind {parent.kind}; only a heading has lines below it."
        yield fault(row, "parent", what, "Choose a heading.", "parent-kind")


def _tree(state: State, statement: str) -> Iterator[Fault]:
    part = {row.line: row for row in state.part(StatementLine, statement).values()}
    parents: dict[str, str | None] = {row.line: row.parent or None for row in part.values()}
    if cycle := find_cycle(parents):
        path = " under ".join([*cycle, cycle[0]])
        what = f"A line stands under itself: {path}."
        yield fault(part[cycle[0]], "parent", what, "Move one of them elsewhere.", "cycle")
        return
    planned = plan(state, statement)
    if planned is None:
        return
    yield from _of_lines(state, statement)
    for code, first, second in planned.twice[:MOST_NAMED]:
        what = (
            f"{code} stands on two lines of {planned.statement.name}: "
            f"{line_title(part[first])} and {line_title(part[second])}."
        )
        yield fault(part[second], "accounts", what, "Take it off one of them.", "placed-twice")
    if planned.is_direct:
        yield from _direct(planned)
    yield from _of_cash(planned)
    for one in misplaced(state, statement):
        if not one.is_set_aside:
            way_out = "Put it on a line of its activity, or give it that of the line."
            yield fault(one.line, "accounts", one.sentence, way_out, "activity-elsewhere", severity=LOOK)
    if names := formula_cycle(planned):
        path = " needs ".join([*names, names[0]])
        yield fault(
            part[names[0]], "formula", f"The formulas go round: {path}.", "Break the circle.", "cycle"
        )


def _direct(planned: Plan) -> Iterator[Fault]:
    """A direct cash flow sums nothing while no account is cash; a result is no payment."""
    name = planned.statement.name
    if planned.lines and not cash_accounts(planned.accounts):
        what = f"No account of {planned.accounts.code_list} is cash, so {name} sums nothing."
        way_out = "Give the accounts of cash and banks the cash flow `cash`."
        yield fault(planned.lines[0].row, "statement", what, way_out, "cash-missing", severity=LOOK)
    for line in planned.lines:
        if line.row.kind == "result":
            what = f"{name} is a direct cash flow, which has no line of the result."
            yield fault(line.row, "kind", what, "Put the accounts of the result on lines of accounts.")


def _of_cash(planned: Plan) -> Iterator[Fault]:
    """What cash gained beside what flowed stands in cash flows alone, once each."""
    known: dict[str, StatementLine] = {}
    for row in (line.row for line in planned.lines if line.is_of_cash):
        if not planned.is_flow:
            what = f"{planned.statement.name} is no cash flow, and has no line of kind {row.kind}."
            yield fault(row, "kind", what, "Take the line off, or make it one of accounts.")
        elif row.kind in known:
            what = f"{line_title(row)} and {line_title(known[row.kind])} are both of kind {row.kind}."
            yield fault(row, "kind", what, "Take one of them off: a cash flow has one.", "placed-twice")
        known.setdefault(row.kind, row)


SIGNS = ("codes", "hierarchies", "hierarchy_nodes", "statements", "statement_lines")
"""Tables on which it hangs how the lines of statements are shown."""


def turned_signs(before: State, after: State) -> Iterator[Fault]:
    """Headings that showed as debit and would turn to credit because a line below them differs: published
    figures would
    change their sign without anybody having said so."""
    for row in after.rows(Statement):
        was, now = plan(before, row.statement), plan(after, row.statement)
        if was is None or now is None or was is now:
            continue
        for at, line in enumerate(now.lines):
            known = was.index.get(line.row.line)
            if (
                line.row.kind != "heading"
                or line.row.sign != "natural"
                or line.direction != CREDIT
                or known is None
            ):
                continue
            below = {entry.direction for entry in now.lines[at + 1 : now.end_of(at)]}
            if was.lines[known].direction == DEBIT and DEBIT in below:
                other = next(e.row for e in now.lines[at + 1 : now.end_of(at)] if e.direction == CREDIT)
                what = (
                    f"{line_title(line.row)} of {row.name} is shown as debit and would turn to credit, "
                    f"because {line_title(other)} below it is shown as credit."
                )
                way_out = f"State the sign of {line_title(line.row)} first: debit or credit."
                yield fault(line.row, "sign", what, way_out, "sign-turned")


def column_sets(state: State, rows: list[ColumnSet]) -> Iterator[Fault]:
    """Fields that the chart has, a budget of it, and one thing across."""
    for row in rows:
        chart = chart_index(state, row.chart)
        try:
            if chart is not None and row.by:
                fields_asked(chart, row.by)
        except WrongCall as refused:
            way_out = "Name one or two segments or dimensions of the chart, parted by a comma."
            yield fault(row, "by", refused.faults[0].what, way_out, "columns-unknown")
        for column in ("budget", "forecast"):
            budget = state.get(Budget, getattr(row, column))
            if budget is not None and budget.chart != row.chart:
                what = f"Budget {budget.budget} belongs to chart {budget.chart}, not to {row.chart}."
                yield fault(row, column, what, "Choose a budget of the chart.", "columns-unknown")
        yield from _further_columns(state, row)
        across = (row.by, row.periods != "none", row.budget, row.beside != "nothing", row.companies)
        if sum(map(bool, across)) > 1:
            what = f"{row.name} says more than one thing across."
            way_out = "Columns are by codes, periods or companies, beside a budget or another stretch."
            yield fault(row, "by", what, way_out, "columns-mixed")
        if row.forecast and row.beside != "nothing":
            what = f"{row.name} has a forecast beside another stretch."
            way_out = "A forecast stands by codes, by periods, beside a budget or alone."
            yield fault(row, "forecast", what, way_out, "columns-mixed")


def _further_columns(state: State, row: ColumnSet) -> Iterator[Fault]:
    """Codes within periods are those of one field; companies and formulas can be read."""
    if row.within != "nothing" and (not row.by or "," in row.by):
        what = f"{row.name} has codes within {row.within}, and no one field whose codes they are."
        yield fault(row, "within", what, "Name one segment or dimension.", "columns-mixed")
    for told in chosen_companies(state, row.companies).faults if row.companies else ():
        way_out = "Name companies, or say country=GB, NL except hexley."
        yield fault(row, "companies", told, way_out, "columns-unknown")
    try:
        formula_columns(row.formulas)
    except WrongCall as refused:
        way_out = "Write Title = [first] - [second], several parted by a semicolon."
        yield fault(row, "formulas", refused.faults[0].what, way_out, "formula")


def non_cash_pairs(state: State, rows: list[NonCashPair]) -> Iterator[Fault]:
    """A pair is of an indirect cash flow, and of accounts that stand in the balance sheet and aren't cash."""
    for row in rows:
        statement = state.get(Statement, row.statement)
        if statement is None:
            continue
        if statement.kind != "cash_flow":
            what = f"{statement.name} is no indirect cash flow, so it leaves nothing out."
            yield fault(row, "statement", what, "Name pairs of a statement of kind cash_flow.")
        code_list = natural_list(state, statement.chart)
        sides = []
        for side in ("accounts", "against"):
            picked, faults = selector_faults(state, row, side, code_list)
            sides.append(picked.codes)
            yield from faults
            yield from _no_balance(state, row, side, code_list, picked.codes)
        if both := sorted(sides[0] & sides[1]):
            what = f"{both[0]} stands on both sides of {row.name}."
            yield fault(row, "against", what, "Take it off one of them.", "placed-twice")


def _no_balance(
    state: State, row: NonCashPair, side: str, code_list: str, codes: frozenset[str]
) -> Iterator[Fault]:
    index = list_index(state, code_list)
    for code in sorted(codes):
        account = index.codes[code]
        if account.account_class in (*RESULT_CLASSES, "statistic"):
            what = f"{code} {account.name} is of class {account.account_class}."
            way = "A pair is of balance sheet accounts; what only the result holds is added back by its line."
            yield fault(row, side, what, way, "class-misplaced")
            return
        if account.cash_flow == CASH:
            what = f"{code} {account.name} is cash, and what moves it isn't left out."
            yield fault(row, side, what, "Take it off.", "class-misplaced")
            return


CHECKS: list[tuple[type[Any], Any]] = [
    (StatementLine, lines),
    (ColumnSet, column_sets),
    (NonCashPair, non_cash_pairs),
]


@derived(
    *((StatementLine, 0), *PLAN_READS),
    made_of=lambda state, statement: (plan(state, statement),),
)
def _of_lines(state: State, statement: str) -> tuple[Fault, ...]:
    planned = plan(state, statement)
    return tuple(told for line in planned.lines for told in _of_line(planned, line)) if planned else ()


def _of_line(planned: Plan, line: PlanLine) -> Iterator[Fault]:
    """How deep a line stands, and which accounts it holds."""
    statement, codes = planned.statement, planned.accounts.codes
    if line.depth >= DEEPEST:
        what = f"{line.row.line} would stand {line.depth + 1} levels deep."
        yield fault(line.row, "parent", what, f"A statement has at most {DEEPEST} levels.", "too-deep")
    allowed = (*RESULT_CLASSES, "statistic")
    foreign = [code for code in line.picks if codes[code].account_class not in allowed]
    if foreign and statement.kind == "income_statement":
        stranger = codes[foreign[0]]
        what = (
            f"{stranger.code} {stranger.name} is of class {stranger.account_class} and stands on "
            f"{line_title(line.row)} of {statement.name}, an income statement."
        )
        way_out = "An income statement holds revenue and expense accounts: take it off."
        yield fault(line.row, "accounts", what, way_out, "class-misplaced")
    counted = {(codes[code].is_statistic, codes[code].unit, codes[code].adds_up) for code in line.picks}
    if line.mixed and len(counted) > 1:
        what = f"{line_title(line.row)} of {statement.name} mixes statistics of several units, or with money."
        yield fault(line.row, "accounts", what, "Put them on lines of their own.", "sign-mixed")
    elif line.mixed:
        what = f"{line_title(line.row)} of {statement.name} mixes accounts shown as debit and as credit."
        yield fault(line.row, "sign", what, "State its sign: debit or credit.", "sign-mixed")
    doubled = [code for code in line.picks if codes[code].account_class in RESULT_CLASSES]
    if doubled and planned.has_result and statement.kind == "balance_sheet":
        what = f"{', '.join(doubled[:5])} stand on {line_title(line.row)} and in the result line."
        way_out = "Take the revenue and expense accounts off the line."
        yield fault(line.row, "accounts", what, way_out, "placed-twice")
