"""Trial balances, statements and disagreements as rows for CSV, JSON and XLSX (docs/exchange-format.md)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from core.consolidation.position import STEPS
from core.definitions.state import State
from core.definitions.tables import Group
from core.group_figures.proof import proofs
from core.group_figures.sum_up import steps_of
from core.money import digits_of, format_amount
from web.group import queries as group_queries
from web.group.queries import waiting_in
from web.shell.tabular import Cell, Money
from web.statements import queries
from web.statements.queries import StatementFigures


@dataclass
class Report:
    """Rows of a table, and what standard error says beside them."""

    header: Sequence[str]
    rows: list[list[Cell]]
    messages: list[str] = field(default_factory=list)


def trial_balance(
    state: State, company: str | None, group: str | None, year: int, period: int, first: int | None
) -> Report:
    columns = ("account", "name", "opening", "debit", "credit", "closing")
    messages: list[str] = []
    if group:
        balance, position, opening = group_queries.group_trial(state, group, year, period, first)
        currency = group_queries.currency_of(state, group, True)
        messages = waiting_in(position, opening)
    else:
        balance = queries.trial_balance(state, company or "", year, period, first)
        currency = group_queries.currency_of(state, company or "", False)
    digits = digits_of(currency)
    rows: list[list[Cell]] = [
        [
            row.account,
            row.name,
            *(Money(v, digits) for v in (row.opening, row.debit, row.credit, row.closing)),
        ]
        for row in balance
    ]
    return Report(columns, rows, messages)


def statement_rows(found: StatementFigures, column: int) -> tuple[list[list[Cell]], list[str]]:
    """Rows of one column, and sentences that name unplaced accounts."""
    rows: list[list[Cell]] = [
        [
            figure.line.row.line,
            figure.line.row.label,
            figure.line.depth,
            Money(figure.shown[column], found.digits),
        ]
        for figure in found.figures.lines
    ]
    strays = [(u, u.raw[column]) for u in found.figures.unplaced if u.raw[column]]
    if strays:
        rows.append(["unplaced", "", 0, Money(sum(amount for _, amount in strays), found.digits)])
    messages = [
        f"Unplaced: {f'{u.company} ' if u.company else ''}{u.account} {u.name},"
        f" {format_amount(amount, found.digits)} {found.currency}."
        for u, amount in strays
    ]
    return rows, messages


def statement(
    state: State, name: str, company: str | None, group: str | None, year: int, period: int, first: int | None
) -> Report:
    columns = ("line", "label", "depth", "amount")
    if group:
        consolidated = group_queries.group_statement(state, name, group, year, period, first)
        rows, messages = statement_rows(consolidated.statement, len(consolidated.statement.columns) - 1)
        return Report(columns, rows, [*consolidated.waiting_in, *messages])
    rows, messages = statement_rows(
        queries.company_statement(state, name, company or "", year, period, first), 0
    )
    return Report(columns, rows, messages)


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
