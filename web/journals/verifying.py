"""Recomputes what posted books promise: each company's chain, every balance that is kept packed, texts
spelled anew.

It reads the tables alone and trusts nothing that was worked out before, so a change by a superuser shows here
too.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from itertools import groupby
from typing import Any

from django.db import connection, transaction

from core.books.chain import BEGINNING, End, Sealed, line_text, link, moment, rate_text
from core.books.periods import company_calendar
from core.definitions.state import State
from core.faults import Fault, Location, Refused
from web.definitions import kept_definitions, snapshot, store
from web.journals import books

STEP = 20_000
Progress = Callable[[str, int], None]

ACCOUNT_SUMS = """
    SELECT company, "natural", sum(amount) FROM (
        SELECT b.company, a."natural", l.amount FROM journals_journalline l
        JOIN journals_book b ON b.id = l.book_id JOIN journals_account a ON a.id = l.account_id
        UNION ALL SELECT l.company, a."natural", l.amount FROM journals_balance l
        JOIN journals_account a ON a.id = l.account_id
    ) amounts GROUP BY 1, 2 ORDER BY 1, 2
"""
CHAIN_ENDS = (
    "SELECT DISTINCT ON (company) company, chain, hash FROM journals_journal ORDER BY company, chain DESC"
)


@dataclass
class Verified:
    """What came of it: where each company's chain ends, how much was read, and what does not hold, the first
    of each kind."""

    ends: dict[str, End] = field(default_factory=dict)
    journals: int = 0
    lines: int = 0
    faults: list[Fault] = field(default_factory=list)


HEADS = """
    SELECT company, chain, id, hash, line_count, journal, date, kind, description, currency, rate, posted_at,
    poster,
           coalesce((SELECT r.journal FROM journals_journal r WHERE r.id = j.reverses_id), '')
    FROM journals_journal j ORDER BY company, chain
"""
LINES = """
    SELECT j.company, j.chain, l.line, b.company, coalesce(o.fiscal_year, b.fiscal_year),
           coalesce(o.period, l.period), l.closing::int,
           coalesce(nullif(a.posted_as, ''), a.account), coalesce(nullif(d.posted_as, ''), d.codes, ''),
           l.amount, l.keyed,
           coalesce(c.company, ''), l.generated::int, l.description, l.source_type, l.source_number,
           l.source_party, l.source_item
    FROM journals_journalline l JOIN journals_journal j ON j.id = l.journal_id
    LEFT JOIN journals_book b ON b.id = l.book_id LEFT JOIN journals_account a ON a.id = l.account_id
    LEFT JOIN journals_resortedline o ON o.journal_id = l.journal_id AND o.line = l.line
    LEFT JOIN journals_dimensionset d ON d.id = l.dimensions_id LEFT JOIN companies_company c ON c.id =
    l.partner_id
    ORDER BY j.company, j.chain, l.line
"""
STRAY = (
    "SELECT count(*) FROM journals_journalline l WHERE NOT EXISTS (SELECT 1 FROM journals_journal j WHERE"
    " j.id = l.journal_id)"
)


KNOWN = """
    SELECT j.company, j.hash FROM journals_journal j
    JOIN unnest(%s::text[], %s::bigint[]) AS known(company, chain)
      ON known.company = j.company AND known.chain = j.chain
"""


def ends_of_chains() -> dict[str, End]:
    """Where the chain of each company ends, as it stands."""
    with connection.cursor() as cursor:
        cursor.execute(CHAIN_ENDS)
        return {company: End(number, text) for company, number, text in cursor.fetchall()}


def hashes_at(known: Mapping[str, End]) -> dict[str, str]:
    """The hashes that companies' chains have now at known ends."""
    with connection.cursor() as cursor:
        cursor.execute(KNOWN, [list(known), [end.number for end in known.values()]])
        return dict(cursor.fetchall())


def silent(what: str, done: int) -> None:
    """No progress is told."""


def verify(known: Mapping[str, End] | None = None, progress: Progress = silent) -> Verified:
    """Reads everything in one moment. `known` are ends of chains kept elsewhere: each must still be a link of
    its chain."""
    verified = Verified()
    with snapshot.one_reading():
        _chains(verified, dict(known or {}), progress)
        _posters(verified)
        _balances(verified, progress)
        _texts(verified)
        state = store.load()
        if state.digest != snapshot.latest().digest:
            what = f"The definitions are not those that version {snapshot.latest().version} left."
            verified.faults.append(Fault("digest", what, way_out="`./pine check` says more."))
        verified.faults += [
            Fault("digest", what, way_out="Remove the file; the next start writes it anew.")
            for what in kept_definitions.differing()
        ]
        _sorted(verified, state)
    return verified


def _rows(sql: str) -> Iterator[tuple[Any, ...]]:
    with connection.chunked_cursor() as cursor:
        cursor.execute(sql)
        while chunk := cursor.fetchmany(STEP):
            yield from chunk


def _broken(company: str, journal: str, what: str) -> Fault:
    return Fault(
        "chain-broken",
        what,
        Location("journals", (company, journal)),
        "Somebody changed posted books beside the application: compare with a backup from before.",
    )


def _chains(found: Verified, known: dict[str, End], progress: Progress) -> None:
    """Goes along each company's journals in their order, with their lines beside them."""
    broken: set[str] = set()
    for header, own in _with_lines():
        company, number, hashed, count, name = header[0], header[1], header[3], header[4], header[5]
        before = found.ends.get(company, End(0, BEGINNING))
        if company not in broken:
            texts = [line_text([str(cell) for cell in row[2:]]) for row in own]
            holds = link(before.hash, _seal(header), texts) == hashed
            told = _told(before, number, name, len(own) == count, holds)
            told = told or _unlike(known, company, End(number, hashed), name)
            if told:
                broken.add(company)
                found.faults.append(_broken(company, name, told))
        found.ends[company] = End(number, hashed)
        found.journals, found.lines = found.journals + 1, found.lines + len(own)
        progress("journals", found.journals)
    for company, end in known.items():
        if company not in broken:
            what = f"The chain of {company} has no journal number {end.number}, which was kept elsewhere."
            found.faults.append(_broken(company, "", what))
    with connection.cursor() as cursor:
        cursor.execute(STRAY)
        if stray := cursor.fetchone()[0]:
            what = f"{stray:,} lines belong to no journal."
            found.faults.append(Fault("lines-stray", what, way_out="Compare with a backup."))


def _with_lines() -> Iterator[tuple[tuple[Any, ...], list[tuple[Any, ...]]]]:
    """Each journal with its lines, both in the order of the chains."""
    lines = groupby(_rows(LINES), key=lambda row: row[:2])
    at = next(lines, None)
    for header in _rows(HEADS):
        own: list[tuple[Any, ...]] = []
        while at is not None and at[0] < header[:2]:
            at = next(lines, None)
        if at is not None and at[0] == header[:2]:
            own = list(at[1])
            at = next(lines, None)
        yield header, own


def _seal(header: tuple[Any, ...]) -> Sealed:
    """What the hash of a journal covers, from its row."""
    company, name = header[0], header[5]
    day, kind, description, currency, rate, posted_at, poster, reverses = header[6:14]
    return Sealed(
        company,
        name,
        day.isoformat(),
        kind,
        description,
        currency,
        rate_text(rate),
        moment(posted_at),
        poster,
        reverses,
    )


def _unlike(known: dict[str, End], company: str, end: End, name: str) -> str:
    """What is wrong where an end kept elsewhere is of this journal and unlike it; it is looked for once."""
    wanted = known.get(company)
    if wanted is None or wanted.number != end.number:
        return ""
    del known[company]
    if wanted.hash == end.hash:
        return ""
    return (
        f"The journal {name} of {company} is number {end.number} of its chain "
        "and not the one that was kept elsewhere."
    )


def _told(before: End, number: int, name: str, whole: bool, same: bool) -> str:
    if number != before.number + 1:
        return (
            f"A journal is missing before {name}: it is number {number} of its chain, after {before.number}."
        )
    if not whole:
        return f"The journal {name} has not the lines that it was posted with."
    return "" if same else f"The journal {name} is not what was posted: its hash is another."


POSTERS = """
    SELECT j.company, j.journal, p.username, j.poster FROM journals_journal j
    JOIN people_person p ON p.id = j.posted_by_id WHERE p.username <> j.poster ORDER BY 1, 2 LIMIT 20
"""


def _posters(found: Verified) -> None:
    """Who a journal shows as its poster, against the name that its hash covers."""
    for company, journal, shown, sealed in _rows(POSTERS):
        what = f"The journal {journal} shows {shown} as who posted it; posted it has {sealed or 'nobody'}."
        found.faults.append(_broken(company, journal, what))


def _balances(found: Verified, progress: Progress) -> None:
    """Packed balances against the lines they were added up from."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT id, company, fiscal_year, sequence FROM journals_book WHERE sequence > 0 ORDER BY"
            " company, fiscal_year"
        )
        heads = cursor.fetchall()
    for done, (book, company, year, sequence) in enumerate(heads, 1):
        packed = books.packed(book)
        if packed is not None:
            try:
                counted = books.added_up(book, company, year, packed.sequence)
            except Refused as refused:
                found.faults += refused.faults
                continue
            if packed.sequence > sequence or not books.same(packed, counted):
                found.faults.append(
                    Fault(
                        "pack-wrong",
                        f"The balances kept of {company} in {year} are not the sums of its lines.",
                        Location("journals", (company, str(year))),
                        "`./pine verify --mend` adds them up anew.",
                    )
                )
        progress("balances", done)


SEATS = """
    SELECT b.company, b.fiscal_year, l.period, j.date, j.kind, count(*)
    FROM journals_journalline l JOIN journals_journal j ON j.id = l.journal_id
    JOIN journals_book b ON b.id = l.book_id GROUP BY 1, 2, 3, 4, 5 ORDER BY 1, 4, 5
"""


def _sorted(found: Verified, state: State) -> None:
    """Each line in the period that its day falls into; the first that isn't of each company."""
    told: set[str] = set()
    for company, year, number, on, kind, count in _rows(SEATS):
        period = company_calendar(state, company).period_of(on, kind)
        if company in told or (period is not None and period[1:3] == (year, number)):
            continue
        told.add(company)
        falls = f"period {period.period} of {period.fiscal_year}" if period else "no period"
        what = (
            f"{count:,} lines of {company} of {on} stand in period {number} of {year}, and fall into {falls}."
        )
        way_out = "Change a day of that period and change it back: its lines are sorted then."
        found.faults.append(Fault("period-not-its-day", what, Location("journals", (company,)), way_out))


def _texts(found: Verified) -> None:
    """account strings and dimension combinations that were spelled anew: the record must lead from what was
    posted to what stands there."""
    steps: dict[tuple[str, str, str], list[tuple[int, str]]] = {}
    with connection.cursor() as cursor:
        cursor.execute("SELECT id, target, chart, was, now FROM journals_recoded ORDER BY id")
        for number, target, chart, was, now in cursor.fetchall():
            steps.setdefault((target, chart, was), []).append((number, now))
        for table, column, chart in (
            ("journals_account", "account", "chart"),
            ("journals_dimensionset", "codes", "''"),
        ):
            cursor.execute(
                f"SELECT {chart}, posted_as, {column} FROM {table} WHERE posted_as <> '' ORDER BY id"
            )
            for own, first, now in cursor.fetchall():
                if _followed(steps, column, own, first) != now:
                    found.faults.append(
                        Fault(
                            "text-rewritten",
                            f"The posted text {first} stands as {now} now, which nobody recorded.",
                            Location(table),
                            "Compare with a backup from before.",
                        )
                    )
                    return


def _followed(
    steps: Mapping[tuple[str, str, str], list[tuple[int, str]]], target: str, chart: str, text: str
) -> str:
    """What a text came to by the steps that are recorded, each later than the one before."""
    last = 0
    while later := [step for step in steps.get((target, chart, text), ()) if step[0] > last]:
        last, text = later[0]
    return text


def mend(found: Verified) -> int:
    """Adds up anew the balances that are not the sums of their lines; how many books that were."""
    wrong = [fault.where.key for fault in found.faults if fault.code == "pack-wrong"]
    with transaction.atomic(), connection.cursor() as cursor:
        for company, year in wrong:
            cursor.execute(
                "DELETE FROM journals_bookpack p USING journals_book b WHERE b.id = p.book_id AND b.company ="
                " %s AND b.fiscal_year = %s RETURNING b.id, b.sequence",
                [company, int(year)],
            )
            for book, sequence in cursor.fetchall():
                books.rebuild(book, company, int(year), sequence)
    return len(wrong)
