"""Checks of what a group's figures are worked out by: its accounts, ownership, translation, acquisitions."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date
from decimal import Decimal
from typing import Any

from core.cash_flow.activities import CASH
from core.checks.build import mapping_faults, selector_faults
from core.checks.companies import natural_faults
from core.codes.lists import list_index
from core.definitions.row_faults import fault
from core.definitions.state import State
from core.definitions.tables import (
    AcquiredEquity,
    Acquisition,
    ChartMapping,
    Code,
    Company,
    DisagreementNote,
    Elimination,
    Group,
    GroupMember,
    GroupOpening,
    IntercompanyPair,
    OwnershipChange,
    TranslationRule,
)
from core.faults import LOOK, Fault
from core.group.membership import group_calendar, membership
from core.group.needs import accounts_needed
from core.group.ownership import HeldApart, purchases_of, standing
from core.group.periods import group_periods
from core.group.translation_rules import HISTORICAL, rate_of_account
from core.money import digits_of, parse_amount
from core.structures.charts import ChartIndex, chart_index

CLASSES_OF: dict[str, tuple[str, ...]] = {
    "translation_account": ("equity",),
    "retained_account": ("equity",),
    "minority_account": ("equity",),
    "minority_result_account": ("expense",),
    "equity_investment_account": ("asset",),
    "equity_result_account": ("revenue",),
    "disposal_account": ("revenue", "expense"),
}
"""What each account that a group names has to be."""
ACQUISITION = "acquisition"
"""The rule of a side that disagrees because no acquisition explains it."""
RESULT = ("revenue", "expense")


def _chart(state: State, group: str) -> ChartIndex | None:
    row = state.get(Group, group)
    return chart_index(state, row.chart) if row else None


def _codes(state: State, group: str) -> dict[str, Code]:
    chart = _chart(state, group)
    return list_index(state, chart.natural_list).codes if chart else {}


def group_accounts(state: State, rows: list[Group]) -> Iterator[Fault]:
    """The accounts a group names have their class, and those that its members need are there."""
    for row in rows:
        codes = _codes(state, row.group)
        for column, classes in CLASSES_OF.items():
            if not (code := getattr(row, column)):
                continue
            yield from natural_faults(_chart(state, row.group), row, column)
            if (
                (account := codes.get(code))
                and account.takes_amounts
                and account.account_class not in classes
            ):
                what = (
                    f"{code} {account.name} is of class {account.account_class}; this is {_one_of(classes)}."
                )
                yield fault(row, column, what, "Choose another account.", "group-account")
        for column, why in accounts_needed(state, row.group).items():
            if not getattr(row, column):
                title = column.replace("_", " ")
                what = f"{row.group} names no {title}, and {why} needs it."
                yield fault(
                    row, column, what, f"Give {_one_of(CLASSES_OF[column])}.", "group-account-missing"
                )


def _one_of(classes: tuple[str, ...]) -> str:
    words = " or ".join(classes)
    return f"an account of class {words}"


def ownership_changes(state: State, rows: list[OwnershipChange]) -> Iterator[Fault]:
    for row in rows:
        if not Decimal(0) <= row.ownership <= Decimal(100):
            yield fault(row, "ownership", "Ownership is a percentage from 0 to 100.", "Correct it.")
        if state.get(Group, row.group) and state.get(GroupMember, row.group, row.member) is None:
            what = f"{row.member} is no member of {row.group}."
            yield fault(row, "member", what, "Add the member, or correct the name.", "reference")
        for apart in _apart_from(state, row.on, row.group, row.member):
            yield _without_purchase(row, "ownership", apart)


def members(state: State, rows: list[GroupMember]) -> Iterator[Fault]:
    """What a membership that begins makes of what was bought."""
    for row in rows:
        for apart in _apart_from(state, row.in_from, row.group, row.member) if row.in_from else ():
            yield _without_purchase(row, "ownership", apart)


def _apart_from(state: State, on: date, group: str, member: str) -> Iterator[HeldApart]:
    """What is held otherwise than bought from a day on, in any group, by way of a membership."""
    for row in state.rows(Group):
        for one in purchases_of(state, row.group):
            links = (*one.member.links, *one.holder.links)
            is_on_path = any((link.group, link.member) == (group, member) for link in links)
            if is_on_path and on in one.days and (apart := one.apart_on(on)):
                yield apart


def _without_purchase(row: Any, column: str, apart: HeldApart) -> Fault:
    way_out = "Key what was bought or sold as an acquisition of that day, or correct the ownership."
    return fault(row, column, apart.sentence, way_out, "percent-held", LOOK)


def translation_rules(state: State, rows: list[TranslationRule]) -> Iterator[Fault]:
    for row in rows:
        chart = _chart(state, row.group)
        if chart is None:
            continue
        picked, faults = selector_faults(state, row, "accounts", chart.natural_list)
        yield from faults
        if row.rate != "closing":
            yield from _no_cash(state, row, "accounts", picked.codes, "is translated at closing rates")
            continue
        codes = list_index(state, chart.natural_list).codes
        if wrong := sorted(code for code in picked.codes if codes[code].account_class in RESULT):
            what = f"{wrong[0]} {codes[wrong[0]].name} is of class {codes[wrong[0]].account_class}."
            way_out = "Revenue and expense are translated at average or historical rates."
            yield fault(row, "rate", what, way_out, "translation-class")


def group_openings(state: State, rows: list[GroupOpening]) -> Iterator[Fault]:
    for row in rows:
        group, company = state.get(Group, row.group), state.get(Company, row.company)
        if group is None or company is None:
            continue
        yield from natural_faults(_chart(state, row.group), row, "account")
        yield from _amount(row, "amount", group.currency)
        account = _codes(state, row.group).get(row.account)
        if company.currency == group.currency:
            what = f"{row.company} keeps its books in {group.currency}, so nothing of it is translated."
            yield fault(row, "company", what, "Leave the row out.", "opening-unneeded")
        if account and account.account_class in RESULT:
            what = f"{row.account} {account.name} is of class {account.account_class}."
            yield fault(row, "account", what, "Opening amounts are of balance accounts.", "opening-class")
        elif account and rate_of_account(state, row.group, row.account) != HISTORICAL:
            what = f"{row.account} {account.name} is not translated at historical rates."
            way_out = "Leave the row out, or add a translation rule for the account."
            yield fault(row, "account", what, way_out, "opening-class")
        if not _belongs(state, row.group, row.company):
            what = f"{row.company} is not in {row.group}."
            yield fault(row, "company", what, "Leave the row out.", "opening-unneeded", LOOK)


def _no_cash(state: State, row: Any, column: str, codes: frozenset[str], instead: str) -> Iterator[Fault]:
    """Cash is what the group's cash flow comes to: nothing else may move it there."""
    known = _codes(state, row.group)
    if cash := sorted(code for code in codes if known[code].cash_flow == CASH):
        what = f"{cash[0]} {known[cash[0]].name} is cash, which {instead}."
        yield fault(row, column, what, "Take it off.", "cash-moved")


def _belongs(state: State, group: str, company: str) -> bool:
    row = state.get(Company, company)
    names = {reached.company for reached in membership(state, group).companies}
    return company in names or bool(row and row.adjusts in names)


def _amount(row: Any, column: str, currency: str) -> Iterator[Fault]:
    minor = parse_amount(getattr(row, column), digits_of(currency))
    if isinstance(minor, str):
        yield fault(row, column, minor, "Correct the amount.", "amount-unreadable")


def acquisitions(state: State, rows: list[Acquisition]) -> Iterator[Fault]:
    for row in rows:
        group, chart = state.get(Group, row.group), _chart(state, row.group)
        if group is None or chart is None:
            continue
        names = {reached.company for reached in membership(state, row.group).companies}
        for column in ("member", "holder"):
            if state.get(Company, getattr(row, column)) and getattr(row, column) not in names:
                what = f"{getattr(row, column)} is no company of {row.group}."
                yield fault(row, column, what, "Choose one of its companies.", "reference")
        if row.member == row.holder:
            yield fault(
                row, "holder", "A company does not acquire itself.", "Choose another company.", "holder"
            )
        if not Decimal(-100) <= row.percent <= Decimal(100):
            what = "What is acquired is a percentage, at most 100; below zero for a sale."
            yield fault(row, "percent", what, "Correct it.", "percent")
        yield from _amount(row, "cost", group.currency)
        picked, faults = selector_faults(state, row, "investment", chart.natural_list)
        yield from faults
        yield from _no_cash(state, row, "investment", picked.codes, "is no investment")
        yield from natural_faults(chart, row, "goodwill_account")
        account = _codes(state, row.group).get(row.goodwill_account)
        if account and account.account_class in RESULT:
            what = f"{row.goodwill_account} {account.name} is of class {account.account_class}."
            yield fault(row, "goodwill_account", what, "Choose a balance account.", "group-account")
        yield from _one_holder(state, row)
        yield from _equity_day(state, row)
        for one in purchases_of(state, row.group):
            if one.member.company == row.member and (apart := one.apart_on(row.on)):
                yield _without_purchase(row, "percent", apart)


def _one_holder(state: State, row: Acquisition) -> Iterator[Fault]:
    """The first row of a member says who holds it."""
    same = [r for r in state.part(Acquisition, row.group).values() if r.member == row.member]
    first = min(same, key=lambda r: r.on, default=row)
    if first.holder != row.holder:
        what = f"{row.member} was acquired by {first.holder} on {first.on}."
        yield fault(row, "holder", what, "All acquisitions of a member have one holder.", "holder")


def _equity_day(state: State, row: Acquisition) -> Iterator[Fault]:
    """Equity is not taken from before the period that comes before the member's first one."""
    calendar = group_calendar(state, row.group)
    reached = next((r for r in membership(state, row.group).companies if r.company == row.member), None)
    if row.equity_at is None or reached is None or reached.in_from is None or calendar is None:
        return
    periods = group_periods(calendar)
    base = standing(state, reached, periods).base if periods.rows else None
    if base is not None and periods.holding(row.equity_at) < base:
        what = f"{row.member} is in from {reached.in_from}; its equity is not taken from {row.equity_at}."
        way_out = f"Give a day from {periods.ends_on(base)} on, or leave it empty."
        yield fault(row, "equity_at", what, way_out, "equity-day")


def acquired_equity(state: State, rows: list[AcquiredEquity]) -> Iterator[Fault]:
    for row in rows:
        group = state.get(Group, row.group)
        if group is None:
            continue
        yield from natural_faults(_chart(state, row.group), row, "account")
        yield from _amount(row, "amount", group.currency)
        if state.get(Acquisition, row.group, row.member, row.on) is None:
            what = f"There is no acquisition of {row.member} on {row.on}."
            yield fault(row, "on", what, "Give the day of the acquisition.", "reference")


def chart_mappings(state: State, rows: list[ChartMapping]) -> Iterator[Fault]:
    for row in rows:
        group, own = state.get(Group, row.group), chart_index(state, row.chart)
        yield from natural_faults(_chart(state, row.group), row, "target")
        if group is None or own is None:
            continue
        if row.chart == group.chart:
            what = f"{row.chart} is the group's own chart, so its mapping is not used."
            yield fault(row, "chart", what, "Leave the row out.", "mapping-unused", LOOK)
        yield from mapping_faults(state, row, own)


def adjusting(state: State, rows: list[Company]) -> Iterator[Fault]:
    """Books that adjust another company's: of one currency, no member, nobody's partner, not adjusted
    themselves."""
    for row in rows:
        if not row.adjusts:
            continue
        other = state.get(Company, row.adjusts)
        if row.adjusts == row.company or (other and other.adjusts):
            what = f"{row.adjusts} is itself a set of adjusting books."
            yield fault(row, "adjusts", what, "Name the company whose books they correct.", "adjusts")
        elif other and other.currency != row.currency:
            what = (
                f"{row.company} is in {row.currency} and adjusts {row.adjusts}, which is in {other.currency}."
            )
            yield fault(row, "currency", what, f"Keep the adjusting books in {other.currency}.", "adjusts")
        members = (
            r for r in state.rows(GroupMember) if r.member == row.company and r.member_kind == "company"
        )
        if member := next(members, None):
            what = f"{row.company} adjusts {row.adjusts} and is a member of {member.group}."
            yield fault(row, "adjusts", what, "Adjusting books are in wherever that company is.", "adjusts")
        pairs = (r for r in state.rows(IntercompanyPair) if row.company in (r.company, r.partner))
        if pair := next(pairs, None):
            names = f"{pair.company} and {pair.partner}"
            what = f"{row.company} adjusts {row.adjusts} and is in the pair of {names}."
            yield fault(row, "adjusts", what, "Adjusting books are nobody's partner.", "adjusts")


def elimination_rules(state: State, rows: list[Elimination]) -> Iterator[Fault]:
    """A rule that takes balances has a balance account for its difference; tolerances are amounts."""
    for row in rows:
        group, chart = state.get(Group, row.group), _chart(state, row.group)
        if group is None or chart is None:
            continue
        yield from _amount(row, "tolerance", group.currency)
        if row.tolerance.startswith("-"):
            yield fault(row, "tolerance", "A tolerance is not below zero.", "Correct it.", "tolerance")
        codes = _codes(state, row.group)
        picked = selector_faults(state, row, "accounts", chart.natural_list)[0].codes
        yield from _no_cash(state, row, "accounts", picked, "is not eliminated")
        difference = codes.get(row.difference_account)
        balance = sorted(code for code in picked if codes[code].account_class not in RESULT)
        if balance and difference and difference.account_class in RESULT:
            what = (
                f"{row.elimination} takes the balance account {balance[0]}, and its difference account"
                f" {row.difference_account} is of class {difference.account_class}."
            )
            yield fault(row, "difference_account", what, "Choose a balance account.", "elimination-class")


def disagreement_notes(state: State, rows: list[DisagreementNote]) -> Iterator[Fault]:
    """A note is on a pair under a rule of the group; one that accepts says up to which amount."""
    for row in rows:
        group = state.get(Group, row.group)
        if group is None:
            continue
        if row.rule != ACQUISITION and state.get(Elimination, row.group, row.rule) is None:
            what = f"{row.group} has no elimination {row.rule}."
            yield fault(row, "rule", what, f"Name one of its eliminations, or {ACQUISITION}.", "reference")
        if row.partner and state.get(Company, row.partner) is None:
            what = f"There is no company {row.partner}."
            yield fault(row, "partner", what, "Name a company, or none.", "reference")
        elif row.partner and row.partner <= row.company:
            what = f"{row.company} and {row.partner} are not two companies in the order of their ids."
            yield fault(row, "partner", what, "Name the one that comes first as the company.", "pair-order")
        yield from _amount(row, "up_to", group.currency)
        if row.up_to.startswith("-"):
            yield fault(row, "up_to", "An amount accepted is not below zero.", "Correct it.", "tolerance")
        if row.state == "accepted" and not row.up_to:
            what = "What is accepted has an amount up to which it is."
            yield fault(row, "up_to", what, "Give the amount, or let it be explained.", "note-amount")
        if row.state != "open" and not row.note.strip():
            what = f"What is {row.state} has a note that says why."
            yield fault(row, "note", what, "Write it.", "note-missing")


CHECKS: list[tuple[type[Any], Any]] = [
    (Group, group_accounts),
    (OwnershipChange, ownership_changes),
    (GroupMember, members),
    (TranslationRule, translation_rules),
    (GroupOpening, group_openings),
    (Acquisition, acquisitions),
    (AcquiredEquity, acquired_equity),
    (ChartMapping, chart_mappings),
    (Company, adjusting),
    (Elimination, elimination_rules),
    (DisagreementNote, disagreement_notes),
]
