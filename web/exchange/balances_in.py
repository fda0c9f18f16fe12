"""Balances of books kept elsewhere, and budgets, from a package."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from core.books.journals import partner_problem
from core.books.periods import company_calendar
from core.budgets.fitting import approved_fault, budget_fault
from core.definitions.parsing import Read, read_table
from core.definitions.row_faults import fault as fault_at
from core.definitions.state import State
from core.definitions.tables import TABLES, Balance, Budget, BudgetLine, Company
from core.fault_codes import FaultCode
from core.faults import Fault, Location
from core.group.membership import spanning_periods
from core.money import digits_of, format_amount, parse_amount
from core.structures.accounts import restored
from core.structures.charts import context_in
from core.structures.second_charts import moves_of
from web.definitions import snapshot
from web.journals.book_locks import books_seen, hold_books
from web.journals.budgets import lock_budget, stored_budgets, write_budgets
from web.journals.elsewhere import (
    BalanceKey,
    stored_balances,
    write_balances,
    years_with_balances,
    years_with_journals,
)

SPAN_WAY_OUT = "Give balances by shorter periods, or give the group that calendar."


def span_sentence(company: str, year: int, period: int, group: str) -> str:
    return f"Period {period} of {year} of {company} spans two periods of {group}."


def balances_spanning(state: State) -> Iterator[Fault]:
    """Balances that are there and span two periods of a group."""
    for company in state.rows(Company):
        spans = spanning_periods(state, company.company)
        periods = {(key[1], key[2]) for key in stored_balances({company.company})} if spans else set()
        for year, period in sorted(periods & spans.keys()):
            what = span_sentence(company.company, year, period, spans[year, period])
            yield fault_at(company, "calendar", what, SPAN_WAY_OUT, "balances-span")


class BalanceImport:
    """Balances and budget lines of a package: checked, compared with what is there, written."""

    def __init__(self, state: State, sources: dict[str, Any], faults: list[Fault], progress: Any) -> None:
        self.state, self.faults, self.progress = state, faults, progress
        self.sources = sources
        self.new: dict[BalanceKey, tuple[Balance, int, tuple[str, str, str]]] = {}
        self.changed: set[BalanceKey] = set()
        self.spanning: dict[str, dict[tuple[int, int], str]] = {}
        self.same = 0
        self.budgets: dict[tuple[Any, ...], tuple[BudgetLine, int]] = {}
        self.budget_new = self.budget_same = self.budget_changed = 0

    def _read(self, name: str) -> Read | None:
        source = self.sources.get(name)
        records = source.records(self.faults) if source else iter([])
        header = next(records, None)
        if header is None:
            return None
        self.progress(name, 0)
        read = read_table(TABLES[name], header[1], records)
        self.faults += read.faults
        return read

    def check(self, journal_years: dict[tuple[str, int], int]) -> None:
        """`journal_years` are company years that journals of the same package post to."""
        if read := self._read("balances"):
            self._check_balances(read, set(journal_years))
        if journal_years:
            self._journals_beside_balances(journal_years)
        if read := self._read("budget_lines"):
            self._check_budgets(read)

    def _tell(
        self, read: Read, key: Any, column: str, code: FaultCode, what: str, way_out: str, value: str = ""
    ) -> None:
        self.faults.append(
            Fault(code, what, Location(read.table.name, key, column, value, read.numbers[key]), way_out)
        )

    def _amount(self, read: Read, key: Any, row: Any, company: Company) -> int | None:
        value = parse_amount(row.amount, digits_of(company.currency)) if row.amount else 0
        if isinstance(value, str):
            self._tell(read, key, "amount", "amount-unreadable", value, "Correct the amount.", row.amount)
            return None
        return value

    def _place(self, read: Read, key: Any, row: Any, brought: bool) -> tuple[str, str, str, str] | None:
        """(chart, account, natural, dimensions) in the kept form, after telling what is wrong with the
        row."""
        company = self.state.get(Company, row.company)
        chart = company.chart if company and brought else self._chart_of_budget(company, row)
        seated = context_in(self.state, row.company, chart)
        if company is None or seated is None:
            what = f"There is no company {row.company}."
            self._tell(read, key, "company", "reference", what, "Add the company.", row.company)
            return None
        calendar = company_calendar(self.state, row.company)
        if row.fiscal_year not in calendar.years():
            what = f"The calendar of {row.company} has no fiscal year {row.fiscal_year}."
            way_out = "Add the year's periods."
            self._tell(read, key, "fiscal_year", "reference", what, way_out, str(row.fiscal_year))
        elif (row.fiscal_year, row.period) not in calendar.periods and not (brought and row.period == 0):
            what = f"The calendar of {row.company} has no period {row.period} in {row.fiscal_year}."
            self._tell(read, key, "period", "reference", what, "Add the period.", str(row.period))
        resolved = restored(seated, row.account, row.dimensions, defaults=True, quantities=not brought)
        for fault in resolved.faults:
            value = row.account if fault.where.column == "account" else row.dimensions
            self._tell(read, key, fault.where.column, fault.code, fault.what, fault.way_out, value)
        return None if resolved.faults else (chart, resolved.account, resolved.natural, resolved.dimensions)

    def _chart_of_budget(self, company: Company | None, row: Any) -> str:
        """A budget is of the chart that the company is on, or of one that it was on before it moved."""
        if company is None:
            return ""
        budget = self.state.get(Budget, getattr(row, "budget", ""))
        before = {move.chart_before for move in moves_of(self.state, company.company)}
        return budget.chart if budget and budget.chart in before else company.chart

    def _check_row(self, read: Read, key: Any, row: Any, with_journals: set[tuple[str, int]]) -> None:
        """The partner, and that the year has no journals; a year is told once and taken out of the set."""
        if what := partner_problem(self.state, row.partner):
            self._tell(read, key, "partner", "reference", what, "Choose a company.", row.partner)
        year = (row.company, row.fiscal_year)
        if year in with_journals:
            with_journals.remove(year)
            what = (
                f"{row.company} has journals in {row.fiscal_year}; a fiscal year has journals or"
                " balances, not both."
            )
            way_out = "Leave one of them out."
            self._tell(read, key, "fiscal_year", "journals-and-balances", what, way_out, str(row.fiscal_year))

    def _check_span(self, read: Read, key: Any, row: Any) -> None:
        spans = self.spanning.setdefault(row.company, spanning_periods(self.state, row.company))
        if group := spans.get((row.fiscal_year, row.period)):
            what = span_sentence(row.company, row.fiscal_year, row.period, group)
            self._tell(read, key, "period", "balances-span", what, SPAN_WAY_OUT, str(row.period))

    def _check_balances(self, read: Read, journal_years: set[tuple[str, int]]) -> None:
        self.books = books_seen(row.company for row in read.rows.values())
        stored = stored_balances({row.company for row in read.rows.values()})
        with_journals = journal_years | years_with_journals({row.company for row in read.rows.values()})
        merged: dict[BalanceKey, int] = {}
        rows: dict[tuple[str, int, int], Any] = {}
        for key, row in read.rows.items():
            place = self._place(read, key, row, brought=True)
            self._check_row(read, key, row, with_journals)
            self._check_span(read, key, row)
            company = self.state.get(Company, row.company)
            amount = self._amount(read, key, row, company) if company else None
            if place is None or amount is None:
                continue
            chart, account, natural, dimensions = place
            pairs: BalanceKey = (row.company, row.fiscal_year, row.period, account, dimensions, row.partner)
            if pairs in self.new:
                what = f"The balance of {account} stands twice."
                self._tell(read, key, "account", "key-twice", what, "Add them up.", row.account)
            rows.setdefault(pairs[:3], key)
            merged[pairs] = amount
            self.new[pairs] = (row, amount, (chart, account, natural))
            if stored.get(pairs) == amount:
                self.same += 1
            elif pairs in stored:
                self.changed.add(pairs)
        self._first_years(read, {**stored, **merged}, journal_years)
        self._balance(read, {**stored, **merged}, rows)

    def _first_years(
        self, read: Read, amounts: dict[BalanceKey, int], journal_years: set[tuple[str, int]]
    ) -> None:
        first: dict[str, int] = {}
        companies = {key[0] for key in amounts}
        for company, year in {(k[0], k[1]) for k in amounts} | journal_years | years_with_journals(companies):
            first[company] = min(year, first.get(company, year))
        for key, row in read.rows.items():
            if row.period == 0 and row.fiscal_year != first.get(row.company, row.fiscal_year):
                what = f"Period 0 is only in the company's first year, which is {first[row.company]}."
                way_out = "Leave the row out: later years carry on from the year before."
                self._tell(read, key, "period", "brought-forward-late", what, way_out, "0")

    def _balance(
        self, read: Read, amounts: dict[BalanceKey, int], rows: dict[tuple[str, int, int], Any]
    ) -> None:
        sums: dict[tuple[str, int, int], int] = {}
        for key, amount in amounts.items():
            sums[key[:3]] = sums.get(key[:3], 0) + amount
        for (name, year, period), row in rows.items():
            total = sums[name, year, period]
            company = self.state.get(Company, name)
            if total and company and not any(f.where.table == "balances" for f in self.faults):
                text = format_amount(abs(total), digits_of(company.currency))
                what = (
                    f"The balances of {name} in {year} period {period} do not balance: "
                    f"{text} more {'debits' if total > 0 else 'credits'}."
                )
                self._tell(read, row, "amount", "unbalanced", what, "Debits equal credits in every period.")

    def _journals_beside_balances(self, years: dict[tuple[str, int], int]) -> None:
        for company, year in sorted(years_with_balances() & set(years)):
            self.faults.append(
                Fault(
                    "journals-and-balances",
                    f"{company} has balances kept elsewhere in {year}; a fiscal year has "
                    "journals or balances, not both.",
                    Location("journals", (), "journal", company, years[(company, year)]),
                    "Post to another year.",
                )
            )

    def _check_budgets(self, read: Read) -> None:
        stored, published = stored_budgets(), snapshot.current().state
        for key, row in read.rows.items():
            place = self._place(read, key, row, brought=False)
            amount = self._check_budget(read, key, row, place)
            if place is None or amount is None:
                continue
            line = (row.budget, row.company, row.fiscal_year, row.period, place[1], place[3])
            self.budgets[line] = (row, amount)
            known = published.get(Budget, row.budget)
            if known and (held := approved_fault(known)) and stored.get(line) != amount:
                self._tell(read, key, "amount", held.code, held.what, held.way_out, row.amount)

    def _check_budget(
        self, read: Read, key: Any, row: Any, place: tuple[str, str, str, str] | None
    ) -> int | None:
        """The amount of a line, after telling what is wrong with its budget, company and account."""
        budget, company = self.state.get(Budget, row.budget), self.state.get(Company, row.company)
        if budget is None:
            what = f"There is no budget {row.budget}."
            self._tell(read, key, "budget", "reference", what, "Add the budget.", row.budget)
        elif company and budget.chart != self._chart_of_budget(company, row):
            what = f"{row.company} is not on the chart of budget {row.budget}."
            self._tell(read, key, "company", "reference", what, "Use a budget of its chart.", row.company)
        seated = context_in(self.state, row.company, self._chart_of_budget(company, row))
        if seated and place and budget and (closed := budget_fault(self.state, seated, budget, place[2])):
            self._tell(read, key, "account", closed.code, closed.what, closed.way_out, row.account)
        return self._amount(read, key, row, company) if company else None

    def write(self, outcome: Any) -> None:
        if self.new:
            self._write_balances(outcome)
        if self.budgets:
            self._write_budgets(outcome)

    def _write_balances(self, outcome: Any) -> None:
        outcome.same["balances"] += self.same
        outcome.changed["balances"] += len(self.changed)
        outcome.new["balances"] += len(self.new) - self.same - len(self.changed)
        if len(self.new) == self.same:
            return
        years = {key[:2] for key in self.new}
        hold_books((company for company, _ in years), self.books, only=years)
        write_balances({key: (place, amount) for key, (_, amount, place) in self.new.items()})

    def _write_budgets(self, outcome: Any) -> None:
        for name in sorted({budget for budget, *_ in self.budgets}):
            lock_budget(name)
        stored = stored_budgets()
        fresh = []
        for key, (_, amount) in self.budgets.items():
            if stored.get(key) == amount:
                outcome.same["budget_lines"] += 1
            else:
                (outcome.changed if key in stored else outcome.new)["budget_lines"] += 1
                fresh.append((*key, amount))
        write_budgets(fresh)
