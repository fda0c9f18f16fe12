"""A company's move to another chart: what it would do, and doing it in one transaction."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date
from typing import Any

from django.db import transaction
from django.utils import timezone

from core.analysis.amount_rows import rows_of_books
from core.analysis.stretches import of_periods
from core.books.balances import Books, ReadAs, read_anew
from core.books.periods import company_calendar
from core.changes.kinds import Examined, examine
from core.chart_moves.agreeing import (
    AmountsBeside,
    ClassAgreement,
    StatementAgreement,
    booked,
    classes_agree,
    statements_agree,
)
from core.chart_moves.carrying import CarryOver, PostedBefore, carry_over
from core.chart_moves.of_company import MoveToChart
from core.codes.lists import list_index
from core.definitions.state import State
from core.definitions.tables import Company
from core.faults import Fault, Location, Refused, blocking
from core.mapping.second_charts import second_chart_plan, seen_through
from core.statements.plans import natural_list
from web.definitions import actions, snapshot
from web.definitions.deciding import Moved, decided, keep_others_out
from web.definitions.posted import AskedOfBooks
from web.journals import posting
from web.journals.actions import next_number, rules_for
from web.journals.amount_rows import company_rows
from web.journals.book_locks import books_seen, hold_books
from web.journals.books import books_for
from web.journals.elsewhere import years_with_balances
from web.journals.moved_accounts import accounts_named, keep, posted_before


@dataclass(frozen=True)
class ChartMovePlan:
    """What a move would do: the change with the state it leaves, and what it carries over (None: the change
    itself can't be made)."""

    change: MoveToChart
    examined: Examined
    posted: PostedBefore
    carried: CarryOver | None
    not_allowed: list[Fault]
    asked: AskedOfBooks

    @property
    def after(self) -> State:
        return self.examined.after

    @property
    def faults(self) -> list[Fault]:
        """All that keeps it from being made."""
        return blocking(
            [*self.not_allowed, *self.examined.faults, *(self.carried.faults if self.carried else ())]
        )


def planned(
    state: State, company: Company, chart: str, on: date, own_codes: Sequence[str], person: Any
) -> ChartMovePlan:
    """The move as it would be made now. Books kept as balances alone have no journals to carry over."""
    number = next_number(state, company.company)
    now = timezone.now().isoformat()
    change = MoveToChart(company.company, chart, on, now, number, tuple(own_codes))
    posted = posted_before(state, company, on)
    if not posted.standing:
        change = replace(change, journal="")
    asked = AskedOfBooks(state)
    examined = examine(state, change, replace(asked.facts, moving=frozenset({company.company})))
    if any(name == company.company for name, _ in years_with_balances()):
        what = f"{company.name} has balances kept elsewhere, which no journal carries over."
        place, way_out = Location("chart_moves", (company.company,)), "Bring them in the other chart instead."
        fault = Fault("journals-and-balances", what, place, way_out)
        examined = examined._replace(own=[*examined.own, fault])
    if not examined.edits:
        return ChartMovePlan(change, examined, posted, None, [], asked)
    refused = person.not_allowed(state, examined.after, examined.edits)
    carried = carry_over(state, examined.after, change, posted, rules_for(person, examined.after))
    return ChartMovePlan(change, examined, posted, carried, refused, asked)


def agreements(state: State, plan: ChartMovePlan) -> tuple[list[StatementAgreement], list[ClassAgreement]]:
    """Statements of the new chart and classes, before and after; nothing while accounts have no target."""
    carried, company = plan.carried, plan.change.company
    if carried is None or any(not one.target_natural for one in carried.strings.values()):
        return [], []
    amounts = _beside(state, plan, carried)
    return (
        statements_agree(plan.after, company, amounts) if amounts else [],
        classes_agree(state, plan.after, company, plan.posted.standing, carried.strings),
    )


def _beside(state: State, plan: ChartMovePlan, carried: CarryOver) -> AmountsBeside | None:
    """None where there is no period before the move."""
    company = state.require(Company, plan.change.company)
    calendar = company_calendar(state, company.company)
    ended = [row for row in calendar.regular if row.ends_on < plan.change.on]
    mapping = second_chart_plan(state, company.chart, plan.change.chart)
    if not ended or mapping is None:
        return None
    last = max(ended, key=lambda row: row.ends_on)
    rows = company_rows(state, company.company, texts=True)
    accounts = list_index(state, natural_list(state, plan.change.chart))
    strings = {number: carried.strings[account].target for number, account in rows.strings.items()}
    return AmountsBeside(
        replace(seen_through(mapping, accounts, rows, company.company), strings=strings),
        rows_of_books(books_after(state, plan), calendar).with_texts(strings, rows.combinations),
        booked(carried.lines),
        of_periods(calendar, last.fiscal_year, last.period),
    )


def books_after(state: State, move: ChartMovePlan) -> tuple[Books, ...]:
    """The company's books as they would be read after a move: each amount on its account of the new chart,
    under the number of the string that it stands on now."""
    assert move.carried is not None  # its strings were read
    books = books_for(state, [move.change.company])[move.change.company]
    strings = {
        number: ReadAs(number, move.carried.strings[account].target_natural)
        for number, account in accounts_named(books).items()
    }
    return tuple(read_anew(one, strings) for one in books)


@decided(keep_others_out)
def move(
    company: str, chart: str, on: date, own_codes: Sequence[str], person: Any, seen: int | None = None
) -> MoveToChart:
    """Moves a company, and posts what carries over its balances. `seen` is the version that was looked at.
    Raises Refused with every reason why it can't be; then nothing was done."""
    before = snapshot.current()
    if seen is not None and seen != before.version:
        what = "Definitions changed since this was looked at."
        raise Refused([Fault("changed-since", what, way_out="Look at it again first.")])
    row, books = before.state.require(Company, company), books_seen([company])
    plan = planned(before.state, row, chart, on, own_codes, person)
    if plan.faults or plan.carried is None:
        raise Refused(plan.faults)
    strings = {account: (read.target, read.target_natural) for account, read in plan.carried.strings.items()}
    with transaction.atomic():
        hold_books([company], books)
        if plan.change.journal and next_number(before.state, company) != plan.change.journal:
            raise Moved
        keep(company, row.chart, chart, strings)
        if plan.carried.journal is not None:
            ready = [(plan.carried.journal, plan.carried.lines)]
            lines = posting.lines_of(plan.after, ready)
            posting.post(plan.after, [plan.carried.journal], lines, person, judged=None)
        sentence = plan.change.sentence(before.state)
        own = set(books_seen([company]))
        plan.asked.posts()
        actions.write_version(before, plan.examined.edits, sentence, person, plan.asked, after=plan.after)
        if set(books_seen([company])) != own:
            raise Moved  # another company's journal began a year of it meanwhile
    return plan.change
