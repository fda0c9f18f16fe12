"""Where the figures of a company come from: its amounts as they were asked for, on the accounts of a
chart."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from core.analysis.amount_rows import AmountRows, dated, together
from core.analysis.asked import Asked
from core.analysis.axes import fields_asked, levels_of
from core.analysis.column_sums import (
    Measure,
    moves,
)
from core.analysis.filters import Filter, parse_filter
from core.analysis.stretches import Stretch, of_days, of_periods
from core.books.periods import YEAR, CalendarIndex, company_calendar, ordinal
from core.budgets.forecast import forecast_rows, last_regular
from core.budgets.statistics import as_movements, with_statistics
from core.cash_flow.non_cash import LeftOutPair, NonCashAccounts
from core.codes.lists import ListIndex, list_index
from core.definitions.state import State
from core.definitions.tables import Company
from core.faults import WrongCall
from core.mapping.second_charts import (
    OwnPair,
    hangs_on_codes,
    own_cash_accounts,
    own_pairs,
    second_chart_plan,
    seen_through,
)
from core.statements.plans import Plan
from core.structures.charts import ChartIndex, chart_index
from core.structures.second_charts import is_seen_in
from web.journals.amount_rows import (
    ReadAtOnce,
    Through,
    budget_rows,
    company_rows,
    company_rows_by_day,
    statistic_rows,
    with_texts,
)
from web.journals.non_cash import JournalBetween, Sides, journals_between

Between = dict[tuple[NonCashAccounts, ...], list[tuple[OwnPair, tuple[JournalBetween, ...]]]]


@dataclass
class FigureSource:
    """Where the figures of a company come from: its chart and calendar, its amounts, what is asked of
    them."""

    state: State
    company: Company
    asked: Asked
    with_codes: bool = False
    """whether account strings and dimensions are wanted whatever is asked"""
    at_once: ReadAtOnce | None = None
    """where several companies are read together"""
    between: Between = field(default_factory=dict, repr=False, compare=False)
    """journals between the sides of non-cash pairs, once they were looked for"""

    @cached_property
    def calendar(self) -> CalendarIndex:
        return company_calendar(self.state, self.company.company)

    @cached_property
    def chart(self) -> ChartIndex:
        chart = chart_index(self.state, self.company.chart)
        if chart is None:
            raise WrongCall(f"There is no chart {self.company.chart}.")
        return chart

    def accounts_of(self, chart: str = "") -> ListIndex:
        """The natural accounts of the company's chart, or of one in which it is seen."""
        seen_in = chart_index(self.state, chart) if chart else self.chart
        if seen_in is None:
            raise WrongCall(f"There is no chart {chart}.")
        return list_index(self.state, seen_in.natural_list)

    @property
    def ends(self) -> tuple[int, int]:
        """Year and period at which the figures end: of a forecast with the year's last regular one."""
        year, period = self.asked.year or 0, self.asked.period or 0
        if self.asked.forecast:
            return year, max(period, last_regular(self.calendar, year))
        return year, period

    @cached_property
    def stretch(self) -> Stretch:
        asked = self.asked
        if asked.end is not None:
            return of_days(asked.start, asked.end)
        return of_periods(self.calendar, *self.ends, asked.first)

    @cached_property
    def conditions(self) -> Filter:
        return parse_filter(self.state, self.chart, self.asked.filter)

    @cached_property
    def fields(self) -> tuple[str, ...]:
        return fields_asked(self.chart, self.asked.by)

    @cached_property
    def rows(self) -> AmountRows:
        """All amounts, before any filter."""
        if self.asked.forecast:
            return self._forecast()
        has_codes = self.with_codes or bool(self.asked.by and self.fields) or bool(self.conditions)
        return self._read(has_codes)

    def _read(self, has_codes: bool, through: Through = None) -> AmountRows:
        company = self.company.company
        if self.asked.by_day:
            has_start = self.asked.start is not None
            return company_rows_by_day(self.state, company, self.stretch, has_start, has_codes, through)
        return company_rows(self.state, company, has_codes, through, self.at_once)

    def named(self, rows: AmountRows) -> AmountRows:
        """With account strings and dimensions; those of days name some that balances don't."""
        return with_texts(rows, None if self.asked.by_day else self.at_once)

    def asking(self, asked: Asked) -> FigureSource:
        """The same, asked otherwise. Amounts that were read are taken along where they serve: by periods, and
        with their codes if those are asked for."""
        one, own = replace(self, asked=asked), self.__dict__.get("rows")
        by_day_or_forecast = any(at.by_day or at.forecast for at in (asked, self.asked))
        if own is not None and not by_day_or_forecast and (own.strings or not asked.needs_codes):
            one.__dict__["rows"] = own
        return one

    def rows_in(self, chart: str) -> AmountRows:
        """The same amounts on the accounts of a chart in which the company is seen."""
        return self._seen_in(chart, self.rows)

    def rows_of(self, planned: Plan) -> AmountRows:
        """The amounts that a plan's lines are made from, on the accounts of its chart. Raises WrongCall."""
        chart = planned.statement.chart
        if not planned.is_direct:
            has_statistics = planned.has_statistics and chart == self.company.chart
            rows = self._with_statistics(self.rows) if has_statistics else self.rows
            left_out = [one.number for _, several in self.left_out(planned) for one in several]
            if left_out:
                apart = self._moved_by(left_out, with_codes=bool(rows.strings))
                rows = together([rows, apart.taken_off()])
            return self._seen_in(chart, rows)
        if self.asked.forecast or self.asked.budget:
            name = planned.statement.name
            raise WrongCall(f"{name} sums what journals moved that touch cash; a budget has no journals.")
        rows = self.rows if chart == self.company.chart or self.rows.strings else self.named(self.rows)
        through = own_cash_accounts(self.state, self.company, planned, rows)
        return self._seen_in(chart, self._read(has_codes=True, through=through))

    def left_out(self, planned: Plan) -> list[tuple[OwnPair, tuple[JournalBetween, ...]]]:
        """The non-cash pairs of a cash flow, each with the journals that are left out for it."""
        if not planned.non_cash:
            return []
        if planned.non_cash not in self.between:
            is_own = planned.statement.chart == self.company.chart
            rows = self.rows if is_own or self.rows.strings else self.named(self.rows)
            pairs = own_pairs(self.state, self.company, planned, rows)
            found = self._journals_between(tuple((one.accounts, one.against) for one in pairs))
            self.between[planned.non_cash] = list(zip(pairs, found, strict=True))
        return self.between[planned.non_cash]

    def _journals_between(self, sides: Sides) -> list[tuple[JournalBetween, ...]]:
        if self.at_once:
            return self.at_once.journals_between(self.company, sides)
        posted = frozenset(self.rows.naturals)
        own = tuple((one & posted, other & posted) for one, other in sides)
        return journals_between(self.state, {self.company.company: own})[self.company.company]

    def _moved_by(self, journals: Sequence[int], *, with_codes: bool) -> AmountRows:
        """What some journals moved; of a forecast as far as it is posted."""
        rows = self._read(with_codes, tuple(sorted(journals)))
        if self.asked.forecast:
            return rows.where(rows.time <= ordinal(self.asked.year or 0, self.asked.period or 0))
        return rows

    def told_left_out(self, planned: Plan, measure: Measure) -> tuple[LeftOutPair, ...]:
        """What the stretch leaves out for each pair of which it leaves anything out."""
        told, end = [], self.stretch.end
        if self.asked.forecast:
            end = min(end, ordinal(self.asked.year or 0, self.asked.period or 0))
        for pair, journals in self.left_out(planned):
            times = ((one, one.time(by_day=self.asked.by_day)) for one in journals)
            inside = [one.number for one, at in times if self.stretch.start <= at <= end]
            if not inside:
                continue
            rows = self.fitting(self._moved_by(inside, with_codes=bool(self.conditions)))
            rows = rows.where(moves(rows, self.stretch, measure))
            own = {name: i for i, name in enumerate(rows.naturals) if name in pair.accounts}
            side = np.isin(rows.natural, list(own.values()))
            if len(rows):
                amount = int(rows.net[side].sum())
                told.append(LeftOutPair(pair.pair, len(inside), amount, tuple(sorted(own))))
        return tuple(told)

    def _with_statistics(self, rows: AmountRows) -> AmountRows:
        """Quantities are kept by period; over days each stands at its period's last."""
        asked, accounts, calendar = self.asked, self.accounts_of(), self.calendar
        quantities = statistic_rows(self.state, self.company, self.chart, calendar)
        rows = rows if rows.strings else self.named(rows)
        if asked.by_day:
            return with_statistics(rows, dated(as_movements(quantities, accounts, calendar), calendar))
        if asked.forecast:
            quantities = quantities.where(quantities.time <= ordinal(asked.year or 0, asked.period or 0))
        return as_movements(with_statistics(rows, quantities), accounts, calendar)

    def _seen_in(self, chart: str, rows: AmountRows) -> AmountRows:
        if chart == self.company.chart:
            return rows
        mapped = second_chart_plan(self.state, self.company.chart, chart)
        second = chart_index(self.state, chart)
        if mapped is None or second is None or not is_seen_in(self.state, self.company, chart):
            raise WrongCall(f"{self.company.company} is not seen in chart {chart}.")
        if not rows.strings and hangs_on_codes(mapped, rows.naturals):
            rows = self.named(rows)
        accounts = list_index(self.state, second.natural_list)
        return seen_through(mapped, accounts, rows, self.company.company)

    def _forecast(self) -> AmountRows:
        asked, company = self.asked, self.company
        year, period = asked.year or 0, asked.period or 0
        of_periods(self.calendar, year, period)  # a period that there isn't is said before anything is read
        planned = budget_rows(self.state, asked.forecast, company, self.chart, self.calendar)
        return forecast_rows(company_rows(self.state, company.company, True), planned, year, period)

    def budget_in(self, chart: str) -> AmountRows:
        own = budget_rows(self.state, self.asked.budget, self.company, self.chart, self.calendar)
        if chart == self.company.chart:
            own = replace(as_movements(own, self.accounts_of(), self.calendar), has_statistics=True)
        return self._seen_in(chart, own)

    @property
    def off(self) -> int:
        """By how much debits exceed credits at the end of a forecast: a budget need not balance."""
        if not self.asked.forecast or self.conditions:
            return 0
        return int(self.rows.net[self.rows.time <= self.stretch.end].sum())

    def fitting(self, rows: AmountRows) -> AmountRows:
        return rows.fitting(self.chart, self.conditions) if self.conditions else rows

    def of_plan(self, planned: Plan, rows: AmountRows) -> AmountRows:
        """Those of `rows` (on the accounts of the plan's chart) that are asked for, each put to the line that
        takes its codes."""
        if planned.has_conditions and not rows.strings:
            rows = self.named(rows)
        return self.levelled(self.fitting(rows)).divided(self.chart, planned)

    def levelled(self, rows: AmountRows, *names: str) -> AmountRows:
        """With what codes stand for on the levels that are asked for across."""
        above = levels_of(self.state, self.chart, names or self.fields) if names or self.asked.by else {}
        return replace(rows, above=above) if above else rows

    @cached_property
    def years_with_amounts(self) -> frozenset[int]:
        return frozenset(int(time) // YEAR for time in np.unique(self.rows.time))
