"""The account of the group's chart that each row of a book goes to; what has none is named."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np
from numpy.typing import NDArray

from core.books.balances import Books
from core.codes.lists import ListIndex, list_index
from core.definitions.state import State
from core.definitions.tables import Group
from core.group.collect import Member
from core.statements.amounts import StrayAccount
from core.structures.charts import chart_index


def group_list(state: State, group: str) -> ListIndex | None:
    """The natural accounts of the group's chart."""
    group_row = state.get(Group, group)
    chart = chart_index(state, group_row.chart) if group_row else None
    return list_index(state, chart.natural_list) if chart else None


def targets_of(
    member: Member, book: Books, accounts: dict[str, int], unmapped: dict[StrayAccount, int]
) -> NDArray[np.int64]:
    """The target of each row of a book."""
    plan = member.plan
    own = plan.own_codes
    size = len(accounts)

    def place(natural: str, target: str) -> int:
        if target in accounts:
            return accounts[target]
        code = own.get(natural)
        without = StrayAccount(
            member.company, natural, code.name if code else "", code.account_class if code else ""
        )
        return size + unmapped.setdefault(without, len(unmapped))

    values = np.empty(len(book.naturals), dtype=np.int64)
    open_ones = []
    present = np.zeros(len(book.naturals), dtype=bool)
    present[np.unique(book.rows["natural"])] = True
    for i, natural in enumerate(book.naturals):
        target = plan.plain(natural)
        values[i] = -1 if target is None else place(natural, target) if present[i] else -1
        if target is None and present[i]:
            open_ones.append(i)
    targets: NDArray[np.int64] = values[book.rows["natural"]]
    if open_ones:
        rows = np.flatnonzero(np.isin(book.rows["natural"], open_ones))
        targets[rows] = _by_string(member, book, rows, place)
    return targets


def _by_string(
    member: Member, book: Books, rows: NDArray[np.int64], place: Callable[[str, str], int]
) -> list[int]:
    """The targets of rows whose account string or dimensions decide, each string looked at once."""
    memo: dict[tuple[int, int], int] = {}
    targets = []
    for at, (account, dimensions) in zip(rows.tolist(), member.texts(book.rows[rows]), strict=True):
        key = (int(book.rows["account"][at]), int(book.rows["dimensions"][at]))
        if key not in memo:
            natural = book.naturals[book.rows["natural"][at]]
            values = partial(member.plan.values, account, dimensions)
            memo[key] = place(natural, member.plan.target(natural, values))
        targets.append(memo[key])
    return targets
