"""Which lines an address asks for: a stretch of periods or of days, a partner, codes of any field."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from typing import Any

import numpy as np

from core.analysis.amount_rows import closing_ordinals
from core.analysis.filters import parse_filter
from core.books.periods import YEAR, company_calendar
from core.definitions.parsing import ID
from core.definitions.state import State
from core.definitions.tables import Company
from core.faults import WrongCall
from core.mapping.second_charts import second_chart_plan, ways_of
from core.structures.charts import chart_index
from web.journals.amount_rows import company_rows
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
    into_strings, into_sets = _going_into(state, company, into, codes) if into else (None, None)
    return {
        "company": company.company,
        "chart": company.chart,
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
        "into_strings": into_strings,
        "into_sets": into_sets,
    }


def _going_into(
    state: State, company: Company, text: str, codes: list[str]
) -> tuple[list[int], list[int]] | tuple[None, None]:
    """Pairs of account strings and dimension combinations that go to an account of a second chart, asked for
    as CHART:ACCOUNT; without an account those that go nowhere."""
    chart, _, target = text.partition(":")
    plan = second_chart_plan(state, company.chart, chart)
    if plan is None:
        raise WrongCall(f"There is no chart {chart}.")
    rows = company_rows(state, company.company, texts=True)
    ways, by_row = ways_of(plan, rows)
    wanted = [i for i, way in enumerate(ways) if way.target == target and way.account in codes]
    pairs = np.stack([rows.string, rows.combination], axis=1)[np.isin(by_row, wanted)]
    strings, sets = np.unique(pairs, axis=0).T.tolist()
    return strings, sets


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
