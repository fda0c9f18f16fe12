"""Where a code is used by definitions: for deleting, closing, and to go there."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any, NamedTuple

from core.codes.selector_text import mentions
from core.definitions.state import State
from core.definitions.tables import (
    BY_ROW,
    AccountString,
    AcquiredEquity,
    Acquisition,
    Chart,
    ChartMapping,
    ChartSegment,
    CompanyAccount,
    CompanyCode,
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
    SecondChartMapping,
    Statement,
    StatementLine,
    TranslationRule,
)
from core.references.cells import (
    ACCOUNT,
    CODE,
    GROUP_ACCOUNTS,
    SELECTOR,
    CodeReference,
    cells,
    charts_of_list,
)
from core.structures.accounts import parse_dimensions
from core.structures.charts import chart_index

__all__ = ["Use", "charts_of_list", "of_code"]


class Use(NamedTuple):
    """A definition that names a code, and how."""

    table: str
    key: tuple[Any, ...]
    sentence: str


def _tree(state: State, node: HierarchyNode) -> str:
    hierarchy_row = state.get(Hierarchy, node.hierarchy)
    return hierarchy_row.name if hierarchy_row else node.hierarchy


def _statement(state: State, line: StatementLine | NonCashPair) -> str:
    statement_row = state.get(Statement, line.statement)
    return statement_row.name if statement_row else line.statement


SENTENCES: dict[tuple[type[Any], str], Callable[[State, Any], str]] = {
    (HierarchyNode, "parent"): lambda s, r: f"{r.code} stands below it in {_tree(s, r)}",
    (HierarchyNode, "intake"): lambda s, r: f"the intake of {r.code} in {_tree(s, r)}",
    (Chart, "exchange_account"): lambda s, r: f"the account that takes exchange differences of {r.name}",
    (Chart, "result_account"): lambda s, r: f"the account that takes the result of {r.name}",
    (ChartSegment, "default_code"): lambda s, r: f"the default of {r.segment} in {r.chart}",
    (PairingRule, "codes"): lambda s, r: f"pairing rule {r.rule} of {r.chart}",
    (PairingCondition, "codes"): lambda s, r: f"a condition of pairing rule {r.rule} of {r.chart}",
    (AccountString, "account"): lambda s, r: f"the listed account string {r.account} of {r.chart}",
    (QuickCode, "account"): lambda s, r: f"quick code {r.quick_code} of {r.chart}",
    (QuickCode, "dimensions"): lambda s, r: f"quick code {r.quick_code} of {r.chart}",
    (CompanyCode, "code"): lambda s, r: f"the code of company {r.company}",
    (OverlayCode, "code"): lambda s, r: f"overlay {r.overlay}",
    (IntercompanyPair, "due_from"): lambda s, r: f"the intercompany pair of {r.company} and {r.partner}",
    (IntercompanyPair, "due_to"): lambda s, r: f"the intercompany pair of {r.company} and {r.partner}",
    (CompanyAccount, "code"): lambda s, r: f"the accounts of company {r.company}",
    (StatementLine, "accounts"): lambda s, r: f"line {r.label or r.line} of {_statement(s, r)}",
    (StatementLine, "codes"): lambda s, r: f"what line {r.label or r.line} of {_statement(s, r)} asks for",
    **{
        (NonCashPair, side): lambda s, r: f"non-cash pair {r.name} of {_statement(s, r)}"
        for side in ("accounts", "against")
    },
    (Mapping, "target"): lambda s, r: f"the mapping of {r.company} into {r.group}",
    (Mapping, "accounts"): lambda s, r: f"the mapping of {r.company} into {r.group}",
    (Mapping, "codes"): lambda s, r: f"the mapping of {r.company} into {r.group}",
    (Elimination, "accounts"): lambda s, r: f"elimination {r.elimination} of {r.group}",
    (Elimination, "difference_account"): lambda s, r: f"elimination {r.elimination} of {r.group}",
    (ChartMapping, "target"): lambda s, r: f"the mapping of chart {r.chart} into {r.group}",
    (ChartMapping, "accounts"): lambda s, r: f"the mapping of chart {r.chart} into {r.group}",
    (ChartMapping, "codes"): lambda s, r: f"the mapping of chart {r.chart} into {r.group}",
    **{
        (SecondChartMapping, column): lambda s, r: f"the mapping of chart {r.chart} to {r.second_chart}"
        for column in ("target", "accounts", "codes")
    },
    (TranslationRule, "accounts"): lambda s, r: f"translation rule {r.position} of {r.group}",
    (GroupOpening, "account"): lambda s, r: f"the opening amount of {r.company} in {r.group}",
    (Acquisition, "investment"): lambda s, r: f"the acquisition of {r.member} on {r.on} in {r.group}",
    (Acquisition, "goodwill_account"): lambda s, r: f"the acquisition of {r.member} on {r.on} in {r.group}",
    (AcquiredEquity, "account"): lambda s, r: f"the equity acquired of {r.member} in {r.group}",
    **{(Group, column): lambda s, r: f"an account that group {r.group} names" for column in GROUP_ACCOUNTS},
}


def _names(state: State, code_list: str, code: str, cell: CodeReference) -> bool:
    value = getattr(cell.row, cell.column)
    if cell.kind == CODE:
        return bool(value == code)
    if cell.kind == SELECTOR:
        return mentions(value, code)
    index = chart_index(state, cell.chart)
    if index is None:
        return False
    if cell.kind == ACCOUNT:
        parts = zip(index.segments, index.split(value), strict=False)
        return any(
            field.code_list == code_list and code in (part, field.padded(part)) for field, part in parts
        )
    lists = {field.name: field.code_list for field in index.dimensions}
    return any(
        part == code and lists.get(name) == code_list for name, part in parse_dimensions(value)[0].items()
    )


def of_code(state: State, code_list: str, code: str) -> Iterator[Use]:
    """Definitions that name exactly this code. Its own places in hierarchies count only where codes stand
    below."""
    names: set[Use] = set()
    for cell in cells(state, code_list):
        if not cell.own and _names(state, code_list, code, cell):
            table = BY_ROW[type(cell.row)]
            use = Use(
                table.name, table.key(cell.row), SENTENCES[type(cell.row), cell.column](state, cell.row)
            )
            if use not in names:
                names.add(use)
                yield use
