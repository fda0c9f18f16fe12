"""What a group's cash flow is made of and comes to, and the proof that it is what the group's cash did.

working_out.py works it out."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from types import MappingProxyType
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from core.consolidation.eliminate import Side
from core.consolidation.entries import Entries
from core.definitions.statement_rows import CASH_TAKEN_OVER
from core.group.cells import Accounts, GroupBooks
from core.group.rates import NotReady


class Moved(NamedTuple):
    """Books in place of a group's own, of which flows are made: `way` is the direction of the journals that
    moved them (EITHER_WAY: all), `taken_off` that they are left out of the group's own."""

    way: int
    books: GroupBooks
    taken_off: bool = False


@dataclass(frozen=True)
class FlowCells:
    """What the cells of one set of books moved, by period of the stretch: `moved` in minor units of its own
    currency, `amount` those of the group's, after its share and before eliminations."""

    own: tuple[str, ...]
    target: NDArray[np.int64]
    moved: NDArray[Any]
    amount: NDArray[Any]


class CashOfCompany(NamedTuple):
    """Cash of a company in the group's currency: what stood at the beginning, flowed, came with it (less what
    went), what rates did, what stands at the end."""

    opening: int
    flows: int
    taken_over: int
    rate_effect: int
    closing: int


@dataclass(frozen=True)
class Flows:
    """Flows of a stretch, raw (debit plus), minor units of the group's currency.

    `books[(name, way)]` are those of sets of books by target, before eliminations, made of `cells`;
    `taken[way]` what these took, `posted[way]` the differences they left, by target. `cash` are the targets
    that are cash, `companies` who is in with which cash, `left_out` why others aren't."""

    books: Mapping[tuple[str, int], Entries]
    taken: Mapping[int, Mapping[Side, int]]
    posted: Mapping[int, Entries]
    cells: Mapping[tuple[str, int], FlowCells]
    first: int
    cash: frozenset[int]
    companies: Mapping[str, CashOfCompany]
    proven_effect: int
    left_out: Mapping[str, NotReady]

    def cash_sum(self, part: str) -> int:
        """One part of all companies' cash."""
        return sum(getattr(one, part) for one in self.companies.values())

    def gained(self, kind: str) -> dict[str, int]:
        """What cash gained beside what flowed, by company, for a kind of line."""
        part = "taken_over" if kind == CASH_TAKEN_OVER else "rate_effect"
        return {company: getattr(one, part) for company, one in self.companies.items() if getattr(one, part)}

    @cached_property
    def of_group(self) -> dict[tuple[int, int], int]:
        """What flowed after eliminations, by (target, way)."""
        sums: dict[tuple[int, int], int] = {}
        for (_, way), entries in self.books.items():
            for target, amount in entries.items():
                sums[target, way] = sums.get((target, way), 0) + amount
        for way, sides in self.taken.items():
            for (_, _, target), amount in sides.items():
                sums[target, way] = sums.get((target, way), 0) - amount
        for way, entries in self.posted.items():
            for target, amount in entries.items():
                sums[target, way] = sums.get((target, way), 0) + amount
        return {key: amount for key, amount in sums.items() if amount}


class CashProofRow(NamedTuple):
    """A row of the proof; a gain of cash is plus."""

    what: str
    amount: int


class Apart(NamedTuple):
    """What a cash flow is made of beside the group's own books: `moved` is left out of them, or of a direct
    one (`is_direct`) all there is, by the direction of journals; `without` says who has no journals for
    it."""

    moved: Sequence[Moved] = ()
    is_direct: bool = False
    without: Mapping[str, NotReady] = MappingProxyType({})


BOOKS_ALONE = Apart()


def cash_proof(accounts: Accounts, flows: Flows, shown: frozenset[int]) -> Iterator[CashProofRow]:
    """The rows of the proof, all but the last adding up to it; `shown` are the targets that some line of the
    statement shows."""
    unplaced: dict[str, int] = {}
    on_lines = 0
    for (target, _), amount in flows.of_group.items():
        if target in flows.cash:
            continue
        if target in shown:
            on_lines -= amount
        else:
            account = accounts.codes[target] if target < len(accounts.codes) else ""
            account = account or accounts.strays[target - len(accounts.codes)].account
            unplaced[account] = unplaced.get(account, 0) - amount
    opening, taken_over, closing = map(flows.cash_sum, ("opening", "taken_over", "closing"))
    known = opening + on_lines + taken_over + flows.proven_effect + sum(unplaced.values())
    yield CashProofRow("opening", opening)
    yield CashProofRow("flows", on_lines)
    yield CashProofRow("cash_taken_over", taken_over)
    yield CashProofRow("rate_effect", flows.proven_effect)
    yield CashProofRow("rounding", closing - known)
    for account, amount in sorted(unplaced.items()):
        if amount:
            yield CashProofRow(f"unplaced {account}", amount)
    yield CashProofRow("closing", closing)
