"""What an address of figures says: of which statement or hierarchy, which company, which stretch, only which
codes,
what across."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import date
from typing import Any, Literal

from django.http import Http404
from django.urls import reverse

from core.analysis.asked import Asked
from core.analysis.column_sums import Measure, measure_of
from core.analysis.filters import of_column
from core.analysis.hierarchy_plan import hierarchy_plan
from core.analysis.period_columns import STEPS, Step
from core.analysis.stretches import of_days, of_periods
from core.analysis.time_steps import (
    UNITS,
    around,
    before,
    days_of,
    in_periods,
    shifted,
    shifted_periods,
    unit_of,
)
from core.books.periods import CalendarIndex, company_calendar, ordinal
from core.definitions.state import State
from core.definitions.tables import Budget, Company, Hierarchy
from core.mapping.arrangements import shown_statement
from core.statements.plans import Plan, plan
from core.statements.printing import ACCOUNT_MARK, with_accounts
from core.structures.charts import ChartIndex, chart_index
from core.structures.company_choice import chosen_companies
from core.structures.second_charts import chart_with, is_seen_in
from web.definitions.viewing import PineRequest
from web.people.rights import companies_seen
from web.shell.asked import number, text
from web.statements.addresses import ASKED, asked_of, default_period, where
from web.statements.queries import StatementFigures
from web.statements.remarks import RemarksAt

UNIT_WORDS = {
    "day": "day",
    "week": "week",
    "month": "month",
    "quarter": "quarter",
    "half": "half year",
    "year": "year",
}

THAN = ("before", "year")


@dataclass(frozen=True)
class FigureAddress:
    """`hierarchy` is one that is shown as a statement; lines are shown down to `level` (0: all levels);
    `sizes` whole,
    thousands,
    millions, or empty for to the last digit; `everything`: columns with nothing stay."""

    plan: Plan
    company: Company
    chart: ChartIndex
    calendar: CalendarIndex
    asked: Asked
    hierarchy: str = ""
    level: int = 0
    unit: str = ""
    everything: bool = False
    filled_only: bool = False
    """lines with nothing in any column fold away"""
    down: str = ""
    across: str = ""
    """what stands down and across in a matrix of one line"""
    draws: bool = False
    """the line that is chosen is drawn as bars, a column each"""
    drawn: tuple[str, ...] = ()
    """several lines that are drawn beside one another instead"""
    line: str = ""
    """of which line, where one is chosen"""
    forecast_name: str = ""
    """what the budget of a forecast is called"""
    budget: str = ""
    """the budget that they are of or stand beside, if there is one of the name"""
    budget_name: str = ""
    within: Step | None = None
    """codes of a field stand within months, quarters or years"""
    choice: str = ""
    """a choice of companies, whose figures stand side by side"""
    several: tuple[Company, ...] = ()
    """those that it picks"""
    part_of: str = ""
    """the line of which each figure is shown in per cent too"""
    formulas: str = ""
    """columns worked out of the others, as `Title = [first] - [second]; …`"""
    accounts: bool = False
    """each line has its accounts under it"""
    than: str = ""
    """`before` or `year`: the figures stand beside those of the stretch before, or of the year before"""

    @property
    def name(self) -> str:
        return self.hierarchy or self.plan.statement.statement

    @property
    def measure(self) -> Measure:
        if not self.hierarchy:
            return measure_of(self.plan)
        return "standing" if self.asked.first is None else "movement_with_closing"

    @property
    def balances(self) -> bool:
        return self.measure == "standing"

    @property
    def file_name(self) -> str:
        """Of whom, which stretch, only what, and what stands across: two files of one page have two names."""
        at, alone = self.asked, self.earlier() is None
        told = {
            "only": at.filter,
            "by": at.by or at.periods,
            "within": self.within if at.by or at.budget else "",
            "beside": " and ".join(filter(None, (at.budget, "" if alone else self.than_words))),
            "then": at.forecast,
            "part-of": self.part_of,
            "level": self.level or "",
            "under": "accounts" if self.accounts else "",
            "with": self.formulas.partition("=")[0],
        }
        parts = [self.name, self.choice or self.company.company, self.title()]
        return " ".join([*parts, *(f"{word} {what}" for word, what in told.items() if what)])

    @property
    def path(self) -> str:
        if self.hierarchy:
            return reverse("hierarchy-figures", args=[self.hierarchy])
        return reverse("figures", args=[self.plan.statement.statement])

    @property
    def matrix_path(self) -> str:
        if self.hierarchy:
            return reverse("hierarchy-matrix", args=[self.hierarchy])
        return reverse("matrix", args=[self.plan.statement.statement])

    def query(self, asked: Asked | None = None, **more: Any) -> str:
        """As an address says it; another stretch, filter or columns where they are given."""
        at = self.asked if asked is None else asked
        across = {name: getattr(at, name) for name in ASKED}
        days = {name: day.isoformat() if day else "" for name, day in (("from", at.start), ("to", at.end))}
        own = {"company": self.company.company, "year": at.year, "period": at.period, "first": at.first}
        within = (self.within or "") if across["by"] or across["budget"] else ""
        alone = not any(across[name] for name in ("by", "periods", "forecast"))
        columns = {
            "within": within,
            "companies": self.choice,
            "of": self.part_of,
            "columns": self.formulas,
            "than": self.than if alone else "",
        }
        return where({**own, **days, **across, **self._lines_and_unit(), **columns, **more})

    def _lines_and_unit(self) -> dict[str, Any]:
        """How lines are chosen and figures shown, as an address says it."""
        return {
            "accounts": "1" if self.accounts else "",
            "level": self.level or "",
            "unit": self.unit,
            "all": "1" if self.everything else "",
            "down": self.down,
            "across": self.across,
            "line": self.line,
            "lines": "filled" if self.filled_only else "",
            "draw": "bars" if self.draws else "",
            "what": ",".join(self.drawn) if self.draws else "",
        }

    @property
    def columns(self) -> dict[str, str]:
        """What stands across, as an address says it."""
        at = self.asked
        across = {"by": at.by, "periods": at.periods, "budget": at.budget, "forecast": at.forecast}
        within = self.within if at.by or at.budget else ""
        return {**across, "than": self.than, "companies": self.choice, "within": within or ""}

    @property
    def is_further(self) -> bool:
        """Whether more stands across than is asked of one company at once."""
        return bool(self.choice or (self.within and (self.asked.by or self.asked.budget)))

    @property
    def has_columns(self) -> bool:
        """Whether anything else than the figures alone stands across."""
        at = self.asked
        across = (
            at.by or at.periods or at.budget or at.forecast or self.choice or self.part_of or self.formulas
        )
        return bool(across or self.earlier())

    @property
    def whose(self) -> str:
        """Whose figures they are."""
        if not self.choice:
            return self.company.name
        count = sum(row.currency == self.company.currency for row in self.several)
        return f"{count} compan{'y' if count == 1 else 'ies'}"

    def of_company(self, state: State, company: Company) -> FigureAddress:
        """The same of one company by itself."""
        chart = chart_index(state, company.chart)
        assert chart is not None
        calendar = company_calendar(state, company.company)
        return replace(self, company=company, chart=chart, calendar=calendar, choice="", several=())

    def days(self) -> tuple[date | None, date] | None:
        return days_of(self.calendar, self.asked)

    def over(self, asked: Asked) -> Asked:
        """Another stretch with the filter and the columns of this one, as far as they go with it."""
        if self.asked.budget:
            asked = in_periods(self.calendar, asked)
        kept = replace(asked, filter=self.asked.filter, by=self.asked.by)
        if asked.by_day:
            return kept
        periods = "" if asked.first is not None else self.asked.periods
        return replace(kept, periods=periods, budget=self.asked.budget, forecast=self.asked.forecast)

    def earlier(self) -> FigureAddress | None:
        """The figures to compare with, where these are in one column, or beside a budget."""
        at = self.asked
        if self.than not in THAN or self.choice or at.by or at.periods or at.forecast:
            return None
        then = before(self.calendar, at, self.than)
        return replace(self, asked=replace(then, filter=at.filter), than="", within=None) if then else None

    @property
    def than_words(self) -> str:
        return {"before": "the stretch before", "year": "the year before"}.get(self.than, "")

    def neighbour(self, ways: int) -> str:
        """The address of the stretch before or after, as long as this one; empty where there is none."""
        at = self.asked
        if at.end is None:
            moved = shifted_periods(self.calendar, at, ways)
        else:
            days = shifted((at.start or at.end, at.end), ways)
            moved = Asked(start=days[0] if at.start else None, end=days[1]) if days else None
        return self.query(self.over(moved)) if moved else ""

    def units(self) -> list[tuple[str, str, bool]]:
        """(word, address, whether it is this one) of the stretches around the last day."""
        days = self.days()
        if days is None:
            return []
        start, end = days
        own = unit_of((start, end)) if start and self.asked.by_day else None
        around_end = [(unit, self.over(self._around(unit, end))) for unit in UNITS]
        options = [
            (UNIT_WORDS[unit], self.query(asked), unit == own or asked == self.asked)
            for unit, asked in around_end
            if not (asked.by_day and self.asked.budget)  # a budget has no days
        ]
        period = self.calendar.period_of(end, "general")
        if period:
            year, number = period.fiscal_year, period.period
            alone, to_date = Asked(year, number, number), Asked(year, number)
            at = self.asked
            options += [
                ("period", self.query(self.over(alone)), at.first == at.period and not at.by_day),
                ("year to date", self.query(self.over(to_date)), at.first is None and not at.by_day),
            ]
        return options

    @staticmethod
    def _around(unit: Any, on: date) -> Asked:
        start, end = around(unit, on)
        return Asked(start=start, end=end)

    def title(self) -> str:
        """The stretch in words, and the days that it is."""
        stretch = (
            of_days(self.asked.start, self.asked.end)
            if self.asked.end
            else of_periods(self.calendar, self.asked.year or 0, self.asked.period or 0, self.asked.first)
        )
        days = self.days()
        if self.asked.forecast:
            return f"{self.asked.year}: posted to {stretch.ends}, then {self.forecast_name}"
        if days is None or self.asked.by_day:
            return stretch.title(self.balances)
        start, end = days
        between = end.isoformat() if self.balances else f"{start} to {end}"
        return f"{stretch.title(self.balances)}, {between}"

    def budget_address(self, line: str = "") -> str:
        """Where it is keyed, on one line of it; without one, which budgets there are."""
        if not self.budget or self.hierarchy:
            return reverse("budgets")
        line = line.partition(ACCOUNT_MARK)[0]
        path = reverse("budget", args=[self.budget, self.company.company, self.name])
        return f"{path}?{where({'year': self.asked.year, 'row': f'budget:line:{line}' if line else ''})}"

    @property
    def remarks(self) -> RemarksAt | None:
        """Whose remarks stand beside these figures: none over days, or of a hierarchy."""
        at = self.asked
        if self.hierarchy or self.choice or at.by_day or at.year is None or at.period is None:
            return None
        return RemarksAt(self.name, self.company.company, "", at.year, at.period)

    def planned(self, found: StatementFigures, column: int) -> Literal["", "part", "all"]:
        """How much of a column of a forecast is a budget's."""
        if not self.asked.forecast:
            return ""
        if column >= len(found.across):
            return "part"
        cut = ordinal(self.asked.year or 0, self.asked.period or 0)
        span = found.across[column]
        return "all" if span.start > cut and not self.balances else "part" if span.end > cut else ""

    def alone(self, found: StatementFigures, column: int) -> Asked:
        """What one column shows, asked for by itself."""
        if found.alone:
            return found.alone[column]
        at = replace(self.asked, by="", periods="", budget="", forecast="")
        if found.keys and found.keys[column]:
            text = at.filter
            for field, code in zip(self.asked.by.split(","), found.keys[column], strict=True):
                text = of_column(text, self.chart, field.strip(), code)
            return replace(at, filter=text)
        if column < len(found.across):
            one = found.across[column]
            year, last = one.key(self.calendar, self.asked.year or 0, self.asked.period or 0)
            return replace(at, year=year, period=last, first=None if self.balances else one.first)
        return at


def figure_address(
    request: PineRequest, state: State, statement: str = "", hierarchy: str = "", choice: str = ""
) -> FigureAddress:
    """`choice`: of companies, where the address makes none. Raises Http404 for what there isn't or somebody
    doesn't see, WrongCall for what can't be asked."""
    level = number(request.GET, "level", 0, 99) or 0
    company, several = _company(request, state, statement, hierarchy), _several(request, state, choice)
    planned = (
        hierarchy_plan(state, _chart_of_tree(state, company, hierarchy), hierarchy, level or None)
        if hierarchy
        else plan(state, shown_statement(state, statement, company.company) if not several[0] else statement)
    )
    chart = chart_index(state, company.chart)
    if planned is None or chart is None:
        raise Http404
    if by_account := request.GET.get("accounts") == "1" and not hierarchy:
        planned = with_accounts(planned)
    asked = _asked(request, state, company)
    planned_as, budget = state.get(Budget, asked.forecast), state.get(Budget, asked.budget or asked.forecast)
    return FigureAddress(
        planned,
        company,
        chart,
        company_calendar(state, company.company),
        asked,
        hierarchy,
        level,
        text(request.GET, "unit", 20),
        request.GET.get("all") == "1",
        request.GET.get("lines") == "filled",
        "",
        "",
        request.GET.get("draw") == "bars",
        _lines_chosen(request),
        text(request.GET, "line", 40),
        planned_as.name if planned_as else asked.forecast,
        budget.budget if budget else "",
        budget.name if budget else "",
        next((step for step in STEPS if step == request.GET.get("within")), None),
        *several,
        text(request.GET, "of", 40),
        text(request.GET, "columns", 400),
        by_account,
        text(request.GET, "than", 10),
    )


def _lines_chosen(request: PineRequest) -> tuple[str, ...]:
    """Lines that rows stand for, a heading whose total stands below once."""
    rows = text(request.GET, "what", 2000).split(",")
    return tuple(dict.fromkeys(row.removesuffix("/head") for row in rows if row))


def _several(request: PineRequest, state: State, instead: str) -> tuple[str, tuple[Company, ...]]:
    """The choice of companies that an address makes, and those of them that somebody sees; none where it
    can't be read, which is said where the figures would stand."""
    choice = text(request.GET, "companies", 400) or instead
    names = {row.company for row in companies_seen(request.user, state)} if choice else ()
    return choice, tuple(row for row in chosen_companies(state, choice).companies if row.company in names)


def _chart_of_tree(state: State, company: Company, hierarchy: str) -> str:
    """The chart in which a company is seen by a hierarchy."""
    row = state.get(Hierarchy, hierarchy)
    return (chart_with(state, company, row.code_list) if row else "") or company.chart


def _company(request: PineRequest, state: State, statement: str, hierarchy: str) -> Company:
    """The company asked for, or the one looked at last, or the first that the figures can be of."""
    row, planned = state.get(Hierarchy, hierarchy), plan(state, statement)

    def fits(one: Company) -> bool:
        if row is not None:
            return bool(chart_with(state, one, row.code_list))
        return planned is not None and is_seen_in(state, one, planned.statement.chart)

    seen = [one for one in companies_seen(request.user, state) if fits(one)]
    if not seen:
        raise Http404
    wanted = request.GET.get("company") or request.session.get("company")
    return next((one for one in seen if one.company == wanted), seen[0])


def _asked(request: PineRequest, state: State, company: Company) -> Asked:
    asked = asked_of(request.GET)
    if asked.by_day and asked.budget:
        asked = in_periods(company_calendar(state, company.company), asked)
    if asked.by_day or (asked.year is not None and asked.period is not None):
        return asked
    year, period = default_period(state, company.calendar, company.company)
    return replace(asked, year=year, period=period)
