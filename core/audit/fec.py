"""The French statutory audit file of a company's fiscal year (fichier des écritures comptables).

As article A. 47 A-1 of the Livre des procédures fiscales has it: eighteen columns in their order, one record
a line, parted by tabs or `|`; entries in the order in which they were posted, numbered without gaps; dates as
AAAAMMJJ; amounts with a decimal comma; account numbers those of the law's chart, so at least three digits
first; the file named by SIREN, FEC and the year's last day.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from itertools import groupby
from typing import NamedTuple

from core.codes.lists import list_index
from core.definitions.state import State
from core.definitions.tables import Company, OverlayCode
from core.faults import Fault, Location
from core.money import digits_of
from core.structures.charts import chart_index
from core.structures.overlays import local_codes

COLUMNS = (
    "JournalCode",
    "JournalLib",
    "EcritureNum",
    "EcritureDate",
    "CompteNum",
    "CompteLib",
    "CompAuxNum",
    "CompAuxLib",
    "PieceRef",
    "PieceDate",
    "EcritureLib",
    "Debit",
    "Credit",
    "EcritureLet",
    "DateLet",
    "ValidDate",
    "Montantdevise",
    "Idevise",
)
JOURNALS = {
    "opening": ("AN", "À nouveaux"),
    "general": ("OD", "Opérations diverses"),
    "adjusting": ("RG", "Régularisations"),
    "closing": ("CL", "Clôture"),
}
SEPARATORS = {"tab": "\t", "pipe": "|"}
ENCODINGS = ("iso-8859-15", "utf-8")
SIREN = re.compile(r"[0-9]{9}", re.ASCII)
NUMBER = re.compile(r"[0-9]{3}[0-9A-Za-z]*", re.ASCII)
BREAKS = re.compile(r"[\s|]*[\t|\r\n][\s|]*")
MOST_NAMED = 20


class AuditLine(NamedTuple):
    """A line of the company's books, raw minor units; `keyed` in the currency of its journal, the `entry`."""

    entry: int
    journal: str
    kind: str
    on: date
    posted_on: date
    natural: str
    partner: str
    description: str
    source: str
    amount: int
    keyed: int
    currency: str


class BroughtForward(NamedTuple):
    """What stands on an account with a partner as the year begins, raw minor units."""

    natural: str
    partner: str
    amount: int


@dataclass(frozen=True)
class AuditFile:
    """`records` are texts by column, without the head; `faults` say why it can't be handed in."""

    name: str
    records: tuple[tuple[str, ...], ...]
    debit: int
    credit: int
    faults: tuple[Fault, ...]

    def written(self, separator: str, encoding: str) -> bytes:
        """The file. Raises UnicodeEncodeError for a character that the encoding doesn't have."""
        lines = (SEPARATORS[separator].join(record) for record in (COLUMNS, *self.records))
        return "".join(f"{line}\r\n" for line in lines).encode(encoding)


def audit_file(
    state: State,
    company: Company,
    overlay: str,
    siren: str,
    year: Sequence[date],
    forward: Iterable[BroughtForward],
    lines: Iterable[AuditLine],
) -> AuditFile:
    """`year`: its first and last day; `forward` what was brought forward from years before, none where
    opening journals say it; `lines` in the order of posting."""
    first, last = year
    index = chart_index(state, company.chart)
    local = local_codes(state, overlay, index.natural_list).rows if index else {}
    writer = _Writer(state, company, local)
    forward = sorted(row for row in forward if row.amount)
    entries = [_opening(forward, first)] if forward else []
    entries += [list(rows) for _, rows in groupby(lines, key=lambda line: line.entry)]
    records = tuple(
        record for number, entry in enumerate(entries, 1) for record in writer.records(number, entry)
    )
    every = [line for entry in entries for line in entry]
    debit = sum(line.amount for line in every if line.amount > 0)
    credit = -sum(line.amount for line in every if line.amount < 0)
    code_list = index.natural_list if index else ""
    faults = [
        *_head_faults(siren, overlay, state),
        *_account_faults(state, code_list, local, every),
        *_result_forward(state, code_list, forward, first.year),
        *_entry_faults(entries),
        *_nothing(company, last, records),
    ]
    return AuditFile(f"{siren}FEC{last:%Y%m%d}.txt", records, debit, credit, tuple(faults))


def _opening(forward: Sequence[BroughtForward], first: date) -> list[AuditLine]:
    """What was brought forward as an entry of the year's first day, as the law wants it to begin with."""
    head = (0, "AN", "opening", first, first)
    return [AuditLine(*head, row.natural, row.partner, "À nouveau", "", row.amount, 0, "") for row in forward]


class _Writer:
    """Writes lines as records."""

    def __init__(self, state: State, company: Company, local: Mapping[str, OverlayCode]) -> None:
        self.local = local
        self.names = {row.company: row.name for row in state.rows(Company)}
        self.company, self.digits = company, digits_of(company.currency)

    def records(self, number: int, entry: Sequence[AuditLine]) -> Iterator[tuple[str, ...]]:
        for line in entry:
            if not line.amount and not line.keyed:
                continue
            code, label = JOURNALS.get(line.kind, JOURNALS["general"])
            own = self.local.get(line.natural)
            foreign = line.currency not in ("", self.company.currency)
            yield tuple(
                BREAKS.sub(" ", text).strip()
                for text in (
                    code,
                    label,
                    str(number),
                    f"{line.on:%Y%m%d}",
                    own.local_code if own else line.natural,
                    own.local_name if own else line.natural,
                    line.partner,
                    self.names.get(line.partner, ""),
                    line.source or line.journal,
                    f"{line.on:%Y%m%d}",
                    line.description or line.journal,
                    _amount(max(line.amount, 0), self.digits),
                    _amount(max(-line.amount, 0), self.digits),
                    "",
                    "",
                    f"{line.posted_on:%Y%m%d}",
                    _amount(line.keyed, digits_of(line.currency)) if foreign else "",
                    line.currency if foreign else "",
                )
            )


def _amount(minor: int, digits: int) -> str:
    """Minor units with a decimal comma, nothing between thousands."""
    sign, text = "-" if minor < 0 else "", f"{abs(minor):0{digits + 1}d}"
    return f"{sign}{text[:-digits]},{text[-digits:]}" if digits else f"{sign}{text},00"


def _nothing(company: Company, last: date, records: Sequence[object]) -> Iterator[Fault]:
    if not records:
        what = f"{company.name} has no journals in the year that ends on {last}."
        yield Fault("nothing-missing", what, way_out="Choose another year.")


def _head_faults(siren: str, overlay: str, state: State) -> Iterator[Fault]:
    if not SIREN.fullmatch(siren):
        where = Location(column="siren", value=siren)
        yield Fault("audit-file", "A SIREN has nine digits.", where, "Give the company's own.")
    if not any(row.overlay == overlay for row in state.rows(OverlayCode)):
        where = Location(column="overlay", value=overlay)
        yield Fault("audit-file", "No local numbers are chosen.", where, "Choose an overlay that has them.")


def _account_faults(
    state: State, code_list: str, local: Mapping[str, OverlayCode], lines: Iterable[AuditLine]
) -> Iterator[Fault]:
    """Every account that the file names has a local number of the law's chart."""
    codes = list_index(state, code_list).codes
    for natural in sorted({line.natural for line in lines}):
        row = codes.get(natural)
        name = f"{natural} {row.name}" if row else natural
        own = local.get(natural)
        where = Location("overlay_codes", (code_list, natural), "local_code", own.local_code if own else "")
        if own is None:
            yield Fault("audit-file", f"{name} has no local number.", where, "Give it one in the overlay.")
        elif not NUMBER.fullmatch(own.local_code):
            what = f"{name}: {own.local_code} doesn't begin with three digits."
            yield Fault("audit-file", what, where, "Give it a number of the law's chart.")


def _result_forward(
    state: State, code_list: str, forward: Sequence[BroughtForward], year: int
) -> Iterator[Fault]:
    """Only balance sheet accounts are brought forward."""
    codes = list_index(state, code_list).codes
    results = [
        row
        for row in forward
        if (code := codes.get(row.natural)) and code.account_class in ("revenue", "expense")
    ]
    sums: dict[str, int] = {}
    for row in results:
        sums[row.natural] = sums.get(row.natural, 0) + row.amount
    left = sorted(natural for natural, amount in sums.items() if amount)
    if left:
        named = ", ".join(left[:MOST_NAMED])
        what = f"Results of years before {year} are not carried to equity: {named}."
        yield Fault("audit-file", what, way_out="Close those years first, on the page of the year's end.")


def _entry_faults(entries: Iterable[Sequence[AuditLine]]) -> Iterator[Fault]:
    for entry in entries:
        if total := sum(line.amount for line in entry):
            what = f"Entry {entry[0].journal} of {entry[0].on} is off by {total} minor units."
            yield Fault("audit-file", what, way_out="Run ./pine verify.")
