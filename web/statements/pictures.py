"""Pictures of figures: the columns of a line or of several as bars, what made a line change as a bridge."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from core.analysis.variances import CHANGE
from core.definitions.tables import StatementLine
from core.statements.bridge import bridge
from web.statements.bar_drawing import column_shares, share_drawing
from web.statements.bridge_drawing import bridge_drawing
from web.statements.figure_address import FigureAddress
from web.statements.queries import StatementFigures
from web.statements.set_drawing import line_set, set_drawing

MOST_STEPS = 8
"""How many changes a bridge tells apart."""


def pictured(
    address: FigureAddress,
    found: StatementFigures,
    then: StatementFigures | None,
    line: StatementLine | None,
) -> dict[str, Any]:
    """What an address asks to be drawn below the figures."""
    if address.draws and len(address.drawn) > 1:
        return _of_several(found, address.drawn)
    if then:
        return _bridged(address, found, then, line)
    if not address.draws:
        return {}
    line = next((one.row for one in found.plan.lines if address.drawn[:1] == (one.row.line,)), line)
    if line is None:
        return {"not_drawn": "Choose a line, or several with Shift and the arrows, and then draw them."}
    if len(found.columns) < 2 or found.alone:
        return {
            "not_drawn": "One figure alone makes no bars: choose two lines or more, or put columns across."
        }
    return _drawn(found, line)


def _of_several(found: StatementFigures, names: tuple[str, ...]) -> dict[str, Any]:
    """Several lines beside one another, column by column."""
    chosen = line_set(found, names)
    if chosen is None:
        return {"not_drawn": "Bars beside one another need two lines or more that show amounts of money."}
    return {"line_set": chosen, "set_drawing": set_drawing(chosen, found.digits, "set-title")}


def _drawn(found: StatementFigures, line: StatementLine) -> dict[str, Any]:
    """A line's columns as bars, with their part of the total."""
    shares = column_shares(found.figures.lines[found.plan.index[line.line]], found.columns)
    drawing = share_drawing(shares, found.digits, "shares-title")
    return {"shares": shares, "share_drawing": drawing, "drawn_line": line}


def _bridged(
    address: FigureAddress, found: StatementFigures, then: StatementFigures, line: StatementLine | None
) -> dict[str, Any]:
    """What made a line change, drawn."""
    if line is None:
        return {}
    both = ((then.figures, then.amounts), (found.figures, found.amounts))
    made = bridge(address.plan, line.line, *both, MOST_STEPS)
    titles = (then.window.ends, found.window.ends)
    return {
        "bridge": made,
        "bridge_drawing": bridge_drawing(made, titles, found.digits),
        "bridge_titles": titles,
    }


def pictures_of(
    address: FigureAddress, found: StatementFigures, column: int, line: str, *, is_beside: bool
) -> dict[str, str]:
    """Addresses of the pictures that a figure can lead to: what made it change, its line's columns."""
    changes = found.columns[column] in ("amount", CHANGE)
    across = len(found.columns) > 1 and not is_beside and not found.alone
    alone = replace(address, draws=True, drawn=())
    return {
        "bars": alone.query(line=line) if across else "",
        "bridges": address.query(line=line, than=address.than or "year") if changes else "",
    }
