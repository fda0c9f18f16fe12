"""Accounts that a chart names for what is posted by itself: where a year's result goes, and differences of
exchange."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from core.definitions.state import State
from core.definitions.tables import Chart, Company
from core.faults import Fault, Location
from core.structures.accounts import resolve
from core.structures.charts import CompanyContext


class NamedAccount(NamedTuple):
    """An account string of a company and its dimensions, empty where `faults` say why there is none."""

    account: str
    dimensions: str
    faults: Sequence[Fault]


def named_account(
    state: State, company: Company, context: CompanyContext, column: str, takes: str
) -> NamedAccount:
    """The account that a column of the company's chart names, with the company's own code; `takes` says what
    it is for."""
    chart = state.require(Chart, company.chart)
    natural = getattr(chart, column)
    if not natural:
        what = f"{chart.name} doesn't say which {takes}."
        place = Location("charts", (chart.chart,), column)
        return NamedAccount("", "", [Fault("reference", what, place, "Name it on the chart, in Registers.")])
    parts = [""] * len(context.chart.segments)
    parts[context.chart.natural] = natural
    if context.chart.company >= 0:
        parts[context.chart.company] = context.own_code()
    found = resolve(context, context.chart.separator.join(parts), "")
    return NamedAccount(found.account, found.dimensions, found.faults)
