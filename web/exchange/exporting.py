"""Export of everything as a package: a folder, a zip, or a workbook with a sheet a table."""

from __future__ import annotations

import csv
import io
import json
import zipfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

from core.definitions.kinds import Kind
from core.definitions.parsing import write_cell
from core.definitions.state import State
from core.definitions.tables import BOOKS, DEFINING_TABLES, TABLES, Company, Table
from core.money import digits_of, format_amount
from web.definitions import snapshot
from web.exchange.workbook import write_workbook
from web.journals.taken_out import BALANCES, BUDGETS, JOURNALS, LINES, MOVED_ACCOUNTS, streamed

TYPES = {
    "flag": "boolean",
    "date": "date",
    "integer": "integer",
    "number": "number",
    "rate": "number",
    "amount": "number",
    "moment": "datetime",
}
Rows = Iterator[list[str]]


def descriptor() -> dict[str, Any]:
    """`datapackage.json`: the tables, each with its Table Schema."""
    return {
        "name": "pine-scaffold-package",
        "profile": "tabular-data-package",
        "version": "1",
        "resources": [
            {
                "name": table.name,
                "path": f"{table.name}.csv",
                "profile": "tabular-data-resource",
                "encoding": "utf-8",
                "schema": {
                    "fields": [_field(column.name, column.kind, column.must) for column in table.columns],
                    "primaryKey": list(table.row._fields[: table.keys]),
                },
            }
            for table in TABLES.values()
        ],
    }


def _field(name: str, kind: Kind, must: bool) -> dict[str, Any]:
    by_name: dict[str, Any] = {"name": name, "type": TYPES.get(kind.name, "string")}
    limits: dict[str, Any] = {"required": True} if must else {}
    if kind.choices:
        limits["enum"] = list(kind.choices)
    if kind.name == "flag":
        by_name |= {"trueValues": ["true"], "falseValues": ["false"]}
    return by_name | ({"constraints": limits} if limits else {})


def definition_rows(state: State, table: Table) -> Rows:
    def order(item: tuple[Any, Any]) -> list[tuple[bool, Any]]:
        return [(part is None, part) for part in item[0]]

    for _, row in sorted(state.table(table.name), key=order):
        yield [write_cell(value) for value in row]


def book_rows(state: State, table: Table) -> Rows:
    digits = {row.company: digits_of(row.currency) for row in state.rows(Company)}

    def journal(row: Any) -> list[str]:
        return [*map(write_cell, row[:7]), row[7].isoformat(), *row[8:]]

    def line(row: Any) -> list[str]:
        company, number, texts, amount = row[:3], row[3], row[8:13], row[6]
        places = digits_of(row[14])
        sides = (format_amount(amount, places), "") if amount >= 0 else ("", format_amount(-amount, places))
        own = "" if number == company[0] else number
        return [
            company[0],
            company[1],
            str(company[2]),
            own,
            row[4],
            row[5],
            *sides,
            row[7],
            *texts,
            write_cell(row[13]),
        ]

    def amounts(row: Any) -> list[str]:
        company = row[0] if table.name == "balances" else row[1]
        return [*map(write_cell, row[:-1]), format_amount(row[-1], digits[company])]

    queries: dict[str, tuple[str, Callable[[Any], list[str]]]] = {
        "journals": (JOURNALS, journal),
        "journal_lines": (LINES, line),
        "balances": (BALANCES, amounts),
        "budget_lines": (BUDGETS, amounts),
        "moved_accounts": (MOVED_ACCOUNTS, list),
    }
    query, row_of = queries[table.name]
    yield from map(row_of, streamed(query))


def tables(state: State) -> Iterator[tuple[Table, Rows]]:
    for table in DEFINING_TABLES:
        yield table, definition_rows(state, table)
    for table in BOOKS:
        yield table, book_rows(state, table)


def _write(out: Any, table: Table, rows: Rows) -> None:
    text = io.TextIOWrapper(out, encoding="utf-8", newline="")
    writer = csv.writer(text, lineterminator="\r\n")
    writer.writerow(table.row._fields)
    writer.writerows(rows)
    text.flush()
    text.detach()


def export_package(path: Path) -> None:
    """Writes a zip or workbook where the path ends so, else a folder. What is there is replaced only when all
    is written."""
    with snapshot.one_reading():
        _export(path)


def _export(path: Path) -> None:
    state = snapshot.current_uncached().state
    if path.suffix.lower() == ".zip":
        partial = path.with_name(path.name + ".partial")
        with zipfile.ZipFile(partial, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("datapackage.json", json.dumps(descriptor(), indent=1))
            for table, rows in tables(state):
                with archive.open(f"{table.name}.csv", "w", force_zip64=True) as out:
                    _write(out, table, rows)
        partial.replace(path)
        return
    if path.suffix.lower() == ".xlsx":
        write_workbook(path, ((table.name, table.row._fields, rows) for table, rows in tables(state)))
        return
    path.mkdir(parents=True, exist_ok=True)
    for table, rows in tables(state):
        partial = path / f".{table.name}.partial"
        with partial.open("wb") as raw:
            _write(raw, table, rows)
        partial.replace(path / f"{table.name}.csv")
    (path / "datapackage.json").write_text(json.dumps(descriptor(), indent=1) + "\n")
