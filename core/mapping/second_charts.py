"""A company's books seen in a second chart: each amount on the account that the mapping sends it to.

Nothing is dropped: what no row fits stays on the company's own account, told as unmapped.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from functools import partial
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from core.analysis.amount_rows import AmountRows
from core.cash_flow.activities import cash_accounts
from core.codes.lists import ListIndex
from core.codes.selectors import pick
from core.definitions.state import State, derived
from core.definitions.tables import (
    Chart,
    Code,
    Company,
    Hierarchy,
    HierarchyNode,
    Mapping,
    NonCashPair,
    SecondChartMapping,
)
from core.group.mapping import MapPlan, rows_by_account
from core.statements.amounts import StrayAccount
from core.statements.plans import Plan
from core.structures.charts import chart_index


def ordered(state: State, chart: str, second: str) -> list[SecondChartMapping]:
    rows = (row for row in state.part(SecondChartMapping, chart).values() if row.second_chart == second)
    return sorted(rows, key=lambda row: row.position)


@derived(Chart, (SecondChartMapping, 0), Code, Hierarchy, HierarchyNode)
def _mapped(
    state: State, chart: str, second_chart: str, natural_list: str
) -> tuple[tuple[Mapping, frozenset[str]], ...]:
    """As rows of a company's mapping, with the accounts that each picks."""
    return tuple(
        (
            Mapping("", "", row.position, row.accounts, row.field, row.codes, row.target),
            pick(state, natural_list, row.accounts).codes,
        )
        for row in ordered(state, chart, second_chart)
    )


def second_chart_plan(state: State, chart: str, second: str) -> MapPlan | None:
    """Where the accounts of a chart go in a second one; None where either is unknown. Charts with the same
    natural accounts need no row: each account is itself."""
    own, other = chart_index(state, chart), chart_index(state, second)
    if own is None or other is None:
        return None
    rows = _mapped(state, chart, second, own.natural_list)
    if chart == second or (not rows and own.natural_list == other.natural_list):
        return MapPlan("", own, True, {})
    return MapPlan("", own, False, rows_by_account(state, own, rows))


def maps_alike(before: State, after: State, chart: str, second: str) -> bool:
    """Whether two states send every account of a chart to the same one of a second chart."""
    own = chart_index(before, chart)
    if own is not None and own is chart_index(after, chart):
        asked = chart, second, own.natural_list
        if _mapped(before, *asked) is _mapped(after, *asked):  # nothing that it reads has changed
            return True
    plans = [second_chart_plan(state, chart, second) for state in (before, after)]
    if plans[0] is None or plans[1] is None:
        return plans[0] is plans[1]
    return plans[0].shared == plans[1].shared and plans[0].rows == plans[1].rows


class AccountWay(NamedTuple):
    """Where an own account goes; `target` is empty where no row fits."""

    account: str
    target: str


def hangs_on_codes(plan: MapPlan, naturals: Iterable[str]) -> bool:
    """Whether where some of these accounts go hangs on more than the account."""
    return any(plan.plain(natural) is None for natural in naturals)


def ways_of(plan: MapPlan, rows: AmountRows) -> tuple[list[AccountWay], NDArray[np.int64]]:
    """The ways that there are, and the place of each row's among them. Rows of accounts whose way hangs on
    codes need their texts; each account string with its dimensions is looked at once."""
    places: dict[AccountWay, int] = {}

    def place(natural: str, target: str) -> int:
        return places.setdefault(AccountWay(natural, target), len(places))

    plain = [(natural, plan.plain(natural)) for natural in rows.naturals]
    by_natural = [-1 if target is None else place(natural, target) for natural, target in plain]
    by_row: NDArray[np.int64] = np.array(by_natural or [0], dtype=np.int64)[rows.natural]
    hanging = np.flatnonzero(by_row < 0)
    if len(hanging):
        texts = np.stack([rows.string[hanging], rows.combination[hanging]], axis=1)
        different, first, inverse = np.unique(texts, axis=0, return_index=True, return_inverse=True)
        by_text = []
        for (string, combination), at in zip(different.tolist(), hanging[first].tolist(), strict=True):
            natural = rows.naturals[rows.natural[at]]
            values = partial(plan.values, rows.strings[string], rows.combinations[combination])
            by_text.append(place(natural, plan.target(natural, values)))
        by_row[hanging] = np.array(by_text, dtype=np.int64)[inverse.reshape(-1)]
    return list(places), by_row


def accounts_behind(plan: MapPlan, rows: AmountRows) -> dict[str, tuple[str, ...]]:
    """By account of the second chart (empty: unmapped) the own accounts of which some rows go there."""
    own: dict[str, list[str]] = {}
    for way in ways_of(plan, rows)[0]:
        own.setdefault(way.target, []).append(way.account)
    return {target: tuple(sorted(accounts)) for target, accounts in own.items()}


def own_cash_accounts(state: State, company: Company, planned: Plan, rows: AmountRows) -> frozenset[str]:
    """The company's natural accounts that are cash in the chart of a statement: of a second chart those of
    which anything goes to an account of cash there. `rows` with their texts."""
    chart, cash = planned.statement.chart, cash_accounts(planned.accounts)
    if chart == company.chart:
        return cash
    mapped = second_chart_plan(state, company.chart, chart)
    behind = accounts_behind(mapped, rows) if mapped else {}
    return frozenset(account for target in cash for account in behind.get(target, ()))


class OwnPair(NamedTuple):
    """A non-cash pair with the company's natural accounts on either side."""

    pair: NonCashPair
    accounts: frozenset[str]
    against: frozenset[str]


def own_pairs(state: State, company: Company, planned: Plan, rows: AmountRows) -> list[OwnPair]:
    """The non-cash pairs of a statement for a company: of a second chart with accounts of which all goes to
    that side, since what of an account goes elsewhere may be cash. `rows` with their texts."""
    chart, mapped = planned.statement.chart, None
    if chart != company.chart:
        mapped = second_chart_plan(state, company.chart, chart)
    if mapped is None:
        return [OwnPair(*one) for one in planned.non_cash]
    goes: dict[str, set[str]] = {}
    for target, accounts in accounts_behind(mapped, rows).items():
        for account in accounts:
            goes.setdefault(account, set()).add(target)

    def own(side: frozenset[str]) -> frozenset[str]:
        return frozenset(account for account, targets in goes.items() if targets <= side)

    return [OwnPair(one.pair, own(one.accounts), own(one.against)) for one in planned.non_cash]


def seen_through(plan: MapPlan, accounts: ListIndex, rows: AmountRows, company: str) -> AmountRows:
    """The same amounts of a company on the accounts of the second chart's list; unmapped ones under names
    that no account has."""
    if plan.shared:
        return rows
    ways, by_row = ways_of(plan, rows)
    names: dict[str, int] = {}
    unmapped: dict[str, StrayAccount] = {}
    by_way = []
    for way in ways:
        name = way.target
        if name not in accounts.position:
            name, own = f"{plan.chart.chart}:{way.account}", plan.own_codes.get(way.account)
            unmapped[name] = StrayAccount(
                company, way.account, own.name if own else "", own.account_class if own else ""
            )
        by_way.append(names.setdefault(name, len(names)))
    natural = np.array(by_way or [0], dtype=np.int64)[by_row]
    return replace(rows, naturals=tuple(names), natural=natural, unmapped=unmapped)
