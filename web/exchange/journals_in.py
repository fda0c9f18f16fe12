"""Journals of a package: checked in arrays where they are plain, one by one where not; then written in one
go."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import islice
from typing import Any

import numpy as np
import psycopg
import pyarrow as pa

from core.books.journal_batch import Accepted, Batch, JournalHeader, head_of
from core.books.journals import BookedLine, PostingContext, check_journal
from core.definitions.parsing import header_faults, read_table
from core.definitions.state import State
from core.definitions.tables import TABLES, Company, JournalLine
from core.faults import Fault, Location
from web.definitions.deciding import Moved
from web.exchange import limits
from web.exchange.line_columns import from_records, line_columns, read_whole
from web.journals import posting
from web.journals.chain import ends, lock_numbers
from web.journals.posting import Lines, Numbering, merged
from web.journals.stored import numbers_of, stored_journals, stored_lines

CHUNK = 50_000
FOLLOWS = ("amount-none", "unbalanced", "too-few-lines")
"""What only follows from a line that could not be read, or stands twice, and is not told beside it."""
RULES = PostingContext()


class JournalImport:
    """Journals and their lines from the tables of a package, against a state of the definitions."""

    def __init__(self, state: State, sources: dict[str, Any], faults: list[Fault], progress: Any) -> None:
        self.state, self.faults, self.progress = state, faults, progress
        self.head_source = sources.get("journals")
        self.line_source = sources.get("journal_lines")
        self.heads: list[JournalHeader] = []
        self.rows: list[int] = []
        self.known: dict[tuple[str, str], int] = {}
        self.companies = {
            name: i + 1 for i, name in enumerate(sorted(row.company for row in state.rows(Company)))
        }
        self.checked: dict[int, tuple[BookedLine, ...]] = {}
        self.accepted: Accepted | None = None
        self.batch: Batch | None = None
        self.numbers: dict[tuple[Any, ...], int] = {}
        self.unread: set[tuple[Any, ...]] = set()
        self.texts: list[pa.Table] = []

    def check(self) -> None:
        if self.head_source is None and self.line_source is None:
            return
        self._read_heads()
        self._find_known()
        self._history_faults()
        batch = self.batch = Batch(self.state, self.heads, self.companies)
        if not self._feed(batch):
            return
        accepted = self.accepted = batch.finish(RULES)
        for row in batch.unknown_rows[: limits.MOST_FAULTS]:
            self.faults.append(
                Fault(
                    "journal-unknown",
                    "The line belongs to a journal that is not in the table journals.",
                    Location("journal_lines", (), "journal", "", row),
                    "Add the journal or correct its id.",
                )
            )
        for journal, line, row in accepted.twice[: limits.MOST_FAULTS]:
            journal_row = self.heads[journal].journal
            key = (journal_row.company, journal_row.journal, line)
            self.faults.append(
                Fault(
                    "key-twice",
                    f"The line {line} of journal {journal_row.journal} stands twice.",
                    Location("journal_lines", key, "line", str(line), row),
                    "Number the lines anew.",
                )
            )
        known = np.array(
            [(h.journal.company, h.journal.journal) in self.known for h in self.heads] or [False], dtype=bool
        )
        if known.any():
            self._compare(accepted, known)
        self._check_unusual(accepted, accepted.unusual & ~known if len(self.heads) else accepted.unusual)

    def names(self) -> set[tuple[str, str]]:
        """(company, journal) of all journals of the package."""
        return {(header.journal.company, header.journal.journal) for header in self.heads}

    def posted_before(self) -> set[tuple[str, str, str]]:
        """(company, chart, account string) of history in charts that companies were on before they moved."""
        charts = {row.company: row.chart for row in self.state.rows(Company)}
        combinations = self.batch.combinations if self.batch else ()
        posted = {(one.company, one.chart, one.found.account) for one in combinations if one.found}
        posted |= {(one.company, one.chart, one.account) for own in self.checked.values() for one in own}
        return {one for one in posted if one[1] and one[1] != charts.get(one[0])}

    def _read_heads(self) -> None:
        table = TABLES["journals"]
        records = (
            self.head_source.records(self.faults)
            if self.head_source
            else iter([(1, list(table.row._fields))])
        )
        header = next(records, None)
        if header is None:
            return
        self.progress("journals", 0)
        read = read_table(table, header[1], records)
        self.faults += read.faults
        for key, journal in read.rows.items():
            row = self.state.get(Company, journal.company)
            if row is None:
                self.faults.append(
                    Fault(
                        "reference",
                        f"There is no company {journal.company}.",
                        Location("journals", key, "company", journal.company, read.numbers[key]),
                        "Add the company or correct the name.",
                    )
                )
            self.heads.append(head_of(self.state, journal, self.companies))
            self.rows.append(read.numbers[key])

    def _find_known(self) -> None:
        """Journals that are there already, and companies whose history is closed because they have some."""
        companies = sorted({header.journal.company for header in self.heads})
        there = numbers_of(companies)
        started = {company for company, _ in there}
        for header, row in zip(self.heads, self.rows, strict=True):
            key = (header.journal.company, header.journal.journal)
            if key in there:
                self.known[key] = there[key]
            elif header.history and key[0] in started:
                self.faults.append(
                    Fault(
                        "history-late",
                        f"{key[0]} has journals already, so history is not taken.",
                        Location("journals", key, "posted_at", header.journal.posted_at, row),
                        "Leave posted_at empty to post it as a new journal.",
                    )
                )

    def _history_faults(self) -> None:
        """Who posted a journal and what it reverses belong to history, and must be of the same history."""
        names = {(header.journal.company, header.journal.journal) for header in self.heads if header.history}
        reversed_by: dict[tuple[str, str], str] = {}
        for header, row in zip(self.heads, self.rows, strict=True):
            journal = header.journal
            key = (journal.company, journal.journal)
            if key in self.known:
                continue

            if not header.history:
                for column in ("posted_by", "reverses"):
                    if value := getattr(journal, column):
                        self._head_fault(
                            key,
                            column,
                            value,
                            row,
                            "It belongs to a journal that was posted before, with posted_at.",
                            "Leave it empty: the product knows who posts, and reverses on its own page.",
                        )
                continue
            if not journal.reverses:
                continue
            other = (journal.company, journal.reverses)
            if other not in names or other == key:
                self._head_fault(
                    key,
                    "reverses",
                    journal.reverses,
                    row,
                    f"There is no journal {journal.reverses} of {journal.company} to be reversed.",
                    "Bring it in the same package.",
                )
            elif (first := reversed_by.setdefault(other, journal.journal)) != journal.journal:
                self._head_fault(
                    key,
                    "reverses",
                    journal.reverses,
                    row,
                    f"{journal.reverses} is reversed by {first} already.",
                    "A journal is reversed once.",
                )

    def _head_fault(
        self, key: tuple[str, str], column: str, value: str, row: int, what: str, way_out: str
    ) -> None:
        self.faults.append(Fault("history", what, Location("journals", key, column, value, row), way_out))

    def _feed(self, batch: Batch) -> bool:
        if self.line_source is None:
            return True
        whole = read_whole(self.line_source)
        if whole is not None:
            unreadable = header_faults(TABLES["journal_lines"], whole.column_names)
            self.faults += unreadable
            if not unreadable:
                self._feed_columns(batch, whole, np.arange(2, whole.num_rows + 2))
            return not unreadable
        return self._feed_records(batch)

    def _feed_columns(self, batch: Batch, table: Any, rows: Any) -> None:
        lines, texts = line_columns(table, rows)
        self.texts.append(texts)
        batch.feed(lines)
        self.progress("journal_lines", int(rows[-1]) - 1 if len(rows) else 0)

    def _feed_records(self, batch: Batch) -> bool:
        """Record by record, where a fault in the file gets its row and words."""
        assert self.line_source is not None  # whoever feeds looked
        records = self.line_source.records(self.faults)
        header = next(records, None)
        if header is None:
            return True
        unreadable = header_faults(TABLES["journal_lines"], header[1])
        if unreadable:
            self.faults += unreadable
            return False
        width = len(header[1])
        for chunk in chunks(records):
            for number, cells in chunk:
                if len(cells) != width and cells:
                    self.faults.append(
                        Fault(
                            "cells",
                            f"The row has {len(cells)} cells and the header {width}.",
                            Location("journal_lines", row=number),
                            "Quote cells that hold commas.",
                        )
                    )
            sound = [(number, cells) for number, cells in chunk if len(cells) == width]
            if sound:
                table = from_records(header[1], [cells for _, cells in sound])
                self._feed_columns(batch, table, np.array([number for number, _ in sound]))
        return True

    def _lines_of(self, rows: set[int]) -> dict[tuple[str, str], list[JournalLine]]:
        """Lines of some journals read again cell by cell, by the numbers of their rows."""
        table = TABLES["journal_lines"]
        records = self.line_source.records([]) if self.line_source else iter([(1, [])])
        header = next(records)
        chosen = [record for record in records if record[0] in rows]
        read = read_table(table, header[1], chosen)
        self.faults += [fault for fault in read.faults if fault.code != "key-twice"]
        self.numbers = read.numbers
        bad = {fault.where.row for fault in read.faults}
        at = [header[1].index(name) if name in header[1] else -1 for name in ("company", "journal")]
        self.unread = {
            tuple(cells[i] if 0 <= i < len(cells) else "" for i in at)
            for number, cells in chosen
            if number in bad
        }
        by_key: dict[tuple[str, str], list[JournalLine]] = {}
        for line in read.rows.values():
            by_key.setdefault((line.company, line.journal), []).append(line)
        return by_key

    def _check_unusual(self, accepted: Accepted, unusual: Any) -> None:
        numbers = np.flatnonzero(unusual)
        if not len(numbers):
            return
        rows = set(accepted.row[np.isin(accepted.journal, numbers)].tolist())
        lines = self._lines_of(rows)
        doubled = {journal for journal, _, _ in accepted.twice}
        for i in numbers.tolist():
            journal_row = self.heads[i].journal
            if journal_row.company not in self.companies:
                continue
            checked = check_journal(
                self.state, journal_row, lines.get((journal_row.company, journal_row.journal), []), RULES
            )
            follows = (
                FOLLOWS if (journal_row.company, journal_row.journal) in self.unread or i in doubled else ()
            )
            for fault in checked.faults:
                if fault.code in follows:
                    continue
                if len(self.faults) > limits.MOST_FAULTS * 2:
                    return
                place = fault.where
                row = self.rows[i] if place.table == "journals" else self.numbers.get(place.key)
                self.faults.append(fault.at(row=row))
            self.checked[i] = checked.lines

    def _compare(self, accepted: Accepted, known: Any) -> None:
        """A journal that is there already must be the same: posted journals never change. Added lines don't
        count."""
        numbers = np.flatnonzero(known).tolist()
        ids = {self.known[(self.heads[i].journal.company, self.heads[i].journal.journal)]: i for i in numbers}
        self._compare_heads(ids)
        if self.line_source is None or self.batch is None:
            return
        mine: dict[int, set[tuple[Any, ...]]] = {i: set() for i in numbers}
        names = {number: name for name, number in self.companies.items()}
        rows = np.flatnonzero(known[accepted.journal] & ~accepted.generated)
        columns = [column.to_pylist() for column in self._texts_of(accepted.at[rows]).columns]
        texts = dict(zip(rows.tolist(), zip(*columns, strict=True), strict=True))
        for at in rows.tolist():
            combination = self.batch.combinations[accepted.combination[at]]
            account, dimensions = (
                (combination.found.account, combination.found.dimensions) if combination.found else ("", "")
            )
            mine[int(accepted.journal[at])].add(
                (
                    int(accepted.line[at]),
                    combination.company,
                    account,
                    dimensions,
                    int(accepted.amount[at]),
                    names.get(int(accepted.partner[at]), ""),
                    *texts[at],
                )
            )
        theirs: dict[int, set[tuple[Any, ...]]] = {i: set() for i in numbers}
        for journal, *line in stored_lines(list(ids)):
            theirs[ids[journal]].add(tuple(line))
        for i in numbers:
            if mine[i] != theirs[i]:
                self._altered(i)

    def _compare_heads(self, ids: dict[int, int]) -> None:
        for stored in stored_journals(list(ids)):
            row = self.heads[ids[stored.id]].journal
            company = self.state.get(Company, row.company)
            own = row.currency or (company.currency if company else "")
            there = (stored.date, stored.kind, stored.description, stored.currency, stored.rate)
            said = (
                (row.posted_at, stored.posted_at.isoformat()),
                (row.posted_by, stored.poster),
                (row.reverses, stored.reverses),
            )
            if there != (row.date, row.kind, row.description, own, row.rate) or any(
                new and new != old for new, old in said
            ):
                self._altered(ids[stored.id])

    def _altered(self, i: int) -> None:
        row = self.heads[i].journal
        place = Location("journals", (row.company, row.journal), "journal", row.journal, self.rows[i])
        if not any(fault.code == "posted-altered" and fault.where == place for fault in self.faults):
            self.faults.append(
                Fault(
                    "posted-altered",
                    f"The journal {row.journal} is posted already, with other content.",
                    place,
                    "A posted journal never changes: reverse it and post a new one.",
                )
            )

    def years(self) -> dict[tuple[str, int], int]:
        """(company, fiscal year) pairs that new journals of the package post to, with the row of the first
        such journal."""
        by_key: dict[tuple[str, int], int] = {}
        if self.batch is None:
            return by_key
        for i, header in enumerate(self.heads):
            journal = header.journal
            if (journal.company, journal.journal) in self.known:
                continue
            if i in self.checked:
                for line in self.checked[i]:
                    by_key.setdefault((line.company, line.fiscal_year), self.rows[i])
            elif journal.company in self.companies:
                period = self.batch.period_of(journal.company, journal.date, journal.kind, RULES)[0]
                if period is not None:
                    by_key.setdefault((journal.company, period.fiscal_year), self.rows[i])
        return by_key

    def write(self, by: Any, outcome: Any) -> None:
        if self.accepted is None or self.batch is None:
            return
        new = [
            i for i, h in enumerate(self.heads) if (h.journal.company, h.journal.journal) not in self.known
        ]
        outcome.same["journals"] += len(self.heads) - len(new)
        if not new:
            return
        self.progress("posting", 0)
        heads = [self.heads[i].journal for i in new]
        plain = self._plain_lines(new)
        single = posting.lines_of(
            self.state, [(self.heads[i].journal, self.checked[i]) for i in new if i in self.checked]
        )
        renumber = np.array([n for n, i in enumerate(new) if i in self.checked] or [0], dtype=np.int64)
        single.journal = renumber[single.journal] if len(single.journal) else single.journal
        lines = merged(plain, single)
        try:
            self._see_that_history_may(new)
            posting.post(self.state, heads, lines, by, judged=None, progress=self.progress)
        except psycopg.errors.UniqueViolation as error:
            raise Moved from error  # a journal of one of these numbers was posted meanwhile
        outcome.new["journals"] += len(new)
        outcome.new["journal_lines"] += len(lines.line)

    def _see_that_history_may(self, new: list[int]) -> None:
        """History begins a company's books: nobody posted to it since it was looked at."""
        companies = {self.heads[i].journal.company for i in new if self.heads[i].history}
        lock_numbers(companies)
        if ends(companies):
            raise Moved

    def _texts_of(self, at: Any) -> pa.Table:
        """The free texts of lines by their places among all that were fed."""
        table = pa.concat_tables(self.texts)
        return table if len(at) == table.num_rows else table.take(pa.array(at))

    def _plain_lines(self, new: list[int]) -> Lines:
        """Columns of the journals that were waved through."""
        accepted, batch = self.accepted, self.batch
        assert accepted is not None and batch is not None
        place = np.full(len(self.heads), -1, dtype=np.int64)
        for n, i in enumerate(new):
            if i not in self.checked:
                place[i] = n
        keep = np.flatnonzero(place[accepted.journal] >= 0)
        seats, accounts, dimensions = Numbering(), Numbering(), Numbering()
        seat_of = np.zeros(max(1, len(self.heads)), dtype=np.int64)
        for i in new:
            if place[i] >= 0:
                row = self.heads[i].journal
                period = batch.period_of(row.company, row.date, row.kind, RULES)[0]
                seat_of[i] = seats((row.company, period.fiscal_year, period.period, row.kind == "closing"))
        account_of = np.zeros(max(1, len(batch.combinations)), dtype=np.int64)
        dimension_of = account_of.copy()
        used: list[int] = np.unique(accepted.combination[keep]).tolist() if len(keep) else []
        for k in used:
            result = batch.combinations[k]
            if result.found:
                account_of[k] = accounts((result.chart, result.found.account, result.found.natural))
                dimension_of[k] = dimensions(result.found.dimensions)
        names = [name for name, _ in sorted(self.companies.items(), key=lambda item: item[1])]
        combination = accepted.combination[keep]
        return Lines(
            place[accepted.journal[keep]],
            accepted.line[keep],
            seat_of[accepted.journal[keep]],
            account_of[combination],
            dimension_of[combination],
            accepted.partner[keep] - 1,
            accepted.amount[keep],
            accepted.amount[keep],
            accepted.generated[keep],
            self._texts_of(accepted.at[keep]),
            seats.values(),
            accounts.values(),
            dimensions.values(),
            names,
        )


def chunks(records: Iterator[Any]) -> Iterator[list[Any]]:
    while chunk := list(islice(records, CHUNK)):
        yield chunk
