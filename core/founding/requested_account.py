"""An account that somebody asked for, as the change that makes it."""

from __future__ import annotations

from core.changes.kinds import AddCode, Change, ChangeSequence, Put
from core.codes.hierarchies import main_hierarchies
from core.codes.lists import list_index, next_free
from core.definitions.state import State
from core.definitions.tables import Code, Company, CompanyAccount, HierarchyNode
from core.faults import Fault, Location, Refused
from core.structures.charts import chart_index


def requested_account(
    state: State, company: Company, name: str, account_class: str, beside: str, code: str = ""
) -> ChangeSequence:
    """The account under the rollup code of the one `beside`, with the next free code unless one is given, and
    open for the company where that lists its accounts. Raises Refused with what is missing."""
    index = chart_index(state, company.chart)
    code_list = index.natural_list if index else ""
    near = list_index(state, code_list).codes.get(beside)
    faults = []
    if not name:
        faults.append(_fault("name", "The account has no name.", "Say what it is for."))
    if near is None:
        what = (
            f"There is no account {beside} in {code_list}."
            if beside
            else "Most like which account isn't said."
        )
        faults.append(_fault("beside", what, "Name one that is most like it.", beside))
    if faults or near is None:
        raise Refused(faults)
    main = main_hierarchies(state).get(code_list, "")
    node = state.get(HierarchyNode, main, near.code) if main else None
    parent = near.code if near.rollup else node.parent if node else ""
    row = Code(code_list, code or next_free(state, code_list, near.code), name)
    row = row._replace(account_class=account_class or near.account_class)
    changes: list[Change] = [AddCode(row, parent)]
    if company.accounts_open == "listed":
        changes.append(Put(CompanyAccount(company.company, row.code)))
    return ChangeSequence(tuple(changes), f"Added account {row.code} {name}, asked for by {company.name}")


def account_made(change: ChangeSequence) -> str:
    """The code that `requested_account` adds."""
    return next(str(part.row.code) for part in change.changes if isinstance(part, AddCode))


def _fault(column: str, what: str, way_out: str, value: str = "") -> Fault:
    return Fault("account-request", what, Location("codes", (), column, value), way_out)
