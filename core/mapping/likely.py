"""Group accounts for those of a company that have none: by code, by name, by class and neighbours."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Set
from functools import cache
from typing import NamedTuple

from core.codes.lists import ListIndex, as_most_alike, list_index
from core.codes.selectors import pick
from core.definitions.state import State
from core.definitions.tables import Code, Elimination, IntercompanyPair
from core.group.map_accounts import group_list
from core.group.mapping import MapPlan, map_plan

NEAR = 10
SURE = ("same name and code", "same name", "same code")
"""Grounds on which accounts are taken together; what words and neighbours say is decided one by one."""
SHORTEST_WORD = 4


class LikelyTarget(NamedTuple):
    """A group account with why it is likely."""

    target: str
    ground: str

    @property
    def is_sure(self) -> bool:
        return self.ground in SURE


def likely_targets(
    state: State, group: str, company: str, accounts: Iterable[str]
) -> dict[str, LikelyTarget]:
    """By own account; one that nothing speaks for is left out. A target is of the account's class, and none
    that eliminations select for an account without partners: what stood there would have none either, and
    nothing would take it out."""
    plan, theirs = map_plan(state, group, company), group_list(state, group)
    if plan is None or theirs is None:
        return {}
    eliminated = frozenset(
        code
        for row in state.part(Elimination, group).values()
        for code in pick(state, theirs.code_list, row.accounts).codes
    )
    pairs = state.part(IntercompanyPair, company).values()
    with_partners = frozenset(account for pair in pairs for account in (pair.due_from, pair.due_to))
    return likely_by_plan(state, plan, theirs, accounts, eliminated, with_partners)


def likely_by_plan(
    state: State,
    plan: MapPlan,
    theirs: ListIndex,
    accounts: Iterable[str],
    eliminated: Set[str] = frozenset(),
    with_partners: Set[str] = frozenset(),
) -> dict[str, LikelyTarget]:
    """The same for any two charts: `theirs` are the accounts that the plan maps to. Those `eliminated` are
    for own accounts `with_partners`."""
    if plan.shared:
        return {}
    own = list_index(state, plan.chart.natural_list)
    guess_of = cache(lambda barred: _Guess(plan, own, theirs, barred))
    codes = (own.codes[account] for account in accounts if account in own.codes)
    return {
        code.code: likely
        for code in codes
        if (likely := guess_of(frozenset() if code.code in with_partners else eliminated).of(code))
    }


def several_accounts(accounts: Iterable[str]) -> str:
    """The one account, or how many, for a sentence of the log."""
    codes = list(accounts)
    return codes[0] if len(codes) == 1 else f"{len(codes):,} accounts"


def by_target(likely: Mapping[str, LikelyTarget]) -> dict[str, tuple[str, ...]]:
    """Accounts by the target that they most likely go to."""
    found: dict[str, list[str]] = {}
    for account, one in likely.items():
        found.setdefault(one.target, []).append(account)
    return {target: tuple(accounts) for target, accounts in found.items()}


class _Guess:
    """The group's accounts, but for those `barred`, by what may be alike, so that each own account looks at
    few of them."""

    def __init__(self, plan: MapPlan, own: ListIndex, theirs: ListIndex, barred: Set[str]) -> None:
        self.plan, self.own, self.theirs, self.barred = plan, own, theirs, barred
        self.by_name: dict[tuple[str, str], str] = {}
        self.by_word: dict[tuple[str, str], list[str]] = {}
        for account in (account for account in theirs.posting if account not in barred):
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
        if other.code in self.barred:
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
        def target_of(other: str) -> str:
            target = self.plan.plain(other) or ""
            return "" if target in self.barred else target

        target = as_most_alike(self.own, code, NEAR, target_of)
        return LikelyTarget(target, "as its neighbours of the same class") if target else None


def _plain(name: str) -> str:
    return " ".join(name.lower().replace("-", " ").split())


def words(name: str) -> frozenset[str]:
    """Those of a name that are long enough to mean something."""
    return frozenset(word for word in _plain(name).split() if len(word) >= SHORTEST_WORD)
