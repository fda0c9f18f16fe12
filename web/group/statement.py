"""The consolidated statement, and as a workbook."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, NamedTuple

from django.http import Http404, HttpResponse
from django.shortcuts import render

from core.analysis.period_columns import STEPS
from core.codes.lists import list_index
from core.consolidation.eliminate import Disagreement
from core.definitions.state import State
from core.definitions.tables import ColumnSet, Company, Elimination, Group, GroupMember
from core.faults import WrongCall
from core.group.mapping import map_plan
from core.group.membership import membership
from core.group.rates import RateMissing
from core.group_figures.columns import column_title, group_can_have
from core.keeping.notes import SAYS, noted
from core.mapping.arrangements import arranged_otherwise, of_member
from core.money import digits_of, show_amount
from core.statements.figures import Figure
from web.definitions.viewing import PineRequest
from web.group import chartdrawing, queries
from web.group.across import AcrossTable, across_periods, step_asked
from web.group.addresses import PUBLISHED, GroupAddress, group_address, statements_of
from web.group.rows import COMPARED, ConsolidatedTable
from web.group.upstream import reviews_of
from web.people.rights import SIGNED_IN, needs
from web.shell.tabular import download
from web.shell.templatetags.pine import as_rate
from web.statements.made_from import MadeFrom
from web.statements.outline import statement_workbook
from web.statements.queries import StatementFigures
from web.statements.remarks import numbers_of


def company_names(state: State) -> dict[str, str]:
    return {row.company: row.name for row in state.rows(Company)}


@needs(SIGNED_IN)
def group(request: PineRequest, state: State, group: str) -> HttpResponse:
    at = group_address(request, state, group)
    found = figures_at(state, at)
    names = company_names(state)
    notes = at.remarks.notes(found.statement.plan) if found and at.remarks else []
    compared = _compared(request, state, at)
    return render(
        request,
        "group/group.html",
        {
            "group": at.group,
            "at": at,
            "statement": at.statement,
            "statements": statements_of(state, at.group),
            "found": found,
            "notes": notes,
            "remarks_at": at.remarks,
            "steps": STEPS,
            "column_sets": _column_sets(state, at),
            "names": names,
            "subgroups": _subgroups(state, at),
            "then_keys": COMPARED,
            "balance_sheet": bool(at.statement and at.statement.kind == "balance_sheet"),
            "drawing": chartdrawing.draw(state, group),
            "digits": digits_of(at.group.currency),
            "query": at.query,
            "period": at.period_row,
            "window": found.statement.window if found else None,
            "periods": [at.calendar.of_year(year) for year in reversed(at.calendar.years())],
            "groups": list(state.rows(Group)),
            **_arranged(state, at),
            **(_tables(state, at, found, compared, numbers_of(notes)) if found else {}),
            **(_proof(state, at.group, found) if found else {}),
        },
    )


def _tables(
    state: State,
    at: GroupAddress,
    found: queries.GroupFigures,
    compared: tuple[dict[str, Figure] | None, str],
    noted: dict[str, str],
) -> dict[str, Any]:
    """The statement as a table of companies and steps, or of periods, with columns worked out of these."""
    titled, wrong = _with_formulas(at, shown_columns_of(state, at, found))
    table = ConsolidatedTable(at, found, company_names(state), *compared, noted=noted, titled=titled)
    across = AcrossTable(at, titled, table.unit, noted) if titled.across else None
    return {
        "table": table,
        "across": across,
        "titles": titled.columns,
        "columns_wrong": wrong,
        "rows": "" if across else table.rows(),
        "roundings": () if across else table.roundings(),
    }


def _with_formulas(at: GroupAddress, figures: StatementFigures) -> tuple[StatementFigures, str]:
    """With the columns that are worked out of these; without them, and why, where they can't be read."""
    try:
        return figures.with_formulas(at.formulas), ""
    except WrongCall as wrong:
        return figures, wrong.faults[0].what


def _column_sets(state: State, at: GroupAddress) -> list[tuple[str, str]]:
    """(name, address) of kept sets of columns that a group can have: periods, another period beside it,
    columns worked out of these. Its figures come by account, not by codes, and it has no budget."""
    plain = replace(at, across="", compared="", formulas="")
    sets = []
    for row in sorted(state.rows(ColumnSet), key=lambda row: row.name):
        if row.chart != at.group.chart or not group_can_have(row):
            continue
        periods = "" if row.periods == "none" else row.periods
        beside = "" if row.beside == "nothing" else row.beside
        shown = replace(plain, across=periods, compared="" if periods else beside, formulas=row.formulas)
        shown = replace(shown, first=None) if periods else shown
        sets.append((row.name, shown.query))
    return sets


def figures_at(state: State, at: GroupAddress) -> queries.GroupFigures | None:
    """The statement of an address; None where there is no statement or no such period."""
    if at.statement is None or at.period_row is None:
        return None
    return queries.group_statement(
        state,
        at.statement.statement,
        at.group.group,
        at.year,
        at.period,
        at.first,
        opened=at.opened,
        accounts=at.accounts,
    )


def _compared(request: PineRequest, state: State, at: GroupAddress) -> tuple[dict[str, Figure] | None, str]:
    """The figures beside these, by line, and what they are called: of another period, or in a draft of the
    same one as it is published."""
    if at.than is None or at.statement is None:
        return None, ""
    (year, period), beside = at.than, at.compared == PUBLISHED
    if beside:
        first, state = at.first, request.viewed.snapshot.state
    else:
        alone = at.first == at.period
        first = period if alone else at.first if year != at.year and at.first is not None else None
    try:
        then = queries.group_statement(
            state, at.statement.statement, at.group.group, year, period, first, accounts=at.accounts
        ).statement
    except WrongCall:
        return None, ""
    title = "Published" if beside else at.calendar.periods[at.than].name
    return {figure.line.row.line: figure for figure in then.figures.lines}, title


def _arranged(state: State, at: GroupAddress) -> dict[str, Any]:
    """Who arranges the statement by itself: the group; members, whose figures stand on the group's lines all
    the same."""
    if at.statement is None:
        return {}
    statement = at.statement.statement
    names = sorted(reached.company for reached in membership(state, at.group.group).companies)
    rows = [row for name in names if (row := state.get(Company, name))]
    return {
        "arranged": of_member(state, statement, at.group.group, "group"),
        "otherwise": arranged_otherwise(state, statement, rows),
    }


def _subgroups(state: State, at: GroupAddress) -> list[tuple[Group, bool]]:
    """Groups below this one, and whether each is opened."""
    below = {name for reached in membership(state, at.group.group).companies for name in reached.path[1:]}
    rows = [row for name in sorted(below) if (row := state.get(Group, name))]
    return [(row, row.group in at.opened) for row in rows]


def _proof(state: State, head: Group, found: queries.GroupFigures) -> dict[str, Any]:
    """Sides that disagree, mappings with unmapped, and whether debits equal credits."""
    group, names = head.group, company_names(state)
    return {
        "apart": [
            (*_sides(one.apart, found.statement.digits), one.severity, SAYS[one.state])
            for one in noted(state, group, found.consolidated.disagreements, found.statement.digits)
        ],
        "balance": found.consolidated.balance,
        "cash_rows": _cash_rows(found),
        "mapped": _mapped(state, head, found),
        "unmapped": [(u, u.raw[-1]) for u in found.statement.figures.unplaced if u.raw[-1]],
        "waiting": [(names.get(name, name), why) for name, why in found.waiting],
        "partial": found.told_of_members,
        "told_of_sides": found.statement.told_of_sides,
        "shared": sum(
            1
            for company in found.consolidated.position.columns
            if (row := state.get(Company, company)) and row.chart == head.chart
        ),
        "members": len(state.part(GroupMember, group)),
        "eliminations": len(state.part(Elimination, group)),
    }


CASH_ROWS = {
    "opening": "Cash at the beginning",
    "flows": "What flowed, by the lines",
    "cash_taken_over": "Came or went with companies",
    "rate_effect": "What exchange rates did",
    "rounding": "Rounding",
    "closing": "Cash at the end",
}


def _cash_rows(found: queries.GroupFigures) -> list[tuple[str, str, int]]:
    """(what, its words, amount) of the proof of a cash flow; what no line shows by its account."""
    rows = queries.proof_of_cash(found) if found.consolidated.flows else []
    return [
        (row.what, CASH_ROWS.get(row.what, f"{row.what.partition(' ')[2]}, on no line"), row.amount)
        for row in rows
    ]


def _sides(entry: Disagreement, digits: int) -> tuple[Disagreement, str, str, str]:
    """A disagreement with what each side has, and how far they are apart, as shown."""
    return (
        entry,
        show_amount(entry.side(entry.company), digits),
        show_amount(entry.side(entry.partner), digits),
        show_amount(entry.amount, digits),
    )


class MappedCompany(NamedTuple):
    """A company on a chart of its own: how many accounts have amounts and no place, how many no place, how
    many changed upstream since its mapping was looked at."""

    company: Company
    unmapped: int
    unplaced: int
    changed: int


def _mapped(state: State, group: Group, found: queries.GroupFigures) -> list[MappedCompany]:
    plans = {
        member.company: plan
        for member in membership(state, group.group).companies
        if (plan := map_plan(state, group.group, member.company)) and not plan.shared
    }
    reviews = reviews_of(state, group, plans) if plans else {}
    strays = [account.company for account in found.group.books.accounts.strays]
    return [
        MappedCompany(
            state.require(Company, name),
            strays.count(name),
            sum(plan.plain(code) == "" for code in list_index(state, plan.chart.natural_list).posting),
            len(reviews[name].changes),
        )
        for name, plan in plans.items()
    ]


@needs(SIGNED_IN)
def workbook(request: PineRequest, state: State, group: str) -> HttpResponse:
    """The statement with the columns that are shown."""
    at = group_address(request, state, group)
    found = figures_at(state, at)
    if found is None or at.statement is None:
        raise Http404
    statement = shown_columns_of(state, at, found).with_formulas(at.formulas)
    heading = f"{at.statement.name}, {at.group.name}, consolidated"
    made_from = MadeFrom.of_request(request).rows(statement, ("Group", f"{at.group.group} {at.group.name}"))
    notes = [note.sentence() for note in at.remarks.notes(found.statement.plan)] if at.remarks else []
    notes = [*found.told, *notes]
    made_from += _rates_taken(found)
    kind = "ods" if request.GET.get("file") == "ods" else "xlsx"
    content = statement_workbook(statement, list(statement.columns), heading, made_from, notes, kind)
    return download(content, f"{at.statement.statement}-{group}-{at.year}-{at.period}", kind)


def shown_columns_of(state: State, at: GroupAddress, found: queries.GroupFigures) -> StatementFigures:
    """The columns of the page under the names that they have there: periods, or companies and steps."""
    if (step := step_asked(at)) and (across := across_periods(state, at, step)):
        return across
    names = company_names(state)
    titles = tuple(column_title(found.group, column, names) for column in found.statement.columns)
    return replace(found.statement, columns=titles)


def _rates_taken(found: queries.GroupFigures) -> list[tuple[str, str]]:
    """Closing and average rates of the statement's last period, by currency."""
    group, last = found.group, found.group.periods.last_to(found.statement.window.end)
    currencies = sorted({books.currency for books in group.books.sets} - {group.group.currency})
    taken = []
    for currency in currencies:
        for kind in ("closing", "average"):
            try:
                rate = as_rate(group.rates.of(kind, currency, last))
            except RateMissing:
                rate = "missing"
            taken.append((f"{kind.capitalize()} rate of {currency}", f"{rate} {group.group.currency}"))
    return taken


def known_figures(
    request: PineRequest, state: State, group: str
) -> tuple[GroupAddress, queries.GroupFigures]:
    """The statement of an address with all companies in columns of their own. Raises Http404."""
    at = group_address(request, state, group)
    found = figures_at(state, replace(at, opened=tuple(row.group for row in state.rows(Group))))
    if found is None:
        raise Http404
    return at, found
