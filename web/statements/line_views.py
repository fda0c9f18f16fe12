"""Lines of a statement: what stands on one, and what may be done with it."""

from __future__ import annotations

from urllib.parse import quote

from django.contrib import messages
from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.urls import reverse

from core.analysis.asked import Asked
from core.changes.kinds import ChangeSequence, Put
from core.changes.of_statements import (
    DeleteLine,
    DeleteLines,
    MoveLine,
    MoveLines,
    PlaceAccounts,
    PutLine,
    shifted_line,
)
from core.codes.selectors import named_codes
from core.definitions.state import State
from core.definitions.tables import Arrangement, Code, Statement, StatementLine
from core.faults import Fault, Refused
from core.statements.amounts import Amounts
from core.statements.coverage import asks_for, elsewhere, goes_to
from core.statements.plans import Plan, likely_line, line_title, plan
from core.structures.charts import Field, chart_index
from web.definitions.viewing import PineRequest
from web.people.rights import CHANGE, SIGNED_IN, needs, needs_post
from web.sheets.changing import apply_change, filled, reload_at
from web.shell.asked import text
from web.shell.asking import Choice, ask, decided
from web.shell.ids import free_id
from web.statements.addresses import asked_period, drill, where
from web.statements.figure_source import FigureSource
from web.statements.own_accounts import AccountShare, account_shares
from web.statements.queries import figures_of
from web.statements.rows import WITHOUT_FIGURE
from web.statements.views import company_asked, then_or_now


@needs(SIGNED_IN)
def line(request: PineRequest, state: State, statement: str, line: str) -> HttpResponse:
    """The proof leaf of a line: its accounts with amounts, and what may be done with it."""
    planned = plan(state, statement)
    if planned is None or line not in planned.index:
        raise Http404
    company = company_asked(request, state, planned.statement.chart)
    at = planned.lines[planned.index[line]]
    accounts: list[AccountShare] = []
    figures = None
    if company:
        year, period, start = asked_period(request, state, company.calendar, company.company)
        state, _ = then_or_now(request, state, company, year, period)
        planned = plan(state, statement) or planned
        source = FigureSource(state, company, Asked(year, period, start))
        figures = figures_of(source, planned)
        amounts = account_figures(planned, line, figures.amounts)
        accounts = account_shares(source, planned, line, amounts)
    query = where({k: request.GET.get(k) for k in ("company", "year", "period", "first", "tree")})
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
            "back": quote(f"{reverse('statement', args=[statement])}?{query}"),
            "shown": figures.figures.lines[planned.index[line]].shown[0] if figures else None,
            "drill": drill(planned.statement, figures.window) if figures else "",
            "headings": [
                entry.row for entry in planned.lines if entry.row.kind == "heading" and entry.row.line != line
            ],
            "asks": asks_for(at.row),
            "goes_to": goes_to(planned, line),
            "elsewhere": elsewhere(planned, figures.amounts, line) if figures else (),
            "fields": _fields(state, statement),
            "names": _named_in_formulas(state, statement),
            "arranged": state.get(Arrangement, statement) is not None,
        },
    )


PARTS = ("field", "codes", "side")
"""What a line of accounts may ask of their amounts."""


def _fields(state: State, statement: str) -> list[Field]:
    """What a line may ask for codes of."""
    row = state.get(Statement, statement)
    chart = chart_index(state, row.chart) if row else None
    fields = (*chart.segments, *chart.dimensions) if chart else ()
    return [field for field in fields if field.role != "natural_account"]


def _named_in_formulas(state: State, statement: str) -> list[StatementLine]:
    """Lines with a figure, in the order of the statement."""
    planned = plan(state, statement)
    lines = planned.lines if planned else ()
    return [line.row for line in lines if line.row.kind not in ("text", "gap")]


def account_figures(made: Plan, line: str, amounts: Amounts, column: int = 0) -> list[tuple[Code, int]]:
    """(code, raw amount) of the accounts on a line or under a heading, those with an amount first in code
    order."""
    start = made.index[line]
    end = made.end_of(start)
    holds_result = any(entry.is_result for entry in made.lines[start:end])
    sums: dict[int, int] = {}
    for place, row in made.rows_between(amounts, start, end):
        sums[place] = sums.get(place, 0) + int(amounts.window[row, column])
    if holds_result:
        for row, place in enumerate(amounts.rows(len(made.line_of)).tolist()):
            if made.into_result[place]:
                sums[place] = sums.get(place, 0) + int(amounts.cumulative[row, column])
    codes = (made.accounts.codes[made.accounts.posting[place]] for place in sums)
    return [(code, amount) for code, amount in zip(codes, sums.values(), strict=True) if amount]


def _back(request: PineRequest, statement: str, at: str = "") -> HttpResponse:
    """To the statement as it was looked at, with what this change moved shown beside."""
    keep = {k: request.POST.get(k, "") for k in ("company", "year", "period", "first", "tree")}
    since = request.POST.get("since") or request.POST.get("seen", "")
    return reload_at(
        reverse("statement", kwargs={"statement": statement})
        + "?"
        + where({**keep, "since": since, "at": at})
    )


def _known(state: State, statement: str, line: str) -> StatementLine:
    row = state.get(StatementLine, statement, line)
    if row is None:
        raise Http404
    return row


def _free_id(state: State, statement: str, label: str) -> str:
    return free_id(label, lambda name: state.get(StatementLine, statement, name) is not None, "line")


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
                "fields": _fields(state, statement),
                "names": _named_in_formulas(state, statement),
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
        *([] if kind in WITHOUT_FIGURE else ["shown_when"]),
        *(["accounts", *PARTS] if kind == "accounts" else ["formula"] if kind == "formula" else []),
    ]
    row = filled(request, blank, *columns)
    where = request.POST.get("parent", ""), _following(state, row, request.POST.get("after", ""))
    _put_line(request, state, PutLine(row, *where) if row.accounts else MoveLine(row, *where))
    return _back(request, statement, row.line)


def _put_line(request: PineRequest, state: State, change: PutLine | MoveLine | Put) -> None:
    """Adds or changes a line, and tells what went to it from others."""
    goes = change.goes(state) if isinstance(change, PutLine) else []
    apply_change(request, change)
    if goes:
        parts = [f"{code} from {line_title(line)}" for code, line in goes[:8]]
        more = f" and {len(goes) - 8} more" if len(goes) > 8 else ""
        messages.success(request, f"{line_title(change.row)} took {', '.join(parts)}{more}.")


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
        *([] if row.kind in WITHOUT_FIGURE else ["shown_when"]),
        *(["accounts", *PARTS] if row.kind == "accounts" else ["formula"] if row.kind == "formula" else []),
    ]
    changed = filled(request, row, *columns)
    takes = row.kind == "accounts" and changed.accounts != row.accounts
    _put_line(request, state, PutLine(changed) if takes else Put(changed))
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
def several(request: PineRequest, state: State, statement: str, act: str) -> HttpResponse:
    """Chosen lines (`what`, parted by commas) below a heading, or deleted after what goes was told."""
    what = tuple(line for line in dict.fromkeys(text(request.POST, "what", 4000).split(",")) if line)
    planned = plan(state, statement)
    if planned is None or not what or not all(line in planned.index for line in what):
        raise Refused([Fault("nothing-chosen", "Those lines aren't all here.")])
    if act == "move":
        onto = text(request.POST, "onto", 40)
        if onto and onto not in planned.index:
            raise Refused([Fault("reference", f"There is no line {onto}.")])
        apply_change(request, MoveLines(statement, what, onto))
        return _back(request, statement, what[0])
    change = DeleteLines(statement, what)
    lines, loose = change.goes(state)
    if not decided(request):
        more = (
            f"; {loose:,} {'account stands' if loose == 1 else 'accounts stand'} on no line then"
            if loose
            else ""
        )
        sentence = f"{lines:,} lines go, those below them too{more}."
        return ask(request, sentence, Choice("delete", f"Delete {lines:,} lines"))
    apply_change(request, change)
    return _back(request, statement)


@needs_post(CHANGE)
def move(request: PineRequest, state: State, statement: str) -> HttpResponse:
    """Places a line: onto a heading it goes below, onto another line before it. Dragging an account places
    it."""
    what, onto = request.POST.get("what", ""), request.POST.get("onto", "")
    target = state.get(StatementLine, statement, onto)
    if what.startswith("account:"):
        return _place(request, statement, (what.removeprefix("account:"),), onto)
    row = _known(state, statement, what)
    if onto and target is None:
        raise Refused([Fault("reference", f"There is no line {onto}.")])
    if target is None or target.kind == "heading":
        apply_change(request, MoveLine(row, onto))
    else:
        apply_change(request, MoveLine(row, target.parent, target.line))
    return _back(request, statement, what)


def _place(request: PineRequest, statement: str, codes: tuple[str, ...], line: str) -> HttpResponse:
    apply_change(request, PlaceAccounts(statement, line, codes))
    return _back(request, statement, line)


def _taking(planned: Plan, likely: list[tuple[str, str]]) -> str:
    """What placing every account on its likely line will do."""
    sure = [(code, line_title(planned.lines[planned.index[line]].row)) for code, line in likely if line]
    parts = [f"{code} {planned.accounts.codes[code].name} on {title}" for code, title in sure[:6]]
    more = [f"{len(sure) - 6} more"] if len(sure) > 6 else []
    return f"Place {len(sure)} account{'s' if len(sure) > 1 else ''}: {'; '.join([*parts, *more])}?"


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
        if not decided(request):
            return ask(request, _taking(planned, likely), Choice("take", "Place them"))
        apply_change(
            request,
            ChangeSequence(
                changes,
                f"Placed {', '.join(code for code, target in likely if target)} on their likely lines",
            ),
        )
        return _back(request, statement)
    codes = named_codes(state, planned.accounts.code_list, text(request.POST, "code", 4000))
    return _place(request, statement, codes, request.POST.get("line", ""))


@needs_post(CHANGE)
def shift(request: PineRequest, state: State, statement: str, way: str) -> HttpResponse:
    """Moves a line (`row`) among its neighbours or between levels: up, down, deeper, higher."""
    line = text(request.POST, "row")
    planned = plan(state, statement)
    if planned is None or line not in planned.index:
        raise Http404
    wanted = shifted_line(planned, line, way)
    if wanted is None:
        label = planned.lines[planned.index[line]].row.label or line
        raise Refused([Fault("no-room", f"{label} cannot go {way} from here.")])
    apply_change(request, wanted)
    return _back(request, statement, line)
