"""Rows of a code list from a file or the clipboard, each compared with what is there before anything is
taken."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from core.changes.fixed import Facts
from core.changes.kinds import check, settled
from core.changes.of_codes import BringCodes
from core.codes.columns import columns, properties, value_fault, values
from core.codes.hierarchies import main_tree
from core.codes.lists import list_index, pad
from core.definitions.parsing import read_table, write_cell
from core.definitions.row_proposals import (
    CHANGED,
    NEW,
    SAME,
    Proposals,
    RowProposal,
    plain_rows,
    too_many,
    with_faults,
)
from core.definitions.state import State
from core.definitions.tables import TABLES, Code, CodeList, CodeProperty
from core.faults import Fault, Location, blocking

MOST = 100_000


def read(
    state: State, code_list: str, records: Sequence[Sequence[str]], shown: Sequence[str], facts: Facts
) -> Proposals:
    """Compares rows with the list. The first row may be a header; without one the columns are code, name and
    those shown."""
    rows = plain_rows(records)
    header = [name.strip().lower() for name in rows[0]] if rows else []
    first = 1
    if "code" in header:
        rows, first = rows[1:], 2
    else:
        header = ["code", "name", *(name for name in shown if name != "use")][
            : max(map(len, rows), default=0)
        ]
    known = {*TABLES["codes"].by_name, *columns(state, code_list)} - {"code_list"}
    unknown = [name for name in header if name not in known]
    if unknown:
        return Proposals(
            [],
            None,
            [
                Fault(
                    "column-unknown",
                    f"There is no column '{name}' in this list.",
                    Location("codes", (), name, row=1),
                    f"Its columns are: {', '.join(sorted(known))}.",
                )
                for name in unknown
            ],
        )
    if faults := too_many(rows, MOST, "codes"):
        return Proposals([], None, faults)
    numbered = [
        (number, record + [""] * (len(header) - len(record))) for number, record in enumerate(rows, first)
    ]
    return _compared(state, code_list, header, numbered, facts)


def _compared(
    state: State, code_list: str, header: list[str], records: list[tuple[int, list[str]]], facts: Facts
) -> Proposals:
    return _Comparison(state, code_list, header, dict(records)).proposals(facts)


class _Comparison:
    """Records of a file beside the codes that are there; faults are gathered by the row of the file."""

    def __init__(self, state: State, code_list: str, header: list[str], cells: dict[int, list[str]]) -> None:
        self.state, self.code_list, self.cells = state, code_list, cells
        table = TABLES["codes"]
        self.own = {name: i for i, name in enumerate(header) if name in table.by_name and name != "use"}
        self.more = {name: i for i, name in enumerate(header) if name not in table.by_name}
        self.at = header.index("code")
        self.faults: dict[int, list[Fault]] = {}
        self.read = read_table(
            table,
            ["code_list", *self.own],
            ((number, self._record(record)) for number, record in cells.items()),
            lambda key: state.get(Code, *key),
        )

    def _record(self, record: list[str]) -> list[str]:
        rule = self.state.get(CodeList, self.code_list)
        return [
            self.code_list,
            *(pad(rule, record[i]) if i == self.at and rule else record[i] for i in self.own.values()),
        ]

    def _tell(self, number: int, fault: Fault) -> None:
        row = self.faults.setdefault(number, [])
        if all(other.what != fault.what for other in row):  # what a cell says, the whole change says too
            row.append(fault)

    def _values(self) -> dict[str, list[CodeProperty]]:
        """Values of the list's own properties by code, each read as its property asks."""
        names = {row.property: row for row in properties(self.state, self.code_list)}
        found: dict[str, list[CodeProperty]] = {}
        for key, row in self.read.rows.items():
            number = self.read.numbers[key]
            for name, i in self.more.items():
                if name not in names:
                    continue
                cell = self.cells[number][i]
                found.setdefault(row.code, []).append(CodeProperty(self.code_list, row.code, name, cell))
                if what := value_fault(names[name], cell):
                    self._tell(
                        number,
                        Fault("cell-unreadable", what, Location("codes", key, name, cell, number)),
                    )
        return found

    def _parents(self) -> list[str | None]:
        """The rollup code given in each record; None where it gives none."""
        if "under" not in self.more:
            return [None] * len(self.read.rows)
        return [self.cells[number][self.more["under"]] or None for number in self.read.numbers.values()]

    def _judge(self, change: BringCodes, facts: Facts) -> None:
        """Adds the faults of the whole change to those of its rows."""
        for fault in blocking(check(self.state, change, facts)):
            place = fault.where
            of_tree = place.table == "hierarchy_nodes"
            key = (self.code_list, place.key[1]) if of_tree else place.key[:2]
            number = self.read.numbers.get(key, 0)
            self._tell(number, fault.at(row=number or None))

    def proposals(self, facts: Facts) -> Proposals:
        for fault in self.read.faults:
            self._tell(fault.where.row or 0, fault)
        of_code, parents = self._values(), self._parents()
        extras = tuple(value for values_of_code in of_code.values() for value in values_of_code)
        change = BringCodes(tuple(map(settled, self.read.rows.values())), tuple(parents), extras)
        self._judge(change, facts)
        rows = [
            _proposal(self.state, row, parent, number, of_code.get(row.code, ()))
            for row, parent, number in zip(change.rows, parents, self.read.numbers.values(), strict=True)
        ]
        faults = with_faults(rows, self.faults)
        for row in rows:  # one that couldn't be read is known by what it says of its code
            row.code = row.code or (self.cells[row.number][self.at] if row.number in self.cells else "")
        return Proposals(rows, None if faults else change, faults)


def _proposal(
    state: State,
    row: Code,
    parent: str | None,
    number: int,
    extras: Iterable[CodeProperty],
) -> RowProposal:
    old = list_index(state, row.code_list).codes.get(row.code)
    differences = []
    for name in row._fields[2:]:
        was, now = (write_cell(getattr(old, name)) if old else ""), write_cell(getattr(row, name))
        if old is not None and was != now:
            differences.append((name, was, now))
    if parent is not None and old is not None:
        main = main_tree(state, row.code_list)
        was = main.parent.get(row.code, "") if main else ""
        if was != parent:
            differences.append(("under", was, parent))
    own_values = values(state, row.code_list).get(row.code, {})
    differences += [
        (value.property, own_values.get(value.property, ""), value.value)
        for value in extras
        if old is not None and own_values.get(value.property, "") != value.value
    ]
    kind = NEW if old is None else CHANGED if differences else SAME
    return RowProposal(number, row.code, row.name, kind, differences)


def header_of(shown: Sequence[str]) -> list[str]:
    """The columns of a file of what is seen, so that it comes back in."""
    return ["code", "name", *(name for name in shown if name != "use")]
