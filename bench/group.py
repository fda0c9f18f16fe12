"""A large group for the benchmark: 200 companies, 150 of them in 12 other currencies, three levels of groups,
24 periods, 2,100,000 balances in arrays, made with a fixed seed."""

from __future__ import annotations

import calendar
import statistics
import time
from datetime import date
from decimal import Decimal
from typing import Any

import numpy as np

from core.books.periods import calendar_index, ordinal
from core.changes.kinds import Put, apply
from core.consolidation.position import Consolidation
from core.consolidation.translations import Translations
from core.definitions.state import State
from core.definitions.tables import (
    Calendar,
    Chart,
    Code,
    CodeList,
    Company,
    Elimination,
    Group,
    GroupMember,
    Period,
    Rate,
    Structure,
    StructureSegment,
)
from core.group.cells import Accounts, BookSet, GroupBooks
from core.group.ownership import standings
from core.group.periods import group_periods
from core.group.rates import rate_table
from core.group.translation_rules import BY_CLASS
from core.group_figures.makeup import Span, own_amounts
from core.group_figures.step_matrix import step_rows
from core.group_figures.sum_up import consolidate

COMPANIES, OWN, CELLS = 200, 50, 420
CLASSES = ("asset",) * 150 + ("liability",) * 80 + ("equity",) * 20 + ("revenue",) * 70 + ("expense",) * 100
CURRENCIES = [f"X{letter}{letter}" for letter in "ABCDEFGHIJKL"]
ENTRIES = ("1230", "1231", "1232", "1320", "1000", "1250", "1251")
KINDS = ("closing", "average", "historical")


def _definitions() -> list[Any]:
    rows: list[Any] = [
        CodeList("ga", "Accounts", 4, 4),
        *(Code("ga", str(1000 + i), f"Account {i}", account_class=kind) for i, kind in enumerate(CLASSES)),
        Structure("gs", "Group", "-"),
        StructureSegment("gs", 1, "account", "Account", "ga", "natural_account"),
        Chart("gc", "Group chart", "gs"),
        Calendar("cal", "Months"),
    ]
    for year in (2025, 2026):
        for month in range(1, 13):
            last = date(year, month, calendar.monthrange(year, month)[1])
            name = f"{year}-{month:02d}"
            rows.append(Period("cal", year, month, name, date(year, month, 1), last, "regular"))
    for group in ("top", *(f"s{i}" for i in range(10)), *(f"t{i}" for i in range(20))):
        rows.append(Group(group, group, "EUR", "gc", "cal", *ENTRIES))
    rows += [GroupMember("top", f"s{i}", "group") for i in range(10)]
    rows += [GroupMember(f"s{i % 10}", f"t{i}", "group", "full", Decimal(90)) for i in range(20)]
    for i in range(COMPANIES):
        currency = "EUR" if i < OWN else CURRENCIES[i % 12]
        rows.append(Company(f"c{i:03d}", f"Company {i}", "DE", currency, "gc", "cal"))
        rows.append(
            GroupMember(f"t{i % 20}", f"c{i:03d}", "company", "full", Decimal((100, 100, 80, 60)[i % 4]))
        )
    rows += [
        Elimination("top", "owed", 10, "", "1140 to 1159", True, "1160"),
        Elimination("top", "trade", 20, "", "1250 to 1260, 1320 to 1330", True, "1321"),
    ]
    return rows


def _rates(state: State, random: np.random.Generator) -> list[Rate]:
    rows = [Rate(c, "EUR", kind, date(2024, 12, 31), Decimal("0.9")) for c in CURRENCIES for kind in KINDS]
    for currency in CURRENCIES:
        for period in state.rows(Period):
            for kind in KINDS[:2]:
                rate = Decimal(int(random.integers(80_000, 120_000))) / 100_000
                rows.append(Rate(currency, "EUR", kind, period.ends_on, rate))
    return rows


def _books(state: State, accounts: Accounts, i: int, random: np.random.Generator) -> BookSet:
    """Balanced movements of every period; the first year is closed."""
    name = f"c{i:03d}"
    target = np.arange(CELLS) % len(CLASSES)
    partner = np.where(random.random(CELLS) < 0.15, random.integers(0, COMPANIES, CELLS), -1)
    partner[partner == i] = -1
    moved = random.integers(-(10**8), 10**8, (CELLS, 25))
    moved[-1] -= moved.sum(axis=0)
    result = np.array([accounts.is_result(int(t)) for t in target])
    closed = np.zeros_like(moved)
    closed[:, 12] = np.where(result, -moved[:, :13].sum(axis=1), 0)
    closed[231, 12] -= closed[:, 12].sum()
    currency = state.require(Company, name).currency
    own = tuple(str(1000 + t) for t in target)
    to = np.cumsum(moved + closed, axis=1)
    return BookSet(name, name, currency, own, target, partner, moved, closed, to)


class LargeGroup:
    """Its books stay; each `figures` starts from rates that have changed."""

    def __init__(self) -> None:
        random = np.random.default_rng(20_260_930)
        state = State.of(_definitions())
        self.state = State.of([*_definitions(), *_rates(state, random)])
        self.group = self.state.require(Group, "top")
        self.periods = group_periods(calendar_index(self.state, "cal"))
        self.standings = standings(self.state, "top", self.periods)
        codes = tuple(str(1000 + i) for i in range(len(CLASSES)))
        accounts = Accounts(
            codes,
            CLASSES,
            (),
            tuple(BY_CLASS.get(k, "closing") for k in CLASSES),
            {c: i for i, c in enumerate(codes)},
        )
        sets = tuple(_books(self.state, accounts, i, random) for i in range(COMPANIES))
        self.books = GroupBooks(accounts, tuple(f"c{i:03d}" for i in range(COMPANIES)), sets)
        self.balances = sum(one.moved.size for one in sets)

    def consolidation(self, state: State | None = None, former: Translations | None = None) -> Consolidation:
        state = state or self.state
        rates = rate_table(state, self.group, self.periods)
        translations = Translations(former)
        return Consolidation(
            state, self.group, self.periods, self.books, rates, self.standings, translations=translations
        )

    def rate_changed(self, end: int) -> float:
        """Seconds from a rate of one currency that is another to the balance sheet."""
        known = self.consolidation()
        consolidate(known, 0, end, True)
        seconds = []
        for n in range(5):
            row = Rate(CURRENCIES[3], "EUR", "closing", self.periods.ends_on(24), Decimal(110 + n) / 100)
            state = apply(self.state, Put(row))
            started = time.perf_counter()
            known = self.consolidation(state, known.translations)
            consolidate(known, 0, end, True)
            seconds.append(time.perf_counter() - started)
        return min(seconds)

    def pass_over(self) -> None:
        """One bare pass: every balance added up by account."""
        for one in self.books.sets:
            np.add.at(np.zeros(len(CLASSES), dtype=np.int64), one.target, one.moved.sum(axis=1))


def bench_large_group(add: Any, best: Any, *, all_steps: bool = True) -> None:
    """Adds the rows of the large group to a report: all, or that of a changed rate alone."""
    large = LargeGroup()
    end = ordinal(2026, 12)
    base = best(large.pass_over)
    bare = "one numpy pass over the balances"
    changed = large.rate_changed(end)
    add("group of 200: balance sheet after a rate changed", large.balances, changed, bare, base, 10)
    if not all_steps:
        return
    fresh = best(lambda: consolidate(large.consolidation(), 0, end, True), 3)
    add("the same, all rates changed", large.balances, fresh, bare, base, 40)
    known = large.consolidation()
    consolidate(known, 0, end, True)
    stretch = best(lambda: consolidate(known, ordinal(2026, 1), end, False), 3)
    add("group of 200: income statement of a year", large.balances, stretch, bare, base, 15)
    again = best(lambda: consolidate(known, 0, end, True), 3)
    add("group of 200: balance sheet again", large.balances, again, bare, base)
    position = known.position(24)
    matrix = best(lambda: step_rows(known, position), 3)
    add("group of 200: the steps page's figures", large.balances, matrix, bare, base)
    times = []
    for i in range(40):
        started = time.perf_counter()
        own_amounts(known, f"c{50 + i:03d}", Span(None, 24), set(range(150)))
        times.append(time.perf_counter() - started)
    opened = statistics.quantiles(times, n=20)[-1]
    add("group of 200: a figure opened, p95", large.balances, opened, bare, base, 1)
