"""Lines that take a part of their accounts: by codes of a field, by the side of a balance."""

from __future__ import annotations

from typing import Any
from unittest import TestCase

import numpy as np
from hypothesis import given, strategies as st

from core.analysis.amount_rows import AmountRows
from core.analysis.column_sums import by_codes, by_periods, one_column
from core.analysis.filters import parse_filter
from core.analysis.period_columns import period_columns
from core.analysis.stretches import of_periods
from core.books.periods import closing_ordinals
from core.changes.fixed import NOTHING_POSTED
from core.changes.kinds import Put, examine
from core.definitions.tables import Statement, StatementLine
from core.drafts.moves import account_causes
from core.statements.amounts import Amounts
from core.statements.bridge import bridge
from core.statements.coverage import asks_for, coverage, elsewhere, goes_to, in_short
from core.statements.figures import compute
from core.statements.plans import Plan
from core.tests.builders import state
from core.tests.test_analysis import CALENDAR, CHART, COMBINATIONS, STRINGS, packs, rows_of
from core.tests.test_figures import BALANCE, planned


def parted(*lines: tuple[str, str, str, str, str], sign: str = "debit") -> Plan:
    """A balance sheet over everything; lines are (id, accounts, field, codes, side)."""
    rows = [
        StatementLine("ps", name, "", i, name.title(), "accounts", accounts, "", sign, field, codes, side)
        for i, (name, accounts, field, codes, side) in enumerate(lines)
    ]
    return planned(state(*BALANCE, Statement("ps", "Parts", "c", "balance_sheet"), *rows), "ps")


SEVERAL_LINES = (
    ("spring", "4*, 5*", "season", "SP26", "any"),
    ("nowhere", "4*", "site", "", "any"),
    ("north-owed", "10*, 4*", "site", "001", "debit"),
    ("sales", "4*", "", "", "any"),
    ("overdrawn", "1*", "", "", "credit"),
    ("assets", "1*", "", "", "debit"),
    ("rest", "2*, 3*, 5*", "", "", "any"),
)
SEVERAL = parted(*SEVERAL_LINES)


def by_hand(plan: Plan, rows: AmountRows, chosen: Any) -> dict[str, int]:
    """Amount by amount, then balance by balance: the same as the arrays must come to."""
    sums: dict[tuple[str, int], int] = {}
    for place, (account, string, combination) in enumerate(
        zip(rows.natural.tolist(), rows.string.tolist(), rows.combination.tolist(), strict=True)
    ):
        if not chosen[place]:
            continue
        code = rows.naturals[account]
        _, _, site = STRINGS[string].split("-")
        codes = {"site": site, "season": COMBINATIONS[combination].removeprefix("season=")}
        fits = [
            i
            for i, line in enumerate(plan.lines)
            if code in line.picks
            and line.row.field
            and (
                codes[line.row.field] in line.row.codes.split(", ")
                if line.row.codes
                else not codes[line.row.field]
            )
        ]
        key = (code, fits[0] if fits else -1)
        sums[key] = sums.get(key, 0) + int(rows.net[place])
    for (code, at), amount in list(sums.items()):
        side = plan.lines[at].row.side if at >= 0 else "any"
        if (side == "debit" and amount < 0) or (side == "credit" and amount > 0):
            sums[code, -1] = sums.get((code, -1), 0) + sums.pop((code, at))
    lines: dict[str, int] = {}
    for (code, at), amount in sums.items():
        if at < 0:
            sides = ("credit", "any") if amount < 0 else ("debit", "any") if amount > 0 else ("any",)
            homes = [
                i
                for i, line in enumerate(plan.lines)
                if code in line.picks and not line.row.field and line.row.side in sides
            ]
            at = homes[0] if homes else -1
        name = plan.lines[at].row.line if at >= 0 else ""
        lines[name] = lines.get(name, 0) + amount
    return {name: amount for name, amount in lines.items() if amount}


class Parts(TestCase):
    @given(packs)
    def test_every_amount_stands_where_it_would_by_hand(self, pack: Any) -> None:
        rows, stretch = rows_of(pack).divided(CHART, SEVERAL), of_periods(CALENDAR, 2026, 4)
        figures = compute(SEVERAL, one_column(rows, SEVERAL, stretch, "standing").amounts, 2)
        shown = {figure.line.row.line: figure.raw[0] for figure in figures.lines if figure.raw[0]}
        unplaced = sum(account.raw[0] for account in figures.unplaced)
        wanted = by_hand(SEVERAL, rows, rows.time <= stretch.end)
        self.assertEqual({**shown, **({"": unplaced} if unplaced else {})}, wanted)
        self.assertEqual(coverage(SEVERAL, figures).check, int(rows.net[rows.time <= stretch.end].sum()))

    @given(packs)
    def test_the_amounts_behind_a_line_are_its_figure(self, pack: Any) -> None:
        plan = parted(*((*line[:4], "any") for line in SEVERAL_LINES if line[4] != "credit"))
        rows, stretch = rows_of(pack).divided(CHART, plan), of_periods(CALENDAR, 2026, 4)
        figures = compute(plan, one_column(rows, plan, stretch, "standing").amounts, 2)
        for i, figure in enumerate(figures.lines):
            behind = rows.standing_on(plan, i, i + 1) & (rows.time <= stretch.end)
            self.assertEqual(int(rows.net[behind].sum()), figure.raw[0])

    @given(packs, st.sampled_from(("season", "site", "site,season")))
    def test_columns_by_codes_come_to_the_figure_alone(self, pack: Any, by: str) -> None:
        rows, stretch = rows_of(pack).divided(CHART, SEVERAL), of_periods(CALENDAR, 2026, 4)
        alone = compute(SEVERAL, one_column(rows, SEVERAL, stretch, "standing").amounts, 2)
        fields = tuple(by.split(","))
        columns = compute(SEVERAL, by_codes(rows, SEVERAL, stretch, "standing", CHART, fields).amounts, 2)
        for one, many in zip(alone.lines, columns.lines, strict=True):
            self.assertEqual(many.raw[-1], one.raw[0])
            self.assertEqual(sum(many.raw[:-1]), many.raw[-1])

    @given(packs)
    def test_each_month_is_as_if_asked_for_alone(self, pack: Any) -> None:
        rows = rows_of(pack).divided(CHART, SEVERAL)
        across = period_columns(CALENDAR, "months", 2026, 4, {2026})
        closing, stretch = closing_ordinals(CALENDAR), of_periods(CALENDAR, 2026, 4)
        months = compute(SEVERAL, by_periods(rows, SEVERAL, stretch, "standing", across, closing).amounts, 2)
        last = compute(SEVERAL, one_column(rows, SEVERAL, stretch, "standing").amounts, 2)
        self.assertEqual([f.raw[-1] for f in months.lines], [f.raw[0] for f in last.lines])

    @given(packs, st.sampled_from(("season=SP26", "site=001", "site=none; season=none")))
    def test_a_filter_goes_before(self, pack: Any, text: str) -> None:
        rows, stretch = rows_of(pack), of_periods(CALENDAR, 2026, 4)
        fitting = rows.fitting(CHART, parse_filter(state(*BALANCE), CHART, text)).divided(CHART, SEVERAL)
        figures = compute(SEVERAL, one_column(fitting, SEVERAL, stretch, "standing").amounts, 2)
        wanted = by_hand(SEVERAL, fitting, fitting.time <= stretch.end)
        self.assertEqual(
            {f.line.row.line: f.raw[0] for f in figures.lines if f.raw[0]},
            {k: v for k, v in wanted.items() if k},
        )

    def test_an_overdrawn_account_goes_to_the_other_line(self) -> None:
        plan = parted(
            ("overdrafts", "10*", "", "", "credit"), ("bank", "10*, 11*", "", "", "any"), sign="natural"
        )
        size, at = len(plan.accounts.posting), plan.accounts.position
        column = np.zeros((size, 2), dtype=np.int64)
        column[at["1010"]], column[at["1020"]], column[at["1110"]] = (-300, 200), (50, -10), (-7, -7)
        figures = compute(plan, Amounts(column, column), 2)
        self.assertEqual([f.shown for f in figures.lines], [(300, 10), (43, 193)])
        decided = compute(plan, Amounts(column, column, deciding=-1), 2)
        self.assertEqual([f.shown for f in decided.lines], [(-50, 10), (-307, 193)])
        self.assertEqual(goes_to(plan, "overdrafts"), ["What no such line takes stands on Bank."])
        said = [in_short(line.row) for line in SEVERAL.lines[1:5]]
        self.assertEqual(said, ["; site none", "; site 001; in debit", "", "; in credit"])
        self.assertEqual(asks_for(plan.lines[0].row), "Takes balances in credit only.")
        found = [
            (one.code.code, one.line.line, one.amount) for one in elsewhere(plan, figures.amounts, "bank")
        ]
        self.assertEqual(found, [("1010", "overdrafts", -300)])
        moved = account_causes((plan, figures.amounts), (plan, decided.amounts), "bank")
        self.assertEqual([(c.code, c.amount) for c in moved], [])
        then = compute(plan, Amounts(column[:, 1:], column[:, 1:]), 2)
        now = compute(plan, Amounts(column[:, :1], column[:, :1]), 2)
        steps = bridge(plan, "bank", (then, then.amounts), (now, now.amounts), 9)
        self.assertEqual([(s[0], s.change) for s in steps.steps], [("1010", -200), ("1020", 50)])

    def test_one_side_alone_leaves_the_other_unplaced(self) -> None:
        plan = parted(("bank", "10*", "", "", "debit"), ("rest", "all except 10*", "", "", "any"))
        column = np.zeros((len(plan.accounts.posting), 1), dtype=np.int64)
        column[plan.accounts.position["1010"]], column[plan.accounts.position["1020"]] = 100, -40
        figures = compute(plan, Amounts(column, column), 2)
        self.assertEqual([(u.account, u.raw) for u in figures.unplaced], [("1020", (-40,))])
        self.assertEqual(goes_to(plan, "bank"), ["What no such line takes stands on no line."])

    def test_amounts_by_account_are_refused_where_codes_decide(self) -> None:
        column = np.zeros((len(SEVERAL.accounts.posting), 1), dtype=np.int64)
        with self.assertRaisesRegex(ValueError, "Lines of ps ask for codes"):
            compute(SEVERAL, Amounts(column, column), 2)

    def test_what_is_refused(self) -> None:
        world = state(*BALANCE, Statement("ps", "Parts", "c"))
        sales = StatementLine("ps", "x", "", 10, "Sales", "accounts", "4*")
        cases = [
            (sales._replace(codes="SP26"), "Sales asks for codes and for no field."),
            (sales._replace(field="colour"), "The chart of ps has no segment or dimension colour."),
            (sales._replace(field="season", codes="XX99"), "There is no code XX99 in season."),
            (
                sales._replace(kind="heading", accounts="", side="debit"),
                "A line of kind heading takes no part of accounts.",
            ),
            (
                sales._replace(kind="text", accounts="", shown_when="with_amount"),
                "A line of kind text has no amount to be shown with.",
            ),
        ]
        for row, what in cases:
            with self.subTest(what):
                found = examine(world, Put(row), NOTHING_POSTED)
                self.assertEqual([fault.what for fault in found.faults], [what])
        twice = state(
            *BALANCE,
            Statement("ps", "Parts", "c"),
            sales._replace(accounts="10*", side="debit"),
        )
        found = examine(twice, Put(sales._replace(line="y", accounts="1010", side="debit")), NOTHING_POSTED)
        self.assertEqual(
            [f.what for f in found.faults], ["1010 stands on two lines of Parts: Sales and Sales."]
        )
