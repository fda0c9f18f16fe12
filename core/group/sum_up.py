"""Last step: the columns of companies, eliminations and group, and the group's trial balance."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from core.books.balances import TrialRow
from core.group.eliminate import EliminationResult, eliminate, rules_of
from core.group.map_accounts import GroupBalances, group_list
from core.statements.figures import Amounts


@dataclass(frozen=True, slots=True)
class Consolidated:
    """Statement amounts of a group: one column a company, then eliminations, then the group."""

    columns: tuple[str, ...]
    amounts: Amounts
    window: EliminationResult
    cumulative: EliminationResult


def _matrix(balances: GroupBalances, cells: NDArray[Any], after: EliminationResult) -> NDArray[Any]:
    width = len(balances.companies)
    size = len(balances.accounts) + len(balances.unmapped)
    values = np.zeros((size, width + 2), dtype=cells.dtype)
    values[:, :width] = balances.by_company(cells, size)
    values[:, width] = after.taken
    values[:, width + 1] = values[:, : width + 1].sum(axis=1)
    return values


def consolidate(balances: GroupBalances, start: int, end: int, balance_sheet: bool) -> Consolidated:
    """Amounts for a statement: to the end for a balance sheet, else from start to end without closing
    journals."""
    rules = rules_of(balances)
    everything = balances.upto(end)
    cumulative = eliminate(balances, everything, rules)
    total = _matrix(balances, everything, cumulative)
    if balance_sheet:
        return Consolidated(
            balances.companies,
            Amounts(total, total, balances.unmapped, None, _touched(total)),
            cumulative,
            cumulative,
        )
    cells = balances.window(start, end, closing=False)
    window = eliminate(balances, cells, rules)
    amounts = _matrix(balances, cells, window)
    return Consolidated(
        balances.companies,
        Amounts(amounts, total, balances.unmapped, None, _touched(amounts)),
        window,
        cumulative,
    )


def _touched(amounts: NDArray[Any]) -> NDArray[np.bool_]:
    """Where there is an amount; in the group's column where any other has one."""
    side: NDArray[np.bool_] = np.not_equal(amounts, 0)
    side[:, -1] = side[:, :-1].any(axis=1)
    return side


def trial_balance(balances: GroupBalances, start: int, end: int) -> list[TrialRow]:
    """After mapping and elimination, each company's net movement of an account on its side; accounts without
    one of the group in a last row."""
    rules = rules_of(balances)
    before = eliminate(balances, balances.upto(start - 1), rules)
    moved = eliminate(balances, balances.window(start, end, closing=True), rules)
    size, width = len(balances.accounts) + len(balances.unmapped), max(1, len(balances.companies))
    opening = np.zeros(size, dtype=object)
    np.add.at(opening, balances.target, before.cells.astype(object))
    movement = np.zeros((size, width), dtype=object)
    np.add.at(movement, (balances.target, balances.company), moved.cells.astype(object))
    debit = np.where(movement > 0, movement, 0).sum(axis=1)
    credit = np.where(movement < 0, -movement, 0).sum(axis=1)
    touched = np.zeros(size, dtype=bool)
    touched[balances.target[balances.touched(end)]] = True
    for target, amount in before.posted:
        opening[target] += amount
        touched[target] = True
    for target, amount in moved.posted:
        debit[target] += max(amount, 0)
        credit[target] += max(-amount, 0)
        touched[target] = True
    return _trial_rows(balances, touched, opening, debit, credit)


def _trial_rows(
    balances: GroupBalances, touched: NDArray[np.bool_], *columns: NDArray[Any]
) -> list[TrialRow]:
    """`columns` are opening, debit and credit by target."""
    accounts = group_list(balances.state, balances.group)
    codes = accounts.codes if accounts else {}
    count = len(balances.accounts)
    rows = [
        TrialRow(balances.accounts[i], codes[balances.accounts[i]].name, *(int(c[i]) for c in columns))
        for i in np.flatnonzero(touched[:count]).tolist()
    ]
    if touched[count:].any():
        rows.append(TrialRow("unplaced", "", *(int(c[count:].sum()) for c in columns)))
    return rows
