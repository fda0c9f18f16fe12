"""The source of a rollout, and a company's chart beside it: which field stands for which, strings carried
over with their code swapped."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from typing import NamedTuple

from core.definitions.state import State
from core.definitions.tables import Company, CompanyAccount, Rollout
from core.faults import Fault, Key
from core.rollouts.things import swapped_field
from core.structures.charts import ChartIndex, CompanyContext, Field, chart_index, company_context

OWN_ROLES = ("company", "natural_account", "cost_centre", "intercompany")


class Swap(NamedTuple):
    """The code of a field that stands in strings, and the one that takes its place; the name of that."""

    field: str
    place: int
    was: str
    now: str
    name: str


@dataclass(frozen=True, slots=True)
class RolloutSource:
    """The company whose things are brought, at its chart; `begins`: the day from which what is made is in
    use; `on`: the day on which it must be."""

    company: Company
    chart: ChartIndex
    swap: Swap | None
    begins: date | None
    on: date


def source_of(state: State, rollout: Rollout, today: date) -> RolloutSource | None:
    """None where the company has no chart any more."""
    company = state.get(Company, rollout.company)
    index = chart_index(state, company.chart) if company else None
    if company is None or index is None:
        return None
    field = swapped_field(rollout, index)
    swap = (
        Swap(
            field.name,
            index.index[field.name],
            field.padded(rollout.swap_from),
            field.padded(rollout.swap_to),
            rollout.swap_name,
        )
        if field
        else None
    )
    return RolloutSource(company, index, swap, rollout.in_use_from, rollout.in_use_from or today)


@dataclass(frozen=True, slots=True)
class Target:
    """A company that gets something, with `fields`: the source's fields by name, as places in its chart."""

    company: Company
    context: CompanyContext
    fields: dict[str, int]
    same_chart: bool
    accounts: Mapping[Key, CompanyAccount]
    """its own settings of accounts"""

    @property
    def chart(self) -> ChartIndex:
        return self.context.chart

    def field(self, name: str) -> Field | None:
        """The field of its chart that stands for one of the source's."""
        place = self.fields.get(name)
        fields = (*self.chart.segments, *self.chart.dimensions)
        return fields[place] if place is not None else None


def fields_beside(source: ChartIndex, target: ChartIndex) -> dict[str, int]:
    """Fields of one chart by name as places in another: by role, else by name, else by the code list."""
    theirs = (*target.segments, *target.dimensions)
    places: dict[str, int] = {}
    for field in (*source.segments, *source.dimensions):
        by_role = field.role in OWN_ROLES
        candidates = (
            [i for i, other in enumerate(theirs) if other.role == field.role]
            if by_role
            else [
                *(i for i, other in enumerate(theirs) if other.name == field.name),
                *(i for i, other in enumerate(theirs) if other.code_list == field.code_list),
            ]
        )
        free = [i for i in candidates if i not in places.values() and (by_role or _free_role(theirs[i]))]
        if free:
            places[field.name] = free[0]
    return places


def _free_role(field: Field) -> bool:
    return field.role not in OWN_ROLES


def target_of(state: State, source: RolloutSource, company: Company) -> Target | None:
    """None where the company has no chart."""
    context = company_context(state, company.company)
    if context is None:
        return None
    return Target(
        company,
        context,
        fields_beside(source.chart, context.chart),
        source.chart.chart == context.chart.chart,
        state.part(CompanyAccount, company.company),
    )


def carried(source: RolloutSource, target: Target, account: str) -> list[str] | Fault:
    """Codes by segment of the target's chart for a string of the source's, the code swapped. The company's
    own code is left empty; a code for which the target has no segment is a fault."""
    values = [""] * len(target.chart.segments)
    for place, code in enumerate(source.chart.codes_of(account)):
        segment = source.chart.segments[place]
        if source.swap and source.swap.place == place and code == source.swap.was:
            code = source.swap.now
        there = target.fields.get(segment.name, len(values))
        if there < len(values):
            values[there] = "" if there == target.chart.company else code
        elif code and segment.role != "company":
            return Fault(
                "segment",
                f"{target.chart.name} has no segment for {segment.title}, which is {code} in {account}.",
                way_out="Leave the string out there, or map what comes of it in the group.",
            )
    return values


def carries_swapped(source: RolloutSource, account: str) -> bool:
    """Whether the code that is swapped stands in a string."""
    swap = source.swap
    if swap is None or swap.place >= len(source.chart.segments):
        return False
    return source.chart.codes_of(account)[swap.place] == swap.was
