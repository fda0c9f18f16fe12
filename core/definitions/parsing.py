"""Cells of a package's tables to values and back. A fault for each cell that cannot be read; nothing is
guessed."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from datetime import UTC, date, datetime
from decimal import Decimal
from typing import Any

from core.definitions.kinds import Kind
from core.definitions.tables import TABLES, Column, Table
from core.fault_codes import FaultCode
from core.faults import Fault, Location
from core.money import AMOUNT, minor_digits
from core.writing import open_form

LONGEST_TEXT = 1_000
LONGEST_SELECTOR = 10_000
ID = re.compile(r"[A-Za-z0-9_-]{1,40}", re.ASCII)
CODE = re.compile(r"[!-~]{1,40}", re.ASCII)
DATE = re.compile(r"\d{4}-\d{2}-\d{2}", re.ASCII)
INTEGER = re.compile(r"-?\d{1,9}", re.ASCII)
NUMBER = re.compile(r"-?\d{1,12}(\.\d{1,12})?", re.ASCII)
NAMES = re.compile(r"[,;\s]+")
CONTROL = re.compile(r"[\x00-\x08\x0b\x0c\x0e-\x1f\x7f]")
LANGUAGE = re.compile(r"[a-z]{2,3}(-[A-Za-z0-9]{2,8})?", re.ASCII)
HALF = re.compile(r"[\ud800-\udfff]")
"""Halves of characters, which no UTF-8 can hold; JSON can."""


def split_names(text: str) -> list[str]:
    """Names of people parted by commas, semicolons or spaces."""
    return [name for name in NAMES.split(text) if name]


def _text(text: str, kind: Kind) -> str:
    longest = LONGEST_SELECTOR if kind.name == "selector" else LONGEST_TEXT
    if len(text) > longest:
        raise ValueError(f"The text has {len(text):,} characters; at most {longest:,} are kept.")
    if CONTROL.search(text) or HALF.search(text):
        raise ValueError("The text holds control characters.")
    return text


def _id(text: str, kind: Kind) -> str:
    if not ID.fullmatch(text):
        raise ValueError("An id has 1 to 40 characters of letters, digits, - and _.")
    return text


def _code(text: str, kind: Kind) -> str:
    if not CODE.fullmatch(text):
        raise ValueError("A code has 1 to 40 plain characters without spaces.")
    return text


def _language(text: str, kind: Kind) -> str:
    if not LANGUAGE.fullmatch(text):
        raise ValueError("A language is written like nl or pt-BR.")
    return text


def _flag(text: str, kind: Kind) -> bool:
    if text not in ("true", "false"):
        raise ValueError("A flag is true or false.")
    return text == "true"


def _date(text: str, kind: Kind) -> date:
    try:
        if DATE.fullmatch(text):
            return date.fromisoformat(text)
    except ValueError:
        pass
    raise ValueError("A date is written 2026-09-30.")


def _integer(text: str, kind: Kind) -> int:
    if not INTEGER.fullmatch(text):
        raise ValueError("A whole number of at most nine digits is expected.")
    if int(text) < kind.minimum:
        raise ValueError(f"The number must be at least {kind.minimum}.")
    return int(text)


def _number(text: str, kind: Kind) -> Decimal:
    text = open_form(text)
    if not NUMBER.fullmatch(text):
        raise ValueError("A number is written with digits and a point, at most twelve on each side.")
    value = Decimal(text)
    if kind.name == "rate" and value <= 0:
        raise ValueError("A rate is above zero.")
    return value


def _currency(text: str, kind: Kind) -> str:
    if minor_digits(text) is None:
        raise ValueError("This is not an ISO 4217 currency.")
    return text


def _choice(text: str, kind: Kind) -> str:
    if text not in kind.choices:
        raise ValueError(f"One of these is expected: {', '.join(kind.choices)}.")
    return text


def _amount(text: str, kind: Kind) -> str:
    text = str(open_form(text))
    if not AMOUNT.fullmatch(text):
        raise ValueError(
            "An amount is written with digits and a point, without thousands marks, as in 1234.50."
        )
    return text


def _moment(text: str, kind: Kind) -> str:
    try:
        moment = datetime.fromisoformat(text)
    except ValueError:
        raise ValueError("A moment is written 2026-09-30T14:05:00Z.") from None
    return (moment if moment.tzinfo else moment.replace(tzinfo=UTC)).isoformat()


READERS: dict[str, Callable[[str, Kind], Any]] = {
    "text": _text,
    "selector": _text,
    "dimensions": _text,
    "id": _id,
    "code": _code,
    "flag": _flag,
    "date": _date,
    "integer": _integer,
    "number": _number,
    "rate": _number,
    "currency": _currency,
    "choice": _choice,
    "amount": _amount,
    "moment": _moment,
    "language": _language,
}


def read_cell(column: Column, text: str) -> Any:
    """The value of a cell that isn't empty. Raises ValueError with a sentence."""
    return READERS[column.kind.name](text, column.kind)


def empty_value(column: Column) -> Any:
    """What an empty cell of a package means in a column."""
    return column.default if column.default is not None or column.kind.name not in TEXTS else ""


EMPTY_TEXT = (
    "text",
    "selector",
    "dimensions",
    "id",
    "code",
    "currency",
    "language",
    "choice",
    "amount",
    "moment",
)


def read_value(column: Column, text: str) -> Any:
    """The value of a cell that was written before; what an empty one stands for by its kind."""
    if text:
        return read_cell(column, text)
    if column.kind.name == "flag":
        return column.default
    return "" if column.kind.name in EMPTY_TEXT else None


def write_cell(value: Any) -> str:
    """A value as the package writes it."""
    if value is None:
        return ""
    if value is True:
        return "true"
    if value is False:
        return "false"
    if isinstance(value, Decimal):
        text = f"{value:f}"
        return text.rstrip("0").rstrip(".") if "." in text else text
    return str(value)


def encode_row(row: Any) -> dict[str, str] | None:
    """Cells as the package writes them, empty ones left out."""
    if row is None:
        return None
    return {name: text for name, value in row._asdict().items() if (text := write_cell(value))}


def decode_row(table: str, cells: dict[str, str] | None) -> Any:
    """The row that `encode_row` wrote, as the log and drafts keep it."""
    if cells is None:
        return None
    kind = TABLES[table]
    return kind.row(
        **{
            column.name: (
                column.default
                if column.later and column.name not in cells
                else read_value(column, cells.get(column.name, ""))
            )
            for column in kind.columns
        }
    )


@dataclass
class Read:
    """A table as read: rows by key with their row number in the file, and what could not be read."""

    table: Table
    rows: dict[tuple[Any, ...], Any] = field(default_factory=dict)
    numbers: dict[tuple[Any, ...], int] = field(default_factory=dict)
    faults: list[Fault] = field(default_factory=list)


def header_faults(table: Table, header: list[str]) -> list[Fault]:
    """What is wrong with the first row of a table: unknown, doubled or missing columns."""

    def told(code: FaultCode, what: str, column: str, way_out: str) -> Fault:
        return Fault(code, what, Location(table.name, (), column, row=1), way_out)

    rows = []
    for name, times in Counter(header).items():
        if name not in table.by_name:
            known = ", ".join(table.by_name)
            rows.append(
                told(
                    "column-unknown",
                    f"The table {table.name} has no column '{name}'.",
                    name,
                    f"Its columns are: {known}.",
                )
            )
        elif times > 1:
            rows.append(
                told("column-twice", f"The column {name} stands {times} times.", name, "Keep one of them.")
            )
    for column in table.columns:
        if column.must and column.name not in header:
            rows.append(
                told(
                    "column-missing",
                    f"The column {column.name} is missing.",
                    column.name,
                    "Add it; it must be given.",
                )
            )
    return rows


def _ragged(table: Table, header: list[str], cells: list[str], number: int) -> list[Fault]:
    """A row with more or fewer cells than there are columns; an empty one is no fault."""
    if not cells:
        return []
    what = f"The row has {len(cells)} cells and the header {len(header)}."
    return [Fault("cells", what, Location(table.name, row=number), "Quote cells that hold commas.")]


def _slots(table: Table, header: list[str]) -> tuple[list[_Cell], list[int], list[Any]]:
    """Where each cell goes, the places of columns that the file lacks, and what stands there: nothing in a
    key, else the default."""
    slots = {name: i for i, name in enumerate(table.row._fields)}
    places = [_Cell(table.by_name[name], slots[name], i) for i, name in enumerate(header)]
    absent = [slot for name, slot in slots.items() if name not in header]
    defaults = [
        "" if slot < table.keys and slot in absent else _absent(column)
        for slot, column in enumerate(table.columns)
    ]
    return places, absent, defaults


def read_table(
    table: Table,
    header: list[str],
    records: Iterable[tuple[int, list[str]]],
    known: Callable[[tuple[Any, ...]], Any] | None = None,
) -> Read:
    """Reads records (row number, cells). A column that the file lacks keeps what a known row has, else its
    default."""
    read = Read(table, faults=header_faults(table, header))
    if {problem.code for problem in read.faults} - {"column-missing"}:
        return read
    places, absent, defaults = _slots(table, header)
    for number, cells in records:
        if len(cells) != len(header):
            read.faults += _ragged(table, header, cells, number)
            continue
        values = defaults.copy()
        if _read_row(table, places, cells, number, values, read.faults):
            continue
        key = tuple(values[: table.keys])
        if key in read.rows:
            read.faults.append(_twice(table, key, read.numbers[key], number))
            continue
        if known is not None and (before := known(key)) is not None:
            for slot in absent:
                values[slot] = before[slot]
        read.rows[key] = table.row._make(values)
        read.numbers[key] = number
    return read


def _twice(table: Table, key: tuple[Any, ...], first: int, number: int) -> Fault:
    last = table.columns[table.keys - 1].name
    what = f"The key {' '.join(write_cell(part) for part in key)} stands in row {first} already."
    return Fault(
        "key-twice",
        what,
        Location(table.name, key, last, write_cell(key[-1]), number),
        "Keep one of the rows.",
    )


def _absent(column: Column) -> Any:
    """What stands in a column that the file lacks: its default, or (after a fault) something of its kind."""
    return (
        column.default
        if column.default is not None or not column.must
        else STANDING_IN.get(column.kind.name, "")
    )


class _Cell:
    """A column of a file: where its cells stand, how they are read, what an empty one means, what was read
    before."""

    __slots__ = ("column", "empty", "memo", "place", "reader", "slot")

    def __init__(self, column: Column, slot: int, place: int) -> None:
        self.column, self.slot, self.place = column, slot, place
        self.reader = READERS[column.kind.name]
        self.empty = empty_value(column)
        self.memo: dict[str, Any] | None = {} if column.kind.name in FEW_VALUES else None

    def read(self, text: str) -> Any:
        """The value of a cell that isn't empty. Raises ValueError with a sentence."""
        if self.memo is None:
            return self.reader(text, self.column.kind)
        if text not in self.memo:
            self.memo[text] = self.reader(text, self.column.kind)
        return self.memo[text]


FEW_VALUES = ("flag", "choice", "date", "currency")
"""Kinds of which a long table has few different cells: each is read once."""


def _read_row(
    table: Table, places: list[_Cell], cells: list[str], number: int, values: list[Any], faults: list[Fault]
) -> bool:
    """Puts a record's values in their slots and tells what can't be read; whether the key is not known for
    that."""
    unread = False
    for cell in places:
        text, column = cells[cell.place], cell.column
        if text == "":
            if not column.must:
                values[cell.slot] = cell.empty
                continue
            what = f"The column {column.name} must be given."
            faults.append(
                Fault("cell-empty", what, Location(table.name, (), column.name, "", number), "Fill the cell.")
            )
            values[cell.slot] = STANDING_IN.get(column.kind.name, "")
        else:
            try:
                values[cell.slot] = cell.read(text)
                continue
            except ValueError as fault:
                place = Location(table.name, (), column.name, text, number)
                faults.append(Fault("cell-unreadable", str(fault), place, "Correct the cell."))
                values[cell.slot] = STANDING_IN.get(column.kind.name, column.default or "")
        unread = unread or column.key
    return unread


TEXTS = ("text", "selector", "dimensions", "id", "code", "currency", "amount", "moment", "choice", "language")
STANDING_IN: dict[str, Any] = {
    "date": date(2000, 1, 1),
    "integer": 1,
    "number": Decimal(1),
    "rate": Decimal(1),
    "flag": False,
}
"""What stands for a cell with a fault while the rest is checked, so that all faults are told in one go."""
