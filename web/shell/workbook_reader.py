"""The child that reads a workbook: `python -m web.shell.workbook_reader PATH [--sheet NAME | --at NUMBER]`.

Prints the names of the sheets, or the rows of one, a JSON list a line; a JSON text says why it can't go on.
It bounds its
own memory and time, and looks through the cells of a sheet before it lets a reader fill rows with them.
"""

from __future__ import annotations

import argparse
import json
import re
import resource
import sys
import zipfile
from collections.abc import Iterator
from datetime import date, datetime
from decimal import Decimal
from typing import Any
from xml.parsers import expat

import python_calamine

MOST_MEMORY = 3 * 1024**3
MOST_SECONDS = 240
MOST_ROWS, MOST_COLUMNS, MOST_CELLS = 1_048_576, 500, 20_000_000
PART = re.compile(r"xl/(worksheets/[^/]+\.xml|workbook\.xml|sharedStrings\.xml|styles\.xml)")
CELL = re.compile(r"([A-Z]{1,3})([0-9]{1,7})")
STEP = 1 << 16


class TooLarge(Exception):
    """A sentence: what of a sheet is past the bounds."""


class _Scan:
    """Goes through a part of the workbook without keeping it: no document type, and how far its filled cells
    reach."""

    def __init__(self) -> None:
        self.rows = self.columns = self.cells = 0
        self.at: tuple[int, int] | None = None
        self.parser = expat.ParserCreate()
        self.parser.StartDoctypeDeclHandler = self._doctype
        self.parser.StartElementHandler = self._start

    def _doctype(self, *_: Any) -> None:
        raise TooLarge("it holds a document type, which no workbook needs")

    def _start(self, name: str, attributes: dict[str, str]) -> None:
        if name.endswith("c") and name.split(":")[-1] == "c":
            place = CELL.fullmatch(attributes.get("r", ""))
            self.at = (int(place[2]), _column(place[1])) if place else None
        elif self.at is not None and name.split(":")[-1] in ("v", "is", "f"):
            self.cells += 1
            self.rows, self.columns = max(self.rows, self.at[0]), max(self.columns, self.at[1])
            self.at = None

    def read(self, archive: zipfile.ZipFile, name: str) -> None:
        with archive.open(name) as part:
            while data := part.read(STEP):
                self.parser.Parse(data, False)
            self.parser.Parse(b"", True)
        if self.rows > MOST_ROWS or self.columns > MOST_COLUMNS or self.rows * self.columns > MOST_CELLS:
            raise TooLarge(
                f"a sheet reaches over {self.rows:,} rows and {self.columns:,} columns, though it fills"
                f" {self.cells:,} cells; at most {MOST_COLUMNS} columns and {MOST_CELLS:,} cells are read"
            )


def _column(letters: str) -> int:
    column_number = 0
    for letter in letters:
        column_number = column_number * 26 + ord(letter) - 64
    return column_number


def scan(path: str) -> None:
    """Raises TooLarge where a part is no workbook's, or reaches further than is read."""
    with zipfile.ZipFile(path) as archive:
        for name in archive.namelist():
            if PART.fullmatch(name):
                _Scan().read(archive, name)


def cell_text(cell: Any, *, plainly: bool = False) -> str:
    """A workbook's cell as the package would write it; `plainly`: of a number three decimals have a zero
    behind them, so that nobody can take the point for a thousands mark."""
    if isinstance(cell, bool):
        return "true" if cell else "false"
    if isinstance(cell, float):
        text = str(int(cell)) if cell.is_integer() else format(Decimal(repr(cell)), "f")
        return f"{text}0" if plainly and len(text.partition(".")[2]) == 3 else text
    if isinstance(cell, datetime):
        return cell.date().isoformat() if cell.time().isoformat() == "00:00:00" else cell.isoformat()
    if isinstance(cell, date):
        return cell.isoformat()
    return "" if cell is None else str(cell)


def rows(book: Any, sheet: str | None, at: int | None, *, plainly: bool) -> Iterator[list[str]]:
    """Rows from the first of the sheet on, so that each keeps its number."""
    page = book.get_sheet_by_name(sheet) if sheet is not None else book.get_sheet_by_index(at)
    for row in page.iter_rows():
        yield [cell_text(cell, plainly=plainly) for cell in row]


def main(words: list[str]) -> int:
    given = argparse.ArgumentParser()
    given.add_argument("path")
    given.add_argument("--sheet")
    given.add_argument("--at", type=int)
    given.add_argument("--plainly", action="store_true")
    asked = given.parse_args(words)
    resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
    resource.setrlimit(resource.RLIMIT_CPU, (MOST_SECONDS, MOST_SECONDS))
    out = sys.stdout
    try:
        scan(asked.path)
        book = python_calamine.CalamineWorkbook.from_path(asked.path)
        if asked.sheet is None and asked.at is None:
            out.write(json.dumps(book.sheet_names) + "\n")
        else:
            for row in rows(book, asked.sheet, asked.at, plainly=asked.plainly):
                out.write(json.dumps(row) + "\n")
    except (
        TooLarge,
        expat.ExpatError,
        zipfile.BadZipFile,
        python_calamine.CalamineError,
        OSError,
        ValueError,
        IndexError,
        EOFError,
        RuntimeError,
        NotImplementedError,
        MemoryError,
    ) as error:
        out.write(json.dumps(str(error) or type(error).__name__) + "\n")
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
