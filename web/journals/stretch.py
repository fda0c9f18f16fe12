"""Which lines an address asks for: a stretch of periods or of days, a partner, codes of any field."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from core.analysis.amount_rows import AmountRows
from core.analysis.filters import parse_filter
from core.books.periods import YEAR, closing_ordinals, company_calendar
from core.codes.lists import list_index
from core.definitions.parsing import ID
from core.definitions.state import State
from core.definitions.tables import Company
from core.faults import WrongCall
from core.mapping.second_charts import own_cash_accounts, own_pairs, second_chart_plan, seen_through, ways_of
from core.statements.plans import line_title, plan as statement_plan
from core.structures.charts import chart_index
from web.journals.amount_rows import company_rows
from web.journals.non_cash import journals_between
from web.journals.reading import accounts_of_lines, lines_of_accounts
from web.shell import asked

LAST = 9999


def stretch_asked(
    given: Mapping[str, Any], state: State, company: Company, codes: list[str]
) -> dict[str, Any]:
    """As queries.py takes it. Raises WrongCall for a filter that can't be read."""
    untagged = given.get("untagged", "")
    days = asked.day(given, "from"), asked.day(given, "to")
    by_day = days != (None, None)
    calendar = company_calendar(state, company.company)
    shut = [divmod(at, YEAR) for at in sorted(closing_ordinals(calendar))]
    strings, sets = _fitting(state, company, asked.text(given, "filter", 400))
    into = asked.text(given, "into", 90)
    on = asked.text(given, "on", 90)
    standing = _pairs(state, company, into, on, codes)
    return {
        "company": company.company,
        "chart": company.chart,
        "lines": lines_of_accounts(state, [company.company]),
        "touched": accounts_of_lines(state, [company.company], "t", "k", "s"),
        "codes": codes,
        "year": LAST if by_day else asked.whole(given, "year", LAST, LAST),
        "period": 999 if by_day else asked.whole(given, "period", 999, 999),
        "from_year": 0 if by_day else asked.whole(given, "from_year", 0, LAST),
        "from_period": 0 if by_day else asked.whole(given, "from_period", 0, 999),
        "closing": given.get("closing", "1") == "1",
        "partner": asked.text(given, "partner", 40),
        "untagged": untagged if ID.fullmatch(untagged) else "",
        "string": asked.text(given, "string"),
        "tagged": asked.text(given, "tagged", 90),
        "filter": asked.text(given, "filter", 400),
        "from_day": days[0],
        "to_day": days[1],
        "year_begins": _year_begins(state, company.company, days[0]),
        "closing_years": [year for year, _ in shut],
        "closing_periods": [at - 1 for _, at in shut],
        "strings": strings,
        "sets": sets,
        "into": into,
        "on_line": _line_named(state, on),
        "into_strings": standing.strings if standing else None,
        "into_sets": standing.combinations if standing else None,
        "into_ways": standing.ways if standing else None,
        "through": sorted(through) if (through := _through(state, company, on)) is not None else None,
        **_of_pairs(state, company, on, asked.text(given, "between", 90)),
    }


class Standing(NamedTuple):
    """Account strings, dimension combinations and directions of journals that stand together, as equal-length
    columns."""

    strings: list[int]
    combinations: list[int]
    ways: list[int]


def _pairs(state: State, company: Company, into: str, on: str, codes: list[str]) -> Standing | None:
    """What goes to an account of a second chart (`into`, CHART:ACCOUNT; without an account what goes nowhere)
    and to a line that asks for codes or for one direction of journals (`on`, STATEMENT:LINE)."""
    if not into and not on:
        return None
    rows = company_rows(state, company.company, texts=True, through=_through(state, company, on))
    there = np.ones(len(rows), dtype=bool)
    if into:
        there &= _going_into(state, company, into, rows, codes)
    if on:
        there &= _standing_on(state, company, on, rows, codes)
    ways = np.zeros(len(rows), dtype=np.int64) if rows.way is None else rows.way
    columns = np.stack([rows.string, rows.combination, ways], axis=1)[there]
    return Standing(*(np.unique(columns, axis=0).T.tolist() if len(columns) else ([], [], [])))


def _through(state: State, company: Company, on: str) -> frozenset[str] | None:
    """Of a line of a direct cash flow the company's accounts of cash: only journals that touch one moved
    it."""
    planned = statement_plan(state, on.partition(":")[0]) if on else None
    if planned is None or not planned.is_direct:
        return None
    rows = company_rows(state, company.company, texts=True)
    return own_cash_accounts(state, company, planned, rows)


def _of_pairs(state: State, company: Company, on: str, between: str) -> dict[str, Any]:
    """`journals`: those that a cash flow leaves out for a pair (`between`, STATEMENT:PAIR), or None; `but`:
    those that it leaves out in all, of a line of it; `as_pair`: what people call the pair."""
    statement, _, name = (between or on).partition(":")
    planned = statement_plan(state, statement) if statement else None
    if planned is None or not planned.non_cash:
        return {"journals": [] if between else None, "but": None, "as_pair": ""}
    pairs = own_pairs(state, company, planned, company_rows(state, company.company, texts=True))
    sides = tuple((one.accounts, one.against) for one in pairs)
    found = journals_between(state, {company.company: sides})[company.company]
    numbers = {
        one.pair.pair: (one.pair.name, [journal.number for journal in journals])
        for one, journals in zip(pairs, found, strict=True)
    }
    if between:
        called, wanted = numbers.get(name, ("", []))
        return {"journals": wanted, "but": None, "as_pair": called}
    but = sorted(number for _, several in numbers.values() for number in several)
    return {"journals": None, "but": but, "as_pair": ""}


def _line_named(state: State, on: str) -> str:
    """What people call a line asked for as STATEMENT:LINE, and its statement."""
    statement, _, line = on.partition(":")
    planned = statement_plan(state, statement) if on else None
    if planned is None or line not in planned.index:
        return ""
    return f"{line_title(planned.lines[planned.index[line]].row)} of {planned.statement.name}"


def _going_into(
    state: State, company: Company, text: str, rows: AmountRows, codes: list[str]
) -> NDArray[np.bool_]:
    chart, _, target = text.partition(":")
    plan = second_chart_plan(state, company.chart, chart)
    if plan is None:
        raise WrongCall(f"There is no chart {chart}.")
    ways, by_row = ways_of(plan, rows)
    wanted = [i for i, way in enumerate(ways) if way.target == target and way.account in codes]
    return np.isin(by_row, wanted)


def _standing_on(
    state: State, company: Company, text: str, rows: AmountRows, codes: list[str]
) -> NDArray[np.bool_]:
    """Rows of some own accounts whose codes put them to a line, whatever side it asks for."""
    statement, _, line = text.partition(":")
    planned = statement_plan(state, statement)
    chart = chart_index(state, company.chart)
    if planned is None or line not in planned.index or chart is None:
        raise WrongCall(f"There is no line {line} in {statement}.")
    own = np.isin(rows.natural, [i for i, name in enumerate(rows.naturals) if name in codes])
    second = planned.statement.chart
    mapped = second_chart_plan(state, company.chart, second) if second != company.chart else None
    if mapped is not None:
        accounts = list_index(state, planned.accounts.code_list)
        rows = seen_through(mapped, accounts, rows, company.company)
    start = planned.index[line]
    there: NDArray[np.bool_] = own & rows.divided(chart, planned).standing_on(
        planned, start, planned.end_of(start)
    )
    return there


def _fitting(state: State, company: Company, text: str) -> tuple[list[int] | None, list[int] | None]:
    """Numbers of the account strings and dimension combinations that fit a filter; None: all."""
    chart = chart_index(state, company.chart)
    conditions = parse_filter(state, chart, text) if chart and text else ()
    if chart is None or not conditions:
        return None, None
    return company_rows(state, company.company, texts=True).numbers_fitting(chart, conditions)


def _year_begins(state: State, company: str, day: date | None) -> date | None:
    """The first day of the fiscal year that holds a day."""
    calendar = company_calendar(state, company)
    period = calendar.period_of(day, "general") if day else None
    return min(row.starts_on for row in calendar.of_year(period.fiscal_year)) if period else None


def elsewhere(values: dict[str, Any], state: State) -> dict[str, Any]:
    """The same for balances, which know periods only: those that lie within the days."""
    if values["to_day"] is None and values["from_day"] is None:
        return values
    rows = company_calendar(state, values["company"]).periods.values()
    begins, ends = values["from_day"] or date.min, values["to_day"] or date.max
    within = sorted((row.fiscal_year, row.period) for row in rows if begins <= row.ends_on <= ends)
    first, last = (within[0], within[-1]) if within else ((LAST, 999), (0, 0))
    if values["from_day"] is None:
        first = (0, 0)
    return {**values, "from_year": first[0], "from_period": first[1], "year": last[0], "period": last[1]}
