"""Rows of a code list from a file or the clipboard, each compared with what is there before anything is
taken."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

from core.changes.fixed import Facts
from core.changes.kinds import check, settled
from core.changes.of_codes import BringCodes
from core.codes.hierarchies import main_tree
from core.codes.listing import columns, properties, value_fault, values
from core.codes.lists import list_index, pad
from core.definitions.parsing import read_table, write_cell
from core.definitions.state import State
from core.definitions.tables import TABLES, Code, CodeList, CodeProperty
from core.faults import Fault, Location, blocking

NEW, CHANGED, SAME, FAULT = "new", "changed", "same", "fault"
MOST = 100_000


@dataclass
class RowProposal:
    """One row: what it would do, and each cell that would change as (column, was, now)."""

    number: int
    code: str
    name: str
    kind: str
    differences: list[tuple[str, str, str]] = field(default_factory=list)
    faults: list[Fault] = field(default_factory=list)


@dataclass
class CodeProposals:
    """All rows with the change that takes those that differ; `change` only where there is no fault."""

    rows: list[RowProposal]
    change: BringCodes | None
    faults: list[Fault]

    def count(self, kind: str) -> int:
        return sum(row.kind == kind for row in self.rows)


def read(
    state: State, code_list: str, records: Sequence[Sequence[str]], shown: Sequence[str], facts: Facts
) -> CodeProposals:
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
        return CodeProposals(
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
    if len(rows) > MOST:
        return CodeProposals(
            [], None, [Fault("too-many-rows", f"At most {MOST:,} rows are taken at once.", Location("codes"))]
        )
    numbered = [
        (number, record + [""] * (len(header) - len(record))) for number, record in enumerate(rows, first)
    ]
    return _compared(state, code_list, header, numbered, facts)


def plain_rows(records: Iterable[Sequence[str]]) -> list[list[str]]:
    """Records without empty ones, each cell as a person means it."""
    return [[_plain(cell) for cell in record] for record in records if any(cell.strip() for cell in record)]


def _plain(cell: str) -> str:
    """A cell without the mark that keeps a spreadsheet from running it."""
    cell = cell.strip()
    return cell[1:] if cell.startswith("'") and cell[1:2] in ("=", "+", "-", "@") else cell


def _compared(
    state: State, code_list: str, header: list[str], records: list[tuple[int, list[str]]], facts: Facts
) -> CodeProposals:
    table, rule = TABLES["codes"], state.get(CodeList, code_list)
    own = [i for i, name in enumerate(header) if name in table.by_name and name != "use"]
    more = {name: i for i, name in enumerate(header) if name not in table.by_name}
    at = header.index("code")

    def record(cells: list[str]) -> list[str]:
        return [code_list, *(pad(rule, cells[i]) if i == at and rule else cells[i] for i in own)]

    known = read_table(
        table,
        ["code_list", *(header[i] for i in own)],
        ((n, record(c)) for n, c in records),
        lambda key: state.get(Code, *key),
    )
    cells = dict(records)
    by_row: dict[int, list[Fault]] = {}
    for fault in known.faults:
        by_row.setdefault(fault.where.row or 0, []).append(fault)
    names = {row.property: row for row in properties(state, code_list)}
    parents: list[str | None] = []
    extras: list[CodeProperty] = []
    for key, row in known.rows.items():
        number = known.numbers[key]
        parents.append(cells[number][more["under"]] or None if "under" in more else None)
        for name, i in more.items():
            if name in names:
                extras.append(CodeProperty(code_list, row.code, name, cells[number][i]))
                if cell_fault := value_fault(names[name], cells[number][i]):
                    by_row.setdefault(number, []).append(
                        Fault(
                            "cell-unreadable",
                            cell_fault,
                            Location("codes", key, name, cells[number][i], number),
                        )
                    )
    change = BringCodes(tuple(settled(row) for row in known.rows.values()), tuple(parents), tuple(extras))
    numbers = known.numbers
    for fault in blocking(check(state, change, facts)):
        number = numbers.get(
            (
                fault.where.key[:2]
                if fault.where.table != "hierarchy_nodes"
                else (code_list, fault.where.key[1])
            ),
            0,
        )
        by_row.setdefault(number, []).append(fault.at(row=number or None))
    of_code: dict[str, list[CodeProperty]] = {}
    for value in extras:
        of_code.setdefault(value.code, []).append(value)
    rows = [
        _proposal(state, row, parent, number, by_row.pop(number, []), of_code.get(row.code, ()))
        for (row, parent), number in zip(
            zip(change.rows, parents, strict=True), known.numbers.values(), strict=True
        )
    ]
    rows += [
        RowProposal(n, cells[n][at] if n in cells else "", "", FAULT, [], faults)
        for n, faults in by_row.items()
    ]
    rows.sort(key=lambda row: row.number)
    clean = not any(row.kind == FAULT for row in rows)
    return CodeProposals(rows, change if clean else None, [fault for row in rows for fault in row.faults])


def _proposal(
    state: State,
    row: Code,
    parent: str | None,
    number: int,
    faults: list[Fault],
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
    kind = FAULT if faults else NEW if old is None else CHANGED if differences else SAME
    return RowProposal(number, row.code, row.name, kind, differences, faults)


def header_of(shown: Sequence[str]) -> list[str]:
    """The columns of a file of what is seen, so that it comes back in."""
    return ["code", "name", *(name for name in shown if name != "use")]
