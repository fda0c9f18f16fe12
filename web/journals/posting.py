"""Writes journals that were checked: books locked in order, ids interned, lines copied in one statement,
packs kept up.

The caller holds the transaction and has checked every line in the core, outside of it; whatever that was
judged against is looked at once more before the transaction ends (web/definitions/deciding.py)."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

import numpy as np
import pyarrow as pa
from django.db import connection
from django.utils import timezone
from numpy.typing import NDArray
from pyarrow import csv as arrow_csv

from core.books.balances import ROW, Books, books_from_rows, exact, grouped
from core.books.chain import Sealed, moment, rate_text
from core.books.journals import UNREAD_BY_JOURNALS, BookedLine
from core.books.periods import ordinal
from core.definitions.state import State
from core.definitions.tables import ChartMove, Company, Journal
from core.structures.second_charts import moment as moment_of
from web.definitions.deciding import share
from web.definitions.snapshot import Snapshot
from web.journals import books as packs
from web.journals.book_locks import lock_books, see_that_journals_may
from web.journals.chain import Link, lock_numbers, sealed
from web.journals.interning import (
    Accounts,
    Interned,
    company_numbers,
    intern_accounts,
    intern_dimensions,
)
from web.journals.line_parts import LOADED_FROM, bring_in, is_there, loading_year, need_years
from web.journals.loading import loading

JOURNAL_COLUMNS = (
    "id, company, journal, date, kind, description, currency, rate, posted_at, posted_by_id, poster,"
    " reverses_id, chain, hash, line_count"
)
LINE_COLUMNS = (
    "journal_id, line, book_id, fiscal_year, period, date, closing, account_id, dimensions_id, partner_id,"
    " amount, keyed, generated, sequence, description, source_type, source_number, source_party, source_item"
)
TEXTS = ("description", "source_type", "source_number", "source_party", "source_item")
STEP = 20_000
NO_HEADER = arrow_csv.WriteOptions(include_header=False)
Progress = Callable[[str, int], None]


def silent(what: str, done: int) -> None:
    """No progress is told."""


@dataclass
class Lines:
    """Lines of many journals as equal-length columns. `seat` numbers (company, fiscal year, period, closing)
    tuples in
    `seats`, `account` (chart, string, natural) in `accounts`, `dimensions` texts in `dimension_texts`,
    `partner`
    companies in `partners` (-1: none)."""

    journal: NDArray[Any]
    line: NDArray[Any]
    seat: NDArray[Any]
    account: NDArray[Any]
    dimensions: NDArray[Any]
    partner: NDArray[Any]
    amount: NDArray[Any]
    keyed: NDArray[Any]
    generated: NDArray[Any]
    texts: pa.Table
    """the five free texts, a column each"""
    seats: list[tuple[str, int, int, bool]]
    accounts: list[tuple[str, str, str]]
    dimension_texts: list[str]
    partners: list[str]


class Numbering:
    """Gives each new value the next number."""

    def __init__(self) -> None:
        self.numbers: dict[Any, int] = {}

    def __call__(self, value: Any) -> int:
        return self.numbers.setdefault(value, len(self.numbers))

    def values(self) -> list[Any]:
        return list(self.numbers)


def lines_of(state: State, checked: Sequence[tuple[Journal, Sequence[BookedLine]]]) -> Lines:
    """Columns from journals that were checked one by one."""
    seats, accounts, dimensions, partners = Numbering(), Numbering(), Numbering(), Numbering()
    rows: list[tuple[int, ...]] = []
    texts: list[tuple[str, ...]] = []
    for number, (journal, lines) in enumerate(checked):
        for line in lines:
            company = state.get(Company, line.company)
            chart = line.chart or (company.chart if company else "")
            rows.append(
                (
                    number,
                    line.number,
                    seats((line.company, line.fiscal_year, line.period, journal.kind == "closing")),
                    accounts((chart, line.account, line.natural)),
                    dimensions(line.dimensions),
                    partners(line.partner) if line.partner else -1,
                    line.amount,
                    line.keyed,
                    line.generated,
                )
            )
            texts.append(line.texts)
    columns = [np.array(column, dtype=np.int64) for column in zip(*rows, strict=True)] or [
        np.zeros(0, np.int64)
    ] * 9
    cells = list(zip(*texts, strict=True)) or [()] * len(TEXTS)
    table = pa.table({name: pa.array(column, pa.string()) for name, column in zip(TEXTS, cells, strict=True)})
    number_of, line_of, seat, account, tagged, partner, amount, keyed, generated = columns
    return Lines(
        number_of,
        line_of,
        seat,
        account,
        tagged,
        partner,
        amount,
        keyed,
        generated.astype(bool),
        table,
        seats.values(),
        accounts.values(),
        dimensions.values(),
        partners.values(),
    )


def post(
    state: State,
    heads: Sequence[Journal],
    lines: Lines,
    by: Any,
    judged: Snapshot | None,
    progress: Progress = silent,
) -> list[int]:
    """Writes journals with their lines; returns the journals' ids in order. `by` is the person who posts, or
    None. `judged` are the definitions that the lines were checked against; None where the caller makes a
    version itself, or looks at them in the end.

    A head's `reverses` names a journal of its company that is there or among the heads before it.

    Raises Moved where the definitions are others by now, or a year has come to be kept elsewhere.
    """
    lock_numbers(entry.company for entry in heads)
    locked = lock_books(_debits(lines))
    see_that_journals_may(locked)
    companies = company_numbers(lines.partners)
    heads = _settled(state, heads, by)
    accounts = intern_accounts(lines.accounts)
    dimensions = intern_dimensions(lines.dimension_texts)
    links = _links(heads, lines, accounts, dimensions)
    ids = _insert_journals(heads, links, by)
    seat_book = np.array([locked[(c, y)][0] for c, y, _, _ in lines.seats], dtype=np.int64)
    seat_sequence = np.array([locked[(c, y)][1] for c, y, _, _ in lines.seats], dtype=np.int64)
    account = np.array([accounts[(c, a)].number for c, a, _ in lines.accounts], dtype=np.int64)[lines.account]
    codes = np.array([dimensions[text].number for text in lines.dimension_texts], dtype=np.int64)[
        lines.dimensions
    ]
    numbers = np.array([*(companies[name] for name in lines.partners), 0], dtype=np.int64)[lines.partner]
    table = _line_table(heads, ids, lines, seat_book, seat_sequence, account, codes, numbers)
    loaded = _copy_lines(table, progress)
    if len(lines.line) > packs.LONGEST_TAIL:
        _keep_packs(lines, locked, account, codes, numbers)
    bring_in(loaded)
    if judged is not None:
        share(judged, UNREAD_BY_JOURNALS)
    return ids


def _debits(lines: Lines) -> dict[tuple[str, int], int]:
    """The debits that come to each book, exactly."""
    sums = grouped(lines.seat, exact(np.maximum(lines.amount, 0)), len(lines.seats))
    by_key: dict[tuple[str, int], int] = {}
    for (company, year, _, _), amount in zip(lines.seats, sums.tolist(), strict=True):
        by_key[(company, year)] = by_key.get((company, year), 0) + int(amount)
    return by_key


def _settled(state: State, heads: Sequence[Journal], by: Any) -> list[Journal]:
    """Heads as they are kept: a currency, the moment and the person for those that don't bring their own. The
    moment is never before a company moved to another chart, whatever clocks say: it tells which chart a
    journal is in."""
    now = max([timezone.now(), *(moment_of(row.moved_at) for row in state.rows(ChartMove))]).isoformat()
    currencies = {row.company: row.currency for row in state.rows(Company)}
    who = by.username if by is not None else ""
    return [
        entry._replace(
            currency=entry.currency or currencies[entry.company],
            posted_at=entry.posted_at or now,
            posted_by=entry.posted_by or who,
        )
        for entry in heads
    ]


def _links(
    heads: Sequence[Journal], lines: Lines, accounts: Accounts, dimensions: dict[str, Interned]
) -> list[Link]:
    """Each journal's place and hash in its company's chain."""
    moments = {text: moment(datetime.fromisoformat(text)) for text in {head.posted_at for head in heads}}
    seals = [
        Sealed(
            h.company,
            h.journal,
            h.date.isoformat(),
            h.kind,
            h.description,
            h.currency,
            rate_text(h.rate),
            moments[h.posted_at],
            h.posted_by,
            h.reverses,
        )
        for h in heads
    ]
    return sealed(
        seals,
        lines,
        [accounts[(chart, text)].as_posted(text) for chart, text, _ in lines.accounts],
        [dimensions[text].as_posted(text) for text in lines.dimension_texts],
    )


def _insert_journals(heads: Sequence[Journal], links: Sequence[Link], by: Any) -> list[int]:
    with connection.cursor() as cursor:
        cursor.execute("SELECT pine_take_numbers(%s)", [len(heads)])
        first = cursor.fetchone()[0]
    ids = list(range(first, first + len(heads)))
    people = _people(heads, by)
    columns: list[Any] = [
        ids,
        *([getattr(head, name) for head in heads] for name in ("company", "journal")),
        pa.array([head.date for head in heads], pa.date32()),
        *([getattr(head, name) for head in heads] for name in ("kind", "description", "currency")),
        pa.array([None if head.rate is None else str(head.rate) for head in heads], pa.string()),
        [head.posted_at for head in heads],
        pa.array([people.get(head.posted_by) for head in heads], pa.int64()),
        [head.posted_by for head in heads],
        pa.array(_reversed(heads, ids), pa.int64()),
        *([getattr(link, name) for link in links] for name in ("number", "hash", "lines")),
    ]
    rows = pa.table([*map(_column, columns)], names=JOURNAL_COLUMNS.split(", "))
    with loading("journals_journal", rows.num_rows):
        _copy("journals_journal", rows, silent)
    return ids


def _people(heads: Sequence[Journal], by: Any) -> dict[str, int]:
    """The persons of this database whose names the heads carry."""
    names = {entry.posted_by for entry in heads if entry.posted_by}
    if by is not None and names <= {by.username}:
        return {by.username: by.pk}
    with connection.cursor() as cursor:
        cursor.execute("SELECT username, id FROM people_person WHERE username = ANY(%s)", [sorted(names)])
        return dict(cursor.fetchall())


def _reversed(heads: Sequence[Journal], ids: Sequence[int]) -> list[int | None]:
    """The journals that the heads reverse, by number: among the heads themselves, or there already."""
    wanted = {(entry.company, entry.reverses) for entry in heads if entry.reverses}
    if not wanted:
        return [None] * len(heads)
    by_name = {(entry.company, entry.journal): number for entry, number in zip(heads, ids, strict=True)}
    columns = [list(column) for column in zip(*sorted(wanted - set(by_name)), strict=True)]
    if columns:
        with connection.cursor() as cursor:
            cursor.execute(
                "SELECT j.company, j.journal, j.id FROM journals_journal j JOIN unnest(%s::text[],"
                " %s::text[]) AS w(c, n) ON j.company = w.c AND j.journal = w.n",
                columns,
            )
            by_name.update(((company, name), number) for company, name, number in cursor.fetchall())
    return [by_name[(entry.company, entry.reverses)] if entry.reverses else None for entry in heads]


def _column(values: Any) -> Any:
    return values if isinstance(values, pa.Array) else pa.array(values)


def _copy(table: str, rows: pa.Table, progress: Progress) -> None:
    """All rows in one statement, so that a trigger sees them together; an empty text stays apart from no
    value."""
    command = f"COPY {table} ({', '.join(rows.column_names)}) FROM STDIN (FORMAT csv)"
    done = 0
    with connection.cursor() as cursor, cursor.copy(command) as copy:
        for batch in rows.to_batches(max_chunksize=STEP):
            out = pa.BufferOutputStream()
            arrow_csv.write_csv(batch, out, NO_HEADER)
            copy.write(out.getvalue().to_pybytes())
            done += batch.num_rows
            progress("posting", done)


def _line_table(
    heads: Sequence[Journal],
    ids: list[int],
    lines: Lines,
    seat_book: Any,
    seat_sequence: Any,
    account: Any,
    codes: Any,
    partner: Any,
) -> pa.Table:
    """Lines as the database keeps them."""
    seats = [
        np.array(column)[lines.seat]
        for column in (
            seat_book,
            [year for _, year, _, _ in lines.seats],
            [period for _, _, period, _ in lines.seats],
            [closing for _, _, _, closing in lines.seats],
            seat_sequence,
        )
    ]
    book, year, period, closing, sequence = seats
    day = np.array([head.date for head in heads], dtype="datetime64[D]")[lines.journal]
    columns = [
        np.array(ids, dtype=np.int64)[lines.journal],
        lines.line,
        *(book, year, period, day, closing, account),
        pa.array(codes, mask=codes == 0),
        pa.array(partner, mask=partner == 0),
        *(lines.amount, lines.keyed, lines.generated, sequence),
    ]
    return pa.table([*map(pa.array, columns), *lines.texts.columns], names=LINE_COLUMNS.split(", "))


def _copy_lines(table: pa.Table, progress: Progress) -> list[int]:
    """Whole journals in one statement, as the trigger needs them; the years that were loaded apart, and are
    still to be brought in."""
    years = table["fiscal_year"].to_numpy()
    counted = dict(zip(*(part.tolist() for part in np.unique(years, return_counts=True)), strict=True))
    large = [year for year, lines in counted.items() if lines >= LOADED_FROM and not is_there(year)]
    if large and not _lies_in_one_year(table["journal_id"].to_numpy(), years):
        large = []
    need_years(year for year in counted if year not in large)
    for year in large:
        with loading_year(year) as name:
            _copy(name, table.filter(pa.array(years == year)), progress)
    rest = table.filter(pa.array(~np.isin(years, large))) if large else table
    if rest.num_rows:
        _copy("journals_journalline", rest, progress)
    return large


def _lies_in_one_year(journal: NDArray[Any], years: NDArray[Any]) -> bool:
    """Whether no journal has lines of several fiscal years."""
    of_journal = np.zeros(int(journal.max()) - int(journal.min()) + 1, dtype=years.dtype)
    of_journal[journal - journal.min()] = years
    return bool((of_journal[journal - journal.min()] == years).all())


def _keep_packs(
    lines: Lines, locked: dict[tuple[str, int], tuple[int, int]], account: Any, codes: Any, partner: Any
) -> None:
    """Adds a large posting to the packs, so that nobody has to add its lines up again."""
    bases = _bases(locked)
    numbering = {key: i for i, key in enumerate(locked)}
    book = np.array([numbering[(c, y)] for c, y, _, _ in lines.seats], dtype=np.int64)[lines.seat]
    when = np.array([ordinal(y, p) for _, y, p, _ in lines.seats], dtype=np.int32)[lines.seat]
    closing = np.array([c for _, _, _, c in lines.seats], dtype=np.int32)[lines.seat]
    names, natural_of = np.unique(np.array([n for _, _, n in lines.accounts]), return_inverse=True)
    natural = natural_of[lines.account]
    order = np.argsort(book, kind="stable")
    ends = np.searchsorted(book[order], np.arange(len(locked) + 1))
    pairs: list[tuple[int, Books]] = []
    for i, (key, (number, sequence)) in enumerate(locked.items()):
        rows = order[ends[i] : ends[i + 1]]
        base = bases.get(key)
        own = list(base.naturals) if base else []
        places = {name: at for at, name in enumerate(own)}
        used = np.unique(natural[rows])
        for at in used.tolist():
            if (name := str(names[at])) not in places:
                places[name] = len(own)
                own.append(name)
        local = np.zeros(len(names), dtype=np.int32)
        local[used] = [places[str(names[at])] for at in used.tolist()]
        packed = np.zeros(len(rows), dtype=ROW)
        packed["natural"], packed["partner"], packed["account"] = (
            local[natural[rows]],
            partner[rows],
            account[rows],
        )
        packed["dimensions"], packed["ordinal"], packed["closing"] = codes[rows], when[rows], closing[rows]
        amount = lines.amount[rows]
        packed["debit"], packed["credit"] = np.maximum(amount, 0), np.maximum(-amount, 0)
        pairs.append((number, books_from_rows(key[0], key[1], sequence, tuple(own), packed, base)))
    packs.save_packs(pairs)


def _bases(locked: dict[tuple[str, int], tuple[int, int]]) -> dict[tuple[str, int], Books]:
    """The books as they were before this posting. They are locked, so nobody else moves them; own lines are
    not read."""
    by_name = {}
    for key, (number, sequence) in locked.items():
        if sequence > 1:
            by_name[key] = packs.as_of(number, key[0], key[1], sequence - 1)
    return by_name


def merged(first: Lines, second: Lines) -> Lines:
    """Two sets of columns as one."""
    if not len(second.line):
        return first
    if not len(first.line):
        return second

    def join(name: str, base: int = 0) -> Any:
        mine, other = getattr(first, name), getattr(second, name)
        return np.concatenate([mine, np.where(other >= 0, other + base, other)])

    return Lines(
        join("journal"),
        join("line"),
        join("seat", len(first.seats)),
        join("account", len(first.accounts)),
        join("dimensions", len(first.dimension_texts)),
        join("partner", len(first.partners)),
        np.concatenate([first.amount, second.amount]),
        np.concatenate([first.keyed, second.keyed]),
        np.concatenate([first.generated, second.generated]),
        pa.concat_tables([first.texts, second.texts]),
        [*first.seats, *second.seats],
        [*first.accounts, *second.accounts],
        [*first.dimension_texts, *second.dimension_texts],
        [*first.partners, *second.partners],
    )
