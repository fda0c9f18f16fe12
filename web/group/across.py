"""A consolidated statement by months, quarters or years, and what they come to."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace

from django.utils.html import format_html
from django.utils.safestring import SafeString

from core.analysis.column_sums import TOTAL
from core.analysis.period_columns import STEPS, PeriodColumn, Step, period_columns
from core.analysis.variances import beside_one_another, joined
from core.definitions.state import State
from core.group_figures.columns import GROUP
from core.money import UNITS, show_amount, show_whole
from core.statements.figures import UnplacedAccount
from core.statements.printing import PrintedLine, printed
from web.group import queries
from web.group.addresses import GroupAddress
from web.shell.table_rows import Cell, TableRow, addresses, indent, table_rows
from web.statements.formula_cells import WORKED_OUT, formula_cells
from web.statements.queries import StatementFigures
from web.statements.rows import WITHOUT_FIGURE


def step_asked(at: GroupAddress) -> Step | None:
    return next((step for step in STEPS if step == at.across), None)


def across_periods(state: State, at: GroupAddress, step: Step) -> StatementFigures | None:
    """Each column as if it were asked for alone; a total where movements are shown. None where there is no
    statement or no such period."""
    if at.statement is None or at.period_row is None:
        return None
    balances = at.statement.kind == "balance_sheet"
    across = period_columns(at.calendar, step, at.year, at.period, at.calendar.years())
    if not across:
        return None
    parts = [_alone(state, at, column, balances) for column in across]
    planned, digits = parts[-1].plan, parts[-1].digits
    figures = joined(
        planned, [beside_one_another([(one.figures, -1)]) for one in parts], digits, of_periods=True
    )
    titles = tuple(column.title for column in across)
    if balances:
        figures = beside_one_another([(figures, i) for i in range(len(parts))])
    return replace(
        parts[-1],
        figures=figures,
        columns=titles if balances else (*titles, TOTAL),
        amounts=figures.amounts,
        across=tuple(across),
    )


def _alone(state: State, at: GroupAddress, column: PeriodColumn, balances: bool) -> StatementFigures:
    year, period = column.key(at.calendar, at.year, at.period)
    first = None if balances else column.first
    name = at.statement.statement if at.statement else ""
    whose = at.group.group
    return queries.group_statement(state, name, whose, year, period, first, accounts=at.accounts).statement


@dataclass(frozen=True)
class AcrossTable:
    """The same as a table; each figure opens as the group's of its own periods."""

    address: GroupAddress
    found: StatementFigures
    unit: str
    noted: Mapping[str, str] = field(default_factory=dict)
    """numbers of notes by line"""

    def heads(self) -> list[tuple[str, str]]:
        """(title, css) of the columns."""
        last = len(self.found.columns) - 1
        titles = [(title, self._css(i, last)) for i, title in enumerate(self.found.columns)]
        return [*titles, *((one.title, WORKED_OUT) for one in self.found.formulas)]

    def _css(self, column: int, last: int) -> str:
        return "num total stays-end" if column == last else "num"

    def rows(self) -> SafeString:
        return table_rows(
            TableRow(
                line.figure.line.row.line + ("/head" if line.part == "head" else ""),
                list(self._cells(line)),
                css="heading" if line.figure.line.row.kind == "heading" else "",
                level=line.figure.line.depth,
            )
            for line in printed(self.found.figures.lines, self.found.plan.statement.totals)
            if line.figure.line.row.kind not in WITHOUT_FIGURE
        )

    def _cells(self, printed_line: PrintedLine) -> Iterator[Cell]:
        figure, digits = printed_line.figure, self.found.digits
        line, is_head = figure.line.row, printed_line.part == "head"
        noted = "" if is_head else self.noted.get(line.line, "")
        words = printed_line.label
        label = format_html("{}<sup>{}</sup>", words, noted) if noted else words
        yield Cell(label, f"{indent(figure.line.depth)} stays")
        address, last = (
            addresses("group-cell", self.address.group.group, line.line),
            len(self.found.columns) - 1,
        )
        for i in range(len(self.found.columns)):
            if is_head:
                yield Cell()
                continue
            value = figure.seen(i)
            whole = show_whole(value, digits, UNITS[self.unit])
            yield Cell(
                show_amount(value, digits) if figure.is_ratio else whole,
                self._css(i, last),
                link=f"{address(GROUP)}?{self._alone(i).query}",
                opens=i == last,
                in_proof=True,
                title="" if value is None else show_amount(value, digits),
            )
        yield from formula_cells(self.found, figure, self._written, has_figures=not is_head)

    def _written(self, value: int) -> str:
        return show_whole(value, self.found.digits, UNITS[self.unit])

    def _alone(self, column: int) -> GroupAddress:
        """What one column shows, asked for by itself; the total is all of them."""
        at = replace(self.address, across="")
        if column >= len(self.found.across):
            return replace(at, first=None)
        one = self.found.across[column]
        year, period = one.key(at.calendar, at.year, at.period)
        balances = at.statement is not None and at.statement.kind == "balance_sheet"
        return replace(at, year=year, period=period, first=None if balances else one.first)

    @property
    def unplaced(self) -> list[tuple[UnplacedAccount, list[str]]]:
        """Accounts on no line, with their amounts by column."""
        digits = self.found.digits
        return [
            (one, [show_whole(value, digits, UNITS[self.unit]) for value in one.raw])
            for one in self.found.figures.unplaced
            if any(one.raw)
        ]
