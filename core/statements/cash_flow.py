"""Cash flow: which activity an account most likely belongs to, and the proof that activities come to what
cash moved.

Every amount stands in a journal that balances, so what all accounts moved sums to nothing: where each stands
on one line, the lines of activities (credit plus) come to the lines of cash (debit plus). The same holds of
any choice of whole journals: a direct cash flow takes those that touch an account of cash."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from core.codes.hierarchies import main_tree
from core.codes.lists import ListIndex, list_index
from core.definitions.state import State
from core.definitions.tables import Code
from core.statements.amounts import Amounts
from core.statements.figures import Figures
from core.statements.plans import RESULT_CLASSES, Plan

CASH, RESULT = "cash", "result"
SECTIONS = (RESULT, "operating", "investing", "financing", CASH)
CASH_WORDS = ("cash", "bank")
INVESTING_WORDS = ("non-current", "fixed", "plant", "property", "goodwill", "intangible", "shares", "loan")
FINANCING_WORDS = ("loan", "lease", "borrowing", "mortgage")
"""What names of accounts, and of rollup codes above them, say where an account has no activity of its own."""


def section_of(state: State, code_list: str, code: str) -> str:
    """The section of a cash flow statement that an account belongs in: by its own activity; else by its class
    and what it and the codes above it are called."""
    index, tree = list_index(state, code_list), main_tree(state, code_list)
    row = index.codes[code]
    path = tree.path(code) if tree and code in tree.place else [code]
    names = " ".join(index.codes[one].name.lower() for one in path if one in index.codes)
    if row.cash_flow != "none":
        return row.cash_flow
    if row.account_class in RESULT_CLASSES:
        return RESULT
    return _of_asset(row, names) if row.account_class == "asset" else _of_funds(row, names)


def _says(names: str, words: tuple[str, ...]) -> bool:
    return any(word in names for word in words)


def _of_asset(row: Code, names: str) -> str:
    """What is written off an asset moves no cash: it takes the expense out of the result again."""
    if _says(names, CASH_WORDS):
        return CASH
    return "investing" if not row.contra and _says(names, INVESTING_WORDS) else "operating"


def _of_funds(row: Code, names: str) -> str:
    is_financing = row.account_class == "equity" or _says(names, FINANCING_WORDS)
    return "financing" if is_financing else "operating"


def cash_accounts(accounts: ListIndex) -> frozenset[str]:
    """The posting accounts of a list that are cash by their own activity."""
    return frozenset(code for code in accounts.posting if accounts.codes[code].cash_flow == CASH)


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
