"""The chapters of the group's figures as cases that an accountant reads: core/tests/cases/consolidation/."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from decimal import Decimal
from pathlib import Path
from typing import Any
from unittest import TestCase

from core.books.periods import ordinal
from core.consolidation.position import STEPS, Consolidation, Position
from core.definitions.parsing import read_cell
from core.definitions.state import State
from core.definitions.tables import TABLES, GroupMember, Rate
from core.group_figures.proof import proofs
from core.group_figures.sum_up import consolidate, disagreements, trial_balance
from core.money import digits_of, format_amount
from core.tests.case_files import Case, cases
from core.tests.group_cases import (
    company,
    consolidation,
    definitions,
    group_row,
    lines,
    period,
    shown,
    unbalanced,
)

FOLDER = Path(__file__).parent / "cases" / "consolidation"
PROOF = ("opening", "net_assets", "result", "other", "rounding", "closing")
MONTHS = [*(period(2025, n, n) for n in (1, 2, 3)), period(2025, 13, 3, closing=True)]


def members(case: Case, part: str, group: str) -> list[GroupMember]:
    """`name | method | percent | in from | in until`, the last three as they are needed."""
    below = {name for (name, *_) in case.rows("groups")}
    rows = []
    for name, method, *more in case.rows(part):
        percent, since, until = [*more, "", "", ""][:3]
        rows.append(
            GroupMember(
                group,
                name,
                "group" if name in below else "company",
                method,
                Decimal(percent or 100),
                date.fromisoformat(since) if since else None,
                date.fromisoformat(until) if until else None,
            )
        )
    return rows


def further(case: Case) -> list[Any]:
    """`table | cell | …` in the order of the table's columns."""
    rows = []
    for name, *cells in case.rows("more"):
        table = TABLES[name]
        columns = dict(zip(table.columns, cells, strict=False))
        values = {column.name: read_cell(column, cell) for column, cell in columns.items()}
        rows.append(table.row(**values))
    return rows


def world(case: Case) -> State:
    more = dict(row[0].split() for row in case.rows("group"))
    rows = [*definitions(), *MONTHS, group_row("g", **more), *members(case, "members", "g"), *further(case)]
    for name, *_ in case.rows("groups"):
        rows += [group_row(name, **more), *members(case, f"members {name}", name)]
    for name, currency, *more_of in case.rows("companies"):
        adjusts, calendar = [*more_of, "", ""][:2]
        rows.append(company(name, currency, adjusts, calendar or "cal"))
    for (text,) in case.rows("rates"):
        one, other, kind, on, rate = text.split()
        rows.append(Rate(one, other, kind, date.fromisoformat(on), Decimal(rate)))
    return State.of(rows)


def entries(group: Consolidation, of: Mapping[int, int]) -> str:
    digits, name = digits_of(group.group.currency), group.books.accounts.name
    rows = sorted((name(target), amount) for target, amount in of.items() if amount)
    return ", ".join(f"{target} {format_amount(amount, digits)}" for target, amount in rows) or "nothing"


def told(group: Consolidation, position: Position, asked: str) -> str:
    """What is so of what a line of the case asks for: a column, a step, a share, who waits, a pair apart,
    the proof of a reserve, what a year to date brought to the group, what it opened with."""
    subject, *names = asked.split()
    digits = digits_of(group.group.currency)
    first = group.periods.end_of_year_before(position.period) + 1
    ordinals = [ordinal(row.fiscal_year, row.period) for row in group.periods.rows]
    stretch = ordinals[first - 1], ordinals[position.period - 1]
    if subject == "step":
        return entries(group, position.steps.get((names[0], names[1]), {}))
    if subject == "steps":
        return ", ".join(step for step in STEPS if position.steps.get((step, names[0])))
    if subject == "proof":
        rows, without = proofs(group, position.period)
        row = next((row for row in rows if row.company == names[0]), None)
        amounts = (getattr(row, column) for column in PROOF) if row else ()
        return ", ".join(format_amount(amount, digits) for amount in amounts) or without[names[0]]
    if subject == "brought":
        window = consolidate(group, *stretch, balance_sheet=False).amounts.window
        return entries(group, {target: int(row[-1]) for target, row in enumerate(window)})
    if subject == "opening":
        place = group.books.accounts.place
        return entries(group, {place[row.account]: row.opening for row in trial_balance(group, *stretch)})
    if subject == "share":
        one = group.standings[names[0]]
        return f"{one.share(position.period)}, minority {one.minority(position.period)}"
    if subject == "waits":
        return "; ".join(f"{name} {why}" for name, why in sorted(position.waiting.items()))
    if subject == "apart":
        pairs = {(row.elimination, row.company, row.partner): row.amount for row in disagreements(position)}
        amount = pairs.get((names[0], names[1], names[2]))
        return "none" if amount is None else format_amount(amount, digits)
    table = shown(group, position)
    return ", ".join(f"{account} {row[subject]}" for account, row in sorted(table.items()) if subject in row)


class Chapters(TestCase):
    def test_every_case(self) -> None:
        files = sorted(FOLDER.glob("*.txt"))
        self.assertEqual(len(files), 8)
        for path in files:
            for case in cases(path):
                with self.subTest(f"{path.stem}: {case.title}"):
                    books = {
                        part.removeprefix("books "): lines(text)
                        for part, text in case.parts.items()
                        if part.startswith("books ")
                    }
                    group = consolidation(world(case), "g", books)
                    year, number = map(int, case.rows("at")[0][0].split("/"))
                    at = next(
                        i
                        for i, row in enumerate(group.periods.rows, 1)
                        if (row.fiscal_year, row.period) == (year, number)
                    )
                    position = group.position(at)
                    for expected in case.expected:
                        asked, _, wanted = expected.partition(": ")
                        self.assertEqual(told(group, position, asked), wanted, asked)
                    self.assertEqual(unbalanced(position), [])
