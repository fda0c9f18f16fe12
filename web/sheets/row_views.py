"""A sheet's acts: a row edited in place, several at once, files and the clipboard out and in, what is known
of a row."""

from __future__ import annotations

from collections import Counter
from typing import Any
from urllib.parse import parse_qsl, urlencode, urlsplit

from django.http import Http404, HttpResponse
from django.shortcuts import render

from core import bringing, sheets
from core.changes.fixed import fixed_columns
from core.changes.kinds import Change, ChangeSequence, ChangeSet, with_belongings
from core.definitions.nouns import NOUNS, many, named
from core.definitions.state import State
from core.definitions.tables import BY_ROW, TABLES, Column
from core.faults import Fault, Location, Refused
from core.references.tables import users
from web.definitions.history import of_row
from web.definitions.posted import posted_facts
from web.definitions.store import key_text
from web.definitions.viewing import PineRequest
from web.people.rights import CHANGE, SIGNED_IN, needs, needs_post
from web.sheets import records
from web.sheets.asking_periods import ask_of_periods
from web.sheets.changing import apply_change, refuse_first, reload_at
from web.sheets.options import options
from web.sheets.pages import SHEETS, asked, numeric, row_known, rows_known, stretch
from web.shell.asked import back as back_to, whole
from web.shell.asking import Choice, ask, decided
from web.shell.htmx import is_fragment, page_of
from web.shell.tabular import attached


def _back(request: PineRequest, sheet: sheets.Sheet, key: str = "") -> HttpResponse:
    """The page the person is on, with the row that was acted on selected."""
    here = urlsplit(page_of(request))
    items = [(name, value) for name, value in parse_qsl(here.query) if name != "row"]
    query = urlencode([*items, *([("row", f"{sheet.name}:{key}")] if key else [])])
    return reload_at(here.path + (f"?{query}" if query else ""))


@needs(SIGNED_IN)
def rows(request: PineRequest, state: State, sheet: str) -> HttpResponse:
    """A further stretch of a long sheet."""
    kind, given = asked(request, state, sheet)
    start = whole(request.GET, "from")
    return render(
        request, "sheets/sheet_rows.html", {"sheet": stretch(request, state, kind, given, start=start)}
    )


@needs(CHANGE, posts=True)
def row(request: PineRequest, state: State, sheet: str) -> HttpResponse:
    """GET: a row as inputs. POST: takes it."""
    kind, given = asked(request, state, sheet)
    key = request.GET.get("key", "")
    known = row_known(request, state, kind, given, key) if key else None
    if request.method != "POST":
        near = row_known(request, state, kind, given, request.GET.get("near", ""))
        filled = known if known is not None else sheets.blank(state, kind, given, near, key)
        fixed = fixed_columns(state, posted_facts(state), known) if known is not None else {}
        cells = sheets.shown_cells(state, kind, given, sheets.cells_of(state, kind, given, filled))
        fields = [_field(state, kind, filled, column, cells[column.name], fixed) for column in kind.shown]
        first = next(
            (
                f["name"]
                for f in fields
                if not f["fixed"] and (known is not None or not f["value"] or f["kind"] == "choice")
            ),
            "",
        )
        return render(
            request,
            "sheets/sheet_edit.html",
            {
                "sheet": kind,
                "fields": fields,
                "new": known is None,
                "key": key,
                "query": urlencode(given),
                "first": first,
            },
        )
    cells = {column.name: request.POST.get(column.name, "").strip() for column in kind.shown}
    for column in kind.shown:
        if column.kind.name == "flag":
            cells[column.name] = "true" if cells[column.name] in ("true", "on") else "false"
    return _kept(request, state, kind, given, sheets.kept_cells(state, kind, given, cells, known), known)


def _kept(
    request: PineRequest,
    state: State,
    sheet: sheets.Sheet,
    given: sheets.Given,
    cells: dict[str, str],
    known: Any,
) -> HttpResponse:
    proposals = sheets.take(
        state, sheet, given, list(cells), [(1, list(cells.values()))], posted_facts(state), known, keyed=True
    )
    if proposals.change is None:
        raise Refused([fault.at(row=None) for fault in proposals.faults])
    if question := ask_of_periods(request, state, proposals.change):
        return question
    apply_change(request, proposals.change)
    return _back(request, sheet, proposals.keys[0])


def _field(
    state: State, sheet: sheets.Sheet, row: Any, column: Column, value: str, fixed: dict[str, str]
) -> dict[str, Any]:
    return {
        "name": column.name,
        "title": sheet.title_of(column.name),
        "kind": column.kind.name,
        "value": value,
        "choices": column.kind.choices,
        "must": column.must,
        "fixed": fixed.get(column.name, ""),
        "numeric": numeric(column),
        "options": options(state, sheet.table, column.name, row) if column.name in sheet.kept.by_name else [],
    }


@needs_post(CHANGE)
def several(request: PineRequest, state: State, sheet: str) -> HttpResponse:
    """One act for the chosen rows: delete them, or move one among its neighbours."""
    kind, given = asked(request, state, sheet)
    keys = [key for key in request.POST.get("what", "").split(",") if key]
    there = {kind.key_text(row): row for row in rows_known(request, state, kind, given)}
    items = [there[key] for key in keys if key in there]
    if not items:
        raise Refused([Fault("nothing-chosen", f"No {kind.noun} is chosen.", way_out="Choose a row first.")])
    act = request.POST.get("act", "")
    if act not in ("delete", "up", "down", "put"):
        raise Http404
    change = _several_change(request, state, kind, given, items, act)
    if act == "delete" and (question := _before_deleting(request, state, items, kind, change)):
        return question
    if question := ask_of_periods(request, state, change):
        return question
    apply_change(request, change)
    if act in ("up", "down"):
        return _back(request, kind, _standing(state, kind, given, items[0], change))
    return _back(request, kind, "" if act == "delete" else keys[0])


def _several_change(
    request: PineRequest, state: State, kind: sheets.Sheet, given: sheets.Given, items: list[Any], act: str
) -> Change:
    if act == "put":
        return _put(state, kind, given, items, request)
    if act == "delete":
        changes = tuple(kind.drop(row) for row in items)
        if len(changes) == 1:
            return changes[0]
        return ChangeSet(changes, f"Deleted {len(items):,} rows of {kind.table}")
    change = sheets.moved(state, kind, given, items[0], -1 if act == "up" else 1)
    if change is None:
        raise Refused([Fault("no-room", f"The {named(items[0])} cannot go {act} from here.")])
    return change


def _before_deleting(
    request: PineRequest, state: State, items: list[Any], kind: sheets.Sheet, change: Change
) -> HttpResponse | None:
    """Asked where several go, or others go with them, until it was decided."""
    going = with_belongings(state, items)
    if decided(request) or not (going or len(items) > 1):
        return None
    what = named(items[0]) if len(items) == 1 else f"{len(items):,} {many(kind.noun)}"
    verb = "goes" if len(items) == 1 else "go"
    sentence = f"{what[:1].upper()}{what[1:]} {verb} for good{f', with {going}' if going else ''}."
    refuse_first(request, state, change)
    return ask(request, sentence, Choice("delete", "Delete"))


def _standing(state: State, sheet: sheets.Sheet, given: sheets.Given, row: Any, change: Change) -> str:
    """The key of a moved row where it stands now: a position may be part of its key."""
    if not any(column.name == "position" for column in sheet.key):
        return sheet.key_text(row)
    puts = [
        edit.new
        for edit in change.edits(state)
        if edit.new is not None and edit.new._replace(position=row.position) == row
    ]
    return sheet.key_text(puts[0]) if puts else sheet.key_text(row)


def _put(
    state: State, sheet: sheets.Sheet, given: sheets.Given, found: list[Any], request: PineRequest
) -> Change:
    """The same value in one column of many rows."""
    name, value = request.POST.get("column", ""), request.POST.get("value", "").strip()
    if name not in sheet.columns or name in {column.name for column in sheet.key}:
        raise Refused([Fault("reference", "Choose a column to set.", Location(column="column"))])
    changes: list[Change] = []
    for row in found:
        cells = {**sheets.cells_of(state, sheet, given, row), name: value}
        proposals = sheets.take(
            state, sheet, given, list(cells), [(1, list(cells.values()))], posted_facts(state), row
        )
        if proposals.change is None:
            raise Refused([fault.at(row=None) for fault in proposals.faults])
        changes.append(proposals.change)
    return ChangeSequence(
        tuple(changes), f"Set {name} {value or 'empty'} for {len(found):,} rows of {sheet.table}"
    )


@needs(SIGNED_IN)
def out(request: PineRequest, state: State, sheet: str, kind: str) -> HttpResponse:
    """The whole sheet as a file that comes back in."""
    table, given = asked(request, state, sheet)
    rows = rows_known(request, state, table, given)
    whole = [column.kind.name == "integer" for column in table.shown]

    def cells(row: Any) -> list[str | int]:
        texts = sheets.cells_of(state, table, given, row).values()
        return [int(text) if is_whole and text else text for text, is_whole in zip(texts, whole, strict=True)]

    body = (cells(row) for row in rows)
    return attached("-".join([table.name, *given.values()]), kind, table.columns, body)


@needs(CHANGE, posts=True)
def bring(request: PineRequest, state: State, sheet: str) -> HttpResponse:
    """GET: where to paste or choose a file. POST: a preview row by row; with `take` the rows are taken."""
    kind, given = asked(request, state, sheet)
    back = back_to(request, urlsplit(page_of(request)).path)
    query = urlencode({**given, "back": back})
    context: dict[str, Any] = {
        "title": kind.title.lower(),
        "address": f"{request.path}?{query}",
        "back": back,
        "columns": kind.columns,
        "hint": f"Without a header: {', '.join(kind.columns)}.",
        "of_file": bool(request.FILES.get("file") or request.POST.get("of_file")),
        "orders": kind.orders(state, given),
    }
    if request.method != "POST":
        return render(request, "sheets/bring.html", context)
    given_rows = records.read(request)
    proposals = bringing.bring(
        state, kind, given, given_rows, posted_facts(state), from_screen=not context["of_file"]
    )
    if request.POST.get("take"):
        if proposals.change is None:
            raise Refused(proposals.faults)
        apply_change(request, proposals.change)
        return reload_at(f"{context['back']}?{urlencode({'row': f'{kind.name}:{proposals.keys[0]}'})}")
    shown = "sheets/brought.html" if is_fragment(request) else "sheets/bring.html"
    return render(
        request,
        shown,
        {
            **context,
            **records.preview(proposals.rows, proposals.faults, proposals.change is not None, given_rows),
        },
    )


@needs(CHANGE)
def about(request: PineRequest, state: State, sheet: str) -> HttpResponse:
    """What is known of one row: what is fixed, who uses it, its history."""
    kind, given = asked(request, state, sheet)
    known = row_known(request, state, kind, given, request.GET.get("key", ""))
    if known is None:  # deleted meanwhile, perhaps by the very hand that asks
        return render(request, "sheets/about.html", {"what": "This row is not there any more"})
    used: Counter[str] = Counter()
    if kind.kept.keys == 1:
        used.update(NOUNS[BY_ROW[type(user)].name] for user in users(state, kind.kept.row, known[0]))
    fixed: dict[str, list[str]] = {}
    for column, because in sorted(fixed_columns(state, posted_facts(state), known).items()):
        fixed.setdefault(because, []).append(kind.title_of(column))
    return render(
        request,
        "sheets/about.html",
        {
            "what": named(known),
            "fixed": [(", ".join(columns), because) for because, columns in fixed.items()],
            "used": [(count, noun if count == 1 else many(noun)) for noun, count in sorted(used.items())],
            "history": of_row(kind.table, key_text(kind.kept.key(known)))[:8],
        },
    )


def _table_order(sheet: sheets.Sheet) -> int:
    return list(TABLES).index(sheet.table)


@needs(CHANGE)
def registers(request: PineRequest, state: State) -> HttpResponse:
    """Every table of heads in one place: structures, charts, dimensions, calendars, overlays, statements,
    groups, budgets."""
    return render(
        request,
        "sheets/registers.html",
        {
            "registers": [
                stretch(request, state, sheet, {})
                for sheet in sorted(SHEETS.values(), key=_table_order)
                if sheet.register
            ],
        },
    )
