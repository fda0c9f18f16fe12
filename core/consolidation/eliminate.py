"""Last step: what companies have among themselves, taken out at the share that their partner is in with."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from core.codes.selectors import pick
from core.consolidation.disposal import GoneBooks
from core.consolidation.shares import TakenShare
from core.consolidation.translate import Translated
from core.definitions.state import State
from core.definitions.tables import Elimination
from core.group.cells import NOBODY, Accounts
from core.group.map_accounts import group_list
from core.money import digits_of, parse_amount, portion

ASSOCIATES = "associates"
Share = Callable[[int, int], Fraction | None]
"""(place of a partner, period) → the share at which it counts then; None where it doesn't."""


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
class Rule:
    """An elimination: its accounts as a mask over targets, where its difference goes, whether it takes
    balances and results together."""

    row: Elimination
    selected: NDArray[np.bool_]
    difference: int
    mixed: bool
    tolerance: int


def rules_of_group(state: State, group: str, accounts: Accounts, currency: str) -> list[Rule]:
    """In order of position."""
    chart = group_list(state, group)
    rules = []
    for row in sorted(state.part(Elimination, group).values(), key=lambda r: (r.position, r.elimination)):
        selected = np.zeros(accounts.size, dtype=bool)
        codes = pick(state, chart.code_list, row.accounts).codes if chart else frozenset()
        selected[[accounts.place[code] for code in codes]] = True
        results = {accounts.is_result(accounts.place[code]) for code in codes}
        tolerance = parse_amount(row.tolerance or "0", digits_of(currency))
        rules.append(
            Rule(
                row,
                selected,
                accounts.place.get(row.difference_account, -1),
                len(results) == 2,
                tolerance if isinstance(tolerance, int) else 0,
            )
        )
    return rules


@dataclass
class CompanyColumn:
    """What stands in one company's column before eliminations. `left` and `running` are what no rule has
    taken yet: of its cells, and of what result cells brought by period; `remains` of what is left of one that
    went out. `entries` are amounts by target that stand on no cell."""

    company: str
    place: int
    sets: list[TakenShare]
    entries: dict[int, int]
    gone: list[GoneBooks] = field(default_factory=list)
    left: list[NDArray[Any]] = field(default_factory=list)
    running: list[dict[int, NDArray[Any]]] = field(default_factory=list)
    remains: list[dict[int, NDArray[Any]]] = field(default_factory=list)

    def __post_init__(self) -> None:
        self.left = [one.balances for one in self.sets]
        self.running = [dict(one.running) for one in self.sets]
        self.remains = [{i: one.brought(i) for i in one.results} for one in self.gone]


Side = tuple[str, str, int]
"""(company, partner, target)"""


@dataclass
class Eliminated:
    """`taken[(company, partner, target)]` is what was taken away at the end of the period, `taken_in[i]` of
    the results of period i alone; `posted` are differences, per rule (target, amount), `posted_in` those of a
    period's results."""

    taken: dict[Side, int] = field(default_factory=dict)
    taken_in: dict[int, dict[Side, int]] = field(default_factory=dict)
    posted: list[tuple[int, int]] = field(default_factory=list)
    posted_in: dict[int, list[tuple[int, int]]] = field(default_factory=dict)
    disagreements: list[Disagreement] = field(default_factory=list)
    by_rule: list[tuple[str, dict[int, int]]] = field(default_factory=list)


WHOLE = Fraction(1)


def _cells(rule: Rule, books: Translated, mask: NDArray[np.bool_]) -> NDArray[np.int64]:
    """Cells of the mask that a rule may take."""
    mask = mask & rule.selected[books.target]
    return np.flatnonzero(mask & (books.partner != NOBODY) if rule.row.partners_only else mask)


def _take(taken: dict[Side, int], side: Side, amount: int) -> None:
    taken[side] = taken.get(side, 0) + amount


class TakingOut:
    """Runs the rules over the columns of a group at the end of period p."""

    def __init__(
        self,
        columns: list[CompanyColumn],
        names: tuple[str, ...],
        accounts: Accounts,
        p: int,
        closed_since: Callable[[int, int], bool],
        stretch: range | None = None,
    ) -> None:
        """`closed_since`: whether a partner (by its place) closed its books in a period or later. Results are
        taken of the periods of `stretch`; without one of those whose books aren't closed since."""
        self.columns, self.names, self.accounts, self.p = columns, names, accounts, p
        self.closed_since, self.stretch = closed_since, stretch
        self.outcome = Eliminated()

    @staticmethod
    def _known(share: Share) -> Share:
        """The same shares, each asked for once; one that is whole is `WHOLE` itself."""
        asked: dict[tuple[int, int], Fraction | None] = {}

        def known(partner: int, i: int) -> Fraction | None:
            key = partner, i
            if key not in asked:
                part = share(partner, i)
                asked[key] = WHOLE if part == 1 else part
            return asked[key]

        return known

    def run(self, rules: Iterable[Rule], consolidated: Share, associate: Share) -> Eliminated:
        consolidated, associate = self._known(consolidated), self._known(associate)
        for rule in rules:
            self._rule(rule, associate if rule.row.partners == ASSOCIATES else consolidated)
        return self.outcome

    def _rule(self, rule: Rule, share: Share) -> None:
        sides: dict[Side, int] = {}
        in_period: dict[int, int] = {}
        by_target: dict[int, int] = {}
        for column in self.columns:
            for k, one in enumerate(column.sets):
                self._balances(rule, share, column, k, one, sides)
                self._results(rule, share, column, k, one, sides, in_period)
            for k, rest in enumerate(column.gone):
                self._remains(rule, share, column, k, rest, sides, in_period)
            if not rule.row.partners_only:
                self._entries(rule, column, sides)
        difference = sum(sides.values())
        if not rule.row.partners_only:
            difference += self._earlier_differences(rule, by_target)
        for side, amount in sides.items():
            _take(self.outcome.taken, side, amount)
            by_target[side[2]] = by_target.get(side[2], 0) - amount
        if difference and rule.difference >= 0:
            self.outcome.posted.append((rule.difference, difference))
            by_target[rule.difference] = by_target.get(rule.difference, 0) + difference
        if rule.difference >= 0 and self.accounts.is_result(rule.difference):
            for i, amount in in_period.items():
                if amount:
                    self.outcome.posted_in.setdefault(i, []).append((rule.difference, amount))
        self.outcome.disagreements += self._apart(rule, sides)
        self.outcome.by_rule.append((rule.row.elimination, by_target))

    def _parts(
        self,
        rule: Rule,
        share: Share,
        column: CompanyColumn,
        books: Translated,
        by_period: dict[int, NDArray[Any]],
        cells: NDArray[np.int64],
        periods: Iterable[int],
    ) -> Iterator[tuple[Side, int, int, int]]:
        """(side, partner's place, period, amount) of what the rule takes of some cells; `by_period` is what
        no rule has taken yet, and loses it."""
        own = ((i, by_period[i][cells].tolist()) for i in periods if i in by_period)
        amounts = {i: row for i, row in own if any(row)}
        for i in amounts:
            by_period[i] = by_period[i].copy()
        partners, targets = books.partner[cells].tolist(), books.target[cells].tolist()
        for n, c in enumerate(cells.tolist()):
            partner = partners[n]
            side = column.company, self.names[partner] if partner != NOBODY else "", targets[n]
            for i, row in amounts.items():
                part = (share(partner, i) if rule.row.partners_only else WHOLE) if row[n] else None
                if part is not None:
                    taken = row[n] if part is WHOLE else portion(part, row[n])
                    by_period[i][c] -= taken
                    yield side, partner, i, taken

    def _balances(
        self, rule: Rule, share: Share, column: CompanyColumn, k: int, one: TakenShare, sides: dict[Side, int]
    ) -> None:
        cells = _cells(rule, one.books, ~one.books.result)
        if not len(cells):
            return
        left = {self.p: column.left[k]}
        for side, _, _, amount in self._parts(rule, share, column, one.books, left, cells, (self.p,)):
            _take(sides, side, amount)
        column.left[k] = left[self.p]

    def _results(
        self,
        rule: Rule,
        share: Share,
        column: CompanyColumn,
        k: int,
        one: TakenShare,
        sides: dict[Side, int],
        in_period: dict[int, int],
    ) -> None:
        """Each period by itself; since the books were last closed it stands in what is taken at the end."""
        since = one.books.since_closed(self.p)
        cells = _cells(rule, one.books, one.books.result)
        if not len(cells):
            return
        periods = since if self.stretch is None else self.stretch
        for side, _, i, amount in self._parts(
            rule, share, column, one.books, column.running[k], cells, periods
        ):
            _take(self.outcome.taken_in.setdefault(i, {}), side, amount)
            in_period[i] = in_period.get(i, 0) + amount
            if i in since:
                _take(sides, side, amount)

    def _remains(
        self,
        rule: Rule,
        share: Share,
        column: CompanyColumn,
        k: int,
        one: GoneBooks,
        sides: dict[Side, int],
        in_period: dict[int, int],
    ) -> None:
        """Of one that went out, as long as the partner's books aren't closed since."""
        everything = _cells(rule, one.books, np.ones(len(one.books.own), dtype=bool))
        remains = column.remains[k]
        for side, partner, i, amount in self._parts(
            rule, share, column, one.books, remains, everything, tuple(remains)
        ):
            if self.accounts.is_result(side[2]):
                _take(self.outcome.taken_in.setdefault(i, {}), side, amount)
                in_period[i] = in_period.get(i, 0) + amount
            if not self.closed_since(partner, i):
                _take(sides, side, amount)

    def _entries(self, rule: Rule, column: CompanyColumn, sides: dict[Side, int]) -> None:
        """With partners_only false everything on these accounts, entries too."""
        for target, amount in list(column.entries.items()):
            if amount and rule.selected[target]:
                _take(sides, (column.company, "", target), amount)
                column.entries[target] = 0

    def _earlier_differences(self, rule: Rule, by_target: dict[int, int]) -> int:
        total = 0
        for n, (target, amount) in enumerate(self.outcome.posted):
            if rule.selected[target]:
                total += amount
                by_target[target] = by_target.get(target, 0) - amount
                self.outcome.posted[n] = (target, 0)
        return total

    def _apart(self, rule: Rule, sides: Mapping[tuple[str, str, int], int]) -> list[Disagreement]:
        """Pairs whose sides don't cancel, beyond the rule's tolerance."""
        pairs: dict[tuple[str, str], list[tuple[str, str, int, int]]] = {}
        for (company, partner, target), amount in sides.items():
            pair = (min(company, partner), max(company, partner)) if partner else (company, "")
            pairs.setdefault(pair, []).append((company, partner, target, amount))
        return [
            Disagreement(rule.row.elimination, *pair, total, tuple(shares))
            for pair, shares in sorted(pairs.items())
            if abs(total := sum(share[3] for share in shares)) > rule.tolerance
        ]
