"""Pairing rules, statements and eliminations: cases that an accountant can read, in cases/*.txt. After each
the invariants."""

from __future__ import annotations

from pathlib import Path
from typing import Any
from unittest import TestCase

import numpy as np

from core import checks
from core.books.balances import ROW, Books
from core.books.periods import ordinal
from core.consolidation.position import Consolidation
from core.definitions.tables import (
    Company,
    Elimination,
    Group,
    GroupMember,
    PairingCondition,
    PairingRule,
    Statement,
    StatementLine,
)
from core.faults import blocking
from core.group.collect import Member
from core.group.mapping import map_plan
from core.group_figures.sum_up import consolidate
from core.money import format_amount
from core.statements.amounts import Amounts
from core.statements.figures import Figures, compute
from core.statements.plans import plan
from core.structures.accounts import resolve
from core.structures.charts import company_context
from core.tests.builders import ACCOUNTS, state, told
from core.tests.case_files import Case, cases
from core.tests.group_cases import group_of

CASES = Path(__file__).parent / "cases"
NAMES = [code for code, _, _ in ACCOUNTS]
END = ordinal(2026, 2)


def minor(text: str) -> int:
    return int(text.replace(".", ""))


def shown(amount: int | None) -> str:
    return "" if amount is None else format_amount(amount, 2) if amount else "0"


class Pairing(TestCase):
    def test_cases(self) -> None:
        for case in cases(CASES / "pairing.txt"):
            rows: list[object] = []
            for number, (position, field, outcome, codes, conditions) in enumerate(case.rows("rules")):
                rows.append(PairingRule("c", f"r{number}", int(position), field, outcome, codes))
                for part in filter(None, conditions.split(";")):
                    name, _, selector = part.partition(":")
                    rows.append(PairingCondition("c", f"r{number}", name.strip(), selector.strip()))
            world = state(*rows)
            seated = company_context(world, "alpha")
            assert seated is not None
            self.assertEqual(blocking(checks.of_everything(world)), [], case.title)
            found = []
            for account, *dimensions in case.rows("try"):
                made = resolve(seated, account, "".join(dimensions))
                found.append(" / ".join(told(made.faults)) or f"{made.account} {made.dimensions}".strip())
                # What is kept is kept as it is: worked out again it comes to the same.
                again = resolve(seated, made.account, made.dimensions)
                self.assertEqual(
                    (again.account, again.dimensions, told(again.faults)),
                    (made.account, made.dimensions, told(made.faults)),
                )
            with self.subTest(case.title):
                self.assertEqual(found, case.expected)


class Statements(TestCase):
    def made(self, case: Case) -> Figures:
        kind = case.parts["kind"].strip()
        rows: list[Any] = [Statement("x", "X", "c", kind)]
        for position, (line, parent, what, *more) in enumerate(case.rows("lines")):
            text, sign = [*more, "", ""][:2]
            picks, formula = (text, "") if what == "accounts" else ("", text)
            rows.append(
                StatementLine("x", line, parent, position, line, what, picks, formula, sign or "natural")
            )
        world = state(*rows)
        self.assertEqual(blocking(checks.of_everything(world)), [], case.title)
        ready = plan(world, "x")
        assert ready is not None
        given = dict(line.split() for line in case.parts["amounts"].splitlines())
        column = np.array([[minor(given.get(code, "0"))] for code in NAMES], dtype=np.int64)
        touched = np.array([[code in given] for code in NAMES])
        made = compute(ready, Amounts(column, column, (), None, touched), 2)
        # Only those rows that have an amount come to the same.
        places = np.flatnonzero(touched[:, 0])
        fewer = compute(ready, Amounts(column[places], column[places], (), places, touched[places]), 2)
        self.assertEqual(fewer, made, case.title)
        if kind == "balance_sheet":
            top = sum(figure.raw[0] for figure in made.lines if figure.line.parent < 0)
            self.assertEqual(
                top + made.unplaced_total()[0] if made.unplaced else top, int(column.sum()), case.title
            )
        return made

    def test_cases(self) -> None:
        for case in cases(CASES / "statements.txt"):
            made = self.made(case)
            found = [f"{figure.line.row.line} {shown(figure.seen())}".strip() for figure in made.lines]
            if made.unplaced:
                found.append(f"unplaced {shown(made.unplaced_total()[0])}")
            with self.subTest(case.title):
                self.assertEqual(found, case.expected)


class Eliminations(TestCase):
    def balances(self, case: Case) -> Consolidation:
        rules = [
            Elimination("g", f"e{position}", int(position), "", accounts, only == "yes", difference)
            for position, accounts, only, difference in case.rows("rules")
        ]
        world = state(
            Company("gamma", "Gamma", "GB", "GBP", "c", "m"),
            Group("g", "G", "GBP", "c"),
            GroupMember("g", "alpha"),
            GroupMember("g", "beta"),
            *rules,
        )
        numbers = {"": 0, "alpha": 1, "beta": 2, "gamma": 3}
        members = []
        for company in ("alpha", "beta"):
            rows = [
                (
                    NAMES.index(account),
                    numbers[partner],
                    0,
                    0,
                    END,
                    0,
                    max(minor(raw), 0),
                    max(-minor(raw), 0),
                )
                for whose, account, partner, raw in case.rows("amounts")
                if whose == company
            ]
            rows.sort()
            book = Books(company, 2026, 1, tuple(NAMES), np.array(rows, dtype=ROW))
            ready = map_plan(world, "g", company)
            assert ready is not None
            members.append(Member(company, numbers[company], (book,), ready, None, lambda rows: []))
        return group_of(world, "g", members, numbers={name: n for name, n in numbers.items() if name})

    def test_cases(self) -> None:
        for case in cases(CASES / "eliminations.txt"):
            made = consolidate(self.balances(case), END, END, True)
            group = made.amounts.window[:, -1]
            found = [f"{code} {shown(int(group[i]))}" for i, code in enumerate(NAMES) if group[i]]
            for entry in made.disagreements:
                found.append(
                    " ".join(
                        f"{entry.elimination} {entry.company} {entry.partner} {shown(entry.amount)}".split()
                    )
                )
            with self.subTest(case.title):
                self.assertEqual(found, case.expected)
            # Debits equal credits in every column, before and after, and the columns make up the group.
            self.assertEqual(
                made.amounts.window.sum(axis=0).tolist(), [0] * made.amounts.window.shape[1], case.title
            )
            self.assertEqual(made.amounts.window[:, :-1].sum(axis=1).tolist(), group.tolist(), case.title)
