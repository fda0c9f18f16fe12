"""Third step: what companies have among themselves taken out; every rule's change adds up to nothing."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from core.codes.selectors import pick
from core.definitions.tables import Elimination
from core.group.map_accounts import GroupBalances, group_list


class Disagreement(NamedTuple):
    """A pair of companies whose amounts do not cancel under one elimination; raw, the group's minor units.

    `shares` are what each side and account brought: (company, partner, account index, amount)."""

    elimination: str
    company: str
    partner: str
    amount: int
    shares: tuple[tuple[str, str, int, int], ...]

    def side(self, company: str) -> int:
        """What one of the two brought."""
        return sum(share[3] for share in self.shares if share[0] == company)


@dataclass(frozen=True, slots=True)
class EliminationRule:
    """An elimination with its accounts as a mask over targets, and the place of its difference account (-1:
    none)."""

    row: Elimination
    selected: NDArray[np.bool_]
    difference: int


def rules_of(balances: GroupBalances) -> list[EliminationRule]:
    """The group's eliminations by position, each with its accounts as a mask over targets."""
    accounts = group_list(balances.state, balances.group)
    places = accounts.position if accounts else {}
    elimination_rules = []
    rows = balances.state.part(Elimination, balances.group).values()
    for row in sorted(rows, key=lambda r: (r.position, r.elimination)):
        selected = np.zeros(len(balances.accounts) + len(balances.unmapped), dtype=bool)
        codes = pick(balances.state, accounts.code_list, row.accounts).codes if accounts else frozenset()
        selected[[places[code] for code in codes]] = True
        elimination_rules.append(EliminationRule(row, selected, places.get(row.difference_account, -1)))
    return elimination_rules


@dataclass(frozen=True, slots=True)
class EliminationResult:
    """Cell sums after elimination, what was taken by target, and the differences each rule put where.

    `posted` are (target, amount) per rule; `taken` is what eliminations changed by target, differences
    included.
    """

    cells: NDArray[Any]
    posted: tuple[tuple[int, int], ...]
    taken: NDArray[Any]
    disagreements: tuple[Disagreement, ...]
    by_rule: tuple[tuple[str, NDArray[Any]], ...]

    @property
    def balance(self) -> int:
        """Debits less credits after all rules: 0, or something is wrong."""
        if not len(self.cells):
            return 0
        return int(self.cells.sum()) + sum(amount for _, amount in self.posted)


def eliminate(
    balances: GroupBalances, cells: NDArray[Any], rules: list[EliminationRule] | None = None
) -> EliminationResult:
    """Runs the eliminations over cell sums. Debits still equal credits afterwards: what is taken away on one
    account
    and does not cancel comes back on the rule's difference account."""
    cells = cells.copy()
    size = len(balances.accounts) + len(balances.unmapped)
    taken = np.zeros(size, dtype=cells.dtype)
    posted: list[tuple[int, int]] = []
    disagreements: list[Disagreement] = []
    by_rule: list[tuple[str, NDArray[Any]]] = []
    for rule in rules_of(balances) if rules is None else rules:
        mask = rule.selected[balances.target]
        if rule.row.partners_only:
            mask = mask & (balances.partner >= 0)
        mask = mask & (cells != 0)
        change = np.zeros(size, dtype=cells.dtype)
        np.subtract.at(change, balances.target[mask], cells[mask])
        difference = int(cells[mask].sum())
        if not rule.row.partners_only:
            for i, (target, amount) in enumerate(posted):
                if rule.selected[target]:
                    difference += amount
                    change[target] -= amount
                    posted[i] = (target, 0)
        disagreements += _disagreements(balances, rule.row.elimination, cells, mask)
        cells[mask] = 0
        if difference and rule.difference >= 0:
            posted.append((rule.difference, difference))
            change[rule.difference] += difference
        taken += change
        by_rule.append((rule.row.elimination, change))
    return EliminationResult(cells, tuple(posted), taken, tuple(disagreements), tuple(by_rule))


def _disagreements(
    balances: GroupBalances, name: str, cells: NDArray[Any], mask: NDArray[np.bool_]
) -> list[Disagreement]:
    pairs: dict[tuple[str, str], list[tuple[str, str, int, int]]] = {}
    for i in np.flatnonzero(mask).tolist():
        company = balances.companies[balances.company[i]]
        partner = balances.companies[balances.partner[i]] if balances.partner[i] >= 0 else ""
        first, second = sorted((company, partner)) if partner else (company, "")
        pairs.setdefault((first, second), []).append(
            (company, partner, int(balances.target[i]), int(cells[i]))
        )
    return [
        Disagreement(name, first, second, total, tuple(shares))
        for (first, second), shares in sorted(pairs.items())
        if (total := sum(share[3] for share in shares))
    ]
