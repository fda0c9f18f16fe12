"""What a company's statements and classes show before a move to another chart, and out of what is carried
over: figure beside figure."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import NamedTuple

import numpy as np

from core.analysis.amount_rows import AmountRows
from core.analysis.column_sums import measure_of, one_column
from core.analysis.stretches import Stretch
from core.books.journals import BookedLine
from core.chart_moves.carrying import StandingAmount
from core.chart_moves.strings import MovedString
from core.codes.lists import list_index
from core.definitions.kinds import CLASSES
from core.definitions.state import State
from core.definitions.tables import Arrangement, Company, Statement
from core.money import digits_of
from core.statements.figures import Figures, compute
from core.statements.plans import Plan, natural_list, plan
from core.structures.charts import chart_index

ALL_TIME = Stretch(0, 0, "", "")


class LineAgreement(NamedTuple):
    """A line's figure before and after, as it is shown, minor units; None: an empty one."""

    label: str
    depth: int
    was: int | None
    now: int | None


class StatementAgreement(NamedTuple):
    """A statement before and after; `unplaced` is what stands on none of its lines, raw."""

    statement: str
    name: str
    lines: tuple[LineAgreement, ...]
    unplaced: int

    @property
    def differing(self) -> tuple[LineAgreement, ...]:
        return tuple(line for line in self.lines if line.was != line.now)


class ClassAgreement(NamedTuple):
    """What the accounts of a class come to in the chart before and in the new one, raw minor units; `moved`:
    accounts of another class there, with their targets, told of both classes."""

    account_class: str
    was: int
    now: int
    moved: tuple[tuple[str, str], ...]


class AmountsBeside(NamedTuple):
    """A company's amounts on accounts of the new chart: as they are seen in it before the move (`before`), as
    its books would be read after it (`after`), and as they are carried over. `stretch`: the year so far, to
    the day before the move."""

    before: AmountRows
    after: AmountRows
    carried: AmountRows
    stretch: Stretch


def booked(lines: Sequence[BookedLine]) -> AmountRows:
    """Lines of a journal as amounts."""
    naturals = tuple(sorted({line.natural for line in lines}))
    place = {natural: i for i, natural in enumerate(naturals)}
    amount = np.array([line.amount for line in lines], dtype=np.int64)
    numbers = np.arange(len(lines), dtype=np.int64)
    return AmountRows(
        naturals,
        np.array([place[line.natural] for line in lines], dtype=np.int64),
        numbers,
        numbers,
        np.zeros(len(lines), dtype=np.int64),
        np.zeros(len(lines), dtype=bool),
        np.maximum(amount, 0),
        np.maximum(-amount, 0),
        {i: line.account for i, line in enumerate(lines)},
        {i: line.dimensions for i, line in enumerate(lines)},
    )


def statements_agree(state: State, company: str, amounts: AmountsBeside) -> list[StatementAgreement]:
    """Every statement of the company's chart in `state` that sums balances: balance sheets against what is
    carried over, all others over the year so far against the books as they would be read."""
    row = state.require(Company, company)
    agreements = []
    for statement in sorted(state.rows(Statement), key=lambda one: one.name):
        planned = plan(state, statement.statement)
        own = state.get(Arrangement, statement.statement)
        if planned is None or statement.chart != row.chart or planned.is_direct:
            continue
        if own is not None and own.member != company:
            continue
        stands = statement.kind == "balance_sheet"
        now = (amounts.carried, ALL_TIME) if stands else (amounts.after, amounts.stretch)
        sides = [
            _figures(state, row, planned, rows, stretch)
            for rows, stretch in ((amounts.before, amounts.stretch), now)
        ]
        agreements.append(_agreement(statement, *sides))
    return agreements


def _agreement(statement: Statement, was: Figures, now: Figures) -> StatementAgreement:
    lines = tuple(
        LineAgreement(one.line.row.label, one.line.depth, one.shown[0], other.shown[0])
        for one, other in zip(was.lines, now.lines, strict=True)
        if one.line.row.kind not in ("text", "gap")
    )
    unplaced = sum(one.raw[0] for one in now.unplaced)
    return StatementAgreement(statement.statement, statement.name, lines, unplaced)


def _figures(state: State, company: Company, planned: Plan, rows: AmountRows, stretch: Stretch) -> Figures:
    chart = chart_index(state, company.chart)
    assert chart is not None  # the plan is of a statement of this chart
    columns = one_column(rows.divided(chart, planned), planned, stretch, measure_of(planned))
    return compute(planned, columns.amounts, digits_of(company.currency))


def classes_agree(
    before: State,
    after: State,
    company: str,
    standing: Iterable[StandingAmount],
    strings: Mapping[str, MovedString],
) -> list[ClassAgreement]:
    """By class what stands in the chart before and in the new one."""
    codes = [
        list_index(state, natural_list(state, state.require(Company, company).chart)).codes
        for state in (before, after)
    ]
    sums = {name: [0, 0] for name in CLASSES}
    moved: dict[str, set[tuple[str, str]]] = {name: set() for name in CLASSES}
    for one in standing:
        read = strings[one.account]
        was, now = codes[0][read.natural].account_class, codes[1][read.target_natural].account_class
        sums[was][0] += one.amount
        sums[now][1] += one.amount
        if was != now:
            moved[was].add((read.natural, read.target_natural))
            moved[now].add((read.natural, read.target_natural))
    return [ClassAgreement(name, was, now, tuple(sorted(moved[name]))) for name, (was, now) in sums.items()]
