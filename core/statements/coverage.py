"""How much of what belongs on a statement stands on it, and whether it adds up with all that doesn't."""

from __future__ import annotations

from typing import NamedTuple

from core.definitions.statement_rows import WITH_AMOUNT
from core.definitions.tables import Code, StatementLine
from core.money import show_amount
from core.statements.amounts import Amounts
from core.statements.figures import Figure, Figures, UnplacedAccount
from core.statements.line_parts import CREDIT, SIDES
from core.statements.plans import Plan, likely_line, line_title

MOST_LABELS = 3
"""So many topmost lines of a side are named; of more the side is."""


class IdleAccount(NamedTuple):
    """An unplaced account without an amount, and the line it most likely belongs on."""

    code: Code
    likely: str


class Coverage(NamedTuple):
    """`unplaced` are accounts with an amount and no line, each with a likely one if it is of the statement's
    chart; `idle` those without.

    `check` is the sum of the first column over the topmost lines and all unplaced: raw minor units, 0 on a
    balance sheet that balances.
    """

    unplaced: list[tuple[UnplacedAccount, str]]
    idle: list[IdleAccount]
    placed: int
    belonging: int
    check: int

    @property
    def can_be_placed(self) -> bool:
        """Whether any account that misses a line is of the statement's own chart."""
        return bool(self.idle) or any(not account.company for account, _ in self.unplaced)


def coverage(planned: Plan, figures: Figures) -> Coverage:
    unplaced = [
        (account, "" if account.company else likely_line(planned, account.account))
        for account in figures.unplaced
    ]
    amounted = {account.account for account in figures.unplaced}
    missed = [planned.accounts.codes[planned.accounts.posting[i]] for i in planned.missed().tolist()]
    idle = [IdleAccount(row, likely_line(planned, row.code)) for row in missed if row.code not in amounted]
    placed = int((planned.line_of >= 0).sum())
    topmost = sum(figure.raw[0] for figure in figures.lines if figure.line.parent < 0)
    check = topmost + sum(account.raw[0] for account in figures.unplaced)
    return Coverage(unplaced, idle, placed, placed + len(missed), check)


class Sides(NamedTuple):
    """The topmost lines of a balance sheet that stand in debit and those in credit: their labels, and what
    each side comes to, as shown, in minor units."""

    debit_lines: tuple[str, ...]
    credit_lines: tuple[str, ...]
    debit: int
    credit: int

    def sentence(self, digits: int, currency: str) -> str:
        """Empty where the sides are equal."""
        if self.debit == self.credit:
            return ""
        apart, debit, credit = (
            show_amount(amount, digits) for amount in (abs(self.debit - self.credit), self.debit, self.credit)
        )
        return (
            f"The two sides differ by {apart} {currency}: {_side(self.debit_lines, 'debit')} {debit},"
            f" {_side(self.credit_lines, 'credit')} {credit}."
        )


def _side(labels: tuple[str, ...], name: str) -> str:
    return " and ".join(labels) if 1 <= len(labels) <= MOST_LABELS else f"the side in {name}"


def sides(planned: Plan, figures: Figures) -> Sides | None:
    """Of the last column; None where the statement is no balance sheet, has no lines, or is a hierarchy."""
    if planned.statement.kind != "balance_sheet" or not any(line.row.accounts for line in planned.lines):
        return None
    credit: list[Figure] = []
    debit: list[Figure] = []
    for figure in figures.lines:
        if figure.line.parent < 0 and figure.line.row.kind != "text":
            (credit if figure.line.direction == CREDIT else debit).append(figure)
    return Sides(
        _titles_with_amount(debit),
        _titles_with_amount(credit),
        sum(figure.raw[-1] for figure in debit),
        -sum(figure.raw[-1] for figure in credit),
    )


def _titles_with_amount(side: list[Figure]) -> tuple[str, ...]:
    return tuple(line_title(figure.line.row) for figure in side if figure.raw[-1])


class StandsElsewhere(NamedTuple):
    """An account of a line of which an amount (raw) stands on another line now."""

    code: Code
    line: StatementLine
    amount: int


def asks_for(row: StatementLine) -> str:
    """What a line asks of the amounts of its accounts, as a sentence; empty where it takes all."""
    words = []
    if row.field:
        words.append(f"amounts {f'with {row.field} {row.codes}' if row.codes else f'without a {row.field}'}")
    if row.side in SIDES:
        words.append(f"balances in {row.side}")
    return f"Takes {' and of those '.join(words)} only." if words else ""


def in_short(row: StatementLine) -> str:
    """The same behind the accounts of a line, in a table."""
    field = f"; {row.field} {row.codes or 'none'}" if row.field else ""
    side = f"; in {row.side}" if row.side in SIDES else ""
    return f"{field}{side}{'; only with an amount' if row.shown_when == WITH_AMOUNT else ''}"


def elsewhere(plan: Plan, amounts: Amounts, line: str, column: int = 0) -> list[StandsElsewhere]:
    """Of the accounts that a line picks those with an amount on another line, by account."""
    at = plan.index[line]
    picked = {plan.accounts.position[code] for code in plan.lines[at].picks}
    return [
        StandsElsewhere(
            plan.accounts.codes[plan.accounts.posting[place]],
            plan.lines[other].row,
            int(amounts.window[row, column]),
        )
        for other in sorted({part.line for part in plan.parts} | _homes(plan, picked))
        if other != at and plan.parts
        for place, row in plan.rows_between(amounts, other, other + 1)
        if place in picked and amounts.window[row, column]
    ]


def _homes(plan: Plan, places: set[int]) -> set[int]:
    return {int(plan.line_of[place]) for place in places if plan.line_of[place] >= 0}


def goes_to(plan: Plan, line: str) -> list[str]:
    """Sentences: where balances or amounts that a line doesn't take go to."""
    at = plan.index[line]
    mine = [part for part in plan.parts if part.line == at]
    places = {place for part in mine for place in part.accounts.tolist()}
    homes = sorted({int(plan.line_of[place]) for place in places} - {at})
    return [
        f"What no such line takes stands on {line_title(plan.lines[home].row) if home >= 0 else 'no line'}."
        for home in homes
    ]
