"""What an address of a budget says: which budget, company, statement and year, narrowed to which codes."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cached_property

from django.http import Http404
from django.urls import reverse

from core.analysis.filters import Filter, code_in_combination, code_in_string, parse_filter
from core.analysis.period_columns import QUARTER
from core.books.periods import CalendarIndex, company_calendar
from core.budgets.cells import BudgetCell, BudgetSpan, BudgetYear
from core.budgets.fitting import budget_fault, new_string
from core.budgets.grid import BudgetGrid
from core.budgets.statistics import standing_statistics, with_statistics
from core.codes.lists import list_index
from core.definitions.state import State
from core.definitions.tables import Budget, Company
from core.faults import WrongCall
from core.money import digits_of
from core.statements.plans import Plan, plan
from core.structures.charts import CompanyContext, Field, company_context
from web.definitions.viewing import PineRequest
from web.journals.amount_rows import company_rows, statistic_rows
from web.journals.budgets import budget_books, budget_cells
from web.shell.asked import number, text
from web.statements.addresses import default_period, where


@dataclass(frozen=True)
class BudgetAddress:
    """`every`: accounts with nothing on them too; `strings`: the account strings below their account."""

    state: State
    budget: Budget
    company: Company
    plan: Plan
    year: int
    filter: str = ""
    every: bool = False
    strings: bool = False
    quarters: bool = False

    @cached_property
    def context(self) -> CompanyContext:
        found = company_context(self.state, self.company.company)
        if found is None:
            raise Http404
        return found

    @property
    def calendar(self) -> CalendarIndex:
        return company_calendar(self.state, self.company.company)

    @property
    def digits(self) -> int:
        return digits_of(self.company.currency)

    @cached_property
    def conditions(self) -> Filter:
        return parse_filter(self.state, self.context.chart, self.filter)

    @cached_property
    def periods(self) -> tuple[int, ...]:
        """Regular ones of the year."""
        return tuple(row.period for row in self.calendar.of_year(self.year) if row.kind == "regular")

    @cached_property
    def spans(self) -> tuple[BudgetSpan, ...]:
        """What stands across: periods, or quarters of them."""
        names = {period: self.calendar.periods[(self.year, period)].name for period in self.periods}
        if not self.quarters:
            return tuple(BudgetSpan(str(period), names[period], (period,)) for period in self.periods)
        parts = [self.periods[at : at + QUARTER] for at in range(0, len(self.periods), QUARTER)]
        return tuple(
            BudgetSpan(f"q{i}", f"{names[part[0]]} to {names[part[-1]]}", part)
            for i, part in enumerate(parts, 1)
        )

    def address(self, name: str = "budget", *more: str, **query: object) -> str:
        statement = self.plan.statement.statement
        path = reverse(name, args=[self.budget.budget, self.company.company, statement, *more])
        return f"{path}?{self.query(**query)}"

    @property
    def own_query(self) -> str:
        return self.query()

    @property
    def row_address(self) -> str:
        return self.address("budget-row")

    @property
    def several_address(self) -> str:
        return self.address("budget-several")

    @property
    def bring_address(self) -> str:
        return self.address("budget-bring")

    @property
    def csv_address(self) -> str:
        return self.address("budget-out", "csv")

    @property
    def back_address(self) -> str:
        """Where an act is taken back, with its number behind."""
        statement = self.plan.statement.statement
        page = reverse("budget", args=[self.budget.budget, self.company.company, statement])
        return f"{page}back/"

    @property
    def remarks_address(self) -> str:
        """Where a remark is taken away, with its number behind."""
        statement = self.plan.statement.statement
        return f"{reverse('budget', args=[self.budget.budget, self.company.company, statement])}remark/"

    @property
    def beside_address(self) -> str:
        """The figures of the statement beside this budget."""
        asked = {"company": self.company.company, "budget": self.budget.budget, "filter": self.filter}
        path = reverse("figures", args=[self.plan.statement.statement])
        return f"{path}?{where({**asked, 'year': self.year, 'period': max(self.periods, default=0)})}"

    @property
    def year_before(self) -> int:
        return self.year - 1

    @property
    def last_year(self) -> str:
        return str(self.year - 1)

    def query(self, **more: object) -> str:
        own = {"year": self.year, "filter": self.filter, "accounts": "all" if self.every else ""}
        own |= {"strings": "1" if self.strings else "", "across": "quarters" if self.quarters else ""}
        return where({**own, **more})

    def fits(self, cell: BudgetCell) -> bool:
        return all(fits(code_of(cell[1:])) for fits, code_of in self._asked)

    @cached_property
    def _asked(self) -> list[tuple[Callable[[str], bool], Callable[[tuple[str, str]], str]]]:
        """What each condition asks of the code of its field."""
        fields = {
            field.name: field for field in (*self.context.chart.segments, *self.context.chart.dimensions)
        }
        return [(one.fits, self.code_of(fields[one.field])) for one in self.conditions]

    def stored(self) -> dict[BudgetCell, int]:
        """All cells of the company's year, whatever the page is narrowed to."""
        return budget_cells(self.budget.budget, self.company.company, self.year)

    def budget_year(self, cells: Mapping[BudgetCell, int]) -> BudgetYear:
        """Those that the page is narrowed to."""
        fitting = {cell: amount for cell, amount in cells.items() if self.fits(cell)}
        natural_of, whole = self.context.chart.natural_of, 10**self.digits
        return BudgetYear(fitting, self.periods, natural_of, self.standing, whole)

    @cached_property
    def standing(self) -> frozenset[str]:
        """Statistics that stand at a period's end."""
        return standing_statistics(list_index(self.state, self.context.chart.natural_list))

    def actual(self, year: int) -> dict[BudgetCell, int]:
        """What was posted in a year's regular periods, closing journals left out, and statistics kept."""
        regular = {row.period for row in self.calendar.of_year(year) if row.kind == "regular"}
        rows = company_rows(self.state, self.company.company, texts=True)
        kept = statistic_rows(self.state, self.company, self.context.chart, self.calendar)
        rows = with_statistics(rows, kept) if len(kept) else rows
        cells: dict[BudgetCell, int] = {}
        for period, string, combination, amount in rows.of_year(year):
            cell = BudgetCell(period, rows.strings[string], rows.combinations[combination])
            if period in regular and self.fits(cell):
                cells[cell] = cells.get(cell, 0) + amount
        return cells

    def source(self, name: str) -> tuple[dict[BudgetCell, int], str]:
        """Cells to copy, of a year's actual figures or of another budget, and what they are called. Raises
        WrongCall where there are none of the name."""
        other = self.state.get(Budget, name)
        if other is not None and other.chart == self.budget.chart:
            cells = budget_cells(other.budget, self.company.company, self.year)
            return {cell: amount for cell, amount in cells.items() if self.fits(cell)}, other.name
        if name.isascii() and name.isdigit() and int(name) in self.calendar.years():
            return self.actual(int(name)), f"what was posted in {name}"
        raise WrongCall(f"There is neither a budget nor a year {name or '(without a name)'} to copy.")

    @property
    def fields(self) -> list[Field]:
        """Segments and dimensions over whose codes amounts can be spread: none that the page is narrowed
        to."""
        chart, narrowed = self.context.chart, {condition.field for condition in self.conditions}
        own = {chart.natural, chart.company}
        segments = [field for i, field in enumerate(chart.segments) if i not in own]
        return [field for field in (*segments, *chart.dimensions) if field.name not in narrowed]

    def field(self, name: str) -> Field:
        """One of those. Raises WrongCall for another."""
        found = next((field for field in self.fields if field.name == name), None)
        if found is None:
            raise WrongCall(f"Nothing can be spread over {name} here.")
        return found

    def code_of(self, field: Field) -> Callable[[tuple[str, str]], str]:
        """The code of a field in an account string and its dimensions."""
        chart = self.context.chart
        if chart.index[field.name] < len(chart.segments):
            return lambda string: code_in_string(chart, field.name, string[0])
        return lambda string: code_in_combination(field.name, string[1])

    def new_string(self, natural: str) -> tuple[str, str]:
        """Of an account without cells: the codes that the page is narrowed to, defaults for the rest."""
        codes = {one.field: next(iter(one.codes)) for one in self.conditions if len(one.codes) == 1}
        return new_string(self.context, natural, codes)

    def takes_budget(self, natural: str) -> bool:
        return budget_fault(self.state, self.context, self.budget, natural) is None

    def offers(self, natural: str) -> bool:
        """Whether an account without a figure is offered: open for the company, for budgets and posting."""
        context, code = self.context, self.plan.accounts.codes[natural]
        shut = natural in context.shut or (context.open is not None and natural not in context.open)
        return code.takes_amounts and code.enabled and not shut and self.takes_budget(natural)

    def grid(self, cells: Mapping[BudgetCell, int]) -> BudgetGrid:
        year = self.budget_year(cells)
        return BudgetGrid(self.plan, year, self.actual(self.year - 1), self.spans, self.digits, self.offers)


def budget_address(
    request: PineRequest, state: State, budget: str, company: str, statement: str
) -> BudgetAddress:
    """Raises Http404 for what isn't of one chart, WrongCall for a filter that can't be read."""
    row, company_row, planned = state.get(Budget, budget), state.get(Company, company), plan(state, statement)
    if row is None or company_row is None or planned is None:
        raise Http404
    if not row.chart == company_row.chart == planned.statement.chart:
        raise Http404
    if planned.needs_rows:
        name = planned.statement.name
        if planned.is_direct:
            raise WrongCall(f"{name} sums what journals moved that touch cash; a budget has no journals.")
        raise WrongCall(f"{name} has lines that ask for codes of a field; a budget is keyed by account.")
    found = BudgetAddress(
        state,
        row,
        company_row,
        planned,
        number(request.GET, "year", None, 9999) or _year(state, row, company_row),
        text(request.GET, "filter", 400),
        request.GET.get("accounts") == "all",
        request.GET.get("strings") == "1",
        request.GET.get("across") == "quarters",
    )
    if found.year not in found.calendar.years():
        raise WrongCall(f"The calendar of {company_row.name} has no fiscal year {found.year}.")
    _ = found.conditions
    return found


def _year(state: State, budget: Budget, company: Company) -> int:
    """The last year that the budget has lines of, or the one that is most likely meant."""
    years = [b.fiscal_year for b in budget_books() if b[:2] == (budget.budget, company.company)]
    return max(years, default=default_period(state, company.calendar)[0])
