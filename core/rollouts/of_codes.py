"""Cells of codes and accounts: a code for the list of the other chart, an account open in the company."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, NamedTuple

from core.books.journals import currencies_keyed
from core.codes.hierarchies import main_hierarchies
from core.codes.lists import text_fault
from core.definitions.state import State
from core.definitions.tables import (
    Code,
    CodeList,
    CodeName,
    CodeProperty,
    CompanyAccount,
    HierarchyNode,
    ListProperty,
)
from core.faults import Fault
from core.rollouts.cells import ALIKE, RolloutCell, both, cannot, compared
from core.rollouts.fitting import RolloutSource, Target
from core.rollouts.things import Thing
from core.structures.charts import Field


def code_named(source: RolloutSource, field: str, code: str) -> str:
    """The code that a code of the source is for the target: itself, or the one it is swapped for."""
    swap = source.swap
    return swap.now if swap and swap.field == field and code == swap.was else code


def code_cell(state: State, source: RolloutSource, target: Target, thing: Thing) -> RolloutCell:
    """Does not depend on the company, only on its chart."""
    field = (
        source.chart.segments[source.chart.natural] if not thing.field else source.chart.field(thing.field)
    )
    there = target.field(field.name) if field else None
    if field is None or there is None:
        title = field.title if field else thing.field
        what = f"{target.chart.name} has no segment or dimension for {title}."
        return cannot(Fault("segment", what, way_out="Leave the code out there."))
    row = field.codes.get(thing.name)
    if row is None:
        return cannot(
            Fault("code-unknown", f"There is no code {thing.name} in {field.code_list}.", way_out="Add it.")
        )
    code = code_named(source, field.name, row.code)
    if there.code_list == field.code_list and code == row.code:
        return ALIKE
    return _code_row(state, source, there, row, code)


def _code_row(state: State, source: RolloutSource, there: Field, row: Code, code: str) -> RolloutCell:
    code = there.padded(code)
    swapped = code != row.code
    ours = row._replace(
        code_list=there.code_list,
        code=code,
        name=(source.swap.name if swapped and source.swap else "") or row.name,
        in_use_from=max(filter(None, (row.in_use_from, source.begins)), default=None),
    )
    rule = state.get(CodeList, there.code_list)
    if code not in there.codes and rule and (text := text_fault(rule, code, row.rollup)):
        way_out = (
            f"Give {there.code_list} room for it, or add a code of its own there and map it in the group."
        )
        return cannot(Fault("code-text", text, way_out=way_out))
    if code in there.codes:
        # What is there is compared in what it is; from when on it is used is its own affair.
        keeps = ("in_use_from",) if source.begins or swapped else ()
        return compared(state, [ours], "list", keeps if not swapped else (*keeps, "name"))
    return RolloutCell("new", (ours, *_along(state, there, row, code)), scope="list")


def _along(state: State, there: Field, row: Code, code: str) -> Iterator[Any]:
    """A new code's names in other languages, its properties that the list has, its place in the main
    hierarchy."""
    for word in state.part(CodeName, row.code_list).values():
        if word.code == row.code and code == row.code:
            yield word._replace(code_list=there.code_list)
    for own in state.part(CodeProperty, row.code_list).values():
        if own.code == row.code and state.get(ListProperty, there.code_list, own.property) is not None:
            yield own._replace(code_list=there.code_list, code=code)
    mains = main_hierarchies(state)
    main, theirs = mains.get(row.code_list, ""), mains.get(there.code_list, "")
    node = state.get(HierarchyNode, main, row.code) if main else None
    if node is None or not theirs:
        return
    parent = there.codes.get(node.parent)
    if not node.parent or (parent and parent.rollup and state.get(HierarchyNode, theirs, node.parent)):
        yield HierarchyNode(theirs, code, node.parent)


class AccountInChart(NamedTuple):
    """An account in the target's chart: the cell of its code, which code it is there, and its row."""

    shared: RolloutCell
    code: str
    row: Code | None


def account_in_chart(
    source: RolloutSource, target: Target, thing: Thing, shared: RolloutCell
) -> AccountInChart:
    natural = source.chart.segments[source.chart.natural].name
    code = code_named(source, natural, thing.name)
    row = next((row for row in shared.rows if isinstance(row, Code)), None) or _code(target, code)
    return AccountInChart(shared, code, row)


def account_cell(
    state: State, target: Target, account: AccountInChart, own: CompanyAccount | None
) -> RolloutCell:
    """Beside its code in the target's chart an account must be open in the company, with the source's own
    settings of it (`own`)."""
    shared, row = account.shared, account.row
    if shared.outcome == "cannot" or (row is not None and row.rollup):
        return shared
    return both(shared, _open_cell(state, target, account, own))


def _code(target: Target, code: str) -> Code | None:
    field = target.chart.segments[target.chart.natural]
    return field.codes.get(code) or field.codes.get(field.padded(code))


def _open_cell(
    state: State, target: Target, account: AccountInChart, own: CompanyAccount | None
) -> RolloutCell:
    company, code = target.company.company, account.code
    there = target.accounts.get((company, code))
    listed = target.company.accounts_open == "listed"
    currency = account.row.currency if account.row else ""
    if own is None and there is None and not listed and not currency:
        return ALIKE
    wanted = CompanyAccount(company, code)
    if own is not None:
        wanted = wanted._replace(currency=own.currency, revalue=own.revalue)
    if fault := _currency_fault(state, target, code, wanted.currency or currency):
        return cannot(fault)
    if own is not None and own.enabled:
        return compared(state, [wanted], "company")
    if there is not None:
        return compared(state, [there._replace(enabled=True)], "company")
    return RolloutCell("new", (wanted,), scope="company") if listed else ALIKE


def _currency_fault(state: State, target: Target, code: str, currency: str) -> Fault | None:
    company = target.company
    keyed = currencies_keyed(state, company) if currency else None
    if keyed is None or currency in keyed:
        return None
    what = f"{code} is kept in {currency}, and {company.name} keys {', '.join(sorted(keyed))} only."
    way_out = "Let the company key foreign currencies, or leave the account out there."
    return Fault("account-currency", what, way_out=way_out)
