"""Small definitions for tests: a chart of two segments and a season, two companies, a calendar, statements, a
group."""

from __future__ import annotations

from datetime import date
from typing import Any

from core.books.journals import Checked, PostingContext, check_journal
from core.definitions.state import State
from core.definitions.tables import (
    Calendar,
    Chart,
    ChartDimension,
    ChartSegment,
    Code,
    CodeList,
    Company,
    CompanyCode,
    Dimension,
    Hierarchy,
    HierarchyNode,
    IntercompanyPair,
    Journal,
    JournalLine,
    Period,
    Structure,
    StructureSegment,
)
from core.statements.figures import Figures
from core.statements.plans import Plan

ACCOUNTS = [
    ("1010", "Bank", "asset"),
    ("1020", "Petty cash", "asset"),
    ("1110", "Debtors", "asset"),
    ("1810", "Due from", "asset"),
    ("2010", "Creditors", "liability"),
    ("2810", "Due to", "liability"),
    ("3010", "Capital", "equity"),
    ("4010", "Sales", "revenue"),
    ("4020", "Group sales", "revenue"),
    ("5010", "Costs", "expense"),
    ("5020", "Group costs", "expense"),
]


def definitions() -> list[Any]:
    rows: list[Any] = [
        CodeList("acc", "Accounts", 4, 4),
        CodeList("co", "Company", 2, 2, "digits", True),
        CodeList("site", "Site", 3, 3, "digits", True),
        CodeList("season", "Season", 4, 4, "alphanumeric"),
    ]
    rows += [Code("acc", code, name, account_class=kind) for code, name, kind in ACCOUNTS]
    rows += [
        Code("acc", code, name, True, False)
        for code, name in (("1", "Assets"), ("10", "Cash"), ("11", "Receivables"))
    ]
    rows += [
        Code("co", "10", "Alpha"),
        Code("co", "20", "Beta"),
        Code("site", "001", "North"),
        Code("site", "002", "South"),
    ]
    rows += [Code("season", "SP26", "Spring"), Code("season", "AU26", "Autumn")]
    rows += [
        Hierarchy("tree", "acc", "Tree", True),
        HierarchyNode("tree", "1"),
        HierarchyNode("tree", "10", "1", 1),
        HierarchyNode("tree", "11", "1", 2),
        HierarchyNode("tree", "1010", "10"),
        HierarchyNode("tree", "1020", "10"),
        HierarchyNode("tree", "1110", "11"),
    ]
    rows += [
        Structure("s", "S", "-"),
        StructureSegment("s", 1, "company", "Company", "co", "company"),
        StructureSegment("s", 2, "account", "Account", "acc", "natural_account"),
        StructureSegment("s", 3, "site", "Site", "site"),
    ]
    rows += [
        Dimension("season", "Season", "season"),
        Chart("c", "Chart", "s"),
        ChartSegment("c", "site", False),
        ChartDimension("c", "season"),
        Calendar("m", "Months"),
    ]
    rows += [
        Period(
            "m",
            2026,
            n,
            f"M{n}",
            date(2026, n, 1),
            date(2026, n, 28 if n == 2 else 31 if n in (1, 3) else 30),
        )
        for n in (1, 2, 3, 4)
    ]
    rows += [Period("m", 2026, 13, "Closing", date(2026, 4, 30), date(2026, 4, 30), "closing")]
    for name, code, other in (("alpha", "10", "beta"), ("beta", "20", "alpha")):
        rows += [
            Company(name, name.capitalize(), "GB", "GBP", "c", "m"),
            CompanyCode(name, "company", code),
            IntercompanyPair(name, other, "1810", "2810"),
        ]
    return rows


def state(*more: Any, without: tuple[Any, ...] = ()) -> State:
    """The small world with rows added or replaced (later rows win)."""
    return State.of([row for row in (*definitions(), *more) if row not in without])


def entry(
    world: State,
    *lines: tuple[Any, ...],
    on: date = date(2026, 2, 10),
    rules: PostingContext = PostingContext(),
    **head: Any,
) -> Checked:
    """A journal of alpha: lines are (account, debit, credit) with an optional dict of further cells."""
    journal = Journal("alpha", "J1", on, **head)
    made = []
    for number, (account, debit, credit, *rest) in enumerate(lines, 1):
        made.append(
            JournalLine(
                "alpha",
                "J1",
                number,
                account=account,
                debit=debit,
                credit=credit,
                **(rest[0] if rest else {}),
            )
        )
    return check_journal(world, journal, made, rules)


def told(faults: Any) -> list[str]:
    return [fault.what for fault in faults]


def not_one_by_one(_: State, planned: Plan, company: str) -> Figures:
    """For plans whose lines ask for no codes: nobody is asked for."""
    raise AssertionError(f"{planned.statement.statement} of {company} was asked for alone.")
