"""Journals from one flat file, as they come out of a spreadsheet: a row a line, the journal's own columns
repeated."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from core.definitions.parsing import read_table
from core.definitions.state import State
from core.definitions.tables import TABLES, Company, Journal, JournalLine
from core.faults import Fault, Location, Refused
from core.journal_numbers import go_on, numbered_anew
from core.money import digits_of
from core.writing import exactly, keyed_cells
from web.exchange.reading import FileSource, SheetSource, Source, open_package
from web.journals.actions import check_all, next_number
from web.journals.queries import has_journals, posted_before
from web.shell.workbooks import UnreadableWorkbook, sheet_names

HEAD = ("journal", "date", "kind", "journal_description", "currency", "rate")
LINE = (
    "line",
    "line_company",
    "account",
    "dimensions",
    "debit",
    "credit",
    "partner",
    "description",
    "source_type",
    "source_number",
    "source_party",
    "source_item",
)
MUST = ("journal", "date", "account")
MOST_ROWS = 50_000


@dataclass
class FileJournals:
    """Journals read from a file of lines."""

    journals: list[tuple[Journal, list[JournalLine]]] = field(default_factory=list)
    rows: dict[tuple[Any, ...], int] = field(default_factory=dict)
    """Row of the file by key of a journal or a line, for the faults"""


def _source(path: Path) -> Source:
    if path.suffix == ".csv":
        return FileSource("journal_lines", path)
    package = open_package(path)
    for fault in package.faults:
        if fault.code != "table-unknown":
            raise Refused([fault])
    try:
        source = next(iter(package.sources.values()), None) or SheetSource(sheet_names(path)[0], path)
        if isinstance(source, SheetSource):
            source.plainly = True
        return source
    except (UnreadableWorkbook, IndexError) as refused:
        raise Refused(
            [
                Fault(
                    "unreadable", f"The workbook cannot be read: {refused}.", way_out="Save it as XLSX again."
                )
            ]
        ) from None


def read_journals(path: Path, company: str, currency: str) -> FileJournals:
    """Reads the file of a company that keeps its books in a currency. Raises Refused with faults by row and
    column."""
    faults: list[Fault] = []
    records = _source(path).records(faults)
    header = next(records, (1, []))[1]
    for name in header:
        if name not in HEAD and name not in LINE:
            known = ", ".join([*HEAD, *LINE])
            faults.append(
                Fault(
                    "column-unknown",
                    f"There is no column '{name}' here.",
                    Location("file", (), name, row=1),
                    f"Known are: {known}.",
                )
            )
    for name in MUST:
        if name not in header:
            what = f"The column {name} is missing."
            faults.append(Fault("column-missing", what, Location("file", (), name, row=1), "Add it."))
    rows: list[tuple[int, dict[str, str]]] = []
    for number, cells in records:
        if len(rows) >= MOST_ROWS:
            faults.append(
                Fault(
                    "too-many-rows",
                    f"A file has at most {MOST_ROWS:,} rows here.",
                    Location("file", row=number),
                    "Bring it in as a package.",
                )
            )
            break
        if any(cell.strip() for cell in cells):
            rows.append((number, dict(zip(header, cells + [""] * len(header), strict=False))))
    if faults:  # of the file as such, or of its columns
        raise Refused(faults)
    with keyed_cells(from_file=True):
        return _grouped(rows, company, currency)


def _grouped(rows: list[tuple[int, dict[str, str]]], company: str, currency: str) -> FileJournals:
    file_journals = FileJournals()
    heads: dict[str, tuple[int, list[str]]] = {}
    lines = []
    counts: dict[str, int] = {}
    for number, row in rows:
        name = row.get("journal", "").strip()
        counts[name] = counts.get(name, 0) + 1
        heads.setdefault(name, (number, [company, name, *(row.get(c, "").strip() for c in HEAD[1:])]))
        line = row.get("line", "").strip() or str(counts[name])
        digits = digits_of(row.get("currency", "").strip() or currency)
        cells = [
            exactly(row.get(c, ""), digits) if c in ("debit", "credit") else row.get(c, "").strip()
            for c in LINE[1:]
        ]
        lines.append((number, [company, name, line, *cells]))
    columns = ["company", "journal", "date", "kind", "description", "currency", "rate"]
    read = read_table(TABLES["journals"], columns, heads.values())
    read_lines = read_table(TABLES["journal_lines"], ["company", "journal", *LINE], lines)
    if read.faults or read_lines.faults:
        raise Refused([*read.faults, *read_lines.faults])
    by_journal: dict[str, list[JournalLine]] = {}
    for line in read_lines.rows.values():
        by_journal.setdefault(line.journal, []).append(line)
    file_journals.rows = {**read.numbers, **read_lines.numbers}
    file_journals.journals = [(journal, by_journal[journal.journal]) for journal in read.rows.values()]
    return file_journals


@dataclass(frozen=True)
class LookedAt:
    """Journals of a file as they would be posted: each with the number that it has there, its lines, and its
    debits (minor units of what it is keyed in). `anew`: they get numbers of the company's own series."""

    anew: bool
    numbered: list[tuple[Journal, list[JournalLine]]]
    shown: list[tuple[str, Journal, int, int, int]]
    """(number in the file, journal, its lines, debits, digits)"""

    def digest(self, path: Path) -> str:
        """Of the file and of what would come of it: what was looked at is what is posted."""
        told = repr([journal.journal for journal, _ in self.numbered])
        return hashlib.sha256(path.read_bytes() + told.encode()).hexdigest()


def look_at(state: State, company: str, journals: FileJournals, person: Any) -> LookedAt:
    """Raises Refused with every reason why they can't be posted, by the numbers of the file."""
    entries = journals.journals
    if not entries:
        raise Refused([Fault("nothing-chosen", "The file has no journals.", way_out="Give it a row a line.")])
    names = [journal.journal for journal, _ in entries]
    if posted := posted_before(company, names):
        raise Refused(
            Fault(
                "journal-taken",
                f"{was} was posted already{f', as {own}' if own != was else ''}.",
                Location("journals", (company, was), "journal", was),
                "Take it out of the file.",
            )
            for was, own in sorted(posted.items())
        )
    check_all(state, entries, person)
    following = next_number(state, company)
    anew = not go_on(names, following) and has_journals(company)
    numbered = numbered_anew(entries, following) if anew else [(head, list(lines)) for head, lines in entries]
    ready = check_all(state, numbered, person)
    shown = [
        (was, head, len(lines), sum(max(line.keyed, 0) for line in lines), _digits(state, company, head))
        for was, (head, lines) in zip(names, ready, strict=True)
    ]
    return LookedAt(anew, numbered, shown)


def _digits(state: State, company: str, head: Journal) -> int:
    return digits_of(head.currency or state.require(Company, company).currency)
