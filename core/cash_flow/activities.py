"""Which activity of a cash flow an account most likely belongs to, and which accounts are cash."""

from __future__ import annotations

from core.codes.hierarchies import main_tree
from core.codes.lists import ListIndex, list_index
from core.definitions.state import State
from core.definitions.tables import Code
from core.statements.plans import RESULT_CLASSES

CASH, RESULT = "cash", "result"
SECTIONS = (RESULT, "operating", "investing", "financing", CASH)
CASH_WORDS = ("cash", "bank")
INVESTING_WORDS = ("non-current", "fixed", "plant", "property", "goodwill", "intangible", "shares", "loan")
FINANCING_WORDS = ("loan", "lease", "borrowing", "mortgage")
"""What names of accounts, and of rollup codes above them, say where an account has no activity of its own."""


def section_of(state: State, code_list: str, code: str) -> str:
    """The section of a cash flow statement that an account belongs in: by its own activity; else by its class
    and what it and the codes above it are called."""
    index, tree = list_index(state, code_list), main_tree(state, code_list)
    row = index.codes[code]
    path = tree.path(code) if tree and code in tree.place else [code]
    names = " ".join(index.codes[one].name.lower() for one in path if one in index.codes)
    if row.cash_flow != "none":
        return row.cash_flow
    if row.account_class in RESULT_CLASSES:
        return RESULT
    return _of_asset(row, names) if row.account_class == "asset" else _of_funds(row, names)


def _says(names: str, words: tuple[str, ...]) -> bool:
    return any(word in names for word in words)


def _of_asset(row: Code, names: str) -> str:
    """What is written off an asset moves no cash: it takes the expense out of the result again."""
    if _says(names, CASH_WORDS):
        return CASH
    return "investing" if not row.contra and _says(names, INVESTING_WORDS) else "operating"


def _of_funds(row: Code, names: str) -> str:
    is_financing = row.account_class == "equity" or _says(names, FINANCING_WORDS)
    return "financing" if is_financing else "operating"


def cash_accounts(accounts: ListIndex) -> frozenset[str]:
    """The posting accounts of a list that are cash by their own activity."""
    return frozenset(code for code in accounts.posting if accounts.codes[code].cash_flow == CASH)
