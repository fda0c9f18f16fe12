"""Columns worked out of others, as cells of a line."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from core.money import show_amount
from core.statements.figures import Figure
from web.shell.table_rows import Cell
from web.statements.queries import StatementFigures

WORKED_OUT = "num worked-out"


def formula_cells(
    found: StatementFigures, figure: Figure, written: Callable[[int], str], *, has_figures: bool
) -> Iterator[Cell]:
    """A cell for each formula: amounts as the table writes them, ratios to their last digit."""
    for one, value in zip(found.formulas, found.worked_out(figure), strict=True):
        if not has_figures:
            yield Cell()
        elif value is None:
            yield Cell("", WORKED_OUT)
        else:
            text = show_amount(value, found.digits) if one.formula.is_ratio else written(value)
            yield Cell(text, WORKED_OUT)
