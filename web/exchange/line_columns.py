"""Journal lines of a file as columns (Arrow), for core/books/journal_batch.py.

A file that is plainly sound is read whole by Arrow's reader. Anything out of the ordinary (a stray quote, an
empty row, a
wrong count of cells, bytes that are not UTF-8) goes record by record, because there each fault gets its row
and words.
"""

from __future__ import annotations

import io
import re
import zipfile
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from pyarrow import csv as arrow_csv

from core.books.line_columns import Coded, Digits, LineColumns
from core.definitions.parsing import CONTROL, LONGEST_TEXT
from core.definitions.tables import TABLES
from web.exchange import limits
from web.exchange.reading import FileSource, ZipSource
from web.journals.posting import TEXTS

MOST_WHOLE = 1024**3
QUOTED = re.compile(rb'(?:^|(?<=[,\n]))"[^"]*(?:""[^"]*)*"(?=[,\r\n]|\Z)')
AMOUNT = r"^[0-9]+(\.[0-9]+)?$"
MOST_DIGITS = 18


def read_whole(source: Any) -> pa.Table | None:
    """All records of a sound CSV as columns of text; None where it has to be read record by record."""
    if not isinstance(source, FileSource | ZipSource) or source.size > MOST_WHOLE:
        return None
    try:
        with source.open() as raw:
            data = raw.read().removeprefix(b"\xef\xbb\xbf")
    except (OSError, EOFError, zipfile.BadZipFile, RuntimeError, NotImplementedError):
        return None
    if not _plain(data):
        return None
    header = data.split(b"\n", 1)[0].rstrip(b"\r").decode("utf-8", "replace").split(",")
    if len(set(header)) < len(header):
        return None
    try:
        table = arrow_csv.read_csv(
            io.BytesIO(data),
            arrow_csv.ReadOptions(block_size=8 * 1024**2),
            arrow_csv.ParseOptions(newlines_in_values=b'"' in data),
            arrow_csv.ConvertOptions(
                column_types=dict.fromkeys(header, pa.string()), strings_can_be_null=False
            ),
        )
    except pa.ArrowInvalid:
        return None
    longest = max((pc.max(pc.binary_length(column)).as_py() or 0 for column in table.columns), default=0)
    return table if table.num_rows < limits.MOST_ROWS and longest <= limits.LONGEST_CELL else None


def _plain(data: bytes) -> bool:
    """Whether both readers would see the same records: rows numbered alike, quotes only around whole
    cells."""
    if b"\0" in data or data.startswith((b"\n", b"\r")) or b"\n\n" in data or b"\n\r" in data:
        return False
    if data.count(b"\r") != data.count(b"\r\n"):
        return False
    if b'"' not in data:
        return True
    first_line = data.split(b"\n", 1)[0]
    return b'"' not in first_line and b'"' not in QUOTED.sub(b"", data)


def from_records(header: list[str], chunk: list[list[str]]) -> pa.Table:
    """Records of equal length as columns of text."""
    columns = zip(*chunk, strict=True)
    return pa.table({name: pa.array(cells, pa.string()) for name, cells in zip(header, columns, strict=True)})


def line_columns(table: pa.Table, rows: Any) -> tuple[LineColumns, pa.Table]:
    """Columns as the core takes them, and the free texts of each line as a table of five columns."""

    def column(name: str) -> pa.Array:
        if name not in table.column_names:
            return pa.array([""], pa.string()).take(pa.array(np.zeros(table.num_rows, dtype=np.int8)))
        result = table[name].combine_chunks()
        return result.chunk(0) if isinstance(result, pa.ChunkedArray) else result

    names = [c.name for c in TABLES["journal_lines"].columns if c.name not in ("debit", "credit", *TEXTS)]
    coded = {name: _coded(column(name)) for name in names}
    texts = pa.table({name: column(name) for name in TEXTS})
    odd = np.zeros(table.num_rows, dtype=bool)
    for name in TEXTS:
        odd |= _odd(texts[name])
    columns = LineColumns(
        coded["company"],
        coded["journal"],
        coded["line"],
        coded["line_company"],
        coded["account"],
        coded["dimensions"],
        coded["partner"],
        coded["generated"],
        _digits(column("debit")),
        _digits(column("credit")),
        odd,
        np.asarray(rows, dtype=np.int64),
    )
    return columns, texts


def _coded(column: pa.Array) -> Coded:
    coded = column.dictionary_encode()
    return Coded(
        coded.dictionary.to_pylist(),
        coded.indices.to_numpy(zero_copy_only=False).astype(np.int64),
    )


def _odd(column: pa.ChunkedArray) -> Any:
    """Texts that are too long or hold a control character (core/definitions/parsing.py says the same of a
    single
    cell)."""
    values = pc.or_(
        pc.greater(pc.utf8_length(column), LONGEST_TEXT), pc.match_substring_regex(column, CONTROL.pattern)
    )
    return values.to_numpy()


def _digits(column: pa.Array) -> Digits:
    point = pc.find_substring(column, ".")
    length = pc.binary_length(column)
    size = length.to_numpy(zero_copy_only=False).astype(np.int64)
    at = point.to_numpy(zero_copy_only=False).astype(np.int64)
    places = np.where(at < 0, 0, size - at - 1)
    sound = pc.match_substring_regex(column, AMOUNT).to_numpy(zero_copy_only=False)
    sound &= size - (at >= 0) <= MOST_DIGITS
    plain = pc.if_else(pa.array(sound), pc.replace_substring(column, ".", ""), "0")
    value = plain.cast(pa.int64()).to_numpy(zero_copy_only=False)
    return Digits(np.where(sound | (size == 0), value, -1), places)
