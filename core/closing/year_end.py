"""A year's end: closing journals that carry the result of a fiscal year to an equity account.

Revenue and expense accounts begin each year at nothing, so what they come to in the year, closing journals
counted, is what is left to carry: each account string, dimension combination and partner is brought to zero,
and one line on the chart's `result_account` takes the sum.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date
from typing import NamedTuple

from core.books.journals import BookedLine, PostingContext, period_fault
from core.books.periods import CalendarIndex, company_calendar
from core.closing.named_accounts import named_account
from core.definitions.state import State
from core.definitions.tables import Company, Period
from core.faults import Fault, Location
from core.structures.charts import company_context


class ResultBalance(NamedTuple):
    """What a revenue or expense account comes to in a year, raw."""

    account: str
    natural: str
    dimensions: str
    partner: str
    amount: int


@dataclass(frozen=True, slots=True)
class YearEnd:
    """What is left to carry of a company's year: the lines that carry it, and why it can't be."""

    company: str
    year: int
    period: Period | None
    closed: tuple[BookedLine, ...]
    """one for each balance, its opposite"""
    equity: tuple[BookedLine, ...]
    """the line that takes the sum; none where it is nothing, or nobody says where it goes"""
    faults: tuple[Fault, ...]

    @property
    def lines(self) -> tuple[BookedLine, ...]:
        return (*self.closed, *self.equity)

    @property
    def result(self) -> int:
        """What is left, credit plus: a profit is positive."""
        return sum(line.amount for line in self.closed)

    @property
    def is_ready(self) -> bool:
        return bool(self.lines) and not self.faults


def closing_period(calendar: CalendarIndex, year: int) -> Period | None:
    """Where closing journals of a year go: its last closing period, or where there is none its last regular
    one."""
    rows = calendar.of_year(year)
    closing = [row for row in rows if row.kind == "closing"]
    regular = [row for row in rows if row.kind == "regular"]
    last = closing or regular
    return last[-1] if last else None


def still_running(state: State, companies: Iterable[str], year: int, today: date) -> str:
    """A sentence where a year is to be carried before it is over; empty where it is over for all."""
    last_days: dict[date, list[str]] = {}
    for company in companies:
        regular = [row for row in company_calendar(state, company).of_year(year) if row.kind == "regular"]
        if regular and regular[-1].ends_on >= today:
            last_days.setdefault(regular[-1].ends_on, []).append(state.require(Company, company).name)
    if not last_days:
        return ""
    parts = [f"of {', '.join(names)} until {day}" for day, names in sorted(last_days.items())]
    more = "What is posted after this stays to be carried once more."
    return f"{year} is still running: {'; '.join(parts)}. {more}"


def year_end(
    state: State, company: str, year: int, balances: Iterable[ResultBalance], rules: PostingContext
) -> YearEnd:
    """The lines that carry the result. Codes closed since may still be booked back: they
    hold nothing but what was posted."""
    period = closing_period(company_calendar(state, company), year)
    row, context = state.get(Company, company), company_context(state, company)
    place = Location("companies", (company,))
    if row is None or context is None or period is None:
        what = f"{company} has no fiscal year {year}."
        return YearEnd(company, year, None, (), (), (Fault("reference", what, place, "Add its periods."),))
    left = sorted(balance for balance in balances if balance.amount)
    if not left:
        return YearEnd(company, year, period, (), (), ())
    faults = list(_period_faults(state, company, period, rules))
    account, dimensions, refused = named_account(
        state, row, context, "result_account", "equity account takes the result"
    )
    closed = [_line(i, company, period, one._replace(amount=-one.amount)) for i, one in enumerate(left, 1)]
    total = sum(balance.amount for balance in left)
    equity = []
    if total and not refused:
        taken = ResultBalance(account, context.chart.natural_of(account), dimensions, "", total)
        equity = [_line(len(left) + 1, company, period, taken)]
    return YearEnd(company, year, period, tuple(closed), tuple(equity), (*faults, *refused))


def _period_faults(state: State, company: str, period: Period, rules: PostingContext) -> Iterable[Fault]:
    found, what, way_out = period_fault(state, company, period.ends_on, "closing", rules)
    if found is not None and found != period:
        what, way_out = (
            f"{period.ends_on} falls into {found.name}, not into {period.name}.",
            "Mend the calendar.",
        )
    if what:
        yield Fault("period-not-open", what, Location("periods"), way_out)


def _line(number: int, company: str, period: Period, what: ResultBalance) -> BookedLine:
    return BookedLine(
        number,
        company,
        what.account,
        what.natural,
        what.dimensions,
        what.amount,
        what.amount,
        what.partner,
        False,
        period.fiscal_year,
        period.period,
        ("",) * 5,
    )


def next_period(calendar: CalendarIndex, year: int) -> Period | None:
    """The first regular period after a year."""
    later = [row for row in calendar.regular if row.fiscal_year > year]
    return min(later, key=lambda row: row.starts_on, default=None)
