"""The trial balance of a company on screen: opening, debit, credit, closing, each account down to its
lines."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from django.http import HttpResponse
from django.shortcuts import render
from django.utils.safestring import SafeString

from core.analysis.asked import Asked
from core.analysis.column_sums import ClosingRow
from core.analysis.stretches import of_periods
from core.books.balances import TrialLine, TrialRow, under_headings
from core.books.periods import company_calendar
from core.codes.hierarchies import main_tree
from core.codes.lists import list_index
from core.codes.selectors import pick
from core.definitions.state import State
from core.definitions.tables import Chart, Company, Period
from core.faults import WrongCall
from core.money import digits_of, show_amount
from core.statements.plans import natural_list
from core.structures.charts import Field, chart_index
from core.structures.overlays import ShownAccount, shown_account
from core.structures.second_charts import charts_of
from web.definitions.viewing import PineRequest
from web.people.rights import SIGNED_IN, companies_seen, needs
from web.shell.asked import number, text
from web.shell.table_rows import Cell, TableRow, addresses, indent, table_rows
from web.statements.addresses import asked_of, asked_period, drill_from, where
from web.statements.figure_source import FigureSource
from web.statements.own_accounts import own_accounts
from web.statements.queries import closing_balances, trial_rows_asked

MOST_LEVELS = 3


@dataclass(frozen=True)
class TrialAsked:
    """What a trial balance is asked for on screen: `only` accounts that a selector picks, headings down to
    `levels` of the list's main hierarchy, and what `Asked` says: a stretch, a filter, codes across."""

    asked: Asked
    only: str
    levels: int

    def query(self, company: str, chart: str) -> str:
        """As a file is asked for, which has no headings."""
        at = self.asked
        stretch = {"year": at.year, "period": at.period, "first": at.first}
        return where(
            {"company": company, "in": chart, **stretch, "filter": at.filter, "by": at.by, "only": self.only}
        )


@dataclass(frozen=True)
class TrialTable:
    """Heads of its columns of amounts, and the accounts with their amounts in them: opening, debit, credit
    and closing, or closing balances by codes."""

    heads: tuple[str, ...]
    rows: list[TrialRow] | list[ClosingRow]

    def amounts(self, row: TrialRow | ClosingRow) -> tuple[int, ...]:
        if isinstance(row, ClosingRow):
            return row.amounts
        return (row.opening, row.debit, row.credit, row.closing)

    @property
    def totals(self) -> tuple[int, ...]:
        columns = zip(*(self.amounts(row) for row in self.rows), strict=True)
        return tuple(sum(column) for column in columns) or (0,) * len(self.heads)

    @property
    def agrees(self) -> bool:
        totals = self.totals
        if self.heads != HEADS:
            return not totals[-1]
        return totals[1] == totals[2] and not totals[0] and not totals[3]


HEADS = ("Opening", "Debit", "Credit", "Closing")


@needs(SIGNED_IN, localised=True)
def trial(request: PineRequest, state: State) -> HttpResponse:
    """Debits equal credits here, or the page says so."""
    companies = companies_seen(request.user, state)
    wanted = request.GET.get("company") or request.session.get("company")
    company = next((row for row in companies if row.company == wanted), companies[0] if companies else None)
    if company is None:
        return render(request, "statements/trial.html", {"rows": ""})
    at, chart = _asked(request, state, company), _chart_asked(request, state, company)
    calendar, year, period = company_calendar(state, company.company), at.asked.year, at.asked.period
    stretch = of_periods(calendar, year or 0, period or 0, at.asked.first)
    table, fault = _table(state, company, at, chart)
    digits = digits_of(company.currency)
    return render(
        request,
        "statements/trial.html",
        {
            "company": company,
            "companies": companies,
            "rows": _rows(state, company, chart, table, at, drill_from(stretch)),
            "table": table,
            "at": at,
            "fault": fault,
            "fields": _fields_across(state, company),
            "levels": range(1, MOST_LEVELS + 1),
            "charts": [state.require(Chart, name) for name in charts_of(state, company)],
            "chart": chart,
            "unmapped": [row for row in table.rows if row.unmapped],
            "totals": table.totals,
            "digits": digits,
            "file_query": at.query(company.company, chart),
            "is_part": bool(at.only or at.asked.filter),
            "agrees": table.agrees,
            "window": stretch,
            "year": year,
            "period": state.get(Period, company.calendar, year or 0, period or 0),
            "periods": [calendar.of_year(y) for y in reversed(calendar.years())],
        },
    )


NOT_ACROSS = ("natural_account", "company")


def _fields_across(state: State, company: Company) -> list[Field]:
    """What closing balances can be asked for by."""
    chart = chart_index(state, company.chart)
    fields = (*chart.segments, *chart.dimensions) if chart else ()
    return [field for field in fields if field.role not in NOT_ACROSS]


def _asked(request: PineRequest, state: State, company: Company) -> TrialAsked:
    year, period, first = asked_period(request, state, company.calendar, company.company)
    across = asked_of(request.GET)
    asked = Asked(year, period, first, filter=across.filter, by=across.by)
    return TrialAsked(
        asked, text(request.GET, "only", 300), number(request.GET, "levels", 0, MOST_LEVELS) or 0
    )


def _table(state: State, company: Company, at: TrialAsked, chart: str) -> tuple[TrialTable, str]:
    """The table, or an empty one and why it is."""
    try:
        codes = codes_only(state, chart, at.only)
        if at.asked.by:
            titles, closing = closing_balances(state, company.company, at.asked, chart)
            rows: list[Any] = list(closing)
            heads = tuple(title.replace("/", " / ") for title in titles)
        else:
            rows, heads = list(trial_rows_asked(state, company.company, at.asked, chart)), HEADS
    except WrongCall as refused:
        return TrialTable(HEADS, []), refused.faults[0].what
    return TrialTable(heads, [row for row in rows if codes is None or row.account in codes]), ""


def codes_only(state: State, chart: str, only: str) -> frozenset[str] | None:
    """The accounts that a selector picks; None without one. Raises WrongCall for one that can't be read."""
    if not only:
        return None
    picked = pick(state, natural_list(state, chart), only)
    if picked.faults:
        raise WrongCall(picked.faults[0])
    return picked.codes


def accounts_only(request: PineRequest, state: State, company: str, chart: str) -> frozenset[str] | None:
    """Of a company, by the address of a file."""
    row = state.get(Company, company)
    return codes_only(state, chart or (row.chart if row else ""), text(request.GET, "only", 300))


def _rows(
    state: State, company: Company, chart: str, table: TrialTable, at: TrialAsked, drill: str
) -> SafeString:
    """Accounts as the person sees them, in the order of what they see, under their headings."""
    digits, accounts = digits_of(company.currency), natural_list(state, chart)
    own, lines_of = natural_list(state, company.chart), _lines_of(state, company, chart, drill)
    shape, index = main_tree(state, accounts), list_index(state, accounts)
    by_code = {row.account: row for row in table.rows}
    seen = {
        code: shown_account(state, own if row.unmapped else accounts, code, row.name)
        for code, row in by_code.items()
    }
    order = sorted(by_code, key=lambda code: seen[code]) if state.overlay else list(by_code)

    def above(code: str) -> Sequence[str]:
        known = shape is not None and code in shape.parent and not by_code[code].unmapped
        return shape.path(code)[:-1][: at.levels] if shape and known else ()

    def told(line: TrialLine) -> TableRow:
        if line.is_heading:
            heading = index.codes.get(line.code)
            shown = shown_account(state, accounts, line.code, heading.name if heading else "")
            return _heading_row(line, shown, digits)
        row = by_code[line.code]
        return _account_row(line, row, seen[line.code], lines_of(row), digits)

    lines = under_headings([(code, table.amounts(by_code[code])) for code in order], above)
    return table_rows(told(line) for line in lines)


def _heading_row(line: TrialLine, shown: ShownAccount, digits: int) -> TableRow:
    amounts = [Cell(show_amount(value, digits), "num") for value in line.amounts]
    cells = [Cell(shown.number, f"code {indent(line.depth)}"), Cell(shown.name), *amounts]
    return TableRow(f"{line.code}/head", cells, css="heading", level=line.depth)


def _account_row(
    line: TrialLine, row: TrialRow | ClosingRow, shown: ShownAccount, address: str, digits: int
) -> TableRow:
    """`shown` is the account as the person sees it; its last amount leads to its lines at the address."""
    amounts = [Cell(show_amount(value, digits), "num") for value in line.amounts[:-1]]
    last = Cell(show_amount(line.amounts[-1], digits), "num", link=address, opens=True)
    kept = row.account if shown.number != row.account else ""
    number_cell = Cell(shown.number, f"code {indent(line.depth)}", title=kept)
    name = Cell(f"{shown.name} (not mapped)" if row.unmapped else shown.name)
    css = "bad" if row.unmapped else ""
    return TableRow(row.account, [number_cell, name, *amounts, last], css=css, level=line.depth)


def _chart_asked(request: PineRequest, state: State, company: Company) -> str:
    """The chart that the address names, if the company is seen in it; else its own."""
    wanted = text(request.GET, "in", 40)
    return wanted if wanted in charts_of(state, company) else company.chart


def _lines_of(
    state: State, company: Company, chart: str, drill: str
) -> Callable[[TrialRow | ClosingRow], str]:
    """By account of a chart the address of its lines."""
    lines = addresses("account-lines", company.company)
    if chart == company.chart:
        return lambda row: f"{lines(row.account)}?{drill}"
    own = own_accounts(FigureSource(state, company, Asked()), chart)

    def address(row: TrialRow | ClosingRow) -> str:
        accounts, into = own.get("" if row.unmapped else row.account, ((row.account,), ""))
        if row.unmapped:
            accounts = (row.account,)
        return f"{lines(','.join(accounts))}?{drill}{'&' if into else ''}{into}"

    return address
