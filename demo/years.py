"""Two years of Fernhollow: its months, and what stands beside them: openings, a close, mistakes, the plan."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date
from decimal import Decimal

from core.definitions.tables import Balance, BudgetLine, CompanyAccount, IntercompanyPair
from demo import far
from demo.definitions import LISTED, companies
from demo.holdings import investments, later, to_group_rules
from demo.life import CODES, LAST, PRODUCTS, SHAPE, SIZES, Life, corran, hexley, natural, shared, within_group


def openings(life: Life) -> None:
    day = date(2025, 1, 1)
    for company, size in SIZES.items():
        code = CODES[company]
        base = round(100_000_000 * size)
        parts = [
            ("11010", 60),
            ("11210", 85),
            ("11310", 40),
            ("11410", 6),
            ("12110", 160),
            ("12120", 240),
            ("12190", -70),
            ("12210", 50),
        ]
        lines = [(f"{code}-{account}", base * share // 100) for account, share in parts]
        lines += [
            (f"{code}-21110", -base * 45 // 100),
            (f"{code}-22110", -base * 150 // 100),
            (f"{code}-31010", -base),
        ]
        lines.append((f"{code}-31110", -sum(amount for _, amount in lines)))
        life.open(company, day, lines)
    _own_openings(life, day)
    far.openings(life, day)
    investments(life)
    _loans(life)


def _loans(life: Life) -> None:
    """The glasshouse loan within the group, and the bank loan behind it."""
    for company, lines, partner in (
        ("nurseries", [("20-11010", 100_000_000), ("20-22810", -100_000_000)], "fernhollow"),
        ("fernhollow", [("10-12820", 100_000_000), ("10-11010", -100_000_000)], "nurseries"),
    ):
        life.journal(company, date(2025, 1, 2), "Glasshouse loan", lines, partner=partner)
    life.journal(
        "fernhollow",
        date(2025, 1, 2),
        "Bank loan taken up",
        [("10-11010", 120_000_000), ("10-22110", -120_000_000)],
    )


def _own_openings(life: Life, day: date) -> None:
    """Of companies that are no nursery or keep a chart of their own."""
    life.open("fernhollow", day, [("10-11010", 95_000_000), ("10-31010", -95_000_000)])
    life.open(
        "hexley",
        day,
        [
            ("1010", 9_000_000),
            ("1200", 21_000_000),
            ("1500", 40_000_000),
            ("2000", -8_000_000),
            ("2900", -20_000_000),
            ("3000", -30_000_000),
            ("3100", -12_000_000),
        ],
    )
    life.open(
        "corran",
        day,
        [("/1000", 310_000_000), ("/1600", 900_000_000), ("/3000", -1_000_000_000), ("/3100", -210_000_000)],
    )


RETAINED = {"hexley": "3100", "corran": "/3100"} | {
    company: f"{code}-31110"
    for company, code in (*CODES.items(), *((one.company, one.code) for one in far.FAR))
}


def closing_2025(life: Life) -> None:
    """The year's result goes to retained earnings, by one closing journal a company."""
    for company, retained in RETAINED.items():
        sums: dict[tuple[str, str], int] = {}
        own = {j.journal for j in life.journals if j.company == company and j.date.year == 2025}
        for line in life.lines:
            if line.company == company and line.journal in own and natural(line.account)[0] in "4567":
                key = line.account, line.partner
                sums[key] = sums.get(key, 0) + _minor(line.debit) - _minor(line.credit)
        lines = [(account, -amount, partner) for (account, partner), amount in sorted(sums.items()) if amount]
        lines.append((retained, -sum(amount for _, amount, _ in lines), ""))
        life.journal(
            company, date(2025, 12, 31), "Result of 2025 to retained earnings", lines, kind="closing"
        )


def _minor(text: str) -> int:
    return int(text.replace(".", "")) if text else 0


def euros(life: Life) -> None:
    """Euros put aside for next spring's bulbs, worth something else at each period's end."""
    lines = [("10-11020", 4_000_000), ("10-11010", -4_000_000)]
    life.journal("fernhollow", date(2026, 9, 15), "Euros for spring bulbs", lines)
    life.journals[-1] = life.journals[-1]._replace(currency="EUR", rate=Decimal("0.8540"))


def yen(life: Life) -> None:
    """Ferns to try, paid in a currency without minor digits."""
    lines = [("10-51110", 185_000), ("10-11010", -185_000)]
    life.journal("fernhollow", date(2026, 9, 22), "Ferns to try", lines)
    life.journals[-1] = life.journals[-1]._replace(currency="JPY", rate=Decimal("0.005210"))
    for at in (-2, -1):
        row = life.lines[at]
        life.lines[at] = row._replace(debit=row.debit and "185000", credit=row.credit and "185000")


def without_cash(life: Life) -> None:
    """A glasshouse taken on lease: no cash moves when it begins, only with each rent. A sorting line bought
    on credit, which nobody has named yet."""
    life.journal(
        "veenbol",
        date(2026, 7, 1),
        "Lease of the east glasshouse begun",
        [("30-12120", 36_000_000), ("30-22120", -36_000_000)],
    )
    life.journal(
        "veenbol",
        date(2026, 9, 1),
        "Lease of the east glasshouse, first rent",
        [("30-22120", 1_500_000), ("30-11010", -1_500_000)],
    )
    life.journal(
        "veenbol",
        date(2026, 8, 20),
        "Sorting line, to be paid in November",
        [("30-12230", 8_200_000), ("30-21110", -8_200_000)],
    )


def mistakes(life: Life) -> None:
    """What somebody has to find: accounts on no line, a code to retire, an advance under the wrong
    heading."""
    life.journal(
        "nurseries",
        date(2026, 5, 20),
        "Hail insurance, season ahead",
        [("20-11455", 1_840_000), ("20-11010", -1_840_000)],
    )
    life.journal(
        "nurseries",
        date(2026, 9, 9),
        "Advance to tulip growers",
        [("20-11240-120-10", 20_912_000), ("20-11010", -20_912_000)],
    )
    life.journal(
        "veenbol",
        date(2026, 9, 11),
        "Auction levy of the autumn sales",
        [("30-63130-220", 601_500), ("30-21440", -601_500)],
    )
    life.journal(
        "fernhollow", date(2026, 3, 31), "Audit of 2025", [("10-64110", 3_850_000), ("10-11010", -3_850_000)]
    )
    life.journal(
        "fernhollow",
        date(2026, 6, 30),
        "Group office salaries",
        [("10-62110-100", 18_400_000), ("10-11010", -18_400_000)],
    )


def elsewhere() -> Iterator[Balance]:
    """Alder's books are kept by its owners; only its balances come in."""
    for year, months in ((2025, range(13)), (2026, range(1, 10))):
        for month in months:
            income = 0 if month == 0 else 41_000 + 700 * month
            rows = [
                ("100", "", 250_000 if month == 0 else income - 18_000),
                ("300", "", -250_000 if month == 0 else 0),
                ("400", "", -income),
                ("500", "", 11_000 if month else 0),
                ("600", "", 7_000 if month else 0),
            ]
            for account, partner, amount in rows:
                if amount:
                    yield Balance("alder", year, month, account, "", partner, f"{amount}.00")
    results = {"400": 12 * 41_000 + 700 * 78, "500": -12 * 11_000, "600": -12 * 7_000}
    for account, amount in (*results.items(), ("310", -sum(results.values()))):
        yield Balance("alder", 2025, 13, account, "", "", f"{amount}.00")


STAFF = (
    ("nurseries", "20", "110", 64, 18_500),
    ("nurseries", "20", "120", 21, 0),
    ("veenbol", "30", "210", 38, 9_200),
)
"""company, its code, site, heads in a quiet month, m2 under glass"""


def statistics() -> Iterator[BudgetLine]:
    """Heads and glass as they stand at each month's end, hours of each month."""
    for year in (2025, 2026):
        for month in range(1, 13):
            if (year, month) > LAST:
                return
            for company, code, site, heads, glass in STAFF:
                staff = round(heads * (1 + (SHAPE[month - 1] - 1) / 4)) + (3 if year == 2026 else 0)
                for account, amount in (("91010", staff), ("91020", staff * 152), ("91030", glass)):
                    if amount:
                        string = f"{code}-{account}-{site}-"
                        yield BudgetLine("statistics", company, year, month, string, "", f"{amount}.00")


def budget() -> Iterator[BudgetLine]:
    for month in range(1, 13):
        for account, amount in (
            ("20-41210-110-20", -120_000),
            ("20-51310-110-", 48_000),
            ("20-62110--", 38_000),
        ):
            yield BudgetLine(
                "plan-2026", "nurseries", 2026, month, account, "", f"{round(amount * SHAPE[month - 1])}.00"
            )


def life() -> Life:
    books = Life()
    openings(books)
    for year in (2025, 2026):
        for month in range(1, 13):
            if (year, month) > LAST:
                break
            for company in PRODUCTS:
                shared(books, company, year, month)
            within_group(books, year, month)
            hexley(books, year, month)
            corran(books, year, month)
            far.month_of(books, year, month)
        if year == 2025:
            closing_2025(books)
    later(books)
    to_group_rules(books)
    mistakes(books)
    euros(books)
    yen(books)
    without_cash(books)
    return books


def open_accounts(lived: Life) -> Iterator[CompanyAccount]:
    """What companies use that have only listed accounts open."""
    used = {(line.line_company or line.company, natural(line.account)) for line in lived.lines}
    used |= {(row.company, natural(row.account)) for row in elsewhere()}
    for pair in companies():
        if isinstance(pair, IntercompanyPair):
            used |= {(pair.company, pair.due_from), (pair.company, pair.due_to)}
    yield from (CompanyAccount(company, code) for company, code in sorted(used) if company in LISTED)
    yield CompanyAccount("trials", "51230", enabled=False)
