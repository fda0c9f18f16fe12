"""Whether each company of a group is ready for a period: what is in order, worth a look, to be put right."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import NamedTuple

import numpy as np

from core import money
from core.books.periods import company_calendar
from core.codes.lists import list_index
from core.consolidation.position import Consolidation, Position
from core.definitions.tables import Company
from core.faults import LOOK, MUST, Fault
from core.group.mapping import map_plan
from core.group_figures.sum_up import disagreements
from core.keeping.notes import SAYS, NotedDisagreement, noted

PERIODS, PLACED, SIDES, RATES, CHECKS = "periods", "placed", "sides", "rates", "checks"
IN_ORDER = ""


class ReadyCheck(NamedTuple):
    """One thing a company has to have in order; `severity` IN_ORDER, LOOK or MUST, `says` in a few words."""

    name: str
    severity: str
    says: str


class CompanyReadiness(NamedTuple):
    """A company, its checks in order."""

    company: str
    checks: tuple[ReadyCheck, ...]

    @property
    def severity(self) -> str:
        return worst(check.severity for check in self.checks)


def worst(severities: Iterable[str]) -> str:
    known = set(severities)
    return MUST if MUST in known else LOOK if LOOK in known else IN_ORDER


def readiness(
    group: Consolidation, position: Position, faults: Mapping[str, Sequence[Fault]]
) -> list[CompanyReadiness]:
    """Of every company that is in at the end of the period; `faults` are what checks say of each."""
    p = position.period
    digits = money.digits_of(group.group.currency)
    apart = noted(group.state, group.group.group, disagreements(position), digits)
    return [
        CompanyReadiness(
            name,
            (
                _periods(group, name, p),
                _placed(group, name, p),
                _sides(apart, name),
                _rates(position, name),
                _checks(faults.get(name, ())),
            ),
        )
        for name, standing in sorted(group.standings.items())
        if standing.is_in[p]
    ]


def _periods(group: Consolidation, company: str, p: int) -> ReadyCheck:
    """The company's own periods that end in the group's."""
    first, last = group.periods.within(p)
    own = [
        row
        for row in company_calendar(group.state, company).periods.values()
        if first <= row.ends_on <= last and (row.kind == "regular" or row == group.periods.rows[p - 1])
    ]
    still = [row for row in own if row.status != "closed"]
    if not own:
        return ReadyCheck(PERIODS, LOOK, "no period of its own ends in it")
    if not still:
        return ReadyCheck(PERIODS, IN_ORDER, "closed")
    status = MUST if any(row.status == "open" for row in still) else LOOK
    return ReadyCheck(PERIODS, status, ", ".join(f"{row.name} {row.status}" for row in still))


def _placed(group: Consolidation, company: str, p: int) -> ReadyCheck:
    accounts = group.books.accounts
    without: dict[str, int] = {}
    for books in group.books.of(company):
        amounts = books.books_to[:, p]
        for cell in np.flatnonzero((books.target >= len(accounts.codes)) & (amounts != 0)).tolist():
            without[books.own[cell]] = without.get(books.own[cell], 0) + int(amounts[cell])
    without = {code: amount for code, amount in without.items() if amount}
    if without:
        currency = group.state.require(Company, company).currency
        digits = money.digits_of(currency)
        told = [f"{code} {money.show_amount(without[code], digits)}" for code in sorted(without)[:3]]
        more = f" and {len(without) - 3} more" if len(without) > 3 else ""
        return ReadyCheck(PLACED, MUST, f"{', '.join(told)} {currency}{more}")
    plan = map_plan(group.state, group.group.group, company)
    if plan is not None and not plan.shared:
        own = list_index(group.state, plan.chart.natural_list).posting
        if unplaced := sum(plan.plain(code) == "" for code in own):
            return ReadyCheck(PLACED, LOOK, f"{unplaced} on no account, without amounts")
    return ReadyCheck(PLACED, IN_ORDER, "all")


def _sides(apart: Iterable[NotedDisagreement], company: str) -> ReadyCheck:
    of_company = [one for one in apart if company in (one.apart.company, one.apart.partner)]
    severity = worst(one.severity for one in of_company)
    states = [one.state for one in of_company]
    says = ", ".join(f"{states.count(state)} {SAYS[state]}" for state in dict.fromkeys(states))
    return ReadyCheck(SIDES, severity, says or "agree")


def _rates(position: Position, company: str) -> ReadyCheck:
    missing = position.waiting.get(company)
    return ReadyCheck(RATES, MUST, str(missing)) if missing else ReadyCheck(RATES, IN_ORDER, "there")


def _checks(faults: Sequence[Fault]) -> ReadyCheck:
    if not faults:
        return ReadyCheck(CHECKS, IN_ORDER, "in order")
    first = min(faults, key=lambda fault: fault.severity != MUST)
    more = f" And {len(faults) - 1} more." if len(faults) > 1 else ""
    return ReadyCheck(CHECKS, worst(fault.severity for fault in faults), f"{first.what}{more}")


def not_in_order(rows: Iterable[CompanyReadiness], names: dict[str, str]) -> Iterator[str]:
    """A sentence for each thing that has to be put right."""
    titles = {PERIODS: "periods", PLACED: "accounts placed", SIDES: "sides", RATES: "rates", CHECKS: "checks"}
    for row in rows:
        for check in row.checks:
            if check.severity == MUST:
                yield f"{names.get(row.company, row.company)}, {titles[check.name]}: {check.says}."
