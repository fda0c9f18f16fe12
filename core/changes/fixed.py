"""What is fixed once something was posted, and what can't go while it is used. Told before, and checked on
the change."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from datetime import date
from typing import Any, NamedTuple

from core.changes.further_segments import appended_faults
from core.definitions.row_faults import fault
from core.definitions.state import Edit, State
from core.definitions.tables import (
    BY_ROW,
    TABLES,
    Budget,
    Chart,
    ChartDimension,
    ChartMove,
    Code,
    CodeProperty,
    Company,
    CompanyCode,
    Dimension,
    ListProperty,
    Period,
    Rate,
    Structure,
    StructureSegment,
)
from core.faults import Fault
from core.keeping.locks import KeptRates, keeping_it
from core.references import tables, uses
from core.resorting import PostedDays, not_resorted, resorted


@dataclass(frozen=True, slots=True)
class Facts:
    """What was posted, as far as changes depend on it. Asked lazily: each is a call that may query once."""

    codes: Callable[[str], frozenset[str]]
    """codes of a list that stand in posted account strings or dimensions"""
    charts: Callable[[], frozenset[str]]
    """charts with posted account strings"""
    companies: Callable[[], frozenset[str]]
    """companies with journals or balances"""
    periods: Callable[[str], frozenset[tuple[int, int]]]
    """(year, period) of a calendar with postings of any of its companies"""
    dimensions: Callable[[], frozenset[str]] = frozenset
    """dimensions that posted lines carry a code of"""
    budgeted: Callable[[str], frozenset[str]] = lambda _: frozenset()
    """natural accounts of a list that budget lines name"""
    own_codes: Callable[[str], frozenset[str]] = lambda _: frozenset()
    """codes of the company segment in account strings that a company was posted to"""
    tie: Callable[[type[Any], str], str] = lambda _, __: ""
    """what else keeps a row (its class and first key column) from being deleted, as the end of a sentence
    with because"""
    foreign_until: Callable[[str], date | None] = lambda _: None
    """the last day of a journal that was keyed in another currency by a company of this one"""
    kept_rates: Callable[[], tuple[KeptRates, ...]] = tuple
    """what kept periods of groups hold of the rates"""
    moving: frozenset[str] = frozenset()
    """companies that this act moves to another chart, carrying over what stands"""
    first_posted: Callable[[str], date | None] = lambda _: None
    """the day of a company's first journal"""
    with_balances: Callable[[], frozenset[str]] = frozenset
    """companies whose books are kept as balances"""
    posted_days: PostedDays = lambda _, __, ___: []
    """journals by company and day, for calendars that change"""


NOTHING_POSTED = Facts(lambda _: frozenset(), frozenset, frozenset, lambda _: frozenset())


def _structure_posted(state: State, facts: Facts, structure: str) -> bool:
    posted = facts.charts()
    return any(chart.structure == structure and chart.chart in posted for chart in state.rows(Chart))


class FixedRule(NamedTuple):
    """Columns that can't change, and a row that can't go, where the question is answered with yes; `because`
    says why."""

    columns: tuple[str, ...]
    holds: Callable[[State, Facts, Any], bool]
    because: str
    way_out: str = "Close it and add a new one."
    since: Callable[[Facts, Any], date | None] = lambda f, r: None
    """the day from which on it is so, where one is known"""

    def why(self, facts: Facts, row: Any) -> str:
        day = self.since(facts, row)
        return f"{self.because} since {day}" if day else self.because


def _first_posted(facts: Facts, row: Company) -> date | None:
    return facts.first_posted(row.company)


MOVE = "Move it to the other chart from a period on: its page leads there."
FIXED: dict[type[Any], tuple[FixedRule, ...]] = {
    Code: (
        FixedRule(
            ("account_class", "rollup"), lambda s, f, r: r.code in f.codes(r.code_list), "it was posted to"
        ),
        FixedRule(
            ("budgeting",),
            lambda s, f, r: r.budgeting and r.code in f.budgeted(r.code_list),
            "budgets have lines on it",
        ),
    ),
    Structure: (
        FixedRule(
            ("separator",),
            lambda s, f, r: _structure_posted(s, f, r.structure),
            "account strings of it were posted to",
        ),
    ),
    StructureSegment: (
        FixedRule(
            ("segment", "code_list", "role"),
            lambda s, f, r: _structure_posted(s, f, r.structure),
            "account strings of its structure were posted to",
        ),
    ),
    Dimension: (
        FixedRule(("code_list",), lambda s, f, r: r.dimension in f.dimensions(), "lines carry codes of it"),
    ),
    ChartDimension: (
        FixedRule((), lambda s, f, r: r.dimension in f.dimensions(), "lines carry codes of it"),
    ),
    Chart: (
        FixedRule(
            ("structure",), lambda s, f, r: r.chart in f.charts(), "account strings of it were posted to"
        ),
    ),
    Company: (
        FixedRule(
            ("currency",),
            lambda s, f, r: r.company in f.companies(),
            "it has postings",
            since=_first_posted,
        ),
        FixedRule(
            ("calendar",),
            lambda s, f, r: r.company in f.with_balances(),
            "its books are kept as balances, which say a period and no day",
        ),
        FixedRule(
            ("chart",),
            lambda s, f, r: r.company in f.companies() - f.moving,
            "it has postings",
            MOVE,
            _first_posted,
        ),
    ),
    CompanyCode: (
        FixedRule(
            (),
            lambda s, f, r: r.company not in f.moving and r.code in f.own_codes(r.company),
            "lines of the company carry it",
        ),
    ),
    ChartMove: (
        FixedRule(
            ("chart_before", "chart", "moved_at", "journal"),
            lambda s, f, r: True,
            "books are read by it",
            "Move the company again, from a later period on.",
        ),
    ),
    Period: (
        FixedRule(
            ("kind",),
            lambda s, f, r: (r.fiscal_year, r.period) in f.periods(r.calendar),
            "journals fall into it",
        ),
    ),
}


def fixed_columns(state: State, facts: Facts, row: Any) -> dict[str, str]:
    """Columns of a row that can't change any more, each with why: for saying it on the field beforehand."""
    return {
        column: f"fixed because {rule.why(facts, row)}.{f' {MOVE}' if rule.way_out == MOVE else ''}"
        for rule in FIXED.get(type(row), ())
        if rule.holds(state, facts, row)
        for column in rule.columns
    }


def transition_faults(before: State, after: State, edits: Iterable[Edit], facts: Facts) -> Iterator[Fault]:
    """Why these edits may not be made, given what was posted and what uses what is dropped."""
    edits = list(edits)
    for edit in edits:
        if edit.table == "rates":
            yield from _kept_rate(edit, facts)
        elif edit.table == "roundings":
            yield from _rounded_already(edit, facts)
        if edit.old is not None and edit.new is not None:
            yield from _changed(before, edit, facts)
        elif edit.old is None and edit.table == "structure_segments":
            yield from appended_faults(after, edit.new, facts.charts())
        elif edit.old is None and edit.table == "chart_moves":
            yield from _moved_beside_its_books(edit.new, facts)
        elif edit.new is None:
            yield from _dropped(after, edit, facts)
    if any(edit.table in ("periods", "companies") for edit in edits):
        yield from _resorted(before, after, facts)


def _resorted(before: State, after: State, facts: Facts) -> Iterator[Fault]:
    """Journals that a changed calendar can't sort anew; where a period goes that holds some, that is said
    by itself."""
    gone = (row for row in before.rows(Period) if after.get(Period, *row[:3]) is None)
    if any(row[1:3] in facts.periods(row.calendar) for row in gone):
        return
    for one in not_resorted(resorted(before, after, facts.posted_days)):
        row = one.period and after.get(Period, *one.period[:3])
        if row is not None:
            yield fault(row, "status", one.what, one.way_out, "fixed")
        else:
            yield fault(after.require(Company, one.company), "calendar", one.what, one.way_out, "fixed")


def _changed(before: State, edit: Edit, facts: Facts) -> Iterator[Fault]:
    for rule in FIXED.get(type(edit.new), ()):
        changed = [
            column for column in rule.columns if getattr(edit.old, column) != getattr(edit.new, column)
        ]
        if changed and rule.holds(before, facts, edit.old):
            for column in changed:
                was = getattr(edit.old, column)
                title = column.replace("_", " ")
                said = str(was).lower() if isinstance(was, bool) else was
                why = rule.why(facts, edit.old)
                what = f"The {title} can't change from {said} any more because {why}."
                yield fault(edit.new, column, what, rule.way_out, "fixed")


def _rounded_already(edit: Edit, facts: Facts) -> Iterator[Fault]:
    """What was keyed was rounded as it was then: it must come to the same when it is brought in again."""
    for row in (row for row in (edit.new, edit.old) if row is not None and row.purpose == "keyed"):
        last = facts.foreign_until(row.currency)
        if last is not None and row.in_use_from <= last:
            what = f"Journals in other currencies were keyed to {row.currency} until {last}."
            yield fault(row, "in_use_from", what, "Let it hold from a later day on.", "fixed")
            return


def _moved_beside_its_books(row: ChartMove, facts: Facts) -> Iterator[Fault]:
    """A move carries over what stands: it is taken as it is only with the books that it is of."""
    if row.company in facts.companies() - facts.moving:
        what = f"{row.company} has postings, which a move to {row.chart} would have to carry over."
        yield fault(row, "chart", what, "Move it on its page.", "fixed")


def _kept_rate(edit: Edit, facts: Facts) -> Iterator[Fault]:
    """Nor added where it would be taken instead of what was."""
    rows: list[Rate] = [row for row in (edit.new, edit.old) if row is not None]
    for row in rows:
        if kept := keeping_it(facts.kept_rates(), row):
            what = (
                f"{row.from_currency} to {row.to_currency}, {row.kind}, {row.on}: {kept.period} of"
                f" {kept.group} is kept with its rates, by {kept.by}."
            )
            way_out = "Release that period first, with the reason, and keep it again afterwards."
            yield fault(row, "rate", what, way_out, "kept-rate")
            return


WAYS_OUT: dict[type[Any], str] = {
    Company: "Let its periods be closed, and take it out of its groups.",
    CompanyCode: "Close the code from a date instead, and give the company another one beside it.",
    Period: "Close the period instead.",
    Budget: "Leave it as it is.",
    ChartMove: "Move the company again, from a later period on.",
    StructureSegment: "Let the chart no longer require it, and leave it empty.",
}


def _dropped(after: State, edit: Edit, facts: Facts) -> Iterator[Fault]:
    row = edit.old
    reasons = [rule.because for rule in FIXED.get(type(row), ()) if rule.holds(after, facts, row)]
    if not reasons and (tie := facts.tie(type(row), str(row[0]))):
        reasons = [tie]
    if reasons:
        what = f"{_name(row)} can't be deleted because {reasons[0]}."
        yield fault(row, "", what, WAYS_OUT.get(type(row), "Close it from a date instead."), "used")
    if isinstance(row, Code):
        for use in list(uses.of_code(after, row.code_list, row.code))[:20]:
            what = f"{row.code} {row.name} is used: {use.sentence}."
            yield fault(row, "code", what, "Take it out there first, or close it.", "used")
    if isinstance(row, ListProperty):
        rows = after.part(CodeProperty, row.code_list).values()
        if values := sum(value.property == row.property for value in rows):
            what = f"{values:,} codes have a value for {row.name}."
            yield fault(row, "", what, "Empty it on those codes first.", "used")
    if TABLES[edit.table].keys == 1:
        used = Counter(BY_ROW[type(user)].name for user in tables.users(after, type(row), row[0]))
        for name, count in sorted(used.items()):
            what = f"{_name(row)} is used by {count} rows of {name}."
            yield fault(row, "", what, "Take it out there first.", "used")


def _name(row: Any) -> str:
    if isinstance(row, (Period, ListProperty)):
        return row.name
    if isinstance(row, ChartMove):
        return f"The move of {row.company} to {row.chart}"
    if isinstance(row, StructureSegment):
        return f"Segment {row.segment} of {row.structure}"
    return str(row[-1] if isinstance(row, CompanyCode) else row[1] if isinstance(row, Code) else row[0])
