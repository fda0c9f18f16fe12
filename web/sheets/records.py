"""Rows that a person pastes or brings in a file: as cells of text, and what the preview of compared rows
shows."""

from __future__ import annotations

import csv
import io
import json
from typing import Any

from clevercsv import Detector

from core.definitions.row_proposals import CHANGED, FAULT, NEW, SAME, RowProposal
from core.fault_codes import FaultCode
from core.faults import Fault, Refused
from web.definitions.viewing import PineRequest
from web.shell.workbooks import UnreadableWorkbook, sheet_rows, uploaded

MOST_TEXT = 20 * 1024**2
MOST_SHOWN = 500
DELIMITERS = [",", ";", "\t", "|"]
MOST_SNIFFED, MOST_LINES_SNIFFED = 16 * 1024, 100
Records = list[list[str]]


def refused(code: FaultCode, what: str, way_out: str) -> Refused:
    return Refused([Fault(code, what, way_out=way_out)])


def read(request: PineRequest) -> Records:
    """Rows from the clipboard (tabs), a CSV or a workbook's first sheet. Raises Refused where there are none
    to be read."""
    if records := request.POST.get("records"):
        lines = _again(records)
    else:
        file: Any = request.FILES.get("file")
        if file is not None and file.size > MOST_TEXT:
            raise refused(
                "too-big", f"The file is larger than {MOST_TEXT // 1024**2} MiB.", "Bring it in as a package."
            )
        if file is not None and file.name.lower().endswith(".xlsx"):
            lines = _workbook(file)
        else:
            lines = _delimited(request.POST.get("text", "") if file is None else _decoded(file.read()))
    if not any(any(cell.strip() for cell in record) for record in lines):
        raise refused("nothing-given", "There are no rows in it.", "Paste rows, or choose a file.")
    return lines


def _again(kept: str) -> Records:
    """The rows of a preview, sent back to be taken."""
    try:
        return [[str(cell) for cell in record] for record in json.loads(kept) if isinstance(record, list)]
    except (ValueError, TypeError, RecursionError):
        raise refused("unreadable", "The rows could not be read again.", "Paste them once more.") from None


def _decoded(data: bytes) -> str:
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise refused("encoding", "The file is not UTF-8.", "Save it as CSV UTF-8.") from None


def _delimited(text: str) -> Records:
    text = text.replace("\x00", "")
    try:
        return list(csv.reader(io.StringIO(text), delimiter=_delimiter(text)))
    except csv.Error as error:
        raise refused("not-csv", f"The rows are not CSV: {error}.", "Save the file as CSV UTF-8.") from None


def _delimiter(text: str) -> str:
    """What parts the cells, by the first lines. Rows copied from a sheet have tabs; a list of one column has
    none, and any will do."""
    first = "".join(text[:MOST_SNIFFED].splitlines(keepends=True)[:MOST_LINES_SNIFFED])
    if "\t" in first.split("\n", 1)[0]:
        return "\t"
    told = Detector().detect(first, delimiters=DELIMITERS)
    return (told and told.delimiter) or ","


def _workbook(file: Any) -> Records:
    """The rows of a workbook's first sheet."""
    try:
        with uploaded(file) as path:
            return list(sheet_rows(path, 0, plainly=True))
    except UnreadableWorkbook as error:
        raise refused(
            "unreadable", f"The workbook cannot be read: {error}.", "Save it as XLSX again."
        ) from None


def preview(rows: list[RowProposal], faults: list[Fault], takeable: bool, given: Records) -> dict[str, Any]:
    """What `definitions/brought.html` shows: faults first, counts by kind, the rows to be sent again when
    they are taken."""
    ordered = sorted(rows, key=lambda row: row.kind != FAULT)
    counts = [(kind, sum(row.kind == kind for row in rows)) for kind in (NEW, CHANGED, SAME, FAULT)]
    return {
        "rows": ordered[:MOST_SHOWN],
        "more": max(0, len(rows) - MOST_SHOWN),
        "counts": counts,
        "faults": faults,
        "records": json.dumps(given),
        "useful": takeable and any(count for _, count in counts[:2]),
    }
