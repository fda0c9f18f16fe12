"""A new company put into all places in which another one is: accounts open, pairs with its partners, groups,
mappings, overlay.

Where partners of a chart face the pattern on accounts of its own ("Due from Veenbol"), the new company gets
such accounts too: the next free codes behind them all, named after it.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from datetime import date
from typing import NamedTuple

from core.changes.kinds import Add, AddCode, Change, ChangeSequence, Put
from core.codes.hierarchies import main_hierarchies
from core.codes.lists import list_index, next_free
from core.definitions.state import State
from core.definitions.tables import (
    Code,
    Company,
    CompanyAccount,
    CompanyCurrency,
    GroupMember,
    HierarchyNode,
    IntercompanyPair,
    Mapping,
    SecondChart,
)
from core.founding.companies import new_company
from core.structures.charts import chart_index

PLACES = ("accounts", "pairs", "groups", "mapping")
"""What may be taken over from the pattern."""
NOISE = re.compile(r"\b(plc|ltd|limited|group|holding)\b\.?", re.IGNORECASE)


class FacingAccounts(NamedTuple):
    """The accounts on which others of a chart face a company, and the changes that make them."""

    due_from: str
    due_to: str
    changes: tuple[Change, ...]


def company_like(
    state: State,
    row: Company,
    pattern: Company,
    own_code: str,
    begins: date | None,
    places: frozenset[str],
    closing: bool = False,
) -> ChangeSequence:
    """A company as `new_company` makes it, with overlay and settings of the pattern, in the places asked for.
    Raises Refused with its faults."""
    row = row._replace(
        overlay=row.overlay or pattern.overlay,
        foreign_currencies=pattern.foreign_currencies,
        accounts_open=pattern.accounts_open if "accounts" in places else row.accounts_open,
    )
    made = new_company(state, row, own_code, begins, closing)
    changes: list[Change] = [*made.changes]
    alike = row.chart == pattern.chart
    if "pairs" in places:
        changes += _pairs(state, row, pattern)
    if "accounts" in places and alike:
        changes += _accounts(state, row, pattern, changes)
    if "groups" in places:
        changes += (
            Add(member._replace(member=row.company, in_from=begins, in_until=None))
            for member in _memberships(state, pattern)
        )
    changes += _currencies(state, row, pattern)
    if "mapping" in places and alike:
        changes += _mapped(state, row, pattern)
    return ChangeSequence(tuple(changes), f"Added company {row.company} {row.name}, like {pattern.name}")


def _currencies(state: State, row: Company, pattern: Company) -> Iterator[Change]:
    for own in sorted(state.part(CompanyCurrency, pattern.company).values()):
        if own.currency != row.currency:
            yield Add(own._replace(company=row.company))


def _mapped(state: State, row: Company, pattern: Company) -> Iterator[Change]:
    """Where the pattern's accounts go in groups, and in which second charts it is seen."""
    for own in sorted(state.rows(Mapping), key=lambda own: (own.group, own.position)):
        if own.company == pattern.company:
            yield Add(own._replace(company=row.company))
    for second in sorted(state.part(SecondChart, pattern.company).values()):
        yield Add(second._replace(company=row.company))


def _memberships(state: State, pattern: Company) -> Iterator[GroupMember]:
    for member in sorted(state.rows(GroupMember), key=lambda own: own[:2]):
        if member.member == pattern.company and member.member_kind == "company":
            yield member


def _accounts(state: State, row: Company, pattern: Company, changes: list[Change]) -> Iterator[Change]:
    """The pattern's settings of accounts, and where only listed ones are open, those of the new pairs."""
    codes = {own.code: own for own in state.part(CompanyAccount, pattern.company).values()}
    yield from (Put(own._replace(company=row.company)) for own in codes.values())
    if row.accounts_open == "listed":
        pairs = [change.row for change in changes if isinstance(change, Add)]
        wanted = {
            code
            for pair in pairs
            if isinstance(pair, IntercompanyPair) and pair.company == row.company
            for code in (pair.due_from, pair.due_to)
        }
        yield from (Put(CompanyAccount(row.company, code)) for code in sorted(wanted - set(codes)))


def _pairs(state: State, row: Company, pattern: Company) -> Iterator[Change]:
    """With each partner of the pattern, and with the pattern itself, in both directions."""
    facing: dict[str, FacingAccounts] = {}
    partners = sorted(
        {pair.partner for pair in state.part(IntercompanyPair, pattern.company).values()} | {pattern.company}
    )
    added: set[str] = set()
    pairs: list[IntercompanyPair] = []
    for name in partners:
        partner = state.get(Company, name)
        if partner is None or partner.adjusts:
            continue
        own = state.get(IntercompanyPair, pattern.company, name) if name != pattern.company else None
        if own is None:  # of the pattern itself: as others of its chart book it
            own = _booking(state, row.chart, pattern.company)
        if own is not None:
            pairs.append(IntercompanyPair(row.company, name, own.due_from, own.due_to))
        if partner.chart not in facing:
            accounts = facing_accounts(state, partner.chart, row, pattern)
            if accounts is None:
                continue
            facing[partner.chart] = accounts
        accounts = facing[partner.chart]
        if partner.chart not in added:
            added.add(partner.chart)
            yield from accounts.changes
        pairs.append(IntercompanyPair(name, row.company, accounts.due_from, accounts.due_to))
        yield from _opening(state, partner, (accounts.due_from, accounts.due_to))
    yield from (Add(pair) for pair in pairs)


def _opening(state: State, partner: Company, codes: tuple[str, ...]) -> Iterator[Change]:
    """A partner that has only listed accounts open needs those of the pair."""
    for code in codes if partner.accounts_open == "listed" else ():
        if state.get(CompanyAccount, partner.company, code) is None:
            yield Put(CompanyAccount(partner.company, code))


def _booking(state: State, chart: str, partner: str) -> IntercompanyPair | None:
    """How any company of a chart books a partner, the first by name."""
    companies = {row.company for row in state.rows(Company) if row.chart == chart}
    pairs = (pair for pair in state.rows(IntercompanyPair) if pair.partner == partner)
    return min((pair for pair in pairs if pair.company in companies), default=None)


def facing_accounts(state: State, chart: str, row: Company, pattern: Company) -> FacingAccounts | None:
    """On which accounts companies of a chart are to face a new company: those on which they face the pattern
    where these face others too, else new ones beside them. None where nobody faces the pattern."""
    pair = _booking(state, chart, pattern.company)
    index = chart_index(state, chart)
    if pair is None or index is None:
        return None
    changes: list[Change] = []
    codes = []
    taken: set[str] = set()
    for code in (pair.due_from, pair.due_to):
        if _faces_others(state, chart, code, pattern.company):
            codes.append(code)
            continue
        made = _beside(state, index.natural_list, code, row, pattern, taken)
        if made is None:
            return None
        taken.add(made.row.code)
        codes.append(made.row.code)
        changes.append(made)
    return FacingAccounts(codes[0], codes[1], tuple(changes))


def _faces_others(state: State, chart: str, code: str, partner: str) -> bool:
    companies = {row.company for row in state.rows(Company) if row.chart == chart}
    return any(
        code in (pair.due_from, pair.due_to) and pair.partner != partner
        for pair in state.rows(IntercompanyPair)
        if pair.company in companies
    )


def _beside(
    state: State, code_list: str, code: str, row: Company, pattern: Company, taken: set[str]
) -> AddCode | None:
    """A code like another, under the same rollup code, named after the new company."""
    known = list_index(state, code_list).codes.get(code)
    free = next_free(state, code_list, max(_alike(state, code), default=code))
    while free and free in taken:
        free = next_free(state, code_list, free)
    if known is None or not free:
        return None
    main = main_hierarchies(state).get(code_list, "")
    node = state.get(HierarchyNode, main, code) if main else None
    fresh = Code(*known)._replace(code=free, name=_renamed(known.name, row, pattern), notes="")
    return AddCode(fresh, node.parent if node else "")


def _alike(state: State, code: str) -> set[str]:
    """Codes on which anybody faces anybody, that begin and are as long as this one."""
    return {
        other
        for pair in state.rows(IntercompanyPair)
        for other in (pair.due_from, pair.due_to)
        if len(other) == len(code) and other[:-2] == code[:-2]
    }


def _renamed(name: str, row: Company, pattern: Company) -> str:
    """The name of an account with one company's name in the place of another's; behind it where it isn't
    named."""
    for known in (pattern.name, NOISE.sub("", pattern.name).strip(), *reversed(pattern.name.split())):
        if known and len(known) > 3 and known in name:
            return name.replace(known, row.name)
    return f"{name}, {row.name}"
