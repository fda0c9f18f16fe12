"""Rows from a file or the clipboard, brought to a table that a page shows."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from core.changes.fixed import Facts
from core.definitions.row_proposals import plain_rows, too_many
from core.definitions.state import State
from core.faults import Fault, Location
from core.sheets import Given, Sheet, SheetProposals, fixed_key, take

MOST = 100_000


def bring(
    state: State,
    sheet: Sheet,
    given: Given,
    records: Sequence[Sequence[str]],
    facts: Facts,
    unnamed: Sequence[str] = (),
    *,
    from_screen: bool = False,
) -> SheetProposals:
    """Rows from a file, or from a screen by the clipboard: those hold what a screen shows.

    The first row may name the columns; without that they are `unnamed`, else those shown, in order.
    """
    header, rows, first = _headed(sheet, plain_rows(records), unnamed)
    fixed = fixed_key(sheet, given)
    if faults := _shape_faults(sheet, header, rows) or _of_others(sheet, fixed, header, rows, first):
        return SheetProposals([], None, faults, [])
    keep = [i for i, name in enumerate(header) if name not in fixed and name not in sheet.worked_out]

    def kept_cell(name: str, cell: str) -> str:
        own = sheet.as_kept(state, given, name, cell) if from_screen else cell
        return sheet.spelled(state, given, name, own)

    def cells_of_row(row: Sequence[str]) -> list[str]:
        return [kept_cell(header[i], row[i] if i < len(row) else "") for i in keep]

    numbered = [(number, cells_of_row(row)) for number, row in enumerate(rows, first)]
    return take(state, sheet, given, [header[i] for i in keep], numbered, facts)


def _headed(
    sheet: Sheet, rows: list[list[str]], unnamed: Sequence[str]
) -> tuple[list[str], list[list[str]], int]:
    """The columns, the rows of values, and the number of the first of them."""
    by_title = {sheet.title_of(name).lower(): name for name in sheet.columns} | {
        name: name for name in (*sheet.columns, *sheet.kept.by_name)
    }
    header = [by_title.get(cell.lower(), cell.lower()) for cell in rows[0]] if rows else []
    if header and (header[0] in sheet.columns or {column.name for column in sheet.key} & {*header}):
        return header, rows[1:], 2
    return list(unnamed or sheet.columns)[: max(map(len, rows), default=0)], rows, 1


def _shape_faults(sheet: Sheet, header: Sequence[str], rows: Sequence[Sequence[str]]) -> list[Fault]:
    """Columns that are not here, rows that are wider than the columns, too many of them."""
    known = {*sheet.columns, *sheet.kept.by_name, *sheet.worked_out}
    unknown = [name for name in header if name not in known]
    faults = [
        Fault(
            "column-unknown",
            f"There is no column '{name}' {sheet.here}.",
            Location(sheet.table, (), name, row=1),
            f"Its columns are: {', '.join(sheet.columns)}.",
        )
        for name in unknown
    ]
    if not unknown and max(map(len, rows), default=0) > len(header):
        what = f"A row has more cells than there are columns ({len(header)})."
        faults.append(Fault("cells", what, Location(sheet.table), f"The columns are: {', '.join(header)}."))
    return faults + too_many(rows, MOST, sheet.table)


def _of_others(
    sheet: Sheet, fixed: Mapping[str, str], header: Sequence[str], rows: Sequence[Sequence[str]], first: int
) -> list[Fault]:
    """Rows that name another chart, list or calendar than the page that they are brought to."""
    at = [(i, name) for i, name in enumerate(header) if name in fixed]
    return [
        Fault(
            "reference",
            f"The row is of {row[i]}, and this is {fixed[name]}.",
            Location(sheet.table, (), name, row[i], number),
            f"Bring it in there, or take the column {name} out.",
        )
        for number, row in enumerate(rows, first)
        for i, name in at
        if i < len(row) and row[i] and row[i] != fixed[name]
    ]
