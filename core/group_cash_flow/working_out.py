"""A group's cash flow: what moved, at the rates of the time it moved, and the proof that it comes to what the
group's cash did (the section *A group's cash flow* of the close rules, after IAS 7).

A flow is what a cell moved in a period, at its average rate and share. Passes: who is in and can be worked
out, flows cell by cell, eliminations, cash that companies brought or took with them, what rates did to cash.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from core.books.balances import exact
from core.cash_flow.activities import cash_accounts
from core.codes.selectors import pick
from core.consolidation.eliminate import ASSOCIATES, Side
from core.consolidation.entries import Entries, add
from core.consolidation.position import Consolidation
from core.consolidation.translate import Translated
from core.definitions.tables import Acquisition
from core.group.cells import NOBODY, BookSet, GroupBooks
from core.group.map_accounts import group_list
from core.group.ownership import Standing
from core.group.periods import BROUGHT_FORWARD
from core.group.rates import NotReady
from core.group.translation_rules import AVERAGE, CLOSING
from core.group_cash_flow.flows import BOOKS_ALONE, Apart, CashOfCompany, FlowCells, Flows
from core.money import portion, round_half_up, scaled
from core.statements.line_parts import EITHER_WAY, PAID, RECEIVED

Cell = tuple[str, str, str]
"""(own account, account of the group or `unplaced`, name of the partner or nothing)"""
CONSOLIDATED = ("full", "proportionate")
WHOLE, NOTHING = Fraction(1), Fraction(0)


@dataclass
class BookFlows:
    """The flows of one set of books: `moved[:, n]` what its cells moved in the n-th period of the stretch in
    its own currency, `amount[:, n]` in the group's, after its share, as far as no rule has taken it."""

    company: str
    name: str
    way: int
    own: tuple[str, ...]
    target: NDArray[np.int64]
    partner: NDArray[np.int64]
    moved: NDArray[Any]
    amount: NDArray[Any]


def group_flows(group: Consolidation, first: int, end: int, apart: Apart = BOOKS_ALONE) -> Flows:
    """Of the periods from `first` to `end`."""
    return _Run(group, first, end, apart).flows()


@dataclass
class _Run:
    """Who is in; flows cell by cell; eliminations; cash that came or went with companies; what rates did."""

    group: Consolidation
    first: int
    end: int
    apart: Apart
    sets: dict[str, list[Translated]] = field(default_factory=dict)
    """of companies that were in at the beginning or in some period of the stretch"""
    left_out: dict[str, NotReady] = field(default_factory=dict)
    parts: list[BookFlows] = field(default_factory=list)
    taken: dict[int, dict[Side, int]] = field(default_factory=dict)
    posted: dict[tuple[int, int], Entries] = field(default_factory=dict)
    """by way and place in the stretch"""

    @cached_property
    def stretch(self) -> range:
        return range(self.first, self.end + 1)

    @cached_property
    def cash(self) -> frozenset[int]:
        accounts = group_list(self.group.state, self.group.group.group)
        place = self.group.books.accounts.place
        return frozenset(place[code] for code in cash_accounts(accounts)) if accounts else frozenset()

    def flows(self) -> Flows:
        self.collect()
        self.work_out()
        books = {(part.name, part.way): _by_target(part) for part in self.parts}
        cells = {
            (part.name, part.way): FlowCells(part.own, part.target, part.moved, part.amount.copy())
            for part in self.parts
        }
        cash_flows = self.cash_flows()
        self.eliminate()
        self.cancel_capital()
        opening, closing = self.cash_at(self.first - 1), self.cash_at(self.end)
        companies = {}
        for company in self.sets:
            came = opening[company], cash_flows[company], self.taken_over(company)
            companies[company] = CashOfCompany(*came, closing[company] - sum(came), closing[company])
        posted: dict[int, Entries] = {}
        for (way, _), entries in self.posted.items():
            for target, amount in entries.items():
                add(posted.setdefault(way, {}), target, amount)
        return Flows(
            books,
            self.taken,
            posted,
            cells,
            self.first,
            self.cash,
            companies,
            sum(self.proven_effect(company) for company in self.sets),
            self.left_out,
        )

    def collect(self) -> None:
        """Those that wait at the beginning, at the end or for a flow are left out of the whole."""
        opening, end = self.group.opening(self.first).waiting, self.group.position(self.end).waiting
        for company, standing in self.group.standings.items():
            inside = [i for i in (self.first - 1, *self.stretch) if standing.is_in[i]]
            if standing.method not in CONSOLIDATED or not inside:
                continue
            told = end.get(company) or self.apart.without.get(company)
            if told is None and self._stood(company):
                told = opening.get(company)
            if told is None:
                try:
                    self.sets[company] = self._translated(company, standing, inside)
                except NotReady as missing:
                    told = missing
            if told is not None:
                self.left_out[company] = told

    def _stood(self, company: str) -> bool:
        """Whether anything stood in a company's books at the beginning: nothing needs no rate."""
        return any(books.books_to[:, self.first - 1].any() for books in self.group.books.of(company))

    def _translated(self, company: str, standing: Standing, inside: Sequence[int]) -> list[Translated]:
        """Raises NotReady where a rate is missing that its flows, or cash that came or went with it, need."""
        self.group.need_accounts(company)
        sets = self.group.translated(company, inside[-1])
        for one in sets:
            for i in inside:
                if i >= self.first and any(moved[:, i].any() for _, moved in self._moved(one)):
                    self.group.rates.minor(AVERAGE, one.books.currency, i)
            for i in self.changes(standing):
                one.standing(i - 1)
        return sets

    def _moved(self, one: Translated) -> list[tuple[int, NDArray[Any]]]:
        """(way, what each cell moved by period in its own currency, without closing journals and what stands
        in later opening periods)."""
        if one.books.name not in self._moved_of:
            places = {cell: c for c, cell in enumerate(_cells(self.group.books, one.books))}
            own = np.zeros_like(one.books.moved) if self.apart.is_direct else one.books.moved.copy()
            by_way = {EITHER_WAY: exact(own)}
            for way, books, taken_off in self.apart.moved:
                into = by_way.setdefault(way, np.zeros_like(by_way[EITHER_WAY]))
                for other in (of for of in books.sets if of.name == one.books.name):
                    rows = [places[cell] for cell in _cells(books, other)]
                    np.add.at(into, rows, -other.moved if taken_off else other.moved)
            opening = [i for i in self.stretch if self.group.periods.rows[i - 1].kind == "opening"]
            for moved in by_way.values():
                moved[:, opening] = 0
            self._moved_of[one.books.name] = [(way, moved) for way, moved in by_way.items() if moved.any()]
        return self._moved_of[one.books.name]

    @cached_property
    def _moved_of(self) -> dict[str, list[tuple[int, NDArray[Any]]]]:
        return {}

    def work_out(self) -> None:
        """A flow is round(N × average rate), by proportionate round(that × h)."""
        for company, sets in self.sets.items():
            standing = self.group.standings[company]
            inside = [(n, i) for n, i in enumerate(self.stretch) if standing.is_in[i]]
            is_in = [standing.is_in[i] for i in self.stretch]
            for one in sets:
                for way, moved in self._moved(one):
                    amount = np.zeros((len(moved), len(self.stretch)), dtype=object)
                    for n, i in inside:
                        if moved[:, i].any():
                            rate = self.group.rates.minor(AVERAGE, one.books.currency, i)
                            amount[:, n] = scaled(scaled(moved[:, i], rate), self.share(company, i))
                    inside_moved = np.where(is_in, moved[:, self.first : self.end + 1], 0)
                    cells = one.own, one.target, one.partner, inside_moved, exact(amount)
                    self.parts.append(BookFlows(company, one.books.name, way, *cells))

    def share(self, company: str, i: int) -> Fraction:
        standing = self.group.standings[company]
        return standing.h[i] if standing.method == "proportionate" else WHOLE

    # ---- what companies have among themselves

    def eliminate(self) -> None:
        """By rule in order, each period by itself, what one company received against what another paid; a
        difference is an amount without a partner."""
        shares = self._shares_of_partners()
        for rule in self.group.rules:
            if rule.row.partners == ASSOCIATES:
                continue
            every = not rule.row.partners_only
            left = self._earlier_differences(rule.selected) if every else {}
            for part in self.parts:
                there = rule.selected[part.target] & (part.amount != 0).any(axis=1)
                there &= every | (part.partner != NOBODY)
                for c in np.flatnonzero(there).tolist():
                    share = None if every else shares[int(part.partner[c])]
                    for n in np.flatnonzero(part.amount[c]).tolist():
                        counts = WHOLE if share is None else share[n]
                        if counts:
                            left[n] = left.get(n, 0) + self._take(part, c, n, counts)
            if rule.difference >= 0:
                for n, amount in left.items():
                    self._post(n, rule.difference, amount)

    def _shares_of_partners(self) -> list[list[Fraction]]:
        """By partner and place in the stretch the share at which it counts; 0 where it doesn't."""
        shares = []
        for name in self.group.books.partners:
            standing = self.group.standings.get(name) if name in self.sets else None
            shares.append(
                [self.share(name, i) if standing and standing.is_in[i] else NOTHING for i in self.stretch]
            )
        return shares

    def _take(self, part: BookFlows, c: int, n: int, share: Fraction) -> int:
        taken = portion(share, int(part.amount[c, n]))
        part.amount[c, n] -= taken
        partner = int(part.partner[c])
        name = self.group.books.partners[partner] if partner != NOBODY else ""
        side = part.company, name, int(part.target[c])
        sides = self.taken.setdefault(part.way, {})
        sides[side] = sides.get(side, 0) + taken
        return taken

    def _post(self, n: int, target: int, amount: int) -> None:
        """A difference; of a direct cash flow one in debit was paid."""
        way = (PAID if amount > 0 else RECEIVED) if self.apart.is_direct else EITHER_WAY
        add(self.posted.setdefault((way, n), {}), target, amount)

    def _earlier_differences(self, selected: NDArray[np.bool_]) -> dict[int, int]:
        """By place in the stretch what earlier rules left on some accounts, which is taken off there."""
        left: dict[int, int] = {}
        for (_, n), entries in self.posted.items():
            for target in [target for target in entries if selected[target]]:
                left[n] = left.get(n, 0) + entries.pop(target)
        return left

    def cancel_capital(self) -> None:
        """From the period after a member came in, what its holder puts in or takes out: its flows on equity
        with the holder cancel the holder's on the investment, where a difference stays."""
        partners, equities = self.group.books.partners, self.group.books.accounts.equities
        for member, picked in self._investments().items():
            holder = self.holders[member]
            member_place, holder_place = partners.index(member), partners.index(holder)
            base = self.group.standings[member].base
            since = BROUGHT_FORWARD + 1 if base is None else base + 2
            for part in (one for one in self.parts if one.company == member):
                mask = (part.partner == holder_place) & equities[part.target]
                for c in np.flatnonzero(mask).tolist():
                    for n in np.flatnonzero(part.amount[c]).tolist():
                        i = self.stretch[n]
                        if i >= since and self._by_full(member, i) and self._by_full(holder, i):
                            onto = self._moved_on(holder, member_place, picked, n)
                            self._post(n, onto, self._take(part, c, n, WHOLE))

    @cached_property
    def holders(self) -> dict[str, str]:
        """By member of an acquisition up to the end its holder, where both are in."""
        rows = self.group.state.part(Acquisition, self.group.group.group).values()
        ends = self.group.periods.ends_on(self.end)
        both = [row for row in rows if row.on <= ends and {row.member, row.holder} <= set(self.sets)]
        return {row.member: row.holder for row in sorted(both, key=lambda row: row.on)}

    def _investments(self) -> dict[str, list[int]]:
        """By member the targets of its holder's investment, in order."""
        accounts = group_list(self.group.state, self.group.group.group)
        picked: dict[str, list[int]] = {}
        for row in self.group.state.part(Acquisition, self.group.group.group).values():
            if accounts and row.member in self.holders:
                codes = pick(self.group.state, accounts.code_list, row.investment).codes
                places = {self.group.books.accounts.place[code] for code in codes}
                picked[row.member] = sorted({*picked.get(row.member, ()), *places})
        return {member: places for member, places in sorted(picked.items()) if places}

    def _by_full(self, company: str, i: int) -> bool:
        standing = self.group.standings[company]
        return standing.method == "full" and standing.is_in[i]

    def _moved_on(self, holder: str, member: int, picked: Sequence[int], n: int) -> int:
        """The account of the investment on which the holder moved something with the member; else the
        first."""
        there = (
            int(part.target[c])
            for part in self.parts
            if part.company == holder
            for c in np.flatnonzero((part.partner == member) & (part.amount[:, n] != 0)).tolist()
        )
        return min((target for target in there if target in picked), default=picked[0])

    # ---- cash

    def is_cash(self, target: NDArray[np.int64]) -> NDArray[np.bool_]:
        return np.isin(target, sorted(self.cash))

    def cash_of(self, company: str, i: int, h: Fraction) -> int:
        """Cash of a company at the end of a period, each cell at a share."""
        sets = self.sets[company]
        return sum(sum(scaled(one.standing(i)[self.is_cash(one.target)], h).tolist()) for one in sets)

    def cash_at(self, i: int) -> dict[str, int]:
        inside = [company for company in self.sets if self.group.standings[company].is_in[i]]
        cash = {company: self.cash_of(company, i, self.share(company, i)) for company in inside}
        return dict.fromkeys(self.sets, 0) | cash

    def cash_flows(self) -> dict[str, int]:
        sums = dict.fromkeys(self.sets, 0)
        for part in self.parts:
            sums[part.company] += int(part.amount[self.is_cash(part.target)].sum())
        return sums

    def changes(self, standing: Standing) -> list[int]:
        """Periods of the stretch in which cash comes with a company, goes with it, or its share changes."""
        return [
            i
            for i in self.stretch
            if i == standing.out
            or (standing.base is not None and i == standing.base + 1)
            or (
                standing.method == "proportionate"
                and standing.is_in[i]
                and standing.is_in[i - 1]
                and standing.h[i] != standing.h[i - 1]
            )
        ]

    def taken_over(self, company: str) -> int:
        """What the group's cash gained by its coming, less what went with it."""
        standing, total = self.group.standings[company], 0
        for i in self.changes(standing):
            if standing.is_in[i]:
                total += self.cash_of(company, i - 1, self.share(company, i))
            if standing.base is None or i != standing.base + 1:
                total -= self.cash_of(company, i - 1, self.share(company, i - 1))
        return total

    def proven_effect(self, company: str) -> int:
        """What rates did to its cash, from the books: opening cash × (closing rate − the one before) + flows
        × (closing rate − average), × h, rounded once a period. A closing rate missing between cancels: that
        period is taken together with the next."""
        standing, sets = self.group.standings[company], self.sets[company]
        currency = sets[0].books.currency
        if currency == self.group.group.currency:
            return 0
        masks = [(one, self.is_cash(one.target)) for one in sets]
        total, exactly = 0, Fraction(0)
        for i in (i for i in self.stretch if standing.is_in[i]):
            stood = sum(int(one.books.books_to[mask, i - 1].sum()) for one, mask in masks)
            moved = sum(int(m[mask, i].sum()) for one, mask in masks for _, m in self._moved(one))
            (now, is_own), (before, _) = self._closing(currency, i), self._closing(currency, i - 1)
            effect = stood * (now - before)
            if moved:
                effect += moved * (now - self.group.rates.minor(AVERAGE, currency, i))
            exactly += effect * self.share(company, i)
            if is_own:
                total, exactly = total + round_half_up(exactly), Fraction(0)
        return total + round_half_up(exactly)

    def _closing(self, currency: str, i: int) -> tuple[Fraction, bool]:
        """The closing rate of a period, or the newest before it, and whether it is its own."""
        for at in range(i, -1, -1):
            try:
                return self.group.rates.minor(CLOSING, currency, at), at == i
            except NotReady:
                continue
        return Fraction(0), False


def _cells(books: GroupBooks, one: BookSet) -> list[Cell]:
    names = [*books.partners, ""]
    accounts = books.accounts
    return [
        (own, accounts.name(target), names[partner])
        for own, target, partner in zip(one.own, one.target.tolist(), one.partner.tolist(), strict=True)
    ]


def _by_target(part: BookFlows) -> Entries:
    entries: Entries = {}
    for target, amount in zip(part.target.tolist(), part.amount.sum(axis=1).tolist(), strict=True):
        add(entries, target, int(amount))
    return entries
