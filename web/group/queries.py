"""Figures of a group. The mapped and sorted amounts are kept in the process until a definition or a book
moves."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, NamedTuple

from core.books.balances import TrialRow
from core.books.periods import CalendarIndex, calendar_index, company_calendar, ordinal, shared_ordinals
from core.codes.lists import list_index
from core.definitions.state import State
from core.definitions.tables import Calendar, Company, Group, Period
from core.faults import WrongCall
from core.group.collect import Member
from core.group.eliminate import Disagreement, eliminate
from core.group.map_accounts import GroupBalances, group_balances
from core.group.mapping import MapPlan, map_plan
from core.group.membership import ConsolidationScope, consolidation_scope, group_calendar
from core.group.sum_up import Consolidated, consolidate
from core.group.sum_up import trial_balance as group_trial_balance
from core.money import digits_of
from core.statements.figures import compute, natural_list
from web.journals.books import books_for
from web.journals.interning import interned_texts
from web.journals.posting import company_numbers
from web.process_cache import ProcessCache
from web.statements.queries import PeriodWindow, StatementFigures, known_plan, window


class CachedBalances(NamedTuple):
    """A balances with the mappings it was built by: another state with the same ones has the same amounts."""

    balances: GroupBalances
    plans: tuple[MapPlan, ...]

    def fits(self, state: State, group: str, plans: tuple[MapPlan, ...]) -> bool:
        group_row = known_group(state, group)[0]
        return (
            self.balances.state.shares(state, Calendar, Period, Company, Group)
            and tuple(list_index(state, natural_list(state, group_row.chart)).posting)
            == self.balances.accounts
            and all(
                one.shared == other.shared
                and one.rows == other.rows
                and one.chart.index == other.chart.index
                and (
                    not self.balances.unmapped or one.own_codes is other.own_codes
                )  # unmapped carry names and classes
                for one, other in zip(self.plans, plans, strict=True)
            )
        )


_kept: ProcessCache[Any, CachedBalances] = ProcessCache(6)


def known_group(state: State, group: str) -> tuple[Group, CalendarIndex]:
    row = state.get(Group, group)
    calendar = group_calendar(state, group)
    if row is None:
        raise WrongCall(f"There is no group {group}.")
    return row, calendar or calendar_index(state, "")


def group_window(state: State, group: str, year: int, period: int, first: int | None = None) -> PeriodWindow:
    return window(known_group(state, group)[1], year, period, first)


def members_at(state: State, group: str, year: int, period: int) -> ConsolidationScope:
    """Who is consolidated on the period's last day, and who waits."""
    _, calendar = known_group(state, group)
    stretch = calendar.periods.get((year, period))
    if stretch is None:
        raise WrongCall(f"There is no period {period} in fiscal year {year} of calendar {calendar.calendar}.")
    return consolidation_scope(state, group, stretch.ends_on)


def balances_of(state: State, group: str, who: ConsolidationScope) -> GroupBalances:
    """Collected and mapped amounts of the companies, as of now."""
    names = [reached.company for reached in who.companies]
    books = books_for(names)
    key = (
        group,
        tuple(names),
        tuple((b.company, b.fiscal_year, b.sequence) for name in names for b in books[name]),
    )
    cached = _kept.get(key)
    if cached is not None and cached.balances.state is state:
        return cached.balances
    plans = {name: plan for name in names if (plan := map_plan(state, group, name))}
    if cached is not None and cached.fits(state, group, tuple(plans.values())):
        balances = replace(cached.balances, state=state)
    else:
        numbers = company_numbers()
        _, calendar = known_group(state, group)
        balances = group_balances(
            state,
            group,
            [
                Member(
                    name, numbers[name], books[name], plan, _ordinals(state, name, calendar), interned_texts
                )
                for name, plan in plans.items()
            ],
        )
    _kept.put(key, CachedBalances(balances, tuple(plans.values())))
    return balances


def _ordinals(state: State, company: str, group: CalendarIndex) -> dict[int, int] | None:
    """Where the company's ordinals count in the group's calendar; None where the calendars are one."""
    own = company_calendar(state, company)
    if own.calendar == group.calendar:
        return None
    by_name = {ordinal(*key): at for key, at in shared_ordinals(own, group).items()}
    for year in own.years():
        by_name[ordinal(year, -1)] = 0
    return by_name


@dataclass(frozen=True, slots=True)
class GroupFigures:
    """A consolidated statement with what it was made from."""

    statement: StatementFigures
    consolidated: Consolidated
    balances: GroupBalances
    who: ConsolidationScope


def group_statement(
    state: State, statement: str, group: str, year: int, period: int, first: int | None = None
) -> GroupFigures:
    row, _ = known_group(state, group)
    planned = known_plan(state, statement, row.chart)
    at = group_window(state, group, year, period, first)
    who = members_at(state, group, year, period)
    balances = balances_of(state, group, who)
    consolidated = consolidate(balances, at.start, at.end, planned.statement.kind == "balance_sheet")
    digits = digits_of(row.currency)
    figures = compute(planned, consolidated.amounts, digits)
    columns = (*consolidated.columns, "eliminations", "group")
    return GroupFigures(
        StatementFigures(planned, figures, columns, row.currency, digits, at), consolidated, balances, who
    )


def group_trial(
    state: State, group: str, year: int, period: int, first: int | None = None
) -> tuple[list[TrialRow], ConsolidationScope]:
    at = group_window(state, group, year, period, first)
    who = members_at(state, group, year, period)
    return group_trial_balance(balances_of(state, group, who), at.start, at.end), who


def disagreements(
    state: State, group: str, year: int, period: int
) -> tuple[list[Disagreement], ConsolidationScope]:
    """Pairs that do not cancel, over everything to the end of the period."""
    at = group_window(state, group, year, period)
    who = members_at(state, group, year, period)
    balances = balances_of(state, group, who)
    return list(eliminate(balances, balances.upto(at.end)).disagreements), who


def currency_of(state: State, name: str, is_group: bool) -> str:
    row = state.get(Group, name) if is_group else state.get(Company, name)
    return row.currency if row else ""
