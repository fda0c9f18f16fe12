"""A group's cash flow and trial balance column by column, and what their figures are made of."""

from __future__ import annotations

from datetime import date
from unittest import TestCase

import numpy as np

from core.books.periods import ordinal
from core.definitions.state import State
from core.definitions.tables import Company, Group, GroupMember, Period
from core.group.membership import spanning_periods
from core.group_figures.columns import column_plan
from core.group_figures.makeup import Span, flow_amounts, flow_periods, own_amounts, period_amounts
from core.group_figures.sum_up import consolidate_flows, trial_balance
from core.tests.group_cases import company, definitions, group_row, period
from core.tests.test_group_cash_flow import random_group
from core.tests.test_group_properties import World

SEEDS = range(20)
STRETCHES = ((1, 1), (2, 3), (1, 3))


class Flows(TestCase):
    def test_columns_add_up_to_what_flowed(self) -> None:
        for seed in SEEDS:
            group = random_group(seed)
            for first, end in STRETCHES:
                flowed = consolidate_flows(group, ordinal(2025, first), ordinal(2025, end))
                assert flowed.flows is not None
                window = flowed.amounts.window
                of_group = {int(at): int(window[at, -1]) for at in np.flatnonzero(window[:, -1]).tolist()}
                wanted: dict[int, int] = {}
                for (target, _), amount in flowed.flows.of_group.items():
                    wanted[target] = wanted.get(target, 0) + amount
                with self.subTest(seed=seed, first=first, end=end):
                    self.assertEqual(window[:, :-1].sum(axis=1).tolist(), window[:, -1].tolist())
                    self.assertEqual(
                        of_group, {target: amount for target, amount in wanted.items() if amount}
                    )
                    for kind, raw in flowed.amounts.of_cash.items():
                        gained = flowed.flows.gained(kind)
                        self.assertEqual(-int(raw[-1]), sum(gained.values()))
                        self.assertEqual(int(raw[:-1].sum()), int(raw[-1]))

    def test_folded_columns_leave_the_group_as_it_is(self) -> None:
        for seed in SEEDS:
            group = random_group(seed)
            at = ordinal(2025, 1), ordinal(2025, 3)
            opened = consolidate_flows(group, *at)
            folded = consolidate_flows(group, *at, plan=column_plan(group, []))
            with self.subTest(seed=seed):
                self.assertEqual(folded.amounts.window[:, -1].tolist(), opened.amounts.window[:, -1].tolist())

    def test_own_accounts_and_their_periods_come_to_what_flowed(self) -> None:
        for seed in SEEDS:
            group = random_group(seed)
            flowed = consolidate_flows(group, ordinal(2025, 1), ordinal(2025, 3))
            assert flowed.flows is not None
            every = range(group.books.accounts.size)
            for books in group.books.sets:
                rows = flow_amounts(flowed.flows, books.name, every)
                by_target: dict[int, int] = {}
                for row in rows:
                    by_target[row.target] = by_target.get(row.target, 0) + row.translated
                wanted = flowed.parts.get(("books", books.name), {})
                with self.subTest(seed=seed, books=books.name):
                    self.assertEqual(
                        {target: amount for target, amount in by_target.items() if amount},
                        {target: amount for target, amount in wanted.items() if amount},
                    )
                    for row in rows:
                        parts = list(flow_periods(group, flowed.flows, books.name, row.own, row.target))
                        self.assertEqual(
                            (sum(part.amount for part in parts), sum(part.translated or 0 for part in parts)),
                            (row.amount, row.translated),
                        )
                        for part in parts:
                            self.assertEqual(part.rate is None, books.currency == group.group.currency)


class TrialBalances(TestCase):
    def test_debits_equal_credits_and_lead_from_opening_to_closing(self) -> None:
        for seed in SEEDS:
            group = World.of(seed).group()
            for first, end in STRETCHES:
                rows = trial_balance(group, ordinal(2025, first), ordinal(2025, end))
                before, now = group.opening(first), group.position(end)
                with self.subTest(seed=seed, first=first, end=end):
                    if not before.waiting and not now.waiting:
                        self.assertEqual(sum(row.debit for row in rows), sum(row.credit for row in rows))
                        self.assertEqual(sum(row.opening for row in rows), 0)
                    closing: dict[int, int] = {}
                    for entries in (*now.columns.values(), now.eliminated):
                        for target, amount in entries.items():
                            closing[target] = closing.get(target, 0) + amount
                    accounts = group.books.accounts
                    count = len(accounts.codes)
                    wanted = {
                        accounts.codes[t]: amount for t, amount in closing.items() if t < count and amount
                    }
                    self.assertEqual(
                        {
                            row.account: row.closing
                            for row in rows
                            if row.account != "unplaced" and row.closing
                        },
                        wanted,
                    )
                    self.assertTrue(all(row.debit >= 0 and row.credit >= 0 for row in rows))


class OfAStretch(TestCase):
    def test_periods_of_a_stretch_come_to_its_movement(self) -> None:
        """In the books' own currency; who has books only later brings nothing."""
        for seed in SEEDS:
            group = World.of(seed).group()
            every = range(group.books.accounts.size)
            for books in group.books.sets:
                if books.company not in group.position(3).columns:
                    continue
                rows = {(r.own, r.target): r for r in own_amounts(group, books.name, Span(2, 3), every)}
                for own, target in rows:
                    parts = list(period_amounts(group, books.name, Span(2, 3), own, target))
                    with self.subTest(seed=seed, books=books.name, own=own):
                        self.assertEqual(sum(part.amount for part in parts), rows[own, target].amount)

    def test_books_that_are_not_there_bring_nothing(self) -> None:
        group = World.of(0).group()
        every = range(group.books.accounts.size)
        self.assertEqual(own_amounts(group, "nobody", Span(None, 3), every), [])
        self.assertEqual(list(period_amounts(group, "nobody", Span(None, 3), "1010", 0)), [])


class Calendars(TestCase):
    def test_periods_that_span_two_of_the_group_are_known_by_company(self) -> None:
        quarter = Period("quarters", 2025, 1, "Q1", date(2025, 1, 1), date(2025, 3, 31))
        state = State.of(
            [
                *definitions(),
                *(period(2025, n, n) for n in (1, 2, 3)),
                quarter,
                group_row("g"),
                company("a"),
                company("b")._replace(calendar="quarters"),
                company("c")._replace(calendar="quarters"),
                company("x")._replace(calendar="quarters", adjusts="b"),
                GroupMember("g", "a"),
                GroupMember("g", "b"),
            ]
        )
        group_calendar = state.require(Group, "g").calendar or state.require(Company, "a").calendar
        self.assertNotEqual(group_calendar, "quarters")
        for name, spans in (("a", {}), ("b", {(2025, 1): "g"}), ("c", {}), ("x", {(2025, 1): "g"})):
            with self.subTest(name):
                self.assertEqual(spanning_periods(state, name), spans)
