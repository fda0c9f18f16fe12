"""Storey 5: a statement with its figures, rearranged in place; figures move with each change."""

from __future__ import annotations

import re
from typing import Any, NamedTuple
from urllib.parse import urlencode

from django.http import Http404, HttpResponse, HttpResponseRedirect
from django.shortcuts import render
from django.urls import reverse

from core.books.periods import calendar_index, company_calendar
from core.changes.kinds import Add, ChangeSequence, Put
from core.changes.of_statements import DeleteLine, MoveLine, PlaceAccounts
from core.codes.hierarchies import as_held
from core.codes.lists import list_index
from core.definitions.state import State
from core.definitions.tables import TABLES, Chart, Company, Hierarchy, Period, Statement, StatementLine
from core.drafts.replaying import tells
from core.faults import Fault, Refused
from core.statements import proposing
from core.statements.figures import likely_line, natural_list, plan
from web.definitions.history import state_at
from web.definitions.viewing import PineRequest
from web.people.rights import CHANGE, SIGNED_IN, charts_seen, companies_seen, needs, needs_post
from web.shell.asked import number, text, whole
from web.shell.asking import Choice, ask, decided
from web.shell.change_views import apply_change, filled, reload_at
from web.statements.outline import statement_workbook
from web.statements.queries import company_amounts, company_statement

ID = re.compile(r"[^a-z0-9]+")


def default_period(state: State, calendar: str) -> tuple[int, int]:
    """The period most likely asked for: the first open regular one, or the last of all."""
    regular = calendar_index(state, calendar).regular
    open_ones = [p for p in regular if p.status == "open"] or regular[-1:]
    return (open_ones[0].fiscal_year, open_ones[0].period) if open_ones else (0, 0)


def asked_period(request: PineRequest, state: State, calendar: str) -> tuple[int, int, int | None]:
    """(year, period, first period or None) of the address; the likely ones where it names none."""
    year, period = default_period(state, calendar)
    given = request.GET
    return (
        whole(given, "year", year, 9999),
        whole(given, "period", period, 9999),
        number(given, "first", None, 9999),
    )


def seen_statements(request: PineRequest, state: State) -> list[Statement]:
    charts = charts_seen(request.user, state)
    return sorted(
        (row for row in state.rows(Statement) if row.chart in charts), key=lambda row: (row.chart, row.name)
    )


class IdleAccount(NamedTuple):
    """An unplaced account without an amount, and the line it most likely belongs on."""

    code: str
    name: str
    likely: str


@needs(SIGNED_IN)
def first(request: PineRequest, state: State) -> HttpResponse:
    statements = seen_statements(request, state)
    if not statements:
        return render(request, "statements/none.html", {"charts": charts_with_accounts(state)})
    return HttpResponseRedirect(reverse("statement", kwargs={"statement": statements[0].statement}))


def charts_with_accounts(state: State) -> list[Chart]:
    return [row for row in state.rows(Chart) if list_index(state, natural_list(state, row.chart)).posting]


def _company(request: PineRequest, state: State, chart: str) -> Company | None:
    """The company asked for, or the one looked at last, or the first on the chart."""
    rows = [row for row in companies_seen(request.user, state) if row.chart == chart]
    wanted = request.GET.get("company") or request.session.get("company")
    company_row = next((row for row in rows if row.company == wanted), rows[0] if rows else None)
    if company_row and request.session.get("company") != company_row.company:
        request.session["company"] = company_row.company
    return company_row


def _where(query: dict[str, Any]) -> str:
    return urlencode({k: v for k, v in query.items() if v not in (None, "")})


@needs(SIGNED_IN)
def statement(request: PineRequest, state: State, statement: str) -> HttpResponse:
    planned = plan(state, statement)
    if planned is None:
        raise Http404
    company = _company(request, state, planned.statement.chart)
    if company is None:
        return render(
            request,
            "statements/statement.html",
            {
                "plan": planned,
                "statement": planned.statement,
                "rows": [],
                "statements": seen_statements(request, state),
            },
        )
    year, period, start = asked_period(request, state, company.calendar)
    state, held = then_or_now(request, state, company, year, period)
    planned = plan(state, statement) or planned
    figures = company_statement(state, statement, company.company, year, period, start)
    was = _was(request, state, statement, company.company, (year, period, start))
    if (
        was is not None
        and request.viewed.working
        and all(was.get(f.line.row.line) == f.shown[0] for f in figures.figures.lines)
    ):
        was = None  # the draft leaves these figures as they are: one column says so better than two alike
    drafted = drafted_lines(request, statement)
    rows = []
    for figure in figures.figures.lines:
        before = was.get(figure.line.row.line) if was is not None else None
        now = figure.shown[0]
        moved = was is not None and before != now
        rows.append(
            (
                figure,
                figure.seen(),
                before,
                moved,
                (now or 0) - (before or 0) if moved else None,
                min(figure.line.depth, 8),
                figure.line.row.line in drafted,
            )
        )
    unplaced = [(u, likely_line(planned, u.account)) for u in figures.figures.unplaced]
    idle = [planned.accounts.codes[planned.accounts.posting[i]] for i in planned.missed().tolist()]
    amounted = {u.account for u, _ in unplaced}
    belonging = int((planned.line_of >= 0).sum()) + len(idle)
    check = sum(f.raw[0] for f in figures.figures.lines if f.line.parent < 0) + sum(
        u.raw[0] for u, _ in unplaced
    )
    calendar = company_calendar(state, company.company)
    query = _where(
        {
            "company": company.company,
            "year": year,
            "period": period,
            "first": start,
            "tree": held and request.GET.get("tree"),
        }
    )
    return render(
        request,
        "statements/statement.html",
        {
            "plan": planned,
            "statement": planned.statement,
            "company": company,
            "rows": rows,
            "found": figures,
            "digits": figures.digits,
            "chart": state.get(Chart, planned.statement.chart),
            "unplaced": unplaced,
            "idle": [
                IdleAccount(c.code, c.name, likely_line(planned, c.code))
                for c in idle
                if c.code not in amounted
            ],
            "placed": belonging - len(idle),
            "belonging": belonging,
            "check": check,
            "balance_sheet": planned.statement.kind == "balance_sheet",
            "statements": seen_statements(request, state),
            "was": was is not None,
            "at": request.GET.get("at", ""),
            "companies": [
                row for row in companies_seen(request.user, state) if row.chart == planned.statement.chart
            ],
            "periods": [calendar.of_year(y) for y in reversed(calendar.years())],
            "query": query,
            "window": figures.window,
            "period": state.get(Period, company.calendar, year, period),
            "year": year,
            "here": f"{request.path}?{query}",
            "headings": [line.row for line in planned.lines if line.row.kind == "heading"],
            "lines": [line.row for line in planned.lines if line.row.kind == "accounts"],
            "columns": ("Published", "Draft") if request.viewed.working else ("Before", company.currency),
            "labels": {line.row.line: line.row.label for line in planned.lines},
            "held": held,
        },
    )


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
) -> dict[str, int | None] | None:
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
    figures = company_statement(before, statement, company, *at)
    return {figure.line.row.line: figure.shown[0] for figure in figures.figures.lines}


@needs(SIGNED_IN)
def line(request: PineRequest, state: State, statement: str, line: str) -> HttpResponse:
    """The proof leaf of a line: its accounts with amounts, and what may be done with it."""
    planned = plan(state, statement)
    if planned is None or line not in planned.index:
        raise Http404
    company = _company(request, state, planned.statement.chart)
    at = planned.lines[planned.index[line]]
    accounts = []
    figures = None
    if company:
        year, period, start = asked_period(request, state, company.calendar)
        state, _ = then_or_now(request, state, company, year, period)
        planned = plan(state, statement) or planned
        figures = company_statement(state, statement, company.company, year, period, start)
        accounts = account_figures(state, planned, line, company.company, figures.window)
    query = _where({k: request.GET.get(k) for k in ("company", "year", "period", "first", "tree")})
    return render(
        request,
        "statements/line.html",
        {
            "plan": planned,
            "statement": planned.statement,
            "line": at,
            "row": at.row,
            "accounts": accounts,
            "company": company,
            "digits": figures.digits if figures else 2,
            "window": figures.window if figures else None,
            "query": query,
            "shown": figures.figures.lines[planned.index[line]].shown[0] if figures else None,
            "drill": drill(planned.statement, figures.window) if figures else "",
            "headings": [
                entry.row for entry in planned.lines if entry.row.kind == "heading" and entry.row.line != line
            ],
            "all_codes": ",".join(code.code for code, _ in accounts),
        },
    )


def drill(statement: Statement, at: Any) -> str:
    """The stretch of periods behind a statement's figures, for the address of the lines."""
    if statement.kind == "balance_sheet":
        return _where({"year": at.year, "period": at.period})
    return drill_from(at) + "&closing=0"


def drill_from(at: Any) -> str:
    """The movements of a stretch of periods, for the address of the lines."""
    return _where({"year": at.year, "period": at.period, "from_year": at.year, "from_period": at.first})


def account_figures(state: State, made: Any, line: str, company: str, at: Any) -> list[tuple[Any, int]]:
    """(code, raw amount) of the accounts on a line or under a heading, those with an amount first in code
    order."""
    amounts = company_amounts(state, company, made.statement, at)
    start = made.index[line]
    end = made.end_of(start)
    kinds = {entry.row.kind for entry in made.lines[start:end]}
    picked = [i for i in range(len(made.line_of)) if start <= made.line_of[i] < end]
    rows = [(made.accounts.codes[made.accounts.posting[i]], int(amounts.window[i, 0])) for i in picked]
    if "result" in kinds:
        rows += [
            (made.accounts.codes[code], int(amounts.cumulative[i, 0]))
            for i, code in enumerate(made.accounts.posting)
            if made.accounts.codes[code].account_class in ("revenue", "expense")
        ]
    return [(code, amount) for code, amount in rows if amount]


def _back(request: PineRequest, statement: str, at: str = "") -> HttpResponse:
    """To the statement as it was looked at, with what this change moved shown beside."""
    keep = {k: request.POST.get(k, "") for k in ("company", "year", "period", "first")}
    since = request.POST.get("since") or request.POST.get("seen", "")
    return reload_at(
        reverse("statement", kwargs={"statement": statement})
        + "?"
        + _where({**keep, "since": since, "at": at})
    )


def _known(state: State, statement: str, line: str) -> StatementLine:
    row = state.get(StatementLine, statement, line)
    if row is None:
        raise Http404
    return row


def _free_id(state: State, statement: str, label: str) -> str:
    base = ID.sub("-", label.lower()).strip("-")[:34] or "line"
    text, number = base, 1
    while state.get(StatementLine, statement, text):
        number += 1
        text = f"{base}-{number}"
    return text


@needs(CHANGE, posts=True)
def add(request: PineRequest, state: State, statement: str) -> HttpResponse:
    """GET: the form of a new line beside the selected one. POST: adds it."""
    near = state.get(StatementLine, statement, request.GET.get("near", ""))
    if request.method != "POST":
        parent = (near.line if near.kind == "heading" else near.parent) if near else ""
        return render(
            request,
            "statements/add.html",
            {
                "statement": state.get(Statement, statement),
                "parent": parent,
                "get": request.GET,
                "after": near.line if near and near.kind != "heading" else "",
            },
        )
    label = request.POST.get("label", "").strip()
    blank = StatementLine(statement, _free_id(state, statement, label))
    kind = request.POST.get("kind", "")
    columns = [
        "label",
        "kind",
        "sign",
        *(["accounts"] if kind == "accounts" else ["formula"] if kind == "formula" else []),
    ]
    row = filled(request, blank, *columns)
    apply_change(
        request,
        MoveLine(row, request.POST.get("parent", ""), _following(state, row, request.POST.get("after", ""))),
    )
    return _back(request, statement, row.line)


def _following(state: State, row: StatementLine, after: str) -> str:
    planned = plan(state, row.statement)
    if planned is None or after not in planned.index:
        return ""
    near = [
        entry.row.line
        for entry in planned.lines
        if entry.parent == planned.lines[planned.index[after]].parent
    ]
    place = near.index(after) + 1
    return near[place] if place < len(near) else ""


@needs_post(CHANGE)
def change(request: PineRequest, state: State, statement: str, line: str) -> HttpResponse:
    row = _known(state, statement, line)
    columns = [
        "label",
        "sign",
        *(["accounts"] if row.kind == "accounts" else ["formula"] if row.kind == "formula" else []),
    ]
    apply_change(request, Put(filled(request, row, *columns)))
    return _back(request, statement, line)


@needs_post(CHANGE)
def delete(request: PineRequest, state: State, statement: str, line: str) -> HttpResponse:
    row, change = _known(state, statement, line), DeleteLine(statement, line)
    below, loose = change.goes(state)
    if below and not decided(request):
        lines = f"{below:,} {'line' if below == 1 else 'lines'}"
        more = (
            f"; {loose:,} {'account stands' if loose == 1 else 'accounts stand'} on no line then"
            if loose
            else ""
        )
        return ask(
            request,
            f"{row.label or line} goes with the {lines} below it{more}.",
            Choice("delete", f"Delete it with {lines}"),
        )
    apply_change(request, change)
    return _back(request, statement, row.parent)


@needs_post(CHANGE)
def move(request: PineRequest, state: State, statement: str) -> HttpResponse:
    """Places a line: onto a heading it goes below, onto another line before it. Dragging an account places
    it."""
    what, onto = request.POST.get("what", ""), request.POST.get("onto", "")
    target = state.get(StatementLine, statement, onto)
    if what.startswith("account:"):
        return _place(request, state, statement, [what.removeprefix("account:")], onto)
    row = _known(state, statement, what)
    if onto and target is None:
        raise Refused([Fault("reference", f"There is no line {onto}.")])
    if target is None or target.kind == "heading":
        apply_change(request, MoveLine(row, onto))
    else:
        apply_change(request, MoveLine(row, target.parent, target.line))
    return _back(request, statement, what)


def _place(request: PineRequest, state: State, statement: str, codes: list[str], line: str) -> HttpResponse:
    apply_change(request, PlaceAccounts(statement, line, tuple(codes)))
    return _back(request, statement, line)


@needs_post(CHANGE)
def place(request: PineRequest, state: State, statement: str) -> HttpResponse:
    """Puts accounts on a line; with `take` every unplaced account that has a likely line goes there."""
    planned = plan(state, statement)
    if planned is None:
        raise Http404
    if request.POST.get("take"):
        likely = [
            (code, likely_line(planned, code))
            for code in (planned.accounts.posting[i] for i in planned.missed().tolist())
        ]
        changes = tuple(PlaceAccounts(statement, target, (code,)) for code, target in likely if target)
        if not changes:
            raise Refused(
                [
                    Fault(
                        "nothing-likely",
                        "No unplaced account has a likely line.",
                        way_out="Choose lines one by one.",
                    )
                ]
            )
        apply_change(
            request,
            ChangeSequence(
                changes,
                f"Placed {', '.join(code for code, target in likely if target)} on their likely lines",
            ),
        )
        return _back(request, statement)
    codes = [code for code in dict.fromkeys(request.POST.get("code", "").replace(" ", "").split(",")) if code]
    if not codes:
        raise Refused([Fault("nothing-chosen", "No account is chosen.")])
    return _place(request, state, statement, codes, request.POST.get("line", ""))


@needs_post(CHANGE)
def shift(request: PineRequest, state: State, statement: str, line: str, way: str) -> HttpResponse:
    """Moves a line among its neighbours or between levels: up, down, deeper, higher."""
    planned = plan(state, statement)
    if planned is None or line not in planned.index:
        raise Http404
    at = planned.lines[planned.index[line]]
    near = [entry.row for entry in planned.lines if entry.parent == at.parent]
    place = [row.line for row in near].index(line)
    after = near[place + 2].line if place + 2 < len(near) else ""
    if way == "up" and place:
        wanted = MoveLine(at.row, at.row.parent, near[place - 1].line)
    elif way == "down" and place + 1 < len(near):
        wanted = MoveLine(at.row, at.row.parent, after)
    elif way == "deeper" and place and near[place - 1].kind == "heading":
        wanted = MoveLine(at.row, near[place - 1].line)
    elif way == "higher" and at.row.parent:
        parent = planned.lines[at.parent]
        uncles = [entry.row.line for entry in planned.lines if entry.parent == parent.parent]
        follow = uncles.index(parent.row.line) + 1
        wanted = MoveLine(at.row, parent.row.parent, uncles[follow] if follow < len(uncles) else "")
    else:
        raise Refused([Fault("no-room", f"{at.row.label or line} cannot go {way} from here.")])
    apply_change(request, wanted)
    return _back(request, statement, line)


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


@needs(SIGNED_IN)
def workbook(request: PineRequest, state: State, statement: str) -> HttpResponse:
    """The statement as a workbook that recalculates: live sums, outline levels, frozen panes."""
    planned = plan(state, statement)
    company = _company(request, state, planned.statement.chart) if planned else None
    if planned is None or company is None:
        raise Http404
    figures = company_statement(
        state, statement, company.company, *asked_period(request, state, company.calendar)
    )
    data = statement_workbook(figures, [company.name], f"{planned.statement.name}, {company.name}")
    reply = HttpResponse(
        data, content_type="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
    )
    reply["Content-Disposition"] = (
        "attachment;"
        f' filename="{statement}-{company.company}-{figures.window.year}-{figures.window.period}.xlsx"'
    )
    return reply
