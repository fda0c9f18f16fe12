"""Statements, mapping, elimination: figures worked out by hand, and properties that hold for any figures."""

from collections.abc import Sequence
from typing import Any
from unittest import TestCase

import numpy as np
from hypothesis import given, strategies as st

from core.books.balances import Books, PostedColumns, books_of, grouped, summed, unpack
from core.books.periods import ordinal
from core.codes.lists import list_index
from core.consolidation.position import Consolidation
from core.definitions.state import State
from core.definitions.tables import (
    Chart,
    Code,
    CodeList,
    Company,
    Elimination,
    Group,
    GroupMember,
    Mapping,
    Statement,
    StatementLine,
    Structure,
    StructureSegment,
)
from core.group.collect import Member
from core.group.mapping import map_plan
from core.group_figures.sum_up import consolidate, trial_balance
from core.statements.amounts import Amounts
from core.statements.figures import Figures, compute
from core.statements.plans import Plan, likely_line, plan
from core.tests.builders import ACCOUNTS, state
from core.tests.group_cases import group_of, unbalanced

CODES = sorted(code for code, _, _ in ACCOUNTS)
NUMBERS = {"alpha": 1, "beta": 2, "gamma": 3}
Row = tuple[str, str, int, int]  # natural account, partner, period, raw amount


def line(name: str, parent: str, kind: str, what: str = "", **more: Any) -> StatementLine:
    accounts, formula = (what, "") if kind == "accounts" else ("", what)
    return StatementLine("st", name, parent, 10, name.capitalize(), kind, accounts, formula, **more)


BALANCE: list[Any] = [
    Statement("st", "Balance sheet", "c", "balance_sheet"),
    line("assets", "", "heading"),
    line("cash", "assets", "accounts", "under 10"),
    line("debtors", "assets", "accounts", "1110, 1810"),
    line("owing", "", "heading"),
    line("creditors", "owing", "accounts", "2*"),
    line("capital", "owing", "accounts", "3010"),
    line("result", "owing", "result"),
]


def planned(world: State, statement: str = "st") -> Plan:
    made = plan(world, statement)
    assert made is not None
    return made


def figures(
    rows: Sequence[StatementLine | Statement], amounts: dict[str, int], without: tuple[object, ...] = ()
) -> Figures:
    made = planned(state(*rows, without=without))
    column = np.array([[amounts.get(code, 0)] for code in made.accounts.posting], dtype=np.int64)
    return compute(made, Amounts(column, column), 2)


def shown(found: Figures) -> dict[str, int | None]:
    return {f.line.row.line: f.shown[0] for f in found.lines}


class Statements(TestCase):
    def test_a_balance_sheet_by_hand(self) -> None:
        found = figures(
            BALANCE, {"1010": 700, "1110": 300, "2010": -250, "3010": -500, "4010": -900, "5010": 650}
        )
        self.assertEqual(
            shown(found),
            {
                "assets": 1000,
                "cash": 700,
                "debtors": 300,
                "owing": 1000,
                "creditors": 250,
                "capital": 500,
                "result": 250,
            },
        )
        self.assertEqual(found.unplaced, ())

    def test_unplaced_by_kind(self) -> None:
        without_result = [row for row in BALANCE if getattr(row, "kind", "") != "result"]
        amounts = {"1010": 10, "4010": -10}
        self.assertEqual([u.account for u in figures(without_result, amounts).unplaced], ["4010"])
        self.assertEqual([u.account for u in figures(BALANCE[:2], amounts).unplaced], ["1010", "4010"])
        income: list[Any] = [
            Statement("st", "Income", "c", "income_statement"),
            line("costs", "", "accounts", "5*"),
        ]
        self.assertEqual([(u.account, u.raw) for u in figures(income, amounts).unplaced], [("4010", (-10,))])
        other: list[Any] = [Statement("st", "Other", "c", "other"), line("costs", "", "accounts", "5*")]
        self.assertEqual(figures(other, amounts).unplaced, ())

    def test_signs(self) -> None:
        rows: list[Any] = [
            Statement("st", "Other", "c"),
            line("mixed", "", "heading"),
            line("a", "mixed", "accounts", "1010"),
            line("b", "mixed", "accounts", "4010"),
            line("same", "", "heading"),
            line("c", "same", "accounts", "5010"),
            line("turned", "", "accounts", "1110", sign="credit"),
            line("empty", "same", "accounts", "99*"),
        ]
        found = shown(figures(rows, {"1010": 5, "4010": -3, "5010": 7, "1110": 2}))
        self.assertEqual(found, {"mixed": -2, "a": 5, "b": 3, "same": 7, "c": 7, "turned": -2, "empty": 0})

    def test_formulas_stay_out_of_headings(self) -> None:
        rows: list[Any] = [
            Statement("st", "Other", "c"),
            line("top", "", "heading"),
            line("sales", "top", "accounts", "4010"),
            line("share", "top", "formula", "[sales] / [costs]"),
            line("costs", "top", "accounts", "5010"),
            line("twice", "", "formula", "[share] * 2"),
            line("text", "", "text"),
            line("none", "", "formula", "[text] + 1"),
        ]
        found = shown(figures(rows, {"4010": -1000, "5010": 300}))
        self.assertEqual((found["top"], found["share"], found["twice"], found["none"]), (700, 333, 666, None))

    def test_a_likely_line_is_the_nearest_of_its_class(self) -> None:
        made = planned(state(*BALANCE, Code("acc", "1030", "Till", account_class="asset")))
        self.assertEqual((likely_line(made, "1030"), likely_line(made, "4020")), ("cash", ""))

    @given(st.dictionaries(st.sampled_from(CODES), st.integers(-(10**15), 10**15)))
    def test_whatever_the_amounts_nothing_is_lost(self, amounts: dict[str, int]) -> None:
        for rows in (BALANCE, BALANCE[:3]):
            found = figures(rows, amounts)
            tops = sum(f.raw[0] for f in found.lines if f.line.parent < 0)
            self.assertEqual(tops + sum(u.raw[0] for u in found.unplaced), sum(amounts.values()))


def books(company: str, rows: Sequence[Row]) -> Books:
    columns = list(zip(*rows, strict=True)) or [()] * 4
    numbers = [NUMBERS.get(partner, 0) for partner in columns[1]]
    size = len(rows)
    return books_of(
        company,
        2026,
        1,
        PostedColumns(
            list(columns[0]),
            numbers,
            [1] * size,
            [0] * size,
            list(columns[2]),
            [False] * size,
            list(columns[3]),
        ),
    )


GROUP = [
    Group("g", "G", "GBP", "c"),
    GroupMember("g", "alpha"),
    GroupMember("g", "beta"),
    Elimination("g", "e1", 10, "", "1810, 2810", True, "2010"),
    Elimination("g", "e2", 20, "", "4020, 5020", True, "5010"),
]


def balances(world: State, amounts: dict[str, Sequence[Row]]) -> Consolidation:
    members = []
    for company, rows in amounts.items():
        made = map_plan(world, "g", company)
        assert made
        members.append(
            Member(
                company,
                NUMBERS[company],
                (books(company, rows),),
                made,
                None,
                lambda rows: [("", "")] * len(rows),
            )
        )
    return group_of(world, "g", members, numbers=NUMBERS)


def by_account(found: Consolidation, column: np.ndarray) -> dict[str, int]:
    accounts = found.books.accounts
    names = [*accounts.codes, *(f"{s.company}:{s.account}" for s in accounts.strays)]
    return {name: int(value) for name, value in zip(names, column, strict=True) if value}


class Groups(TestCase):
    ALPHA: Sequence[Row] = [
        ("1810", "beta", 1, 500),
        ("4020", "beta", 2, -500),
        ("1010", "", 1, 100),
        ("3010", "", 1, -100),
    ]
    BETA: Sequence[Row] = [("2810", "alpha", 1, -470), ("5020", "alpha", 2, 500), ("1010", "", 2, -30)]

    def test_eliminations_and_sides_that_disagree(self) -> None:
        found = balances(state(*GROUP), {"alpha": self.ALPHA, "beta": self.BETA})
        made = consolidate(found, ordinal(2026, 1), ordinal(2026, 2), True)
        self.assertEqual(made.columns, ("alpha", "beta"))
        self.assertEqual(by_account(found, made.amounts.window[:, 3]), {"1010": 70, "3010": -100, "2010": 30})
        self.assertEqual(
            by_account(found, made.amounts.window[:, 2]),
            {"1810": -500, "2810": 470, "4020": 500, "5020": -500, "2010": 30},
        )
        apart = [(d.elimination, d.company, d.partner, d.amount) for d in made.disagreements]
        self.assertEqual(apart, [("e1", "alpha", "beta", 30)])

    def test_trial_balance_of_a_group(self) -> None:
        found = balances(state(*GROUP), {"alpha": self.ALPHA, "beta": self.BETA})
        rows: list[Any] = [
            (r.account, r.opening, r.debit, r.credit, r.closing)
            for r in trial_balance(found, ordinal(2026, 2), ordinal(2026, 2))
        ]
        self.assertIn(("1010", 100, 0, 30, 70), rows)
        self.assertIn(("2010", 30, 0, 0, 30), rows)
        self.assertIn(("1810", 0, 0, 0, 0), rows)
        self.assertEqual(sum(r[4] for r in rows), 0)

    def test_partners_only_false_takes_everything(self) -> None:
        rules = [row for row in GROUP if getattr(row, "elimination", "") != "e1"] + [
            Elimination("g", "e1", 10, "", "1010", False, "3010")
        ]
        found = balances(state(*rules), {"alpha": self.ALPHA, "beta": self.BETA})
        made = consolidate(found, 0, ordinal(2026, 2), True)
        self.assertEqual(by_account(found, made.amounts.window[:, 3]).get("1010", 0), 0)
        self.assertEqual(
            [(d.company, d.partner, d.amount) for d in made.disagreements],
            [("alpha", "", 100), ("beta", "", -30)],
        )

    def test_own_chart_first_match_wins_and_strays_stay_visible(self) -> None:
        own = [
            CodeList("own", "Own", 3, 3),
            Structure("o", "O", "-"),
            StructureSegment("o", 1, "n", "N", "own", "natural_account"),
            Chart("o", "Own", "o"),
            Company("gamma", "Gamma", "GB", "GBP", "o", "m"),
            GroupMember("g", "gamma"),
            *(Code("own", c, f"Own {c}", account_class="asset") for c in ("100", "110", "900")),
            Mapping("g", "gamma", 10, "100", target="1010"),
            Mapping("g", "gamma", 20, "1*", target="1110"),
        ]
        rows: Sequence[Row] = [("100", "", 1, 5), ("110", "", 1, 7), ("900", "", 1, -12)]
        world = state(*GROUP, *own)
        found = balances(world, {"alpha": [], "gamma": rows})
        made = consolidate(found, 0, ordinal(2026, 1), True)
        self.assertEqual(
            by_account(found, made.amounts.window[:, 3]), {"1010": 5, "1110": 7, "gamma:900": -12}
        )
        last = trial_balance(found, ordinal(2026, 1), ordinal(2026, 1))[-1]
        self.assertEqual((last.account, last.opening, last.debit, last.credit), ("unplaced", 0, 0, 12))
        statement = compute(planned(state(*BALANCE, *GROUP, *own)), made.amounts, 2)
        self.assertEqual(
            [(u.company, u.account, u.raw[-1]) for u in statement.unplaced], [("gamma", "900", -12)]
        )

    @given(
        st.lists(
            st.tuples(
                st.sampled_from(CODES),
                st.sampled_from(["", "alpha", "beta", "gamma"]),
                st.integers(1, 4),
                st.integers(-(10**14), 10**14),
            ),
            max_size=25,
        ),
        st.lists(
            st.tuples(
                st.sampled_from(CODES),
                st.sampled_from(["", "alpha", "beta"]),
                st.integers(1, 4),
                st.integers(-(10**14), 10**14),
            ),
            max_size=25,
        ),
    )
    def test_debits_equal_credits_at_every_step(self, alpha: list[Row], beta: list[Row]) -> None:
        amounts: dict[str, Sequence[Row]] = {
            "alpha": [*alpha, ("3010", "", 1, -sum(r[3] for r in alpha))],
            "beta": [*beta, ("3010", "", 1, -sum(r[3] for r in beta))],
        }
        found = balances(state(*GROUP), amounts)
        for end in (1, 3, 4):
            self.assertEqual(unbalanced(found.position(end)), [])
            self.assertEqual(consolidate(found, 0, ordinal(2026, end), True).balance, 0)
        self.assertEqual(sum(r.closing for r in trial_balance(found, ordinal(2026, 2), ordinal(2026, 4))), 0)

    @given(
        st.lists(
            st.tuples(
                st.sampled_from(CODES),
                st.sampled_from(["", "beta"]),
                st.integers(1, 4),
                st.integers(-(10**12), 10**12),
            ),
            max_size=30,
        )
    )
    def test_packing_keeps_every_sum(self, rows: list[Row]) -> None:
        made = unpack(books("alpha", rows).packed())
        for code in CODES:
            there = made.rows[
                made.rows["natural"] == (made.naturals.index(code) if code in made.naturals else -1)
            ]
            self.assertEqual(
                int((there["debit"] - there["credit"]).sum()), sum(r[3] for r in rows if r[0] == code)
            )
        self.assertEqual(len(summed(made.rows)), len(made.rows))

    def test_list_index_holds_posting_codes_only(self) -> None:
        self.assertEqual(list_index(state(), "acc").posting, CODES)


class Grouping(TestCase):
    @given(
        st.lists(st.tuples(st.integers(0, 4), st.integers(-9, 9), st.integers(-(2**40), 2**40)), max_size=30)
    )
    def test_rows_are_put_together_by_key_as_one_would_by_hand(
        self, rows: list[tuple[int, int, int]]
    ) -> None:
        keys = np.array([key for key, _, _ in rows], dtype=np.int64)
        values = np.array([[a, b] for _, a, b in rows], dtype=np.int64).reshape(-1, 2)
        by_hand = [[sum(row[i] for row in rows if row[0] == key) for i in (1, 2)] for key in range(6)]
        self.assertEqual(grouped(keys, values, 6).tolist(), by_hand)
        there = [[any(row[i] for row in rows if row[0] == key) for i in (1, 2)] for key in range(6)]
        self.assertEqual(grouped(keys, values != 0, 6).tolist(), there)
