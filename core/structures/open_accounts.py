"""Which accounts a company has open, and opening or shutting many of them.

A company has all accounts of its chart open but those it shuts, or only those it lists; a row of its own says
so.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any, Literal, NamedTuple

from core.codes.lists import list_index
from core.definitions.state import State
from core.definitions.tables import Company, CompanyAccount, IntercompanyPair
from core.structures.charts import CompanyContext, chart_index

Wanted = Literal["open", "shut", "plain"]
WANTED: tuple[Wanted, ...] = ("open", "shut", "plain")


class Openness(NamedTuple):
    """How many of some accounts are open, of how many; `own`: how many have settings of their own."""

    open: int
    all: int
    own: int = 0


def is_open(context: CompanyContext, code: str) -> bool:
    return code not in context.shut and (context.open is None or code in context.open)


def openness(state: State, context: CompanyContext, codes: frozenset[str]) -> Openness:
    """Of posting accounts, by what the company says of them: as cheap for thousands as for one. An account
    has settings of its own where a row of the company says more of it than that it is open."""
    listed = codes if context.open is None else codes & context.open
    rows = state.part(CompanyAccount, context.company).values()
    own = sum(
        row.code in codes and (row.enabled is False or bool(row.currency) or row.revalue) for row in rows
    )
    return Openness(len(listed) - len(listed & context.shut), len(codes), own)


class OpenRows(NamedTuple):
    """Rows to put, and rows to drop."""

    put: list[CompanyAccount]
    drop: list[CompanyAccount]


def opened(state: State, company: Company, codes: Iterable[str], wanted: Wanted) -> OpenRows:
    """What makes accounts of a company open, shut, or as its chart has them (plain: without settings of its
    own). Rows that say it already are left."""
    rows = state.part(CompanyAccount, company.company)
    put: list[CompanyAccount] = []
    drop: list[CompanyAccount] = []
    for code in codes:
        row = rows.get((company.company, code))
        new = _row_wanted(company, code, row, wanted)
        if new is None and row is not None:
            drop.append(row)
        elif new is not None and new != row:
            put.append(new)
    return OpenRows(put, drop)


def _row_wanted(
    company: Company, code: str, row: CompanyAccount | None, wanted: Wanted
) -> CompanyAccount | None:
    """The row that an account is to have, given the one it has; none where its chart says enough."""
    listed, plain = company.accounts_open == "listed", CompanyAccount(company.company, code)
    if wanted == "plain" or (wanted == "shut" and listed):
        return None
    if wanted == "shut":
        return (row or plain)._replace(enabled=False)
    new = (row or plain)._replace(enabled=True)
    return new if listed or new != plain else None


def listing_those_used(state: State, company: Company, used: Iterable[str]) -> Iterator[Any]:
    """Rows that make a company have only listed accounts open: those it uses, those of its pairs, and those
    that have a row already."""
    index = chart_index(state, company.chart)
    codes = list_index(state, index.natural_list).codes if index else {}
    pairs = state.part(IntercompanyPair, company.company).values()
    wanted = {*used, *(code for pair in pairs for code in (pair.due_from, pair.due_to))}
    there = state.part(CompanyAccount, company.company)
    yield company._replace(accounts_open="listed")
    for code in sorted(wanted):
        if code in codes and codes[code].takes_amounts and (company.company, code) not in there:
            yield CompanyAccount(company.company, code)
