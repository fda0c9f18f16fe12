"""How much of what belongs on a statement stands on it, and whether it adds up with all that doesn't."""

from __future__ import annotations

from typing import NamedTuple

from core.statements.figures import Figures, Plan, UnplacedAccount, likely_line


class IdleAccount(NamedTuple):
    """An unplaced account without an amount, and the line it most likely belongs on."""

    code: str
    name: str
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
    idle = [
        IdleAccount(row.code, row.name, likely_line(planned, row.code))
        for row in missed
        if row.code not in amounted
    ]
    placed = int((planned.line_of >= 0).sum())
    topmost = sum(figure.raw[0] for figure in figures.lines if figure.line.parent < 0)
    check = topmost + sum(account.raw[0] for account in figures.unplaced)
    return Coverage(unplaced, idle, placed, placed + len(missed), check)
