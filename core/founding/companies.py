"""A company with its own code and calendar; the periods of a further year; its pairs with all others."""

from __future__ import annotations

import calendar as months
import re
from collections.abc import Container, Iterator
from datetime import date, timedelta

from core.books.periods import calendar_index
from core.changes.kinds import Add, Change, ChangeSequence
from core.definitions.nouns import free_id, named
from core.definitions.state import State
from core.definitions.tables import (
    Calendar,
    Chart,
    Code,
    Company,
    CompanyCode,
    Group,
    IntercompanyPair,
    Period,
    StructureSegment,
)
from core.faults import Fault, Location, Refused
from core.group.membership import membership

FIRST_YEAR, LAST_YEAR = 1900, 9990


def year_of_months(calendar: str, begins: date, closing: bool) -> list[Period]:
    """Twelve months from the first day of a month. The year is called after the one in which it ends; raises
    Refused."""
    if begins.day != 1:
        raise Refused(
            [
                Fault(
                    "dates",
                    f"{begins} is not the first day of a month.",
                    Location("periods", (), "begins", str(begins)),
                    "Give the day on which the year begins, as 2026-01-01.",
                )
            ]
        )
    if not FIRST_YEAR <= begins.year < LAST_YEAR:
        raise Refused(
            [
                Fault(
                    "dates",
                    f"No year begins on {begins}.",
                    Location("periods", (), "begins", str(begins)),
                    "Give another day.",
                )
            ]
        )
    periods, start = [], begins
    year = begins.year if begins.month == 1 else begins.year + 1
    for number in range(1, 13):
        end = start.replace(day=months.monthrange(start.year, start.month)[1])
        periods.append(Period(calendar, year, number, f"{start:%B %Y}", start, end))
        start = end + timedelta(days=1)
    if closing:
        last = periods[-1].ends_on
        periods.append(Period(calendar, year, 13, f"Closing {year}", last, last, "closing"))
    return periods


def new_company(
    state: State, row: Company, own_code: str, begins: date | None = None, closing: bool = False
) -> ChangeSequence:
    """A company with its own code, which is added to the company segment's list where it is missing, and,
    where
    `row.calendar` is empty, a calendar of twelve months from `begins`. Raises Refused with its faults."""
    changes: list[Change] = []
    if not row.calendar:
        if begins is None:
            raise Refused(
                [
                    Fault(
                        "dates",
                        "Which calendar it keeps is not said.",
                        Location("companies", (), "calendar"),
                        "Choose one, or give the day on which its year begins.",
                    )
                ]
            )
        name = "Calendar year" if begins.month == 1 else f"Year from {begins:%-d %B}"
        calendar = free_id(name, {calendar_row.calendar for calendar_row in state.rows(Calendar)}, "calendar")
        changes.append(Add(Calendar(calendar, name)))
        changes += [Add(period) for period in year_of_months(calendar, begins, closing)]
        row = row._replace(calendar=calendar)
    segment = next((s for s in _segments(state, row.chart) if s.role == "company"), None)
    if own_code and segment is None:
        raise Refused(
            [
                Fault(
                    "company-code",
                    f"The chart {row.chart} has no company segment, so its companies have no codes of their"
                    " own.",
                    Location("company_codes", (), "code", own_code),
                    "Leave the own code empty.",
                )
            ]
        )
    if own_code and segment is not None:
        if state.get(Code, segment.code_list, own_code) is None:
            changes.append(Add(Code(segment.code_list, own_code, row.name)))
        changes += [Add(row), Add(CompanyCode(row.company, segment.segment, own_code))]
    else:
        changes.append(Add(row))
    return ChangeSequence(tuple(changes), f"Added {named(row)}")


def _segments(state: State, chart: str) -> list[StructureSegment]:
    chart_row = state.get(Chart, chart)
    return (
        sorted(state.part(StructureSegment, chart_row.structure).values(), key=lambda row: row.position)
        if chart_row
        else []
    )


def _no_next(calendar: str, what: str, way_out: str) -> Refused:
    return Refused([Fault("dates", what, Location("periods", (calendar,)), way_out)])


def next_year(state: State, calendar: str) -> ChangeSequence:
    """The periods of the year after the last one, in its pattern: months stay months, weeks go on. Raises
    Refused."""
    index = calendar_index(state, calendar)
    if not index.regular:
        what = "The calendar has no year yet whose pattern could go on."
        raise _no_next(calendar, what, "Add the first period, or make the company's calendar anew.")
    year = index.years()[-1]
    if index.regular[-1].ends_on.year >= LAST_YEAR:
        raise _no_next(calendar, f"No year comes after {year}.", "Leave the calendar as it is.")
    last = index.of_year(year)
    regular = [period for period in last if period.kind == "regular"]
    days = (regular[-1].ends_on - regular[0].starts_on).days + 1
    monthly = regular[0].starts_on.day == 1 and _a_year_on(regular[0].starts_on) == regular[
        -1
    ].ends_on + timedelta(days=1)

    def on(day: date) -> date:
        return _a_year_on(day) if monthly else day + timedelta(days=days)

    rows = [
        row._replace(
            fiscal_year=year + 1,
            name=_a_year_later(row.name, {year, row.starts_on.year, row.ends_on.year}),
            starts_on=on(row.starts_on),
            ends_on=on(row.ends_on),
            status="open",
        )
        for row in last
    ]
    return ChangeSequence(
        tuple(Add(row) for row in rows),
        f"Added {len(rows)} periods of {year + 1} to {calendar}, as {year} has them",
    )


def _a_year_on(day: date) -> date:
    """The same day a year later; the last day of a month stays the last."""
    last = months.monthrange(day.year, day.month)[1]
    wanted = months.monthrange(day.year + 1, day.month)[1] if day.day == last else day.day
    return day.replace(year=day.year + 1, day=wanted)


def _a_year_later(name: str, years: Container[int]) -> str:
    return re.sub(r"\b[0-9]{4}\b", lambda met: str(int(met[0]) + 1) if int(met[0]) in years else met[0], name)


def pairs_wanted(state: State, company: str) -> Iterator[tuple[str, str]]:
    """(company, partner) of pairs that are missing, in both directions. Books that adjust another company's
    face nobody."""
    own = state.get(Company, company)
    if own is None or own.adjusts:
        return
    for other in sorted(state.rows(Company), key=lambda row: row.name):
        if other.company != company and not other.adjusts:
            for pair in ((company, other.company), (other.company, company)):
                if state.get(IntercompanyPair, *pair) is None:
                    yield pair


def partners_lacking(state: State, company: str) -> list[str]:
    """Companies of a group that it belongs to too, with which a pair is missing in one direction or both.
    What shares no group with it needs no pair: nothing is eliminated between them."""
    mates = {
        reached.company
        for group in state.rows(Group)
        if company in (known := {one.company for one in membership(state, group.group).companies})
        for reached in membership(state, group.group).companies
        if reached.company in known
    }
    pairs = pairs_wanted(state, company)
    return list(dict.fromkeys(one for pair in pairs for one in pair if one != company and one in mates))


def pair_with_all(state: State, company: str, due_from: str, due_to: str) -> ChangeSequence:
    """The missing pairs of a company with every other of its chart, in both directions. Raises Refused where
    there are none."""
    company_row = state.get(Company, company)
    charts = {row.company: row.chart for row in state.rows(Company)}
    wanted = [
        pair
        for pair in pairs_wanted(state, company)
        if company_row and charts[pair[0]] == charts[pair[1]] == company_row.chart
    ]
    if not wanted:
        raise Refused(
            [
                Fault(
                    "nothing-missing",
                    "No pair with a company of its chart is missing.",
                    way_out="Pairs with companies of other charts are keyed one by one.",
                )
            ]
        )
    items = tuple(Add(IntercompanyPair(*pair, due_from, due_to)) for pair in wanted)
    return ChangeSequence(items, f"Added {len(items)} intercompany pairs of {company}, in both directions")
