"""One line of a group's statement by two of three: accounts, columns of companies and steps, periods."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from core.analysis.axes import CrossedAmounts
from core.faults import WrongCall
from core.statements.amounts import Amounts
from core.statements.figures import Figures
from core.statements.plans import WITH_FIGURES, Plan, line_title

Axis = Literal["accounts", "columns", "periods"]
AXES: tuple[Axis, ...] = ("accounts", "columns", "periods")


class PeriodFigures(NamedTuple):
    """A statement of the group over one stretch; the last of its columns is the group."""

    title: str
    plan: Plan
    figures: Figures
    amounts: Amounts
    columns: Sequence[str]


class LineCell(NamedTuple):
    """What an account brings to a line in one column and period; raw, the group's minor units."""

    account: str
    column: str
    period: str
    amount: int


def line_cells(of: PeriodFigures, line: str) -> list[LineCell]:
    """Everything that a line sums, eliminations among it. Raises WrongCall for a line that these amounts
    don't come to."""
    at = of.plan.index[line]
    title, end = line_title(of.plan.lines[at].row), of.plan.end_of(at)
    if of.plan.lines[at].row.kind not in WITH_FIGURES:
        raise WrongCall(f"{title} is no sum of amounts: choose another line.")
    rows = [
        (of.plan.accounts.posting[place], of.amounts.window[row])
        for place, row in of.plan.rows_between(of.amounts, at, end)
    ]
    if any(one.is_result for one in of.plan.lines[at:end]):
        rows += _results(of)
    sums = [sum(int(amounts[i]) for _, amounts in rows) for i in range(len(of.columns))]
    if sums != list(of.figures.lines[at].raw):
        raise WrongCall(f"{title} isn't summed from accounts alone: choose another line.")
    return [
        LineCell(account, column, of.title, amount)
        for account, amounts in rows
        for i, column in enumerate(of.columns[:-1])
        if (amount := int(amounts[i]))
    ]


def _results(of: PeriodFigures) -> list[tuple[str, NDArray[Any]]]:
    """What stands on revenue and expense accounts at the end, which a line of the result holds."""
    places = of.amounts.rows(len(of.plan.line_of)).tolist()
    count = len(of.plan.line_of)
    return [
        (of.plan.accounts.posting[place], of.amounts.cumulative[row])
        for row, place in enumerate(places)
        if place < count and of.plan.into_result[place]
    ]


def crossed_cells(
    cells: Sequence[LineCell], down: Axis, across: Axis, order: Mapping[Axis, Sequence[str]], *, stands: bool
) -> CrossedAmounts:
    """Cells added up by two axes. `order` of columns and periods; accounts in code order. `stands`: each
    period holds what stands at its end, so periods don't add up."""
    orders = {**order, "accounts": sorted({cell.account for cell in cells})}
    keys = []
    for axis in (down, across):
        there = {_key(cell, axis) for cell in cells}
        keys.append([key for key in orders[axis] if key in there])
    places = [{key: i for i, key in enumerate(own)} for own in keys]
    amounts = np.zeros((len(keys[0]), len(keys[1])), dtype=object)
    touched = np.zeros(amounts.shape, dtype=bool)
    for cell in cells:
        at = places[0][_key(cell, down)], places[1][_key(cell, across)]
        amounts[at] += cell.amount
        touched[at] = True
    runs = [stands and axis == "periods" for axis in (down, across)]
    return CrossedAmounts(tuple(keys[0]), tuple(keys[1]), amounts, touched, *runs)


def _key(cell: LineCell, axis: Axis) -> str:
    return {"accounts": cell.account, "columns": cell.column, "periods": cell.period}[axis]
