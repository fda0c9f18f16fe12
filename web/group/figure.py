"""A figure of the consolidated statement opened: columns, companies and steps, own accounts, periods."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any, NamedTuple
from urllib.parse import urlencode

from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.urls import reverse

from core.books.periods import company_calendar
from core.codes.lists import list_index
from core.consolidation.position import STEPS
from core.definitions.state import State
from core.definitions.statement_rows import CASH_TAKEN_OVER
from core.definitions.tables import Company
from core.group_figures.columns import (
    ADJUSTING,
    ELIMINATIONS,
    GROUP,
    OWNERSHIP,
    SUBGROUP,
    column_plan,
    column_title,
)
from core.group_figures.makeup import Span, flow_amounts, flow_periods, own_amounts, period_amounts
from core.money import digits_of
from core.statements.figures import Figure
from core.statements.line_parts import DEBIT
from core.statements.plans import line_title, natural_list
from web.definitions.viewing import PineRequest
from web.group import queries
from web.group.addresses import GroupAddress
from web.group.statement import company_names, known_figures
from web.people.rights import SIGNED_IN, needs
from web.shell.asked import text
from web.shell.templatetags.pine import as_rate
from web.statements.addresses import drill, drill_from
from web.statements.figure_views import cell_back

STEP_TITLES = {
    "books": "Books, translated",
    "translation": "Translation reserve",
    "share": "Share not taken",
    "equity": "Taken by equity",
    "disposal": "What remains of it",
    "acquisition": "Acquisition",
    "minority": "Minority",
    "elimination": "Eliminated",
}


class Part(NamedTuple):
    """What a column or a step brings to a figure, shown as its line is; `key` opens it."""

    title: str
    key: str
    amount: int


class OwnPart(NamedTuple):
    """An own account behind a figure, raw; `opens` shows its periods, `lines` leads to journal lines."""

    own: str
    name: str
    account: str
    rate: str
    amount: int
    translated: int
    opens: str
    lines: str


@dataclass(frozen=True)
class OpenedFigure:
    """One line of a group's statement. `targets` are the group accounts that it sums."""

    state: State
    at: GroupAddress
    found: queries.GroupFigures
    figure: Figure
    targets: frozenset[int]
    of_cash: frozenset[str] = frozenset()
    """kinds of lines below it that tell what cash gained beside what flowed"""
    only: str = ""
    """the one account that it is narrowed to; empty: all of the line"""

    @property
    def query(self) -> str:
        return f"{self.at.query}&{urlencode({'only': self.only})}" if self.only else self.at.query

    @property
    def direction(self) -> int:
        return 1 if self.figure.line.direction == DEBIT else -1

    @property
    def span(self) -> Span:
        """Periods that the figure sums, as the steps count them."""
        periods, window = self.found.group.periods, self.found.statement.window
        end = periods.last_to(window.end)
        balance_sheet = self.found.statement.plan.statement.kind == "balance_sheet"
        return Span(None if balance_sheet else periods.first_from(window.start), end)

    def sum(self, entries: Iterable[tuple[int, int]]) -> int:
        return self.direction * sum(amount for target, amount in entries if target in self.targets)

    def columns(self) -> list[Part]:
        """What each column brings to the group's figure, subgroups folded as on the page."""
        names = company_names(self.state)
        plan = column_plan(self.found.group, self.at.opened)
        sums: dict[str, int] = dict.fromkeys(plan.order, 0)
        for (step, name), entries in self.found.consolidated.parts.items():
            column = plan.column(step, name)
            sums[column] = sums.get(column, 0) + self.sum(entries.items())
        for company, amount in self.gained().items():
            column = plan.of.get(company, company)
            sums[column] = sums.get(column, 0) + amount
        parts = [Part(column_title(self.found.group, c, names), c, v) for c, v in sums.items() if v]
        eliminated = sum(row[-1] for row in self.eliminated())
        return [*parts, Part("Eliminate", ELIMINATIONS, eliminated)] if eliminated else parts

    def gained(self, company: str = "") -> dict[str, int]:
        """What cash gained beside what flowed on the figure's lines, by company, shown as its line is."""
        flows, sums = self.found.consolidated.flows, dict[str, int]()
        for kind in self.of_cash if flows else ():
            for name, amount in flows.gained(kind).items() if flows else ():
                if company in ("", name):
                    sums[name] = sums.get(name, 0) - self.direction * amount
        return sums

    def cash_of(self, company: str) -> list[Part]:
        """How what cash gained beside what flowed comes about for one company, a gain plus."""
        flows = self.found.consolidated.flows
        if flows is None or company not in flows.companies or not self.figure.line.is_of_cash:
            return []
        cash = flows.companies[company]
        if self.figure.line.row.kind == CASH_TAKEN_OVER:
            return [Part("Cash that came with it, less what went", "", cash.taken_over)]
        return [
            Part("Cash at the end", "", cash.closing),
            Part("less cash at the beginning", "", -cash.opening),
            Part("less what flowed on cash", "", -cash.flows),
            Part("less what came with it", "", -cash.taken_over),
        ]

    def eliminated(self) -> list[tuple[str, str, str, int]]:
        """(account, company, partner, amount) of what eliminations changed, shown as the line is; then what
        they left apart."""
        accounts, names = self.found.group.books.accounts, company_names(self.state)
        rows = [
            (accounts.name(target), names[company], names.get(partner, ""), -amount)
            for (company, partner, target), amount in sorted(self.found.consolidated.taken.items())
            if target in self.targets and amount
        ]
        rows += [
            (accounts.name(target), "Difference", "", amount)
            for target, amount in sorted(self.found.consolidated.posted.items())
            if target in self.targets and amount
        ]
        return [(*row[:3], self.direction * row[3]) for row in rows]

    def sets_of(self, column: str) -> list[Part]:
        """What each company (or set of adjusting books) of a column brings."""
        names = company_names(self.state)
        plan = column_plan(self.found.group, self.at.opened)
        sums: dict[str, int] = {}
        for (step, name), entries in self.found.consolidated.parts.items():
            if plan.column(step, name) == column:
                sums[name] = sums.get(name, 0) + self.sum(entries.items())
        for company, amount in self.gained().items():
            if plan.of.get(company, company) == column:
                sums[company] = sums.get(company, 0) + amount
        return [Part(names.get(name, name), name, v) for name, v in sorted(sums.items()) if v]

    def steps_of(self, name: str | None = None) -> list[tuple[Part, str]]:
        """What each step brings for one set of books; without a name, each of ownership's for each company,
        with the company's name."""
        names = company_names(self.state)
        plan = column_plan(self.found.group)
        rows = []
        for (step, of), entries in self.found.consolidated.parts.items():
            wanted = of == name if name is not None else plan.column(step, of) == OWNERSHIP
            amount = self.sum(entries.items()) if wanted else 0
            if amount:
                rows.append((STEPS.index(step), names.get(of, of), Part(STEP_TITLES[step], step, amount)))
        return [(part, title) for _, title, part in sorted(rows, key=lambda row: row[:2])]

    def own_parts(self, name: str) -> list[OwnPart]:
        """The own accounts of a set of books, each with the rate used and where its lines are."""
        group, company = self.found.group, self.state.require(Company, name)
        own_list = list_index(self.state, natural_list(self.state, company.chart))
        lines = _lines_of(self.state, company, self)
        rows = []
        flows = self.found.consolidated.flows
        own = flow_amounts(flows, name, self.targets) if flows else None
        for row in own_amounts(group, name, self.span, self.targets) if own is None else own:
            account = group.books.accounts.name(row.target)
            code = own_list.codes.get(row.own)
            opens = reverse(
                "group-account", args=[self.at.group.group, self.figure.line.row.line, name, row.own]
            )
            link = reverse("account-lines", kwargs={"company": name, "code": row.own}) if row.own else ""
            rate = as_rate(row.rate) if row.rate is not None else row.kind
            rows.append(
                OwnPart(
                    row.own,
                    code.name if code else "",
                    account,
                    rate,
                    row.amount,
                    row.translated,
                    f"{opens}?{self.query}&{urlencode({'target': account})}",
                    f"{link}?{lines}" if link else "",
                )
            )
        return rows


def _lines_of(state: State, company: Company, opened: OpenedFigure) -> str:
    """The company's own periods behind a figure, for the address of its lines; all to the end where its
    calendar is another."""
    statement, window = opened.found.statement.plan.statement, opened.found.statement.window
    own = company_calendar(state, company.company)
    if own.calendar == opened.at.calendar.calendar or (window.year, window.period) in own.periods:
        where = drill(statement, window)
    else:
        last = max((key for key in own.periods), default=(window.year, window.period))
        where = urlencode({"year": last[0], "period": last[1]})
    back = reverse("group", kwargs={"group": opened.at.group.group})
    return f"{where}&{urlencode({'back': f'{back}?{opened.at.query}'})}"


def opened_figure(request: PineRequest, state: State, group: str, line: str) -> OpenedFigure:
    """Raises Http404 for a line or group that isn't there."""
    at, found = known_figures(request, state, group)
    plan = found.statement.plan
    if line not in plan.index:
        raise Http404
    start = plan.index[line]
    end = plan.end_of(start)
    amounts = found.statement.amounts
    targets = {place for place, row in plan.rows_between(amounts, start, end) if amounts.window[row].any()}
    if any(entry.is_result for entry in plan.lines[start:end]):
        accounts = found.group.books.accounts
        targets |= {i for i in range(accounts.size) if accounts.is_result(i)}
    only = text(request.GET, "only", 60)
    if only:
        targets &= {found.group.books.accounts.place.get(only, -1)}
    of_cash = frozenset(entry.row.kind for entry in plan.lines[start:end] if entry.is_of_cash and not only)
    figure = found.statement.figures.lines[start]
    return OpenedFigure(state, at, found, figure, frozenset(targets), of_cash, only)


@needs(SIGNED_IN)
def cell(request: PineRequest, state: State, group: str, line: str, column: str) -> HttpResponse:
    """What one figure of the consolidated statement is made of."""
    opened = opened_figure(request, state, group, line)
    found = opened.found
    names = company_names(state)
    context: dict[str, Any] = {
        "group": opened.at.group,
        "line": opened.figure.line.row,
        "column": column_title(found.group, column, names),
        "digits": found.statement.digits,
        "query": opened.query,
        "only": opened.only,
        "row": opened.figure.line.row,
        "remarks_at": opened.at.remarks,
        "is_formula": opened.figure.line.row.kind == "formula",
    }
    if column == GROUP:
        context["parts"] = opened.columns()
        context |= {} if opened.only else {"shown": opened.figure.shown[-1]}
    elif column == ELIMINATIONS:
        eliminated = opened.eliminated()
        context |= {"eliminated": eliminated, "shown": sum(row[-1] for row in eliminated)}
    elif column == OWNERSHIP:
        context["steps"] = opened.steps_of()
    elif column == ADJUSTING or (column.startswith(SUBGROUP) and column[1:] not in opened.at.opened):
        context["parts"] = opened.sets_of(column)
    elif any(one.name == column for one in found.group.books.sets):
        company = state.require(Company, column)
        context |= {
            "steps": [*opened.steps_of(column), *_gained_step(opened, column)],
            "cash_parts": opened.cash_of(column),
            "accounts": opened.own_parts(column),
            "currency": company.currency,
            "own_digits": digits_of(company.currency),
            **adjusting(opened, state, company),
        }
    else:
        raise Http404
    if "shown" not in context:
        rows = [part for part, _ in context.get("steps", ())] or context.get("parts", ())
        context["shown"] = sum(part.amount for part in rows)
    return render(request, "group/cell.html", context)


def _gained_step(opened: OpenedFigure, company: str) -> list[tuple[Part, str]]:
    return [(Part("Beside what flowed", "", amount), "") for amount in opened.gained(company).values()]


def adjusting(opened: OpenedFigure, state: State, company: Company) -> dict[str, Any]:
    """The books that correct a company's, each with the address of a journal on this line, and who may add
    some."""
    own = opened.own_parts(company.company)
    account = max(own, key=lambda part: abs(part.amount)).own if own else ""
    period = opened.at.period_row
    words = f"Adjustment of {line_title(opened.figure.line.row)}"
    query = urlencode({"account": account, "on": period.ends_on if period else "", "words": words})
    rows = [row for row in state.rows(Company) if row.adjusts == company.company]
    addresses = [(row, f"{reverse('journal-new', args=[row.company])}?{query}") for row in rows]
    return {"adjusted": company if not company.adjusts else None, "adjusting": addresses}


@needs(SIGNED_IN)
def account(
    request: PineRequest, state: State, group: str, line: str, company: str, code: str
) -> HttpResponse:
    """One own account of a figure, period by period, each with its rate and the way to its lines."""
    opened = opened_figure(request, state, group, line)
    row = state.get(Company, company)
    target = request.GET.get("target", "") or code
    place = opened.found.group.books.accounts.place.get(target, -1)
    if row is None or place not in opened.targets:
        raise Http404
    periods = opened.found.group.periods
    page = f"{reverse('group', kwargs={'group': group})}?{opened.at.query}"
    back = urlencode({"back": cell_back(request, page)})
    link = reverse("account-lines", kwargs={"company": company, "code": code})
    same = company_calendar(state, company).calendar == opened.at.calendar.calendar
    rows = []
    flows = opened.found.consolidated.flows
    if flows:
        parts = list(flow_periods(opened.found.group, flows, company, code, place))
    else:
        parts = list(period_amounts(opened.found.group, company, opened.span, code, place))
    for part in reversed(parts):
        known = periods.rows[part.period - 1] if part.period else None
        lines = ""
        if known and same:
            window = queries.group_window(state, group, known.fiscal_year, known.period, known.period)
            lines = f"{link}?{drill_from(window)}&{back}"
        title = known.name if known else "Brought forward"
        rows.append((f"{title}, closing" if part.closing else title, part, lines))
    context = {
        "group": opened.at.group,
        "line": opened.figure.line.row,
        "company": row,
        "account": code,
        "rows": rows,
        "apart": any(part.rate is not None for part in parts),
        "own_digits": digits_of(row.currency),
        "digits": opened.found.statement.digits,
        "query": opened.at.query,
    }
    return render(request, "group/account.html", context)
