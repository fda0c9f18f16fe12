"""Rows of the table of codes."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from django.utils.safestring import SafeString

from core.codes.columns import cell, use
from core.definitions.state import State
from web.codes.queries import CodeRow
from web.shell.table_rows import Cell, TableRow, addresses, indent, table_rows

MONO = ("in_use_from", "in_use_until", "under", "currency")


def shown(state: State, row: CodeRow, column: str) -> str:
    """A cell as a person reads it."""
    code = row.code
    if column == "use":
        return f"{row.under:,} under it" if code.rollup else use(code)
    if column == "account_class":
        return (
            f"{code.account_class.capitalize()}{', contra' if code.contra else ''}"
            if code.account_class
            else ""
        )
    text = cell(state, code, column)
    return {"true": "yes", "false": "no", "none": ""}.get(text, text)


def code_rows(
    state: State,
    code_list: str,
    rows: Iterable[CodeRow],
    columns: Sequence[str],
    at: str = "",
    drafted: frozenset[str] = frozenset(),
) -> SafeString:
    """The rows of a list's table; `at` is the code that takes focus."""
    proof = addresses("code", code_list)

    def table_row(row: CodeRow) -> TableRow:
        code, depth = row.code, indent(row.depth)
        kind = "heading" if code.rollup else "closed" if code.in_use_until or not code.enabled else ""
        return TableRow(
            code.code,
            [
                Cell(code.code, f"code {depth}"),
                Cell(code.name, depth),
                *(Cell(shown(state, row, name), "code" if name in MONO else "") for name in columns),
            ],
            css=f"{kind} drafted" if code.code in drafted else kind,
            element=f"row-{code.code}",
            proof=proof(code.code),
            takes=code.rollup,
            draggable=True,
            focused=code.code == at,
        )

    return table_rows(map(table_row, rows))
