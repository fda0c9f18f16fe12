"""Small groups for the cases worked out by hand: amounts by company, period, account and partner."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import replace
from datetime import date
from decimal import Decimal
from typing import Any

from core.books.balances import Books, PostedColumns, books_of, closing_marked
from core.books.periods import closing_ordinals, company_calendar, ordinals_in
from core.consolidation.position import Consolidation, Position
from core.definitions.state import State
from core.definitions.tables import (
    Calendar,
    Chart,
    Code,
    CodeList,
    Company,
    Group,
    Period,
    Rate,
    Structure,
    StructureSegment,
)
from core.group.cells import group_books
from core.group.collect import Member
from core.group.mapping import map_plan
from core.group.membership import group_calendar
from core.group.ownership import standings
from core.group.periods import group_periods
from core.group.rates import rate_table
from core.money import digits_of, format_amount

CLASSES = {
    **dict.fromkeys(("1010", "1030", "1310", "1320", "1410"), "asset"),
    "2030": "liability",
    **dict.fromkeys(("3010", "3020", "3040", "3050"), "equity"),
    **dict.fromkeys(("4010", "4030", "4040", "4050", "4060"), "revenue"),
    **dict.fromkeys(("5010", "5030", "5050"), "expense"),
}
ACCOUNTS = {
    "translation_account": "3040",
    "retained_account": "3020",
    "minority_account": "3050",
    "minority_result_account": "5050",
    "equity_investment_account": "1320",
    "equity_result_account": "4050",
    "disposal_account": "4060",
}
LINE = re.compile(r"(\d+)(?: \((\w+)\))? (-?[\d.]+)")
Line = tuple[int, int, str, Decimal] | tuple[int, int, str, Decimal, str]
"""(fiscal year, period, account, amount in whole units, partner)"""


def lines(text: str) -> list[Line]:
    """Amounts as the cases write them: `2025/2: 1310 (s) 500, 1010 -500`."""
    rows: list[Line] = []
    for row in text.strip().splitlines():
        when, _, entries = row.strip().partition(": ")
        year, number = when.split("/")
        for entry in entries.split(", "):
            match = LINE.fullmatch(entry)
            assert match, entry
            amount = Decimal(match[3])
            key = (int(year), int(number), match[1], amount)
            rows.append((*key, match[2]) if match[2] else key)
    return rows


def amounts(text: str) -> dict[str, str]:
    """Account → amount of a column: `1010 1258.00, 1320 7.20`."""
    return dict(part.split(" ") for part in text.split(", "))


def group_row(name: str, **more: Any) -> Group:
    usual = {"currency": "EUR", "chart": "gc", "calendar": "cal", **ACCOUNTS}
    return Group(name, name.capitalize(), **{**usual, **more})


def definitions() -> list[Any]:
    return [
        CodeList("ga", "Accounts", 4, 4),
        *(Code("ga", code, f"Account {code}", account_class=kind) for code, kind in CLASSES.items()),
        Structure("gs", "Group", "-"),
        StructureSegment("gs", 1, "account", "Account", "ga", "natural_account"),
        Chart("gc", "Group chart", "gs"),
        Calendar("cal", "Months"),
    ]


def company(
    name: str, currency: str = "EUR", adjusts: str = "", calendar: str = "cal", **more: Any
) -> Company:
    return Company(name, name.upper(), "DE", currency, "gc", calendar, adjusts=adjusts, **more)


def period(year: int, number: int, month: int, *, closing: bool = False) -> Period:
    last = {1: 31, 2: 28, 3: 31, 4: 30, 5: 31, 6: 30}[month]
    ends = date(year, month, last)
    starts = ends if closing else date(year, month, 1)
    return Period("cal", year, number, f"{year}/{number}", starts, ends, "closing" if closing else "regular")


def rates(currency: str, kind: str, by_day: Mapping[date, str]) -> list[Rate]:
    return [Rate(currency, "EUR", kind, on, Decimal(rate)) for on, rate in by_day.items()]


def consolidation(state: State, group: str, amounts: Mapping[str, Iterable[Line]]) -> Consolidation:
    """Companies on another calendar than the group's have balances that are kept elsewhere."""
    calendar = group_calendar(state, group)
    assert calendar
    periods = group_periods(calendar)
    numbers = {name: i for i, name in enumerate(sorted(amounts), 1)}
    adjusts = {c.company: c.adjusts for c in state.rows(Company) if c.adjusts}
    stands = standings(state, group, periods)
    members = []
    for name in [*sorted(stands), *sorted(n for n, of in adjusts.items() if of in stands)]:
        plan = map_plan(state, group, name)
        assert plan
        by_year: dict[int, list[Any]] = {}
        for line in amounts.get(name, ()):
            by_year.setdefault(line[0], []).append(line)
        digits = digits_of(state.require(Company, name).currency)
        books = tuple(_books(name, year, lines, numbers, digits) for year, lines in sorted(by_year.items()))
        own, places = company_calendar(state, name), None
        if own.calendar != calendar.calendar:
            books = tuple(closing_marked(unmarked(one), closing_ordinals(own)) for one in books)
            places = ordinals_in(own, calendar)
        members.append(
            Member(name, numbers.get(name, 99), books, plan, places, lambda rows: [("", "")] * len(rows))
        )
    return group_of(state, group, members, adjusts, numbers)


def unmarked(books: Books) -> Books:
    """Balances say a period, and not whether a journal closed it."""
    rows = books.rows.copy()
    rows["closing"] = 0
    return replace(books, rows=rows)


def group_of(
    state: State,
    group: str,
    members: list[Member],
    adjusts: Mapping[str, str] | None = None,
    numbers: Mapping[str, int] | None = None,
) -> Consolidation:
    """What a group's figures are worked out from, for members with their books; `numbers` of companies."""
    row, calendar = state.require(Group, group), group_calendar(state, group)
    assert calendar
    periods = group_periods(calendar)
    currencies = {c.company: c.currency for c in state.rows(Company)}
    numbers = {**{member.company: member.number for member in members}, **(numbers or {})}
    books = group_books(state, group, periods, members, adjusts or {}, currencies, numbers)
    own = {member.company for member in members}
    known = {name: one for name, one in standings(state, group, periods).items() if name in own}
    return Consolidation(state, row, periods, books, rate_table(state, row, periods), known)


def _books(name: str, year: int, lines: list[Any], numbers: Mapping[str, int], digits: int = 2) -> Books:
    size = len(lines)
    return books_of(
        name,
        year,
        1,
        PostedColumns(
            [line[2] for line in lines],
            [numbers[line[4]] if len(line) > 4 else 0 for line in lines],
            [1] * size,
            [0] * size,
            [line[1] for line in lines],
            [line[1] == 13 for line in lines],
            [round(Decimal(str(line[3])).scaleb(digits)) for line in lines],
        ),
    )


def shown(group: Consolidation, found: Position) -> dict[str, dict[str, str]]:
    """Account → column → amount in whole units, as the cases are written; `group` is the last column."""
    names, digits = group.books.accounts, digits_of(group.group.currency)
    table: dict[str, dict[str, str]] = {}

    def put(target: int, column: str, amount: int) -> None:
        if amount:
            table.setdefault(names.name(target), {})[column] = format_amount(amount, digits)

    total: dict[int, int] = {}
    for company_, entries in found.columns.items():
        for target, amount in entries.items():
            put(target, company_, amount)
            total[target] = total.get(target, 0) + amount
    for target, amount in found.eliminated.items():
        put(target, "elimination", amount)
        total[target] = total.get(target, 0) + amount
    for target, amount in total.items():
        put(target, "group", amount)
    return table


def group_column(group: Consolidation, found: Position) -> dict[str, str]:
    return {account: row["group"] for account, row in sorted(shown(group, found).items()) if "group" in row}


def unbalanced(found: Position) -> list[str]:
    """Steps that don't sum to zero for a company; books and translation do so together."""
    sums: dict[tuple[str, str], int] = {}
    for (step, name), entries in found.steps.items():
        key = ("books" if step == "translation" else step, name)
        sums[key] = sums.get(key, 0) + sum(entries.values())
    left = sum(found.eliminated.values())
    return [f"{step} of {name}: {amount}" for (step, name), amount in sums.items() if amount] + (
        [f"elimination: {left}"] if left else []
    )
