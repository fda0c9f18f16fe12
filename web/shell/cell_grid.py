"""A matrix whose cells are gone through one by one: rows and columns have keys, what a cell is about comes
into the proof leaf, several cells are chosen together (web/static/js/grid.js)."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from html import escape
from typing import Any, NamedTuple

from django.utils.safestring import SafeString, mark_safe

from core.faults import Fault, Refused
from web.shell.table_rows import escaped

MOST_CHOSEN = 100_000


class GridColumn(NamedTuple):
    """A column by its key; `title` is told on pointing, `name` stands at its head."""

    key: str
    name: str
    title: str = ""


@dataclass(frozen=True, slots=True)
class GridCell:
    """`css` says by its look, `mark` without it, `title` in words what the cell is."""

    css: str
    mark: str = ""
    title: str = ""


@dataclass(frozen=True, slots=True)
class MatrixRow:
    """A row by its key: what stands at its head (a code before the text), and its cells in the columns'
    order."""

    key: str
    head: str
    cells: Sequence[GridCell]
    code: str = ""
    css: str = ""


def grid_rows(rows: Iterable[MatrixRow], columns: Sequence[GridColumn]) -> SafeString:
    """The rows of a matrix as HTML. A cell's own text would say its mark only, so its title is its label."""
    heads = [f'<td tabindex="-1" role="gridcell" data-col="{escape(column.key)}"' for column in columns]
    parts: list[str] = []
    for row in rows:
        css = f' class="{row.css}"' if row.css else ""
        code = f'<span class="code">{escape(row.code)}</span> ' if row.code else ""
        parts.append(
            f'<tr{css} data-key-row="{escape(row.key)}"><th scope="row" class="stays">{code}'
            f"{escaped(row.head)}</th>"
        )
        for opening, cell in zip(heads, row.cells, strict=True):
            title = f' aria-label="{escape(cell.title)}" title="{escape(cell.title)}"' if cell.title else ""
            parts.append(f'{opening}{title}><i class="box {cell.css}">{escaped(cell.mark)}</i></td>')
        parts.append("</tr>")
    return mark_safe("".join(parts))  # noqa: S308 - every text was escaped above


def short_names(named: Sequence[Sequence[str]]) -> list[GridColumn]:
    """Heads of (key, name): as short as they tell the names apart."""
    firsts = Counter(name.split()[0] for _, name in named if name.split())
    rests = [_without_first(name, firsts) for _, name in named]
    shorts = [_first(rest) for rest in rests]
    counts = Counter(shorts)
    return [
        GridColumn(key, short if counts[short] == 1 else rest, name)
        for (key, name), rest, short in zip(named, rests, shorts, strict=True)
    ]


def _without_first(name: str, firsts: Counter[str]) -> str:
    """What follows the first word, where several names begin with it."""
    words = name.split()
    return " ".join(words[1:]) if len(words) > 1 and firsts[words[0]] > 1 else name


def _first(text: str) -> str:
    """The first word, or two where that is short."""
    words = text.split()
    return (" ".join(words[:2]) if words and len(words[0]) < 4 else words[0] if words else text).rstrip(",")


def chosen_cells(given: Mapping[str, Any]) -> list[tuple[str, str]]:
    """(row, column) of the cells that a form names, each once. Raises Refused where that can't be read."""
    try:
        pairs = json.loads(given.get("cells") or "[]")
        cells = [(str(row), str(column)) for row, column in pairs]
    except (ValueError, TypeError, RecursionError):
        raise Refused(
            [Fault("unreadable", "Which cells are meant could not be read.", way_out="Choose them again.")]
        ) from None
    if not cells or len(cells) > MOST_CHOSEN:
        raise Refused([Fault("nothing-chosen", "No cells are chosen.", way_out="Choose some first.")])
    return list(dict.fromkeys(cells))
