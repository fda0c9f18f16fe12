"""Revaluation: what accounts hold in foreign currencies, brought to the closing rate of a period by journal.

Chosen accounts are those marked to be revalued, by their code or by the company. A balance is what lines
keyed in a foreign currency come to, by account string, dimensions, partner and currency; its booked worth is
what those lines came to in the company's currency and what revaluations added since, which carry the mark
REVALUATION and the currency. So a balance is brought to the rate once, whatever was done before, and taking a
revaluation back brings it to where it was.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import date
from fractions import Fraction
from typing import NamedTuple

from core.books.journals import BookedLine, PostingContext, period_fault
from core.books.periods import company_calendar
from core.books.roundings import rounding
from core.closing.named_accounts import named_account
from core.codes.lists import list_index
from core.definitions.state import State
from core.definitions.tables import Company, CompanyAccount, Period, Rate
from core.faults import Fault, Location
from core.money import digits_of
from core.structures.charts import company_context

REVALUATION = "revaluation"
"""The source type of its lines; their source number is the currency."""


class ForeignBalance(NamedTuple):
    """What stands on an account in a currency: raw minor units of that, and what it is booked at in the
    company's own."""

    account: str
    natural: str
    dimensions: str
    partner: str
    currency: str
    keyed: int
    booked: int


class Revalued(NamedTuple):
    """A balance at the closing rate; `rate` is None where there is none."""

    balance: ForeignBalance
    rate: Fraction | None
    worth: int

    @property
    def difference(self) -> int:
        """Raw: what a line on the account must bring."""
        return self.worth - self.balance.booked


@dataclass(frozen=True, slots=True)
class Revaluation:
    """A company's balances at a period's end, the lines that bring them to the rate, and why they can't be
    posted."""

    company: str
    period: Period | None
    rows: tuple[Revalued, ...]
    lines: tuple[BookedLine, ...]
    faults: tuple[Fault, ...]

    @property
    def difference(self) -> int:
        """Raw: what all of it comes to; plus is a gain."""
        return sum(row.difference for row in self.rows)


def accounts_revalued(state: State, company: str) -> frozenset[str]:
    """Accounts marked to be revalued, by their code or by the company."""
    context = company_context(state, company)
    if context is None:
        return frozenset()
    codes = list_index(state, context.chart.natural_list).codes.values()
    own = {row.code for row in state.part(CompanyAccount, company).values() if row.revalue}
    return frozenset({code.code for code in codes if code.revalue} | own)


def closing_rate(state: State, currency: str, into: str, first: date, last: date) -> Fraction | None:
    """The newest closing rate of days between: directly, turned round, or through a third currency."""
    rows: dict[tuple[str, str], Rate] = {}
    for row in sorted(state.rows(Rate), key=lambda row: row.on):
        if row.kind == "closing" and first <= row.on <= last:
            rows[row.from_currency, row.to_currency] = row

    def leg(one: str, other: str) -> Fraction | None:
        if row := rows.get((one, other)):
            return Fraction(row.rate)
        turned = rows.get((other, one))
        return 1 / Fraction(turned.rate) if turned else None

    if direct := leg(currency, into):
        return direct
    for third in sorted({name for pair in rows for name in pair} - {currency, into}):
        if (one := leg(currency, third)) and (two := leg(third, into)):
            return one * two
    return None


def revaluation(
    state: State,
    company: str,
    year: int,
    number: int,
    balances: Iterable[ForeignBalance],
    rules: PostingContext,
) -> Revaluation:
    """The lines that bring each balance to the rate, and one on the chart's `exchange_account` for all."""
    row, context = state.get(Company, company), company_context(state, company)
    period = company_calendar(state, company).periods.get((year, number))
    place = Location("companies", (company,))
    if row is None or context is None or period is None or period.kind != "regular":
        what = f"{company} has no regular period {number} in {year}."
        return Revaluation(
            company, None, (), (), (Fault("reference", what, place, "Choose another period."),)
        )
    rows = tuple(_at_rate(state, row, period, balance) for balance in sorted(balances))
    faults = list(_missing(row, rows))
    moved = [one for one in rows if one.rate is not None and one.difference]
    lines = [_line(i, company, period, one) for i, one in enumerate(moved, 1)]
    total = sum(one.difference for one in moved)
    if moved:
        faults += _not_open(state, company, period, rules)
        account, dimensions, refused = named_account(
            state, row, context, "exchange_account", "account takes differences of exchange"
        )
        faults += refused
        if total and not refused:
            taken = ForeignBalance(account, context.chart.natural_of(account), dimensions, "", "", 0, total)
            lines.append(_line(len(moved) + 1, company, period, Revalued(taken, None, 0)))
    return Revaluation(company, period, rows, tuple(lines), tuple(faults))


def _at_rate(state: State, row: Company, period: Period, balance: ForeignBalance) -> Revalued:
    rate = closing_rate(state, balance.currency, row.currency, period.starts_on, period.ends_on)
    if not balance.keyed:  # nothing is left in the currency: nothing is its worth, whatever the rate
        return Revalued(balance, rate or Fraction(0), 0)
    if rate is None:
        return Revalued(balance, None, balance.booked)
    digits = digits_of(row.currency) - digits_of(balance.currency)
    rounded = rounding(state, row.currency, "revaluation", period.ends_on)
    return Revalued(balance, rate, rounded(Fraction(balance.keyed) * rate * Fraction(10) ** digits))


def _missing(row: Company, rows: Sequence[Revalued]) -> Iterator[Fault]:
    for currency in sorted({one.balance.currency for one in rows if one.rate is None}):
        what = f"There is no closing rate of {currency} to {row.currency} in the period."
        yield Fault("rate-missing", what, Location("rates"), "Give it on the page of rates.")


def _not_open(state: State, company: str, period: Period, rules: PostingContext) -> Iterator[Fault]:
    _, what, way_out = period_fault(state, company, period.ends_on, "adjusting", rules)
    if what:
        yield Fault("period-not-open", what, Location("periods"), way_out)


def _line(number: int, company: str, period: Period, what: Revalued) -> BookedLine:
    balance = what.balance
    return BookedLine(
        number,
        company,
        balance.account,
        balance.natural,
        balance.dimensions,
        what.difference,
        what.difference,
        balance.partner,
        False,
        period.fiscal_year,
        period.period,
        ("", REVALUATION if balance.currency else "", balance.currency, "", ""),
    )
