"""Figures beside others, a budget's or an earlier stretch's: amount, the other, and by how much they differ;
figures in per cent of a line, differences of what was; columns worked out of columns."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from fractions import Fraction
from typing import Literal, NamedTuple

import numpy as np

from core.faults import WrongCall
from core.money import round_half_up, show_amount
from core.statements import formulas
from core.statements.amounts import Amounts
from core.statements.figures import Figure, Figures, UnplacedAccount, shown_columns
from core.statements.line_parts import CREDIT
from core.statements.plans import Plan, line_title

COLUMNS = ("amount", "budget", "variance")
VARIANCE = COLUMNS[2]
CHANGE = "change"


Judgement = Literal["", "favourable", "unfavourable"]


def compares(title: str) -> str:
    """What a column is among those that stand beside one another: the last part of `M1/variance`."""
    return title.rpartition("/")[2]


def judged_columns(columns: Sequence[str]) -> tuple[int, ...]:
    """The places of differences, which are favourable or not on lines of revenue and expense."""
    return tuple(i for i, title in enumerate(columns) if compares(title) in (VARIANCE, CHANGE))


def judgement(figure: Figure, column: int) -> Judgement:
    """Of a difference on a line of movements: more on a credit line, or less on a debit line, is
    favourable."""
    value = figure.shown[column]
    if not value or not figure.line.direction:
        return ""
    return "favourable" if (value > 0) == (figure.line.direction == CREDIT) else "unfavourable"


def beside(actual: Figures, other: Figures) -> Figures:
    """Of one plan, each with one column. The variance is the difference of the two shown figures, empty where
    either is."""
    lines = tuple(_figure(one, two) for one, two in zip(actual.lines, other.lines, strict=True))
    mine = {(u.company, u.account): u for u in actual.unplaced}
    planned = {(u.company, u.account): u for u in other.unplaced}
    unplaced = []
    for key in sorted({*mine, *planned}):
        account = mine.get(key) or planned[key]
        have, want = (of[key].raw[0] if key in of else 0 for of in (mine, planned))
        unplaced.append(UnplacedAccount(*account[:4], (have, want, have - want)))
    return Figures(lines, tuple(unplaced), actual.amounts)


def _figure(actual: Figure, other: Figure) -> Figure:
    raw = (actual.raw[0], other.raw[0], actual.raw[0] - other.raw[0])
    have, want = actual.shown[0], other.shown[0]
    variance = None if have is None or want is None else have - want
    bare = tuple((f.bare or (False,))[0] for f in (actual, other))
    return Figure(actual.line, raw, (have, want, variance), (*bare, all(bare)))


class PerCents(NamedTuple):
    """Stands behind `column`: its figures of those of a line (`line`, a place; -1: none) or of the column
    before (`before`, a place)."""

    title: str
    column: int
    line: int
    before: int = -1


def per_cent_columns(plan: Plan, columns: Sequence[str], line: str) -> tuple[PerCents, ...]:
    """Behind a variance or a change how much that is of what was planned or was; behind each other column its
    part of a line, where one is asked for."""
    return tuple(_columns(plan, columns, plan.index.get(line, -1)))


def _columns(plan: Plan, columns: Sequence[str], at: int) -> Iterator[PerCents]:
    for i, title in enumerate(columns):
        if compares(title) in (VARIANCE, CHANGE) and i:
            yield PerCents(f"{title} %", i, -1, i - 1)
        elif at >= 0:
            yield PerCents(f"% of {line_title(plan.lines[at].row)}", i, at)


class FormulaColumn(NamedTuple):
    """Stands behind all columns: what a formula over them comes to, line by line. Operands are the places of
    columns, from 0."""

    title: str
    text: str
    formula: formulas.Formula


OPERAND = re.compile(r"\[([^\[\]]*)\]")
MOST_FORMULAS, LONGEST_TITLE = 8, 60


def formula_columns(text: str, columns: Sequence[str] | None = None) -> tuple[FormulaColumn, ...]:
    """`Web share = [WEB] / [total] * 100; Rest = [total] - [WEB]`: columns by what they are called, or by
    their number from 1. Raises WrongCall for what can't be read; without `columns` whatever names stand in
    it."""
    parts = [part.strip() for part in text.split(";") if part.strip()]
    if len(parts) > MOST_FORMULAS:
        raise WrongCall(f"At most {MOST_FORMULAS} columns are worked out at once.")
    return tuple(_formula_column(part, columns) for part in parts)


def _formula_column(part: str, columns: Sequence[str] | None) -> FormulaColumn:
    title, equals, text = (word.strip() for word in part.partition("="))
    if not title or not equals:
        raise WrongCall(f"'{part}' is not written as Title = [first] - [second].")
    if title in (columns or ()) or len(title) > LONGEST_TITLE:
        raise WrongCall(f"'{title}' can't be a title: a column has it, or it is over {LONGEST_TITLE} long.")

    def place(match: re.Match[str]) -> str:
        name = " ".join(match.group(1).split())
        if columns is None:
            return "[0]"
        if name in columns:
            return f"[{columns.index(name)}]"
        if name.isdecimal() and 0 < int(name) <= len(columns):
            return f"[{int(name) - 1}]"
        raise WrongCall(f"There is no column {name}; there are {', '.join(columns[:20])}.")

    formula = formulas.parse(OPERAND.sub(place, text))
    if formula.fault:
        raise WrongCall(f"{title}: {formula.fault}")
    return FormulaColumn(title, text, formula)


def worked_out_column(figure: Figure, one: FormulaColumn, digits: int) -> int | None:
    """What the formula comes to on a line's shown amounts, exact and rounded once; None where one of them is
    empty or it divides by nothing."""
    unit = 10**digits

    def amount(place: str) -> Fraction | None:
        value = figure.shown[int(place)]
        return None if value is None else Fraction(value, unit)

    value = formulas.evaluate(one.formula, amount)
    return None if value is None else round_half_up(value * unit)


def per_cent(figures: Figures, figure: Figure, one: PerCents) -> Fraction | None:
    """None where either is empty or what it is of is nothing."""
    value = figure.shown[one.column]
    if one.before >= 0:
        return difference_per_cent(value, figure.shown[one.before])
    whole = figures.lines[one.line].shown[one.column]
    return Fraction(value * 100, whole) if value is not None and whole else None


def difference_per_cent(difference: int | None, was: int | None) -> Fraction | None:
    """How much a difference is of what was, whatever its sign: more is plus."""
    return Fraction(difference * 100, abs(was)) if difference is not None and was else None


def in_tenths(value: Fraction | None) -> str:
    """To a tenth as amounts are written, halves away from zero; empty for none."""
    return "" if value is None else show_amount(round_half_up(value * 10), 1)


def beside_one_another(columns: Sequence[tuple[Figures, int]]) -> Figures:
    """Single columns of figures of one plan, by place, as columns of one."""
    lines = tuple(
        Figure(
            line.line,
            tuple(one.lines[i].raw[at] for one, at in columns),
            tuple(one.lines[i].shown[at] for one, at in columns),
            tuple(bool(one.lines[i].bare) and one.lines[i].bare[at] for one, at in columns),
        )
        for i, line in enumerate(columns[0][0].lines)
    )
    known = {(u.company, u.account): u for one, _ in columns for u in one.unplaced}
    amounts = [{(u.company, u.account): u.raw[at] for u in one.unplaced} for one, at in columns]
    unplaced = (u._replace(raw=tuple(of.get(key, 0) for of in amounts)) for key, u in known.items())
    none = np.zeros((0, len(columns)), dtype=object)
    known_all = all(one.amounts.has_statistics for one, _ in columns)
    return Figures(lines, tuple(unplaced), Amounts(none, none, has_statistics=known_all))


def joined(
    plan: Plan,
    columns: Sequence[Figures],
    digits: int,
    names: Sequence[str] = (),
    *,
    of_periods: bool = False,
) -> Figures:
    """Figures of one plan side by side, each in one column, and a total: raw amounts added up, formulas
    worked out of it. `names`: whose each column is, where they are of several companies; `of_periods`: a line
    of the result shows in the total what stands at the end of the last."""
    raw = [tuple(one.lines[i].raw[0] for one in columns) for i in range(len(plan.lines))]
    totals = _totals(plan, raw, of_periods)
    known = all(one.amounts.has_statistics for one in columns)
    shown = shown_columns(plan, [[total] for total in totals], digits, has_statistics=known)
    lines = tuple(
        Figure(
            line,
            (*raw[i], totals[i]),
            (*(one.lines[i].shown[0] for one in columns), shown[i][0]),
            _bare_together([one.lines[i].bare for one in columns]),
        )
        for i, line in enumerate(plan.lines)
    )
    none = np.zeros((0, len(columns) + 1), dtype=object)
    amounts = Amounts(none, none, has_statistics=known)
    return Figures(lines, tuple(_unplaced_together(columns, names)), amounts)


def _totals(plan: Plan, raw: Sequence[tuple[int, ...]], of_periods: bool) -> list[int]:
    """By line; headings are what stands under them."""
    totals = [0] * len(plan.lines)
    for i in range(len(plan.lines) - 1, -1, -1):
        line = plan.lines[i]
        stands = of_periods and line.stands
        if line.row.kind == "accounts" or line.is_movement or line.is_of_cash:
            totals[i] += raw[i][-1] if stands else sum(raw[i])
        elif line.is_result:
            totals[i] += raw[i][-1] if of_periods else sum(raw[i])
        if plan.adds(i):
            totals[line.parent] += totals[i]
    return totals


def _unplaced_together(columns: Sequence[Figures], names: Sequence[str]) -> Iterator[UnplacedAccount]:
    """Accounts on no line in any column, with their amounts in all and the sum of them."""
    accounts: dict[tuple[str, str], list[int]] = {}
    known: dict[tuple[str, str], UnplacedAccount] = {}
    for at, one in enumerate(columns):
        for account in one.unplaced:
            own = account._replace(company=account.company or (names[at] if names else ""))
            key = (own.company, own.account)
            known.setdefault(key, own)
            accounts.setdefault(key, [0] * len(columns))[at] = account.raw[0]
    for key, raw in accounts.items():
        yield known[key]._replace(raw=(*raw, sum(raw)))


def _bare_together(parts: list[tuple[bool, ...]]) -> tuple[bool, ...]:
    columns = tuple(bool(part) and part[0] for part in parts)
    return (*columns, all(columns))
