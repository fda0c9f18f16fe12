"""From amounts to the columns that a statement or a trial balance is made from."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from core.analysis.amount_rows import AmountRows
from core.analysis.axes import code_columns
from core.analysis.period_columns import PeriodColumn, movement_places, standing_places
from core.analysis.stretches import Stretch
from core.books.balances import TrialRow, added_up
from core.codes.lists import ListIndex
from core.statements.amounts import WHOLE, Amounts, StrayAccount
from core.statements.plans import RESULT_CLASSES, Plan
from core.structures.charts import ChartIndex

Measure = Literal["standing", "movement", "movement_with_closing"]
TOTAL, AMOUNT = "total", "amount"


def measure_of(plan: Plan) -> Measure:
    """What the lines of a statement sum, by its kind."""
    return "standing" if plan.statement.kind == "balance_sheet" else "movement"


class Columns(NamedTuple):
    """Amounts by account and column, with what each column is called. `keys` are the codes of a column by
    codes, empty for any other."""

    titles: tuple[str, ...]
    amounts: Amounts
    keys: tuple[tuple[str, ...], ...] = ()


class _Cells(NamedTuple):
    """For each row the number of its cell of accounts by columns. Rows without a column share one that stands
    before the others and is left out: cheaper than taking them out of every array."""

    keys: NDArray[np.int64]
    accounts: int
    columns: int

    def sums(self, values: NDArray[Any], floats: NDArray[np.float64] | None = None) -> NDArray[Any]:
        """`floats`: the same values where they add up exactly so."""
        return self._without_first(added_up(self.keys, values, self.accounts * (self.columns + 1), floats))

    def touched(self) -> NDArray[np.bool_]:
        """Cells that any row goes to."""
        touched = np.zeros(self.accounts * (self.columns + 1), dtype=bool)
        touched[self.keys] = True
        return self._without_first(touched)

    def _without_first(self, cells: NDArray[Any]) -> NDArray[Any]:
        return np.ascontiguousarray(cells.reshape(self.accounts, self.columns + 1)[:, 1:])


@dataclass(frozen=True)
class _Placed:
    """Rows with their place among the accounts of a list, those that aren't of it behind."""

    rows: AmountRows
    place: NDArray[np.int64]
    size: int
    strays: tuple[StrayAccount, ...]
    unmapped: frozenset[int]
    """places of own accounts that have none in the second chart"""
    accounts: NDArray[np.int64]
    parts: NDArray[np.int64]
    """by place before the strays its account, and the line part it was put to"""

    def is_unmapped(self, place: int) -> bool:
        return place in self.unmapped

    def cells(self, column: NDArray[np.int64], columns: int) -> _Cells:
        """Where rows go that have a column (not -1)."""
        if int(column.max(initial=-1)) >= columns:
            column = np.where(column < columns, column, -1)
        keys = self.place * (columns + 1)
        keys += column
        keys += 1
        return _Cells(keys, self.size, columns)

    def matrix(self, values: NDArray[Any], column: NDArray[np.int64], columns: int) -> NDArray[Any]:
        """Sums by account and column of rows that have a column (not -1)."""
        return self.cells(column, columns).sums(values)


def _placed(rows: AmountRows, accounts: ListIndex) -> _Placed:
    count = len(accounts.posting)
    strays = tuple(name for name in rows.naturals if name not in accounts.position)
    behind = {name: count + i for i, name in enumerate(strays)}
    places = [accounts.position.get(name, behind.get(name, 0)) for name in rows.naturals]
    place = np.array(places or [0], dtype=np.int64)[rows.natural]
    of_account, parts = np.arange(count), np.full(count, WHOLE)
    if rows.part is not None and (rows.part >= 0).any():
        taken = rows.part >= 0
        keys, inverse = np.unique(rows.part[taken] * count + place[taken], return_inverse=True)
        place = np.where(place >= count, place + len(keys), place)
        place[taken] = count + inverse
        behind = {name: at + len(keys) for name, at in behind.items()}
        of_account = np.concatenate([of_account, keys % count])
        parts = np.concatenate([parts, keys // count])
    return _Placed(
        rows,
        place,
        len(of_account) + len(strays),
        tuple(rows.unmapped.get(name) or StrayAccount("", name, "", "") for name in strays),
        frozenset(behind[name] for name in strays if name in rows.unmapped),
        of_account,
        parts,
    )


def moves(rows: AmountRows, stretch: Stretch, measure: Measure) -> NDArray[np.bool_]:
    """Which rows the lines sum."""
    upto = rows.time <= stretch.end
    if measure == "standing":
        return upto
    within = upto & (rows.time >= stretch.start)
    return within if measure == "movement_with_closing" else within & ~rows.closing


def _amounts(
    placed: _Placed,
    window: NDArray[np.int64],
    standing: NDArray[np.int64],
    columns: int,
    *,
    running: bool = False,
    with_result: bool = True,
) -> Amounts:
    """`window` and `standing` say each row's column (-1: none); `running`: what stands in a column stands in
    all after it too. Without a line of the result nobody asks what stands, and it isn't added up."""
    net, floats, known = placed.rows.net, placed.rows.net_in_floats, placed.rows.has_statistics
    moved = placed.cells(window, columns)
    stood = moved if window is standing else placed.cells(standing, columns)
    sums = moved.sums(net, floats)
    is_same = window is standing or not (with_result or running)
    stands = sums if is_same else stood.sums(net, floats)
    there = stood.touched()
    if running:
        stands, there = np.cumsum(stands, axis=1, dtype=stands.dtype), np.logical_or.accumulate(there, axis=1)
    if placed.rows.part is None:
        return Amounts(sums, stands, placed.strays, None, there, has_statistics=known)
    return Amounts(sums, stands, placed.strays, placed.accounts, there, placed.parts, has_statistics=known)


def one_column(rows: AmountRows, plan: Plan, stretch: Stretch, measure: Measure) -> Columns:
    """What the statement shows of a stretch, in a column `amount`."""
    placed = _placed(rows, plan.accounts)
    window = np.where(moves(rows, stretch, measure), 0, -1)
    standing = np.where(rows.time <= stretch.end, 0, -1)
    return Columns((AMOUNT,), _amounts(placed, window, standing, 1))


def by_codes(
    rows: AmountRows,
    plan: Plan,
    stretch: Stretch,
    measure: Measure,
    chart: ChartIndex,
    fields: tuple[str, ...],
) -> Columns:
    """A column for each code borne by an amount that the statement sums, even where they cancel; a total."""
    placed = _placed(rows, plan.accounts)
    moving, standing = moves(rows, stretch, measure), rows.time <= stretch.end
    summed = moving & _on_lines(plan, placed)[placed.place]
    if plan.asks_standing:
        summed |= standing & _in_standing(plan, placed)[placed.place]
    columns = code_columns(chart, fields, rows, summed)
    stands = moves_in = columns.places  # of those summed alone, so of those that move
    if plan.asks_standing:
        stands = np.where(standing, columns.places, -1)
        moves_in = stands if measure == "standing" else np.where(moving, columns.places, -1)
    amounts = _amounts(placed, moves_in, stands, len(columns.keys), with_result=plan.asks_standing)
    return Columns((*columns.titles, TOTAL), _with_total(amounts), (*columns.keys, ()))


def _on_lines(plan: Plan, placed: _Placed) -> NDArray[np.bool_]:
    """Accounts whose movement or balance a statement sums: on a line, or missed by it."""
    on = np.zeros(placed.size, dtype=bool)
    count = len(placed.accounts)
    there = plan.line_of >= 0
    there[plan.missed()] = True
    for part in plan.parts:
        there[part.accounts] = True
    on[:count] = there[placed.accounts]
    on[count:] = [plan.belongs(account.account_class) for account in placed.strays]
    return on


def _in_standing(plan: Plan, placed: _Placed) -> NDArray[np.bool_]:
    """Accounts of which lines show what stands at the end: of the result, of statistics."""
    inside, count = np.zeros(placed.size, dtype=bool), len(placed.accounts)
    if plan.has_statistics:
        inside[:count] |= plan.standing[placed.accounts]
    if plan.has_result:
        inside[:count] |= plan.into_result[placed.accounts]
        inside[count:] = [s.account_class in RESULT_CLASSES for s in placed.strays]
    return inside


def _with_total(amounts: Amounts) -> Amounts:
    def widened(values: NDArray[Any]) -> NDArray[Any]:
        total = values.any(axis=1) if values.dtype == np.bool_ else values.sum(axis=1)
        return np.column_stack([values, total])

    touched, window = amounts.touched, widened(amounts.window)
    is_same = amounts.cumulative is amounts.window
    return replace(
        amounts,
        window=window,
        cumulative=window if is_same else widened(amounts.cumulative),
        touched=None if touched is None else widened(touched),
        deciding=-1,
    )


def by_periods(
    rows: AmountRows,
    plan: Plan,
    stretch: Stretch,
    measure: Measure,
    columns: Sequence[PeriodColumn],
    closing: frozenset[int],
) -> Columns:
    """Each column's own movement and a total, or what stands at each column's end. `closing` are the
    ordinals of
    closing periods; a column behind the last holds what stands at the stretch's end."""
    rows = rows.where(rows.time <= stretch.end)
    placed, count = _placed(rows, plan.accounts), len(columns)
    standing = standing_places(list(columns), rows.time, np.isin(rows.time, list(closing)))
    if measure == "standing":
        amounts = _amounts(placed, standing, standing, count, running=True)
        stands = amounts.cumulative
        return Columns(
            tuple(column.title for column in columns),
            replace(amounts, window=stands, cumulative=stands),
        )
    moved = movement_places(list(columns), rows.time)
    if measure == "movement":
        moved[rows.closing] = -1
    amounts = _amounts(placed, moved, np.minimum(standing, count), count + 1, running=True)
    amounts.window[:, -1] = amounts.window[:, :-1].sum(axis=1)
    return Columns((*(column.title for column in columns), TOTAL), amounts)


def trial_rows(rows: AmountRows, accounts: ListIndex, stretch: Stretch) -> list[TrialRow]:
    """Natural accounts in code order with an amount up to the end: opening, debits and credits within, debit
    plus."""
    rows = rows.where(rows.time <= stretch.end)
    placed = _placed(rows, accounts)
    within = np.where(rows.time >= stretch.start, 0, -1)
    before = np.where(rows.time < stretch.start, 0, -1)
    opening = placed.matrix(rows.net, before, 1)[:, 0]
    debit, credit = (placed.matrix(_wide(rows, v), within, 1)[:, 0] for v in (rows.debit, rows.credit))
    names = _names(accounts, placed)
    return [
        TrialRow(*names[i], int(opening[i]), int(debit[i]), int(credit[i]), placed.is_unmapped(i))
        for i in _in_code_order(placed, names)
    ]


def _wide(rows: AmountRows, values: NDArray[Any]) -> NDArray[Any]:
    return values.astype(rows.net.dtype)


def _names(accounts: ListIndex, placed: _Placed) -> list[tuple[str, str]]:
    """(code, name) of each place; a stray one that the list knows, closed to amounts by now, by its name
    there."""
    own = [(code, accounts.codes[code].name) for code in accounts.posting]
    known = accounts.codes
    return [
        *own,
        *(
            (s.account, s.name or (known[s.account].name if s.account in known else ""))
            for s in placed.strays
        ),
    ]


def _in_code_order(placed: _Placed, names: list[tuple[str, str]]) -> list[int]:
    """The places that rows have, unmapped ones behind."""
    return sorted(np.unique(placed.place).tolist(), key=lambda i: (placed.is_unmapped(i), names[i][0]))


class ClosingRow(NamedTuple):
    """An account with its closing balance by column, debit plus. `unmapped`: an own account that has none in
    the second chart that is asked for."""

    account: str
    name: str
    amounts: tuple[int, ...]
    unmapped: bool = False


def closing_by_codes(
    rows: AmountRows, accounts: ListIndex, stretch: Stretch, chart: ChartIndex, fields: tuple[str, ...]
) -> tuple[tuple[str, ...], list[ClosingRow]]:
    """Closing balances with a column for each code of a field, and a total."""
    rows = rows.where(rows.time <= stretch.end)
    placed, columns = _placed(rows, accounts), code_columns(chart, fields, rows)
    sums = placed.matrix(rows.net, columns.places, max(1, len(columns.keys)))
    names = _names(accounts, placed)
    closing = [
        ClosingRow(*names[i], (*(int(v) for v in sums[i]), int(sums[i].sum())), placed.is_unmapped(i))
        for i in _in_code_order(placed, names)
    ]
    return (*columns.titles, TOTAL), closing
