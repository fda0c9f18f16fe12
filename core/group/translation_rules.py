"""Which rate an account of the group is translated at: the first rule that fits, else by its class."""

from __future__ import annotations

from core.codes.lists import list_index
from core.codes.selectors import pick
from core.definitions.state import State, derived
from core.definitions.tables import (
    Chart,
    Code,
    Group,
    Hierarchy,
    HierarchyNode,
    Structure,
    StructureSegment,
    TranslationRule,
)
from core.statements.plans import natural_list

CLOSING, AVERAGE, HISTORICAL = "closing", "average", "historical"
BY_CLASS = {
    "asset": CLOSING,
    "liability": CLOSING,
    "revenue": AVERAGE,
    "expense": AVERAGE,
    "equity": HISTORICAL,
}
"""Without a rule. What has no account of the group goes by its own class."""


@derived((TranslationRule, 0), Group, Code, Hierarchy, HierarchyNode, Chart, Structure, StructureSegment)
def rates_by_account(state: State, group: str) -> dict[str, str]:
    """closing, average or historical for each posting account of the group's chart."""
    row = state.get(Group, group)
    code_list = natural_list(state, row.chart) if row else ""
    if not code_list:
        return {}
    accounts = list_index(state, code_list)
    by_account = {
        code: BY_CLASS.get(accounts.codes[code].account_class, CLOSING) for code in accounts.posting
    }
    rules = sorted(state.part(TranslationRule, group).values(), key=lambda rule: rule.position, reverse=True)
    for rule in rules:  # the first that fits wins, so it is laid on last
        by_account |= dict.fromkeys(pick(state, code_list, rule.accounts).codes, rule.rate)
    return by_account


def rate_of_account(state: State, group: str, account: str) -> str:
    return rates_by_account(state, group).get(account, "")
