"""How account strings of a company's chart are read in the chart that it moves to."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date
from functools import partial
from typing import NamedTuple

from core.definitions.state import State
from core.group.mapping import MapPlan
from core.mapping.second_charts import second_chart_plan
from core.structures.accounts import resolve
from core.structures.charts import ChartIndex, Field, company_context, context_in


class MovedString(NamedTuple):
    """An account string as posted, the natural account that the mapping sends it to (empty: none), and the
    string that it is read as there."""

    account: str
    natural: str
    target_natural: str
    target: str


class StringReader:
    """Reads strings of the chart that a company leaves. A segment that both charts have over one code list
    keeps its code; others have what the new chart's defaults and fills give."""

    def __init__(self, before: State, after: State, company: str, chart: str, on: date) -> None:
        own = company_context(before, company)
        there = context_in(after, company, chart)
        plan = second_chart_plan(before, own.chart.chart, chart) if own else None
        if own is None or there is None or plan is None:
            raise LookupError(f"There is no chart {chart} that {company} could move to.")
        self.own, self.there, self.plan = own.chart, there, plan
        self._from = [_taken_from(self.own, field) for field in there.chart.segments]
        self._active = there.chart.book.active(on) if there.chart.book.breaks else None

    def read(self, account: str) -> MovedString:
        codes = self.own.codes_of(account)
        natural = codes[self.own.natural]
        target = self.plan.target(natural, partial(self.plan.values, account, ""))
        parts = ["" if at is None else codes[at] for at in self._from]
        parts[self.there.chart.natural] = target
        if (at := self.there.chart.company) >= 0 and parts[at] not in self.there.codes:
            parts[at] = self.there.own_code()
        resolved = resolve(self.there, self.there.chart.separator.join(parts), "", self._active)
        return MovedString(account, natural, target, resolved.account)

    def read_all(self, accounts: Iterable[str]) -> dict[str, MovedString]:
        return {account: self.read(account) for account in accounts}


def _taken_from(own: ChartIndex, field: Field) -> int | None:
    """The segment of the own chart whose code a segment of the other one keeps: of the same list, by its name
    or role where there are several."""
    alike = [i for i, one in enumerate(own.segments) if one.code_list == field.code_list]
    named = [i for i in alike if own.segments[i].name == field.name]
    of_role = [i for i in alike if own.segments[i].role == field.role]
    return next(iter([*named, *of_role, *alike]), None)


def targets_of(plan: MapPlan, account: str) -> tuple[str, ...]:
    """Every account that amounts of one may go to; several where that hangs on codes."""
    if plan.shared:
        return (account,)
    return tuple(dict.fromkeys(row.row.target for row in plan.rows.get(account, ())))


def asks_for_dimensions(plan: MapPlan) -> list[int]:
    """Positions of mapping rows that ask for a dimension, which an account string doesn't hold."""
    segments = len(plan.chart.segments)
    rows = {row.row.position for some in plan.rows.values() for row in some if (row.field or 0) >= segments}
    return sorted(rows)
