"""Consolidated statements before and after a company moves to another chart."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import timedelta
from typing import NamedTuple

from core.analysis.stretches import Stretch
from core.books.periods import company_calendar, spanning
from core.consolidation.position import Consolidation
from core.definitions.state import State
from core.definitions.tables import Arrangement, Group, Period, Statement
from core.drafts.moves import FigureChange, group_moves
from core.faults import WrongCall
from core.group.mapping import map_plan
from core.group.membership import membership
from core.group_figures.columns import column_plan
from core.group_figures.sum_up import consolidate, consolidate_flows
from core.mapping.arrangements import shown_statement
from core.mapping.second_charts import hangs_on_codes
from core.money import digits_of
from core.statements.figures import Figures, compute
from core.statements.plans import Plan
from web.chart_moves.moving import ChartMovePlan, books_after
from web.group.parts import known_group
from web.group.queries import (
    by_account_alone,
    group_window,
    worked_apart,
)
from web.statements.queries import known_plan


class GroupAgreement(NamedTuple):
    """A consolidated statement at the end of a period, before and after; `why`: it can't be compared."""

    group: Group
    statement: str
    name: str
    period: Period | None
    changes: list[FigureChange]
    why: str = ""


def groups_moved(state: State, move: ChartMovePlan) -> list[Group]:
    """Groups that the company is in, by name; none while accounts have no target."""
    if move.carried is None or any(not one.target_natural for one in move.carried.strings.values()):
        return []
    company = move.change.company
    return [
        group
        for group in sorted(state.rows(Group), key=lambda row: row.name)
        if company in {one.company for one in membership(state, group.group).companies}
    ]


def group_agrees(state: State, move: ChartMovePlan, group: Group) -> Iterator[GroupAgreement]:
    """Every statement of a group at the end of its last period before, before and after."""
    period = _period_before(state, move, group.group)
    if period is None:
        yield GroupAgreement(group, "", group.name, None, [], "The group has no period before it.")
        return
    plan = map_plan(move.after, group.group, move.change.company)
    naturals = {one.target_natural for one in move.carried.strings.values()} if move.carried else set()
    if plan is None or hangs_on_codes(plan, naturals):
        why = "Where its accounts go in the group hangs on codes; look at it after the move."
        yield GroupAgreement(group, "", group.name, period, [], why)
        return
    if spanning(company_calendar(state, move.change.company), known_group(state, group.group)[1]):
        why = "The group cuts its periods by other days; look at it after the move."
        yield GroupAgreement(group, "", group.name, period, [], why)
        return
    was = worked_apart(state, group.group)
    now = worked_apart(move.after, group.group, {move.change.company: books_after(state, move)})
    at = group_window(state, group.group, period.fiscal_year, period.period)
    for row in sorted(state.rows(Statement), key=lambda one: one.name):
        if row.chart != group.chart or state.get(Arrangement, row.statement) is not None:
            continue  # an arrangement is shown in place of what it arranges
        try:
            planned = by_account_alone(
                known_plan(state, shown_statement(state, row.statement, group.group, "group"), group.chart)
            )
        except WrongCall:
            continue  # a statement that groups don't have
        if planned.is_direct:
            continue  # made of journals, which stay as they were posted
        before, after = (_figures(one, planned, at, group) for one in (was, now))
        changes = group_moves(before, after, group.group, row.statement)
        yield GroupAgreement(group, row.statement, row.name, period, changes)


def _figures(consolidation: Consolidation, planned: Plan, at: Stretch, group: Group) -> Figures:
    if planned.is_flow:
        sums = consolidate_flows(consolidation, at.start, at.end)
    else:
        balances = planned.statement.kind == "balance_sheet"
        sums = consolidate(consolidation, at.start, at.end, balances, column_plan(consolidation))
    return compute(planned, sums.amounts, digits_of(group.currency))


def _period_before(state: State, move: ChartMovePlan, group: str) -> Period | None:
    _, calendar = known_group(state, group)
    last = move.change.on - timedelta(days=1)
    ended = [row for row in calendar.periods.values() if row.kind == "regular" and row.ends_on <= last]
    return max(ended, key=lambda row: row.ends_on, default=None)
