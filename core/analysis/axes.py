"""What stands across figures or down a matrix: codes of fields, those without one last; accounts; periods."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from core.analysis.amount_rows import AmountRows
from core.analysis.filters import NONE, chart_field, level_of
from core.analysis.period_columns import PeriodColumn, movement_places, standing_places
from core.analysis.stretches import Stretch
from core.books.balances import added_up
from core.codes.hierarchies import main_tree
from core.definitions.state import State
from core.faults import WrongCall
from core.statements.plans import WITH_FIGURES, Plan, line_title
from core.structures.charts import ChartIndex, Field


class ColumnsByCode(NamedTuple):
    """`keys` are the codes of each column (empty: none), `places` each row's column, -1 where it has none."""

    keys: tuple[tuple[str, ...], ...]
    places: NDArray[np.int64]

    @property
    def titles(self) -> tuple[str, ...]:
        return tuple("/".join(code or NONE for code in key) for key in self.keys)


def fields_asked(chart: ChartIndex, text: str) -> tuple[str, ...]:
    """One field, or two different ones parted by a comma. Raises WrongCall for anything else."""
    names = tuple(name.strip() for name in text.split(","))
    if len(names) > 2:
        raise WrongCall("Columns are by one field or by two.")
    for name in names:
        chart_field(chart, name)
    if len(set(names)) < len(names):
        raise WrongCall(f"Columns by {names[0]} and {names[1]} say the same twice.")
    return names


def levels_of(state: State, chart: ChartIndex, names: Iterable[str]) -> dict[str, dict[str, str]]:
    """Of fields with a level what each code of their main hierarchy stands for: its code above on that level,
    or itself where it stands higher. Raises WrongCall where there is no main hierarchy."""
    above: dict[str, dict[str, str]] = {}
    for name in names:
        field = chart.field(name)
        if field is None or not (level := level_of(name)):
            continue
        shape = main_tree(state, field.code_list)
        if shape is None:
            raise WrongCall(f"{field.title} has no main hierarchy, and so no levels.")
        top, codes = "", above.setdefault(name, {})
        for code, depth in shape.order:
            top = code if depth < level else top
            codes[code] = top
    return above


def levels_offered(state: State, field: Field) -> range:
    """The levels of a field's main hierarchy that have rollup codes, from the top."""
    shape = main_tree(state, field.code_list)
    depths = (
        [int(shape.depths[shape.place[code]]) for code in shape.children if code in shape.place]
        if shape
        else []
    )
    return range(1, 2 + max(depths, default=-1))


def code_columns(
    chart: ChartIndex, fields: tuple[str, ...], rows: AmountRows, counted: NDArray[np.bool_] | None = None
) -> ColumnsByCode:
    """Of all rows, or of those that are counted: the others have no column (-1)."""
    codes: list[list[str]] = []
    combined: NDArray[np.int64] | None = None
    for field in fields:
        known, place = rows.codes_in(chart, field)
        codes.append(known)
        combined = place if combined is None else combined * len(known) + place if known else combined
    if combined is None:
        combined = np.zeros(len(rows), dtype=np.int64)
    there = np.zeros(int(combined.max(initial=0)) + 1, dtype=bool)
    there[combined if counted is None else combined[counted]] = True
    present = np.flatnonzero(there)
    keys = []
    for number in present.tolist():
        key: list[str] = []
        for known in reversed(codes):
            number, at = divmod(number, len(known))
            key.insert(0, known[at])
        keys.append(tuple(key))
    order = sorted(range(len(keys)), key=lambda i: [(not code, code) for code in keys[i]])
    rank = np.full(len(there), -1, dtype=np.int64)
    rank[present[order]] = np.arange(len(keys))
    places = rank[combined]
    if counted is not None:
        places[~counted] = -1
    return ColumnsByCode(tuple(keys[i] for i in order), places)


ACCOUNTS, COMPANIES = "accounts", "companies"


class Axis(NamedTuple):
    """What stands down or across. `keys` in order (a code, empty for none; a period; a company); `places`
    each row's key, -1 where it has none. `running`: what stands at one stands at all after it, so they don't
    add up."""

    keys: tuple[str, ...]
    places: NDArray[np.int64]
    running: bool = False


def field_axis(rows: AmountRows, chart: ChartIndex, field: str) -> Axis:
    """The codes of a segment or dimension that rows bear, those without one last. Raises WrongCall."""
    chart_field(chart, field)
    return _axis(*rows.codes_in(chart, field))


def account_axis(rows: AmountRows) -> Axis:
    return _axis(list(rows.naturals), rows.natural.astype(np.int64))


def _axis(codes: list[str], place: NDArray[np.int64]) -> Axis:
    order = sorted(range(len(codes)), key=lambda i: (not codes[i], codes[i]))
    rank = np.zeros(max(len(codes), 1), dtype=np.int64)
    rank[order] = np.arange(len(codes))
    return Axis(tuple(codes[i] for i in order), rank[place])


def period_axis(
    rows: AmountRows, columns: Sequence[PeriodColumn], closing: frozenset[int], *, stands: bool
) -> Axis:
    """Periods in order, of rows timed by ordinals: what moved in each, or what stands at each end. `closing`
    are the ordinals of closing periods."""
    titles = tuple(column.title for column in columns)
    if not stands:
        return Axis(titles, movement_places(list(columns), rows.time))
    places = standing_places(list(columns), rows.time, np.isin(rows.time, list(closing)))
    return Axis(titles, np.where(places < len(columns), places, -1), running=True)


@dataclass(frozen=True)
class CrossedAmounts:
    """Amounts by two axes, raw; what was never touched is left out of both. `down` and `across` are the keys
    that are left."""

    down: tuple[str, ...]
    across: tuple[str, ...]
    amounts: NDArray[Any]
    touched: NDArray[np.bool_]
    down_runs: bool
    across_runs: bool

    @property
    def row_totals(self) -> list[int]:
        return _totals(self.amounts, 1, runs=self.across_runs)

    @property
    def column_totals(self) -> list[int]:
        return _totals(self.amounts, 0, runs=self.down_runs)

    def come_to(self, figure: int) -> bool:
        """Whether rows and columns both come to a figure; what runs counts at its last."""
        rows = self.row_totals[-1:] if self.down_runs else self.row_totals
        columns = self.column_totals[-1:] if self.across_runs else self.column_totals
        return sum(rows) == sum(columns) == figure

    @property
    def total(self) -> int:
        """The rows' totals come to it, and so do the columns'."""
        totals = self.row_totals
        return (totals[-1] if totals else 0) if self.down_runs else sum(totals)


def _totals(amounts: NDArray[Any], along: int, *, runs: bool) -> list[int]:
    if not amounts.size:
        return [0] * amounts.shape[1 - along]
    sums = amounts.take(-1, axis=along) if runs else amounts.sum(axis=along)
    return [int(value) for value in sums]


def rows_of_line(
    rows: AmountRows, plan: Plan, line: str, stretch: Stretch, *, by_periods: bool, stands: bool
) -> AmountRows:
    """Of rows that were put to the plan's lines those that a line sums over a stretch; where periods stand on
    an axis, of all of them. `stands`: it shows what stands at the end. Raises WrongCall for a line that isn't
    summed from amounts."""
    at = plan.index[line]
    end, entry = plan.end_of(at), plan.lines[at]
    title = line_title(entry.row)
    if entry.row.kind not in WITH_FIGURES:
        raise WrongCall(f"{title} is no sum of amounts: choose another line.")
    if any(part.side for part in plan.parts if at <= part.line < end):
        raise WrongCall(f"{title} takes balances of one side, which a matrix can't tell.")
    there = rows.standing_on(plan, at, end)
    position = plan.accounts.position
    place = np.array([position.get(name, -1) for name in rows.naturals] or [-1])[rows.natural]
    known = place >= 0
    if any(one.is_result for one in plan.lines[at:end]):
        if not stands:
            raise WrongCall(f"{title} holds the result as it stands: choose another line.")
        there |= known & plan.into_result[place]
    if entry.quantity is None and len(plan.statistics):
        there &= ~(known & plan.statistics[place])
    if stands:
        there &= rows.time <= stretch.end
    elif by_periods:
        there &= ~rows.closing
    else:
        there &= (rows.time >= stretch.start) & (rows.time <= stretch.end) & ~rows.closing
    return rows.where(there)


def crossed(down: Axis, across: Axis, net: NDArray[Any]) -> CrossedAmounts:
    """`net` by row, debit plus; a row without a place on either axis isn't counted."""
    height, width = len(down.keys), len(across.keys)
    there = (down.places >= 0) & (across.places >= 0)
    keys = down.places[there] * width + across.places[there]
    amounts = added_up(keys, net[there], height * width).reshape(height, width)
    touched = added_up(keys, np.ones(len(keys), dtype=bool), height * width).reshape(height, width)
    for along, runs in ((0, down.running), (1, across.running)):
        if runs:
            amounts = np.cumsum(amounts, axis=along)
            touched = np.logical_or.accumulate(touched, axis=along)
    rows, columns = np.flatnonzero(touched.any(axis=1)), np.flatnonzero(touched.any(axis=0))
    return CrossedAmounts(
        tuple(down.keys[i] for i in rows),
        tuple(across.keys[i] for i in columns),
        amounts[np.ix_(rows, columns)],
        touched[np.ix_(rows, columns)],
        down.running,
        across.running,
    )
