"""Non-cash pairs that a company's journals make likely: moved from one activity to another without cash."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

from core.cash_flow.activities import CASH, RESULT, section_of
from core.codes.lists import ListIndex
from core.definitions.nouns import free_id
from core.definitions.state import State
from core.definitions.tables import NonCashPair
from core.statements.plans import Plan


class PostedTogether(NamedTuple):
    """Journals alike: the natural accounts that they debit and credit, how many they are, and what they debit
    in all, minor units."""

    debited: frozenset[str]
    credited: frozenset[str]
    journals: int
    amount: int

    def fits(self, accounts: frozenset[str], against: frozenset[str]) -> bool:
        """Whether a pair leaves them out."""
        touched = self.debited | self.credited
        return touched <= accounts | against and bool(touched & accounts) and bool(touched & against)


class LikelyPair(NamedTuple):
    """A pair of journals that a cash flow counts though no cash moved; minor units."""

    pair: NonCashPair
    journals: int
    amount: int


def likely_pairs(state: State, planned: Plan, posted: Iterable[PostedTogether]) -> list[LikelyPair]:
    """What journals moved between activities of an indirect cash flow without cash and without the result,
    and no pair leaves out: each as a pair, the largest amount first."""
    code_list, known = planned.accounts.code_list, [one[1:] for one in planned.non_cash]
    taken = {one.pair.pair for one in planned.non_cash}
    likely = []
    for one in sorted(posted, key=lambda one: (-one.amount, sorted(one.debited), sorted(one.credited))):
        sections = {_section(state, code_list, planned.accounts, code) for code in one.debited | one.credited}
        if len(sections) < 2 or sections & {"", CASH, RESULT} or one.debited & one.credited:
            continue
        if any(one.fits(*sides) for sides in known):
            continue
        row = _pair_of(planned, one, taken)
        taken.add(row.pair)
        known.append((one.debited, one.credited))
        likely.append(LikelyPair(row, one.journals, one.amount))
    return likely


def _section(state: State, code_list: str, accounts: ListIndex, code: str) -> str:
    return section_of(state, code_list, code) if code in accounts.position else ""


def _pair_of(planned: Plan, one: PostedTogether, taken: set[str]) -> NonCashPair:
    names = [planned.accounts.codes[min(side)].name for side in (one.debited, one.credited)]
    name = f"{names[0]} against {names[1]}"
    sides = (", ".join(sorted(side)) for side in (one.debited, one.credited))
    return NonCashPair(planned.statement.statement, free_id(name, taken), name, *sides)
