"""Tables out: CSV, JSON, XLSX and ODS of the same rows. Text that a spreadsheet would run is neutralised."""

from __future__ import annotations

import csv
import io
import json
import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any, Protocol

from django.http import Http404, HttpResponse

from core.money import format_amount
from web.shell.made_by import properties

RISKY = ("=", "+", "-", "@", "\uff1d", "\uff0b", "\uff0d", "\uff20")
"""What a spreadsheet takes for the beginning of a formula, full-width twins too."""


@dataclass(frozen=True, slots=True)
class Money:
    """An amount in a cell: minor units (None: an empty amount) and the currency's digits."""

    minor: int | None
    digits: int

    def __str__(self) -> str:
        return "" if self.minor is None else format_amount(self.minor, self.digits)


Cell = str | int | Money


class SheetBook(Protocol):
    """What a sheet is written to: a workbook or an open document."""

    def add_worksheet(self, name: str, /) -> Any: ...

    def add_format(self, properties: Any, /) -> Any: ...

    def set_properties(self, properties: Any, /) -> Any: ...

    def close(self) -> Any: ...


def harmless(text: str) -> str:
    """Text that a spreadsheet would take for a formula, marked as text."""
    runs = text.lstrip().startswith(RISKY) or text.lstrip(" ").startswith(("\t", "\r"))
    return f"'{text}" if runs else text


def as_csv(header: Sequence[str], rows: Iterable[Sequence[Cell]]) -> bytes:
    out = io.StringIO(newline="")
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(header)
    for row in rows:
        writer.writerow([harmless(cell) if isinstance(cell, str) else str(cell) for cell in row])
    return out.getvalue().encode()


def as_json(header: Sequence[str], rows: Iterable[Sequence[Cell]]) -> bytes:
    """A list of objects with the CSV's columns, amounts as text."""
    items = [
        dict(zip(header, (str(c) if isinstance(c, Money) else c for c in row), strict=True)) for row in rows
    ]
    return (json.dumps(items, ensure_ascii=False, indent=1) + "\n").encode()


def as_xlsx(header: Sequence[str], rows: Iterable[Sequence[Cell]], sheet: str = "Sheet1") -> bytes:
    """One sheet with the same columns. Text is written as text, so nothing in it runs."""
    import xlsxwriter

    out = io.BytesIO()
    options = {"in_memory": True, "strings_to_formulas": False, "strings_to_urls": False}
    _write_sheet(xlsxwriter.Workbook(out, options), header, rows, sheet)
    return out.getvalue()


def as_ods(header: Sequence[str], rows: Iterable[Sequence[Cell]], sheet: str = "Sheet1") -> bytes:
    """The same as an open document."""
    from web.shell.open_document import OpenDocument

    out = io.BytesIO()
    _write_sheet(OpenDocument(out), header, rows, sheet)
    return out.getvalue()


def _write_sheet(
    book: SheetBook,
    header: Sequence[str],
    rows: Iterable[Sequence[Cell]],
    sheet: str,
) -> None:
    book.set_properties(properties())
    page = book.add_worksheet(sheet[:31])
    formats: dict[int, Any] = {}
    page.write_row(0, 0, header, book.add_format({"bold": True, "bottom": 1}))
    page.freeze_panes(1, 0)
    for r, row in enumerate(rows, 1):
        for c, cell in enumerate(row):
            if isinstance(cell, Money):
                style = formats.setdefault(
                    cell.digits, book.add_format({"num_format": number_format(cell.digits)})
                )
                if cell.minor is not None:
                    page.write_number(r, c, cell.minor / 10**cell.digits, style)
            elif isinstance(cell, int):
                page.write_number(r, c, cell)
            else:
                page.write_string(r, c, cell)
    book.close()


def number_format(digits: int) -> str:
    return "#,##0" + (f".{'0' * digits}" if digits else "")


WRITERS = {"csv": as_csv, "json": as_json, "xlsx": as_xlsx, "ods": as_ods}
MIME = {
    "csv": "text/csv; charset=utf-8",
    "json": "application/json",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    "ods": "application/vnd.oasis.opendocument.spreadsheet",
    "pdf": "application/pdf",
    "zip": "application/zip",
    "svg": "image/svg+xml",
    "txt": "text/plain",
}


def file_name(text: str) -> str:
    """A text as a file's name: letters, digits, - and _ of any address, whatever it holds."""
    return re.sub(r"[^A-Za-z0-9_-]+", "-", text).strip("-")[:120] or "table"


def attached(name: str, kind: str, header: Sequence[str], rows: Iterable[Sequence[Cell]]) -> HttpResponse:
    """A table as a file to keep. Raises Http404 for a kind of file that there is not."""
    if kind not in WRITERS:
        raise Http404
    return download(WRITERS[kind](header, rows), name, kind)


def download(content: bytes | str, name: str, kind: str) -> HttpResponse:
    """A file to keep, of a kind that MIME knows."""
    reply = HttpResponse(content, content_type=MIME[kind])
    reply["Content-Disposition"] = f'attachment; filename="{file_name(name)}.{kind}"'
    return reply
