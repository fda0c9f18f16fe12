"""One journal: its lines resolved, due-to and due-from lines added, checked as docs/calculation-rules.md
says.

This is the way for a journal keyed in and for every journal that `journal_batch` cannot wave through.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from datetime import date
from decimal import Decimal
from fractions import Fraction

from core.books.periods import company_calendar
from core.books.roundings import rounding
from core.definitions.state import State
from core.definitions.tables import Company, CompanyCurrency, IntercompanyPair, Journal, JournalLine, Period
from core.fault_codes import AMOUNT, FaultCode
from core.faults import Fault, Location, blocking
from core.money import digits_of, format_amount, minor_digits, parse_amount
from core.structures.accounts import ResolvedAccount, date_faults, resolve, restored
from core.structures.charts import CompanyContext, company_context, context_in
from core.structures.quick_codes import expand
from core.structures.second_charts import posted_in

UNREAD_BY_JOURNALS = frozenset(
    [
        "statements",
        "statement_lines",
        "non_cash_pairs",
        "groups",
        "group_members",
        "mappings",
        "eliminations",
        "ownership_changes",
        "translation_rules",
        "group_openings",
        "acquisitions",
        "acquired_equity",
        "chart_mappings",
        "disagreement_notes",
        "budgets",
        "column_sets",
        "arrangements",
        "arranged_lines",
        "rollouts",
        "rollout_items",
        "code_names",
        "code_properties",
        "list_properties",
        "doubts_set_aside",
    ]
)
"""Tables that no journal is judged by: whoever changes those keeps nobody from posting."""


@dataclass(frozen=True, slots=True)
class BookedLine:
    """A line as it is posted. `amount` is raw (debit plus) in minor units of the company's currency;
    `keyed` the same in the journal's currency."""

    number: int
    company: str
    account: str
    natural: str
    dimensions: str
    amount: int
    keyed: int
    partner: str
    generated: bool
    fiscal_year: int
    period: int
    texts: tuple[str, str, str, str, str]
    """description, source type, number, party, item"""
    chart: str = ""
    """of its account; empty: the one that the company is on"""


@dataclass(frozen=True, slots=True)
class Checked:
    """What became of a journal: lines ready to post (those added last), and faults. Post only without
    faults."""

    lines: tuple[BookedLine, ...]
    faults: tuple[Fault, ...]


@dataclass(frozen=True, slots=True)
class PostingContext:
    """Who is asking: `restricted_in` are the companies into whose restricted periods they may post (None:
    all); `owner` narrows personal quick codes."""

    restricted_in: frozenset[str] | None = None
    owner: str | None = None


def line_place(line: JournalLine, column: str, value: str) -> Location:
    return Location("journal_lines", (line.company, line.journal, line.line), column, value)


def journal_place(journal: Journal, column: str = "journal", value: str = "") -> Location:
    return Location("journals", (journal.company, journal.journal), column, value or journal.journal)


def partner_problem(state: State, partner: str) -> str:
    """Why a company can't be a line's partner, as a sentence; empty where it can, or where none is named."""
    row = state.get(Company, partner) if partner else None
    if partner and row is None:
        return f"There is no company {partner}."
    return f"{partner} adjusts {row.adjusts} and is nobody's partner." if row and row.adjusts else ""


def amount_of(line: JournalLine, digits: int) -> tuple[int, Fault | None]:
    """The raw amount of a line in minor units of the journal's currency; zero counts as none."""
    sides = []
    for column, text in (("debit", line.debit), ("credit", line.credit)):
        value = parse_amount(text, digits) if text else 0
        if isinstance(value, str):
            return 0, Fault("amount-unreadable", value, line_place(line, column, text), "Correct the amount.")
        if value < 0:
            return 0, Fault(
                "amount-negative",
                f"A {column} is not negative.",
                line_place(line, column, text),
                "Put the amount on the other side.",
            )
        sides.append(value)
    debit, credit = sides
    if debit and credit:
        return 0, Fault(
            "amount-both",
            "A line has a debit or a credit, not both.",
            line_place(line, "credit", line.credit),
            "Split it into two lines.",
        )
    if not debit and not credit:
        return 0, Fault(
            "amount-none",
            "The line has no amount.",
            line_place(line, "debit", line.debit),
            "Give a debit or a credit.",
        )
    return debit - credit, None


def currencies_keyed(state: State, company: Company) -> frozenset[str] | None:
    """The currencies in which journals of a company may be keyed; None for all."""
    if not company.foreign_currencies:
        return frozenset({company.currency})
    rows = state.part(CompanyCurrency, company.company).values()
    return frozenset({company.currency, *(row.currency for row in rows)}) if rows else None


def currency_faults(state: State, journal: Journal, company: Company) -> list[Fault]:
    """The journal's currency is one of those that the company keys, and has a rate unless it is the company's
    own. History was keyed when other ones may have been."""
    currency = journal.currency or company.currency
    if minor_digits(currency) is None:
        return [
            Fault(
                "currency-unknown",
                f"{currency} is not an ISO 4217 currency.",
                journal_place(journal, "currency", currency),
                "Use a code such as EUR.",
            )
        ]
    if currency == company.currency:
        if journal.rate not in (None, Decimal(1)):
            return [
                Fault(
                    "rate-not-needed",
                    f"{currency} is the company's own currency and needs no rate.",
                    journal_place(journal, "rate", str(journal.rate)),
                    "Leave the rate empty.",
                )
            ]
        return []
    keyed = currencies_keyed(state, company)
    if keyed is not None and currency not in keyed and not journal.posted_at:
        others = ", ".join(sorted(keyed - {company.currency}))
        return [
            Fault(
                "currency-not-kept",
                f"{company.company} keeps its books in {company.currency}, and keys {others} besides."
                if others
                else f"{company.company} keeps its books in {company.currency} only.",
                journal_place(journal, "currency", currency),
                "Key the journal in one of them, or allow the currency for the company."
                if others
                else "Key the journal in that currency, or allow foreign currencies for the company.",
            )
        ]
    if journal.rate is None:
        return [
            Fault(
                "rate-missing",
                f"A journal in {currency} needs its rate to {company.currency}.",
                journal_place(journal, "rate", ""),
                "Give how much 1 unit of it is worth.",
            )
        ]
    return []


def period_fault(
    state: State, company: str, on: date, kind: str, rules: PostingContext
) -> tuple[Period | None, str, str]:
    """The period a date falls into, and why it cannot be posted to with the way out (empty where it can)."""
    period = company_calendar(state, company).period_of(on, kind)
    if period is None:
        return (
            None,
            f"{on} falls into no period of company {company}.",
            "Choose another date or add the period.",
        )
    if period.status == "closed":
        return period, f"{period.name} is closed for company {company}.", "Choose a date in an open period."
    is_shut = rules.restricted_in is not None and company not in rules.restricted_in
    if period.status == "restricted" and is_shut:
        return (
            period,
            f"{period.name} is restricted for company {company}.",
            "Ask a group accountant to post it, or somebody who posts into restricted periods.",
        )
    return period, "", ""


class _Check:
    """Gathers what one journal needs while its lines are gone through."""

    def __init__(self, state: State, journal: Journal, rules: PostingContext) -> None:
        self.state, self.journal, self.rules = state, journal, rules
        self.history = bool(journal.posted_at)
        self.faults: list[Fault] = []
        self.lines: list[BookedLine] = []
        self.company = state.get(Company, journal.company)
        self.currency = journal.currency or (self.company.currency if self.company else "")
        self.digits = digits_of(self.currency)
        self.periods: dict[str, Period | None] = {}

    def tell(
        self, code: FaultCode, what: str, way_out: str, column: str = "journal", value: str = ""
    ) -> None:
        self.faults.append(Fault(code, what, journal_place(self.journal, column, value), way_out))

    def period(self, company: str) -> Period | None:
        """Told once for each company of the journal, at the journal's date."""
        if company not in self.periods:
            period, what, way_out = period_fault(
                self.state, company, self.journal.date, self.journal.kind, self.rules
            )
            if what and not (self.history and period):
                self.tell("period-not-open", what, way_out, "date", str(self.journal.date))
            self.periods[company] = period
        return self.periods[company]

    def resolved(self, seated: CompanyContext, account: str, dimensions: str) -> ResolvedAccount:
        if self.history:
            return restored(seated, account, dimensions, defaults=False)
        active = seated.chart.book.active(self.journal.date) if seated.chart.book.breaks else None
        account_found = resolve(seated, account, dimensions, active)
        late = date_faults(seated.chart, account_found, self.journal.date)
        return replace(account_found, faults=(*account_found.faults, *late)) if late else account_found

    def booked(self, keyed: int) -> int:
        rate = self.journal.rate
        if rate is None or self.company is None or self.currency == self.company.currency:
            return keyed
        shift = Fraction(10) ** (digits_of(self.company.currency) - self.digits)
        rounded = rounding(self.state, self.company.currency, "keyed", self.journal.date)
        return rounded(Fraction(keyed) * Fraction(rate) * shift)

    def partner_of(self, line: JournalLine) -> None:
        if what := partner_problem(self.state, line.partner):
            place = line_place(line, "partner", line.partner)
            self.faults.append(Fault("partner-unknown", what, place, "Choose a company."))

    def line(self, line: JournalLine) -> None:
        name = line.line_company or self.journal.company
        company_row = self.state.get(Company, name)
        chart = posted_in(self.state, company_row, self.journal.posted_at) if company_row else ""
        seated = context_in(self.state, name, chart)
        amount, fault = amount_of(line, self.digits)
        if fault:
            self.faults.append(fault)
        self.partner_of(line)
        if seated is None or company_row is None:
            what, place = f"There is no company {name}.", line_place(line, "line_company", name)
            self.faults.append(Fault("company-unknown", what, place, "Choose a company."))
            return
        if self.company and company_row.currency != self.company.currency:
            self.faults.append(
                Fault(
                    "currency-mixed",
                    f"{name} keeps its books in {company_row.currency}, {self.company.company} in"
                    f" {self.company.currency}.",
                    line_place(line, "line_company", name),
                    "Lines of one journal belong to companies of one currency.",
                )
            )
        owner = self.rules.owner
        figures = self.resolved(seated, *expand(self.state, seated, line.account, line.dimensions, owner))
        for problem in figures.faults:
            value = line.account if problem.where.column == "account" else line.dimensions
            self.faults.append(replace(problem, where=line_place(line, problem.where.column, value)))
        wanted = seated.currencies.get(figures.natural)
        if wanted and wanted != self.currency and not self.history:
            self.faults.append(
                Fault(
                    "account-currency",
                    f"{figures.natural} of company {name} takes {wanted} only.",
                    line_place(line, "account", line.account),
                    f"Key the journal in {wanted}.",
                )
            )
        texts = (line.description, line.source_type, line.source_number, line.source_party, line.source_item)
        self.add(name, figures, amount, line.partner, line.line, line.generated, texts, chart)

    def add(
        self,
        company: str,
        found: ResolvedAccount,
        keyed: int,
        partner: str,
        number: int,
        generated: bool,
        texts: tuple[str, str, str, str, str] = ("",) * 5,
        chart: str = "",
    ) -> None:
        period = self.period(company)
        year, number_of = (period.fiscal_year, period.period) if period else (0, 0)
        self.lines.append(
            BookedLine(
                number,
                company,
                found.account,
                found.natural,
                found.dimensions,
                self.booked(keyed),
                keyed,
                partner,
                generated,
                year,
                number_of,
                texts,
                chart,
            )
        )

    def due_line(self, company: str, partner: str, net: int, number: int) -> None:
        """`company` is owed `net` by `partner` (a debit on its due-from account), or owes it (a credit on
        due-to)."""
        pair = self.state.get(IntercompanyPair, company, partner)
        if pair is None:
            what = (
                f"{company} has no intercompany pair for {partner}, so no due-to or due-from line "
                f"can be added for {format_amount(abs(net), self.digits)}."
            )
            self.tell("pair-missing", what, "Add the pair on storey 3, Companies.")
            return
        seated = company_context(self.state, company)
        other = company_context(self.state, partner)
        if seated is None or other is None:
            return
        chart = seated.chart
        parts = [""] * len(chart.segments)
        parts[chart.natural] = pair.due_from if net > 0 else pair.due_to
        if chart.company >= 0 and chart.segments[chart.company].default not in seated.codes:
            parts[chart.company] = seated.own_code()
        for i, segment in enumerate(chart.segments):
            if segment.role == "intercompany" and not segment.default and other.own_code() in segment.codes:
                parts[i] = other.own_code()
        resolved = self.resolved(seated, chart.separator.join(parts), "")
        for problem in resolved.faults:
            self.tell(
                problem.code,
                f"The added line {resolved.account} of {company}: {problem.what}",
                problem.way_out,
            )
        self.add(company, resolved, net, partner, number, True)

    def due_lines(self) -> None:
        nets: dict[str, int] = {}
        for line in self.lines:
            nets[line.company] = nets.get(line.company, 0) + line.keyed
        number = max((line.number for line in self.lines), default=0)
        for other in sorted(nets):
            if other == self.journal.company or not nets[other]:
                continue
            number += 1
            self.due_line(self.journal.company, other, nets[other], number)
            number += 1
            self.due_line(other, self.journal.company, -nets[other], number)

    def balance(self) -> None:
        sums: dict[str, int] = {}
        for line in self.lines:
            sums[line.company] = sums.get(line.company, 0) + line.keyed
        for company, total in sorted(sums.items()):
            if total:
                side = "debits" if total > 0 else "credits"
                what = (
                    f"The journal does not balance: {company} has {format_amount(abs(total), self.digits)} "
                    f"more {side}."
                )
                self.tell("unbalanced", what, "Debits equal credits in every company.")

    def settle_rounding(self) -> None:
        """After conversion the sides may differ by less than a unit a line; the largest line of a company
        takes it."""
        sums: dict[str, int] = {}
        for line in self.lines:
            sums[line.company] = sums.get(line.company, 0) + line.amount
        for company, total in sums.items():
            if total:
                places = [i for i, line in enumerate(self.lines) if line.company == company]
                largest = max(places, key=lambda i: (abs(self.lines[i].amount), -i))
                self.lines[largest] = replace(self.lines[largest], amount=self.lines[largest].amount - total)


def check_journal(
    state: State, journal: Journal, lines: Iterable[JournalLine], rules: PostingContext = PostingContext()
) -> Checked:
    """Checks one journal in full; one with `posted_at` is history and is asked less
    (docs/exchange-format.md)."""
    check = _Check(state, journal, rules)
    if check.company is None:
        what = f"There is no company {journal.company}."
        check.tell("company-unknown", what, "Add the company first.", "company", journal.company)
        return Checked((), tuple(check.faults))
    check.faults += currency_faults(state, journal, check.company)
    check.period(journal.company)
    count = 0
    for line in lines:
        count += 1
        check.line(line)
    if count < 2:
        check.tell(
            "too-few-lines",
            f"The journal has {count} line{'' if count == 1 else 's'}.",
            "A journal has at least two lines.",
        )
    elif not any(fault.code == "company-unknown" or fault.code in AMOUNT for fault in check.faults):
        if not check.history:
            check.due_lines()
        if not any(fault.code == "pair-missing" for fault in check.faults):
            check.balance()
        if check.company.currency != check.currency and not blocking(check.faults):
            check.settle_rounding()
    return Checked(tuple(check.lines), tuple(check.faults))
