"""Which accounts may be budgeted, and cells that no longer fit the definitions."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from core.budgets.cells import BudgetCell, Cells
from core.codes.lists import list_index
from core.definitions.state import State
from core.definitions.tables import Budget
from core.faults import Fault, Location, Refused
from core.structures.accounts import RESTORED, parse_dimensions, resolve
from core.structures.charts import CompanyContext, Field

UNFIT = RESTORED | {"code-not-posting", "code-disabled", "account-not-open"}
"""A budget may say less than a journal: what is missing in a string, and pairing rules, don't count."""


def budget_fault(state: State, company: CompanyContext, row: Budget, natural: str) -> Fault | None:
    """Why a natural account takes nothing in a budget, or in statistics."""
    code = list_index(state, company.chart.natural_list).codes.get(natural)
    if code is None:
        return None
    if row.kind == "statistics" and not code.is_statistic:
        what = f"{code.code} {code.name} is no statistic, and {row.name} holds statistics."
        place = Location("budget_lines", (), "account", natural)
        return Fault("not-budgeted", what, place, "Choose an account of class statistic.", natural)
    if code.budgeting:
        return None
    what = f"{code.code} {code.name} is not open for budgets."
    place = Location("budget_lines", (), "account", natural)
    return Fault("not-budgeted", what, place, "Choose another account, or open it for budgets.", natural)


def approved_fault(row: Budget) -> Fault | None:
    """Why a budget's lines can't be changed."""
    if not row.approved:
        return None
    what = f"{row.name} is approved: its lines stay as they are."
    return Fault(
        "budget-approved",
        what,
        Location("budgets", (row.budget,), "approved", "true"),
        "Take the approval back first, or make another version of it.",
    )


def new_string(company: CompanyContext, natural: str, codes: dict[str, str]) -> tuple[str, str]:
    """The account string and dimensions of an account that has no cells yet: the company's own code, the
    codes that the page is narrowed to, defaults for the rest. Raises Refused where one is missing or not
    allowed."""
    chart = company.chart
    parts = [""] * len(chart.segments)
    for i, field in enumerate(chart.segments):
        own = company.own_code() if i == chart.company else ""
        parts[i] = natural if i == chart.natural else codes.get(field.name, own)
    tagged = [f"{field.name}={codes[field.name]}" for field in chart.dimensions if codes.get(field.name)]
    found = resolve(company, chart.separator.join(parts), "; ".join(tagged), quantities=True)
    if found.faults:
        raise Refused([_narrowed(fault, chart.segments, chart.dimensions) for fault in found.faults])
    return found.account, found.dimensions


def with_code(company: CompanyContext, string: tuple[str, str], field: Field, code: str) -> tuple[str, str]:
    """An account string and dimensions with another code of a field, or without one. Raises Refused for a
    code that doesn't fit."""
    chart = company.chart
    parts, given = chart.split(string[0]), dict(parse_dimensions(string[1])[0])
    place = chart.index[field.name]
    if place < len(chart.segments):
        parts = [*parts, *[""] * (len(chart.segments) - len(parts))]
        parts[place] = code
    else:
        given[field.name] = code
    tagged = "; ".join(f"{name}={value}" for name, value in given.items() if value)
    account = chart.separator.join(parts)
    if not code:
        return account, tagged
    found = resolve(company, account, tagged, active=0, defaults=False, quantities=True)
    if faults := [fault for fault in found.faults if fault.code in UNFIT]:
        raise Refused(faults)
    return found.account, found.dimensions


def _narrowed(fault: Fault, *fields: tuple[Field, ...]) -> Fault:
    """A field that is missing is given by narrowing the page to one of its codes."""
    if fault.code not in ("segment-missing", "dimension-missing", "pairing"):
        return fault
    names = " and ".join(
        field.name for some in fields for field in some if f" {field.title} " in f" {fault.what} "
    )
    way_out = f"Narrow the page to one code, as {names or 'the field'}=CODE, and key it there."
    return Fault(fault.code, fault.what, fault.where, way_out, fault.subject)


class Misfit(NamedTuple):
    """A cell that no longer fits, its raw amount, and why."""

    cell: BudgetCell
    amount: int
    fault: Fault


def misfits(
    state: State, company: CompanyContext, row: Budget, cells: Cells, periods: frozenset[int]
) -> Iterator[Misfit]:
    """Cells whose codes are gone or take no budget, or whose period the calendar no longer has."""
    known: dict[tuple[str, str], Fault | None] = {}
    for cell, amount in sorted(cells.items()):
        key = (cell.account, cell.dimensions)
        if key not in known:
            found = resolve(company, *key, active=0, quantities=True)
            faults = (fault for fault in found.faults if fault.code in UNFIT)
            known[key] = next(faults, None) or budget_fault(state, company, row, found.natural)
        fault = known[key]
        if cell.period not in periods:
            what = f"The calendar has no period {cell.period} in this year."
            place = Location("budget_lines", (), "period", str(cell.period))
            fault = Fault("reference", what, place, "Add the period, or empty the cell.")
        if fault is not None:
            yield Misfit(cell, amount, fault)
