"""A statement beside another tree over the same accounts: what stands elsewhere there."""

from __future__ import annotations

from collections.abc import Iterator

from django.http import Http404, HttpResponse
from django.shortcuts import render

from core.analysis.asked import Asked
from core.analysis.hierarchy_plan import hierarchy_plan
from core.definitions.state import State
from core.definitions.tables import Hierarchy
from core.money import show_amount
from core.statements.figures import Figure
from core.statements.plans import Plan, natural_list, plan
from core.statements.side_by_side import LineBeside, Share, beside_other, only_in
from web.definitions.viewing import PineRequest
from web.people.rights import SIGNED_IN, needs
from web.shell.asked import text
from web.shell.table_rows import Cell, TableRow, indent, table_rows
from web.statements.addresses import asked_period, where
from web.statements.queries import StatementFigures, worked_out
from web.statements.rows import WITHOUT_FIGURE
from web.statements.views import company_asked, seen_in, seen_statements

HIERARCHY = "hierarchy:"


@needs(SIGNED_IN, localised=True)
def beside(request: PineRequest, state: State, statement: str) -> HttpResponse:
    """Each line with the lines of the other tree on which its accounts stand there."""
    planned = plan(state, statement)
    company = company_asked(request, state, planned.statement.chart) if planned else None
    if planned is None or company is None:
        raise Http404
    year, period, first = asked_period(request, state, company.calendar, company.company)
    found = worked_out(state, planned, company.company, Asked(year, period, first))
    options = _options(request, state, planned)
    wanted = text(request.GET, "with", 60) or (options[0][0] if options else "")
    if wanted not in dict(options):
        raise Http404
    other = _other(state, planned.statement.chart, wanted)
    amounts = _by_account(found)
    lines = beside_other(found.plan, other, amounts)
    at = {"company": company.company, "year": year, "period": period, "first": first}
    return render(
        request,
        "statements/beside.html",
        {
            "statement": planned.statement,
            "other": other.statement,
            "with": wanted,
            "options": options,
            "company": company,
            "companies": seen_in(request, state, planned.statement.chart),
            "found": found,
            "rows": table_rows(_rows(found, lines)),
            "elsewhere": sum(not line.alike for line in lines.values()),
            "only_here": only_in(found.plan, other, amounts),
            "only_there": only_in(other, found.plan, amounts),
            "names": found.plan.accounts.codes,
            "query": where(at),
            "swap": where({**at, "with": statement}),
        },
    )


def _by_account(found: StatementFigures) -> list[int]:
    """Raw amounts of the first column by posting account."""
    count = len(found.plan.line_of)
    amounts = [0] * count
    for row, place in enumerate(found.amounts.rows(count).tolist()):
        amounts[place] += int(found.amounts.window[row, 0])
    return amounts


def _options(request: PineRequest, state: State, planned: Plan) -> list[tuple[str, str]]:
    """(value, name) of the trees that it may stand beside: statements of its kind, hierarchies, the rest."""
    chart, own = planned.statement.chart, planned.statement
    accounts = natural_list(state, chart)
    statements = [row for row in seen_statements(request, state) if row.chart == chart and row != own]
    statements.sort(key=lambda row: row.kind != own.kind)
    alike = sum(row.kind == own.kind for row in statements)
    named = [(row.statement, row.name) for row in statements]
    hierarchies = [
        (f"{HIERARCHY}{row.hierarchy}", f"Hierarchy: {row.name}")
        for row in sorted(state.rows(Hierarchy))
        if row.code_list == accounts
    ]
    return [*named[:alike], *hierarchies, *named[alike:]]


def _other(state: State, chart: str, wanted: str) -> Plan:
    name = wanted.removeprefix(HIERARCHY)
    other = hierarchy_plan(state, chart, name) if wanted != name else plan(state, name)
    if other is None:
        raise Http404
    return other


def _rows(found: StatementFigures, lines: dict[str, LineBeside]) -> Iterator[TableRow]:
    for figure in found.figures.lines:
        row = figure.line.row
        beside_line = lines.get(row.line)
        css = "heading" if row.kind == "heading" else ""
        yield TableRow(row.line, list(_cells(found, figure, beside_line)), css=css)


def _cells(found: StatementFigures, figure: Figure, there: LineBeside | None) -> Iterator[Cell]:
    row = figure.line.row
    yield Cell(row.label, indent(figure.line.depth))
    yield Cell("" if row.kind in WITHOUT_FIGURE else show_amount(figure.seen(), found.digits), "num")
    if there is None:
        yield Cell()
        return
    direction = 1 if figure.line.direction == 1 else -1
    yield Cell(
        "; ".join(
            _words(share, direction, found.digits, alone=len(there.shares) == 1) for share in there.shares
        ),
        "ok wrap" if there.alike else "look wrap",
    )


def _words(share: Share, direction: int, digits: int, *, alone: bool) -> str:
    """The other line, with what of the figure stands there where it is parted."""
    title = share.title or "no line"
    return title if alone else f"{title} {show_amount(direction * share.amount, digits)}"
