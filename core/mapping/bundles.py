"""Accounts gathered under rollup codes of their main hierarchy, so that a long list can be drawn."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from typing import NamedTuple

from core.codes.hierarchies import main_tree
from core.codes.lists import list_index
from core.definitions.state import State

BY_CLASS = "class:"
"""Before the class by which accounts of no hierarchy are gathered."""


class Bundle(NamedTuple):
    """One end of a drawing: a rollup code (or class) with the accounts under it, or a single account."""

    key: str
    name: str
    accounts: int
    opens: bool


class Bundles:
    """Says where each account of a list stands; bundles that are opened part into what is right below."""

    def __init__(self, state: State, code_list: str, opened: Collection[str]) -> None:
        self.index = list_index(state, code_list)
        self.tree = main_tree(state, code_list)
        self.opened = frozenset(opened)

    def of(self, account: str) -> str:
        """The key of the bundle, or the account itself."""
        path = self.tree.path(account) if self.tree and account in self.tree.place else [account]
        if len(path) == 1:
            row = self.index.codes.get(account)
            path = [f"{BY_CLASS}{row.account_class if row else ''}", account]
        return next((key for key in path[:-1] if key not in self.opened), account)

    def told(self, accounts: Iterable[str]) -> list[Bundle]:
        """Each once with how many of these accounts it holds, in the order of the first of them."""
        counts: dict[str, int] = {}
        for account in accounts:
            key = self.of(account)
            counts[key] = counts.get(key, 0) + 1
        return [Bundle(key, self.name(key), count, self.opens(key)) for key, count in counts.items()]

    def opens(self, key: str) -> bool:
        row = self.index.codes.get(key)
        return key.startswith(BY_CLASS) or bool(row and row.rollup)

    def name(self, key: str) -> str:
        if key.startswith(BY_CLASS):
            return key.removeprefix(BY_CLASS) or "no class"
        row = self.index.codes.get(key)
        return row.name if row else ""
