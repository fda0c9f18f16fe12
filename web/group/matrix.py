"""One line of the consolidated statement as a matrix: accounts, companies and steps, or periods down and
across; totals both ways come to the line's figure, and each cell opens."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any
from urllib.parse import urlencode

from django.http import HttpResponse
from django.shortcuts import render
from django.utils.safestring import SafeString

from core.analysis.axes import CrossedAmounts
from core.analysis.period_columns import STEPS, PeriodColumn, period_columns
from core.definitions.state import State
from core.definitions.tables import StatementLine
from core.faults import WrongCall
from core.group_figures.columns import GROUP, column_title
from core.group_figures.line_cells import Axis, LineCell, PeriodFigures, crossed_cells, line_cells
from core.money import digits_of, show_amount, show_whole
from core.statements.line_parts import DEBIT
from core.statements.plans import WITH_FIGURES, PlanLine, line_title
from web.definitions.viewing import PineRequest
from web.group.addresses import GroupAddress, group_address
from web.group.queries import GroupFigures
from web.group.statement import company_names, figures_at
from web.group.steps import group_context
from web.people.rights import SIGNED_IN, needs
from web.shell import tabular
from web.shell.asked import text
from web.shell.table_rows import Cell, TableRow, addresses, table_rows
from web.statements.made_from import MadeFrom
from web.statements.matrix import MATRIX, remember_axes
from web.statements.matrix_files import MatrixSheet, matrix_book, matrix_sheet

EXACT, GROUPS = "exact", "groups"
MOST_ROWS = 3_000
TITLES: dict[str, str] = {
    "accounts": "Accounts",
    "columns": "Companies and steps",
    "months": "Months",
    "quarters": "Quarters",
    "years": "Years",
}


@dataclass(frozen=True)
class GroupMatrix:
    """`line` of an address's statement by two axes: accounts, columns, or months, quarters, years."""

    state: State
    at: GroupAddress
    found: GroupFigures
    line: str
    down: str
    across: str
    exact: bool

    @property
    def entry(self) -> PlanLine:
        plan = self.found.statement.plan
        return plan.lines[plan.index[self.line]]

    @property
    def stands(self) -> bool:
        return self.found.statement.plan.statement.kind == "balance_sheet"

    @cached_property
    def periods(self) -> list[PeriodColumn]:
        step = next((step for step in STEPS if step in (self.down, self.across)), None)
        at = self.at
        return period_columns(at.calendar, step, at.year, at.period, at.calendar.years()) if step else []

    def _at(self, title: str) -> GroupAddress:
        """The address of one of the periods; of the whole without periods."""
        column = next((one for one in self.periods if one.title == title), None)
        if column is None:
            return self.at
        year, period = column.key(self.at.calendar, self.at.year, self.at.period)
        return replace(self.at, year=year, period=period, first=None if self.stands else column.first)

    @cached_property
    def parts(self) -> list[PeriodFigures]:
        shown = [(one.title, figures_at(self.state, self._at(one.title))) for one in self.periods]
        parts = shown if self.periods else [("", self.found)]
        return [
            PeriodFigures(
                title,
                found.statement.plan,
                found.statement.figures,
                found.statement.amounts,
                found.statement.columns,
            )
            for title, found in parts
            if found
        ]

    @cached_property
    def cells(self) -> list[LineCell]:
        return [cell for part in self.parts for cell in line_cells(part, self.line)]

    @cached_property
    def amounts(self) -> CrossedAmounts:
        if self.down == self.across or (self.down in STEPS and self.across in STEPS):
            raise WrongCall("What stands down stands across too: choose another.")
        parts = [self.found.statement.columns, *(part.columns for part in self.parts)]
        columns = list(dict.fromkeys(name for names in parts for name in names))
        order: dict[Axis, list[str]] = {"columns": columns, "periods": [part.title for part in self.parts]}
        return crossed_cells(self.cells, _axis(self.down), _axis(self.across), order, stands=self.stands)

    @cached_property
    def figure(self) -> int:
        """What the line comes to, raw: of periods what they come to together, or stands at the last."""
        at = self.found.statement.plan.index[self.line]
        raw = [part.figures.lines[at].raw[-1] for part in self.parts]
        return raw[-1] if self.stands or not self.periods else sum(raw)

    @property
    def proven(self) -> bool:
        """Rows and columns come to the line's figure."""
        return self.amounts.come_to(self.figure)

    def heads(self) -> list[tuple[str, str]]:
        """(title, what it is called beneath), companies by their ids as on the statement."""
        if self.across == "columns":
            return [
                (key.capitalize() if key in self.names else self._named("columns", key)[0], "")
                for key in self.amounts.across
            ]
        return [self._named(self.across, key) for key in self.amounts.across]

    def rows(self) -> SafeString:
        keys = self.amounts.down[:MOST_ROWS]
        return table_rows(TableRow(key, list(self._cells(i, key))) for i, key in enumerate(keys))

    def _cells(self, row: int, key: str) -> Iterator[Cell]:
        amounts, (code, name) = self.amounts, self._named(self.down, key)
        yield Cell(name, "stays", code=code) if name else Cell(code, "stays")
        for column, other in enumerate(amounts.across):
            raw = int(amounts.amounts[row, column])
            if not amounts.touched[row, column]:
                yield Cell("—", "num")
                continue
            title = "" if self.exact else show_amount(self._shown(raw), self.digits)
            link = self._cell_address(key, other)
            yield Cell(self.written(raw), "num", link=link, opens=True, in_proof=True, title=title)
        if not amounts.across_runs:
            yield Cell(self.written(amounts.row_totals[row]), "num total stays-end")

    def _named(self, axis: str, key: str) -> tuple[str, str]:
        """What a key is called, and its name where it is a code."""
        if axis == "accounts":
            row = self.found.statement.plan.accounts.codes.get(key)
            return key, row.name if row else ""
        if axis == "columns":
            return column_title(self.found.group, key, self.names), ""
        return key, ""

    @cached_property
    def names(self) -> dict[str, str]:
        return company_names(self.state)

    @cached_property
    def _queries(self) -> dict[str, str]:
        """By period (empty: the whole) the query of its address."""
        return {title: self._at(title).query for title in ("", *(one.title for one in self.periods))}

    @cached_property
    def _address(self) -> Callable[[str], str]:
        return addresses("group-cell", self.at.group.group, self.line)

    def _cell_address(self, key: str, other: str) -> str:
        """What a cell is made of: the line's figure in a column and period, narrowed to an account."""
        keys = {_axis(self.down): key, _axis(self.across): other}
        only = f"&{urlencode({'only': keys['accounts']})}" if "accounts" in keys else ""
        return f"{self._address(keys.get('columns', GROUP))}?{self._queries[keys.get('periods', '')]}{only}"

    def sheet(self) -> MatrixSheet:
        """For files, to the last digit. Raises WrongCall."""
        at, amounts = self.at, self.amounts
        heads = [" ".join(filter(None, self._named(self.across, key))) for key in amounts.across]
        labels = [self._named(self.down, key) for key in amounts.down]
        title = f"{line_title(self.entry.row)}, {TITLES[self.down]} by {TITLES[self.across].lower()}"
        stretch = self.found.statement.window.title(self.stands)
        about = (
            title,
            f"{at.group.name}, consolidated",
            stretch,
            TITLES[self.down],
            at.group.currency,
            self.digits,
        )
        return matrix_sheet(amounts, self._shown, heads, labels, about)

    @property
    def folded(self) -> int:
        """How many rows are more than a page shows."""
        return max(0, len(self.amounts.down) - MOST_ROWS)

    @property
    def digits(self) -> int:
        return digits_of(self.at.group.currency)

    def _shown(self, raw: int) -> int:
        return raw if self.entry.direction == DEBIT else -raw

    def written(self, raw: int) -> str:
        value = self._shown(raw)
        return show_amount(value, self.digits) if self.exact else show_whole(value, self.digits)

    def column_totals(self) -> list[str]:
        return [self.written(total) for total in self.amounts.column_totals]

    @property
    def total(self) -> str:
        return self.written(self.figure)

    @property
    def exact_total(self) -> str:
        return show_amount(self._shown(self.figure), self.digits)


def _axis(name: str) -> Axis:
    return "accounts" if name == "accounts" else "columns" if name == "columns" else "periods"


def _wanted(
    request: PineRequest, found: GroupFigures | None
) -> tuple[list[StatementLine], StatementLine | None, str, str]:
    """The lines that there are, the one asked for, and what stands down and across."""
    lines = (
        [line.row for line in found.statement.plan.lines if line.row.kind in WITH_FIGURES] if found else []
    )
    wanted = text(request.GET, "line", 60)
    line = next((row for row in lines if row.line == wanted), lines[0] if lines else None)
    kept = request.user.columns.get(f"{MATRIX}{GROUPS}", {})
    down, across = (
        next(name for name in (text(request.GET, axis, 20), kept.get(axis), usual) if name in TITLES)
        for axis, usual in (("down", "accounts"), ("across", "columns"))
    )
    return lines, line, down, across


def matrix_asked(request: PineRequest, state: State, group: str) -> GroupMatrix:
    """What the page of an address shows. Raises WrongCall for what can't be asked for together."""
    at = group_address(request, state, group)
    found = figures_at(state, at)
    _, line, down, across = _wanted(request, found)
    if found is None or line is None:
        raise WrongCall("There is no such statement or period: choose another.")
    return GroupMatrix(state, at, found, line.line, down, across, request.GET.get("unit") == EXACT)


@needs(SIGNED_IN)
def matrix_file(request: PineRequest, state: State, group: str, kind: str) -> HttpResponse:
    """The matrix as a workbook, an open document, CSV or JSON."""
    table = matrix_asked(request, state, group)
    sheet = table.sheet()
    if kind not in ("xlsx", "ods"):
        return tabular.attached(sheet.file_name, kind, *sheet.table())
    made = MadeFrom.of_request(request).who_and_when()
    left_out = [("Not the whole group", told)] if (told := table.found.told_of_members) else []
    made_from = [
        ("Matrix of", sheet.title),
        ("Of whom", sheet.whose),
        ("Stretch", sheet.stretch),
        *left_out,
        *made,
    ]
    return tabular.download(matrix_book(sheet, made_from, kind), sheet.file_name, kind)


@needs(SIGNED_IN)
def matrix(request: PineRequest, state: State, group: str) -> HttpResponse:
    """What can't be asked for together is said where the matrix would stand."""
    at = group_address(request, state, group)
    found = figures_at(state, at)
    lines, line, down, across = _wanted(request, found)
    ends = bool(at.statement and at.statement.kind == "balance_sheet")
    context: dict[str, Any] = group_context(state, at) | {
        "at": at,
        "lines": lines,
        "of_line": line,
        "axes": list(TITLES.items()),
        "names": {"down": down, "across": across},
        "down": TITLES[down],
        "across": TITLES[across],
        "stretch": found.statement.window.title(ends) if found else "",
        "partial": found.told_of_members if found else "",
        "file_query": urlencode({"line": line.line if line else "", "down": down, "across": across}),
        "swapped": urlencode({"line": line.line if line else "", "down": across, "across": down}),
    }
    try:
        if found is None or line is None:
            raise WrongCall("There is no such statement or period: choose another.")
        table = GroupMatrix(state, at, found, line.line, down, across, request.GET.get("unit") == EXACT)
        _ = table.amounts
        remember_axes(request, GROUPS, down, across)
        context |= {"table": table, "of": table}
    except WrongCall as refused:
        context["fault"] = refused.faults[0].what
    return render(request, "group/matrix.html", context)
