"""The register of companies: those that a filter leaves, with the columns that a person chose."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from django.http import HttpResponse
from django.shortcuts import render
from django.urls import reverse
from django.utils.html import format_html
from django.utils.safestring import SafeString

from core.books.periods import company_calendar
from core.definitions.state import State
from core.definitions.tables import Company, CompanyAccount, Statement
from core.mapping.arrangements import is_shown_by, shown_statement
from core.statements.plans import plan
from core.structures.company_choice import companies_with
from core.structures.second_charts import charts_of
from web.companies.sheets import COMPANIES
from web.companies.views import lacking_pairs, missing
from web.definitions.posted import journal_counts, posted_to
from web.definitions.viewing import PineRequest
from web.people.rights import SIGNED_IN, companies_seen, needs, needs_post, sees_everything
from web.sheets.changing import reload_at
from web.sheets.pages import stretch
from web.shell.asked import text, whole

NOTHING = SafeString('<span class="ok"><span class="sr">nothing</span></span>')
KEPT_AS = "@companies"
USUAL = ("posted", "open", "unplaced", "todo")
Cells = Mapping[str, object]


@needs(SIGNED_IN)
def companies(request: PineRequest, state: State) -> HttpResponse:
    """With `from` a further stretch of the rows alone."""
    seen = companies_seen(request.user, state)
    only, start = text(request.GET, "only", 200), whole(request.GET, "from")
    found = companies_with(state, seen, only)
    rows = found.companies if not found.faults else tuple(seen)
    knows = sees_everything(request.user, state)
    columns = {name: title for name, (title, _) in COLUMNS.items() if knows or name != "todo"}
    shown = [name for name in chosen_columns(request) if name in columns]
    extra = {columns[name]: COLUMNS[name][1](state, rows) for name in shown}
    sheet = stretch(request, state, COMPANIES, {}, start=start, among=rows, extra=extra, by_page=True)
    if start:
        return render(request, "sheets/sheet_rows.html", {"sheet": sheet})
    return render(
        request,
        "companies/companies.html",
        {
            "companies": sheet,
            "charts": len({row.chart for row in seen}),
            "count": len(seen),
            "left": len(rows),
            "only": only,
            "faults": found.faults,
            "columns": columns,
            "chosen": shown,
        },
    )


def chosen_columns(request: PineRequest) -> Sequence[str]:
    """The further columns that this person chose, or the usual ones."""
    person: Any = request.user
    kept = person.columns.get(KEPT_AS)
    return [name for name in COLUMNS if name in (USUAL if kept is None else kept)]


@needs_post(SIGNED_IN)
def choose_columns(request: PineRequest, state: State) -> HttpResponse:
    """Keeps the further columns that a person wants to see."""
    person: Any = request.user
    wanted = request.POST.getlist("column")
    person.columns = {**person.columns, KEPT_AS: [name for name in COLUMNS if name in wanted]}
    person.save(update_fields=["columns"])
    return reload_at(f"{reverse('companies')}?{request.GET.urlencode()}")


def _journals(state: State, rows: Sequence[Company]) -> Cells:
    counts = journal_counts()
    return {row.company: counts[row.company].journals if row.company in counts else 0 for row in rows}


def _posted(state: State, rows: Sequence[Company]) -> Cells:
    counts = journal_counts()
    return {row.company: counts[row.company].last.isoformat() for row in rows if row.company in counts}


def _open_accounts(state: State, rows: Sequence[Company]) -> Cells:
    """Which accounts are open to each, in a word or two."""
    return {row.company: _open(state, row) for row in rows}


def _open(state: State, row: Company) -> str:
    own = state.part(CompanyAccount, row.company).values()
    if row.accounts_open == "listed":
        return f"{sum(account.enabled for account in own):,} listed"
    shut = sum(not account.enabled for account in own)
    return f"all but {shut:,}" if shut else "all"


def _periods(state: State, rows: Sequence[Company]) -> Cells:
    """The first period that is open."""
    calendars = {row.calendar: company_calendar(state, row.company) for row in rows}
    first = {
        name: next((period.name for period in calendar.regular if period.status == "open"), "none")
        for name, calendar in calendars.items()
    }
    return {row.company: first[row.calendar] for row in rows}


def _overlays(state: State, rows: Sequence[Company]) -> Cells:
    return {row.company: row.overlay for row in rows if row.overlay}


def _second_charts(state: State, rows: Sequence[Company]) -> Cells:
    return {row.company: ", ".join(charts_of(state, row)[1:]) for row in rows}


def _to_do(state: State, rows: Sequence[Company]) -> Cells:
    """How much each lacks, of what its page tells."""
    counts = {row.company: len(missing(state, row)) + bool(lacking_pairs(state, row.company)) for row in rows}
    return {company: _lacks(count) for company, count in counts.items()}


def _lacks(count: int) -> SafeString:
    return format_html('<span class="look">{}</span>', count) if count else NOTHING


def _unplaced(state: State, rows: Sequence[Company]) -> Cells:
    """How many accounts that each has postings on stand on no line of a statement of its chart; each leads to
    the first such statement."""
    by_company = {row.company: _missed(state, row) for row in rows}
    codes = {code for missed in by_company.values() for several in missed.values() for code in several}
    used = posted_to({row.company: row.chart for row in rows}, codes) if codes else set()
    cells = {}
    for company, missed in by_company.items():
        there = {
            statement: {code for code in several if (company, code) in used}
            for statement, several in missed.items()
        }
        statement = next((name for name, several in there.items() if several), "")
        count = len(set().union(*there.values()))
        address = f"{reverse('statement', args=[statement])}?company={company}" if statement else ""
        cells[company] = format_html('<a class="must" href="{}">{}</a>', address, count) if count else NOTHING
    return cells


def _missed(state: State, row: Company) -> dict[str, list[str]]:
    """By statement of a company's chart, as it arranges it, the accounts that belong there and stand on no
    line."""
    found = {}
    for statement in sorted(state.rows(Statement)):
        if statement.chart != row.chart or not is_shown_by(state, statement.statement, row.company):
            continue
        if shown_statement(state, statement.statement, row.company) != statement.statement:
            continue
        planned = plan(state, statement.statement)
        if planned is not None and (missed := planned.missed().tolist()):
            found[statement.statement] = [planned.accounts.posting[at] for at in missed]
    return found


COLUMNS: dict[str, tuple[str, Callable[[State, Sequence[Company]], Cells]]] = {
    "journals": ("Journals", _journals),
    "posted": ("Posted", _posted),
    "open": ("Open", _open_accounts),
    "periods": ("Period", _periods),
    "overlay": ("Overlay", _overlays),
    "second": ("Seen in", _second_charts),
    "unplaced": ("Unplaced", _unplaced),
    "todo": ("To do", _to_do),
}
"""Columns beside those that are edited in place: name, title, what stands in them by company."""
