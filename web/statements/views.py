"""Storey 5: a statement with its figures, rearranged in place; figures move with each change."""

from __future__ import annotations

from datetime import date
from typing import Any

from django.http import Http404, HttpResponse, HttpResponseRedirect
from django.shortcuts import render
from django.urls import reverse
from django.utils.safestring import SafeString

from core.analysis.asked import Asked
from core.books.periods import company_calendar
from core.cash_flow.misplaced import misplaced
from core.changes import proposing
from core.changes.kinds import Add
from core.codes.hierarchies import as_held
from core.codes.lists import list_index, out_of_use
from core.definitions.state import State
from core.definitions.tables import TABLES, Arrangement, Chart, Company, Hierarchy, Period, Statement
from core.drafts.replaying import tells
from core.mapping.arrangements import line_origins
from core.statements.coverage import coverage
from core.statements.figures import Figure, Figures
from core.statements.plans import Plan, natural_list, plan
from core.structures.second_charts import is_seen_in
from web.definitions.history import state_at
from web.definitions.viewing import PineRequest, may_change
from web.people.rights import (
    CHANGE,
    SIGNED_IN,
    charts_seen,
    companies_seen,
    needs,
    needs_post,
    sees_member,
)
from web.sheets.changing import apply_change, reload_at
from web.shell.asked import number, text
from web.shell.tabular import download
from web.statements.addresses import asked_period, drill, where
from web.statements.arranging import panel
from web.statements.made_from import MadeFrom
from web.statements.outline import statement_workbook
from web.statements.queries import StatementFigures, worked_out
from web.statements.rows import compared, statement_rows


def seen_statements(request: PineRequest, state: State) -> list[Statement]:
    charts = charts_seen(request.user, state)
    rows = (row for row in state.rows(Statement) if row.chart in charts)
    seen = (row for row in rows if sees_member(request.user, state, row.statement))
    return sorted(seen, key=lambda row: (row.chart, row.name))


@needs(SIGNED_IN)
def first(request: PineRequest, state: State) -> HttpResponse:
    statements = seen_statements(request, state)
    if not statements:
        return render(request, "statements/none.html", {"charts": charts_with_accounts(state)})
    return HttpResponseRedirect(reverse("statement", kwargs={"statement": statements[0].statement}))


def charts_with_accounts(state: State) -> list[Chart]:
    return [row for row in state.rows(Chart) if list_index(state, natural_list(state, row.chart)).posting]


def seen_in(request: PineRequest, state: State, chart: str) -> list[Company]:
    """Companies whose books are seen in a chart: those that post in it first."""
    rows = [row for row in companies_seen(request.user, state) if is_seen_in(state, row, chart)]
    return sorted(rows, key=lambda row: row.chart != chart)


def company_asked(request: PineRequest, state: State, chart: str) -> Company | None:
    """The company asked for, or the one looked at last, or the first on the chart."""
    rows = seen_in(request, state, chart)
    wanted = request.GET.get("company") or request.session.get("company")
    company_row = next((row for row in rows if row.company == wanted), rows[0] if rows else None)
    if company_row and request.session.get("company") != company_row.company:
        request.session["company"] = company_row.company
    return company_row


def _alike(was: dict[str, Figure], figures: Figures) -> bool:
    shown = {line: figure.shown[0] for line, figure in was.items()}
    return all(shown.get(figure.line.row.line) == figure.shown[0] for figure in figures.lines)


@needs(SIGNED_IN, localised=True)
def statement(request: PineRequest, state: State, statement: str) -> HttpResponse:
    planned = plan(state, statement)
    if planned is None:
        raise Http404
    common = {"statements": seen_statements(request, state)}
    company = _member(request, state, statement) or company_asked(request, state, planned.statement.chart)
    common |= panel(request, state, planned.statement, company)
    if company is None:
        page = {**common, "plan": planned, "statement": planned.statement, "rows": ""}
        return render(request, "statements/statement.html", page)
    at = asked_period(request, state, company.calendar, company.company)
    state, held = then_or_now(request, state, company, *at[:2])
    found = worked_out(state, plan(state, statement) or planned, company.company, Asked(*at))
    planned, figures = found.plan, found.figures
    was = _was(request, state, statement, company.company, at)
    if was is not None and request.viewed.working and _alike(was, figures):
        was = None  # the draft leaves these figures as they are: one column says so better than two alike
    asked = {"company": company.company, "year": at[0], "period": at[1], "first": at[2]}
    query = where({**asked, "tree": held and request.GET.get("tree")})
    return render(
        request,
        "statements/statement.html",
        {
            **common,
            **_around(request, state, planned, company, at),
            "plan": planned,
            "statement": planned.statement,
            "company": company,
            "rows": _rows(request, state, found, was, query),
            "found": found,
            "digits": found.digits,
            **_covered(request, state, planned, figures),
            "was": was is not None,
            "query": query,
            "figures_query": where({**asked, **request.user.columns.get(f"@{planned.statement.chart}", {})}),
            "window": found.window,
            "here": f"{request.path}?{query}",
            "back": f"{request.path}?{query}",
            "drill": drill(planned.statement, found.window),
            "columns": ("Published", "Draft") if request.viewed.working else ("Before", company.currency),
            "held": held,
        },
    )


def _covered(request: PineRequest, state: State, planned: Plan, figures: Figures) -> dict[str, Any]:
    """What the leaf of the whole statement says: how much stands on it, what is missing or misplaced."""
    covered, today = coverage(planned, figures), date.today()
    hides = request.user.hides_closed
    return {
        "coverage": covered,
        "idle": [idle for idle in covered.idle if not (hides and out_of_use(idle.code, today))],
        "misplaced": [
            account for account in misplaced(state, planned.statement.statement) if not account.is_set_aside
        ],
    }


def _rows(
    request: PineRequest, state: State, found: StatementFigures, was: dict[str, Figure] | None, query: str
) -> SafeString:
    """The lines, beside `was` if there is one."""
    statement = found.plan.statement.statement
    return statement_rows(
        statement,
        compared(found.figures, was, drafted_lines(request, statement)),
        found.digits,
        query=query,
        beside=was is not None,
        may_change=may_change(request),
        at=request.GET.get("at", ""),
        origins=line_origins(state, statement),
    )


def _member(request: PineRequest, state: State, statement: str) -> Company | None:
    """The company that an arrangement is of, if somebody sees it."""
    row = state.get(Arrangement, statement)
    if row is None or row.member_kind != "company":
        return None
    return next((one for one in companies_seen(request.user, state) if one.company == row.member), None)


def _around(
    request: PineRequest, state: State, planned: Plan, company: Company, at: tuple[int, int, int | None]
) -> dict[str, Any]:
    """What stands around the figures: the chart, other companies and periods, the lines to move to."""
    calendar = company_calendar(state, company.company)
    chart = planned.statement.chart
    return {
        "chart": state.get(Chart, chart),
        "balance_sheet": planned.statement.kind == "balance_sheet",
        "at": request.GET.get("at", ""),
        "companies": seen_in(request, state, chart),
        "periods": [calendar.of_year(year) for year in reversed(calendar.years())],
        "period": state.get(Period, company.calendar, *at[:2]),
        "year": at[0],
        "levels": range(2, 1 + max((line.depth for line in planned.lines), default=0)),
        "headings": [line.row for line in planned.lines if line.row.kind == "heading"],
        "lines": [line.row for line in planned.lines if line.row.kind == "accounts"],
        "labels": {line.row.line: line.row.label for line in planned.lines},
    }


def drafted_lines(request: PineRequest, statement: str) -> frozenset[str]:
    """Lines that the open draft changes or adds."""
    working = request.viewed.working
    edits = working.edits.items() if working else ()
    return frozenset(
        key[1]
        for (table, key), edit in edits
        if table == "statement_lines" and key[0] == statement and tells(edit)
    )


def then_or_now(
    request: PineRequest, state: State, company: Company, year: int, period: int
) -> tuple[State, bool]:
    """With `tree=then` the definitions with every hierarchy as it held at the period's end; and whether that
    is another shape."""
    period_row = state.get(Period, company.calendar, year, period)
    then = as_held(state, period_row.ends_on) if period_row else state
    return (then if request.GET.get("tree") == "then" else state), then is not state


def _was(
    request: PineRequest, state: State, statement: str, company: str, at: tuple[int, int, int | None]
) -> dict[str, Figure] | None:
    """The figures as published beside an open draft's, or those of an earlier version, so that what moved
    shows."""
    since = number(request.GET, "since", None, 10**17)
    seen = request.viewed
    if seen.working is not None:
        before: State | None = seen.snapshot.state
        if before is not None and plan(before, statement) is plan(state, statement):
            return None
    elif since is not None:
        before = state_at(since)
    else:
        return None
    if before is None or plan(before, statement) is None or before.get(Company, company) is None:
        return None
    planned = plan(before, statement)
    assert planned is not None
    figures = worked_out(before, planned, company, Asked(*at))
    return {figure.line.row.line: figure for figure in figures.figures.lines}


@needs_post(CHANGE)
def propose(request: PineRequest, state: State) -> HttpResponse:
    """Makes a statement and opens it; where it has no name of its own it is called after its kind."""
    chart, kind = text(request.POST, "chart", 40), text(request.POST, "kind", 40)
    title = text(request.POST, "name") or proposing.NAMES.get(kind, "")
    change = proposing.new_statement(state, title, chart, kind, text(request.POST, "source", 60) or "classes")
    apply_change(request, change)
    return reload_at(
        reverse(
            "statement",
            kwargs={
                "statement": next(part.row.statement for part in change.changes if isinstance(part, Add))
            },
        )
    )


@needs(CHANGE)
def new(request: PineRequest, state: State) -> HttpResponse:
    """The form of a further statement: of which chart, of which kind, made from what."""
    kinds = TABLES["statements"].by_name["kind"].kind.choices
    return render(
        request,
        "statements/new.html",
        {
            "charts": sorted(state.rows(Chart), key=lambda row: row.name),
            "kinds": kinds,
            "hierarchies": sorted(state.rows(Hierarchy), key=lambda row: row.name),
            "statements": seen_statements(request, state),
            "at": text(request.GET, "chart", 40),
        },
    )


@needs(SIGNED_IN, localised=True)
def workbook(request: PineRequest, state: State, statement: str) -> HttpResponse:
    """The statement as a workbook that recalculates: live sums, outline levels, frozen panes."""
    planned = plan(state, statement)
    company = company_asked(request, state, planned.statement.chart) if planned else None
    if planned is None or company is None:
        raise Http404
    at = asked_period(request, state, company.calendar, company.company)
    figures = worked_out(state, planned, company.company, Asked(*at))
    heading = f"{planned.statement.name}, {company.name}"
    made_from = MadeFrom.of_request(request).rows(figures, ("Company", f"{company.company} {company.name}"))
    data = statement_workbook(figures, [company.name], heading, made_from)
    window = figures.window
    return download(data, f"{statement}-{company.company}-{window.year}-{window.period}", "xlsx")
