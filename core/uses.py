"""Where a code is used by definitions: for deleting, closing, and to go there."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, NamedTuple

from core.selector_text import mentions
from core.state import State
from core.statements import natural_list
from core.tables import (
    BY_ROW,
    Chart,
    ChartSegment,
    Company,
    CompanyAccount,
    CompanyCode,
    Dimension,
    Elimination,
    Group,
    Hierarchy,
    HierarchyNode,
    IntercompanyPair,
    Mapping,
    OverlayCode,
    PairingCondition,
    PairingRule,
    Statement,
    StatementLine,
    StructureSegment,
)


class Use(NamedTuple):
    """A definition that names a code, and how."""

    table: str
    key: tuple[Any, ...]
    sentence: str


def _use(row: Any, sentence: str) -> Use:
    table = BY_ROW[type(row)]
    return Use(table.name, table.key(row), sentence)


def charts_of_list(state: State, code_list: str) -> dict[str, set[str]]:
    """Charts that use a list, with the fields (segments, dimensions) it serves as."""
    structures: dict[str, set[str]] = {}
    for segment in state.rows(StructureSegment):
        if segment.code_list == code_list:
            structures.setdefault(segment.structure, set()).add(segment.segment)
    dimensions = {row.dimension for row in state.rows(Dimension) if row.code_list == code_list}
    return {chart.chart: fields for chart in state.rows(Chart) if (fields := structures.get(chart.structure, set()) | dimensions)}


def of_code(state: State, code_list: str, code: str) -> Iterator[Use]:
    """Definitions that name exactly this code. Its own places in hierarchies count only where codes stand below."""
    charts = charts_of_list(state, code_list)
    for head in state.rows(Hierarchy):
        if head.code_list == code_list:
            for node in state.part(HierarchyNode, head.hierarchy).values():
                if node.parent == code:
                    yield _use(node, f"{node.code} stands below it in {head.name}")
                if node.intake and mentions(node.intake, code):
                    yield _use(node, f"the intake of {node.code} in {head.name}")
    for chart, fields in charts.items():
        for segment in state.part(ChartSegment, chart).values():
            if segment.segment in fields and segment.default_code == code:
                yield _use(segment, f"the default of {segment.segment} in {chart}")
        for rule in state.part(PairingRule, chart).values():
            if rule.field in fields and rule.codes and mentions(rule.codes, code):
                yield _use(rule, f"pairing rule {rule.rule} of {chart}")
        for condition in state.part(PairingCondition, chart).values():
            if condition.field in fields and mentions(condition.codes, code):
                yield _use(condition, f"a condition of pairing rule {condition.rule} of {chart}")
    for own in state.rows(CompanyCode):
        company = state.get(Company, own.company)
        if own.code == code and company and own.segment in charts.get(company.chart, ()):
            yield _use(own, f"the code of company {own.company}")
    for local in state.rows(OverlayCode):
        if (local.code_list, local.code) == (code_list, code):
            yield _use(local, f"overlay {local.overlay}")
    yield from _as_account(state, code_list, code)


def _as_account(state: State, code_list: str, code: str) -> Iterator[Use]:
    def natural(chart: str) -> bool:
        return natural_list(state, chart) == code_list

    companies = {row.company for row in state.rows(Company) if natural(row.chart)}
    groups = {row.group for row in state.rows(Group) if natural(row.chart)}
    for pair in state.rows(IntercompanyPair):
        if pair.company in companies and code in (pair.due_from, pair.due_to):
            yield _use(pair, f"the intercompany pair of {pair.company} and {pair.partner}")
    for account in state.rows(CompanyAccount):
        if account.company in companies and account.code == code:
            yield _use(account, f"the accounts of company {account.company}")
    for statement in state.rows(Statement):
        if natural(statement.chart):
            for line in state.part(StatementLine, statement.statement).values():
                if line.accounts and mentions(line.accounts, code):
                    yield _use(line, f"line {line.label or line.line} of {statement.name}")
    for row in state.rows(Mapping):
        if (row.group in groups and row.target == code) or (row.company in companies and mentions(row.accounts, code)):
            yield _use(row, f"the mapping of {row.company} into {row.group}")
    for elimination in state.rows(Elimination):
        if elimination.group in groups and (elimination.difference_account == code or mentions(elimination.accounts, code)):
            yield _use(elimination, f"elimination {elimination.elimination} of {elimination.group}")
