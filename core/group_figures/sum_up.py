"""What a group's statements and trial balance are made from: columns of companies, eliminations, group."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import chain
from typing import Any

import numpy as np
from numpy.typing import NDArray

from core.books.balances import SAFE_SUM, TrialRow, exact
from core.codes.lists import list_index
from core.consolidation.eliminate import Disagreement, Side
from core.consolidation.entries import Entries, add
from core.consolidation.position import Consolidation, Position
from core.definitions.statement_rows import OF_CASH
from core.group.map_accounts import group_list
from core.group_cash_flow.flows import BOOKS_ALONE, Apart, Flows
from core.group_cash_flow.working_out import group_flows
from core.group_figures.columns import ADJUSTING, ELIMINATIONS, OWNERSHIP, ColumnPlan, column_plan
from core.group_figures.results import results
from core.statements.amounts import WHOLE, Amounts
from core.statements.line_parts import EITHER_WAY, LinePart


@dataclass(frozen=True)
class Consolidated:
    """Statement amounts of a group: columns of companies, of what corrects them, eliminations, the group.
    `parts` are the window's amounts by step and set of books; `taken` is what eliminations took, by (company,
    partner, target); `posted` the differences they left, by target."""

    columns: tuple[str, ...]
    plan: ColumnPlan
    amounts: Amounts
    position: Position
    parts: Mapping[tuple[str, str], Entries]
    taken: Mapping[Side, int]
    posted: Entries
    opening: Position | None = None
    """What stood before the stretch, where balances of the statement are told by how much they differ."""
    flows: Flows | None = None
    """of a cash flow what it is made of: `parts` are flows then, and nothing of them stands"""

    @property
    def disagreements(self) -> list[Disagreement]:
        return disagreements(self.position)

    @property
    def balance(self) -> int:
        """Debits less credits of everything to the end of the period: 0, or something is wrong."""
        columns = (*self.position.columns.values(), self.position.eliminated)
        return sum(sum(entries.values()) for entries in columns)


def disagreements(position: Position) -> list[Disagreement]:
    """Sides that don't cancel: of eliminations, then of acquisitions that no row explains."""
    rows = list(position.outcome.disagreements)
    for purchase in position.purchases:
        if purchase.unexplained:
            pair = sorted((purchase.member, purchase.holder))
            rows.append(Disagreement("acquisition", pair[0], pair[1], purchase.unexplained, ()))
    return rows


def unplaced_accounts(group: Consolidation, position: Position) -> dict[str, int]:
    """By company how many own accounts have an amount at the end of a period and no account of the group."""
    count = len(group.books.accounts.codes)
    accounts: dict[str, int] = {}
    for (step, name), entries in position.steps.items():
        there = sum(1 for target, amount in entries.items() if target >= count and amount)
        if step == "books" and there:
            accounts[name] = there
    return accounts


def consolidate(
    group: Consolidation, start: int, end: int, balance_sheet: bool, plan: ColumnPlan | None = None
) -> Consolidated:
    """Amounts for a statement from one group ordinal to another: to the end for a balance sheet; else what
    revenue and expense brought without closing journals, and by how much balances differ. `plan` says which
    columns; without one each company has its own."""
    plan = plan or column_plan(group)
    first, last = group.periods.first_from(start), group.periods.last_to(end)
    position = group.position(last)
    total = _by_column(position.steps, position.eliminated, plan)
    if balance_sheet:
        posted: Entries = {}
        for target, amount in position.outcome.posted:
            add(posted, target, amount)
        columns = _columns(plan, position, total)
        amounts = _amounts(group, columns, total, total)
        return Consolidated(columns, plan, amounts, position, position.steps, position.outcome.taken, posted)
    brought = results(group, position, first, last)
    opening = group.opening(first)
    parts = {key: dict(entries) for key, entries in brought.steps.items()}
    eliminated = brought.eliminated()
    for sign, at in ((1, position), (-1, opening)):
        for key, entries in at.steps.items():
            _add_balances(group, parts.setdefault(key, {}), entries, sign)
        _add_balances(group, eliminated, at.eliminated, sign)
    window = _by_column(parts, eliminated, plan)
    columns = _columns(plan, position, window)
    amounts = _amounts(group, columns, window, total)
    return Consolidated(columns, plan, amounts, position, parts, brought.taken, brought.posted, opening)


def consolidate_flows(
    group: Consolidation,
    start: int,
    end: int,
    parts_of_lines: Sequence[LinePart] = (),
    apart: Apart = BOOKS_ALONE,
    plan: ColumnPlan | None = None,
) -> Consolidated:
    """Amounts for a cash flow: what flowed from one group ordinal to another. `parts_of_lines` are those that
    ask which way journals moved cash."""
    plan = plan or column_plan(group)
    first, last = group.periods.first_from(start), group.periods.last_to(end)
    flows = group_flows(group, first, last, apart)
    position = group.position(last)
    ways = sorted({way for _, way in flows.books} | set(flows.taken) | set(flows.posted))
    by_way = {way: _by_column(*_of_way(flows, way), plan) for way in ways or (EITHER_WAY,)}
    present = {plan.of.get(name, name) for name, _ in flows.books} | set(flows.companies)
    own = [name for name in plan.order if name in {plan.of.get(one, one) for one in present}]
    corrects = any(any(columns.get(ADJUSTING, {}).values()) for columns in by_way.values())
    columns = (*own, ADJUSTING) if corrects else tuple(own)
    amounts = _flow_amounts(group, columns, by_way, parts_of_lines)
    of_cash = {kind: _of_cash(columns, plan, flows.gained(kind)) for kind in OF_CASH}
    parts, taken, posted = _either_way(flows)
    return Consolidated(
        columns, plan, replace(amounts, of_cash=of_cash), position, parts, taken, posted, None, flows
    )


def _either_way(flows: Flows) -> tuple[dict[tuple[str, str], Entries], dict[Side, int], Entries]:
    """Flows by step and set of books, what eliminations took and what they left, whichever way cash moved."""
    parts: dict[tuple[str, str], Entries] = {}
    taken: dict[Side, int] = {}
    posted: Entries = {}
    for (name, _), entries in flows.books.items():
        for target, amount in entries.items():
            add(parts.setdefault(("books", name), {}), target, amount)
    for side, amount in chain.from_iterable(sides.items() for sides in flows.taken.values()):
        taken[side] = taken.get(side, 0) + amount
    for target, amount in chain.from_iterable(entries.items() for entries in flows.posted.values()):
        add(posted, target, amount)
    return parts, taken, posted


def _of_way(flows: Flows, way: int) -> tuple[dict[tuple[str, str], Entries], Entries]:
    """Flows of journals of one direction by step and set of books, and what eliminations made of them."""
    eliminated: Entries = dict(flows.posted.get(way, {}))
    for (_, _, target), amount in flows.taken.get(way, {}).items():
        add(eliminated, target, -amount)
    return {("books", name): of for (name, one), of in flows.books.items() if one == way}, eliminated


def _flow_amounts(
    group: Consolidation,
    columns: tuple[str, ...],
    by_way: Mapping[int, Mapping[str, Entries]],
    parts_of_lines: Sequence[LinePart],
) -> Amounts:
    """By account, and behind them by line part what journals of its direction moved on its accounts."""
    matrices = {way: _matrix(group, columns, of) for way, of in by_way.items()}
    whole: NDArray[Any] = np.sum([matrix.astype(object) for matrix in matrices.values()], axis=0)
    count = len(group.books.accounts.codes)
    places, numbers, rows = [np.arange(count)], [np.full(count, WHOLE)], []
    for number, part in enumerate(parts_of_lines):
        if part.way in matrices:
            taken = matrices[part.way][part.accounts].astype(object)
            whole[part.accounts] -= taken
            rows.append(taken)
            places.append(part.accounts)
            numbers.append(np.full(len(part.accounts), number))
    window = exact(np.concatenate([whole[:count], *rows, whole[count:]]))
    return Amounts(
        window,
        window,
        group.books.accounts.strays,
        np.concatenate(places),
        window != 0,
        np.concatenate(numbers) if parts_of_lines else None,
        deciding=-1,
    )


def _of_cash(columns: tuple[str, ...], plan: ColumnPlan, gained: Mapping[str, int]) -> NDArray[Any]:
    """What cash gained by column, raw as its line is, eliminations and the group last."""
    raw = np.zeros(len(columns) + 2, dtype=object)
    for company, amount in gained.items():
        column = plan.of.get(company, company)
        if column in columns:
            raw[columns.index(column)] -= amount
        raw[-1] -= amount
    return exact(raw)


def _add_balances(group: Consolidation, into: Entries, entries: Entries, sign: int) -> None:
    is_result = group.books.accounts.is_result
    for target, amount in entries.items():
        if not is_result(target):
            add(into, target, sign * amount)


def _columns(plan: ColumnPlan, position: Position, amounts: Mapping[str, Entries]) -> tuple[str, ...]:
    """Those of companies that are in or have amounts, then what corrects them where there is any."""
    present = {plan.of.get(name, name) for name in position.columns}
    own = [name for name in plan.order if name in present or amounts.get(name)]
    return (*own, *(name for name in (ADJUSTING, OWNERSHIP) if any(amounts.get(name, {}).values())))


def _by_column(
    steps: Mapping[tuple[str, str], Entries], eliminated: Entries, plan: ColumnPlan
) -> dict[str, Entries]:
    columns: dict[str, Entries] = {ELIMINATIONS: eliminated}
    for (step, name), entries in steps.items():
        column = columns.setdefault(plan.column(step, name), {})
        if column:
            for target, amount in entries.items():
                add(column, target, amount)
        else:
            column.update(entries)
    return columns


def _amounts(
    group: Consolidation,
    columns: tuple[str, ...],
    window: Mapping[str, Entries],
    total: Mapping[str, Entries],
) -> Amounts:
    one = _matrix(group, columns, window)
    other = one if window is total else _matrix(group, columns, total)
    touched: NDArray[np.bool_] = np.not_equal(one, 0)
    touched[:, -1] = touched[:, :-1].any(axis=1)
    return Amounts(one, other, group.books.accounts.strays, None, touched, deciding=-1)


def _matrix(group: Consolidation, columns: tuple[str, ...], by_column: Mapping[str, Entries]) -> NDArray[Any]:
    """Targets by columns, eliminations and the group last; 64 bits where every sum is sure to fit."""
    shown = [by_column.get(name, {}) for name in (*columns, ELIMINATIONS)]
    targets = np.fromiter(chain.from_iterable(shown), dtype=np.int64)
    amounts = _fitting(chain.from_iterable(entries.values() for entries in shown))
    values = np.zeros((group.books.accounts.size, len(columns) + 2), dtype=amounts.dtype)
    values[targets, np.repeat(np.arange(len(shown)), [len(entries) for entries in shown])] = amounts
    values[:, -1] = values[:, :-1].sum(axis=1)
    return values


def _fitting(amounts: Iterable[int]) -> NDArray[Any]:
    """64-bit integers where every sum of them, twice over, is sure to fit; else integers without a bound."""
    whole = list(amounts)
    try:
        fitting = np.fromiter(whole, dtype=np.int64, count=len(whole))
    except OverflowError:
        return np.array(whole, dtype=object)
    safe = 2 * float(np.abs(fitting.astype(np.float64)).sum()) < SAFE_SUM
    return fitting if safe else np.array(whole, dtype=object)


def trial_balance(group: Consolidation, start: int, end: int) -> list[TrialRow]:
    """After all steps, each company's net movement of an account on its side; accounts without one of the
    group in a last row."""
    first, last = group.periods.first_from(start), group.periods.last_to(end)
    before = _after_eliminations(group.opening(first))
    now = _after_eliminations(group.position(last))
    opening, debit, credit = (np.zeros(group.books.accounts.size, dtype=object) for _ in range(3))
    touched = np.zeros(group.books.accounts.size, dtype=bool)
    for name in {*before, *now}:
        old, new = before.get(name, {}), now.get(name, {})
        for target in {*old, *new}:
            moved = new.get(target, 0) - old.get(target, 0)
            opening[target] += old.get(target, 0)
            debit[target] += max(moved, 0)
            credit[target] += max(-moved, 0)
            touched[target] = True
    return _trial_rows(group, touched, opening, debit, credit)


def _after_eliminations(position: Position) -> dict[Any, Entries]:
    """What stands in each company's column when what was taken is gone; differences rule by rule. An account
    that was touched stays, at zero."""
    columns: dict[Any, Entries] = {}
    for name, entries in position.columns.items():
        columns[name] = dict(entries)
    for (name, _, target), amount in position.outcome.taken.items():
        column = columns.setdefault(name, {})
        column[target] = column.get(target, 0) - amount
    for n, (target, amount) in enumerate(position.outcome.posted):
        columns.setdefault(n, {})[target] = columns.get(n, {}).get(target, 0) + amount
    return columns


def _trial_rows(
    group: Consolidation,
    touched: NDArray[np.bool_],
    opening: NDArray[Any],
    debit: NDArray[Any],
    credit: NDArray[Any],
) -> list[TrialRow]:
    """All columns are by target."""
    accounts = group_list(group.state, group.group.group) or list_index(group.state, "")
    count = len(group.books.accounts.codes)
    rows = []
    for i in np.flatnonzero(touched[:count]).tolist():
        code = group.books.accounts.codes[i]
        amounts = int(opening[i]), int(debit[i]), int(credit[i])
        rows.append(TrialRow(code, accounts.codes[code].name, *amounts))
    if touched[count:].any():
        behind = int(opening[count:].sum()), int(debit[count:].sum()), int(credit[count:].sum())
        rows.append(TrialRow("unplaced", "", *behind))
    return rows


def steps_of(position: Position) -> list[tuple[str, str, int, int]]:
    """(step, company, target, amount) of a position in the order in which it is told; eliminations last,
    without a company."""
    rows = [
        (step, name, target, amount)
        for (step, name), entries in position.steps.items()
        for target, amount in entries.items()
    ]
    rows += [("elimination", "", target, amount) for target, amount in position.eliminated.items()]
    return [row for row in rows if row[3]]
