"""Tables of definitions as a person edits them: rows of one table, with what other tables keep beside each
row.

Everything is cells of text, written as the package writes them; a row keyed in, pasted or brought in from a
file is read
in the same way and told the same faults.
"""

from __future__ import annotations

from collections.abc import Callable, Container, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

from core.changes.fixed import Facts
from core.changes.kinds import Add, Change, ChangeSequence, ChangeSet, Delete, Put, check, refusals
from core.checks.cells import check as cell_faults
from core.definitions.kinds import Kind
from core.definitions.nouns import named
from core.definitions.parsing import Read, read_table, write_cell
from core.definitions.row_proposals import (
    CHANGED,
    NEW,
    SAME,
    Proposals,
    RowProposal,
    with_faults,
)
from core.definitions.state import State
from core.definitions.tables import TABLES, Column, Table
from core.faults import Fault, Location, blocking
from core.writing import Exact, keyed_cells, shown

Given = Mapping[str, str]
Cells = dict[str, str]


def _no_changes(state: State, given: Given, row: Any, cells: Cells) -> list[Change]:
    return []


def _readable(state: State, given: Given, cells: Cells) -> Iterable[tuple[str, str]]:
    return ()


def _anywhere(state: State, given: Given, where: Location) -> tuple[tuple[Any, ...], str] | None:
    return None


@dataclass(frozen=True)
class CompanionColumns:
    """Columns that other tables keep for a row.

    `cells` reads them. `changes` says what puts them there, and raises ValueError with a sentence where they
    can't be read; where a sheet joins its rows by itself, `unreadable` says so of each cell.
    `cell_of` finds the row and column that a fault of one of those tables is about. An empty cell of one of
    `unless_empty` leaves what is there.
    """

    columns: tuple[Column, ...]
    cells: Callable[[State, Given, Any], Cells]
    changes: Callable[[State, Given, Any, Cells], list[Change]] = _no_changes
    unreadable: Callable[[State, Given, Cells], Iterable[tuple[str, str]]] = _readable
    cell_of: Callable[[State, Given, Location], tuple[tuple[Any, ...], str] | None] = _anywhere
    unless_empty: tuple[str, ...] = ()

    @cached_property
    def names(self) -> frozenset[str]:
        return frozenset(column.name for column in self.columns)


def text_column(name: str, kind: str = "text") -> Column:
    return Column(name, Kind(kind), False, False, None)


def _nothing(state: State, given: Given, near: Any) -> dict[str, Any]:
    return {}


def _none(state: State, given: Given) -> list[Any]:
    return []


def _as_read(row: Any) -> Any:
    return row


def _as_written(state: State, given: Given, column: str, cell: str) -> str:
    return cell


def _nothing_more(state: State, old: Any, row: Any) -> list[Change]:
    return []


def _one_order(state: State, given: Given) -> str:
    return ""


@dataclass(frozen=True)
class Sheet:
    """Which rows of a table, by what the page gives (`given`: names of key columns and context), and which
    columns.

    `proposed` fills a new row after a selected one; `missing` are rows that are wanted and not there yet.
    A `register` is the table of the heads of a kind (charts, calendars, groups), whole, and has a place among
    its like.
    One that `adds` nothing shows further columns of rows that another sheet adds.
    `as_shown` writes a cell as screens show it, `as_kept` one that was keyed or pasted there as the table
    keeps it; files hold what is kept. `orders` says so where the two differ.
    `spelled` writes a cell of either as the table keeps it; `worked_out` columns may stand in a file and say
    nothing;
    `settled` puts right what a row says of itself by default;
    `joined` makes one change of all rows, each with its companion cells, where one a row would take long;
    `brings` what else changes with a row that a person keys over one that was there (old, new).
    """

    name: str
    table: str
    title: str
    noun: str
    columns: tuple[str, ...]
    given: tuple[str, ...] = ()
    beside: CompanionColumns | None = None
    titles: Mapping[str, str] = field(default_factory=dict)
    proposed: Callable[[State, Given, Any], dict[str, Any]] = _nothing
    missing: Callable[[State, Given], list[Any]] = _none
    order: Callable[[Any], Any] | None = None
    drop: Callable[[Any], Change] = Delete
    empty: str = "Nothing here yet."
    register: bool = False
    adds: bool = True
    here: str = "here"
    spelled: Callable[[State, Given, str, str], str] = _as_written
    as_shown: Callable[[State, Given, str, str], str] = _as_written
    as_kept: Callable[[State, Given, str, str], str] = _as_written
    orders: Callable[[State, Given], str] = _one_order
    worked_out: tuple[str, ...] = ()
    settled: Callable[[Any], Any] = _as_read
    joined: Callable[[State, Given, Sequence[tuple[Any, Cells]]], Change] | None = None
    brings: Callable[[State, Any, Any], list[Change]] = _nothing_more

    @property
    def kept(self) -> Table:
        return TABLES[self.table]

    @cached_property
    def shown(self) -> tuple[Column, ...]:
        """The columns in the order in which they stand."""
        known = {
            **self.kept.by_name,
            **{column.name: column for column in (self.beside.columns if self.beside else ())},
        }
        return tuple(known[name] for name in self.columns)

    @cached_property
    def key(self) -> tuple[Column, ...]:
        """The key columns that the page doesn't give; they name a row among the others."""
        return tuple(column for column in self.kept.columns if column.key and column.name not in self.given)

    @property
    def beside_names(self) -> list[str]:
        """Names of the columns that other tables keep."""
        return [column.name for column in self.beside.columns] if self.beside else []

    def title_of(self, column: str) -> str:
        return self.titles.get(column) or column.replace("_", " ").capitalize()

    def key_text(self, row: Any) -> str:
        return " ".join(write_cell(getattr(row, column.name)) for column in self.key)

    def __hash__(self) -> int:
        return hash(self.name)


def fixed_key(sheet: Sheet, given: Given) -> dict[str, str]:
    """The key columns that the page gives."""
    return {
        column.name: given[column.name]
        for column in sheet.kept.columns
        if column.key and column.name in sheet.given
    }


def rows_of(state: State, sheet: Sheet, given: Given, among: Iterable[Any] | None = None) -> list[Any]:
    """The rows in order, then those that are wanted and missing."""
    fixed = fixed_key(sheet, given)
    first = sheet.kept.columns[0].name
    if among is None:
        part = state.part(sheet.kept.row, fixed[first]) if first in fixed and sheet.kept.keys > 1 else None
        among = part.values() if part is not None else state.rows(sheet.kept.row)
    rows = [row for row in among if all(getattr(row, name) == value for name, value in fixed.items())]
    return sorted(rows, key=sheet.order or (lambda row: _placed(sheet, row)))


def in_order_of(
    state: State, sheet: Sheet, given: Given, rows: list[Any], column: str, down: bool
) -> list[Any]:
    """Rows by what stands in one column, those with nothing there last; otherwise as they stood."""
    columns = sheet.kept.by_name

    def value(row: Any) -> Any:
        if column in columns:
            own = getattr(row, column)
            return own.lower() if isinstance(own, str) else own
        return cells_of(state, sheet, given, row)[column].lower()

    filled = [(value(row), row) for row in rows]
    some = sorted(
        (pair for pair in filled if pair[0] not in ("", None)), key=lambda pair: pair[0], reverse=down
    )
    return [row for _, row in some] + [row for known, row in filled if known in ("", None)]


def _placed(sheet: Sheet, row: Any) -> tuple[Any, ...]:
    position = getattr(row, "position", None)
    return (position is None, position or 0, *(getattr(row, column.name) for column in sheet.key))


def cells_of(state: State, sheet: Sheet, given: Given, row: Any) -> Cells:
    beside = sheet.beside.cells(state, given, row) if sheet.beside else {}
    return {
        column.name: beside[column.name] if column.name in beside else write_cell(getattr(row, column.name))
        for column in sheet.shown
    }


def find(sheet: Sheet, rows: Iterable[Any], key: str) -> Any:
    """The row that a key text names, or None."""
    return next((row for row in rows if sheet.key_text(row) == key), None)


def blank(state: State, sheet: Sheet, given: Given, near: Any = None, key: str = "") -> Any:
    """A row that is not there yet: what the page gives, what is proposed after a selected row, defaults."""
    values: dict[str, Any] = {column.name: column.default for column in sheet.kept.columns}
    values |= {
        c.name: ""
        for c in sheet.kept.columns
        if c.default is None and c.kind.name not in ("integer", "date", "number", "rate")
    }
    values |= fixed_key(sheet, given) | sheet.proposed(state, given, near)
    wanted = next((row for row in sheet.missing(state, given) if key and sheet.key_text(row) == key), None)
    return wanted if wanted is not None else sheet.kept.row(**values)


@dataclass
class SheetProposals(Proposals):
    """What records come to: a proposal a record, and the keys of the rows that they name."""

    keys: list[str] = field(default_factory=list)


def take(
    state: State,
    sheet: Sheet,
    given: Given,
    header: Sequence[str],
    records: Sequence[tuple[int, Sequence[str]]],
    facts: Facts,
    known: Any = None,
    keyed: bool = False,
) -> SheetProposals:
    """Reads records of cells, compares each with the row it names (or with `known`, a row being edited) and
    checks all of it.

    `keyed`: the record is one row that a person keys, so a row of its key that is another one is never
    written over.
    """
    fixed = fixed_key(sheet, given)

    def before(key: tuple[Any, ...]) -> Any:
        return known if known is not None or keyed else state.get(sheet.kept.row, *key)

    records = [(number, _as_known(state, sheet, given, header, cells, known)) for number, cells in records]
    with keyed_cells(from_file=not keyed):
        read = _read(sheet, fixed, header, records, before)
    lacking, faults = _unread(read.faults)
    cells_of_record, changes, proposals = dict(records), list[Change](), list[RowProposal]()
    pairs: list[tuple[Any, Cells]] = []
    left_out = set[str]()
    for key, row_read in read.rows.items():
        number, old, row = read.numbers[key], before(key), sheet.settled(row_read)
        extra = _companion_cells(sheet, header, cells_of_record[number])
        adds = keyed and (known is None or sheet.kept.key(known) != key)
        row_changes, unreadable = _changes(state, sheet, given, row, old, extra, adds)
        if number in faults and any(cell_faults([row])):  # the others are judged without it
            left_out |= set(map(str, key))
        else:
            pairs.append((row, extra))
            changes += row_changes
        if old is None:  # a column that must be given may be missing only where the rows are known
            unreadable += [problem.at(key=key) for problem in lacking]
        faults.setdefault(number, []).extend(problem.at(row=number) for problem in unreadable)
        proposals.append(_proposal(state, sheet, given, number, row, old, extra))
    changes += _brought_along(state, sheet, known, pairs)
    change = sheet.joined(state, given, pairs) if sheet.joined else _joined(state, sheet, len(pairs), changes)
    _check(state, sheet, given, change, facts, read.numbers, faults, left_out)
    every = with_faults(proposals, faults)
    _name_unread(sheet, header, cells_of_record, proposals)
    keys = [sheet.key_text(row) for row in read.rows.values()]
    return SheetProposals(proposals, None if every else change, every, keys)


def _companion_cells(sheet: Sheet, header: Sequence[str], cells: Sequence[str]) -> Cells:
    """What a record gives for columns that other tables keep."""
    beside = sheet.beside
    if beside is None:
        return {}
    given = {name: cells[i].strip() for i, name in enumerate(header) if name in beside.names}
    return {name: cell for name, cell in given.items() if cell or name not in beside.unless_empty}


def _name_unread(
    sheet: Sheet,
    header: Sequence[str],
    cells: Mapping[int, Sequence[str]],
    proposals: Iterable[RowProposal],
) -> None:
    """A row that couldn't be read is known by what it says in its key's columns."""
    at = [header.index(column.name) for column in sheet.key if column.name in header]
    for proposal in proposals:
        if not proposal.code and proposal.number in cells:
            proposal.code = " ".join(cells[proposal.number][i] for i in at)


NUMBERS = ("number", "rate", "amount")
"""Kinds of cells that each person reads and keys in a way of writing of their own."""


def shown_cells(state: State, sheet: Sheet, given: Given, cells: Cells) -> Cells:
    """A row's cells as screens show them to whoever looks."""
    kinds = {column.name: column.kind.name for column in sheet.shown}
    return {
        name: shown(text) if kinds.get(name) in NUMBERS else sheet.as_shown(state, given, name, text)
        for name, text in cells.items()
    }


def kept_cells(state: State, sheet: Sheet, given: Given, cells: Cells, known: Any) -> Cells:
    """Cells of a row that was keyed on a screen as the table keeps them, one that was left alone exactly;
    numbers are read where they are checked."""
    was = cells_of(state, sheet, given, known) if known is not None else {}
    seen = {name: sheet.as_shown(state, given, name, text) for name, text in was.items()}
    return {
        name: was[name]
        if name in was and text == seen[name] and text != was[name]
        else sheet.as_kept(state, given, name, text)
        for name, text in cells.items()
    }


def _as_known(
    state: State, sheet: Sheet, given: Given, header: Sequence[str], cells: Sequence[str], known: Any
) -> list[str]:
    """A record's cells, those of numbers that stand as they were shown of a row being edited taken for
    unchanged."""
    if known is None:
        return list(cells)
    was = cells_of(state, sheet, given, known)
    seen = shown_cells(state, sheet, given, was)
    kinds = {column.name: column.kind.name for column in sheet.shown}
    return [
        Exact(was[name]) if kinds.get(name) in NUMBERS and cell in (seen.get(name), was.get(name)) else cell
        for name, cell in zip(header, cells, strict=False)
    ] + list(cells[len(header) :])


def _read(
    sheet: Sheet,
    fixed: Mapping[str, str],
    header: Sequence[str],
    records: Sequence[tuple[int, Sequence[str]]],
    before: Callable[[tuple[Any, ...]], Any],
) -> Read:
    """The sheet's own columns of each record, with the key that the page gives."""
    own = [(i, name) for i, name in enumerate(header) if name not in sheet.beside_names]
    return read_table(
        sheet.kept,
        [*fixed, *(name for _, name in own)],
        ((number, [*fixed.values(), *(cells[i] for i, _ in own)]) for number, cells in records),
        before,
    )


def _unread(faults: Iterable[Fault]) -> tuple[list[Fault], dict[int, list[Fault]]]:
    """Columns that are missing, and the other faults of reading by row."""
    lacking: list[Fault] = []
    by_row: dict[int, list[Fault]] = {}
    for fault in faults:
        if fault.code == "column-missing":
            lacking.append(fault)
        else:
            by_row.setdefault(fault.where.row or 0, []).append(fault)
    return lacking, by_row


def _brought_along(
    state: State, sheet: Sheet, known: Any, pairs: Sequence[tuple[Any, Cells]]
) -> list[Change]:
    """What else changes with a row that is edited."""
    return [change for row, _ in pairs for change in sheet.brings(state, known, row)] if known else []


def _changes(
    state: State, sheet: Sheet, given: Given, row: Any, old: Any, extra: Cells, adds: bool
) -> tuple[list[Change], list[Fault]]:
    """What puts a row there, with what is kept beside it. A row whose key changes is a new one in the place
    of the old. Where the sheet joins rows by itself, only what can't be read."""
    if sheet.joined:
        key = sheet.kept.key(row)
        wrong = sheet.beside.unreadable(state, given, extra) if sheet.beside else ()
        return [], [
            Fault("cell-unreadable", what, Location(sheet.table, key, column, extra[column]))
            for column, what in wrong
        ]
    changes: list[Change] = (
        [] if old is None or sheet.kept.key(old) == sheet.kept.key(row) else [sheet.drop(old)]
    )
    changes.append(Add(row) if adds else Put(row))
    if sheet.beside is None:
        return changes, []
    cells = sheet.beside.cells(state, given, old) if old is not None else {}
    try:
        return [*changes, *sheet.beside.changes(state, given, row, {**cells, **extra})], []
    except ValueError as refused:
        column = next(iter(extra), "")
        place = Location(sheet.table, sheet.kept.key(row), column, extra.get(column, ""))
        return changes, [Fault("cell-unreadable", str(refused), place, "Correct the cell.")]


def _joined(state: State, sheet: Sheet, rows: int, changes: list[Change]) -> Change:
    if rows != 1:
        return ChangeSet(tuple(changes), f"Brought in {rows:,} rows of {sheet.table}")
    useful = [change for change in changes if change.edits(state) or any(refusals(state, change))]
    return useful[0] if len(useful) == 1 else ChangeSequence(tuple(useful))


def _check(
    state: State,
    sheet: Sheet,
    given: Given,
    change: Change,
    facts: Facts,
    numbers: Mapping[Any, int],
    faults: dict[int, list[Fault]],
    left_out: Container[str],
) -> None:
    """Adds the faults of the whole change to those of its rows, each at its cell; a cell that can't be read
    is told once, and what only names a row that was `left_out` isn't told beside it."""
    only = next(iter(numbers.values())) if len(numbers) == 1 else 0
    beside = sheet.beside_names
    for problem in blocking(check(state, change, facts)):
        if problem.where.value in left_out:
            continue
        number = numbers.get(problem.where.key[: sheet.kept.keys], only)
        column = problem.where.column
        if sheet.beside and (cell := sheet.beside.cell_of(state, given, problem.where)):
            number, column = numbers.get(cell[0], only), cell[1]
        elif problem.where.table != sheet.table and column not in beside:
            column = next(iter(beside), column)
        if not any(other.where.column == column for other in faults.get(number, ())):
            faults.setdefault(number, []).append(problem.at(row=number or None, column=column))


def _proposal(
    state: State, sheet: Sheet, given: Given, number: int, row: Any, old: Any, extra: Cells
) -> RowProposal:
    was = cells_of(state, sheet, given, old) if old is not None else {}
    now = {name: write_cell(getattr(row, name)) for name in sheet.kept.row._fields} | extra
    differences = [(name, was[name], now[name]) for name in was if name in now and was[name] != now[name]]
    kind = NEW if old is None else CHANGED if differences else SAME
    label = str(getattr(row, "name", "") or getattr(row, "label", "") or "")
    return RowProposal(number, sheet.key_text(row), label, kind, differences)


def place_after(taken: Iterable[int], near: Any) -> int:
    """The position of a new row: after the selected one where there is room, else at the end, in steps of
    ten."""
    positions = sorted(taken)
    if near is not None:
        following = next((position for position in positions if position > near.position), near.position + 20)
        between = int(near.position + following) // 2
        if near.position < between < following:
            return between
    return (positions[-1] // 10 + 1) * 10 if positions else 10


def moved(state: State, sheet: Sheet, given: Given, row: Any, step: int) -> Change | None:
    """The change that swaps a row's position with that of its neighbour; None where there is none."""
    rows = rows_of(state, sheet, given)
    at = rows.index(row) + step
    if "position" not in sheet.kept.by_name or not 0 <= at < len(rows):
        return None
    other = rows[at]
    way = "up" if step < 0 else "down"
    if row.position == other.position:
        return ChangeSet((Put(row._replace(position=other.position + step)),), f"Moved {named(row)} {way}")
    swapped = (Put(row._replace(position=other.position)), Put(other._replace(position=row.position)))
    return ChangeSet(swapped, f"Moved {named(row)} {way}")
