"""A company that may move to a short chart: definitions, random books, and what is asked of them."""

from __future__ import annotations

import csv
import io
from datetime import date
from pathlib import Path
from random import Random
from tempfile import TemporaryDirectory

from core.definitions.tables import (
    Chart,
    ChartDimension,
    ChartSegment,
    Code,
    CodeList,
    Hierarchy,
    HierarchyNode,
    SecondChart,
    SecondChartMapping,
    Statement,
    StatementLine,
    Structure,
    StructureSegment,
)
from tests.base import run
from web.definitions.snapshot import current
from web.exchange.checking import everything
from web.exchange.exporting import export_package

MAPPED = (
    ("1010, 1020", "", "", "CA"),
    ("1110", "", "", "RE"),
    ("1810", "", "", "DF"),
    ("2010", "", "", "PA"),
    ("2810", "", "", "DT"),
    ("3010", "", "", "CO"),
    ("4010", "site", "001", "SH"),
    ("4*", "", "", "SA"),
    ("5*", "", "", "EX"),
)
NEW = [
    CodeList("nat", "Accounts there", 2, 2, "letters"),
    *(
        Code("nat", code, name, account_class=kind, cash_flow="cash" if code == "CA" else "none")
        for code, name, kind in (
            ("CA", "Cash", "asset"),
            ("RE", "Receivable", "asset"),
            ("DF", "Due from the group", "asset"),
            ("PA", "Payable", "liability"),
            ("DT", "Due to the group", "liability"),
            ("CO", "Capital", "equity"),
            ("SA", "Sales abroad", "revenue"),
            ("SH", "Sales at home", "revenue"),
            ("EX", "Expenses", "expense"),
        )
    ),
    Structure("short", "Short", "."),
    StructureSegment("short", 1, "place", "Place", "site"),
    StructureSegment("short", 2, "account", "Account", "nat", "natural_account"),
    Chart("n", "The short chart", "short", result_account="CO", exchange_account="EX"),
    ChartSegment("n", "place", False),
    ChartDimension("n", "season"),
    Statement("n-bs", "Short balance sheet", "n", "balance_sheet"),
    StatementLine("n-bs", "assets", "", 10, "Assets", "accounts", "CA, RE, DF"),
    StatementLine("n-bs", "debts", "", 20, "Debts", "accounts", "PA, DT"),
    StatementLine("n-bs", "capital", "", 30, "Capital", "accounts", "CO"),
    StatementLine("n-bs", "result", "", 40, "Result", "result"),
    Statement("n-is", "Short income", "n", "income_statement"),
    StatementLine("n-is", "home", "", 10, "At home", "accounts", "SH"),
    StatementLine("n-is", "abroad", "", 20, "Abroad", "accounts", "SA"),
    StatementLine("n-is", "spent", "", 30, "Spent", "accounts", "EX"),
    Statement("n-paid", "Received and paid", "n", "direct_cash_flow"),
    StatementLine("n-paid", "sold", "", 10, "Sold", "accounts", "SA, SH, RE", sign="credit"),
    StatementLine("n-paid", "else", "", 20, "Else", "accounts", "DF, PA, DT, CO, EX", sign="credit"),
    Hierarchy("n-tree", "nat", "Short tree", True),
    HierarchyNode("n-tree", "SH"),
    HierarchyNode("n-tree", "CA"),
    SecondChart("alpha", "n", "To move to it"),
    *(
        SecondChartMapping("c", "n", place * 10, accounts, field, codes, target)
        for place, (accounts, field, codes, target) in enumerate(MAPPED, 1)
    ),
]
STRINGS = ("10-1010-", "10-1020-", "10-1110-001", "10-2010-", "10-4010-001", "10-4010-002", "10-5010-002")
MARCH = date(2026, 3, 1)
LINES = "company,journal,line,account,debit,credit\n"
REPORTS = (
    ("trial-balance", "--year=2026", "--period=1"),
    ("trial-balance", "--year=2026", "--period=2"),
    ("trial-balance", "--from=2026-01-15", "--to=2026-02-12"),
    ("statement", "n-bs", "--year=2026", "--period=2"),
    ("statement", "n-is", "--year=2026", "--period=2"),
    ("statement", "n-is", "--year=2026", "--period=2", "--periods=months"),
    ("statement", "n-is", "--from=2026-01-20", "--to=2026-02-20"),
    ("statement", "n-bs", "--to=2026-02-09", "--filter=season=SP26, none"),
    ("statement", "n-is", "--year=2026", "--period=2", "--by=season"),
    ("statement", "--tree=n-tree", "--year=2026", "--period=2"),
    ("statement", "n-paid", "--year=2026", "--period=2"),
    ("statement", "n-paid", "--from=2026-01-10", "--to=2026-02-20"),
)


def random_books(chance: Random) -> dict[str, str]:
    """Journals of alpha in its first two periods, on any of its account strings."""
    heads, lines = ["company,journal,date"], ["company,journal,line,account,dimensions,debit,credit,partner"]
    for number in range(20):
        on = date(2026, chance.randint(1, 2), chance.randint(1, 28))
        heads.append(f"alpha,R{number},{on}")
        amount = f"{chance.randint(1, 10**6) / 100:.2f}"
        for line, (debit, credit) in enumerate(((amount, ""), ("", amount)), 1):
            tags = chance.choice(("", "season=SP26", "season=AU26"))
            partner = chance.choice(("", "beta"))
            lines.append(f"alpha,R{number},{line},{chance.choice(STRINGS)},{tags},{debit},{credit},{partner}")
    return {"journals": "\n".join(heads) + "\n", "journal_lines": "\n".join(lines) + "\n"}


def report(*words: str, company: str = "alpha") -> list[list[str]]:
    status, out, said = run(*words, f"--company={company}")
    assert status == 0, said
    return list(csv.reader(io.StringIO(out)))


def group_report(*words: str) -> list[list[str]]:
    status, out, said = run(*words, "--group=g", "--year=2026", "--period=2")
    assert status == 0, said
    return list(csv.reader(io.StringIO(out)))


def exported() -> dict[str, str]:
    with TemporaryDirectory() as folder:
        export_package(Path(folder))
        return {path.stem: path.read_text() for path in Path(folder).glob("*.csv")}


def summed_up(rows: list[list[str]]) -> dict[tuple[str, ...], int]:
    sums: dict[tuple[str, ...], int] = {}
    for *key, amount in rows:
        sums[tuple(key)] = sums.get(tuple(key), 0) + int(amount.replace(".", ""))
    return sums


def must_be_put_right() -> list[str]:
    return [fault.what for fault in everything(current().state) if fault.severity == "must"]
