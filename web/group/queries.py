"""Figures of a group. Collected books and worked-out positions are kept in the process until a definition or
a book moves."""

from __future__ import annotations

from collections.abc import Collection, Mapping as Mapping_
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np

from core.analysis.stretches import Stretch, of_periods
from core.books.balances import Books, TrialRow
from core.cash_flow.activities import cash_accounts
from core.codes.lists import list_index, same_but_for_names
from core.codes.selectors import pick
from core.consolidation.eliminate import Disagreement
from core.consolidation.position import Consolidation, Position
from core.consolidation.translations import Translations
from core.definitions.state import State
from core.definitions.tables import (
    AcquiredEquity,
    Acquisition,
    Calendar,
    Chart,
    ChartMapping,
    Code,
    Company,
    Elimination,
    Group,
    GroupMember,
    GroupOpening,
    Mapping,
    OwnershipChange,
    Period,
    Rate,
    Structure,
    StructureSegment,
    TranslationRule,
)
from core.faults import WrongCall
from core.group.cells import GroupBooks
from core.group.map_accounts import group_list
from core.group.mapping import MapPlan, map_plan
from core.group.rates import rate_table
from core.group.translation_rules import rates_by_account
from core.group_cash_flow.flows import CashProofRow, cash_proof
from core.group_figures.columns import ELIMINATIONS, GROUP, ColumnPlan, column_plan
from core.group_figures.sum_up import (
    Consolidated,
    consolidate,
    consolidate_flows,
    disagreements as sides_apart,
    trial_balance as group_trial_balance,
)
from core.mapping.arrangements import shown_statement
from core.money import digits_of
from core.statements.coverage import sides
from core.statements.figures import compute
from core.statements.plans import Plan
from core.statements.printing import with_accounts
from web.group.flow_books import moved_apart
from web.group.parts import GroupParts, group_parts, known_group, mapped_members
from web.process_cache import ProcessCache
from web.statements.queries import StatementFigures, known_plan


class CachedBooks(NamedTuple):
    """Collected and mapped books with the mappings they were read by."""

    state: State
    plans: tuple[MapPlan, ...]
    books: GroupBooks


SHAPING = (Calendar, Period, Company, Group, GroupMember, Chart, Structure, StructureSegment)
"""Tables that collected books depend on, beside what they ask of codes and the mappings."""
FIGURING = (
    *(*SHAPING, Rate, OwnershipChange, GroupOpening, Acquisition, AcquiredEquity, Mapping, ChartMapping),
    *(Elimination, TranslationRule),
)
"""Tables that a group's figures depend on; where two states share them and ask the same of codes, the figures
are the same."""
VARIANTS = 2
"""So many states' figures of the same books are kept: what is published, and a draft beside it."""
_books: ProcessCache[Any, tuple[CachedBooks, ...]] = ProcessCache(6)
_groups: ProcessCache[Any, tuple[Consolidation, ...]] = ProcessCache(6)
_consolidated: ProcessCache[Any, tuple[tuple[Consolidation, Consolidated], ...]] = ProcessCache(12)
"""Sums of a stretch with the figures that they are of; others of the same stretch don't fit."""


def consolidates_alike(before: State, after: State, group: str) -> bool:
    """Whether two states make the same figures of a group's books by account, whatever they call them."""
    lists = {row.code_list for row in before.rows(StructureSegment)}
    if not before.shares(after, *FIGURING) or not all(
        same_but_for_names(list_index(before, name), list_index(after, name)) for name in lists
    ):
        return False
    parts = [group_parts(state, group) for state in (before, after)]
    was, now = (tuple(one.plans.values()) for one in parts)
    return (
        rates_by_account(before, group) == rates_by_account(after, group)
        and _picks(before, group) == _picks(after, group)
        and _same(was, now)
    )


def _asks_the_same(one: State, other: State, group: str) -> bool:
    """Whether two states that share all other tables ask the same of codes and hierarchies: the lists
    themselves, and what selectors pick."""
    lists = {row.code_list for row in one.rows(StructureSegment)}
    return (
        all(list_index(one, name) is list_index(other, name) for name in lists)
        and rates_by_account(one, group) == rates_by_account(other, group)
        and _picks(one, group) == _picks(other, group)
    )


def _picks(state: State, group: str) -> list[frozenset[str]]:
    """The accounts that eliminations and acquisitions pick."""
    accounts = group_list(state, group)
    texts = [row.accounts for row in state.part(Elimination, group).values()]
    texts += [row.investment for row in state.part(Acquisition, group).values()]
    return [pick(state, accounts.code_list, text).codes for text in texts] if accounts else []


def group_accounts(state: State, group: Group) -> dict[str, Code]:
    """The accounts of the group's chart by code."""
    accounts = group_list(state, group.group)
    return accounts.codes if accounts else {}


def group_window(state: State, group: str, year: int, period: int, first: int | None = None) -> Stretch:
    """From the year's first period where nobody says: an opening period of a later year is one like any
    other."""
    calendar = known_group(state, group)[1]
    begin = calendar.first_period(year) if first is None and year in calendar.years() else first
    return of_periods(calendar, year, period, begin)


def consolidation_of(state: State, group: str) -> Consolidation:
    """What a group's figures are worked out from, as of now; kept until a definition or a book moves."""
    return _consolidation_of(state, group_parts(state, group))


def _consolidation_of(state: State, parts: GroupParts) -> Consolidation:
    group, kept = parts.row.group, _groups.get(parts.key) or ()
    for known in kept:
        shares = known.state.shares(state, *FIGURING) and _asks_the_same(known.state, state, group)
        if shares and _same(_plans_of(known, parts.names), tuple(parts.plans.values())):
            return known
    fresh = _worked(state, parts, _collected(state, parts), kept[0].translations if kept else None)
    _groups.put(parts.key, (fresh, *kept[: VARIANTS - 1]))
    return fresh


def worked_apart(
    state: State, group: str, books: Mapping_[str, tuple[Books, ...]] | None = None
) -> Consolidation:
    """The same for definitions that nobody will ask for again: the books of now, or `books` of some companies
    in their place; nothing kept."""
    parts = group_parts(state, group)
    parts = parts._replace(books={**parts.books, **(books or {})})
    return _worked(state, parts, mapped_members(state, parts))


def _worked(
    state: State, parts: GroupParts, books: GroupBooks, former: Translations | None = None
) -> Consolidation:
    """`former`: translations worked out for other definitions, which serve where nothing touches them."""
    rates = rate_table(state, parts.row, parts.periods)
    translations = Translations(former)
    return Consolidation(
        state, parts.row, parts.periods, books, rates, parts.standings, translations=translations
    )


def _plans_of(known: Consolidation, names: list[str]) -> tuple[MapPlan, ...]:
    plans = (map_plan(known.state, known.group.group, name) for name in names)
    return tuple(plan for plan in plans if plan)


def _collected(state: State, parts: GroupParts) -> GroupBooks:
    kept, group, plans = _books.get(parts.key) or (), parts.row.group, tuple(parts.plans.values())
    for known in kept:
        shares = known.state.shares(state, *SHAPING, TranslationRule)
        if shares and _asks_the_same(known.state, state, group) and _same(known.plans, plans):
            return known.books
    books = mapped_members(state, parts)
    _books.put(parts.key, (CachedBooks(state, plans, books), *kept[: VARIANTS - 1]))
    return books


def _same(ones: tuple[MapPlan, ...], others: tuple[MapPlan, ...]) -> bool:
    return len(ones) == len(others) and all(
        one.company == other.company
        and one.shared == other.shared
        and one.rows == other.rows
        and one.chart.index == other.chart.index
        for one, other in zip(ones, others, strict=True)
    )


@dataclass(frozen=True, slots=True)
class GroupFigures:
    """A consolidated statement with what it was made from."""

    statement: StatementFigures
    consolidated: Consolidated
    group: Consolidation

    @property
    def waiting(self) -> list[tuple[str, str]]:
        if self.consolidated.flows is not None:
            return [(name, str(why)) for name, why in sorted(self.consolidated.flows.left_out.items())]
        return waiting_of(self.consolidated.position)

    @property
    def told_of_members(self) -> str:
        """One sentence where not every company that belongs to the group then is in its figures."""
        return told_of_members(self.consolidated.position, [name for name, _ in self.waiting])

    @property
    def waiting_in(self) -> list[str]:
        """The sentences of those who wait; an income statement needs no opening."""
        if self.consolidated.flows is not None:
            left_out = self.consolidated.flows.left_out
            return [f"{name} is not in these figures: it {left_out[name]}." for name in sorted(left_out)]
        needs_opening = self.statement.plan.statement.kind == "other"
        return waiting_in(self.consolidated.position, self.consolidated.opening if needs_opening else None)

    @property
    def told(self) -> list[str]:
        """What is said below the figures, wherever they are shown: who waits, that the sides differ, and
        which pairs are left out."""
        pairs = ", ".join(one.pair.name for one in self.statement.plan.non_cash)
        partial = [self.told_of_members] if self.told_of_members else []
        return [*partial, *self.waiting_in, *([f"Left out, for no cash moved: {pairs}."] if pairs else [])]


def told_of_members(position: Position, waiting: Collection[str]) -> str:
    """One sentence where not every company that the group holds at the end of the period is in its figures;
    empty where all are."""
    whole = {*waiting, *position.companies}
    if not waiting:
        return ""
    return (
        f"Only {len(whole) - len(waiting)} of {len(whole)} companies are in these figures; they are not the"
        " whole group's."
    )


def waiting_of(position: Position) -> list[tuple[str, str]]:
    """Who is not in these figures, and why, by company."""
    return [(company, str(why)) for company, why in sorted(position.waiting.items())]


def waiting_in(position: Position, opening: Position | None = None) -> list[str]:
    """A sentence for each company that waits; then for each whose opening alone can't be worked out."""
    sentences = [f"{company} is not in these figures: it {why}." for company, why in waiting_of(position)]
    if opening is not None:
        sentences += [
            f"What {company} opened with is not in these figures: it {why}."
            for company, why in waiting_of(opening)
            if company not in position.waiting and company in position.columns
        ]
    return sentences


def by_account_alone(planned: Plan) -> Plan:
    """A plan for figures that come by account. Raises WrongCall for one that needs more than that."""
    if planned.has_conditions:
        name = planned.statement.name
        raise WrongCall(f"{name} has lines that ask for codes of a field; a group's figures come by account.")
    return planned


def group_statement(
    state: State,
    statement: str,
    group: str,
    year: int,
    period: int,
    first: int | None = None,
    *,
    opened: Collection[str] | None = None,
    accounts: bool = False,
) -> GroupFigures:
    """`opened` are the subgroups whose companies have columns of their own; None: all. `accounts`: each line
    has its accounts under it."""
    row, _ = known_group(state, group)
    shown = shown_statement(state, statement, group, "group")
    planned = by_account_alone(known_plan(state, shown, row.chart))
    at = group_window(state, group, year, period, first)
    parts = group_parts(state, group)
    consolidation = _consolidation_of(state, parts)
    columns_asked = column_plan(consolidation, opened)
    consolidated = _consolidated_sums(state, parts, consolidation, planned, at, columns_asked)
    digits = digits_of(row.currency)
    if accounts and not planned.is_flow:
        planned = with_accounts(planned)
    figures = compute(planned, consolidated.amounts, digits)
    columns = (*consolidated.columns, ELIMINATIONS, GROUP)
    return GroupFigures(
        StatementFigures(
            planned,
            figures,
            columns,
            row.currency,
            digits,
            at,
            figures.amounts,
            sides=sides(planned, figures),
        ),
        consolidated,
        consolidation,
    )


def _consolidated_sums(
    state: State,
    parts: GroupParts,
    consolidation: Consolidation,
    planned: Plan,
    at: Stretch,
    columns: ColumnPlan,
) -> Consolidated:
    """What a statement is filled from, kept as long as the group's books are the same."""
    balance_sheet = planned.statement.kind == "balance_sheet"
    of_flows = _flow_key(planned) if planned.is_flow else None
    key = (parts.row.group, at.start, at.end, balance_sheet, columns.order, of_flows)
    kept = _consolidated.get(key) or ()
    consolidated = next((sums for known, sums in kept if known is consolidation), None)
    if consolidated is None:
        if planned.is_flow:
            stretch = parts.periods.first_from(at.start), parts.periods.last_to(at.end)
            apart = moved_apart(state, parts, planned, *stretch)
            args = consolidation, at.start, at.end, planned.parts, apart, columns
            consolidated = consolidate_flows(*args)
        else:
            consolidated = consolidate(consolidation, at.start, at.end, balance_sheet, columns)
        _consolidated.put(key, ((consolidation, consolidated), *kept[: VARIANTS - 1]))
    return consolidated


def _flow_key(planned: Plan) -> Any:
    """What a cash flow's amounts hang on beside the group's books: the journals that pairs leave out, or the
    lines that ask which way cash moved, and which accounts are cash."""
    pairs = tuple((one.pair.pair, one.accounts, one.against) for one in planned.non_cash)
    ways = tuple((part.line, part.way, tuple(part.accounts.tolist())) for part in planned.parts)
    return planned.is_direct, pairs, ways, cash_accounts(planned.accounts)


def group_cash_proof(
    state: State, statement: str, group: str, year: int, period: int, first: int | None = None
) -> tuple[GroupFigures, list[CashProofRow]]:
    """A cash flow's figures, and the rows that prove that it comes to what the group's cash did. Raises
    WrongCall for a statement that is no cash flow."""
    figures = group_statement(state, statement, group, year, period, first)
    if figures.consolidated.flows is None:
        raise WrongCall(f"{figures.statement.plan.statement.name} is no cash flow.")
    return figures, proof_of_cash(figures)


def proof_of_cash(figures: GroupFigures) -> list[CashProofRow]:
    """The rows that prove a cash flow; each but the last adds to it."""
    flows = figures.consolidated.flows
    assert flows is not None, "figures of a cash flow"
    shown = frozenset(np.flatnonzero(figures.statement.plan.homes >= 0).tolist())
    return list(cash_proof(figures.group.books.accounts, flows, shown))


def position_at(state: State, group: str, year: int, period: int) -> tuple[Consolidation, Position]:
    at = group_window(state, group, year, period)
    consolidation = consolidation_of(state, group)
    return consolidation, consolidation.position(consolidation.periods.last_to(at.end))


def group_trial(
    state: State, group: str, year: int, period: int, first: int | None = None
) -> tuple[list[TrialRow], Position, Position]:
    """Rows, then the positions at the end and before the beginning."""
    at = group_window(state, group, year, period, first)
    consolidation = consolidation_of(state, group)
    rows = group_trial_balance(consolidation, at.start, at.end)
    periods = consolidation.periods
    opening = consolidation.opening(periods.first_from(at.start))
    return rows, consolidation.position(periods.last_to(at.end)), opening


def disagreements(state: State, group: str, year: int, period: int) -> tuple[list[Disagreement], Position]:
    """Pairs that do not cancel, over everything to the end of the period."""
    _, position = position_at(state, group, year, period)
    return sides_apart(position), position


def currency_of(state: State, name: str, is_group: bool) -> str:
    row = state.get(Group, name) if is_group else state.get(Company, name)
    return row.currency if row else ""
