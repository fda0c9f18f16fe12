"""The figures of a statement, rolled up in arrays; a heading always totals what is under it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from fractions import Fraction
from types import MappingProxyType
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from core.books.balances import grouped
from core.money import round_half_up
from core.statements import formulas
from core.statements.amounts import WHOLE, Amounts
from core.statements.line_parts import DEBIT, by_side
from core.statements.plans import RESULT_CLASSES, WITH_FIGURES, Plan, PlanLine


class Figure(NamedTuple):
    """A line with its raw amounts and its shown amounts by column; None is an empty amount.

    `bare` are columns in which nothing was ever posted under it: there its zero is nothing, for the eye.
    """

    line: PlanLine
    raw: tuple[int, ...]
    shown: tuple[int | None, ...]
    bare: tuple[bool, ...] = ()

    @property
    def is_ratio(self) -> bool:
        """Whether it is no amount of money, and says nothing in whole units."""
        row = self.line.row
        return self.line.quantity is not None or (
            row.kind == "formula" and formulas.parse(row.formula).is_ratio
        )

    def seen(self, column: int = 0) -> int | None:
        """What the eye is shown: nothing where nothing was posted."""
        value = self.shown[column]
        return None if value == 0 and self.bare and self.bare[column] else value


class UnplacedAccount(NamedTuple):
    """An account with an amount that stands on no line; raw amounts by column."""

    company: str
    account: str
    name: str
    account_class: str
    raw: tuple[int, ...]


@dataclass(frozen=True, slots=True)
class Figures:
    """The lines of a statement with their figures, and accounts with an amount that stand on none."""

    lines: tuple[Figure, ...]
    unplaced: tuple[UnplacedAccount, ...]
    amounts: Amounts = field(compare=False)
    """what they were made from, each balance put to the line of its side"""

    def unplaced_total(self) -> tuple[int, ...]:
        return tuple(sum(column) for column in zip(*(u.raw for u in self.unplaced), strict=True))


Earlier = Mapping[str, Sequence[Sequence[int | None]]]
"""By earlier stretch and line what each column showed then; what isn't there is empty."""


def compute(made: Plan, amounts: Amounts, digits: int, earlier: Earlier = MappingProxyType({})) -> Figures:
    """Every line's figures. `digits` are the currency's minor digits, for formulas that hold plain
    numbers."""
    if made.has_conditions and amounts.parts is None:
        name = made.statement.statement
        raise ValueError(f"Lines of {name} ask for codes: amounts by account don't say where they go.")
    amounts = by_side(made.parts, len(made.accounts.posting), amounts)
    rows = amounts.rows(len(made.accounts.posting))
    lines_of = amounts.lines(made.line_of, made.part_lines)
    if made.has_statistics:
        amounts = _as_they_stand(made, amounts, rows)
    raw = grouped(lines_of % (len(made.lines) + 1), amounts.window[: len(rows)], len(made.lines) + 1)
    raw[-1] = 0  # accounts on no line
    if made.has_result:
        into = np.array([account.account_class in RESULT_CLASSES for account in amounts.unmapped], dtype=bool)
        total = amounts.cumulative[np.concatenate([made.into_result[rows], into])].sum(axis=0)
        for i, line in enumerate(made.lines):
            if line.is_result:
                raw[i] = total
    for i, line in enumerate(made.lines):
        if line.row.kind in amounts.of_cash:
            raw[i] = amounts.of_cash[line.row.kind]
    for i in range(len(made.lines) - 1, -1, -1):
        if made.adds(i):
            raw[made.lines[i].parent] += raw[i]
    values = raw.tolist()
    known = amounts.has_statistics
    shown = shown_columns(made, values[: len(made.lines)], digits, earlier, has_statistics=known)
    bare = _bare(made, amounts, rows, lines_of)
    lines = tuple(
        Figure(line, tuple(row), tuple(seen), nothing)
        for line, row, seen, nothing in zip(made.lines, values, shown, bare, strict=False)
    )
    return Figures(lines, tuple(_unplaced(made, amounts, lines_of)), amounts)


def _as_they_stand(made: Plan, amounts: Amounts, rows: NDArray[np.int64]) -> Amounts:
    """With what stands at the end in place of what moved, for statistics that are never added up."""
    stands = np.zeros(len(amounts.window), dtype=bool)
    stands[: len(rows)] = made.standing[rows]
    return replace(amounts, window=np.where(stands[:, None], amounts.cumulative, amounts.window))


def _bare(
    made: Plan, amounts: Amounts, rows: NDArray[np.int64], lines_of: NDArray[np.int64]
) -> list[tuple[bool, ...]]:
    """By line and column: whether nothing was posted under it."""
    if amounts.touched is None:
        return [()] * len(made.lines)
    size = len(made.lines) + 1
    there = grouped(lines_of % size, amounts.touched[: len(rows)], size)
    for i in range(len(made.lines) - 1, -1, -1):
        if made.lines[i].row.kind in amounts.of_cash:
            there[i] = amounts.of_cash[made.lines[i].row.kind] != 0
        if made.lines[i].is_result:
            there[i] = amounts.touched[: len(rows)][made.into_result[rows]].any(axis=0)
        if (parent := made.lines[i].parent) >= 0:
            there[parent] |= there[i]
    return [tuple(row) for row in (~there[:-1]).tolist()]


def without_amounts(made: Plan) -> Figures:
    """The figures of nothing, in one column."""
    size = len(made.accounts.posting)
    nothing, parts = np.zeros((size, 1), dtype=np.int64), np.full(size, WHOLE, dtype=np.int64)
    return compute(made, Amounts(nothing, nothing, parts=parts), 0)


def shown_columns(
    made: Plan,
    raw: list[list[int]],
    digits: int,
    earlier: Earlier = MappingProxyType({}),
    *,
    has_statistics: bool = False,
) -> list[list[int | None]]:
    """By line what is shown of its raw amounts; formulas worked out. Lines of statistics are empty where
    these aren't among the amounts."""
    shown: list[list[int | None]] = []
    for line, row in zip(made.lines, raw, strict=True):
        figured = line.row.kind in WITH_FIGURES
        figured &= has_statistics or not line.quantity
        shown.append([v if line.direction == DEBIT else -v for v in row] if figured else [None] * len(row))
    _work_out(made, shown, digits, earlier)
    return shown


def _work_out(made: Plan, shown: list[list[int | None]], digits: int, earlier: Earlier) -> None:
    unit = 10**digits
    for i in made.formulas:
        formula = formulas.parse(made.lines[i].row.formula)
        for column in range(len(shown[i])):

            def operand(text: str, column: int = column) -> Fraction | None:
                name, stretch = formulas.operand(text)
                at, columns = made.index.get(name), earlier.get(stretch) if stretch else shown
                value = columns[at][column] if at is not None and columns else None
                return None if value is None else Fraction(value, unit)

            worked_out = formulas.evaluate(formula, operand)
            shown[i][column] = None if worked_out is None else round_half_up(worked_out * unit)


def _unplaced(made: Plan, amounts: Amounts, lines_of: NDArray[np.int64]) -> list[UnplacedAccount]:
    """Accounts with an amount on no line, in code order; amounts without a group account by their own
    class."""
    unplaced_accounts = []
    rows = amounts.rows(len(made.line_of))
    wanted = np.zeros(len(made.line_of), dtype=bool)
    wanted[made.missed()] = True
    loose = wanted[rows] & (lines_of < 0) & amounts.window[: len(rows)].any(axis=1)
    for i in sorted(np.flatnonzero(loose).tolist(), key=lambda row: int(rows[row])):
        code = made.accounts.codes[made.accounts.posting[rows[i]]]
        unplaced_accounts.append(
            UnplacedAccount("", code.code, code.name, code.account_class, tuple(amounts.window[i].tolist()))
        )
    for at, account in enumerate(amounts.unmapped):
        row = amounts.window[len(rows) + at]
        if row.any() and made.belongs(account.account_class):
            unplaced_accounts.append(UnplacedAccount(*account, tuple(row.tolist())))
    return unplaced_accounts
