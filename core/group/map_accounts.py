"""Second step: the companies' rows by accounts of the group's chart, in cells; what has none is named.

Built once as sorted arrays; a period is one pass over them.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from core.books.balances import Books, exact
from core.codes.lists import ListIndex, list_index
from core.definitions.state import State
from core.definitions.tables import Group
from core.group.collect import Member, collect
from core.statements.figures import UnmappedAccount
from core.structures.charts import chart_index


@dataclass(frozen=True, slots=True)
class GroupBalances:
    """All amounts of a group, sorted into cells (target, company, partner); `starts` begins each cell.

    Targets are the group's posting accounts in order, then accounts without one. `partner` is a member's
    index or OUTSIDE. Cells of one target and company lie together: `pair_starts` begins each such pair,
    `pairs` is its place in targets by companies.
    """

    state: State
    group: str
    accounts: tuple[str, ...]
    companies: tuple[str, ...]
    unmapped: tuple[UnmappedAccount, ...]
    starts: NDArray[np.int64]
    target: NDArray[np.int64]
    company: NDArray[np.int64]
    partner: NDArray[np.int64]
    ordinal: NDArray[np.int32]
    regular: NDArray[np.bool_]
    amount: NDArray[Any]
    pair_starts: NDArray[np.int64]
    pairs: NDArray[np.int64]

    def sums(self, mask: NDArray[np.bool_]) -> NDArray[Any]:
        """One sum a cell over the rows of the mask."""
        if not len(self.starts):
            return np.zeros(0, dtype=np.int64)
        return np.add.reduceat(np.where(mask, self.amount, 0), self.starts)

    def by_company(self, cells: NDArray[Any], size: int) -> NDArray[Any]:
        """Cells added up over partners, targets by companies."""
        values = np.zeros(size * len(self.companies), dtype=cells.dtype)
        if len(cells):
            values[self.pairs] = np.add.reduceat(cells, self.pair_starts)
        return values.reshape(size, len(self.companies))

    def upto(self, end: int) -> NDArray[Any]:
        return self.sums(self.ordinal <= end)

    def window(self, start: int, end: int, closing: bool) -> NDArray[Any]:
        mask = (self.ordinal >= start) & (self.ordinal <= end)
        return self.sums(mask if closing else mask & self.regular)

    def touched(self, end: int) -> NDArray[np.bool_]:
        if not len(self.starts):
            return np.zeros(0, dtype=bool)
        return np.logical_or.reduceat(self.ordinal <= end, self.starts)


def group_list(state: State, group: str) -> ListIndex | None:
    """The natural accounts of the group's chart."""
    group_row = state.get(Group, group)
    chart = chart_index(state, group_row.chart) if group_row else None
    return list_index(state, chart.natural_list) if chart else None


def group_balances(state: State, group: str, members: Sequence[Member]) -> GroupBalances:
    """Collects and maps; nothing is left out: what has no group account is named with its company."""
    accounts = group_list(state, group)
    posting = accounts.posting if accounts else []
    places = {code: i for i, code in enumerate(posting)}
    unmapped: dict[UnmappedAccount, int] = {}
    parts: list[list[NDArray[Any]]] = []
    for part in collect(members):
        rows = part.book.rows
        columns = [
            _targets(part.member, part.book, places, unmapped),
            np.full(len(rows), part.company, dtype=np.int64),
            part.partner,
            part.ordinal,
            rows["closing"] == 0,
            part.amount,
        ]
        parts.append(columns if part.counts.all() else [column[part.counts] for column in columns])
    if not parts:
        parts.append([np.zeros(0, dtype=kind) for kind in COLUMNS])
    return _sorted(state, group, posting, members, tuple(unmapped), parts)


COLUMNS = (np.int64, np.int64, np.int64, np.int32, np.bool_, np.int64)
"""Kinds of the columns of mapped rows: target, company, partner, ordinal, no closing journal, amount."""


def _sorted(
    state: State,
    group: str,
    posting: Sequence[str],
    members: Sequence[Member],
    unmapped: tuple[UnmappedAccount, ...],
    parts: list[list[NDArray[Any]]],
) -> GroupBalances:
    """Rows sorted into cells."""
    target, company, partner, when, regular, amount = (
        np.concatenate(column) for column in zip(*parts, strict=True)
    )
    width, deep = len(members), len(members) + 1
    cell = (target * width + company) * deep + partner + 1
    order = np.argsort(cell, kind="stable")
    starts = _begins(cell[order])
    first = order[starts]
    pair = cell[first] // deep
    pair_starts = _begins(pair)
    return GroupBalances(
        state,
        group,
        tuple(posting),
        tuple(member.company for member in members),
        unmapped,
        starts,
        target[first],
        company[first],
        partner[first],
        when[order],
        regular[order],
        exact(amount[order]),
        pair_starts,
        pair[pair_starts],
    )


def _begins(sorted_values: NDArray[Any]) -> NDArray[np.int64]:
    """Where each run of the same value begins."""
    if not len(sorted_values):
        return np.zeros(0, dtype=np.int64)
    return np.flatnonzero(np.concatenate([[True], sorted_values[1:] != sorted_values[:-1]]))


def _targets(
    member: Member, book: Books, accounts: dict[str, int], unmapped: dict[UnmappedAccount, int]
) -> NDArray[np.int64]:
    """The target of each row of a book."""
    plan = member.plan
    own = plan.own_codes
    size = len(accounts)

    def place(natural: str, target: str) -> int:
        if target in accounts:
            return accounts[target]
        code = own.get(natural)
        without = UnmappedAccount(
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
