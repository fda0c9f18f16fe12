"""Many codes at once: acts on several rows, the columns of the table, files out and back in with a preview."""

from __future__ import annotations

import csv
import io
import json
from typing import Any

import python_calamine
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.urls import reverse

from core import bringing
from core.faults import Fault, Place, Refused
from core.hierarchies import main_hierarchies
from core.listing import cell, columns
from core.parsing import read_cell, write_cell
from core.several import AmendCodes, MoveNodes
from core.state import State
from core.tables import TABLES, Code, CodeList
from web.codes import table
from web.definitions.facts import posted_facts
from web.people.rights import CHANGE, SIGNED_IN, acts, needs
from web.shell.acts import date_of, go, make
from web.shell.tabular import attached

SETTABLE = ("posting", "budgeting", "contra", "account_class", "currency", "revalue", "cash_flow", "enabled", "in_use_from")
MOST_SHOWN = 500
MOST_TEXT = 20 * 1024**2


def _back(request: HttpRequest, state: State, code_list: str, at: str = "") -> HttpResponse:
    kept = table.query(table.asked(request, state, code_list))
    parts = [part for part in (kept, f"at={at}" if at else "") if part]
    address = reverse("code-list", kwargs={"code_list": code_list})
    return go(f"{address}?{'&'.join(parts)}" if parts else address)


@acts(CHANGE)
def several(request: HttpRequest, state: State, code_list: str) -> HttpResponse:
    """One act for all chosen codes: close, reopen, move, or set a property."""
    codes = table.chosen_codes(request, state, code_list)
    if not codes:
        raise Refused([Fault("nothing-chosen", "No code is chosen.", way_out="Choose rows with Shift or Ctrl, or all that fit.")])
    act = request.POST.get("act", "")
    change: Any
    if act == "move":
        main = main_hierarchies(state).get(code_list)
        onto = request.POST.get("onto", "").split(" ")[0].strip()
        if main is None or (onto and state.get(Code, code_list, onto) is None):
            raise Refused([Fault("reference", f"There is no rollup code {onto}.", Place(column="onto"), "Choose a rollup code.")])
        change = MoveNodes(main, tuple(codes), onto)
    elif act == "close":
        until = date_of(request, "until")
        if until is None:
            raise Refused([Fault("cell-empty", "Give the last day of use.", Place(column="until"))])
        change = AmendCodes(code_list, tuple(codes), (("in_use_until", str(until)),))
    elif act == "reopen":
        change = AmendCodes(code_list, tuple(codes), (("in_use_until", ""),))
    elif act == "put":
        change = AmendCodes(code_list, tuple(codes), (_setting(request),))
    else:
        raise Http404
    make(request, change)
    return _back(request, state, code_list, codes[0])


def _setting(request: HttpRequest) -> tuple[str, str]:
    """(column, cell) of the form. Raises Refused where the value cannot stand there."""
    name, value = request.POST.get("property", ""), request.POST.get("value", "").strip()
    column = TABLES["codes"].by_name.get(name)
    if column is None or name not in SETTABLE:
        raise Refused([Fault("reference", "Choose a property to set.", Place(column="property"))])
    if value:
        try:
            read_cell(column, value)
        except ValueError as told:
            raise Refused([Fault("cell-unreadable", str(told), Place("codes", (), name, value))]) from None
    return name, value


@acts(SIGNED_IN)
def choose_columns(request: HttpRequest, state: State, code_list: str) -> HttpResponse:
    """Keeps the columns a person wants to see for this list."""
    known = columns(state, code_list)
    person: Any = request.user
    person.columns = {**person.columns, code_list: [name for name in known if name in request.POST.getlist("column")]}
    person.save(update_fields=["columns"])
    return _back(request, state, code_list)


@needs(SIGNED_IN)
def out(request: HttpRequest, state: State, code_list: str, kind: str) -> HttpResponse:
    """What is seen, as a file that comes back in: the rows that fit, the columns chosen."""
    header = bringing.header_of(table.chosen_columns(request, state, code_list))
    rows = table.rows_of(state, code_list, table.fitting(request, state, code_list))
    return attached(code_list, kind, header, ([cell(state, row, name) for name in header] for row in rows))


def _records(request: HttpRequest) -> list[list[str]]:
    """Rows from the clipboard (tabs), a CSV or a workbook's first sheet. Raises Refused where they can't be read."""
    file: Any = request.FILES.get("file")
    if kept := request.POST.get("records"):
        try:
            found = json.loads(kept)
            return [[str(cell) for cell in record] for record in found if isinstance(record, list)]
        except (ValueError, TypeError):
            raise Refused([Fault("unreadable", "The rows could not be read again.", way_out="Paste them once more.")]) from None
    if file is None:
        text = request.POST.get("text", "").replace("\x00", "")
    elif file.size > MOST_TEXT:
        raise Refused(
            [Fault("too-big", f"The file is larger than {MOST_TEXT // 1024**2} MiB.", way_out="Bring it in as a package.")]
        )
    elif file.name.lower().endswith(".xlsx"):
        return _sheet(file.read())
    else:
        try:
            text = file.read().decode("utf-8-sig")
        except UnicodeDecodeError:
            raise Refused([Fault("encoding", "The file is not UTF-8.", way_out="Save it as CSV UTF-8.")]) from None
    head = text.split("\n", 1)[0]
    try:
        return list(
            csv.reader(io.StringIO(text), delimiter="\t" if "\t" in head else ";" if ";" in head and "," not in head else ",")
        )
    except csv.Error as error:
        raise Refused([Fault("not-csv", f"The rows are not CSV: {error}.", way_out="Save the file as CSV UTF-8.")]) from None


def _sheet(data: bytes) -> list[list[str]]:

    try:
        book = python_calamine.CalamineWorkbook.from_filelike(io.BytesIO(data))
        rows = book.get_sheet_by_index(0).to_python()
    except (python_calamine.CalamineError, OSError, ValueError, IndexError) as error:
        raise Refused([Fault("unreadable", f"The workbook cannot be read: {error}.", way_out="Save it as XLSX again.")]) from None

    def told(value: Any) -> str:
        return str(int(value)) if isinstance(value, float) and value.is_integer() else write_cell(value)

    return [[told(value) for value in row] for row in rows]


@needs(CHANGE)
def bring(request: HttpRequest, state: State, code_list: str) -> HttpResponse:
    """GET: where to paste or choose a file. POST: a preview row by row; with `take` the rows are taken."""
    head = state.get(CodeList, code_list)
    context: dict[str, Any] = {"head": head, "columns": ["code", "name", *columns(state, code_list)]}
    if request.method != "POST":
        return render(request, "codes/bring.html", context)
    records = _records(request)
    if not any(any(cell.strip() for cell in record) for record in records):
        raise Refused([Fault("nothing-given", "There are no rows in it.", way_out="Paste rows, or choose a file.")])
    found = bringing.read(state, code_list, records, table.chosen_columns(request, state, code_list), posted_facts(state))
    if request.POST.get("take"):
        if found.change is None:
            raise Refused(found.faults)
        make(request, found.change)
        return go(reverse("code-list", kwargs={"code_list": code_list}) + f"?at={found.rows[0].code}")
    rows = sorted(found.rows, key=lambda row: row.kind != bringing.FAULT)[:MOST_SHOWN]
    counts = [(kind, found.count(kind)) for kind in (bringing.NEW, bringing.CHANGED, bringing.SAME, bringing.FAULT)]
    return render(request, "codes/bring.html" if not request.headers.get("HX-Request") else "codes/brought.html", {
        **context, "found": found, "rows": rows, "more": len(found.rows) - len(rows), "counts": counts, "records": json.dumps(records),
        "useful": found.change is not None and any(count for kind, count in counts[:2]),
    })  # fmt: skip
