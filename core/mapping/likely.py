"""Group accounts for those of a company that have none: by code, by name, by class and neighbours."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import NamedTuple

from core.codes.lists import ListIndex, as_most_alike, list_index
from core.definitions.state import State
from core.definitions.tables import Code
from core.group.map_accounts import group_list
from core.group.mapping import MapPlan, map_plan

NEAR = 10
SHORTEST_WORD = 4


class LikelyTarget(NamedTuple):
    """A group account with why it is likely."""

    target: str
    ground: str


def likely_targets(
    state: State, group: str, company: str, accounts: Iterable[str]
) -> dict[str, LikelyTarget]:
    """By own account; one that nothing speaks for is left out. A target is of the account's class."""
    plan, theirs = map_plan(state, group, company), group_list(state, group)
    return {} if plan is None or theirs is None else likely_by_plan(state, plan, theirs, accounts)


def likely_by_plan(
    state: State, plan: MapPlan, theirs: ListIndex, accounts: Iterable[str]
) -> dict[str, LikelyTarget]:
    """The same for any two charts: `theirs` are the accounts that the plan maps to."""
    if plan.shared:
        return {}
    own = list_index(state, plan.chart.natural_list)
    guess = _Guess(plan, own, theirs)
    codes = (own.codes[account] for account in accounts if account in own.codes)
    return {code.code: likely for code in codes if (likely := guess.of(code))}


def by_target(likely: Mapping[str, LikelyTarget]) -> dict[str, tuple[str, ...]]:
    """Accounts by the target that they most likely go to."""
    found: dict[str, list[str]] = {}
    for account, one in likely.items():
        found.setdefault(one.target, []).append(account)
    return {target: tuple(accounts) for target, accounts in found.items()}


class _Guess:
    """The group's accounts by what may be alike, so that each own account looks at few of them."""

    def __init__(self, plan: MapPlan, own: ListIndex, theirs: ListIndex) -> None:
        self.plan, self.own, self.theirs = plan, own, theirs
        self.by_name: dict[tuple[str, str], str] = {}
        self.by_word: dict[tuple[str, str], list[str]] = {}
        for account in theirs.posting:
            row = theirs.codes[account]
            self.by_name.setdefault((row.account_class, _plain(row.name)), account)
            for word in words(row.name):
                self.by_word.setdefault((row.account_class, word), []).append(account)

    def of(self, code: Code) -> LikelyTarget | None:
        return self._by_name(code) or self._by_code(code) or self._by_words(code) or self._by_neighbours(code)

    def _by_name(self, code: Code) -> LikelyTarget | None:
        target = self.by_name.get((code.account_class, _plain(code.name)))
        if target is None:
            return None
        return LikelyTarget(target, "same name and code" if target == code.code else "same name")

    def _by_code(self, code: Code) -> LikelyTarget | None:
        other = self.theirs.codes.get(code.code)
        if other is None or not other.takes_amounts or other.account_class != code.account_class:
            return None
        return LikelyTarget(other.code, "same code")

    def _by_words(self, code: Code) -> LikelyTarget | None:
        shared: dict[str, list[str]] = {}
        for word in sorted(words(code.name)):
            for account in self.by_word.get((code.account_class, word), ()):
                shared.setdefault(account, []).append(word)
        if not shared:
            return None
        best = max(shared, key=lambda account: (len(shared[account]), -self.theirs.position[account]))
        return LikelyTarget(best, f"its name has {' and '.join(shared[best][:3])}")

    def _by_neighbours(self, code: Code) -> LikelyTarget | None:
        target = as_most_alike(self.own, code, NEAR, lambda other: self.plan.plain(other) or "")
        return LikelyTarget(target, "as its neighbours of the same class") if target else None


def _plain(name: str) -> str:
    return " ".join(name.lower().replace("-", " ").split())


def words(name: str) -> frozenset[str]:
    """Those of a name that are long enough to mean something."""
    return frozenset(word for word in _plain(name).split() if len(word) >= SHORTEST_WORD)
