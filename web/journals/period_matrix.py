"""The periods of all calendars on one page: open, restricted, closed; many set in one act."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any, NamedTuple

from django.db import connection
from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.urls import reverse

from core.access.rights import Right
from core.books.periods import calendar_index
from core.changes.kinds import PutRows
from core.definitions.state import State
from core.definitions.tables import Calendar, Company, Period
from core.faults import Fault, Refused
from web.definitions.viewing import PineRequest
from web.journals.models import Unfinished
from web.people.rights import CLOSE, SIGNED_IN, companies_seen, needs, needs_post
from web.sheets.asking_periods import ask_of_periods
from web.sheets.changing import apply_change, reload_at
from web.shell.asked import text, whole
from web.shell.cell_grid import GridCell, GridColumn, MatrixRow, chosen_cells, grid_rows

MARKS = {"open": ("set", "●"), "restricted": ("half", "◆"), "closed": ("shut", "")}
POSTED = """
    SELECT b.company, count(DISTINCT l.journal_id), count(*) FROM journals_book b
    JOIN journals_journalline l ON l.book_id = b.id AND l.fiscal_year = b.fiscal_year
    WHERE b.company = ANY(%s) AND b.fiscal_year = %s AND l.period = %s GROUP BY b.company
"""
MOST_NAMED = 30
SHORT = 4


def _calendars(request: PineRequest, state: State) -> dict[str, list[Company]]:
    """Calendars of companies that the person sees, by name, each with those."""
    found: dict[str, list[Company]] = {}
    for company in companies_seen(request.user, state):
        found.setdefault(company.calendar, []).append(company)
    return dict(sorted(found.items(), key=lambda one: state.require(Calendar, one[0]).name))


@needs(SIGNED_IN)
def page(request: PineRequest, state: State) -> HttpResponse:
    """Calendars down, the periods of a year across."""
    calendars = _calendars(request, state)
    years = sorted({year for name in calendars for year in calendar_index(state, name).years()})
    year = whole(request.GET, "year", _open_year(state, calendars) or (years[-1] if years else 0), 9999)
    numbers = sorted({p.period for name in calendars for p in calendar_index(state, name).of_year(year)})
    columns = [GridColumn(str(number), _title(state, calendars, year, number)) for number in numbers]
    rows = (
        MatrixRow(
            name,
            f"{state.require(Calendar, name).name}, {_companies(companies)}",
            [_cell(state.get(Period, name, year, number)) for number in numbers],
        )
        for name, companies in calendars.items()
    )
    return render(
        request,
        "journals/period_matrix.html",
        {
            "rows": grid_rows(rows, columns),
            "columns": columns,
            "year": year,
            "years": years,
            "any": bool(columns),
            "may_close": request.user.access(state).may_anywhere(Right.CLOSE),
        },
    )


def _companies(companies: Sequence[Company]) -> str:
    return companies[0].name if len(companies) == 1 else f"{len(companies)} companies"


def _open_year(state: State, calendars: Sequence[str] | dict[str, Any]) -> int:
    """The first year with a period that isn't closed."""
    years = [
        period.fiscal_year
        for name in calendars
        for period in calendar_index(state, name).regular
        if period.status != "closed"
    ]
    return min(years, default=0)


def _title(state: State, calendars: Sequence[str] | dict[str, Any], year: int, number: int) -> str:
    """What heads a column: the beginning of the name, where all calendars call it alike, else its number."""
    names = {
        period.name.replace(str(year), "").strip()
        for name in calendars
        if (period := state.get(Period, name, year, number)) is not None
    }
    return names.pop()[:SHORT] if len(names) == 1 else str(number)


def _cell(period: Period | None) -> GridCell:
    if period is None:
        return GridCell("none")
    css, mark = MARKS[period.status]
    return GridCell(css, mark, f"{period.name}: {period.status}")


class PostedIn(NamedTuple):
    """What a company has in a period."""

    company: str
    journals: int
    lines: int
    unfinished: int


@needs(SIGNED_IN)
def cell(request: PineRequest, state: State) -> HttpResponse:
    """A period of a calendar: its days, and what each of its companies has in it."""
    calendar, number = text(request.GET, "row", 40), whole(request.GET, "col", -1)
    period = state.get(Period, calendar, whole(request.GET, "year", 0, 9999), number)
    companies = _calendars(request, state).get(calendar)
    if period is None or companies is None:
        raise Http404
    posted = list(_posted(companies, period))
    return render(
        request,
        "journals/period_cell.html",
        {
            "period": period,
            "posted": posted[:MOST_NAMED],
            "more": max(0, len(posted) - MOST_NAMED),
            "companies": len(companies),
        },
    )


def _posted(companies: Sequence[Company], period: Period) -> Iterator[PostedIn]:
    names = [row.company for row in companies]
    with connection.cursor() as cursor:
        cursor.execute(POSTED, [names, period.fiscal_year, period.period])
        counts = {company: (journals, lines) for company, journals, lines in cursor.fetchall()}
    waiting: dict[str, int] = {}
    for company in Unfinished.objects.filter(company_id__in=names).values_list("company_id", flat=True):
        waiting[str(company)] = waiting.get(str(company), 0) + 1
    for row in companies:
        journals, lines = counts.get(row.company, (0, 0))
        if lines or waiting.get(row.company):
            yield PostedIn(row.name, journals, lines, waiting.get(row.company, 0))


@needs_post(CLOSE)
def put(request: PineRequest, state: State) -> HttpResponse:
    """Opens, restricts or closes the chosen periods in one act; asked first where they close out of order or
    are opened again."""
    status, year = request.POST.get("status", ""), whole(request.POST, "year", 0, 9999)
    if status not in MARKS:
        raise Http404
    rows = []
    for calendar, number in chosen_cells(request.POST):
        period = state.get(Period, calendar, year, whole({"n": number}, "n", -1))
        if period is not None and period.status != status:
            rows.append(period._replace(status=status))
    if not rows:
        what = f"None of these is to be made {status}."
        raise Refused([Fault("nothing-chosen", what, way_out="Choose other periods.")])
    count = f"{len(rows)} periods" if len(rows) > 1 else rows[0].name
    change = PutRows(tuple(sorted(rows)), f"Made {count} {status}")
    if question := ask_of_periods(request, state, change):
        return question
    apply_change(request, change)
    return reload_at(f"{reverse('period-matrix')}?year={year}")
