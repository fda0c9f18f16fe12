"""The data of the benchmark: a million journal lines of a hundred companies, and a long list."""

from __future__ import annotations

import csv
from datetime import date, timedelta
from pathlib import Path
from random import Random
from typing import Any

ROOT = Path(__file__).resolve().parent.parent
COMPANIES, ACCOUNTS, JOURNALS, PER_JOURNAL, CODES = 100, 4_000, 250_000, 4, 50_000
WORDS = [
    "tulip",
    "glass",
    "seed",
    "heat",
    "bulb",
    "site",
    "freight",
    "trial",
    "water",
    "soil",
    "stem",
    "depot",
    "auction",
    "label",
    "crate",
    "vine",
    "root",
    "bench",
    "peat",
    "rose",
]


def write(folder: Path, name: str, header: str, rows: Any) -> None:
    with (folder / f"{name}.csv").open("w", newline="") as out:
        writer = csv.writer(out)
        writer.writerow(header.split(","))
        writer.writerows(rows)


def generate(folder: Path, scale: int) -> int:
    """Writes the package; returns the number of lines."""
    random = Random(42)
    codes = account_codes()
    _lists(folder, codes, random)
    _tree(folder, codes)
    _chart(folder, codes)
    _companies(folder, range(COMPANIES))
    _statement_and_group(folder, codes)
    return _journals(folder, codes, JOURNALS // scale, random, range(COMPANIES))


def account_codes() -> list[str]:
    return [f"{10000 + i * 20:05d}" for i in range(ACCOUNTS)]


def generate_more(folder: Path, scale: int) -> int:
    """Writes a package of as many further companies with journals of theirs; returns the number of lines."""
    numbers = range(COMPANIES, 2 * COMPANIES)
    codes = [("co", f"{i:03d}", f"Company {i}", "false", "true", "") for i in numbers]
    write(folder, "codes", "code_list,code,name,rollup,posting,account_class", codes)
    _companies(folder, numbers)
    return _journals(folder, account_codes(), JOURNALS // scale, Random(43), numbers)


def _lists(folder: Path, codes: list[str], random: Random) -> None:
    classes = ["asset", "liability", "equity", "revenue", "expense"]
    write(
        folder,
        "code_lists",
        "code_list,name,min_length,max_length",
        [
            ("acc", "Accounts", 5, 5),
            ("co", "Company", 3, 3),
            ("site", "Site", 3, 3),
            ("long", "Long list", 6, 6),
        ],
    )
    write(
        folder,
        "codes",
        "code_list,code,name,rollup,posting,account_class",
        [
            *(
                ("acc", c, f"Account {c}", "false", "true", classes[i * 5 // ACCOUNTS])
                for i, c in enumerate(codes)
            ),
            *(("acc", f"R{i}"[1:].zfill(2), f"Rollup {i}", "true", "false", "") for i in range(10, 90)),
            *(("co", f"{i:03d}", f"Company {i}", "false", "true", "") for i in range(COMPANIES)),
            *(("site", f"{i:03d}", f"Site {i}", "false", "true", "") for i in range(50)),
            *(
                (
                    "long",
                    f"{100000 + i * 3}",
                    f"{random.choice(WORDS)} {random.choice(WORDS)} {i}",
                    "false",
                    "true",
                    "",
                )
                for i in range(CODES)
            ),
        ],
    )


def _tree(folder: Path, codes: list[str]) -> None:
    write(folder, "hierarchies", "hierarchy,code_list,name,main", [("tree", "acc", "Tree", "true")])
    write(
        folder,
        "hierarchy_nodes",
        "hierarchy,code,parent",
        [
            *(("tree", f"{i}", "") for i in range(10, 90)),
            *(("tree", c, str(10 + i * 80 // ACCOUNTS)) for i, c in enumerate(codes)),
        ],
    )


def _chart(folder: Path, codes: list[str]) -> None:
    write(folder, "structures", "structure,name,separator", [("s", "S", "-")])
    write(
        folder,
        "structure_segments",
        "structure,position,segment,name,code_list,role",
        [
            ("s", 1, "co", "Company", "co", "company"),
            ("s", 2, "acc", "Account", "acc", "natural_account"),
            ("s", 3, "site", "Site", "site", "other"),
        ],
    )
    write(folder, "charts", "chart,name,structure", [("c", "C", "s")])
    write(folder, "chart_segments", "chart,segment,required", [("c", "site", "false")])
    write(folder, "pairing_rules", "chart,rule,position,field,outcome", [("c", "r", 1, "site", "required")])
    write(
        folder, "pairing_conditions", "chart,rule,field,codes", [("c", "r", "acc", f"{codes[-40]} to 99999")]
    )
    write(folder, "calendars", "calendar,name", [("m", "Months")])
    months = [
        (y, m, date(y, m, 1), (date(y + m // 12, m % 12 + 1, 1) - timedelta(days=1)))
        for y in (2025, 2026)
        for m in range(1, 13)
    ]
    write(
        folder,
        "periods",
        "calendar,fiscal_year,period,name,starts_on,ends_on",
        [("m", y, m, f"{y}-{m}", a, b) for y, m, a, b in months],
    )


def _companies(folder: Path, numbers: range) -> None:
    write(
        folder,
        "companies",
        "company,name,country,currency,chart,calendar",
        [(f"c{i:03d}", f"Company {i}", "GB", "GBP", "c", "m") for i in numbers],
    )
    write(
        folder,
        "company_codes",
        "company,segment,code",
        [(f"c{i:03d}", "co", f"{i:03d}") for i in numbers],
    )


def _statement_and_group(folder: Path, codes: list[str]) -> None:
    flows = ("cf", "paired")
    write(
        folder,
        "statements",
        "statement,name,chart,kind",
        [("bs", "Balance sheet", "c", "balance_sheet"), *((name, name, "c", "cash_flow") for name in flows)],
    )
    lines = [
        ("bs", f"l{i}", "", i, f"Line {i}", "accounts", f"under {i}", "debit") for i in range(10, 10 + 48)
    ]
    lines += [
        (name, f"l{i}", "", i, f"Line {i}", "accounts", f"under {i}", "credit")
        for name in flows
        for i in range(10, 90)
    ]
    pair = ("paired", "plant", "Plant on credit", "under 12, under 13", "under 30, under 31")
    write(folder, "non_cash_pairs", "statement,pair,name,accounts,against", [pair])
    write(
        folder,
        "statement_lines",
        "statement,line,parent,position,label,kind,accounts,sign",
        [*lines, ("bs", "result", "", 99, "Result", "result", "", "natural")],
    )
    write(folder, "groups", "group,name,currency,chart", [("g", "G", "GBP", "c")])
    write(folder, "group_members", "group,member", [("g", f"c{i:03d}") for i in range(COMPANIES)])
    write(
        folder,
        "eliminations",
        "group,elimination,position,accounts,difference_account",
        [("g", "e", 1, f"{codes[100]} to {codes[160]}", codes[0])],
    )


def _journals(folder: Path, codes: list[str], count: int, random: Random, numbers: range) -> int:
    """Each company keeps to some 600 accounts and a few sites, as companies do."""
    own = [random.sample(codes, 600) for _ in range(COMPANIES)]
    heads, lines = [], []
    for n in range(count):
        company = numbers[n % len(numbers)]
        day = date(2025, 1, 1) + timedelta(days=random.randrange(730))
        name = f"J{n:06d}"
        heads.append((f"c{company:03d}", name, day, f"Journal {n}"))
        amounts = [random.randrange(100, 1_000_000) for _ in range(PER_JOURNAL - 1)]
        for i, amount in enumerate([*amounts, -sum(amounts)]):
            account = f"{company:03d}-{random.choice(own[n % len(numbers)])}-{random.randrange(5):03d}"
            text = f"{abs(amount) // 100}.{abs(amount) % 100:02d}"
            partner = f"c{random.choice(numbers):03d}" if i == 0 and n % 7 == 0 else ""
            lines.append(
                (
                    f"c{company:03d}",
                    name,
                    i + 1,
                    account,
                    text if amount > 0 else "",
                    text if amount < 0 else "",
                    partner,
                    f"Line of {n}",
                    f"D{n}",
                )
            )
    write(folder, "journals", "company,journal,date,description", heads)
    write(
        folder,
        "journal_lines",
        "company,journal,line,account,debit,credit,partner,description,source_number",
        lines,
    )
    return len(lines)


def deepen(folder: Path) -> int:
    """Some 48,000 accounts in place of 4,000, in a tree of 8 levels; returns how many codes the list then
    has."""
    accounts = [f"{number:05d}" for i in range(ACCOUNTS) for number in range(10000 + i * 20, 10012 + i * 20)]
    classes = ["asset", "liability", "equity", "revenue", "expense"]
    old = {f"{10000 + i * 20:05d}" for i in range(ACCOUNTS)}
    rollups: dict[str, str] = {}
    nodes: dict[str, str] = {}
    for code in accounts:
        group = code[:4]
        chain = [code[:1], code[:2], code[:3], group]
        if int(group) % 2:
            chain += [f"{group}5", f"{group}6", f"{group}7"]
        for parent, child in zip(["", *chain], chain, strict=False):
            rollups[child] = parent
        nodes[code] = chain[-1]
    write(
        folder,
        "codes",
        "code_list,code,name,rollup,posting,account_class",
        [
            *(("acc", c, f"Rollup {c}", "true", "false", "") for c in rollups if len(c) != 2),
            *(
                ("acc", c, f"Account {c}", "false", "true", classes[(int(c) - 10000) // 20 * 5 // ACCOUNTS])
                for c in accounts
                if c not in old
            ),
        ],
    )
    write(
        folder,
        "hierarchy_nodes",
        "hierarchy,code,parent",
        [("tree", c, p) for c, p in {**rollups, **nodes}.items()],
    )
    return len(accounts) + len(rollups)
