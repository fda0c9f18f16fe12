"""Rows of the table of codes as HTML, built by one function: a template tag in every cell costs ten times as much."""

from __future__ import annotations

from django.urls import reverse
from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from core.tables import Code
from web.codes.queries import Row


def use_of(row: Row) -> str:
    code = row.code
    if code.rollup:
        return f"{row.under} under it"
    if code.in_use_until:
        return "closed"
    if not code.enabled:
        return "switched off"
    return "posting" if code.posting else "not posting"


def class_of(code: Code) -> str:
    return f"{code.account_class.capitalize()}{', contra' if code.contra else ''}" if code.account_class else ""


def table_row(row: Row, code_list: str, at: str = "", drafted: frozenset[str] = frozenset()) -> SafeString:
    code = row.code
    depth = min(row.depth, 8)
    kind = "heading" if code.rollup else "closed" if code.in_use_until or not code.enabled else ""
    if code.code in drafted:
        kind += " drafted"
    proof = reverse("code", kwargs={"code_list": code_list, "code": code.code})
    return format_html(
        '<tr id="row-{code}" class="{kind}" tabindex="0" data-row="{code}"{onto} draggable="true" hx-get="{proof}" hx-trigger="focus delay:120ms"'
        ' hx-target="#proof" hx-sync="#proof:replace"{focus}><td class="code d{depth}">{code}</td><td class="d{depth}">{name}</td>'
        "<td>{klass}</td><td>{use}</td><td class=\"code\">{start}</td><td class=\"code\">{until}</td></tr>",
        code=code.code,
        kind=kind,
        depth=depth,
        onto=format_html(' data-onto="{}"', code.code) if code.rollup else "",
        proof=proof,
        focus=format_html(' data-focus="{}"', 1) if code.code == at else "",
        name=code.name,
        klass=class_of(code),
        use=use_of(row),
        start=str(code.in_use_from or ""),
        until=str(code.in_use_until or ""),
    )  # fmt: skip


def table_rows(rows: list[Row], code_list: str, at: str = "", drafted: frozenset[str] = frozenset()) -> SafeString:
    return format_html_join("", "{}", ((table_row(row, code_list, at, drafted),) for row in rows))
