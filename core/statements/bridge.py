"""A bridge from one figure of a line to another: what each line below it, or each account on it, made of the
change."""

from __future__ import annotations

from typing import NamedTuple

from core.definitions.statement_rows import OF_CASH
from core.statements.amounts import Amounts
from core.statements.figures import Figures
from core.statements.line_parts import DEBIT
from core.statements.plans import Plan

FIGURED = ("accounts", "result", *OF_CASH)


class BridgeStep(NamedTuple):
    """A line (or an account) with what it changed, as the line of the bridge shows it: minor units. An empty
    key: all
    that are too small to stand by themselves."""

    key: str
    label: str
    change: int


class Bridge(NamedTuple):
    """`start` and the changes add up to `end`."""

    label: str
    start: int
    steps: tuple[BridgeStep, ...]
    end: int


def bridge(
    plan: Plan, line: str, then: tuple[Figures, Amounts], now: tuple[Figures, Amounts], most: int
) -> Bridge:
    """Of a heading by the lines below it that have figures of their own, of any other line by its accounts;
    at most
    so many steps, the smallest put together last. Figures and amounts have one column."""
    at = plan.index[line]
    sign = 1 if plan.lines[at].direction == DEBIT else -1
    start, end = (sign * figures.lines[at].raw[0] for figures, _ in (then, now))
    if plan.lines[at].row.kind == "heading":
        steps = _by_lines(plan, at, then[0], now[0], sign)
    else:
        steps = _by_accounts(plan, at, then[1], now[1], sign)
    return Bridge(plan.lines[at].row.label, start, _largest([s for s in steps if s.change], most), end)


def _by_lines(plan: Plan, at: int, then: Figures, now: Figures, sign: int) -> list[BridgeStep]:
    return [
        BridgeStep(entry.row.line, entry.row.label, sign * (now.lines[i].raw[0] - then.lines[i].raw[0]))
        for i, entry in enumerate(plan.lines[at : plan.end_of(at)], at)
        if entry.row.kind in FIGURED
    ]


def _by_accounts(plan: Plan, at: int, then: Amounts, now: Amounts, sign: int) -> list[BridgeStep]:
    before, after = (_by_account(plan, at, amounts) for amounts in (then, now))
    return [
        BridgeStep(code, plan.accounts.codes[code].name, sign * (after.get(place, 0) - before.get(place, 0)))
        for place, code in enumerate(plan.accounts.posting)
        if place in before or place in after
    ]


def _by_account(plan: Plan, at: int, amounts: Amounts) -> dict[int, int]:
    """Raw amounts of the first column by place of the account, on a line or in the result."""
    sums: dict[int, int] = {}
    if plan.lines[at].is_result:
        for row, place in enumerate(amounts.rows(len(plan.line_of)).tolist()):
            if plan.into_result[place]:
                sums[place] = sums.get(place, 0) + int(amounts.cumulative[row, 0])
        return sums
    for place, row in plan.rows_between(amounts, at, at + 1):
        sums[place] = sums.get(place, 0) + int(amounts.window[row, 0])
    return sums


def _largest(steps: list[BridgeStep], most: int) -> tuple[BridgeStep, ...]:
    """In their own order, but the smallest as one step at the end."""
    if len(steps) <= most:
        return tuple(steps)
    order = sorted(range(len(steps)), key=lambda i: -abs(steps[i].change))
    kept = set(order[: most - 1])
    rest = sum(step.change for i, step in enumerate(steps) if i not in kept)
    return (*(step for i, step in enumerate(steps) if i in kept), BridgeStep("", "everything else", rest))
