"""The proof that the activities of a cash flow come to what cash moved.

Every amount stands in a journal that balances, so what all accounts moved sums to nothing: where each stands
on one line, the lines of activities (credit plus) come to the lines of cash (debit plus). The same holds of
any choice of whole journals: a direct cash flow takes those that touch an account of cash, an indirect one
leaves out those between the sides of a non-cash pair."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from core.cash_flow.activities import cash_accounts
from core.definitions.tables import Code
from core.statements.amounts import Amounts
from core.statements.figures import Figures
from core.statements.plans import Plan


class CashProof(NamedTuple):
    """What the lines come to together, raw minor units: 0 where activities come to what cash moved.
    `missing` are accounts that moved and stand on no line, which is what they are off by. `unseen`, of a
    direct one: accounts of cash and what they moved without a journal, as books kept as balances do."""

    off: int
    missing: tuple[tuple[Code, int], ...]
    unseen: tuple[tuple[Code, int], ...] = ()

    @property
    def is_proven(self) -> bool:
        return not self.off and not self.unseen


def cash_proof(
    plan: Plan, figures: Figures, amounts: Amounts, column: int, moved_in_all: Amounts | None = None
) -> CashProof:
    """`moved_in_all`, for a direct cash flow: what all accounts moved, in one column, whatever journal
    moved them."""
    off = sum(
        figure.raw[column] for figure in figures.lines if figure.line.parent < 0 and not figure.line.quantity
    )
    missing = [
        (plan.accounts.codes[plan.accounts.posting[place]], int(moved))
        for place, row in plan.rows_between(amounts, -1, 0)
        if (moved := amounts.window[row, column])
    ]
    return CashProof(off, tuple(missing), tuple(_unseen(plan, amounts, column, moved_in_all)))


def _unseen(
    plan: Plan, amounts: Amounts, column: int, moved_in_all: Amounts | None
) -> Iterator[tuple[Code, int]]:
    if moved_in_all is None:
        return
    size = len(plan.accounts.posting)
    moved = np.zeros(size, dtype=moved_in_all.window.dtype)
    for one, sign, at in ((moved_in_all, 1, 0), (amounts, -1, column)):
        places = one.rows(size)
        np.add.at(moved, places, sign * one.window[: len(places), at])
    for code in sorted(cash_accounts(plan.accounts)):
        if apart := int(moved[plan.accounts.position[code]]):
            yield plan.accounts.codes[code], apart
