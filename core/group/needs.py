"""Which of the accounts a group can name its members need."""

from __future__ import annotations

from decimal import Decimal

from core.definitions.state import State
from core.definitions.tables import Acquisition, Company, Group, OwnershipChange
from core.group.membership import MemberCompany, membership

WHOLE = Decimal(100)


def accounts_needed(state: State, group: str) -> dict[str, str]:
    """Column of `groups` → what needs it, as the middle of a sentence; one reason is enough."""
    row = state.get(Group, group)
    if row is None:
        return {}
    needs: dict[str, str] = {}
    for reached in membership(state, group).companies:
        for column in needed_by(state, row, reached.company):
            needs.setdefault(column, reached.company)
    for bought in state.part(Acquisition, group).values():
        needs.setdefault("retained_account", f"the acquisition of {bought.member}")
        if (holder := state.get(Company, bought.holder)) and holder.currency != row.currency:
            needs.setdefault("translation_account", f"the acquisition of {bought.member}")
    return needs


def needed_by(state: State, group: Group, name: str) -> list[str]:
    """Columns of `groups` that one company needs."""
    reached = next((row for row in membership(state, group.group).companies if row.company == name), None)
    company = state.get(Company, name)
    if company is None or reached is None or reached.method == "none":
        return []
    columns = []
    if company.currency != group.currency:
        columns += ["translation_account", "retained_account"]
    if reached.in_from is not None or reached.method != "full":
        columns.append("retained_account")
    if reached.method == "equity":
        columns += ["equity_investment_account", "equity_result_account"]
    if reached.in_until is not None:
        columns += ["disposal_account", "retained_account"]
    if has_minority(state, reached):
        columns += ["minority_account", "minority_result_account", "retained_account"]
    return columns


def has_minority(state: State, reached: MemberCompany) -> bool:
    """Whether somebody else owns a part of it, above the first membership that isn't full, at any time."""
    for link in reached.above():
        changes = state.part(OwnershipChange, link.group).values()
        shares = [link.ownership, *(row.ownership for row in changes if row.member == link.member)]
        if any(share is not None and share != WHOLE for share in shares):
            return True
    return False
