"""What only a group's figures tell: rates that are missing, ways that differ, bargains, calendars far
apart."""

from __future__ import annotations

from calendar import monthrange
from collections.abc import Iterable, Iterator
from datetime import date

import numpy as np

from core.books.periods import company_calendar
from core.consolidation.position import Consolidation
from core.definitions.row_faults import fault
from core.definitions.state import State
from core.definitions.tables import Acquisition, Group
from core.faults import LOOK, Fault
from core.group.cells import BookSet
from core.group.membership import group_calendar, membership
from core.group.ownership import Standing, apart_at
from core.group.rates import RateMissing
from core.group.translation_rules import AVERAGE, CLOSING, HISTORICAL
from core.money import digits_of, format_amount, show_rate

MONTHS_APART = 3
"""Of statements taken together, at most (IFRS 10.B93)."""


def figure_checks(group: Consolidation) -> Iterator[Fault]:
    """Every period that has amounts is looked at, whatever is missing in those before it."""
    yield from _missing(group)
    yield from (each for _, each in _ways(group))
    yield from (each for _, each in _acquisitions(group))


def faults_by_company(group: Consolidation, p: int) -> dict[str, list[Fault]]:
    """What figures tell of each company, but for rates that are missing: those keep it waiting; and what is
    held otherwise than bought at the end of p."""
    by_company: dict[str, list[Fault]] = {}
    for currency, each in _ways(group):
        for company in sorted(group.standings):
            if any(books.currency == currency for books in group.books.of(company)):
                by_company.setdefault(company, []).append(each)
    for company, each in (*_acquisitions(group), *_calendars_apart(group.state, group.group)):
        by_company.setdefault(company, []).append(each)
    for apart in apart_at(group.state, group.group.group, group.periods.ends_on(p)):
        way_out = "Key what was bought or sold, or correct the ownership."
        told = fault(group.group, "group", apart.sentence, way_out, "percent-held", LOOK)
        by_company.setdefault(apart.member, []).append(told)
    return by_company


def last_with_amounts(group: Consolidation) -> int:
    return max(periods_with_amounts(group), default=0)


def periods_with_amounts(group: Consolidation) -> list[int]:
    """Periods in which any set of books of the group moved."""
    any_moved = np.zeros(group.periods.last + 1, dtype=bool)
    for books in group.books.sets:
        if len(books.own):
            any_moved |= ((books.moved != 0) | (books.closed != 0)).any(axis=0)
    return [int(i) for i in np.flatnonzero(any_moved)]


def _missing(group: Consolidation) -> Iterator[Fault]:
    """Each rate that is missing once, with all the companies that wait for it."""
    waiting: dict[tuple[int, str], list[str]] = {}
    periods = periods_with_amounts(group)
    for company, standing in group.standings.items():
        for books in group.books.of(company):
            for kind, i in needed_rates(group, standing, books, periods):
                try:
                    group.rates.of(kind, books.currency, i)
                except RateMissing as missing:
                    names = waiting.setdefault((i, str(missing)), [])
                    if company not in names:
                        names.append(company)
    for i in periods:
        for company, told in group.position(i).waiting.items():
            if not any(company in names for names in waiting.values()):
                waiting.setdefault((i, str(told)), []).append(company)
    for (_, why), names in sorted(waiting.items()):
        what = f"{', '.join(names)} {why if len(names) == 1 else why.replace('waits', 'wait', 1)}."
        yield fault(group.group, "group", what, "Key the rate on storey 6, Rates.", "rate-missing")


def needed_rates(
    group: Consolidation, standing: Standing, books: BookSet, periods: Iterable[int]
) -> Iterator[tuple[str, int]]:
    """(kind, period) of each rate a set of books is translated by."""
    if not len(books.own) or books.currency == group.group.currency:
        return
    base = standing.base
    if base is not None and np.any(books.books_to[:, base] != 0):
        yield CLOSING, base
    kinds = np.array([group.books.accounts.rate[t] for t in books.target], dtype=object)
    results = np.array([group.books.accounts.is_result(t) for t in books.target], dtype=bool)
    kinds[results & (kinds == CLOSING)] = AVERAGE
    for i in periods:
        if not standing.is_in[i]:
            continue
        yield CLOSING, i
        for kind in (AVERAGE, HISTORICAL):
            if np.any(books.moved[kinds == kind, i] != 0):
                yield kind, i


def _ways(group: Consolidation) -> Iterator[tuple[str, Fault]]:
    """By currency ways to one rate that differ by more than the digits they are written with."""
    currencies = sorted({books.currency for books in group.books.sets} - {group.group.currency})
    for currency in currencies:
        for i in periods_with_amounts(group):
            for kind in (CLOSING, AVERAGE):
                ways = list(group.rates.ways(kind, currency, i))
                for other in ways[1:]:
                    if abs(ways[0].rate - other.rate) > ways[0].blur + other.blur:
                        what = (
                            f"The {kind} rate of {currency} to {group.group.currency} on"
                            f" {ways[0].on} is {show_rate(ways[0].rate)} {ways[0].name} and"
                            f" {show_rate(other.rate)} {other.name}."
                        )
                        way_out = "Correct one of them."
                        yield currency, fault(group.group, "group", what, way_out, "rate-ways", LOOK)


def _acquisitions(group: Consolidation) -> Iterator[tuple[str, Fault]]:
    """By company bargains."""
    last = last_with_amounts(group)
    digits, currency = digits_of(group.group.currency), group.group.currency
    rows = sorted(group.state.part(Acquisition, group.group.group).values(), key=lambda row: row.on)
    for purchase in group.position(last).purchases:
        if purchase.bargain < 0:
            first = next(row for row in rows if row.member == purchase.member)
            what = (
                f"{purchase.member} cost {format_amount(-purchase.bargain, digits)} {currency} less than the"
                " equity acquired."
            )
            way_out = "A bargain: take it to income by an adjusting journal."
            yield purchase.member, fault(first, "cost", what, way_out, "bargain", LOOK)


def calendars_apart(state: State, group: Group) -> Iterator[Fault]:
    """Members whose own periods end more than three months before the group's that take them."""
    yield from (each for _, each in _calendars_apart(state, group))


def _calendars_apart(state: State, group: Group) -> Iterator[tuple[str, Fault]]:
    calendar = group_calendar(state, group.group)
    if calendar is None:
        return
    for reached in membership(state, group.group).companies:
        own = company_calendar(state, reached.company)
        if own.calendar == calendar.calendar:
            continue
        for period in calendar.regular:
            inside = [p for p in own.regular if period.starts_on <= p.ends_on <= period.ends_on]
            last = max((p.ends_on for p in inside), default=None)
            if last is None:
                continue
            if _more_than_three_months(last, period.ends_on):
                what = (
                    f"The last period of {reached.company} in {period.name} ends on {last}, more than three"
                    f" months before it."
                )
                way_out = "Bring the calendars closer, or adjust for what happened in between."
                yield reached.company, fault(group, "calendar", what, way_out, "calendars-apart", LOOK)
                break


def _more_than_three_months(one: date, other: date) -> bool:
    """A month's last day counts as the last day of any other."""
    months = (other.year - one.year) * 12 + other.month - one.month
    is_last = one.day == monthrange(one.year, one.month)[1]
    return months > MONTHS_APART or (months == MONTHS_APART and other.day > one.day and not is_last)
