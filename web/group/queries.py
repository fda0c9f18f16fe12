"""Figures of a group. Collected books and worked-out positions are kept in the process until a definition or
a book moves."""

from __future__ import annotations

from collections.abc import Collection, Mapping as Mapping_
from dataclasses import dataclass
from typing import Any, NamedTuple

from core.analysis.stretches import Stretch, of_periods
from core.books.balances import Books, TrialRow, closing_marked
from core.books.periods import (
    CalendarIndex,
    calendar_index,
    closing_ordinals,
    company_calendar,
    ordinals_in,
    spanning,
)
from core.codes.lists import list_index
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
from core.group.cells import GroupBooks, group_books
from core.group.collect import Member
from core.group.map_accounts import group_list
from core.group.mapping import MapPlan, map_plan
from core.group.membership import group_calendar
from core.group.ownership import Standing, group_standings
from core.group.periods import GroupPeriods, group_periods
from core.group.rates import rate_table
from core.group.translation_rules import rates_by_account
from core.group_figures.columns import ELIMINATIONS, GROUP, column_plan
from core.group_figures.sum_up import (
    Consolidated,
    consolidate,
    disagreements as sides_apart,
    trial_balance as group_trial_balance,
)
from core.mapping.arrangements import shown_statement
from core.money import digits_of
from core.statements.figures import compute
from core.statements.plans import Plan
from web.journals.books import books_for
from web.journals.books_by_date import cut_by_date
from web.journals.interning import interned_texts
from web.journals.posting import company_numbers
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


def known_group(state: State, group: str) -> tuple[Group, CalendarIndex]:
    row = state.get(Group, group)
    calendar = group_calendar(state, group)
    if row is None:
        raise WrongCall(f"There is no group {group}.")
    return row, calendar or calendar_index(state, "")


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


class _Parts(NamedTuple):
    """What goes into a group's figures: members' standings, whose books adjust whose, books, mappings."""

    row: Group
    calendar: CalendarIndex
    periods: GroupPeriods
    standings: dict[str, Standing]
    adjusts: dict[str, str]
    books: Mapping_[str, tuple[Books, ...]]
    plans: dict[str, MapPlan]

    @property
    def names(self) -> list[str]:
        return [*sorted(self.standings), *sorted(self.adjusts)]

    @property
    def key(self) -> Any:
        books = (book for name in self.names for book in self.books[name])
        sequences = tuple((book.company, book.fiscal_year, book.sequence) for book in books)
        return self.row.group, tuple(self.names), sequences


def _parts(state: State, group: str) -> _Parts:
    row, calendar = known_group(state, group)
    periods = group_periods(calendar)
    stands = group_standings(state, group)
    adjusts = {c.company: c.adjusts for c in state.rows(Company) if c.adjusts in stands}
    names = [*sorted(stands), *sorted(adjusts)]
    plans = {name: plan for name in names if (plan := map_plan(state, group, name))}
    return _Parts(row, calendar, periods, stands, adjusts, books_for(state, names), plans)


def consolidation_of(state: State, group: str) -> Consolidation:
    """What a group's figures are worked out from, as of now; kept until a definition or a book moves."""
    parts = _parts(state, group)
    kept = _groups.get(parts.key) or ()
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
    parts = _parts(state, group)
    parts = parts._replace(books={**parts.books, **(books or {})})
    return _worked(state, parts, _mapped(state, parts))


def _worked(
    state: State, parts: _Parts, books: GroupBooks, former: Translations | None = None
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


def _collected(state: State, parts: _Parts) -> GroupBooks:
    kept, group, plans = _books.get(parts.key) or (), parts.row.group, tuple(parts.plans.values())
    for known in kept:
        shares = known.state.shares(state, *SHAPING, TranslationRule)
        if shares and _asks_the_same(known.state, state, group) and _same(known.plans, plans):
            return known.books
    books = _mapped(state, parts)
    _books.put(parts.key, (CachedBooks(state, plans, books), *kept[: VARIANTS - 1]))
    return books


def _mapped(state: State, parts: _Parts) -> GroupBooks:
    numbers = company_numbers()
    members = [
        _member(state, numbers[name], parts.books[name], plan, parts.calendar)
        for name, plan in parts.plans.items()
    ]
    currencies = {row.company: row.currency for row in state.rows(Company)}
    return group_books(state, parts.row.group, parts.periods, members, parts.adjusts, currencies, numbers)


def _same(ones: tuple[MapPlan, ...], others: tuple[MapPlan, ...]) -> bool:
    return len(ones) == len(others) and all(
        one.company == other.company
        and one.shared == other.shared
        and one.rows == other.rows
        and one.chart.index == other.chart.index
        for one, other in zip(ones, others, strict=True)
    )


def _member(
    state: State, number: int, books: tuple[Books, ...], plan: MapPlan, calendar: CalendarIndex
) -> Member:
    """A company's books with where their periods count; cut by date where its own span those of the group."""
    own = company_calendar(state, plan.company)
    if own.calendar == calendar.calendar:
        return Member(plan.company, number, books, plan, None, interned_texts)
    books = tuple(closing_marked(one, closing_ordinals(own)) for one in books)
    if spanning(own, calendar):
        books = tuple(cut_by_date(state, one, own, calendar) for one in books)
        return Member(plan.company, number, books, plan, None, interned_texts)
    return Member(plan.company, number, books, plan, ordinals_in(own, calendar), interned_texts)


@dataclass(frozen=True, slots=True)
class GroupFigures:
    """A consolidated statement with what it was made from."""

    statement: StatementFigures
    consolidated: Consolidated
    group: Consolidation

    @property
    def waiting(self) -> list[tuple[str, str]]:
        return waiting_of(self.consolidated.position)

    @property
    def waiting_in(self) -> list[str]:
        """The sentences of those who wait; an income statement needs no opening."""
        needs_opening = self.statement.plan.statement.kind in ("cash_flow", "other")
        return waiting_in(self.consolidated.position, self.consolidated.opening if needs_opening else None)

    @property
    def told(self) -> list[str]:
        """What is said below the figures, wherever they are shown: who waits, and what is counted all the
        same."""
        pairs = ", ".join(one.pair.name for one in self.statement.plan.non_cash)
        counted = f"Counted here, where journals aren't told apart: {pairs}."
        return [*self.waiting_in, *([counted] if pairs else [])]


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
    if planned.is_direct:
        name = planned.statement.name
        raise WrongCall(
            f"{name} sums what journals moved that touch cash; a group's figures come from balances. It is"
            " there for a company, or for several side by side."
        )
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
) -> GroupFigures:
    """`opened` are the subgroups whose companies have columns of their own; None: all."""
    row, _ = known_group(state, group)
    shown = shown_statement(state, statement, group, "group")
    planned = by_account_alone(known_plan(state, shown, row.chart))
    at = group_window(state, group, year, period, first)
    consolidation = consolidation_of(state, group)
    balance_sheet = planned.statement.kind == "balance_sheet"
    columns_asked = column_plan(consolidation, opened)
    key = (group, at.start, at.end, balance_sheet, columns_asked.order)
    kept = _consolidated.get(key) or ()
    consolidated = next((sums for known, sums in kept if known is consolidation), None)
    if consolidated is None:
        consolidated = consolidate(consolidation, at.start, at.end, balance_sheet, columns_asked)
        _consolidated.put(key, ((consolidation, consolidated), *kept[: VARIANTS - 1]))
    digits = digits_of(row.currency)
    figures = compute(planned, consolidated.amounts, digits)
    columns = (*consolidated.columns, ELIMINATIONS, GROUP)
    return GroupFigures(
        StatementFigures(planned, figures, columns, row.currency, digits, at, figures.amounts),
        consolidated,
        consolidation,
    )


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
