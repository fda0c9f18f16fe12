"""Trial balances, statements and disagreements as rows for CSV, JSON and XLSX (docs/exchange-format.md)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

from core.analysis.asked import Asked
from core.analysis.column_sums import AMOUNT, ClosingRow, Measure
from core.analysis.hierarchy_plan import hierarchy_plan
from core.books.balances import TrialRow
from core.consolidation.position import STEPS
from core.definitions.state import State
from core.definitions.tables import Arrangement, Company, Group, Hierarchy, Statement
from core.faults import WrongCall
from core.group_figures.proof import proofs
from core.group_figures.sum_up import steps_of
from core.money import digits_of, format_amount
from core.statements.plans import natural_list, plan
from core.statements.printing import with_accounts
from core.structures.overlays import shown_account
from core.structures.second_charts import chart_with
from web.group import queries as group_queries
from web.group.parts import known_group
from web.group.queries import waiting_in
from web.shell.tabular import Cell, Money
from web.statements import queries
from web.statements.queries import StatementFigures
from web.statements.several import several_asked


class Whose(NamedTuple):
    """Of which company, which group, or which choice of companies side by side; the others are empty."""

    company: str = ""
    group: str = ""
    companies: str = ""


@dataclass
class Report:
    """Rows of a table, and what standard error says beside them."""

    header: Sequence[str]
    rows: list[list[Cell]]
    messages: list[str] = field(default_factory=list)


def trial_balance(
    state: State, whose: Whose, asked: Asked, chart: str = "", *, only: frozenset[str] | None = None
) -> Report:
    """`chart`: a second one in which the company is seen; `only` some of a company's accounts."""
    columns = ("account", "name", "opening", "debit", "credit", "closing")
    messages: list[str] = []
    currency = group_queries.currency_of(state, whose.group or whose.company, bool(whose.group))
    digits = digits_of(currency)
    if whose.group and chart:
        raise WrongCall("A second chart is asked for of a company, not of a group.")
    if whose.group:
        balance, position, opening = group_queries.group_trial(state, whose.group, *_periods(asked))
        messages = waiting_in(position, opening)
    elif asked.by:
        titles, closing = queries.closing_balances(state, whose.company, asked, chart)
        return Report(
            ("account", "name", *titles),
            [
                [*_shown(state, whose, row, chart), *(Money(v, digits) for v in row.amounts)]
                for row in closing
                if only is None or row.account in only
            ],
        )
    else:
        balance = queries.trial_rows_asked(state, whose.company, asked, chart)
    rows: list[list[Cell]] = [
        [
            *_shown(state, whose, row, chart),
            *(Money(v, digits) for v in (row.opening, row.debit, row.credit, row.closing)),
        ]
        for row in balance
        if only is None or row.account in only
    ]
    return Report(columns, sorted(rows, key=_number) if state.overlay else rows, messages)


def _shown(state: State, whose: Whose, row: TrialRow | ClosingRow, chart: str) -> tuple[str, str]:
    """An account of a company as it is seen; one without an account in the second chart says so."""
    company = state.get(Company, whose.company)
    if company is None:
        return row.account, row.name
    own = natural_list(state, company.chart if row.unmapped or not chart else chart)
    number, name = shown_account(state, own, row.account, row.name)
    return number, f"{name} (not mapped)" if row.unmapped else name


def _number(row: list[Cell]) -> str:
    return str(row[0])


def _periods(asked: Asked) -> tuple[int, int, int | None]:
    """Of a group. Raises WrongCall for what only a company is asked for."""
    asked.check()
    if not asked.is_plain:
        raise WrongCall(
            "A group's figures have no filter, no columns by codes, periods or budget, and no days."
        )
    return asked.year or 0, asked.period or 0, asked.first


def statement_rows(found: StatementFigures, chosen: slice) -> tuple[list[list[Cell]], list[str]]:
    """Rows of some columns, and sentences that name unplaced accounts."""
    rows: list[list[Cell]] = [
        [
            figure.line.row.line,
            figure.line.row.label,
            figure.line.depth,
            *(Money(shown, found.digits) for shown in figure.shown[chosen]),
        ]
        for figure in found.figures.lines
    ]
    unplaced = [(u, u.raw[chosen]) for u in found.figures.unplaced if any(u.raw[chosen])]
    if unplaced:
        sums = (sum(column) for column in zip(*(amounts for _, amounts in unplaced), strict=True))
        rows.append(["unplaced", "", 0, *(Money(amount, found.digits) for amount in sums)])
    messages = [
        f"Unplaced: {f'{u.company} ' if u.company else ''}{u.account} {u.name}, {_told(amounts, found)}."
        for u, amounts in unplaced
    ]
    return rows, messages


def _told(amounts: tuple[int, ...], found: StatementFigures) -> str:
    """An account's amounts; of several columns those that have one."""
    if len(amounts) == 1:
        return f"{format_amount(amounts[0], found.digits)} {found.currency}"
    return ", ".join(
        f"{title} {format_amount(amount, found.digits)} {found.currency}"
        for title, amount in zip(found.columns, amounts, strict=True)
        if amount
    )


def statement(
    state: State, name: str, whose: Whose, asked: Asked, formulas: str = "", *, accounts: bool = False
) -> Report:
    """`formulas`: columns worked out of the others. `accounts`: each line has its accounts under it."""
    lead = ("line", "label", "depth")
    if whose.group and formulas:
        raise WrongCall("Columns are worked out of those of a company, or of several.")
    if whose.group:
        at = _periods(asked)
        consolidated = group_queries.group_statement(state, name, whose.group, *at, accounts=accounts)
        last = len(consolidated.statement.columns) - 1
        rows, messages = statement_rows(consolidated.statement, slice(last, last + 1))
        return Report(
            (*lead, AMOUNT), rows, [*consolidated.told, *_of_sides(consolidated.statement), *messages]
        )
    if whose.companies:
        if accounts:
            raise WrongCall("Lines have their accounts under them for one company, or a group.")
        return _side_by_side(state, name, whose.companies, asked, formulas)
    planned = queries.company_plan(state, name, queries.known_company(state, whose.company))
    planned = with_accounts(planned) if accounts else planned
    return of_figures(queries.worked_out(state, planned, whose.company, asked).with_formulas(formulas))


def _side_by_side(state: State, name: str, choice: str, asked: Asked, formulas: str) -> Report:
    planned = plan(state, name)
    if planned is None:
        raise WrongCall(f"There is no statement {name}.")
    several = several_asked(state, planned, choice, asked)
    report = of_figures(several.with_formulas(formulas))
    report.messages += [f"{one.company.company} has no column: {one.why}." for one in several.left_out]
    return report


def hierarchy(
    state: State, name: str, level: int | None, whose: Whose, asked: Asked, formulas: str = ""
) -> Report:
    """A hierarchy of natural accounts cut at a level, raw amounts: what stands at the end, or the movement
    from a
    first period."""
    if whose.group or whose.companies:
        raise WrongCall("A hierarchy is asked for of one company.")
    company, row = queries.known_company(state, whose.company), state.get(Hierarchy, name)
    chart = chart_with(state, company, row.code_list) if row else ""
    planned = hierarchy_plan(state, chart or company.chart, name, level)
    measure: Measure = "standing" if asked.first is None else "movement_with_closing"
    found = queries.worked_out(state, planned, whose.company, asked, measure)
    return of_figures(found.with_formulas(formulas))


def of_figures(found: StatementFigures) -> Report:
    rows, messages = statement_rows(found, slice(None))
    for row, figure in zip(rows, found.figures.lines, strict=False):
        row += [Money(value, found.digits) for value in found.worked_out(figure)]
    for row in rows[len(found.figures.lines) :]:
        row += [Money(None, found.digits)] * len(found.formulas)
    messages += _of_sides(found)
    if found.off and found.plan.statement.kind == "balance_sheet":
        messages.append(f"The budget doesn't balance: {_off(found)} at the end of the forecast.")
    titles = (*found.columns, *(one.title for one in found.formulas))
    return Report(("line", "label", "depth", *titles), rows, messages)


def _of_sides(found: StatementFigures) -> list[str]:
    return [found.told_of_sides] if found.told_of_sides else []


def _off(found: StatementFigures) -> str:
    amount = format_amount(abs(found.off), found.digits)
    return f"{amount} {found.currency} more {'debits' if found.off > 0 else 'credits'}"


def disagreements(state: State, group: str, year: int, period: int) -> Report:
    pairs, position = group_queries.disagreements(state, group, year, period)
    group_row = state.get(Group, group)
    digits = digits_of(group_row.currency if group_row else "")
    rows: list[list[Cell]] = [[d.elimination, d.company, d.partner, Money(d.amount, digits)] for d in pairs]
    return Report(("elimination", "company", "partner", "amount"), rows, waiting_in(position))


def consolidation(state: State, group: str, year: int, period: int) -> Report:
    """Every step of a group's figures to the end of a period, raw in its currency."""
    work, position = group_queries.position_at(state, group, year, period)
    digits = digits_of(work.group.currency)
    names = work.books.accounts
    sums: dict[tuple[int, str, str, str], int] = {}
    for step, company, target, amount in steps_of(position):
        key = (STEPS.index(step), step, company, names.name(target))
        sums[key] = sums.get(key, 0) + amount
    rows: list[list[Cell]] = [
        [step, company, account, Money(amount, digits)]
        for (_, step, company, account), amount in sorted(sums.items())
        if amount
    ]
    return Report(("step", "company", "account", "amount"), rows, waiting_in(position))


def cash_proof(
    state: State, statement: str, group: str, year: int, period: int, first: int | None = None
) -> Report:
    """That a cash flow comes to what the group's cash did; a gain is plus. Without a statement of the one
    that the group's chart has."""
    row, _ = known_group(state, group)
    of_chart = [one.statement for one in state.rows(Statement) if one.chart == row.chart]
    flows = (name for name in of_chart if state.require(Statement, name).kind == "cash_flow")
    own = sorted(name for name in flows if state.get(Arrangement, name) is None)
    if not statement and len(own) != 1:
        there = ", ".join(own) if own else "none"
        raise WrongCall(f"Name a cash flow of chart {row.chart}: {there}.")
    found, proof = group_queries.group_cash_proof(state, statement or own[0], group, year, period, first)
    rows: list[list[Cell]] = [[one.what, Money(one.amount, found.statement.digits)] for one in proof]
    return Report(("what", "amount"), rows, found.told)


def translation(state: State, group: str, year: int, period: int) -> Report:
    """The proof of each translation reserve, raw in the group's currency."""
    work, position = group_queries.position_at(state, group, year, period)
    digits = digits_of(work.group.currency)
    proven, without = proofs(work, position.period)
    columns = ("opening", "net_assets", "result", "other", "rounding", "closing")
    rows: list[list[Cell]] = [
        [proof.company, proof.currency, *(Money(getattr(proof, column), digits) for column in columns)]
        for proof in proven
    ]
    told = [f"{name} has no proof: it {why}." for name, why in sorted(without.items())]
    return Report(("company", "currency", *columns), rows, told)


OF_GROUPS = {"consolidation": consolidation, "translation": translation, "disagreements": disagreements}
"""Reports that only a group has, by name."""
