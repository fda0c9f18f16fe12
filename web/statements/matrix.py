"""A matrix: one line's figures by what stands down and what stands across, of one company or several, with
totals both ways that come to the line's figure; each cell opens."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

from django.http import HttpResponse
from django.shortcuts import render
from django.utils.safestring import SafeString

from core.analysis.asked import Asked
from core.analysis.axes import ACCOUNTS, COMPANIES
from core.analysis.filters import NONE, chart_field, level_of, of_column
from core.analysis.period_columns import STEPS
from core.definitions.state import State
from core.definitions.tables import Company, StatementLine
from core.faults import WrongCall
from core.money import digits_of, show_amount, show_quantity, show_whole
from core.statements.plans import WITH_FIGURES, line_title
from web.definitions.viewing import PineRequest
from web.people.rights import SIGNED_IN, needs
from web.shell import tabular
from web.shell.asked import text
from web.shell.table_rows import Cell, TableRow, table_rows
from web.statements.figure_address import FigureAddress, figure_address
from web.statements.figure_choices import by_level, field_choices, field_picked, narrowing
from web.statements.figure_table import EXACT
from web.statements.line_matrix import LineMatrix
from web.statements.made_from import MadeFrom
from web.statements.matrix_files import MatrixSheet, matrix_book, matrix_sheet
from web.statements.several import companies_of

MOST_ROWS = 3_000
MATRIX = "#"
"""Before a chart or group: whose axes are kept for a person."""
OTHERS = (ACCOUNTS, COMPANIES, *STEPS)
"""Axes that are no fields."""


@dataclass(frozen=True)
class MatrixTable:
    """A matrix as a table; cells lead to what the figure is made of."""

    of: LineMatrix

    @property
    def address(self) -> FigureAddress:
        return self.of.address

    @cached_property
    def digits(self) -> int:
        return digits_of(self.address.company.currency)

    def written(self, raw: int) -> str:
        value = self.of.shown(raw)
        if self.of.entry.quantity:
            return show_quantity(value, self.digits)
        return (
            show_amount(value, self.digits) if self.address.unit == EXACT else show_whole(value, self.digits)
        )

    def heads(self) -> list[tuple[str, str]]:
        return [(key or NONE, self.name(self.address.across, key)) for key in self.of.amounts.across]

    def title(self, axis: str) -> str:
        field = self.address.chart.field(axis)
        level = level_of(axis) if field else 0
        words = f"{field.title}, level {level}" if field and level else field.title if field else ""
        return words or axis.capitalize()

    def name(self, axis: str, key: str) -> str:
        """What a key of an axis is called."""
        if axis == COMPANIES:
            return next(one.name for one in self.of.companies if one.company == key)
        if axis == ACCOUNTS:
            row = self.of.plan.accounts.codes.get(key)
            return row.name if row else ""
        field = self.address.chart.field(axis)
        if field is None:
            return ""
        code = field.codes.get(key)
        return code.name if code else f"no {field.title.lower()}" if not key else ""

    def rows(self) -> SafeString:
        keys = self.of.amounts.down[:MOST_ROWS]
        return table_rows(TableRow(key or NONE, list(self._cells(i, key))) for i, key in enumerate(keys))

    def _cells(self, row: int, key: str) -> Iterator[Cell]:
        amounts = self.of.amounts
        yield Cell(self.name(self.address.down, key), "stays", code=key or NONE)
        totals, exact = amounts.row_totals, self.address.unit == EXACT
        for column, other in enumerate(amounts.across):
            raw = int(amounts.amounts[row, column])
            if not amounts.touched[row, column]:
                yield Cell("—", "num")
                continue
            title = "" if exact else show_amount(self.of.shown(raw), self.digits)
            link = self.cell_address((key, other))
            yield Cell(self.written(raw), "num", link=link, opens=True, in_proof=True, title=title)
        if not amounts.across_runs:
            yield Cell(self.written(totals[row]), "num total stays-end")

    def sheet(self) -> MatrixSheet:
        """For files, to the last digit. Raises WrongCall."""
        address, amounts = self.address, self.of.amounts
        heads = [" ".join(filter(None, (title.replace("/", " / "), name))) for title, name in self.heads()]
        labels = [(key or NONE, self.name(address.down, key)) for key in amounts.down]
        title = f"{line_title(self.of.entry.row)}, {self.title(address.down)} by {self.title(address.across)}"
        only = f", only {address.asked.filter}" if address.asked.filter else ""
        quantity = self.of.entry.quantity
        unit = quantity.unit if quantity else address.company.currency
        about = (
            title,
            address.whose,
            f"{address.title()}{only}",
            self.title(address.down),
            unit,
            self.digits,
        )
        return matrix_sheet(amounts, self.of.shown, heads, labels, about)

    def column_totals(self) -> list[str]:
        return [self.written(total) for total in self.of.amounts.column_totals]

    @property
    def total(self) -> str:
        return self.written(self.of.figure)

    @property
    def exact_total(self) -> str:
        value = self.of.shown(self.of.figure)
        return (
            show_quantity(value, self.digits) if self.of.entry.quantity else show_amount(value, self.digits)
        )

    @property
    def folded(self) -> int:
        """How many rows are more than a page shows."""
        return max(0, len(self.of.amounts.down) - MOST_ROWS)

    def cell_address(self, keys: tuple[str, str]) -> str:
        """Where what a cell is made of stands: the line's figure, narrowed to the two keys."""
        address, asked = self.address, replace(self.address.asked, by="", periods="", budget="", forecast="")
        for axis, key in zip((address.down, address.across), keys, strict=True):
            if axis == COMPANIES:
                company = next(one for one in self.of.companies if one.company == key)
                address = address.of_company(self.of.state, company)
            elif axis in STEPS:
                asked = self._in_period(asked, key)
            else:
                natural = address.chart.segments[address.chart.natural].name
                field = natural if axis == ACCOUNTS else axis
                asked = replace(asked, filter=of_column(asked.filter, address.chart, field, key))
        query = address.query(asked, line=self.of.line, down="", across="", column=0)
        return f"{address.path}cell/?{query}"

    def _in_period(self, asked: Asked, title: str) -> Asked:
        column = next(one for one in self.of.periods if one.title == title)
        year, last = column.key(self.of.sources[0].calendar, asked.year or 0, asked.period or 0)
        return replace(asked, year=year, period=last, first=None if self.of.stands else column.first)


def axes_offered(state: State, address: FigureAddress) -> list[tuple[str, str]]:
    """(name, title) of what may stand down or across: fields, those with levels of rollup codes by these."""
    fields = [
        pair for field in narrowing(address) for pair in ((field.name, field.title), *by_level(state, field))
    ]
    periods = [] if address.asked.by_day or address.asked.first is not None else [*STEPS]
    return [
        (ACCOUNTS, "Accounts"),
        *fields,
        *((step, step.capitalize()) for step in periods),
        (COMPANIES, "Companies"),
    ]


def _with_axes(request: PineRequest, state: State, address: FigureAddress) -> FigureAddress:
    """The axes of an address. Raises WrongCall for a field that there isn't."""
    asked = (text(request.GET, "down", 40), text(request.GET, "across", 40))
    down, across = _axes(state, address, *(asked if any(asked) else _axes_kept(request, state, address)))
    for name in (down, across):
        if name not in OTHERS:
            chart_field(address.chart, name)
    if COMPANIES in (down, across) and not address.choice:
        currency = f"currency={address.company.currency}"
        address = figure_address(request, state, *_tree(address), choice=currency)
    return replace(address, down=down, across=across)


def _axes_kept(request: PineRequest, state: State, address: FigureAddress) -> tuple[str, str]:
    """What stood down and across when the person last looked at a matrix of the chart, as far as it can
    now."""
    offered = {name for name, _ in axes_offered(state, address)}
    kept = request.user.columns.get(f"{MATRIX}{address.company.chart}", {})
    down, across = (name if (name := kept.get(axis, "")) in offered else "" for axis in ("down", "across"))
    return (down, across) if down != across else ("", "")


def remember_axes(request: PineRequest, chart: str, down: str, across: str) -> None:
    person, key, axes = request.user, f"{MATRIX}{chart}", {"down": down, "across": across}
    if person.columns.get(key) != axes:
        person.columns = {**person.columns, key: axes}
        person.save(update_fields=["columns"])


def _axes(state: State, address: FigureAddress, down: str, across: str) -> tuple[str, str]:
    """Where an address names none, the first field by months, else by accounts."""
    names = [name for name, _ in axes_offered(state, address)]
    fields = [name for name in names if name not in OTHERS]
    likely = [name for name in (STEPS[0], ACCOUNTS, COMPANIES) if name in names]
    down = down or next((name for name in (*fields, ACCOUNTS) if name != across), ACCOUNTS)
    return down, across or next(name for name in likely if name != down)


def _tree(address: FigureAddress) -> tuple[str, str]:
    return ("", address.hierarchy) if address.hierarchy else (address.name, "")


def _companies(state: State, address: FigureAddress) -> tuple[Company, ...]:
    """Those that a matrix is of: on the chart of the statement, in the currency of the one looked at."""
    if not address.choice:
        return (address.company,)
    chart, currency = address.plan.statement.chart, address.company.currency
    rows = companies_of(state, address.choice, address.several)
    fitting = tuple(row for row in rows if row.chart == chart and row.currency == currency)
    if not fitting:
        raise WrongCall(f"None of these companies posts in chart {chart} in {currency}.")
    return fitting


@needs(SIGNED_IN, localised=True)
def matrix_page(request: PineRequest, state: State, statement: str = "", hierarchy: str = "") -> HttpResponse:
    """What can't be asked for together is said where the matrix would stand."""
    address = figure_address(request, state, statement, hierarchy)
    lines = [line.row for line in address.plan.lines if line.row.kind in WITH_FIGURES]
    line = next((row for row in lines if row.line == address.line), lines[0] if lines else None)
    context: dict[str, Any] = {
        "company": address.company,
        "lines": lines,
        "of_line": line,
        "axes": axes_offered(state, address),
        "digits": digits_of(address.company.currency),
    }
    try:
        address = _with_axes(request, state, address)
        context |= _matrix_shown(request, state, address, line)
        remember_axes(request, address.company.chart, address.down, address.across)
    except WrongCall as refused:
        context["fault"] = refused.faults[0].what
    context |= {
        "address": address,
        "stretch": address.title(),
        "units": address.units(),
        "before": address.neighbour(-1),
        "after": address.neighbour(1),
        "figures_query": address.query(down="", across=""),
        "file_query": address.query(),
    }
    return render(request, "statements/matrix.html", context)


def matrix_asked(request: PineRequest, state: State, statement: str, hierarchy: str) -> MatrixTable:
    """What the page of an address shows, for files. Raises WrongCall."""
    address = figure_address(request, state, statement, hierarchy)
    lines = [line.row for line in address.plan.lines if line.row.kind in WITH_FIGURES]
    line = next((row for row in lines if row.line == address.line), lines[0] if lines else None)
    address = _with_axes(request, state, address)
    if line is None:
        raise WrongCall(f"{address.plan.statement.name} has no line with figures.")
    return MatrixTable(LineMatrix(state, address, _companies(state, address), line.line))


@needs(SIGNED_IN, localised=True)
def matrix_file(
    request: PineRequest, state: State, kind: str, statement: str = "", hierarchy: str = ""
) -> HttpResponse:
    """The matrix as a workbook, an open document, CSV or JSON."""
    sheet = matrix_asked(request, state, statement, hierarchy).sheet()
    if kind not in ("xlsx", "ods"):
        return tabular.attached(sheet.file_name, kind, *sheet.table())
    made = MadeFrom.of_request(request).who_and_when()
    made_from = [("Matrix of", sheet.title), ("Of whom", sheet.whose), ("Stretch", sheet.stretch), *made]
    return tabular.download(matrix_book(sheet, made_from, kind), sheet.file_name, kind)


def _matrix_shown(
    request: PineRequest, state: State, address: FigureAddress, line: StatementLine | None
) -> dict[str, Any]:
    if line is None:
        raise WrongCall(f"{address.plan.statement.name} has no line with figures.")
    of = LineMatrix(state, address, _companies(state, address), line.line)
    table = MatrixTable(of)
    _ = of.amounts
    source, fields = of.sources[0], narrowing(address)
    field = field_picked(source, fields, text(request.GET, "pick", 40))
    several = of.companies if address.choice else ()
    return {
        "table": table,
        "of": of,
        "down": table.title(address.down),
        "across": table.title(address.across),
        "fields": fields,
        "picked": field_choices(source, address, field, line.line, several) if field else None,
        "swapped": address.query(down=address.across, across=address.down),
        "left_out": [one for one in address.several if one not in of.companies] if address.choice else [],
        "unit": of.entry.quantity.unit if of.entry.quantity else "",
        "found": {"digits": table.digits, "currency": address.company.currency},
    }
