"""A statement as it is printed: titles, columns, rows of text. What makes pages of it knows nothing else."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import NamedTuple

from core.analysis.variances import in_tenths, judgement, per_cent
from core.money import UNITS, show_amount, show_quantity, show_whole
from core.statements.figures import Figure
from core.statements.printing import printed
from web.statements.matrix_files import MatrixSheet
from web.statements.queries import StatementFigures
from web.statements.remarks import Note, numbers_of
from web.statements.rows import WITHOUT_FIGURE

MANY = 6
"""From more columns on figures are in whole units, unless something else is asked for."""


class PaperRow(NamedTuple):
    """`kind` is that of the line, or `unplaced`; `less`: it is taken off under its heading."""

    label: str
    depth: int
    kind: str
    cells: tuple[str, ...]
    less: bool = False
    noted: str = ""
    """numbers of its notes"""


@dataclass(frozen=True)
class Paper:
    """`whose` is a company or group; `told` stands under the title, `notes` behind the last row."""

    title: str
    whose: str
    stretch: str
    told: str
    heads: tuple[str, ...]
    rows: tuple[PaperRow, ...]
    notes: tuple[str, ...] = ()
    made: str = ""
    """by whom and when, from which version: at the foot of every page"""

    @property
    def name(self) -> str:
        return f"{self.title}, {self.whose}"


def paper_of(
    found: StatementFigures,
    whose: str,
    stretch: str,
    made: str,
    unit: str = "",
    told: Sequence[str] = (),
    notes: Sequence[Note] = (),
) -> Paper:
    """`unit` is `exact`, `whole`, `thousands` or `millions`; empty: as many columns allow."""
    written = unit or ("whole" if len(found.columns) > MANY else "exact")
    return Paper(
        found.plan.statement.name,
        whose,
        stretch,
        ". ".join([_unit_words(found.currency, written), *told]),
        tuple(_heads(found)),
        tuple(_rows(found, written, numbers_of(notes))),
        (*(note.sentence() for note in notes), *_notes(found, written)),
        made,
    )


def _unit_words(currency: str, unit: str) -> str:
    if unit == "exact":
        return f"In {currency}"
    return f"In {'whole' if unit == 'whole' else f'{unit} of'} {currency}, each figure rounded by itself"


def _written(value: int | None, digits: int, unit: str, *, is_exact: bool = False) -> str:
    if is_exact or unit == "exact":
        return show_amount(value, digits)
    return show_whole(value, digits, UNITS.get(unit, 1))


def _rows(found: StatementFigures, unit: str, noted: Mapping[str, str]) -> Iterator[PaperRow]:
    for printed_line in printed(found.figures.lines, found.plan.statement.totals):
        figure, line = printed_line.figure, printed_line.figure.line
        if printed_line.part == "head":
            yield PaperRow(line.row.label, line.depth, line.row.kind, ("",) * len(list(_heads(found))))
            continue
        cells = tuple(_cells(found, figure, unit))
        less, numbers = found.plan.is_taken_off(line), noted.get(line.row.line, "")
        yield PaperRow(printed_line.label, line.depth, line.row.kind, cells, less, numbers)
    for account in found.figures.unplaced:
        if any(account.raw):
            words = " ".join(
                part for part in ("Unplaced:", account.company, account.account, account.name) if part
            )
            cells = tuple(
                _with_per_cents(found, [_written(v, found.digits, unit) for v in account.raw], None)
            )
            cells += ("",) * len(found.formulas)
            yield PaperRow(words, 0, "unplaced", cells)


def _heads(found: StatementFigures) -> Iterator[str]:
    titles = [found.currency if title == "amount" else title.replace("/", " / ") for title in found.columns]
    for column, title in enumerate(titles):
        yield title
        yield from (one.title for one in found.per_cents if one.column == column)
        if column in found.judged:
            yield ""
    yield from (one.title for one in found.formulas)


def _cells(found: StatementFigures, figure: Figure, unit: str) -> Iterator[str]:
    written = [_cell(figure, i, found.digits, unit) for i in range(len(found.columns))]
    yield from _with_per_cents(found, written, None if figure.is_ratio else figure)
    for one, value in zip(found.formulas, found.worked_out(figure), strict=True):
        is_exact = one.formula.is_ratio or figure.is_ratio
        yield "" if value is None else _written(value, found.digits, unit, is_exact=is_exact)


def _with_per_cents(found: StatementFigures, cells: Sequence[str], figure: Figure | None) -> Iterator[str]:
    """The cells of a row, each with its per cents behind; those of no figure are empty."""
    for column, cell in enumerate(cells):
        yield cell
        for one in found.per_cents:
            if one.column == column:
                yield in_tenths(per_cent(found.figures, figure, one)) if figure else ""
        if column in found.judged:
            yield judgement(figure, column) if figure else ""


def _cell(figure: Figure, column: int, digits: int, unit: str) -> str:
    if figure.line.row.kind in WITHOUT_FIGURE:
        return ""
    if figure.line.quantity:
        return show_quantity(figure.seen(column), digits)
    return _written(figure.seen(column), digits, unit, is_exact=figure.is_ratio)


def _notes(found: StatementFigures, unit: str) -> Iterator[str]:
    yield "What is taken off under its heading is marked less; a minus is against the direction of its line."
    if any(any(account.raw) for account in found.figures.unplaced):
        yield "Unplaced accounts stand on no line; their amounts are debit plus."
    if found.told_of_sides:
        yield found.told_of_sides
    yield from (one.sentence(found.digits) for one in found.apart)
    if found.off and found.plan.statement.kind == "balance_sheet":
        amount = _written(abs(found.off), found.digits, unit)
        more = "debits" if found.off > 0 else "credits"
        yield f"The budget doesn't balance: {amount} more {more} at the end of the forecast."


def paper_of_matrix(sheet: MatrixSheet, made: str, unit: str = "") -> Paper:
    """A matrix: its rows, and the totals last."""
    written = unit or ("whole" if len(sheet.heads) > MANY else "exact")

    def row(label: str, kind: str, values: Sequence[int | None], total: int | None) -> PaperRow:
        totals = [] if sheet.row_totals is None else [total]
        cells = (
            "" if value is None else _written(value, sheet.digits, written) for value in (*values, *totals)
        )
        return PaperRow(label, 0, kind, tuple(cells))

    rows = [
        row(
            " ".join(filter(None, label)),
            "accounts",
            cells,
            sheet.row_totals[i] if sheet.row_totals else None,
        )
        for i, (label, cells) in enumerate(zip(sheet.labels, sheet.cells, strict=True))
    ]
    if sheet.column_totals is not None:
        rows.append(row("total", "heading", sheet.column_totals, sheet.total))
    heads = (*sheet.heads, *(() if sheet.row_totals is None else ("total",)))
    told = _unit_words(sheet.currency, written)
    return Paper(sheet.title, sheet.whose, sheet.stretch, told, heads, tuple(rows), (), made)
