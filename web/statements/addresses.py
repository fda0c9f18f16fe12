"""What an address of a statement says: which period, and the stretch of lines behind a figure."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any
from urllib.parse import urlencode

from core.analysis.asked import Asked, read_day
from core.books.periods import calendar_index
from core.definitions.state import State
from core.definitions.tables import Company, Statement
from web.definitions.viewing import PineRequest
from web.journals.queries import newest_day
from web.shell.asked import number, text, whole


def default_period(state: State, calendar: str, company: str = "") -> tuple[int, int]:
    """The period most likely asked for: that of the newest posting of a company (none named: of all on the
    calendar); where nothing is posted the first open regular one, or the last of all."""
    index = calendar_index(state, calendar)
    on = newest_day(
        [company] if company else [c.company for c in state.rows(Company) if c.calendar == calendar]
    )
    if on and (newest := index.period_of(on, "general")):
        return newest.fiscal_year, newest.period
    regular = index.regular
    open_ones = [p for p in regular if p.status == "open"] or regular[-1:]
    return (open_ones[0].fiscal_year, open_ones[0].period) if open_ones else (0, 0)


def asked_period(
    request: PineRequest, state: State, calendar: str, company: str = ""
) -> tuple[int, int, int | None]:
    """(year, period, first period or None) of the address; the likely ones where it names none."""
    given = request.GET
    named = None not in (number(given, "year", None, 9999), number(given, "period", None, 9999))
    year, period = (0, 0) if named else default_period(state, calendar, company)
    return (
        whole(given, "year", year, 9999),
        whole(given, "period", period, 9999),
        number(given, "first", None, 9999),
    )


ASKED = ("filter", "by", "periods", "budget", "forecast")
"""What an address says beside a stretch of time, in the words of the command line."""


def asked_of(given: Mapping[str, Any]) -> Asked:
    """What an address asks for. Raises WrongCall for a day that is none."""
    start, end = (read_day(text(given, name, 10)) if given.get(name) else None for name in ("from", "to"))
    year, period, first = (number(given, name, None, 9999) for name in ("year", "period", "first"))
    across = [text(given, name, 400) for name in ASKED]
    if end is not None:
        return Asked(None, None, None, start, end, *across)
    return Asked(year, period, first, start, end, *across)


def where(query: dict[str, Any]) -> str:
    return urlencode({k: v for k, v in query.items() if v not in (None, "")})


def drill(statement: Statement, at: Any) -> str:
    """The stretch of periods behind a statement's figures, for the address of the lines."""
    if statement.kind == "balance_sheet":
        return where({"year": at.year, "period": at.period})
    return drill_from(at) + "&closing=0"


def drill_from(at: Any) -> str:
    """The movements of a stretch of periods, for the address of the lines."""
    return where({"year": at.year, "period": at.period, "from_year": at.year, "from_period": at.first})
