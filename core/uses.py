"""Where a code is used by definitions: for deleting, closing, and to go there."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any, NamedTuple

from core.naming import CODE, SELECTOR, cells, charts_of_list
from core.selector_text import mentions
from core.state import State
from core.tables import (
    BY_ROW,
    ChartSegment,
    CompanyAccount,
    CompanyCode,
    Elimination,
    Hierarchy,
    HierarchyNode,
    IntercompanyPair,
    Mapping,
    OverlayCode,
    PairingCondition,
    PairingRule,
    Statement,
    StatementLine,
)

__all__ = ["Use", "charts_of_list", "of_code"]


class Use(NamedTuple):
    """A definition that names a code, and how."""

    table: str
    key: tuple[Any, ...]
    sentence: str


def _tree(state: State, node: HierarchyNode) -> str:
    head = state.get(Hierarchy, node.hierarchy)
    return head.name if head else node.hierarchy


def _statement(state: State, line: StatementLine) -> str:
    head = state.get(Statement, line.statement)
    return head.name if head else line.statement


SENTENCES: dict[tuple[type[Any], str], Callable[[State, Any], str]] = {
    (HierarchyNode, "parent"): lambda s, r: f"{r.code} stands below it in {_tree(s, r)}",
    (HierarchyNode, "intake"): lambda s, r: f"the intake of {r.code} in {_tree(s, r)}",
    (ChartSegment, "default_code"): lambda s, r: f"the default of {r.segment} in {r.chart}",
    (PairingRule, "codes"): lambda s, r: f"pairing rule {r.rule} of {r.chart}",
    (PairingCondition, "codes"): lambda s, r: f"a condition of pairing rule {r.rule} of {r.chart}",
    (CompanyCode, "code"): lambda s, r: f"the code of company {r.company}",
    (OverlayCode, "code"): lambda s, r: f"overlay {r.overlay}",
    (IntercompanyPair, "due_from"): lambda s, r: f"the intercompany pair of {r.company} and {r.partner}",
    (IntercompanyPair, "due_to"): lambda s, r: f"the intercompany pair of {r.company} and {r.partner}",
    (CompanyAccount, "code"): lambda s, r: f"the accounts of company {r.company}",
    (StatementLine, "accounts"): lambda s, r: f"line {r.label or r.line} of {_statement(s, r)}",
    (Mapping, "target"): lambda s, r: f"the mapping of {r.company} into {r.group}",
    (Mapping, "accounts"): lambda s, r: f"the mapping of {r.company} into {r.group}",
    (Mapping, "codes"): lambda s, r: f"the mapping of {r.company} into {r.group}",
    (Elimination, "accounts"): lambda s, r: f"elimination {r.elimination} of {r.group}",
    (Elimination, "difference_account"): lambda s, r: f"elimination {r.elimination} of {r.group}",
}


def of_code(state: State, code_list: str, code: str) -> Iterator[Use]:
    """Definitions that name exactly this code. Its own places in hierarchies count only where codes stand below."""
    told: set[Use] = set()
    for cell in cells(state, code_list):
        if cell.own or cell.kind not in (CODE, SELECTOR):
            continue
        value = getattr(cell.row, cell.column)
        if value == code if cell.kind == CODE else mentions(value, code):
            table = BY_ROW[type(cell.row)]
            use = Use(table.name, table.key(cell.row), SENTENCES[type(cell.row), cell.column](state, cell.row))
            if use not in told:
                told.add(use)
                yield use
