"""A statement made ready for one version of the definitions: lines in order, which accounts stand where."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from core.cash_flow.non_cash import NonCashAccounts, non_cash_accounts
from core.codes.hierarchies import find_cycle, order_key, preorder
from core.codes.lists import ListIndex, as_most_alike, list_index, same_but_for_names
from core.codes.selectors import pick
from core.definitions.kinds import DEBIT_CLASSES
from core.definitions.state import State, derived
from core.definitions.statement_rows import FLOW_STATEMENTS, OF_CASH
from core.definitions.tables import (
    Arrangement,
    Chart,
    ChartDimension,
    Code,
    Dimension,
    Hierarchy,
    HierarchyNode,
    NonCashPair,
    Statement,
    StatementLine,
    Structure,
    StructureSegment,
)
from core.statements import formulas
from core.statements.amounts import Amounts
from core.statements.line_parts import CREDIT, DEBIT, SIDES, WAYS_SHOWN, LinePart
from core.statements.placing import Placing, field_list

WITH_FIGURES = ("heading", "accounts", "result", *OF_CASH)
"""Kinds of lines with amounts of their own."""
BALANCE_CLASSES = ("asset", "liability", "equity")
RESULT_CLASSES = ("revenue", "expense")
NEAR = 25
"""How many codes on either side are asked for the line an account most likely belongs on."""


def begins_each_year(state: State, code_list: str, codes: Iterable[str]) -> bool:
    """Whether accounts begin each fiscal year at nothing: revenue and expense do, what stands on a balance
    sheet goes on."""
    index = list_index(state, code_list)
    classes = {row.account_class for code in codes if (row := index.codes.get(code))}
    return bool(classes) and classes <= set(RESULT_CLASSES)


@derived(Chart, Structure, StructureSegment)
def natural_list(state: State, chart: str) -> str:
    """The code list that serves as natural account in a chart; empty where there is none."""
    chart_row = state.get(Chart, chart)
    rows = state.part(StructureSegment, chart_row.structure).values() if chart_row else ()
    return next((row.code_list for row in rows if row.role == "natural_account"), "")


def line_title(row: StatementLine) -> str:
    """How people know a line: by its label, or where it has none by its id."""
    return row.label or row.line


class Quantity(NamedTuple):
    """What statistics of a line are counted in, and whether they add up over time or stand at its end."""

    unit: str
    adds_up: bool


class PlanLine(NamedTuple):
    """A line in the order of the tree. `direction` is DEBIT or CREDIT (0: none of its own); `picks` sorted
    codes; `quantity` of a line of statistics (None: of money)."""

    row: StatementLine
    depth: int
    parent: int
    direction: int
    picks: tuple[str, ...]
    mixed: bool
    quantity: Quantity | None = None
    is_movement: bool = False
    """of a line of the result: that it is what the periods brought, as in a cash flow"""

    @property
    def is_result(self) -> bool:
        """Whether it shows all revenue and expense as they stand at the end."""
        return self.row.kind == "result" and not self.is_movement

    @property
    def is_of_cash(self) -> bool:
        """Whether it shows what cash gained beside what flowed."""
        return self.row.kind in OF_CASH

    @property
    def stands(self) -> bool:
        """Whether it shows quantities that stand at the end of a stretch."""
        return self.quantity is not None and not self.quantity.adds_up


def _no_accounts() -> NDArray[np.bool_]:
    return np.zeros(0, dtype=bool)


@dataclass(frozen=True, slots=True)
class Plan:
    """A statement made ready for one version of the definitions.

    `line_of[i]` is the line that takes the i-th posting account of the list whole, or what `parts` leave of
    it, or -1;
    `twice` lists accounts on two lines; `into_result` marks revenue and expense accounts, `statistics` those
    that take quantities, `standing` those of them that stand at the end of a stretch.
    """

    statement: Statement
    accounts: ListIndex
    lines: tuple[PlanLine, ...]
    index: dict[str, int]
    line_of: NDArray[np.int64]
    twice: tuple[tuple[str, str, str], ...]
    formulas: tuple[int, ...]
    has_result: bool
    into_result: NDArray[np.bool_]
    parts: tuple[LinePart, ...] = ()
    statistics: NDArray[np.bool_] = field(default_factory=_no_accounts)
    standing: NDArray[np.bool_] = field(default_factory=_no_accounts)
    non_cash: tuple[NonCashAccounts, ...] = ()
    """pairs that an indirect cash flow leaves out, in the order of their ids"""

    @property
    def has_statistics(self) -> bool:
        """Whether some line shows quantities."""
        return any(line.quantity for line in self.lines)

    @property
    def asks_standing(self) -> bool:
        """Whether some line shows what stands at the end, whatever the others sum."""
        return self.has_result or self.has_statistics

    def adds(self, place: int) -> bool:
        """Whether a line is summed under its heading: quantities are only with the like."""
        line = self.lines[place]
        return line.parent >= 0 and self.lines[line.parent].quantity == line.quantity

    @property
    def has_conditions(self) -> bool:
        """Whether some line asks for codes of a field: amounts by account alone don't say where they go."""
        return any(part.field for part in self.parts)

    @property
    def has_ways(self) -> bool:
        """Whether some line asks which way journals moved cash."""
        return any(part.way for part in self.parts)

    @property
    def is_flow(self) -> bool:
        """Whether the lines sum what moved cash, in the end."""
        return self.statement.kind in FLOW_STATEMENTS

    @property
    def is_direct(self) -> bool:
        """Whether the lines sum only what journals moved that touch cash."""
        return self.statement.kind == "direct_cash_flow"

    @property
    def needs_rows(self) -> bool:
        """Whether sums by account don't tell the figures."""
        return self.has_conditions or self.is_direct

    @property
    def needs_journals(self) -> bool:
        """Whether it matters by which journals amounts moved."""
        return self.is_direct or bool(self.non_cash)

    @property
    def earlier(self) -> frozenset[str]:
        """The earlier stretches whose amounts formulas name."""
        texts = (self.lines[i].row.formula for i in self.formulas)
        return frozenset(stretch for text in texts for stretch in formulas.parse(text).earlier)

    @property
    def part_lines(self) -> tuple[int, ...]:
        return tuple(part.line for part in self.parts)

    @property
    def homes(self) -> NDArray[np.int64]:
        """By account the line that is said first: the one that takes it whole, else one of a part; -1."""
        homes = self.line_of.copy()
        for part in reversed(self.parts):
            homes[part.accounts] = np.where(self.line_of[part.accounts] < 0, part.line, homes[part.accounts])
        return homes

    def lines_of(self, place: int) -> list[int]:
        """The lines on which an account may stand: the one that takes it whole first."""
        whole = [int(self.line_of[place])] if self.line_of[place] >= 0 else []
        return [*whole, *(part.line for part in self.parts if place in part.accounts)]

    def home_of(self, place: int) -> int:
        """The line of an account that is said first, or -1."""
        return next(iter(self.lines_of(place)), -1) if self.parts else int(self.line_of[place])

    def accounts_between(self, start: int, end: int) -> NDArray[np.int64]:
        """Places of the accounts of which anything may stand on some of the lines."""
        there = (self.line_of >= start) & (self.line_of < end)
        for part in self.parts:
            if start <= part.line < end:
                there[part.accounts] = True
        return np.flatnonzero(there)

    def rows_between(self, amounts: Amounts, start: int, end: int) -> list[tuple[int, int]]:
        """(place of the account, row) of the amounts that stand on some of the lines, by account."""
        lines = amounts.lines(self.line_of, self.part_lines)
        places = amounts.rows(len(self.line_of))
        rows = np.flatnonzero((lines >= start) & (lines < end)).tolist()
        return sorted((int(places[row]), row) for row in rows)

    def end_of(self, start: int) -> int:
        """Where what stands below a line ends: the place after the last line of its branch."""
        end = start + 1
        while end < len(self.lines) and self.lines[end].depth > self.lines[start].depth:
            end += 1
        return end

    def is_taken_off(self, line: PlanLine) -> bool:
        """Whether a line is subtracted under its heading, being shown in the other direction."""
        above = self.lines[line.parent].direction if line.parent >= 0 else 0
        if line.quantity:
            return False
        return bool(above and line.direction and line.direction != above)

    def missed(self) -> NDArray[np.int64]:
        """Accounts that belong on the statement and stand on no line, whether they have an amount or not."""
        wanted = (
            self.into_result
            if self.statement.kind == "income_statement"
            else ~self.into_result | (not self.has_result)
        )
        known = self.statement.kind in ("income_statement", "balance_sheet")
        if len(self.statistics):
            wanted &= ~self.statistics
        return np.flatnonzero((self.line_of < 0) & wanted & known)

    def belongs(self, account_class: str) -> bool:
        """Whether an account of this class that stands on no line is missed by the statement."""
        if account_class == "statistic":
            return False
        if self.statement.kind == "balance_sheet":
            return account_class not in RESULT_CLASSES or not self.has_result
        return self.statement.kind == "income_statement" and account_class in RESULT_CLASSES


class _Sides(NamedTuple):
    """By posting account of a list, in code order: whether it shows as debit, and whether it is revenue or
    expense."""

    debit: NDArray[np.bool_]
    into_result: NDArray[np.bool_]
    statistics: NDArray[np.bool_]
    standing: NDArray[np.bool_]
    quantities: tuple[Quantity | None, ...]
    """of statistics, in the same order"""


@derived((Code, 0))
def _sides(state: State, code_list: str) -> _Sides:
    index = list_index(state, code_list)
    rows = [index.codes[code] for code in index.posting]
    classes = [row.account_class for row in rows]
    return _Sides(
        np.array([c in DEBIT_CLASSES for c in classes], dtype=bool),
        np.array([c in RESULT_CLASSES for c in classes], dtype=bool),
        np.array([row.is_statistic for row in rows], dtype=bool),
        np.array([row.is_statistic and not row.adds_up for row in rows], dtype=bool),
        tuple(Quantity(row.unit, row.adds_up) if row.is_statistic else None for row in rows),
    )


def _direction(row: StatementLine, debit: NDArray[np.bool_], kinds: set[int]) -> tuple[int, bool]:
    """How a line is shown, and whether it mixes debit and credit accounts. `kinds` are the directions below
    it."""
    if row.kind not in WITH_FIGURES:
        return 0, False
    stated = SIDES.get(row.sign) or (_side_shown(row) if row.kind == "accounts" else 0)
    if stated or row.kind == "result" or row.kind in OF_CASH:
        return stated or CREDIT, False
    if row.kind == "heading":
        return _common(kinds - {0}), False
    names = {DEBIT if side else CREDIT for side in np.unique(debit).tolist()}
    return _common(names), len(names) > 1


def _side_shown(row: StatementLine) -> int:
    """How a line is shown that takes balances of one side, or one direction of journals; 0 for any other."""
    return SIDES.get(row.side) or WAYS_SHOWN.get(row.side, 0)


def _common(directions: set[int]) -> int:
    """The direction of all; CREDIT of several, 0 of none."""
    return next(iter(directions)) if len(directions) == 1 else CREDIT if directions else 0


def figures_alike(one: Plan, other: Plan) -> bool:
    """Whether two plans show the same figures of the same amounts: they may differ in what lines and accounts
    are called, and in what led to the same accounts on each line."""
    if one is other:
        return True
    return (
        one.statement._replace(name="") == other.statement._replace(name="")
        and [_figured(line) for line in one.lines] == [_figured(line) for line in other.lines]
        and same_but_for_names(one.accounts, other.accounts)
        and np.array_equal(one.line_of, other.line_of)
        and len(one.parts) == len(other.parts)
        and all(map(_takes_alike, one.parts, other.parts))
        and [(pair.accounts, pair.against) for pair in one.non_cash]
        == [(pair.accounts, pair.against) for pair in other.non_cash]
    )


def _figured(line: PlanLine) -> PlanLine:
    return line._replace(row=line.row._replace(label="", accounts="", position=0, shown_when=""), picks=())


def _takes_alike(one: LinePart, other: LinePart) -> bool:
    return one._replace(accounts=NO_PLACES) == other._replace(accounts=NO_PLACES) and np.array_equal(
        one.accounts, other.accounts
    )


NO_PLACES = np.zeros(0, dtype=np.int64)
PLAN_READS = (
    *(Statement, NonCashPair, Arrangement, Chart, ChartDimension, Structure, StructureSegment, Dimension),
    *(Code, Hierarchy, HierarchyNode),
)
"""What a plan is made from beside its own lines."""


BESIDE_PICKS = (
    *((StatementLine, 0), Statement, NonCashPair, Arrangement, Chart, ChartDimension, Structure),
    *(StructureSegment, Dimension),
)


def _picks_of_plan(state: State, statement: str) -> tuple[Any, ...]:
    """All that a plan takes: a code moved in a tree leaves most selectors as they are."""
    row = state.get(Statement, statement)
    if row is None:
        return state.seen(BESIDE_PICKS, (statement,))
    code_list = natural_list(state, row.chart)
    picks = [
        pick(state, code_list, line.accounts)
        for line in state.part(StatementLine, statement).values()
        if line.kind == "accounts"
    ]
    fits = [
        pick(state, field, line.codes)
        for line in state.part(StatementLine, statement).values()
        if line.field and line.codes and (field := field_list(state, line))
    ]
    pairs = [part for own in non_cash_accounts(state, row, code_list) for part in own]
    beside = list_index(state, code_list), _sides(state, code_list)
    return *state.seen(BESIDE_PICKS, (statement,)), *beside, *picks, *fits, *pairs


@derived((StatementLine, 0), *PLAN_READS, made_of=_picks_of_plan)
def plan(state: State, statement: str) -> Plan | None:
    statement_row = state.get(Statement, statement)
    if statement_row is None:
        return None
    code_list = natural_list(state, statement_row.chart)
    accounts, sides = list_index(state, code_list), _sides(state, code_list)
    rows = {row.line: row for row in state.part(StatementLine, statement).values()}
    children: dict[str, list[str]] = {}
    for row in sorted(rows.values(), key=lambda r: order_key(r.position, r.line)):
        children.setdefault(row.parent, []).append(row.line)
    order = preorder(children, children.get("", []))
    index = {line: i for i, (line, _) in enumerate(order)}
    placing = Placing(state, code_list, accounts)
    picks = [placing.line(i, rows[line]) for i, (line, _) in enumerate(order)]
    if statement_row.kind == "cash_flow":
        picks = placing.rest(picks, [rows[line].kind for line, _ in order], sides.into_result)
    placing.close_sides()
    twice = tuple((code, order[first][0], order[second][0]) for code, first, second in placing.twice)
    is_flow = statement_row.kind == "cash_flow"
    has_result = not is_flow and any(rows[line].kind == "result" for line, _ in order)
    lines = _plan_lines([(rows[line], depth) for line, depth in order], index, picks, sides)
    lines = [line._replace(is_movement=is_flow and line.row.kind == "result") for line in lines]
    return Plan(
        statement_row,
        accounts,
        tuple(lines),
        index,
        placing.line_of,
        twice,
        _formula_order(lines, index),
        has_result,
        sides.into_result,
        tuple(placing.parts),
        sides.statistics,
        sides.standing,
        non_cash_accounts(state, statement_row, code_list),
    )


def _plan_lines(
    order: Sequence[tuple[StatementLine, int]],
    index: Mapping[str, int],
    picks: Sequence[tuple[list[str], NDArray[np.int64]]],
    sides: _Sides,
) -> list[PlanLine]:
    """Rows with their depths, in the order of the tree: how each is shown, from what stands below it."""
    below: list[set[int]] = [set() for _ in order]
    counted: list[set[Quantity | None]] = [set() for _ in order]
    lines: list[PlanLine] = []
    for i in range(len(order) - 1, -1, -1):
        (row, depth), (codes, at) = order[i], picks[i]
        direction, mixed = _direction(row, sides.debit[at], below[i])
        quantities = counted[i] | {sides.quantities[place] for place in at.tolist()}
        quantity = next(iter(quantities)) if len(quantities) == 1 else None
        direction = DEBIT if quantity else direction
        mixed |= row.kind == "accounts" and len(quantities) > 1
        parent = index.get(row.parent, -1)
        if parent >= 0:
            counted[parent] |= {quantity} if row.kind in WITH_FIGURES else set()
            below[parent] |= set() if quantity else {direction} | below[i]
        lines.append(PlanLine(row, depth, parent, direction, tuple(codes), mixed, quantity))
    return lines[::-1]


def _formula_order(lines: list[PlanLine], index: dict[str, int]) -> tuple[int, ...]:
    """Formula lines, those needed by others first; lines on a cycle (a fault elsewhere) are left out."""
    needs: dict[int, list[int]] = {}
    for i, line in enumerate(lines):
        if line.row.kind == "formula":
            names = formulas.parse(line.row.formula).needs
            needs[i] = [index[n] for n in names if n in index and lines[index[n]].row.kind == "formula"]
    waiting = {i: len(below) for i, below in needs.items()}
    users: dict[int, list[int]] = {}
    for i, below in needs.items():
        for j in below:
            users.setdefault(j, []).append(i)
    ready = [i for i in needs if not waiting[i]]
    done: list[int] = []
    while ready:
        i = ready.pop()
        done.append(i)
        for user in users.get(i, []):
            waiting[user] -= 1
            if not waiting[user]:
                ready.append(user)
    return tuple(done)


def formula_cycle(made: Plan) -> list[str]:
    """The lines of a cycle among formulas, or an empty list."""
    stuck = {line.row.line for line in made.lines if line.row.kind == "formula"}
    stuck -= {made.lines[i].row.line for i in made.formulas}
    parents: dict[str, str | None] = {}
    for name in sorted(stuck):
        named = formulas.parse(made.lines[made.index[name]].row.formula).needs
        parents[name] = next((other for other in named if other in stuck), None)
    return find_cycle(parents)


def likely_line(made: Plan, code: str) -> str:
    """The line its nearest placed neighbour stands on, if that has the same class; else an empty string."""
    if code not in made.accounts.position:
        return ""

    def line(other: str) -> str:
        at = made.line_of[made.accounts.position[other]]
        return made.lines[at].row.line if at >= 0 else ""

    return as_most_alike(made.accounts, made.accounts.codes[code], NEAR, line)
