"""Lines as they are printed: totals above or below, whatever the tree and whatever is left out of it."""

from __future__ import annotations

from unittest import TestCase

import numpy as np
from hypothesis import given, settings, strategies as st

from core.definitions.tables import Statement, StatementLine
from core.statements.amounts import Amounts
from core.statements.figures import Figure, compute
from core.statements.plans import PlanLine
from core.statements.printing import ACCOUNT_MARK, left_out, printed, with_accounts
from core.tests.builders import state
from core.tests.test_figures import BALANCE, line, planned

trees = st.lists(st.tuples(st.integers(0, 4), st.sampled_from(("heading", "accounts", "text"))), max_size=14)


def figures(tree: list[tuple[int, str]]) -> list[Figure]:
    """Lines in the order of a tree: no line is more than one level below the one before it."""
    lines, depth = [], -1
    for i, (wanted, kind) in enumerate(tree):
        depth = min(wanted, depth + 1)
        row = StatementLine("s", f"l{i}", label=f"L{i}", kind=kind)
        lines.append(Figure(PlanLine(row, depth, -1, 0, (), False), (i,), (i,)))
    return lines


class Printing(TestCase):
    @given(trees)
    def test_each_line_s_figures_are_printed_once_and_totals_after_all_below(
        self, tree: list[tuple[int, str]]
    ) -> None:
        lines = figures(tree)
        order = printed(lines, "below")
        self.assertEqual([line.figure for line in printed(lines, "above")], lines)
        self.assertCountEqual([one.figure for one in order if one.part != "head"], lines)
        self.assertEqual([one.figure for one in order if one.part != "total"], lines)
        for place, one in enumerate(order):
            if one.part == "total":
                start = next(i for i, other in enumerate(order) if other == (one.figure, "head"))
                within = [other.figure.line.depth for other in order[start + 1 : place]]
                self.assertTrue(within and min(within) > one.figure.line.depth)
                after = order[place + 1 :][:1]
                self.assertTrue(all(o.figure.line.depth <= one.figure.line.depth for o in after))
                self.assertEqual(one.label, f"Total {one.figure.line.row.label}")
            self.assertEqual(one.has_figures, one.part != "head" and one.figure.line.row.kind != "text")

    @given(trees, st.lists(st.tuples(st.booleans(), st.integers(-1, 1)), min_size=14, max_size=14))
    def test_lines_shown_with_an_amount_come_only_where_they_or_lines_below_have_one(
        self, tree: list[tuple[int, str]], told: list[tuple[bool, int]]
    ) -> None:
        lines = [
            figure._replace(
                shown=(amount, 0),
                line=figure.line._replace(
                    row=figure.line.row._replace(shown_when="with_amount" if asks else "always")
                ),
            )
            for figure, (asks, amount) in zip(figures(tree), told, strict=False)
        ]
        gone = left_out(lines)
        for place, figure in enumerate(lines):
            after, depth = lines[place + 1 :], figure.line.depth
            end = next((i for i, one in enumerate(after) if one.line.depth <= depth), len(after))
            below = after[:end]
            holds = any(one.line.row.line not in gone for one in below)
            is_asked = figure.line.row.shown_when == "with_amount" and not any(figure.shown)
            self.assertEqual(figure.line.row.line in gone, is_asked and not holds)
        for totals in ("above", "below"):
            shown = {one.figure.line.row.line for one in printed(lines, totals)}
            self.assertEqual(shown, {one.line.row.line for one in lines} - gone)
            every = [one.figure for one in printed(lines, totals, every=True) if one.part != "total"]
            self.assertEqual(every, lines)

    def test_a_heading_with_nothing_below_stays_whole(self) -> None:
        lines = figures([(0, "heading"), (1, "accounts"), (0, "heading")])
        self.assertEqual(
            [(one.figure.line.row.line, one.part) for one in printed(lines, "below")],
            [("l0", "head"), ("l1", "whole"), ("l0", "total"), ("l2", "whole")],
        )


MIXED = [
    Statement("st", "Other", "c"),
    line("sold", "", "accounts", "40*"),
    line("share", "", "formula", "[sold] / [spent]"),
    line("more", "", "heading"),
    line("spent", "more", "accounts", "50*"),
    line("empty", "more", "accounts", "99*"),
    line("apart", "", "formula", "[more] + [sold]"),
]


class WithAccounts(TestCase):
    @settings(max_examples=60, deadline=None)
    @given(st.lists(st.integers(-(10**9), 10**9), min_size=12, max_size=12))
    def test_every_line_stays_as_it_was_and_is_its_accounts(self, amounts: list[int]) -> None:
        for rows in (BALANCE, MIXED):
            whole = planned(state(*rows))
            apart = with_accounts(whole)
            count = len(whole.accounts.posting)
            column = np.array([[(amounts * 9)[place]] for place in range(count)], dtype=np.int64)
            before, after = (compute(one, Amounts(column, column), 2) for one in (whole, apart))
            shown = {figure.line.row.line: figure.shown for figure in after.lines}
            self.assertEqual(
                {name: told for name, told in shown.items() if ACCOUNT_MARK not in name},
                {figure.line.row.line: figure.shown for figure in before.lines},
            )
            self.assertEqual(after.unplaced, before.unplaced)
            for figure in before.lines:
                picks = [f"{figure.line.row.line}{ACCOUNT_MARK}{code}" for code in figure.line.picks]
                if picks:
                    self.assertEqual(sum(shown[name][0] or 0 for name in picks), figure.shown[0])
            for at, entry in enumerate(apart.lines):
                self.assertEqual(apart.index[entry.row.line], at)
                if ACCOUNT_MARK in entry.row.line:
                    above = apart.lines[entry.parent]
                    self.assertEqual((above.row.line, above.depth + 1), (entry.row.parent, entry.depth))
