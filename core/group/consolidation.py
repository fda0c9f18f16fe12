"""Consolidated figures: collect, map, eliminate, sum. Built once as sorted arrays; a period is one pass over
them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from core.books.balances import Books, TrialRow, exact
from core.codes.lists import list_index
from core.codes.selectors import pick
from core.definitions.state import State
from core.definitions.tables import Elimination, Group
from core.group.mapping import MapPlan
from core.statements.figures import Amounts, UnmappedAccount
from core.structures.accounts import chart_index

OUTSIDE = -1


@dataclass(frozen=True, slots=True)
class Member:
    """What one company brings: its books, its mapping, where its periods count, and how to read interned
    rows.

    `texts(account, dimensions)` gives an account string and its dimensions; asked only where a mapping
    depends on
    more than the natural account. `ordinals` maps the company's ordinals to the group's (absent: doesn't
    count).
    """

    company: str
    number: int
    books: tuple[Books, ...]
    plan: MapPlan
    ordinals: dict[int, int] | None
    texts: Callable[[NDArray[Any]], list[tuple[str, str]]]


@dataclass(frozen=True, slots=True)
class GroupBalances:
    """All amounts of a group, sorted into cells (target, company, partner); `starts` begins each cell.

    Targets are the group's posting accounts in order, then the strays. `partner` is a member's index or
    OUTSIDE. Cells of
    one target and company lie together: `pair_starts` begins each such pair, `pairs` is its place in targets
    by companies.
    """

    state: State
    group: str
    accounts: tuple[str, ...]
    companies: tuple[str, ...]
    strays: tuple[UnmappedAccount, ...]
    starts: NDArray[np.int64]
    target: NDArray[np.int64]
    company: NDArray[np.int64]
    partner: NDArray[np.int64]
    ordinal: NDArray[np.int32]
    kept: NDArray[np.bool_]
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
        made = np.zeros(size * len(self.companies), dtype=cells.dtype)
        if len(cells):
            made[self.pairs] = np.add.reduceat(cells, self.pair_starts)
        return made.reshape(size, len(self.companies))

    def upto(self, end: int) -> NDArray[Any]:
        return self.sums(self.ordinal <= end)

    def window(self, start: int, end: int, closing: bool) -> NDArray[Any]:
        mask = (self.ordinal >= start) & (self.ordinal <= end)
        return self.sums(mask if closing else mask & self.kept)

    def touched(self, end: int) -> NDArray[np.bool_]:
        if not len(self.starts):
            return np.zeros(0, dtype=bool)
        return np.logical_or.reduceat(self.ordinal <= end, self.starts)


def _targets(
    member: Member, book: Books, accounts: dict[str, int], strays: dict[UnmappedAccount, int]
) -> NDArray[np.int64]:
    """The target of each row of a book."""
    plan = member.plan
    own = list_index_of(plan)
    size = len(accounts)

    def place(natural: str, target: str) -> int:
        if target in accounts:
            return accounts[target]
        code = own.get(natural)
        stray = UnmappedAccount(
            member.company, natural, code.name if code else "", code.account_class if code else ""
        )
        return size + strays.setdefault(stray, len(strays))

    found = np.empty(len(book.naturals), dtype=np.int64)
    open_ones = []
    present = np.zeros(len(book.naturals), dtype=bool)
    present[np.unique(book.rows["natural"])] = True
    for i, natural in enumerate(book.naturals):
        target = plan.plain(natural)
        found[i] = -1 if target is None else place(natural, target) if present[i] else -1
        if target is None and present[i]:
            open_ones.append(i)
    made: NDArray[np.int64] = found[book.rows["natural"]]
    if open_ones:
        rows = np.flatnonzero(np.isin(book.rows["natural"], open_ones))
        memo: dict[tuple[int, int], int] = {}
        texts = member.texts(book.rows[rows])
        for at, (account, dimensions) in zip(rows.tolist(), texts, strict=True):
            key = (int(book.rows["account"][at]), int(book.rows["dimensions"][at]))
            if key not in memo:
                natural = book.naturals[book.rows["natural"][at]]
                memo[key] = place(natural, plan.target(natural, partial(plan.values, account, dimensions)))
            made[at] = memo[key]
    return made


def list_index_of(plan: MapPlan) -> dict[str, Any]:
    return plan.chart.segments[plan.chart.natural].codes if plan.chart.natural >= 0 else {}


def group_balances(state: State, group: str, members: list[Member]) -> GroupBalances:
    """Collects and maps; nothing is left out: what has no group account becomes a stray of its company."""
    head = state.get(Group, group)
    chart = chart_index(state, head.chart) if head else None
    posting = list_index(state, chart.natural_list).posting if chart else []
    accounts = {code: i for i, code in enumerate(posting)}
    partners = {member.number: i for i, member in enumerate(members)}
    strays: dict[UnmappedAccount, int] = {}
    parts: list[list[NDArray[Any]]] = []
    top = max((int(b.rows["partner"].max()) for m in members for b in m.books if len(b.rows)), default=0)
    partner_index = np.full(top + 1, OUTSIDE, dtype=np.int64)
    for number, i in partners.items():
        if number <= top:
            partner_index[number] = i
    for i, member in enumerate(members):
        for book in member.books:
            rows = book.rows
            if not len(rows):
                continue
            target = _targets(member, book, accounts, strays)
            when = rows["ordinal"].astype(np.int32)
            if member.ordinals is not None:
                known = np.unique(when)
                moved = np.array([member.ordinals.get(int(o), -1) for o in known], dtype=np.int32)
                when = moved[np.searchsorted(known, when)]
            inside = when >= 0
            amount = rows["debit"] - rows["credit"]
            column = np.full(len(rows), i, dtype=np.int64)
            made = [target, column, partner_index[rows["partner"]], when, rows["closing"] == 0, amount]
            parts.append(made if inside.all() else [array[inside] for array in made])
    companies = tuple(member.company for member in members)
    if not parts:
        empty = np.zeros(0, dtype=np.int64)
        return GroupBalances(
            state,
            group,
            tuple(posting),
            companies,
            (),
            empty,
            empty,
            empty,
            empty,
            empty.astype(np.int32),
            empty.astype(bool),
            empty,
            empty,
            empty,
        )
    target, company, partner, when, kept, amount = (
        np.concatenate(column) for column in zip(*parts, strict=True)
    )
    width, deep = len(members), len(members) + 1
    cell = (target * width + company) * deep + partner + 1
    order = np.argsort(cell, kind="stable")
    cell = cell[order]
    starts = np.flatnonzero(np.concatenate([[True], cell[1:] != cell[:-1]]))
    first = order[starts]
    pair = cell[starts] // deep
    pair_starts = np.flatnonzero(np.concatenate([[True], pair[1:] != pair[:-1]]))
    return GroupBalances(
        state,
        group,
        tuple(posting),
        companies,
        tuple(strays),
        starts,
        target[first],
        company[first],
        partner[first],
        when[order],
        kept[order],
        exact(amount[order]),
        pair_starts,
        pair[pair_starts],
    )


class Disagreement(NamedTuple):
    """A pair of companies whose amounts do not cancel under one elimination; raw, the group's minor units.

    `shares` are what each side and account brought: (company, partner, account index, amount)."""

    elimination: str
    company: str
    partner: str
    amount: int
    shares: tuple[tuple[str, str, int, int], ...]


@dataclass(frozen=True, slots=True)
class EliminationRule:
    row: Elimination
    selected: NDArray[np.bool_]
    difference: int


def rules_of(slab: GroupBalances) -> list[EliminationRule]:
    """The group's eliminations by position, each with its accounts as a mask over targets."""
    head = slab.state.get(Group, slab.group)
    chart = chart_index(slab.state, head.chart) if head else None
    places = list_index(slab.state, chart.natural_list).position if chart else {}
    found = []
    rows = slab.state.part(Elimination, slab.group).values()
    for row in sorted(rows, key=lambda r: (r.position, r.elimination)):
        selected = np.zeros(len(slab.accounts) + len(slab.strays), dtype=bool)
        codes = pick(slab.state, chart.natural_list, row.accounts).codes if chart else frozenset()
        selected[[places[code] for code in codes]] = True
        found.append(EliminationRule(row, selected, places.get(row.difference_account, -1)))
    return found


@dataclass(frozen=True, slots=True)
class EliminationResult:
    """Cell sums after elimination, what was taken by target, and the differences each rule put where.

    `posted` are (target, amount) per rule; `taken` is what eliminations changed by target, differences
    included.
    """

    cells: NDArray[Any]
    posted: tuple[tuple[int, int], ...]
    taken: NDArray[Any]
    disagreements: tuple[Disagreement, ...]
    by_rule: tuple[tuple[str, NDArray[Any]], ...]


def eliminate(
    slab: GroupBalances, cells: NDArray[Any], rules: list[EliminationRule] | None = None
) -> EliminationResult:
    """Runs the eliminations over cell sums. Debits still equal credits afterwards: what is taken away on one
    account
    and does not cancel comes back on the rule's difference account."""
    cells = cells.copy()
    size = len(slab.accounts) + len(slab.strays)
    taken = np.zeros(size, dtype=cells.dtype)
    posted: list[tuple[int, int]] = []
    found: list[Disagreement] = []
    by_rule: list[tuple[str, NDArray[Any]]] = []
    for rule in rules_of(slab) if rules is None else rules:
        mask = rule.selected[slab.target]
        if rule.row.partners_only:
            mask = mask & (slab.partner >= 0)
        mask = mask & (cells != 0)
        change = np.zeros(size, dtype=cells.dtype)
        np.subtract.at(change, slab.target[mask], cells[mask])
        difference = int(cells[mask].sum())
        if not rule.row.partners_only:
            for i, (target, amount) in enumerate(posted):
                if rule.selected[target]:
                    difference += amount
                    change[target] -= amount
                    posted[i] = (target, 0)
        found += _disagreements(slab, rule.row.elimination, cells, mask)
        cells[mask] = 0
        if difference and rule.difference >= 0:
            posted.append((rule.difference, difference))
            change[rule.difference] += difference
        taken += change
        by_rule.append((rule.row.elimination, change))
    return EliminationResult(cells, tuple(posted), taken, tuple(found), tuple(by_rule))


def _disagreements(
    slab: GroupBalances, name: str, cells: NDArray[Any], mask: NDArray[np.bool_]
) -> list[Disagreement]:
    pairs: dict[tuple[str, str], list[tuple[str, str, int, int]]] = {}
    for i in np.flatnonzero(mask).tolist():
        company = slab.companies[slab.company[i]]
        partner = slab.companies[slab.partner[i]] if slab.partner[i] >= 0 else ""
        first, second = sorted((company, partner)) if partner else (company, "")
        pairs.setdefault((first, second), []).append((company, partner, int(slab.target[i]), int(cells[i])))
    return [
        Disagreement(name, first, second, total, tuple(shares))
        for (first, second), shares in sorted(pairs.items())
        if (total := sum(share[3] for share in shares))
    ]


@dataclass(frozen=True, slots=True)
class Consolidated:
    """Statement amounts of a group: one column a company, then eliminations, then the group."""

    columns: tuple[str, ...]
    amounts: Amounts
    window: EliminationResult
    cumulative: EliminationResult


def _matrix(slab: GroupBalances, cells: NDArray[Any], after: EliminationResult) -> NDArray[Any]:
    width = len(slab.companies)
    size = len(slab.accounts) + len(slab.strays)
    made = np.zeros((size, width + 2), dtype=cells.dtype)
    made[:, :width] = slab.by_company(cells, size)
    made[:, width] = after.taken
    made[:, width + 1] = made[:, : width + 1].sum(axis=1)
    return made


def consolidate(slab: GroupBalances, start: int, end: int, balance_sheet: bool) -> Consolidated:
    """Amounts for a statement: to the end for a balance sheet, else from start to end without closing
    journals."""
    rules = rules_of(slab)
    everything = slab.upto(end)
    cumulative = eliminate(slab, everything, rules)
    total = _matrix(slab, everything, cumulative)
    if balance_sheet:
        return Consolidated(
            slab.companies, Amounts(total, total, slab.strays, None, _touched(total)), cumulative, cumulative
        )
    cells = slab.window(start, end, closing=False)
    window = eliminate(slab, cells, rules)
    amounts = _matrix(slab, cells, window)
    return Consolidated(
        slab.companies, Amounts(amounts, total, slab.strays, None, _touched(amounts)), window, cumulative
    )


def _touched(amounts: NDArray[Any]) -> NDArray[np.bool_]:
    """Where there is an amount; in the group's column where any other has one."""
    made: NDArray[np.bool_] = np.not_equal(amounts, 0)
    made[:, -1] = made[:, :-1].any(axis=1)
    return made


def trial_balance(slab: GroupBalances, start: int, end: int) -> list[TrialRow]:
    """After mapping and elimination, each company's net movement of an account on its side; strays in a last
    row."""
    rules = rules_of(slab)
    before = eliminate(slab, slab.upto(start - 1), rules)
    moved = eliminate(slab, slab.window(start, end, closing=True), rules)
    size, width = len(slab.accounts) + len(slab.strays), max(1, len(slab.companies))
    opening = np.zeros(size, dtype=object)
    np.add.at(opening, slab.target, before.cells.astype(object))
    movement = np.zeros((size, width), dtype=object)
    np.add.at(movement, (slab.target, slab.company), moved.cells.astype(object))
    debit = np.where(movement > 0, movement, 0).sum(axis=1)
    credit = np.where(movement < 0, -movement, 0).sum(axis=1)
    touched = np.zeros(size, dtype=bool)
    touched[slab.target[slab.touched(end)]] = True
    for target, amount in before.posted:
        opening[target] += amount
        touched[target] = True
    for target, amount in moved.posted:
        debit[target] += max(amount, 0)
        credit[target] += max(-amount, 0)
        touched[target] = True
    head = slab.state.get(Group, slab.group)
    chart = chart_index(slab.state, head.chart) if head else None
    codes = list_index(slab.state, chart.natural_list).codes if chart else {}
    count = len(slab.accounts)
    rows = [
        TrialRow(
            slab.accounts[i], codes[slab.accounts[i]].name, int(opening[i]), int(debit[i]), int(credit[i])
        )
        for i in np.flatnonzero(touched[:count]).tolist()
    ]
    if touched[count:].any():
        rows.append(TrialRow("unplaced", "", *(int(a[count:].sum()) for a in (opening, debit, credit))))
    return rows
