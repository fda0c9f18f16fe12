"""Which activity of a cash flow an account most likely belongs to, and which accounts are cash."""

from __future__ import annotations

from collections.abc import Iterable
from functools import lru_cache
from typing import NamedTuple

from core.codes.hierarchies import main_tree
from core.codes.lists import ListIndex, list_index
from core.definitions.state import State, derived
from core.definitions.tables import Code, Hierarchy, HierarchyNode
from core.statements.plans import RESULT_CLASSES

CASH, RESULT = "cash", "result"
SECTIONS = (RESULT, "operating", "investing", "financing", CASH)
CASH_WORDS = ("cash", "bank")
INVESTING_WORDS = ("non-current", "fixed", "plant", "property", "goodwill", "intangible", "shares", "loan")
FINANCING_WORDS = ("loan", "lease", "borrowing", "mortgage")
"""What names of accounts, and of rollup codes above them, say where an account has no activity of its own."""


class Said(NamedTuple):
    """Of what names say."""

    cash: bool = False
    investing: bool = False
    financing: bool = False

    def or_else(self, other: Said) -> Said:
        return Said(*(one or another for one, another in zip(self, other, strict=True)))


NOTHING_SAID = Said()


def section_of(state: State, code_list: str, code: str) -> str:
    """The section of a cash flow statement that an account belongs in: by its own activity; else by its class
    and what it and the codes above it are called."""
    return sections_of(state, code_list, (code,))[code]


def sections_of(state: State, code_list: str, codes: Iterable[str]) -> dict[str, str]:
    """The same of several accounts."""
    rows, said = list_index(state, code_list).codes, said_by_names(state, code_list)
    return {code: _section(rows[code], said.get(code) or _said(rows[code].name)) for code in codes}


def _section(row: Code, said: Said) -> str:
    if row.cash_flow != "none":
        return row.cash_flow
    if row.account_class in RESULT_CLASSES:
        return RESULT
    return _of_asset(row, said) if row.account_class == "asset" else _of_funds(row, said)


@derived((Code, 0), Hierarchy, HierarchyNode, stays=True)
def said_by_names(state: State, code_list: str) -> dict[str, Said]:
    """Of each code in the main hierarchy what it and the codes above it are called; those of which nothing is
    said are left out."""
    tree, codes = main_tree(state, code_list), list_index(state, code_list).codes
    said: dict[str, Said] = {}
    if tree is None:
        return said
    for code in tree.codes:
        above = said.get(tree.parent.get(code, ""), NOTHING_SAID)
        own = _said(codes[code].name) if code in codes else NOTHING_SAID
        if own is not NOTHING_SAID or above is not NOTHING_SAID:
            said[code] = above.or_else(own)
    return said


@lru_cache(maxsize=200_000)
def _said(name: str) -> Said:
    small = name.lower()
    words = (CASH_WORDS, INVESTING_WORDS, FINANCING_WORDS)
    said = Said(*(any(word in small for word in some) for some in words))
    return said if any(said) else NOTHING_SAID


def _of_asset(row: Code, said: Said) -> str:
    """What is written off an asset moves no cash: it takes the expense out of the result again."""
    if said.cash:
        return CASH
    return "investing" if not row.contra and said.investing else "operating"


def _of_funds(row: Code, said: Said) -> str:
    is_financing = row.account_class == "equity" or said.financing
    return "financing" if is_financing else "operating"


def cash_accounts(accounts: ListIndex) -> frozenset[str]:
    """The posting accounts of a list that are cash by their own activity."""
    return frozenset(code for code in accounts.posting if accounts.codes[code].cash_flow == CASH)
