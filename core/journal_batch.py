"""Many journals at once: lines as columns, checked in arrays. What is plainly in order is waved through; every journal
with anything unusual (a fault, several companies, a foreign currency) is named, to be checked one by one.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

import numpy as np
from numpy.typing import NDArray

from core.accounts import Resolved, Seat, expand, quick_codes, resolve, restored, seat
from core.journals import Rules, period_fault
from core.money import LIMIT, digits_of
from core.parsing import CONTROL, LONGEST_TEXT
from core.state import State
from core.tables import Company, Journal

FIRST_DAY, LAST_DAY = date.min.toordinal(), date.max.toordinal()
TEXTS = ("description", "source_type", "source_number", "source_party", "source_item")
ESCAPES = str.maketrans({"\\": "\\\\", "\t": "\\t", "\n": "\\n", "\r": "\\r"})


@dataclass(frozen=True, slots=True)
class Head:
    """A journal as the batch needs it. `plain`: in its company's currency and of a known company."""

    journal: Journal
    company: int
    day: int
    history: bool
    plain: bool


@dataclass(slots=True)
class Combination:
    """One account text with dimensions of one company: what it resolves to. `ok` is false where anything is wrong."""

    ok: bool
    found: Resolved | None
    company: str
    chart: str


@dataclass(frozen=True, slots=True)
class Accepted:
    """Lines in order as equal-length columns, ready to be posted; and journals (indices) to be checked one by one."""

    journal: NDArray[np.int64]
    line: NDArray[np.int64]
    company: NDArray[np.int64]
    combination: NDArray[np.int64]
    partner: NDArray[np.int64]
    amount: NDArray[np.int64]
    generated: NDArray[np.bool_]
    row: NDArray[np.int64]
    texts: list[str]
    unusual: NDArray[np.bool_]
    twice: list[tuple[int, int, int]]
    """(journal index, line, row) of lines whose key stood before"""


def minor_units(text: str, digits: int) -> int:
    """Minor units of an amount that is plainly one, else -1. Empty is 0."""
    if not text:
        return 0
    whole, point, part = text.partition(".")
    if not (whole.isdigit() and whole.isascii()) or len(whole) > 17:
        return -1
    if not point:
        value = int(whole) * 10**digits
    elif part.isdigit() and part.isascii() and len(part) <= digits:
        value = int(whole + part + "0" * (digits - len(part)))
    else:
        return -1
    return value if value < LIMIT else -1


class Batch:
    """Fed with chunks of lines as columns; `finish` tells what may be posted as it stands."""

    def __init__(self, state: State, heads: list[Head], companies: Mapping[str, int]):
        self.state, self.heads = state, heads
        self.journals = {(h.journal.company, h.journal.journal): i for i, h in enumerate(heads)}
        self.companies = dict(companies)
        self.names = {number: name for name, number in companies.items()}
        self.seats: dict[int, Seat | None] = {}
        self.currencies = {name: self._currency(name) for name in companies}
        self.digits = [digits_of(h.journal.currency or self.currencies.get(h.journal.company, "")) for h in heads]
        self.epochs = [self._epoch(h) for h in heads]
        self.quick: dict[str, bool] = {}
        self.combinations: list[Combination] = []
        self._number: dict[tuple[int, str, str, int], int] = {}
        self.parts: list[tuple[Any, ...]] = []
        self.texts: list[str] = []
        self.unknown_rows: list[int] = []

    def _currency(self, company: str) -> str:
        row = self.state.get(Company, company)
        return row.currency if row else ""

    def _seat(self, company: int) -> Seat | None:
        if company not in self.seats:
            self.seats[company] = seat(self.state, self.names[company]) if company in self.names else None
        return self.seats[company]

    def _has_quick_codes(self, seated: Seat) -> bool:
        chart = seated.chart.chart
        if chart not in self.quick:
            self.quick[chart] = bool(quick_codes(self.state, chart))
        return self.quick[chart]

    def _epoch(self, head: Head) -> int:
        """Pairing rules with dates part time into stretches; a string is resolved once for each. -1 is history."""
        if head.history:
            return -1
        seated = self._seat(head.company)
        breaks = seated.chart.book.breaks if seated else ()
        return head.day if breaks else 0

    def _combination(self, key: tuple[int, str, str, int]) -> int:
        company, account, dimensions, epoch = key
        seated = self._seat(company)
        number = len(self.combinations)
        self._number[key] = number
        if seated is None:
            self.combinations.append(Combination(False, None, "", ""))
            return number
        if self._has_quick_codes(seated):
            account, dimensions = expand(self.state, seated, account, dimensions)
        if epoch == -1:
            found = restored(seated, account, dimensions, defaults=False)
        else:
            active = seated.chart.book.active(date.fromordinal(epoch)) if epoch else None
            found = resolve(seated, account, dimensions, active)
        special = found.natural in seated.currencies
        self.combinations.append(
            Combination(not found.faults and not special, found, seated.company, seated.chart.chart)
        )  # fmt: skip
        return number

    def feed(self, columns: Mapping[str, Sequence[str]], rows: Sequence[int]) -> None:
        """One chunk: cells by column name (columns the file lacks may be absent), and the rows' numbers in the file."""
        size = len(rows)
        empty: Sequence[str] = [""] * size

        def column(name: str) -> Sequence[str]:
            return columns.get(name) or empty

        journal = list(map(self.journals.get, zip(column("company"), column("journal"), strict=True)))
        numbers = [
            int(text) if len(text) < 10 and text.isdigit() and text.isascii() else -1 for text in column("line")
        ]  # fmt: skip
        heads, companies, digits, epochs = self.heads, self.companies, self.digits, self.epochs
        number = self._number
        companies_of: list[int] = []
        combinations: list[int] = []
        amounts: list[int] = []
        odd: list[bool] = []
        for j, own, account, dimensions, debit, credit, line in zip(
            journal, column("line_company"), column("account"), column("dimensions"), column("debit"), column("credit"),
            numbers, strict=True,
        ):  # fmt: skip
            if j is None:
                companies_of.append(-1)
                combinations.append(-1)
                amounts.append(0)
                odd.append(True)
                continue
            company = companies.get(own, -1) if own else heads[j].company
            key = (company, account, dimensions, epochs[j])
            at = number.get(key)
            if at is None:
                at = self._combination(key)
            d = digits[j]
            plus, minus = minor_units(debit, d), minor_units(credit, d)
            bad = plus < 0 or minus < 0 or (plus > 0) == (minus > 0) or line < 0 or company != heads[j].company
            companies_of.append(company)
            combinations.append(at)
            amounts.append(0 if bad and (plus < 0 or minus < 0) else plus - minus)
            odd.append(bad)
        partners = [companies.get(text, -1) if text else 0 for text in column("partner")]
        flags = column("generated")
        texts, odd_texts = self._texts(columns, size)
        self.parts.append(
            (
                np.array([-1 if j is None else j for j in journal], dtype=np.int64),
                np.array(numbers, dtype=np.int64),
                np.array(companies_of, dtype=np.int64),
                np.array(combinations, dtype=np.int64),
                np.array(partners, dtype=np.int64),
                np.array(amounts, dtype=np.int64),
                np.array([flag == "true" for flag in flags], dtype=bool),
                np.array(odd, dtype=bool)
                | odd_texts
                | np.array([flag not in ("", "true", "false") for flag in flags], dtype=bool),
                np.array(rows, dtype=np.int64),
            )
        )
        self.texts += texts

    def _texts(self, columns: Mapping[str, Sequence[str]], size: int) -> tuple[list[str], NDArray[np.bool_]]:
        """The free texts of each line joined by tabs, escaped; and which lines hold something that may not be kept."""
        given = [columns.get(name) for name in TEXTS]
        odd = np.zeros(size, dtype=bool)
        for column in given:
            if column and (max(map(len, column)) > LONGEST_TEXT or CONTROL.search("".join(column))):
                odd |= np.array([len(t) > LONGEST_TEXT or bool(CONTROL.search(t)) for t in column], dtype=bool)
        if not any(given):
            return ["\t\t\t\t"] * size, odd
        filled = [column or [""] * size for column in given]
        if any("\\" in t or "\t" in t or "\n" in t or "\r" in t for column in given if column for t in ("".join(column),)):
            filled = [[text.translate(ESCAPES) for text in column] for column in filled]
        return list(map("\t".join, zip(*filled, strict=True))), odd

    def finish(self, rules: Rules = Rules()) -> Accepted:  # noqa: B008
        """Judges all lines fed. Lines of journals that no row of `journals` names are not among them."""
        kinds = (np.int64,) * 6 + (bool, bool, np.int64)
        columns = [np.concatenate([p[i] for p in self.parts]) if self.parts else np.zeros(0, k) for i, k in enumerate(kinds)]
        journal, line, company, combination, partner, amount, generated, odd, row = columns
        self.unknown_rows = row[journal < 0].tolist()
        known = journal >= 0
        if not known.all():
            journal, line, company, combination, partner, amount, generated, odd, row = (c[known] for c in columns)
            self.texts = [text for text, keep in zip(self.texts, known.tolist(), strict=True) if keep]
        order = np.lexsort((line, journal))
        same = np.zeros(len(order), dtype=bool)
        if len(order) > 1:
            a, b = order[:-1], order[1:]
            same[1:] = (journal[a] == journal[b]) & (line[a] == line[b]) & (line[a] >= 0)
        doubled = order[same]
        twice = [(int(journal[i]), int(line[i]), int(row[i])) for i in doubled.tolist()]
        unusual = self._unusual(journal, combination, partner, amount, odd)
        unusual[journal[doubled]] = True
        unusual |= ~np.array(
            [h.plain and not self._period(h, rules)[1] for h in self.heads], dtype=bool
        ) if self.heads else unusual  # fmt: skip
        return Accepted(journal, line, company, combination, partner, amount, generated, row, self.texts, unusual, twice)

    def _unusual(
        self, journal: NDArray[Any], combination: NDArray[Any], partner: NDArray[Any], amount: NDArray[Any], odd: NDArray[Any]
    ) -> NDArray[np.bool_]:
        count = len(self.heads)
        ok = np.array([c.ok for c in self.combinations] or [True], dtype=bool)
        start = np.array([_day(c.found.start if c.found else None, FIRST_DAY) for c in self.combinations] or [FIRST_DAY])
        until = np.array([_day(c.found.until if c.found else None, LAST_DAY) for c in self.combinations] or [LAST_DAY])
        day = np.array([h.day for h in self.heads] or [0])[journal]
        bad = odd | ~ok[combination] | (partner < 0) | (day < start[combination]) | (day > until[combination])
        unusual = np.zeros(count, dtype=bool)
        np.logical_or.at(unusual, journal, bad)
        unusual |= np.bincount(journal, minlength=count) < 2
        sums = np.zeros(count, dtype=np.int64)
        np.add.at(sums, journal, amount)
        size = np.zeros(count)
        np.add.at(size, journal, np.abs(amount.astype(np.float64)))
        unusual |= (sums != 0) | (size > 9e18)
        return unusual

    def _period(self, head: Head, rules: Rules) -> tuple[Any, bool]:
        """The period of a journal, and whether it cannot simply be posted to."""
        period, what, _ = self.period_of(head.journal.company, head.journal.date, head.journal.kind, rules)
        return period, period is None or (bool(what) and not head.history)

    def period_of(self, company: str, on: date, kind: str, rules: Rules) -> tuple[Any, str, str]:
        key = (company, on, kind)
        memo: dict[Any, Any] = self.__dict__.setdefault("_periods", {})
        if key not in memo:
            memo[key] = period_fault(self.state, company, on, kind, rules)
        return memo[key]  # type: ignore[no-any-return]


def _day(value: date | None, otherwise: int) -> int:
    return value.toordinal() if value else otherwise


def head_of(state: State, journal: Journal, companies: Mapping[str, int]) -> Head:
    row = state.get(Company, journal.company)
    plain = row is not None and (journal.currency or row.currency) == row.currency and journal.rate is None
    return Head(journal, companies.get(journal.company, -1), journal.date.toordinal(), bool(journal.posted_at), plain)
