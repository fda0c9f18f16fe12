"""Rows of a consolidated statement."""

from __future__ import annotations

from collections.abc import Iterator

from django.utils.safestring import SafeString

from core.money import show_amount, show_whole
from core.statements import formulas
from core.statements.figures import Figure
from web.group.queries import GroupFigures
from web.shell.table_rows import Cell, TableRow, addresses, indent, table_rows

WITHOUT_FIGURE = ("text", "gap")
GROUP = "group"
"""The last column; Enter on a row opens its figure."""


def consolidated_rows(group: str, found: GroupFigures, query: str) -> SafeString:
    """The lines that have figures, a column a company, the eliminations, the group; in whole units. Each
    figure opens in the proof leaf."""
    columns, digits = found.statement.columns, found.statement.digits

    def cells(figure: Figure) -> Iterator[Cell]:
        line = figure.line.row
        address = addresses("group-cell", group, line.line)
        ratio = line.kind == "formula" and formulas.parse(line.formula).is_ratio
        show = show_amount if ratio else show_whole  # a ratio says nothing in whole units
        yield Cell(line.label, indent(figure.line.depth))
        for i, name in enumerate(columns):
            yield Cell(
                show(figure.seen(i), digits),
                "num total" if name == GROUP else "num",
                link=f"{address(name)}?{query}",
                opens=name == GROUP,
                in_proof=True,
            )

    return table_rows(
        TableRow(
            figure.line.row.line,
            list(cells(figure)),
            css="heading" if figure.line.row.kind == "heading" else "",
        )
        for figure in found.statement.figures.lines
        if figure.line.row.kind not in WITHOUT_FIGURE
    )
