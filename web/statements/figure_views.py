"""Figures of a statement or hierarchy: over any stretch, only of some codes, across columns; each opens."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.urls import reverse

from core.analysis.asked import Asked
from core.analysis.hierarchy_plan import hierarchy_plan
from core.analysis.stretches import first_of_movement
from core.analysis.variances import (
    CHANGE,
    COLUMNS,
    VARIANCE,
    compares,
    judged_columns,
    per_cent_columns,
)
from core.books.periods import YEAR
from core.cash_flow.activities import cash_accounts
from core.cash_flow.proof import cash_proof
from core.definitions.state import State
from core.definitions.tables import Budget, Company, Hierarchy
from core.faults import WrongCall
from core.mapping.arrangements import arranged_otherwise, is_shown_by
from core.statements.plans import WITH_FIGURES, PlanLine, natural_list
from core.structures.second_charts import charts_of
from web.definitions.viewing import PineRequest
from web.people.rights import SIGNED_IN, companies_seen, needs
from web.shell import tabular
from web.shell.asked import number, text
from web.shell.htmx import page_of
from web.statements.addresses import where
from web.statements.budget_columns import beside_earlier, budget_within
from web.statements.figure_address import FigureAddress, figure_address
from web.statements.figure_choices import field_choices, field_picked, narrowing, several_at
from web.statements.figure_columns import columns_offered, remember_columns
from web.statements.figure_source import FigureSource
from web.statements.figure_table import BUDGET, FigureTable
from web.statements.line_views import account_figures
from web.statements.made_from import MadeFrom
from web.statements.nested import nested_figures
from web.statements.outline import statement_workbook
from web.statements.own_accounts import account_shares
from web.statements.pictures import pictured, pictures_of
from web.statements.queries import StatementFigures, figures_of, moved_in_all, trends_of
from web.statements.remarks import numbers_of
from web.statements.views import seen_in, seen_statements

PERIODS = 24
"""How many of a line's last periods are drawn."""


@needs(SIGNED_IN, localised=True)
def figures(request: PineRequest, state: State, statement: str = "", hierarchy: str = "") -> HttpResponse:
    """What can't be asked for together is said where the figures would stand: the way out is on the page."""
    address = figure_address(request, state, statement, hierarchy)
    context: dict[str, Any] = _around(request, state, address)
    source = FigureSource(state, address.company, address.asked, with_codes=True)
    try:
        found, then = figures_beside(state, source, address)
        trends = {} if address.choice else trends_of(source, address.plan, address.measure, PERIODS)
    except WrongCall as refused:
        return render(request, "statements/figures.html", {**context, "fault": refused.faults[0].what})
    remember_columns(request, address)
    notes = address.remarks.notes(address.plan) if address.remarks else []
    names = {row.company: row.name for row in address.several}
    table = FigureTable(address, found, trends, numbers_of(notes), names)
    context |= {
        "notes": notes,
        "remarks_at": address.remarks,
        "found": found,
        "table": table,
        "stretch": address.title(),
        "otherwise": arranged_otherwise(state, address.name, found.companies),
        **_narrowed(request, source, address, found.companies),
    }
    line = context.get("of_line")
    context["rows"] = table.rows()
    if found.apart and not (address.choice or found.alone):
        context |= {
            "lines_left_out": _lines_of(address, address.asked),
            "left_out_back": f"{address.path}?{address.query()}",
        }
    bridged = None if address.asked.budget else then
    context |= _proof_of_cash(source, address, found) | pictured(address, found, bridged, line)
    return render(request, "statements/figures.html", context)


def _proof_of_cash(source: FigureSource, address: FigureAddress, found: StatementFigures) -> dict[str, Any]:
    """Of a cash flow. Part of a journal need not balance, so a filter leaves nothing to prove."""
    planned, is_direct = address.plan, address.plan.is_direct
    is_cash_flow = is_direct or planned.statement.kind == "cash_flow"
    if not is_cash_flow or address.asked.filter or address.choice or found.alone:
        return {}
    in_all = moved_in_all(source, planned, address.measure) if is_direct and not found.across else None
    proof = cash_proof(planned, found.figures, found.amounts, _last_column(found), in_all)
    return {"cash": proof, "is_direct": is_direct, "has_cash": bool(cash_accounts(planned.accounts))}


def _last_column(found: StatementFigures) -> int:
    """The total, or the one column of amounts."""
    return len(found.amounts.window[0]) - 1 if len(found.amounts.window) else 0


def figures_beside(
    state: State, source: FigureSource, address: FigureAddress
) -> tuple[StatementFigures, StatementFigures | None]:
    """The figures asked for, and those of an earlier stretch that they stand beside, if any."""
    if address.choice:
        found = several_at(state, address)
        return _with_further_columns(found, address), None
    if address.within and address.asked.by:
        found = nested_figures(
            source, address.plan, address.measure, address.within, with_total=not address.balances
        )
        return _with_further_columns(found, address), None
    if address.within and address.asked.budget:
        return _with_further_columns(budget_within(source, address), address), None
    found, then = beside_earlier(source, address)
    return _with_further_columns(found, address), then


def _with_further_columns(found: StatementFigures, address: FigureAddress) -> StatementFigures:
    per_cents = per_cent_columns(found.plan, found.columns, address.part_of)
    judged = () if address.balances else judged_columns(found.columns)
    return replace(found, per_cents=per_cents, judged=judged).with_formulas(address.formulas)


def figures_at(
    request: PineRequest, state: State, statement: str, hierarchy: str
) -> tuple[FigureAddress, StatementFigures]:
    """What the page of an address shows, for files."""
    address = figure_address(request, state, "" if hierarchy else statement, hierarchy)
    return address, figures_beside(state, FigureSource(state, address.company, address.asked), address)[0]


def _around(request: PineRequest, state: State, address: FigureAddress) -> dict[str, Any]:
    """What stands around the figures: other trees, companies and stretches, the filter, the columns."""
    days, seen, across = address.days(), companies_seen(request.user, state), columns_offered(state, address)
    wanted = next((row for row in seen if row.company == request.GET.get("company")), None)
    return {
        **_trees(request, state, address),
        "address": address,
        "instead": wanted.name if wanted and wanted.company != address.company.company else "",
        "company": address.company,
        "companies": seen_in(request, state, address.plan.statement.chart),
        "before": address.neighbour(-1),
        "after": address.neighbour(1),
        "units": address.units(),
        "first_day": days[0] if days else None,
        "last_day": days[1] if days else None,
        "query": address.query(),
        "budget_address": address.budget_address(),
        "across": across,
        "across_now": next((words for words, _, is_own in across if is_own), address.asked.by),
        "has_columns": address.has_columns,
        "matrix_address": _matrix_address(address),
        "conditions": [part.strip() for part in address.asked.filter.split(";") if part.strip()],
    }


def _matrix_address(address: FigureAddress) -> str:
    """One line by what stands across, and by what may stand down."""
    fields = [name.strip() for name in address.asked.by.split(",") if name.strip()]
    plain = replace(address.asked, by="", periods="", budget="", forecast="")
    down, across = [*fields, "", ""][:2]
    across = across or address.within or address.asked.periods
    return f"{address.matrix_path}?{address.query(plain, down=down, across=across, columns='', of='')}"


def _trees(request: PineRequest, state: State, address: FigureAddress) -> dict[str, Any]:
    """Statements and hierarchies that may be looked at instead, and the levels of this one."""
    charts = charts_of(state, address.company)
    naturals = {natural_list(state, chart) for chart in charts}
    hierarchies = (row for row in state.rows(Hierarchy) if row.code_list in naturals)
    statements = [
        row
        for row in seen_statements(request, state)
        if row.chart in charts and is_shown_by(state, row.statement, address.company.company)
    ]
    return {
        "statements": sorted(statements, key=lambda row: charts.index(row.chart)),
        "hierarchies": sorted(hierarchies, key=lambda row: row.name),
        "levels": range(1, 2 + _deepest(state, address)),
    }


def _deepest(state: State, address: FigureAddress) -> int:
    """How deep the deepest line stands, of a hierarchy whatever level it is cut at."""
    chart = address.plan.statement.chart
    whole = hierarchy_plan(state, chart, address.hierarchy) if address.hierarchy else address.plan
    return max((line.depth for line in whole.lines), default=0)


def _narrowed(
    request: PineRequest, source: FigureSource, address: FigureAddress, companies: Sequence[Company]
) -> dict[str, Any]:
    """The field that is opened for choosing, with its codes' amounts of the line asked for."""
    fields = narrowing(address)
    lines = [line.row for line in address.plan.lines if line.row.kind in WITH_FIGURES]
    line = next(
        (row for row in lines if row.line == text(request.GET, "line", 40)), lines[0] if lines else None
    )
    field = field_picked(source, fields, text(request.GET, "pick", 40))
    if field is None or line is None:
        return {"fields": fields}
    return {
        "fields": fields,
        "of_line": line,
        "unit": quantity.unit
        if (quantity := address.plan.lines[address.plan.index[line.line]].quantity)
        else "",
        "lines": lines,
        "picked": field_choices(source, address, field, line.line, companies),
    }


@needs(SIGNED_IN, localised=True)
def cell(request: PineRequest, state: State, statement: str = "", hierarchy: str = "") -> HttpResponse:
    """What one figure is made of: accounts, each leading to its lines."""
    address = figure_address(request, state, statement, hierarchy)
    if not address.plan.lines:
        raise Http404
    line = text(request.GET, "line", 40) or address.plan.lines[0].row.line
    column = number(request.GET, "column", 0, 10**6) or 0
    if line not in address.plan.index:
        raise Http404
    if address.choice:
        several = several_at(state, address)
        if column >= len(several.companies):
            return _of_companies(request, state, address, several, line)
        address, column = address.of_company(state, several.companies[column]), 0
    return _of_one(request, state, address, line, column)


def _of_one(
    request: PineRequest, state: State, address: FigureAddress, line: str, column: int
) -> HttpResponse:
    """The accounts of one company behind a figure."""
    source = FigureSource(state, address.company, address.asked)
    found, then = figures_beside(state, source, address)
    if column >= len(found.columns):
        raise Http404
    figure = found.figures.lines[address.plan.index[line]]
    budget = compares(found.columns[column]) in (BUDGET, VARIANCE, CHANGE)
    alone, amounts, place = address.alone(found, column), found.amounts, column
    is_then = then and column == (len(COLUMNS) if address.asked.budget else 1)
    if then and is_then and (earlier := address.earlier()):
        alone, amounts, place = earlier.asked, then.amounts, 0
    elif found.alone:
        one = FigureSource(state, address.company, alone)
        amounts, place = figures_of(one, address.plan, address.measure).amounts, 0
    parts = (
        []
        if budget or figure.line.row.kind == "formula"
        else account_figures(address.plan, line, amounts, place)
    )
    shares = account_shares(source, address.plan, line, parts)
    return render(
        request,
        "statements/figure_cell.html",
        {
            "row": figure.line.row,
            "line": figure.line,
            "figure": figure,
            "shown": figure.shown[column],
            "column": found.columns[column],
            "found": found,
            "accounts": shares,
            "company": address.company,
            "digits": found.digits,
            "drill": _drill(address, found, column, figure.line, alone),
            "planned": address.planned(found, column),
            "remarks_at": address.remarks,
            "budget_address": address.budget_address(line) if address.budget else "",
            "statistics_address": _statistics_address(state, address, figure.line),
            "back": cell_back(request, f"{address.path}?{address.query()}"),
            "codes": "" if any(share.into for share in shares) else ",".join(s.lines for s in shares),
            "is_budget": budget,
            "path": address.path,
            **pictures_of(address, found, column, line, is_beside=then is not None),
        },
    )


def _of_companies(
    request: PineRequest, state: State, address: FigureAddress, several: StatementFigures, line: str
) -> HttpResponse:
    """What each company brings to a total."""
    figure = several.figures.lines[address.plan.index[line]]
    parts = [
        (row, shown, f"{address.path}?{address.of_company(state, row).query(line=line)}")
        for row, shown in zip(several.companies, figure.shown[:-1], strict=True)
    ]
    return render(
        request,
        "statements/figure_companies.html",
        {"row": figure.line.row, "shown": figure.shown[-1], "parts": parts, "found": several},
    )


def _drill(address: FigureAddress, found: StatementFigures, column: int, line: PlanLine, alone: Asked) -> str:
    """The address of the journal lines behind a column, of a forecast those that are posted; empty where
    there are none, or they are of no one stretch."""
    planned = address.planned(found, column)
    if planned == "all" or _spans_years(found, column) or line.quantity:
        return ""
    if planned:
        alone = replace(alone, period=address.asked.period)
    return _lines_of(address, alone, stands=line.is_result)


def _statistics_address(state: State, address: FigureAddress, line: PlanLine) -> str:
    """Where the quantities of a line are kept."""
    rows = (row for row in state.rows(Budget) if row.chart == address.company.chart)
    kept = min((row.budget for row in rows if row.kind == "statistics"), default="")
    if not line.quantity or not kept:
        return ""
    path = reverse("budget", args=[kept, address.company.company, address.name])
    return f"{path}?{where({'year': address.asked.year, 'row': f'budget:line:{line.row.line}'})}"


def _spans_years(found: StatementFigures, column: int) -> bool:
    """Whether a column sums movements of several years: each begins anew, so no one stretch of lines is
    it."""
    return column >= len(found.across) and len({one.end // YEAR for one in found.across}) > 1


def _lines_of(address: FigureAddress, alone: Asked, *, stands: bool = False) -> str:
    """The address of the journal lines behind one column."""
    standing = address.balances or stands
    closing = "" if standing or address.measure == "movement_with_closing" else "0"
    if alone.end is not None:
        start = None if standing else alone.start
        return where({"from": start, "to": alone.end, "filter": alone.filter, "closing": closing})
    begins = {} if standing else {"from_year": alone.year, "from_period": _first(address, alone)}
    return where(
        {"year": alone.year, "period": alone.period, **begins, "filter": alone.filter, "closing": closing}
    )


def _first(address: FigureAddress, alone: Asked) -> int:
    if alone.first is not None:
        return alone.first
    return first_of_movement(address.calendar, alone.year or 0, alone.period or 0)


@needs(SIGNED_IN, localised=True)
def workbook(request: PineRequest, state: State, statement: str = "", hierarchy: str = "") -> HttpResponse:
    """A workbook that recalculates, headed by what it was made from."""
    address = figure_address(request, state, statement, hierarchy)
    found, _ = figures_beside(state, FigureSource(state, address.company, address.asked), address)
    name = address.plan.statement.name
    only = f", only {address.asked.filter}" if address.asked.filter else ""
    heading = f"{name}, {address.whose}, {address.title()}{only}"
    titles = titles_in_files(address, found)
    company = f"{address.company.company} {address.company.name}"
    whose = ("Companies", address.choice) if address.choice else ("Company", company)
    made_from = MadeFrom.of_request(request).rows(found, whose, address.query())
    notes = address.remarks.notes(address.plan) if address.remarks else []
    kind = "ods" if request.GET.get("file") == "ods" else "xlsx"
    data = statement_workbook(found, titles, heading, made_from, [note.sentence() for note in notes], kind)
    return tabular.download(data, address.file_name, kind)


def cell_back(request: PineRequest, otherwise: str) -> str:
    """Where what a figure is made of leads back to: the matrix that it stands in, if it was opened there."""
    came = page_of(request)
    return came if "/matrix/" in came.partition("?")[0] else otherwise


def titles_in_files(address: FigureAddress, found: StatementFigures) -> list[str]:
    """What columns are called in files: with the names of their codes, companies and budgets."""
    return FigureTable(address, found, {}, {}, {row.company: row.name for row in address.several}).titles()
