"""Tables of definitions on pages: which there are, and a stretch of one as HTML with the addresses that act
on it.

A storey registers its sheets; core/sheets.py reads and checks their cells.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any
from urllib.parse import urlencode

from django.http import Http404
from django.urls import reverse
from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from core.definitions.state import State
from core.definitions.tables import Column
from core.drafts.replaying import tells
from core.sheets import Given, Sheet, cells_of, in_order_of, rows_of
from web.definitions.viewing import PineRequest
from web.people.rights import sees
from web.sheets.options import told
from web.shell.asked import text

CHUNK = 200
MONO = ("code", "id", "selector", "currency", "date", "integer", "dimensions")
WORDS = ("name", "message", "label")
SHEETS: dict[str, Sheet] = {}
LINKS: dict[str, Any] = {}


def register(sheet: Sheet, link: Any = None) -> Sheet:
    """Makes a sheet known by its name. `link` gives the address that a row's first cell opens, if any."""
    SHEETS[sheet.name] = sheet
    LINKS[sheet.name] = link
    return sheet


def asked(request: PineRequest, state: State, name: str) -> tuple[Sheet, dict[str, str]]:
    """The sheet of an address and what its page gives. 404 where it names something the person may not
    see."""
    sheet = SHEETS.get(name)
    if sheet is None:
        raise Http404
    given = {part: request.GET.get(part, "") for part in sheet.given}
    person: Any = request.user
    if not all(sees(person, state, part, name) for part, name in given.items()) or (
        not given and not person.is_group_accountant
    ):
        raise Http404
    return sheet, given


@dataclass(frozen=True)
class SheetRows:
    """A sheet on a page: `rows` are HTML, `query` carries what the page gives."""

    sheet: Sheet
    given: Given
    rows: SafeString
    total: int
    next: int | None
    may_change: bool
    extra: tuple[tuple[str, bool], ...] = ()
    sort: str = ""

    @property
    def query(self) -> str:
        return urlencode({**self.given, **({"sort": f"{self.sheet.name}:{self.sort}"} if self.sort else {})})

    @property
    def heads(self) -> list[tuple[str, str, bool]]:
        return [
            (column.name, self.sheet.title_of(column.name), numeric(column)) for column in self.sheet.shown
        ]

    @property
    def sorts(self) -> list[tuple[str, str, bool, str, str]]:
        """(column, title, numeric, what the address asks for by its head, which way it is sorted now)."""
        return [
            (
                name,
                title,
                number,
                f"{self.sheet.name}:{'-' if self.sort == name else ''}{name}",
                {name: "ascending", f"-{name}": "descending"}.get(self.sort, ""),
            )
            for name, title, number in self.heads
        ]

    @property
    def span(self) -> int:
        return len(self.sheet.columns) + len(self.extra)

    @property
    def moves(self) -> bool:
        return "position" in self.sheet.kept.by_name


def numeric(column: Column) -> bool:
    return column.kind.name in ("integer", "number", "rate")


def _sort_asked(request: PineRequest, sheet: Sheet) -> str:
    """The column of this sheet that the address sorts by, with - before it for the other way round."""
    whose, _, sort = text(request.GET, "sort").partition(":")
    return sort if whose == sheet.name and sort.removeprefix("-") in sheet.columns else ""


def _drafted(request: PineRequest, sheet: Sheet) -> set[Any]:
    """Keys of rows that the open draft adds or changes."""
    working = request.viewed.working
    edits = working.edits.items() if working else ()
    return {key for (table, key), edit in edits if table == sheet.table and tells(edit)}


def stretch(
    request: PineRequest,
    state: State,
    sheet: Sheet,
    given: Given,
    *,
    start: int = 0,
    among: Iterable[Any] | None = None,
    extra: Mapping[str, Mapping[str, Any]] | None = None,
) -> SheetRows:
    """A stretch of a sheet. `extra` are further columns that only show: title → row key → HTML or text."""
    person: Any = request.user
    may_change = person.is_group_accountant and request.viewed.as_of is None
    sort = _sort_asked(request, sheet)
    rows = rows_of(state, sheet, given, among)
    if sort:
        rows = in_order_of(state, sheet, given, rows, sort.removeprefix("-"), sort.startswith("-"))
    wanted = sheet.missing(state, given) if may_change else []
    drafted = _drafted(request, sheet)
    part = rows[start : start + CHUNK]
    html = [
        _row(state, sheet, given, row, may_change, sheet.kept.key(row) in drafted, extra or {})
        for row in part
    ]
    stop = start + len(part)
    if stop >= len(rows):
        html += [
            _row(state, sheet, given, row, may_change, False, extra or {}, missing=True) for row in wanted
        ]
    numbered = tuple(
        (title, all(isinstance(value, int) for value in values.values()))
        for title, values in (extra or {}).items()
    )
    return SheetRows(
        sheet,
        given,
        SafeString("".join(html)),
        len(rows),
        stop if stop < len(rows) else None,
        may_change,
        numbered,
        sort,
    )


def _cell(state: State, sheet: Sheet, row: Any, column: Column, written: str) -> SafeString:
    kind = column.kind.name
    if kind == "flag":
        return SafeString("<td>yes</td>" if written == "true" else '<td class="soft">—</td>')
    if not written:
        return SafeString('<td class="soft">—</td>')
    if kind == "choice" and written == column.default == "other":
        return SafeString('<td class="soft">—</td>')
    if kind == "choice":
        return format_html("<td>{}</td>", written.replace("_", " "))
    name, is_code = told(state, sheet.table, column.name, row, written)
    if name and is_code:
        return format_html('<td><span class="code">{}</span> {}</td>', written, name)
    if name:
        return format_html('<td title="{}">{}</td>', written, name)
    css = (
        "num"
        if numeric(column)
        else (
            "code wrap"
            if kind == "selector"
            else "code"
            if kind in MONO
            else "wrap"
            if column.name in WORDS
            else ""
        )
    )
    return format_html('<td class="{}">{}</td>', css, written)


def _extra(value: Any) -> SafeString:
    return (
        format_html('<td class="num">{}</td>', f"{value:,}")
        if isinstance(value, int)
        else format_html("<td>{}</td>", value)
    )


def _row(
    state: State,
    sheet: Sheet,
    given: Given,
    row: Any,
    may_change: bool,
    drafted: bool,
    extra: Mapping[str, Mapping[str, Any]],
    *,
    missing: bool = False,
) -> SafeString:
    key = sheet.key_text(row)
    cells = cells_of(state, sheet, given, row)
    rows = [_cell(state, sheet, row, column, cells[column.name]) for column in sheet.shown]
    link = LINKS.get(sheet.name)
    if link and not missing:
        first = sheet.shown[0]
        rows[0] = format_html(
            '<td class="code"><a data-open href="{}">{}</a></td>', link(row), cells[first.name]
        )
    rows += [_extra(values.get(key, "")) for values in extra.values()]
    shut = (
        getattr(row, "status", "") == "closed"
        or getattr(row, "enabled", True) is False
        or getattr(row, "in_use_until", None)
    )
    css = " ".join(name for name, on in (("drafted", drafted), ("closed", shut), ("wanted", missing)) if on)
    about = ""
    if may_change and not missing:
        address = f"{reverse('sheet-about', kwargs={'sheet': sheet.name})}?{urlencode({**given, 'key': key})}"
        about = format_html(
            ' hx-get="{}" hx-trigger="focus delay:150ms" hx-target="#about" hx-sync="#about:replace"', address
        )
    return format_html(
        '<tr tabindex="0" data-row="{}" class="{}"{}>{}</tr>',
        key,
        css,
        about,
        format_html_join("", "{}", ((cell,) for cell in rows)),
    )
