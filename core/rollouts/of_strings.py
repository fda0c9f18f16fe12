"""Cells of account strings and quick codes: carried over, worked out in the company as they would be at
posting."""

from __future__ import annotations

from dataclasses import replace
from typing import NamedTuple

from core.definitions.state import State
from core.definitions.tables import AccountString, QuickCode
from core.faults import Fault
from core.rollouts.cells import ALIKE, RolloutCell, cannot, compared
from core.rollouts.fitting import RolloutSource, Target, carried, carries_swapped
from core.rollouts.things import Thing
from core.structures.accounts import code_fault, date_faults, parse_dimensions, resolve
from core.structures.charts import ChartIndex, CompanyContext

FREELY = RolloutCell("alike", note="Keyed freely: this chart needs no list of strings.")


def _minds_company(chart: ChartIndex) -> bool:
    """Whether a pairing rule speaks of the company segment, so that each company must be asked by itself."""
    return any(field == chart.company for field, _, _ in chart.book.holds) or any(
        rule.field == chart.company for rule in chart.book.rules
    )


def _open_to_all(context: CompanyContext) -> CompanyContext:
    """The company as one that has every account open and every code of the company segment."""
    chart = context.chart
    codes = frozenset(chart.segments[chart.company].codes) if chart.company >= 0 else frozenset()
    return replace(context, codes=codes, open=None, shut=frozenset())


class Carried(NamedTuple):
    """A string carried over to a chart: what stands before and after the company's own code, the natural
    account, how the source lists it, and why it can't stand."""

    head: str
    tail: str
    natural: str
    listed: AccountString
    fault: Fault | None


class StringCells:
    """Cells of strings on one state. What doesn't hang on the company is worked out once a chart."""

    def __init__(self, state: State, source: RolloutSource) -> None:
        self.state, self.source = state, source
        self.carried: dict[tuple[str, str], Carried] = {}
        self.own_codes: dict[str, tuple[str, Fault | None]] = {}
        self.minding: dict[str, bool] = {}

    def cell(self, target: Target, thing: Thing) -> RolloutCell:
        """The string must stand at posting on the day from which it is to be used; a chart of listed strings
        gets it listed."""
        carried_over = self._carried(target, thing.name)
        if carried_over.fault:
            return cannot(carried_over.fault)
        own_code, own_fault = self._own_code(target)
        if fault := own_fault or _not_open(target.context, carried_over.natural):
            return cannot(fault)
        listed = target.context.chart.listed
        if listed is None:
            return FREELY
        account, row = f"{carried_over.head}{own_code}{carried_over.tail}", carried_over.listed
        if (there := listed.get(account)) is None:
            fresh = AccountString(row.chart, account, row.enabled, row.in_use_from, row.in_use_until)
            return RolloutCell("new", (fresh,), scope="company")
        ours = row._replace(account=there.account)
        return compared(self.state, [ours], "company", ("in_use_from",) if self.source.begins else ())

    def _carried(self, target: Target, account: str) -> Carried:
        chart = target.chart
        if chart.chart not in self.minding:
            self.minding[chart.chart] = _minds_company(chart) or not target.context.codes
        asked = target.company.company if self.minding[chart.chart] else chart.chart
        if (known := self.carried.get((asked, account))) is None:
            known = self.carried[asked, account] = self._worked_out(target, account)
        return known

    def _worked_out(self, target: Target, account: str) -> Carried:
        chart = target.chart
        values = carried(self.source, target, account)
        if isinstance(values, Fault):
            return Carried("", "", "", self._as_listed(target, account), values)
        if chart.company >= 0:
            values[chart.company] = target.context.own_code()
        resolved = resolve(_open_to_all(target.context), chart.separator.join(values), "")
        # Dimensions are given on the line; the list of strings is what this fills; the company's own code is
        # asked for by itself.
        own = values[chart.company] if chart.company >= 0 else ""
        faults = [
            fault
            for fault in (*resolved.faults, *date_faults(chart, resolved, self.source.on))
            if fault.code not in ("string-not-listed", "string-not-in-use")
            and fault.where.column != "dimensions"
            and not (
                own
                and fault.subject.endswith(f":{own}")
                and chart.company >= 0
                and fault.subject.startswith(chart.segments[chart.company].name)
            )
        ]
        codes, at = list(resolved.values[: len(chart.segments)]), chart.company
        if at >= 0:
            codes[at] = "\0"
        head, _, tail = chart.separator.join(codes).partition("\0")
        listed = self._as_listed(target, account)
        return Carried(head, tail, resolved.natural, listed, faults[0] if faults else None)

    def _as_listed(self, target: Target, account: str) -> AccountString:
        """How the source lists a string, on the target's chart, from the day from which it is to be used."""
        source = self.source
        row = (source.chart.listed or {}).get(account) or AccountString(source.chart.chart, account)
        starts = row.in_use_from
        if source.begins and (starts is None or starts < source.begins):
            starts = source.begins
        return row._replace(chart=target.chart.chart, in_use_from=starts)

    def _own_code(self, target: Target) -> tuple[str, Fault | None]:
        """The company's own code, none where the chart has no segment for it, and what is wrong with it."""
        company, chart = target.company.company, target.context.chart
        if (known := self.own_codes.get(company)) is None:
            own = target.context.own_code() if chart.company >= 0 else ""
            segment = chart.segments[chart.company] if chart.company >= 0 else None
            fault = code_fault(segment, own, "account", own) if segment else None
            known = self.own_codes[company] = (own, fault)
        return known


def _not_open(context: CompanyContext, natural: str) -> Fault | None:
    if natural in context.shut or (context.open is not None and natural and natural not in context.open):
        what = f"{natural} is not open for company {context.company}."
        return Fault("account-not-open", what, way_out="Bring the account too, or choose another.")
    return None


def quick_code_cell(state: State, source: RolloutSource, target: Target, thing: Thing) -> RolloutCell:
    """A quick code of one company becomes one of the target; its string and dimensions are carried over."""
    row = state.require(QuickCode, source.chart.chart, thing.name)
    swapped = carries_swapped(source, row.account)
    if target.same_chart and not swapped:
        return ALIKE if not row.company or row.company == target.company.company else _taken(row)
    values = carried(source, target, row.account)
    if isinstance(values, Fault):
        return cannot(values)
    if target.chart.company >= 0 and source.chart.company >= 0:
        own = source.chart.codes_of(row.account)[source.chart.company]
        values[target.chart.company] = target.context.own_code() if own else ""
    dimensions = _dimensions(source, target, row.dimensions)
    if isinstance(dimensions, Fault):
        return cannot(dimensions)
    ours = row._replace(
        chart=target.chart.chart,
        quick_code=_renamed(source, row.quick_code) if swapped else row.quick_code,
        company=target.company.company if row.company else "",
        account=target.chart.separator.join(values),
        dimensions=dimensions,
    )
    there = state.get(QuickCode, ours.chart, ours.quick_code)
    if there is not None and there.company != ours.company:
        return _taken(there)
    return compared(state, [ours], "company" if row.company else "chart")


def _taken(row: QuickCode) -> RolloutCell:
    what = (
        f"Quick codes are named once in a chart, and {row.quick_code} is one of {row.company or 'everyone'}."
    )
    return cannot(Fault("taken", what, way_out="Leave its company empty, so that all companies have it."))


def _renamed(source: RolloutSource, name: str) -> str:
    """rent310 → rent340; a name without the code gets the new one at its end."""
    swap = source.swap
    if swap is None:
        return name
    return name.replace(swap.was, swap.now) if swap.was in name else f"{name}{swap.now}"[:40]


def _dimensions(source: RolloutSource, target: Target, text: str) -> str | Fault:
    """Dimensions of the source as the target's chart has them."""
    parts = []
    for name, code in parse_dimensions(text)[0].items():
        field = target.field(name)
        if field is None:
            what = f"{target.chart.name} has no dimension for {name}, which is {code}."
            return Fault("dimension-unknown", what, way_out="Hang the dimension on the chart first.")
        parts.append(f"{field.name}={code}")
    return "; ".join(sorted(parts))
