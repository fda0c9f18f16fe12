"""Every cell of the definitions that names codes of a list: for telling where a code is used, and for
spelling codes anew."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import chain
from typing import Any, NamedTuple

from core.definitions.state import State
from core.definitions.tables import (
    AccountString,
    AcquiredEquity,
    Acquisition,
    Chart,
    ChartMapping,
    ChartSegment,
    CodeName,
    CodeProperty,
    Company,
    CompanyAccount,
    CompanyCode,
    Dimension,
    Elimination,
    Group,
    GroupOpening,
    Hierarchy,
    HierarchyNode,
    IntercompanyPair,
    Mapping,
    NonCashPair,
    OverlayCode,
    PairingCondition,
    PairingRule,
    QuickCode,
    Rollout,
    RolloutItem,
    SecondChartMapping,
    SetAside,
    Statement,
    StatementLine,
    StructureSegment,
    TranslationRule,
)
from core.statements.plans import natural_list

CODE, SELECTOR, ACCOUNT, DIMENSIONS = "code", "selector", "account", "dimensions"


class CodeReference(NamedTuple):
    """A cell that names codes of a list: by itself, by a selector, inside an account string or a dimension
    set.

    `own`: it belongs to the code (its name, its place in a tree) and goes where the code goes. `chart` for
    account strings.
    """

    row: Any
    column: str
    kind: str
    own: bool = False
    chart: str = ""


def charts_of_list(state: State, code_list: str) -> dict[str, set[str]]:
    """Charts that use a list, with the fields (segments, dimensions) it serves as."""
    structures: dict[str, set[str]] = {}
    for segment in state.rows(StructureSegment):
        if segment.code_list == code_list:
            structures.setdefault(segment.structure, set()).add(segment.segment)
    dimensions = {row.dimension for row in state.rows(Dimension) if row.code_list == code_list}
    return {
        chart.chart: fields
        for chart in state.rows(Chart)
        if (fields := structures.get(chart.structure, set()) | dimensions)
    }


def cells(state: State, code_list: str) -> Iterator[CodeReference]:
    """All of them, table by table."""
    charts = charts_of_list(state, code_list)
    yield from _of_codes(state, code_list)
    for hierarchy_row in state.rows(Hierarchy):
        if hierarchy_row.code_list == code_list:
            for node in state.part(HierarchyNode, hierarchy_row.hierarchy).values():
                yield CodeReference(node, "code", CODE, True)
                if node.parent:
                    yield CodeReference(node, "parent", CODE)
                if node.intake:
                    yield CodeReference(node, "intake", SELECTOR)
    yield from outside(state, code_list, charts)


def outside(
    state: State, code_list: str, charts: dict[str, set[str]] | None = None
) -> Iterator[CodeReference]:
    """Those outside of the list and its hierarchies, which may be a hundred thousand rows."""
    charts = charts_of_list(state, code_list) if charts is None else charts
    for chart, fields in charts.items():
        yield from _of_chart(state, chart, fields)
    for own in state.rows(CompanyCode):
        company = state.get(Company, own.company)
        if company and own.segment in charts.get(company.chart, ()):
            yield CodeReference(own, "code", CODE)
    yield from _of_accounts(state, code_list, charts)
    yield from _of_rollouts(state, code_list, charts)


def _of_rollouts(state: State, code_list: str, charts: dict[str, set[str]]) -> Iterator[CodeReference]:
    """Codes of the chart of the company whose things are brought. They are spelled anew with the list, but a
    rollout is a wish and keeps no code from going: what it made could not be taken back else."""
    for row in state.rows(Rollout):
        company = state.get(Company, row.company)
        fields = charts.get(company.chart, set()) if company else set()
        if company is None or not fields:
            continue
        if row.swap_field in fields:
            yield from (
                CodeReference(row, column, CODE, True)
                for column in ("swap_from", "swap_to")
                if getattr(row, column)
            )
        natural = natural_list(state, company.chart) == code_list
        for item in state.part(RolloutItem, row.rollout).values():
            if item.codes and (natural if item.kind in ("account", "place") else item.field in fields):
                yield CodeReference(item, "codes", SELECTOR, True)
            if item.account:
                yield CodeReference(item, "account", ACCOUNT, True, company.chart)


def _of_codes(state: State, code_list: str) -> Iterator[CodeReference]:
    for kind in (CodeName, CodeProperty, SetAside):
        for row in state.part(kind, code_list).values():
            if row[1]:  # the code; a doubt may be set aside for a whole list
                yield CodeReference(row, "code", CODE, True)
    for local in state.rows(OverlayCode):
        if local.code_list == code_list:
            yield CodeReference(local, "code", CODE)


def _of_chart(state: State, chart: str, fields: set[str]) -> Iterator[CodeReference]:
    for segment in state.part(ChartSegment, chart).values():
        if segment.segment in fields and segment.default_code:
            yield CodeReference(segment, "default_code", CODE)
    for rule in state.part(PairingRule, chart).values():
        if rule.field in fields and rule.codes:
            yield CodeReference(rule, "codes", SELECTOR)
    for condition in state.part(PairingCondition, chart).values():
        if condition.field in fields:
            yield CodeReference(condition, "codes", SELECTOR)
    for listed in state.part(AccountString, chart).values():
        yield CodeReference(listed, "account", ACCOUNT, chart=chart)
    for quick in state.part(QuickCode, chart).values():
        yield CodeReference(quick, "account", ACCOUNT, chart=chart)
        if quick.dimensions:
            yield CodeReference(quick, "dimensions", DIMENSIONS, chart=chart)


def _of_accounts(state: State, code_list: str, charts: dict[str, set[str]]) -> Iterator[CodeReference]:
    """Cells that name natural accounts, of a company's or a group's chart."""

    def natural(chart: str) -> bool:
        return natural_list(state, chart) == code_list

    companies = {row.company: row.chart for row in state.rows(Company)}
    own = {name for name, chart in companies.items() if natural(chart)}
    groups = {row.group for row in state.rows(Group) if natural(row.chart)}
    yield from _of_charts(row for row in state.rows(Chart) if natural(row.chart))
    yield from _of_companies(state, own)
    statements = [row.statement for row in state.rows(Statement) if natural(row.chart)]
    yield from chain.from_iterable(_of_statement(state, name) for name in statements)
    yield from _of_conditions(state, charts)
    yield from _of_mappings(state, groups, own, {n: charts.get(c, set()) for n, c in companies.items()})
    yield from _of_chart_mappings(state, groups, code_list, charts)
    yield from _of_second_charts(state, code_list, charts)
    yield from _of_groups(state, groups)


def _of_statement(state: State, statement: str) -> Iterator[CodeReference]:
    """Accounts of its lines and of what it leaves out."""
    for line in state.part(StatementLine, statement).values():
        if line.accounts:
            yield CodeReference(line, "accounts", SELECTOR)
    for pair in state.part(NonCashPair, statement).values():
        yield from (CodeReference(pair, side, SELECTOR) for side in ("accounts", "against"))


def _of_conditions(state: State, charts: dict[str, set[str]]) -> Iterator[CodeReference]:
    """Codes that lines of statements ask for, where their field is over the list."""
    for row in state.rows(Statement):
        fields = charts.get(row.chart, ())
        for line in state.part(StatementLine, row.statement).values() if fields else ():
            if line.codes and line.field in fields:
                yield CodeReference(line, "codes", SELECTOR)


def _of_charts(charts: Iterator[Chart]) -> Iterator[CodeReference]:
    """Accounts that charts name for what is posted by itself."""
    for row in charts:
        for column in ("result_account", "exchange_account"):
            if getattr(row, column):
                yield CodeReference(row, column, CODE)


GROUP_ACCOUNTS = (
    "translation_account",
    "retained_account",
    "minority_account",
    "minority_result_account",
    "equity_investment_account",
    "equity_result_account",
    "disposal_account",
)
OF_GROUPS: dict[type[Any], tuple[str, ...]] = {
    Group: GROUP_ACCOUNTS,
    Elimination: ("accounts", "difference_account"),
    TranslationRule: ("accounts",),
    GroupOpening: ("account",),
    Acquisition: ("investment", "goodwill_account"),
    AcquiredEquity: ("account",),
}
"""Columns that name natural accounts of the group's chart, table by table."""
SELECTORS = ("accounts", "investment")


def _of_groups(state: State, groups: set[str]) -> Iterator[CodeReference]:
    for kind, columns in OF_GROUPS.items():
        for row in state.rows(kind):
            if row.group in groups:
                yield from (
                    CodeReference(row, column, SELECTOR if column in SELECTORS else CODE)
                    for column in columns
                    if getattr(row, column)
                )


def _of_chart_mappings(
    state: State, groups: set[str], code_list: str, charts: dict[str, set[str]]
) -> Iterator[CodeReference]:
    for row in state.rows(ChartMapping):
        if row.group in groups:
            yield CodeReference(row, "target", CODE)
        if natural_list(state, row.chart) == code_list:
            yield CodeReference(row, "accounts", SELECTOR)
        if row.codes and row.field in charts.get(row.chart, ()):
            yield CodeReference(row, "codes", SELECTOR)


def _of_second_charts(state: State, code_list: str, charts: dict[str, set[str]]) -> Iterator[CodeReference]:
    for row in state.rows(SecondChartMapping):
        if natural_list(state, row.second_chart) == code_list:
            yield CodeReference(row, "target", CODE)
        if natural_list(state, row.chart) == code_list:
            yield CodeReference(row, "accounts", SELECTOR)
        if row.codes and row.field in charts.get(row.chart, ()):
            yield CodeReference(row, "codes", SELECTOR)


def _of_companies(state: State, own: set[str]) -> Iterator[CodeReference]:
    for pair in state.rows(IntercompanyPair):
        if pair.company in own:
            yield CodeReference(pair, "due_from", CODE)
            yield CodeReference(pair, "due_to", CODE)
    for account in state.rows(CompanyAccount):
        if account.company in own:
            yield CodeReference(account, "code", CODE)


def _of_mappings(
    state: State, groups: set[str], own: set[str], fields: dict[str, set[str]]
) -> Iterator[CodeReference]:
    """`groups` and `own` are those whose natural accounts are meant, `fields` those of a company's chart."""
    for row in state.rows(Mapping):
        if row.group in groups:
            yield CodeReference(row, "target", CODE)
        if row.company in own:
            yield CodeReference(row, "accounts", SELECTOR)
        if row.codes and row.field in fields.get(row.company, ()):
            yield CodeReference(row, "codes", SELECTOR)
