"""Many journals at once: lines as columns, checked in arrays. What is plainly in order is waved through;
every journal
with anything unusual (a fault, several companies, a foreign currency) is named, to be checked one by one.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from typing import Any

import numpy as np
from numpy.typing import NDArray

from core.books.journals import PostingContext, partner_problem, period_fault
from core.books.line_columns import LineColumns, paired
from core.definitions.state import State
from core.definitions.tables import Company, Journal
from core.money import LIMIT, digits_of
from core.structures.accounts import ResolvedAccount, resolve, restored
from core.structures.charts import CompanyContext, company_context, context_in
from core.structures.quick_codes import expand, quick_codes
from core.structures.second_charts import posted_in

FIRST_DAY, LAST_DAY = date.min.toordinal(), date.max.toordinal()
HISTORY, IN_CHARTS_BEFORE = -1, LAST_DAY + 1


@dataclass(frozen=True, slots=True)
class JournalHeader:
    """A journal as the batch needs it. `plain`: in its company's currency and of a known company."""

    journal: Journal
    company: int
    day: int
    history: bool
    plain: bool


@dataclass(slots=True)
class Combination:
    """One account text with dimensions of one company: what it resolves to. `ok` is false where anything is
    wrong."""

    ok: bool
    found: ResolvedAccount | None
    company: str
    chart: str


@dataclass(frozen=True, slots=True)
class Accepted:
    """Lines in order as equal-length columns, ready to be posted; and journals (indices) to be checked one by
    one."""

    journal: NDArray[np.int64]
    line: NDArray[np.int64]
    company: NDArray[np.int64]
    combination: NDArray[np.int64]
    partner: NDArray[np.int64]
    amount: NDArray[np.int64]
    generated: NDArray[np.bool_]
    row: NDArray[np.int64]
    at: NDArray[np.int64]
    """the place of each line among all that were fed"""
    unusual: NDArray[np.bool_]
    twice: list[tuple[int, int, int]]
    """(journal index, line, row) of lines whose key stood before"""


class Batch:
    """Fed with chunks of lines as columns; `finish` tells what may be posted as it stands."""

    def __init__(self, state: State, heads: list[JournalHeader], companies: Mapping[str, int]) -> None:
        self.state, self.heads = state, heads
        self.journals = {(h.journal.company, h.journal.journal): i for i, h in enumerate(heads)}
        self.companies = dict(companies)
        self.partners = {name: at for name, at in companies.items() if not partner_problem(state, name)}
        self.names = {number: name for name, number in companies.items()}
        self.seats: dict[int, CompanyContext | None] = {}
        self.currencies = {name: self._currency(name) for name in companies}
        self.digits = [
            digits_of(h.journal.currency or self.currencies.get(h.journal.company, "")) for h in heads
        ]
        self.charts_before: list[str] = []
        """in which companies posted before they moved; their history is resolved in them"""
        self.epochs = [self._epoch(h) for h in heads]
        self.quick: dict[str, bool] = {}
        self.combinations: list[Combination] = []
        self._number: dict[tuple[int, str, str, int], int] = {}
        self.parts: list[tuple[Any, ...]] = []
        self.unknown_rows: list[int] = []

    def _currency(self, company: str) -> str:
        row = self.state.get(Company, company)
        return row.currency if row else ""

    def _seat(self, company: int) -> CompanyContext | None:
        if company not in self.seats:
            self.seats[company] = (
                company_context(self.state, self.names[company]) if company in self.names else None
            )
        return self.seats[company]

    def _has_quick_codes(self, seated: CompanyContext) -> bool:
        chart = seated.chart.chart
        if chart not in self.quick:
            self.quick[chart] = bool(quick_codes(self.state, chart))
        return self.quick[chart]

    def _epoch(self, head: JournalHeader) -> int:
        """Pairing rules with dates part time into stretches; a string is resolved once for each. -1 is
        history; from `IN_CHARTS_BEFORE` on history in the chart before of that place."""
        if head.history:
            row = self.state.get(Company, head.journal.company)
            chart = posted_in(self.state, row, head.journal.posted_at) if row else ""
            if row is None or chart == row.chart:
                return HISTORY
            if chart not in self.charts_before:
                self.charts_before.append(chart)
            return IN_CHARTS_BEFORE + self.charts_before.index(chart)
        seated = self._seat(head.company)
        breaks = seated.chart.book.breaks if seated else ()
        return head.day if breaks else 0

    def _combination(self, key: tuple[int, str, str, int]) -> int:
        company, account, dimensions, epoch = key
        seated = self._seat(company)
        if seated is not None and epoch >= IN_CHARTS_BEFORE:
            seated = context_in(self.state, seated.company, self.charts_before[epoch - IN_CHARTS_BEFORE])
        number = len(self.combinations)
        self._number[key] = number
        if seated is None:
            self.combinations.append(Combination(False, None, "", ""))
            return number
        if self._has_quick_codes(seated):
            account, dimensions = expand(self.state, seated, account, dimensions)
        if epoch == HISTORY or epoch >= IN_CHARTS_BEFORE:
            resolved = restored(seated, account, dimensions, defaults=False)
        else:
            active = seated.chart.book.active(date.fromordinal(epoch)) if epoch else None
            resolved = resolve(seated, account, dimensions, active)
        special = resolved.natural in seated.currencies
        self.combinations.append(
            Combination(not resolved.faults and not special, resolved, seated.company, seated.chart.chart)
        )
        return number

    def feed(self, lines: LineColumns) -> None:
        """One chunk of lines."""
        pair, first = paired(lines.company.codes, lines.journal.codes)
        companies, journals = lines.company, lines.journal
        items = [
            self.journals.get((companies.texts[companies.codes[i]], journals.texts[journals.codes[i]]), -1)
            for i in first.tolist()
        ]
        journal = np.array(items or [0], dtype=np.int64)[pair]
        known = journal >= 0
        own = np.array([h.company for h in self.heads] or [-1], dtype=np.int64)[journal]
        company = lines.line_company.each(lambda text: self.companies.get(text, -1) if text else -2)
        company = np.where(company == -2, own, company)
        number = lines.line.each(
            lambda text: int(text) if len(text) < 10 and text.isdigit() and text.isascii() else -1
        )
        digits = np.array(self.digits or [0], dtype=np.int64)[journal]
        plus, minus = lines.debit.minor(digits, LIMIT), lines.credit.minor(digits, LIMIT)
        unread = (plus < 0) | (minus < 0)
        flag = lines.generated.each(lambda text: {"": 0, "false": 0, "true": 1}.get(text, -1))
        odd = (
            unread
            | ((plus > 0) == (minus > 0))
            | (number < 0)
            | (company != own)
            | lines.odd
            | (flag < 0)
            | ~known
        )
        self.parts.append(
            (
                journal,
                number,
                np.where(known, company, -1),
                self._combined(lines, known, company, journal),
                lines.partner.each(lambda text: self.partners.get(text, -1) if text else 0),
                np.where(unread | ~known, 0, plus - minus),
                flag > 0,
                odd,
                lines.rows,
            )
        )

    def _combined(
        self, lines: LineColumns, known: NDArray[np.bool_], company: NDArray[Any], journal: NDArray[Any]
    ) -> NDArray[np.int64]:
        """The combination of each line: what its account and dimensions come to in its company at its
        time."""
        epoch = np.array(self.epochs or [0], dtype=np.int64)[journal]
        kind, first = paired(np.where(known, company, -1), lines.account.codes, lines.dimensions.codes, epoch)
        accounts, dimensions = lines.account, lines.dimensions
        pairs = []
        for i, sound in zip(first.tolist(), known[first].tolist(), strict=True):
            key = (
                int(company[i]),
                accounts.texts[accounts.codes[i]],
                dimensions.texts[dimensions.codes[i]],
                int(epoch[i]),
            )
            at = self._number.get(key)
            pairs.append((self._combination(key) if at is None else at) if sound else -1)
        return np.array(pairs or [-1], dtype=np.int64)[kind]

    def finish(self, rules: PostingContext = PostingContext()) -> Accepted:  # noqa: B008
        """Judges all lines fed. Lines of journals that no row of `journals` names are not among them."""
        kinds = (np.int64,) * 6 + (bool, bool, np.int64)
        columns = [
            np.concatenate([p[i] for p in self.parts]) if self.parts else np.zeros(0, k)
            for i, k in enumerate(kinds)
        ]
        journal, line, company, combination, partner, amount, generated, odd, row = columns
        self.unknown_rows = row[journal < 0].tolist()
        known = journal >= 0
        if not known.all():
            journal, line, company, combination, partner, amount, generated, odd, row = (
                c[known] for c in columns
            )
        order = np.lexsort((line, journal))
        same = np.zeros(len(order), dtype=bool)
        if len(order) > 1:
            a, b = order[:-1], order[1:]
            same[1:] = (journal[a] == journal[b]) & (line[a] == line[b]) & (line[a] >= 0)
        doubled = order[same]
        twice = [(int(journal[i]), int(line[i]), int(row[i])) for i in doubled.tolist()]
        unusual = self._unusual(journal, combination, partner, amount, odd)
        unusual[journal[doubled]] = True
        unusual |= (
            ~np.array([h.plain and not self._period(h, rules)[1] for h in self.heads], dtype=bool)
            if self.heads
            else unusual
        )
        return Accepted(
            journal,
            line,
            company,
            combination,
            partner,
            amount,
            generated,
            row,
            np.flatnonzero(known),
            unusual,
            twice,
        )

    def _unusual(
        self,
        journal: NDArray[Any],
        combination: NDArray[Any],
        partner: NDArray[Any],
        amount: NDArray[Any],
        odd: NDArray[Any],
    ) -> NDArray[np.bool_]:
        count = len(self.heads)
        ok = np.array([c.ok for c in self.combinations] or [True], dtype=bool)
        start = np.array(
            [_day(c.found.start if c.found else None, FIRST_DAY) for c in self.combinations] or [FIRST_DAY]
        )
        until = np.array(
            [_day(c.found.until if c.found else None, LAST_DAY) for c in self.combinations] or [LAST_DAY]
        )
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

    def _period(self, head: JournalHeader, rules: PostingContext) -> tuple[Any, bool]:
        """The period of a journal, and whether it cannot simply be posted to."""
        period, what, _ = self.period_of(head.journal.company, head.journal.date, head.journal.kind, rules)
        return period, period is None or (bool(what) and not head.history)

    def period_of(self, company: str, on: date, kind: str, rules: PostingContext) -> tuple[Any, str, str]:
        key = (company, on, kind)
        memo: dict[Any, Any] = self.__dict__.setdefault("_periods", {})
        if key not in memo:
            memo[key] = period_fault(self.state, company, on, kind, rules)
        return memo[key]  # type: ignore[no-any-return]


def _day(value: date | None, otherwise: int) -> int:
    return value.toordinal() if value else otherwise


def head_of(state: State, journal: Journal, companies: Mapping[str, int]) -> JournalHeader:
    row = state.get(Company, journal.company)
    plain = row is not None and (journal.currency or row.currency) == row.currency and journal.rate is None
    return JournalHeader(
        journal, companies.get(journal.company, -1), journal.date.toordinal(), bool(journal.posted_at), plain
    )
