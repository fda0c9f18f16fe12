"""A group at the end of a period: every step in order, each a value that sums to zero and can be shown.

collect → cells → translate → share → acquisitions → minority → eliminations (docs/architecture.md).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from fractions import Fraction
from functools import cached_property

import numpy as np

from core.consolidation.acquisitions import Acquirer, Named, Purchase
from core.consolidation.disposal import GoneBooks, gone_books, stood_before
from core.consolidation.eliminate import CompanyColumn, Eliminated, Rule, Share, TakingOut, rules_of_group
from core.consolidation.entries import Entries, add, add_all, by_target
from core.consolidation.minority import RunningResult, minority_entries, of_period
from core.consolidation.shares import ByEquity, TakenShare, by_equity, taken
from core.consolidation.translate import Openings, Translated
from core.consolidation.translations import Translations
from core.definitions.state import State
from core.definitions.tables import Group, GroupOpening
from core.group.cells import NOBODY, BookSet, GroupBooks
from core.group.needs import needed_by
from core.group.ownership import Standing
from core.group.periods import BROUGHT_FORWARD, GroupPeriods
from core.group.rates import NotReady, RateTable
from core.money import digits_of, parse_amount, portion

STEPS = ("books", "translation", "share", "equity", "disposal", "acquisition", "minority", "elimination")
"""In the order in which they are told."""


@dataclass(frozen=True)
class Position:
    """What stands in each company's column at the end of a period, after all steps but eliminations, and what
    those took. `steps[(step, company)]` are amounts by target, raw minor units of the group's currency."""

    period: int
    companies: tuple[str, ...]
    steps: Mapping[tuple[str, str], Entries]
    columns: Mapping[str, Entries]
    outcome: Eliminated
    purchases: tuple[Purchase, ...]
    waiting: Mapping[str, NotReady]
    taken: Mapping[str, list[TakenShare]]
    equity: Mapping[str, ByEquity]
    runs: Mapping[str, list[RunningResult]]

    @cached_property
    def eliminated(self) -> Entries:
        """What eliminations changed by target, differences included."""
        change: Entries = {}
        for (_, _, target), amount in self.outcome.taken.items():
            add(change, target, -amount)
        for target, amount in self.outcome.posted:
            add(change, target, amount)
        return change


@dataclass(frozen=True)
class Consolidation:
    """Works out the positions of one group. Nothing in it depends on the period asked for."""

    state: State
    group: Group
    periods: GroupPeriods
    books: GroupBooks
    rates: RateTable
    standings: Mapping[str, Standing]
    positions: dict[tuple[int, bool], Position] = field(default_factory=dict, repr=False)
    sets: dict[str, list[Translated]] = field(default_factory=dict, repr=False)
    translations: Translations = field(default_factory=Translations, repr=False)

    @cached_property
    def named(self) -> Named:
        place = self.books.accounts.place
        row = self.group
        return Named(
            *(
                place.get(code, -1)
                for code in (
                    row.translation_account,
                    row.retained_account,
                    row.minority_account,
                    row.minority_result_account,
                    row.equity_investment_account,
                    row.equity_result_account,
                    row.disposal_account,
                )
            )
        )

    @cached_property
    def rules(self) -> list[Rule]:
        return rules_of_group(self.state, self.group.group, self.books.accounts, self.group.currency)

    def openings(self, company: str) -> Openings:
        """Amounts given for a company's historical accounts, by the period that holds their day."""
        by_period: dict[int, dict[int, int]] = {}
        rows = [r for r in self.state.part(GroupOpening, self.group.group).values() if r.company == company]
        for row in sorted(rows, key=lambda r: r.on):
            minor = parse_amount(row.amount, digits_of(self.group.currency))
            if isinstance(minor, int) and row.account in self.books.accounts.place:
                at = self.periods.holding(row.on)
                by_period.setdefault(at, {})[self.books.accounts.place[row.account]] = minor
        return by_period

    def is_leaving(self, standing: Standing, p: int) -> bool:
        """Whether p lies between a company's going out and the end of that year."""
        out = standing.out
        return out is not None and out <= p and self.periods.year(p) == self.periods.year(out)

    def position(self, p: int) -> Position:
        """What stands at the end of p."""
        return self._position(p, with_gone=True)

    def opening(self, first: int) -> Position:
        """What stood before period `first`. Where a year begins with it, those that went out in the year
        before are gone already."""
        before = first - 1
        year = self.periods.year
        begins = BROUGHT_FORWARD < before < self.periods.last and year(before) != year(first)
        gone = begins and any(self.is_leaving(one, before) for one in self.standings.values())
        return self._position(before, with_gone=not gone)

    def _position(self, p: int, *, with_gone: bool) -> Position:
        if (p, with_gone) not in self.positions:
            self.positions[p, with_gone] = _Work(self, p, with_gone=with_gone).done()
        return self.positions[p, with_gone]

    def running(self, part: TakenShare, consolidated: Share) -> RunningResult:
        """The results of one set of books by period, and of them what rules that take balances and results
        together take: dividends within the group."""
        by_period = part.results
        return RunningResult(
            by_period, self._dividends(part, consolidated), part.books.since_closed(max(by_period, default=0))
        )

    def _dividends(self, part: TakenShare, consolidated: Share) -> dict[int, int]:
        by_period: dict[int, int] = {}
        if not any(rule.mixed and rule.row.partners_only for rule in self.rules):
            return by_period
        for i, amounts in part.running.items():
            for c in np.flatnonzero((amounts != 0) & (part.books.partner != NOBODY)).tolist():
                target = int(part.books.target[c])
                share = consolidated(int(part.books.partner[c]), i)
                first = next((rule for rule in self.rules if rule.selected[target]), None)
                if share is not None and first is not None and first.mixed:
                    by_period[i] = by_period.get(i, 0) + portion(share, int(amounts[c]))
        return by_period

    def need_accounts(self, company: str) -> None:
        """Raises NotReady where the group doesn't name an account that the company needs."""
        for column in needed_by(self.state, self.group, company):
            if not getattr(self.group, column):
                raise NotReady(f"waits for the {column.replace('_', ' ')} of {self.group.group}")

    def translated(self, company: str, p: int) -> list[Translated]:
        """A company's sets of books, worked out to the end of p and beyond. Raises NotReady."""
        standing = self.standings[company]
        if company not in self.sets:
            self.sets[company] = [self._translate(books) for books in self.books.of(company)]
        for one in self.sets[company]:
            one.reaches(p)
            one.ask_closing(p)
            if standing.method == "equity":
                for i in range(max(one.first - 1, 0), p + 1):
                    if one.begun(i):
                        one.ask_closing(i)
        return self.sets[company]

    def _translate(self, books: BookSet) -> Translated:
        base, openings = self.standings[books.company].base, self.openings(books.name)
        if base is not None:
            openings = {at: row for at, row in openings.items() if at >= base}
        last = self.periods.last
        return self.translations.of(books, self.books.accounts, self.rates, base, last, openings)


class _Work:
    """One position, step by step."""

    def __init__(self, group: Consolidation, p: int, *, with_gone: bool) -> None:
        self.group, self.p, self.with_gone = group, p, with_gone
        self.named, self.accounts = group.named, group.books.accounts
        self.acquirer = Acquirer(
            group.state,
            group.group.group,
            group.group.currency,
            group.periods,
            self.accounts,
            group.rates,
            self.named,
            group.books.partners,
        )
        self.steps: dict[tuple[str, str], Entries] = {}
        self.waiting: dict[str, NotReady] = {}
        self.translated: dict[str, list[Translated]] = {}
        self.taken: dict[str, list[TakenShare]] = {}
        self.equity: dict[str, ByEquity] = {}
        self.columns: dict[str, Entries] = {}
        self.loose: dict[str, Entries] = {}
        """what stands in a column and on no cell"""
        self.gone: dict[str, list[GoneBooks]] = {}
        self.left: dict[str, list[Translated]] = {}
        self.place = {name: i for i, name in enumerate(group.books.partners)}

    def done(self) -> Position:
        for company, standing in self.group.standings.items():
            if standing.is_in[self.p]:
                self._company(company, standing)
        for company, standing in self.group.standings.items():
            if self.with_gone and self.group.is_leaving(standing, self.p):
                self._leaving(company, standing)
        purchases = self._purchases()
        runs = {company: self._runs(company) for company in self.translated}
        self._minority(runs)
        columns = [self._column(company) for company in (*self.translated, *self.gone)]
        names = self.group.books.partners
        taking = TakingOut(columns, names, self.accounts, self.p, self._closed_since)
        outcome = taking.run(self.group.rules, self._consolidated, self._associate)
        return Position(
            self.p,
            tuple(sorted({*self.translated, *self.left})),
            self.steps,
            self.columns,
            outcome,
            purchases,
            self.waiting,
            self.taken,
            self.equity,
            runs,
        )

    def _book(
        self, step: str, company: str, target: int, amount: int, column: str = "", on_cells: bool = False
    ) -> None:
        if amount:
            add(self.steps.setdefault((step, company), {}), target, amount)
            add(self.columns.setdefault(column or company, {}), target, amount)
            if not on_cells:
                add(self.loose.setdefault(column or company, {}), target, amount)

    def _book_all(self, step: str, company: str, entries: Entries) -> None:
        """Amounts of a company that stand on no cell, in its own column."""
        entries = {target: amount for target, amount in entries.items() if amount}
        if entries:
            for there in (
                self.steps.setdefault((step, company), {}),
                self.columns.setdefault(company, {}),
                self.loose.setdefault(company, {}),
            ):
                add_all(there, entries)

    def _book_cells(self, step: str, company: str, entries: Entries, column: str) -> None:
        """What stands on cells, without zeros; most are the first of their step and column."""
        for there in (self.steps.setdefault((step, company), {}), self.columns.setdefault(column, {})):
            add_all(there, entries)

    def _company(self, company: str, standing: Standing) -> None:
        try:
            self.group.need_accounts(company)
            sets = self.group.translated(company, self.p)
            rows = self.acquirer.rows_to(self.p).get(company)
            if rows and standing.method == "full":
                self.acquirer.wait_for_rates(rows, standing, sets)
        except NotReady as missing:
            self.waiting[company] = missing
            return
        self.translated[company] = sets
        self.columns.setdefault(company, {})
        if standing.method == "equity":
            self._equity(company, standing, sets)
        else:
            for one in sets:
                self._books(one, one.books.name, company)
            self.taken[company] = [taken(one, standing, self.p) for one in sets]
            if standing.method == "proportionate":
                self._share(company)

    def _books(self, one: Translated, name: str, company: str) -> None:
        self._book_cells("books", name, one.sums(self.p), company)
        self._book("books", name, self.named.retained, one.retained(self.p), company)
        self._book("translation", name, self.named.translation, one.reserve(self.p), company)

    def _share(self, company: str) -> None:
        for part in self.taken[company]:
            one, name = part.books, part.books.books.name
            for target, amount in by_target(one.target, part.cells - one.standing(self.p)).items():
                self._book("share", name, target, amount, company, on_cells=True)
            self._book("share", name, self.named.retained, part.retained - one.retained(self.p), company)
            self._book("share", name, self.named.translation, part.reserve - one.reserve(self.p), company)

    def _equity(self, company: str, standing: Standing, sets: list[Translated]) -> None:
        """No cell of it is in: what its net assets changed by stands on the accounts the group names."""
        stands = by_equity(sets, self.accounts, standing, self.p)
        self.equity[company] = stands
        for target, amount in (
            (self.named.equity_investment, stands.investment),
            (self.named.translation, stands.reserve),
            (self.named.equity_result, stands.running),
            (self.named.retained, stands.retained),
        ):
            self._book("equity", company, target, amount)

    def _purchases(self) -> tuple[Purchase, ...]:
        standings = dict(self.group.standings)
        purchases = tuple(self.acquirer.purchases(self.p, standings, self.translated, self.taken))
        for purchase in purchases:
            for target, amount in purchase.entries:
                self._book("acquisition", purchase.holder, target, amount)
        return purchases

    def _leaving(self, company: str, standing: Standing) -> None:
        """One that went out in this year: its results of the year, and what parting with it brought."""
        assert standing.out is not None
        group, out = self.group, standing.out
        before = group.periods.end_of_year_before(out)
        try:
            group.need_accounts(company)
            sets = group.translated(company, out - 1)
            was = group.position(before)
        except NotReady as missing:
            self.waiting[company] = missing
            return
        self.columns.setdefault(company, {})
        self.left[company] = sets
        first = max(before + 1, sets[0].first)
        periods = [i for i in range(first, out) if standing.is_in[i]]
        if standing.method == "equity":
            self._leaving_by_equity(company, standing, sets, periods)
        else:
            self._leaving_cells(company, standing, sets, periods)
        held = ((one, group.standings[one.holder]) for one in was.purchases if one.member == company)
        stood = stood_before(was.columns.get(company, {}), held, self.accounts, self.named, before)
        self._book("disposal", company, self.named.retained, stood)
        left = sum(self.steps.get(("disposal", company), {}).values())
        self._book("disposal", company, self.named.disposal, -left)

    def _leaving_by_equity(
        self, company: str, standing: Standing, sets: list[Translated], periods: list[int]
    ) -> None:
        runs = []
        for one in sets:
            result = {i: portion(standing.h[i], one.running(i)) for i in periods}
            self._book("disposal", company, self.named.equity_result, sum(result.values()))
            runs.append(RunningResult(result, {}, range(0)))
        for i in periods:
            self._book("disposal", company, self.named.minority_result, of_period(standing, runs, i))

    def _leaving_cells(
        self, company: str, standing: Standing, sets: list[Translated], periods: list[int]
    ) -> None:
        out = periods[-1] if periods else sets[0].first
        parts = [taken(one, standing, out) for one in sets] if periods else []
        places = range(len(self.group.books.partners))
        counts = [self._consolidated(place, self.p) is not None for place in places]
        self.gone[company] = [gone_books(part, standing, self.accounts, periods, counts) for part in parts]
        runs = [self.group.running(part, self._consolidated) for part in parts]
        for one in self.gone[company]:
            for i in periods:
                brought = one.brought(i)
                for c in np.flatnonzero(brought != 0).tolist():
                    target = int(one.books.target[c])
                    self._book("disposal", company, target, int(brought[c]), on_cells=True)
        for i in periods:
            self._book("disposal", company, self.named.minority_result, of_period(standing, runs, i))

    def _closed_since(self, partner: int, i: int) -> bool:
        sets = self.translated.get(self.group.books.partners[partner], [])
        closed = sets[0].last_closed(self.p) if sets else None
        return closed is not None and closed >= i

    def _column(self, company: str) -> CompanyColumn:
        by_equity_only = company in self.equity  # of which no cell is taken
        entries = self.columns[company] if by_equity_only else self.loose.get(company, {})
        loose = {target: amount for target, amount in entries.items() if amount}
        sets, gone = self.taken.get(company, []), self.gone.get(company, [])
        return CompanyColumn(company, self.place[company], sets, loose, gone)

    def _consolidated(self, partner: int, i: int) -> Fraction | None:
        standing = self._known(partner)
        if standing is None or standing.method == "equity" or not standing.is_in[i]:
            return None
        return standing.h[i] if standing.method == "proportionate" else Fraction(1)

    def _associate(self, partner: int, i: int) -> Fraction | None:
        standing = self._known(partner)
        is_in = standing is not None and standing.method == "equity" and standing.is_in[i]
        return Fraction(1) if is_in else None

    def _known(self, partner: int) -> Standing | None:
        """The standing of a partner that could be worked out, now or until it went out."""
        name = self.group.books.partners[partner]
        return self.group.standings[name] if name in self.translated or name in self.left else None

    def _runs(self, company: str) -> list[RunningResult]:
        """The results of each set of books, with the dividends within the group among them."""
        if company in self.equity:
            sets = self.translated[company]
            results = self.equity[company].result
            return [
                RunningResult(result, {}, one.since_closed(self.p))
                for one, result in zip(sets, results, strict=True)
            ]
        return [self.group.running(part, self._consolidated) for part in self.taken[company]]

    def _minority(self, runs: Mapping[str, list[RunningResult]]) -> None:
        for company in self.translated:
            standing = self.group.standings[company]
            if standing.is_whole:
                continue
            column = self.columns[company]
            equity = {target: column[target] for target in self.accounts.equity_targets if target in column}
            self._book_all(
                "minority", company, minority_entries(standing, equity, runs[company], self.named, self.p)
            )
