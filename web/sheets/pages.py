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
from django.utils.safestring import SafeString

from core.access.owners import may_begin, owners_of_row
from core.access.rights import Right
from core.definitions.state import State
from core.definitions.tables import Column
from core.drafts.replaying import tells
from core.sheets import Given, Sheet, cells_of, find, in_order_of, rows_of, shown_cells
from web.definitions.viewing import PineRequest, may_change
from web.people.rights import TABLE_OF, sees, sees_everything
from web.sheets.options import told
from web.shell.asked import text
from web.shell.table_rows import Cell, TableRow, table_rows

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
        not given and not (sheet.register or _kind_of(sheet)) and not sees_everything(person, state)
    ):
        raise Http404
    return sheet, given


def _kind_of(sheet: Sheet) -> str:
    """What addresses call the things whose heads the sheet shows; empty where they are nobody's alone."""
    return next((kind for kind, table in TABLE_OF.items() if table == sheet.table), "")


def rows_known(request: PineRequest, state: State, sheet: Sheet, given: Given) -> list[Any]:
    """The rows of a sheet, of a register those that the person may know of."""
    rows, person = rows_of(state, sheet, given), request.user
    if sheet.given or sees_everything(person, state):
        return rows
    if kind := _kind_of(sheet):
        return [row for row in rows if sees(person, state, kind, row[0])]
    access = person.access(state)
    owners = ((row, owners_of_row(state, sheet.table, row)) for row in rows)
    return [row for row, own in owners if any(access.may(Right.SEE, owner) for owner in own)]


def row_known(request: PineRequest, state: State, sheet: Sheet, given: Given, key: str) -> Any:
    """The row that a key text names, among those; or None."""
    return find(sheet, rows_known(request, state, sheet, given), key)


@dataclass(frozen=True)
class SheetRows:
    """A sheet on a page: `rows` are HTML, `query` carries what the page gives."""

    sheet: Sheet
    given: Given
    rows: SafeString
    total: int
    next: int | None
    may_change: bool
    may_add: bool
    extra: tuple[tuple[str, bool], ...] = ()
    sort: str = ""
    further: str = ""
    """where the rows after these come from"""

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


def _in_order(
    request: PineRequest,
    state: State,
    sheet: Sheet,
    given: Given,
    among: Iterable[Any] | None,
    sort: str,
) -> list[Any]:
    """The rows of a sheet, or some of them, as they stand or sorted by a column."""
    rows = rows_known(request, state, sheet, given) if among is None else rows_of(state, sheet, given, among)
    if not sort:
        return rows
    return in_order_of(state, sheet, given, rows, sort.removeprefix("-"), sort.startswith("-"))


def stretch(
    request: PineRequest,
    state: State,
    sheet: Sheet,
    given: Given,
    *,
    start: int = 0,
    among: Iterable[Any] | None = None,
    extra: Mapping[str, Mapping[str, Any]] | None = None,
    by_page: bool = False,
) -> SheetRows:
    """A stretch of a sheet. `extra` are further columns that only show: title → row key → HTML or text.
    `by_page`: the page itself gives further stretches, with `from` in its address, because the sheet alone
    lacks its columns or what narrows it."""
    changeable = may_change(request)
    sort = _sort_asked(request, sheet)
    rows = _in_order(request, state, sheet, given, among, sort)
    wanted = sheet.missing(state, given) if changeable else []
    drafted = _drafted(request, sheet)
    part = rows[start : start + CHUNK]
    shown = [
        _row(state, sheet, given, row, changeable, sheet.kept.key(row) in drafted, extra or {})
        for row in part
    ]
    stop = start + len(part)
    if stop >= len(rows):
        shown += [
            _row(state, sheet, given, row, changeable, False, extra or {}, missing=True) for row in wanted
        ]
    numbered = tuple(
        (title, all(isinstance(value, int) for value in values.values()))
        for title, values in (extra or {}).items()
    )
    return SheetRows(
        sheet,
        given,
        table_rows(shown),
        len(rows),
        stop if stop < len(rows) else None,
        changeable,
        changeable and sheet.adds and _may_add(request, state, sheet),
        numbered,
        sort,
        _further_at(request, sheet, given, sort, stop, by_page=by_page),
    )


def _further_at(
    request: PineRequest, sheet: Sheet, given: Given, sort: str, stop: int, *, by_page: bool
) -> str:
    """The address of the stretch after one that ends at a row."""
    if by_page:
        query = request.GET.copy()
        query["from"] = str(stop)
        return f"{request.path}?{query.urlencode()}"
    asked_for = {**given, **({"sort": f"{sheet.name}:{sort}"} if sort else {}), "from": stop}
    return f"{reverse('sheet-rows', args=[sheet.name])}?{urlencode(asked_for)}"


def _may_add(request: PineRequest, state: State, sheet: Sheet) -> bool:
    return bool(sheet.given) or may_begin(request.user.access(state), sheet.table)


NONE = Cell("—", "soft")


def _cell(state: State, sheet: Sheet, row: Any, column: Column, written: str) -> Cell:
    kind = column.kind.name
    if kind == "flag":
        return Cell("yes") if written == "true" else NONE
    if not written or (kind == "choice" and written == column.default == "other"):
        return Cell("—", "soft num") if numeric(column) else NONE
    if kind == "choice":
        return Cell(written.replace("_", " "))
    name, is_code = told(state, sheet.table, column.name, row, written)
    if name:
        return Cell(name, code=written) if is_code else Cell(written, title=name)
    if numeric(column):
        return Cell(written, "num")
    if kind == "selector":
        return Cell(written, "code wrap")
    return Cell(written, "code" if kind in MONO else "wrap" if column.name in WORDS else "")


def _extra(value: Any) -> Cell:
    return Cell(f"{value:,}", "num") if isinstance(value, int) else Cell(value, "nowrap")


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
) -> TableRow:
    key = sheet.key_text(row)
    texts = shown_cells(state, sheet, given, cells_of(state, sheet, given, row))
    cells = [_cell(state, sheet, row, column, texts[column.name]) for column in sheet.shown]
    link = LINKS.get(sheet.name)
    if link and not missing:
        cells[0] = Cell(texts[sheet.shown[0].name], "code", link=link(row), opens=True)
    shut = (
        getattr(row, "status", "") == "closed"
        or getattr(row, "enabled", True) is False
        or getattr(row, "in_use_until", None)
    )
    css = (("drafted", drafted), ("closed", shut), ("wanted", missing))
    about = reverse("sheet-about", kwargs={"sheet": sheet.name}) if may_change and not missing else ""
    return TableRow(
        key,
        [*cells, *(_extra(values.get(key, "")) for values in extra.values())],
        css=" ".join(name for name, on in css if on),
        proof=f"{about}?{urlencode({**given, 'key': key})}" if about else "",
        target="#about",
    )
