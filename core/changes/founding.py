"""A structure with its segments and codes, a company with its calendar, a year of periods: each from little,
in one change."""

from __future__ import annotations

import calendar as months
import re
from collections import Counter
from collections.abc import Container, Iterator, Sequence
from datetime import date, timedelta
from typing import NamedTuple

from core.books.periods import calendar_index
from core.changes.kinds import Add, Change, ChangeSequence, Put
from core.definitions.kinds import CLASSES, SEPARATORS
from core.definitions.nouns import named
from core.definitions.state import State
from core.definitions.tables import (
    Calendar,
    Chart,
    ChartSegment,
    Code,
    CodeList,
    Company,
    CompanyCode,
    Hierarchy,
    IntercompanyPair,
    Period,
    Structure,
    StructureSegment,
)
from core.faults import Fault, Location, Refused

LONGEST_ID = 40
FIRST_YEAR, LAST_YEAR = 1900, 9990


def free_id(name: str, taken: Container[str], otherwise: str = "new") -> str:
    """An id made of a name's letters and digits that nothing has yet."""
    base = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[: LONGEST_ID - 4] or otherwise
    return next(text for n in range(1, 10**6) if (text := base if n == 1 else f"{base}-{n}") not in taken)


class SegmentWanted(NamedTuple):
    """A segment as a person describes it. `code_list` names one that is there; empty makes one from `length`
    and `codes`,
    lines of a code, a name and, in the natural account's list, a class at the end."""

    name: str
    role: str = ""
    code_list: str = ""
    length: str = ""
    codes: str = ""
    required: bool = True
    default_code: str = ""


EMPTY = (SegmentWanted(""), SegmentWanted("", required=False))


def _fault(row: int, column: str, what: str, way_out: str, value: str = "") -> Fault:
    return Fault("segment", what, Location("structure_segments", (), column, value, row), way_out)


CODE_LINE = re.compile(r"(\S+)\s+(.*\S)")
LENGTH = re.compile(r"([0-9]{1,2})(?:\s*(?:-|–|to)\s*([0-9]{1,2}))?", re.ASCII)


def codes_of(text: str, natural: bool) -> tuple[list[Code], list[str]]:
    """Codes written a line each, of a list yet to be named; and the lines that can't be read."""
    codes, unread = [], []
    for line in text.splitlines():
        if not line.strip():
            continue
        read = CODE_LINE.fullmatch(line.strip())
        if read is None:
            unread.append(line.strip())
            continue
        code, name = read[1], re.sub(r"\s+", " ", read[2])
        words, account_class = name.split(" "), ""
        if natural:
            account_class = words[-1].lower() if words[-1].lower() in CLASSES else ""
            if not account_class or len(words) < 2:
                unread.append(line.strip())
                continue
            name = " ".join(words[:-1])
        codes.append(Code("", code, name, account_class=account_class))
    return codes, unread


def _characters(codes: Sequence[Code]) -> str:
    if all(row.code.isdigit() for row in codes):
        return "digits"
    return "letters" if all(row.code.isalpha() for row in codes) else "alphanumeric"


def _code_faults(number: int, codes: list[Code], unread: list[str], natural: bool) -> Iterator[Fault]:
    """Lines that are no code, and codes given twice; at most twenty of each."""
    for line in unread[:20]:
        what = f"'{line}' is not written as a code, a name{' and a class' if natural else ''}."
        way_out = f"As in: {'1000 Cash at bank asset' if natural else '10 Head office'}."
        yield _fault(number, "codes", what, way_out, line)
    counts = Counter(row.code for row in codes)
    for code in sorted(code for code, count in counts.items() if count > 1)[:20]:
        yield _fault(number, "codes", f"The code {code} stands twice.", "Give each code once.", code)


def _length_faults(
    number: int, wanted: SegmentWanted, length: re.Match[str] | None, has_codes: bool
) -> Iterator[Fault]:
    """A length that can't be read; none, where no code says how long they are."""
    text = wanted.length.strip()
    if text and length is None:
        yield _fault(number, "length", f"'{text}' is no length.", "Write 4, or 4 to 6.", wanted.length)
    if not text and not has_codes:
        what = f"How long the codes of {wanted.name} are is not said."
        yield _fault(number, "length", what, "Give the length, or the codes.")


def _new_list(
    state: State, number: int, wanted: SegmentWanted, taken: Container[str]
) -> tuple[str, list[Change], list[Fault]]:
    """The list of a segment made on the spot, with its codes and, for natural accounts, a main hierarchy."""
    natural = wanted.role == "natural_account"
    codes, unread = codes_of(wanted.codes, natural)
    length = LENGTH.fullmatch(wanted.length.strip())
    faults = [
        *_code_faults(number, codes, unread, natural),
        *_length_faults(number, wanted, length, bool(codes or unread)),
    ]
    if faults:
        return "", [], faults
    lengths = [len(row.code) for row in codes]
    least, most = (int(length[1]), int(length[2] or length[1])) if length else (min(lengths), max(lengths))
    name = free_id(wanted.name, taken, "list")
    changes: list[Change] = [
        Add(CodeList(name, wanted.name, least, most, _characters(codes) if codes else "digits"))
    ]
    if natural:
        heads = {row.hierarchy for row in state.rows(Hierarchy)}
        changes.append(
            Add(Hierarchy(free_id(f"{name}-tree", heads), name, f"{wanted.name}, main hierarchy", True))
        )
    return name, [*changes, *(Add(row._replace(code_list=name)) for row in codes)], []


def _structure_faults(name: str, separator: str, wanted: Sequence[SegmentWanted]) -> Iterator[Fault]:
    if not name:
        yield Fault(
            "name", "The structure has no name.", Location("structures", (), "structure"), "Give one."
        )
    if separator not in SEPARATORS:
        yield Fault(
            "choice",
            f"'{separator}' is no separator.",
            Location("structures", (), "separator"),
            f"Choose one of {' '.join(SEPARATORS)}.",
        )
    naturals = sum(row.role == "natural_account" for row in wanted)
    if naturals != 1:
        yield Fault(
            "natural",
            f"{'No segment is' if not naturals else f'{naturals} segments are'} the natural account.",
            Location("structure_segments", (), "role"),
            "Exactly one is: it says what was bought, owed or earned.",
        )


def new_structure(state: State, name: str, separator: str, wanted: Sequence[SegmentWanted]) -> ChangeSequence:
    """A structure, its segments with the lists they need, and a chart that puts it to use. Raises Refused
    with its faults."""
    faults = list(_structure_faults(name, separator, wanted))
    structure = free_id(name, {row.structure for row in state.rows(Structure)}, "structure")
    chart = free_id(name, {row.chart for row in state.rows(Chart)}, "chart")
    lists = {row.code_list for row in state.rows(CodeList)}
    segments: set[str] = set()
    before: list[Change] = []
    rows: list[Change] = [Add(Structure(structure, name, separator)), Add(Chart(chart, name, structure))]
    position = 0
    for number, row in enumerate(wanted, 1):
        if row in EMPTY:
            continue
        position += 1
        if not row.name:
            faults.append(
                _fault(number, "name", f"Segment {number} has no name.", "Give one, or empty the row.")
            )
            continue
        code_list, parts, segment_faults = (
            (row.code_list, [], []) if row.code_list else _new_list(state, number, row, lists)
        )
        faults += segment_faults
        before += parts
        lists.add(code_list)
        segment = free_id(row.name, segments, "segment")
        segments.add(segment)
        rows.append(
            Add(StructureSegment(structure, position, segment, row.name, code_list, row.role or "other"))
        )
        own = ChartSegment(chart, segment, row.required, row.default_code)
        rows += [Put(own)] if own != ChartSegment(chart, segment) else []
    if faults:
        raise Refused(faults)
    return ChangeSequence(
        (*before, *rows), f"Made structure {name} of {position} segments and chart {name} on it"
    )


def chart_made(change: ChangeSequence) -> str:
    """The chart that `new_structure` adds."""
    return next(
        str(part.row.chart)
        for part in change.changes
        if isinstance(part, Add) and isinstance(part.row, Chart)
    )


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
    """(company, partner) of pairs that are missing, in both directions."""
    for other in sorted(state.rows(Company), key=lambda row: row.name):
        if other.company != company:
            for pair in ((company, other.company), (other.company, company)):
                if state.get(IntercompanyPair, *pair) is None:
                    yield pair


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
