"""Mapping a company's own accounts into the group's chart: the first row that fits wins; nothing is
dropped."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass

from core.codes.selectors import pick
from core.definitions.state import State, derived
from core.definitions.tables import ChartMapping, Code, Company, Group, Hierarchy, HierarchyNode, Mapping
from core.structures.accounts import parse_dimensions
from core.structures.charts import ChartIndex, chart_index


@dataclass(frozen=True, slots=True)
class MapRow:
    """A row of a mapping; `field` is the place of the field it has a condition on, `codes` what may stand
    there."""

    row: Mapping
    field: int | None
    codes: frozenset[str]


@dataclass(frozen=True, slots=True)
class MapPlan:
    """For each natural account of a company the rows that may fit, in order. `chart` is the company's."""

    company: str
    chart: ChartIndex
    shared: bool
    rows: dict[str, list[MapRow]]

    @property
    def own_codes(self) -> dict[str, Code]:
        """The company's natural accounts."""
        return self.chart.segments[self.chart.natural].codes if self.chart.natural >= 0 else {}

    def plain(self, natural: str) -> str | None:
        """The target where it doesn't depend on anything but the account: '' for unplaced; None where it
        does."""
        if self.shared:
            return natural
        rows = self.rows.get(natural, [])
        if not rows:
            return ""
        return rows[0].row.target if rows[0].field is None else None

    def target(self, natural: str, values: Callable[[], list[str]]) -> str:
        """The target for one account string with dimensions; '' where no row fits. `values` are its codes by
        field."""
        if self.shared:
            return natural
        for row in self.rows.get(natural, []):
            if row.field is None or values()[row.field] in row.codes:
                return row.row.target
        return ""

    def values(self, account: str, dimensions: str) -> list[str]:
        given, _ = parse_dimensions(dimensions)
        return [
            *self.chart.codes_of(account),
            *(given.get(field.name, "") for field in self.chart.dimensions),
        ]


def of_chart(state: State, group: str, company: str, chart: str) -> list[Mapping]:
    """The rows of a chart's mapping, as rows of one company on it."""
    rows = sorted(
        (row for row in state.part(ChartMapping, group).values() if row.chart == chart),
        key=lambda row: row.position,
    )
    return [
        Mapping(row.group, company, row.position, row.accounts, row.field, row.codes, row.target)
        for row in rows
    ]


def ordered(state: State, group: str, company: str) -> list[Mapping]:
    rows = [row for row in state.part(Mapping, group).values() if row.company == company]
    return sorted(rows, key=lambda row: row.position)


@derived(Group, Company, (Mapping, 0), (ChartMapping, 0), Code, Hierarchy, HierarchyNode)
def _rows(
    state: State, group: str, company: str, natural_list: str, chart: str
) -> list[tuple[Mapping, frozenset[str]]]:
    """A company's own rows come before those of its chart."""
    rows = [*ordered(state, group, company), *of_chart(state, group, company, chart)]
    return [(row, pick(state, natural_list, row.accounts).codes) for row in rows]


def map_plan(state: State, group: str, company: str) -> MapPlan | None:
    """None where the company, the group or a chart is unknown."""
    company_row, target = state.get(Company, company), state.get(Group, group)
    chart = chart_index(state, company_row.chart) if company_row else None
    if company_row is None or target is None or chart is None:
        return None
    if company_row.chart == target.chart:
        return MapPlan(company, chart, True, {})
    mapped = _rows(state, group, company, chart.natural_list, company_row.chart)
    return MapPlan(company, chart, False, rows_by_account(state, chart, mapped))


def rows_by_account(
    state: State, chart: ChartIndex, mapped: Iterable[tuple[Mapping, frozenset[str]]]
) -> dict[str, list[MapRow]]:
    """By natural account of the chart the rows that may fit, in order: none behind one without a
    condition."""
    rows: dict[str, list[MapRow]] = {}
    for row, codes in mapped:
        field = chart.field(row.field) if row.field else None
        map_row = MapRow(
            row,
            chart.index.get(row.field) if field else None,
            pick(state, field.code_list, row.codes).codes if field else frozenset(),
        )
        for code in codes:
            earlier = rows.setdefault(code, [])
            if not earlier or earlier[-1].field is not None:
                earlier.append(map_row)
    return rows
