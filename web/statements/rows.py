"""Rows of a statement and of a trial balance."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import NamedTuple

from django.utils.html import format_html
from django.utils.safestring import SafeString

from core.definitions.tables import StatementLine
from core.money import show_amount, show_quantity
from core.statements.coverage import in_short
from core.statements.figures import Figure, Figures
from web.shell.table_rows import Cell, TableRow, addresses, indent, table_rows

WITHOUT_FIGURE = ("text", "gap")


class StatementRow(NamedTuple):
    """A line on the page. `before` is its figure as published or of an earlier version, if compared."""

    figure: Figure
    now: int | None
    before: int | None
    moved: bool
    difference: int | None
    drafted: bool


def compared(
    figures: Figures, was: dict[str, Figure] | None, drafted: frozenset[str]
) -> Iterator[StatementRow]:
    """The lines of a statement, beside `was` (by line, in one column) if there is one."""
    for figure in figures.lines:
        former = was.get(figure.line.row.line) if was is not None else None
        before, now = former.shown[0] if former else None, figure.shown[0]
        moved = was is not None and before != now
        yield StatementRow(
            figure,
            figure.seen(),
            former.seen() if former else None,
            moved,
            (now or 0) - (before or 0) if moved else None,
            figure.line.row.line in drafted,
        )


def _labelled(line: StatementLine, origin: str) -> SafeString | str:
    """What a line is called; one that isn't as above says so."""
    if origin not in ("own", "changed"):
        return line.label
    return format_html('{} <span class="soft">{}</span>', line.label, origin)


def made_of(line: StatementLine) -> str:
    """What a line picks or works out."""
    return (
        "all revenue and expense" if line.kind == "result" else line.accounts + line.formula + in_short(line)
    )


def statement_rows(
    statement: str,
    rows: Iterable[StatementRow],
    digits: int,
    *,
    query: str,
    beside: bool,
    may_change: bool,
    at: str,
    origins: Mapping[str, str],
) -> SafeString:
    """The lines of a statement. `beside`: a figure of before and the difference stand beside; `at`: the line
    that takes focus; `origins`: how each line of an arrangement came there."""
    proof = addresses("line", statement)

    def amount(row: StatementRow, value: int | None) -> Cell:
        figured = row.figure.line.row.kind not in WITHOUT_FIGURE
        show = show_quantity if row.figure.line.quantity else show_amount
        return Cell(show(value, digits) if figured else "", "num")

    def cells(row: StatementRow) -> Iterator[Cell]:
        line = row.figure.line.row
        yield Cell(_labelled(line, origins.get(line.line, "")), indent(row.figure.line.depth))
        yield Cell(made_of(line), "code sub")
        if beside:
            yield amount(row, row.before)
        yield amount(row, row.now)
        if beside and row.difference:
            sign, css = ("+", "num plus") if row.difference > 0 else ("", "num minus")
            yield Cell(f"{sign}{show_amount(row.difference, digits)}", css)
        elif beside:
            yield Cell()

    def table_row(row: StatementRow) -> TableRow:
        line = row.figure.line.row
        css = (("heading", line.kind == "heading"), ("moved", row.moved), ("drafted", row.drafted))
        return TableRow(
            line.line,
            list(cells(row)),
            css=" ".join(name for name, on in css if on),
            element=f"line-{line.line}",
            proof=f"{proof(line.line)}?{query}",
            takes=True,
            draggable=may_change,
            focused=line.line == at,
            level=row.figure.line.depth,
        )

    return table_rows(map(table_row, rows))
