"""One line's amounts by what stands down and what stands across, of one company or several."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from core.analysis.amount_rows import AmountRows, together
from core.analysis.axes import (
    ACCOUNTS,
    COMPANIES,
    Axis,
    CrossedAmounts,
    account_axis,
    crossed,
    field_axis,
    period_axis,
    rows_of_line,
)
from core.analysis.period_columns import STEPS, PeriodColumn, Step, period_columns
from core.books.periods import closing_ordinals
from core.definitions.state import State
from core.definitions.tables import Company
from core.faults import WrongCall
from core.statements.line_parts import DEBIT
from core.statements.plans import Plan, PlanLine
from web.journals.amount_rows import ReadAtOnce
from web.statements.figure_address import FigureAddress
from web.statements.figure_source import FigureSource
from web.statements.queries import figures_of

MOST_CELLS = 1_000_000


class CompanyRows(NamedTuple):
    """Rows of one company after another, and by row whose they are."""

    rows: AmountRows
    company: NDArray[np.int64]


def _together(parts: Sequence[AmountRows]) -> CompanyRows:
    whose = np.repeat(np.arange(len(parts)), [len(rows) for rows in parts])
    first = parts[0]
    if all(rows.strings is first.strings and rows.combinations is first.combinations for rows in parts):
        plain = [replace(rows, part=None) for rows in parts]
        return CompanyRows(together(plain).with_texts(first.strings, first.combinations), whose)
    string = combination = 0
    numbered: list[AmountRows] = []
    for rows in parts:
        numbered.append(rows.renumbered(string, combination))
        string += 1 + max(rows.strings, default=0)
        combination += 1 + max(rows.combinations, default=0)
    strings = {key: words for rows in numbered for key, words in rows.strings.items()}
    combinations = {key: words for rows in numbered for key, words in rows.combinations.items()}
    plain = [replace(rows, part=None) for rows in numbered]
    return CompanyRows(together(plain).with_texts(strings, combinations), whose)


@dataclass(frozen=True)
class LineMatrix:
    """`line` of an address's plan by its two axes, of `companies` (on the plan's chart, in one currency)."""

    state: State
    address: FigureAddress
    companies: tuple[Company, ...]
    line: str

    @property
    def plan(self) -> Plan:
        return self.address.plan

    @property
    def entry(self) -> PlanLine:
        return self.plan.lines[self.plan.index[self.line]]

    @cached_property
    def step(self) -> Step | None:
        steps = [step for step in STEPS if step in (self.address.down, self.address.across)]
        if len(steps) > 1:
            raise WrongCall("Periods stand down or across, not both.")
        return steps[0] if steps else None

    @cached_property
    def stands(self) -> bool:
        """Whether the line shows what stands at the end, whatever the statement sums."""
        return self.address.balances or self.entry.is_result or self.entry.stands

    @cached_property
    def sources(self) -> list[FigureSource]:
        asked = replace(self.address.asked, by="", periods=self.step or "", budget="", forecast="")
        asked.check()
        if self.step and len({company.calendar for company in self.companies}) > 1:
            raise WrongCall("These companies keep several calendars: let no periods stand across.")
        at_once = ReadAtOnce(self.state, (company.company for company in self.companies))
        return [
            FigureSource(self.state, company, asked, with_codes=True, at_once=at_once)
            for company in self.companies
        ]

    @cached_property
    def periods(self) -> list[PeriodColumn]:
        first = self.sources[0]
        years = frozenset[int]().union(*(source.years_with_amounts for source in self.sources))
        return period_columns(first.calendar, self.step, *first.ends, years) if self.step else []

    @cached_property
    def parts(self) -> CompanyRows:
        rows = [self._summed(one) for one in self.sources]
        one, whose = _together(rows)
        return CompanyRows(self.sources[0].levelled(one, self.address.down, self.address.across), whose)

    def _summed(self, source: FigureSource) -> AmountRows:
        rows, by_periods = source.of_plan(self.plan, source.rows_of(self.plan)), self.step is not None
        return rows_of_line(
            rows, self.plan, self.line, source.stretch, by_periods=by_periods, stands=self.stands
        )

    def _axis(self, name: str) -> Axis:
        rows = self.parts.rows
        if name == COMPANIES:
            return Axis(tuple(company.company for company in self.companies), self.parts.company)
        if name == ACCOUNTS:
            return account_axis(rows)
        if name in STEPS:
            closing = closing_ordinals(self.sources[0].calendar)
            return period_axis(rows, self.periods, closing, stands=self.stands)
        return field_axis(rows, self.address.chart, name)

    @cached_property
    def amounts(self) -> CrossedAmounts:
        down, across = self.address.down, self.address.across
        if down == across:
            raise WrongCall("What stands down stands across too: choose another.")
        axes = self._axis(down), self._axis(across)
        if len(axes[0].keys) * len(axes[1].keys) > MOST_CELLS:
            raise WrongCall("That is too many cells: narrow it, or choose another field.")
        return crossed(*axes, self.parts.rows.net)

    @cached_property
    def figure(self) -> int:
        """What the line comes to, raw, by the statement's own figures."""
        at = self.plan.index[self.line]
        figures = [figures_of(one, self.plan, self.address.measure, looks_back=False) for one in self.sources]
        return sum(found.figures.lines[at].raw[-1] for found in figures)

    @property
    def proven(self) -> bool:
        """Rows and columns come to the line's figure."""
        return self.amounts.come_to(self.figure)

    def shown(self, raw: int) -> int:
        return raw if self.entry.direction == DEBIT else -raw
