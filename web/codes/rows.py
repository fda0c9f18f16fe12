"""Rows of the table of codes as HTML, built by one function: a template tag in every cell costs ten times as
much."""

from __future__ import annotations

from collections.abc import Sequence

from django.urls import reverse
from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from core.codes.columns import cell, use
from core.definitions.state import State
from web.codes.queries import CodeRow

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


def table_row(
    state: State, row: CodeRow, columns: Sequence[str], at: str = "", drafted: frozenset[str] = frozenset()
) -> SafeString:
    code = row.code
    depth = min(row.depth, 8)
    kind = "heading" if code.rollup else "closed" if code.in_use_until or not code.enabled else ""
    if code.code in drafted:
        kind += " drafted"
    cells = format_html_join(
        "",
        "<td{}>{}</td>",
        ((SafeString(' class="code"') if c in MONO else "", shown(state, row, c)) for c in columns),
    )
    return format_html(
        '<tr id="row-{code}" class="{kind}" tabindex="0" data-row="{code}"{onto} draggable="true"'
        ' hx-get="{proof}" hx-trigger="focus delay:120ms" hx-target="#proof"'
        ' hx-sync="#proof:replace"{focus}><td class="code d{depth}">{code}</td><td'
        ' class="d{depth}">{name}</td>{cells}</tr>',
        code=code.code,
        kind=kind,
        depth=depth,
        onto=format_html(' data-onto="{}"', code.code) if code.rollup else "",
        proof=reverse("code", kwargs={"code_list": code.code_list, "code": code.code}),
        focus=format_html(' data-focus="{}"', 1) if code.code == at else "",
        name=code.name,
        cells=cells,
    )


def table_rows(
    state: State,
    rows: list[CodeRow],
    columns: Sequence[str],
    at: str = "",
    drafted: frozenset[str] = frozenset(),
) -> SafeString:
    return format_html_join("", "{}", ((table_row(state, row, columns, at, drafted),) for row in rows))
