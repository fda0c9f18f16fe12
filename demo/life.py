"""Two years of Fernhollow's monthly life as journals: seasons, bulbs sold within the group, fees, a loan,
honest mistakes.

The seed is fixed: the same demo comes out every time.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from random import Random

from core.definitions.tables import Journal, JournalLine
from core.money import digits_of, format_amount
from demo.definitions import ADJUSTING, COMPANIES, month_end

LAST = (2026, 9)
SHAPE = [0.6, 0.7, 1.3, 1.6, 1.4, 1.0, 0.8, 0.7, 1.1, 1.4, 0.9, 0.5]
SEASON = ["WI", "WI", "SP", "SP", "SP", "SU", "SU", "SU", "AU", "AU", "AU", "WI"]
SIZES = {"nurseries": 1.0, "veenbol": 1.5, "skovlund": 7.0, "trials": 2.0, "zielnik": 3.5}
CODES = {
    "fernhollow": "10",
    "nurseries": "20",
    "veenbol": "30",
    "skovlund": "40",
    "trials": "41",
    "zielnik": "50",
}
PRODUCTS = {
    "nurseries": [
        ("41210", "110", "20"),
        ("41220", "120", "21"),
        ("41230", "150", "22"),
        ("41410", "150", "40"),
    ],
    "veenbol": [
        ("41110", "210", "10"),
        ("41120", "210", "11"),
        ("41130", "210", "12"),
        ("41410", "220", "40"),
    ],
    "skovlund": [("41310", "310", "30"), ("41320", "310", "90"), ("41310", "310", "31")],
    "trials": [("41330", "330", "90")],
    "zielnik": [("41220", "410", "21")],
}
DEAR = {"trials": 1.75, "zielnik": 1.9}
"""Of companies that sell little for much."""
SITE = {
    "fernhollow": "100",
    "nurseries": "110",
    "veenbol": "210",
    "skovlund": "310",
    "trials": "330",
    "zielnik": "410",
}


class Life:
    """Writes journals in order of date; lines are (company, account text, dimensions, amount in minor units,
    partner)."""

    def __init__(self) -> None:
        self.random = Random(20_260_930)
        self.journals: list[Journal] = []
        self.lines: list[JournalLine] = []
        self.numbers: dict[str, int] = {}
        self.equity: dict[str, dict[str, int]] = {}
        self.digits = {row[0]: digits_of(row[3]) for row in (*COMPANIES, ADJUSTING)}

    def amount(self, base: float, company: str, month: int = 0) -> int:
        """Minor units around a base in thousands, by season and size of the company."""
        shape = SHAPE[month - 1] if month else 1.0
        size = SIZES.get(company, 1.0)
        return round(base * 100_000 * shape * size * self.random.uniform(0.9, 1.1))

    def open(self, company: str, on: date, lines: list[tuple[str, int]]) -> None:
        """What is brought forward; its equity is kept, by the account of the group, for what was paid for
        it."""
        own = {"3000": "31010", "3100": "31110", "31010": "31010", "31110": "31110"}
        equity = self.equity.setdefault(company, {})
        for account, amount in lines:
            if natural(account) in own:
                equity[own[natural(account)]] = amount
        self.journal(company, on, "Brought forward", lines, kind="opening")

    def journal(
        self,
        company: str,
        on: date,
        text: str,
        lines: Sequence[tuple[str, int] | tuple[str, int, str]],
        *,
        kind: str = "general",
        partner: str = "",
        dimensions: str = "",
        source: str = "",
    ) -> None:
        self.numbers[company] = self.numbers.get(company, 0) + 1
        name = f"{company[:2].upper()}-{self.numbers[company]:05d}"
        self.journals.append(Journal(company, name, on, kind, text))
        for number, (account, amount, *named) in enumerate(lines, 1):
            digits = format_amount(abs(amount), self.digits[company])
            facing = named[0] if named else partner if _faces_group(account) else ""
            carried = dimensions if _carries(account) else ""
            self.lines.append(
                JournalLine(
                    company,
                    name,
                    number,
                    "",
                    account,
                    carried,
                    digits if amount > 0 else "",
                    digits if amount < 0 else "",
                    facing,
                    text,
                    "invoice" if source else "",
                    source,
                )
            )


def natural(account: str) -> str:
    """The natural account in a string of any of the demo's charts."""
    return account.split("-")[1] if "-" in account else account.split(".")[0].split("/")[-1]


def _faces_group(account: str) -> bool:
    code = natural(account)
    if len(code) == 5:
        return code[:3] in ("118", "218", "418", "518", "128", "228") or code in ("48110", "71180", "64180")
    return code in ("1810", "2810", "180", "280", "5100", "6600")


def _carries(account: str) -> bool:
    return "-4" in account


def shared(life: Life, company: str, year: int, month: int) -> None:
    """One month of a company on the shared chart."""
    code, day = CODES[company], month_end(year, month)
    season = f"{SEASON[month - 1]}{year % 100}"
    for n, (account, place, crop) in enumerate(PRODUCTS[company]):
        amount = round(life.amount(120 - 25 * n, company, month) * DEAR.get(company, 1))
        channel = ("AUC", "WHO", "RET", "WEB")[(n + month) % 4]
        text = f"Sales of {('week ' + str(4 * month - 2 + n))}"
        life.journal(
            company,
            date(year, month, 7 + 5 * n),
            text,
            [(f"{code}-11210", amount), (f"{code}-{account}-{place}-{crop}", -amount)],
            dimensions=f"season={season}; channel={channel}",
            source=f"S{year % 100}{month:02d}{n}",
        )
        life.journal(
            company,
            date(year, month, 9 + 5 * n),
            "Received from customers",
            [(f"{code}-11010", round(amount * 0.93)), (f"{code}-11210", -round(amount * 0.93))],
        )
    _growing_costs(life, company, year, month)
    salaries = life.amount(38, company)
    life.journal(
        company,
        day,
        "Salaries",
        [
            (f"{code}-62110", salaries),
            (f"{code}-62120", salaries // 12),
            (f"{code}-21320", -(salaries // 4)),
            (f"{code}-11010", -(salaries + salaries // 12 - salaries // 4)),
        ],
    )
    wear = life.amount(9, company)
    life.journal(
        company,
        day,
        "Depreciation",
        [
            (f"{code}-65110", wear),
            (f"{code}-65120", wear // 2),
            (f"{code}-12190", -wear),
            (f"{code}-12290", -(wear // 2)),
        ],
        kind="adjusting",
    )


def _growing_costs(life: Life, company: str, year: int, month: int) -> None:
    """Costs of growing, and what suppliers are paid of them."""
    code, site = CODES[company], SITE[company]
    costs = [
        ("51110", 22, ""),
        ("51120", 9, ""),
        ("51210", 26 if month in (1, 2, 3, 11, 12) else 8, site),
        ("51220", 12, site),
        ("51310", 48, site),
        ("51320", 20 * SHAPE[month - 1], site),
        ("51430", 5, ""),
        ("63110", 14 * SHAPE[month - 1], ""),
        ("61110", 11, site),
        ("61130", 4, site),
        ("63120", 6, ""),
    ]
    lines = [(f"{code}-{account}-{place}", life.amount(base, company)) for account, base, place in costs]
    total = sum(amount for _, amount in lines)
    life.journal(
        company,
        date(year, month, 24),
        f"Growing costs {month:02d}/{year}",
        [*lines, (f"{code}-21110", -total)],
    )
    life.journal(
        company,
        date(year, month, 26),
        "Suppliers paid",
        [(f"{code}-21110", round(total * 0.96)), (f"{code}-11010", -round(total * 0.96))],
    )


def within_group(life: Life, year: int, month: int) -> None:
    """Sales and fees between companies of one currency, each side booked by its own accountant."""
    when = date(year, month, 18)
    fee = 1_250_000 + 50_000 * (year - 2025)
    for company, account, due in (("nurseries", "20-64180", "20-21810"), ("hexley", "6600", "2810")):
        suffix = "15" if company == "nurseries" else "50"
        life.journal(
            "fernhollow",
            when,
            f"Management fee {month:02d}/{year}",
            [(f"10-118{suffix}", fee), ("10-41820-100", -fee)],
            partner=company,
        )
        life.journal(
            company,
            when,
            f"Management fee {month:02d}/{year}",
            [(account, fee), (due, -fee)],
            partner="fernhollow",
        )
    _plants(life, year, month)
    _interest(life, year, month)
    _seed(life, year, month)


def _plants(life: Life, year: int, month: int) -> None:
    """Hexley books a delivery of September 2026 short: the sides disagree."""
    plants = life.amount(34, "nurseries", month)
    life.journal(
        "nurseries",
        date(year, month, 12),
        "Plants to Hexley",
        [("20-11850", plants), ("20-41810-110-20", -plants)],
        partner="hexley",
        source=f"N{year % 100}{month:02d}",
    )
    booked = plants - 225_000 if (year, month) == (2026, 9) else plants
    life.journal(
        "hexley",
        date(year, month, 14),
        "Plants from Nurseries",
        [("5100.01", booked), ("2810", -booked)],
        partner="nurseries",
        source=f"N{year % 100}{month:02d}",
    )
    paid = round(plants * 0.8)
    life.journal(
        "hexley",
        date(year, month, 27),
        "Nurseries paid",
        [("2810", paid), ("1010", -paid)],
        partner="nurseries",
    )
    life.journal(
        "nurseries",
        date(year, month, 27),
        "Hexley paid",
        [("20-11010", paid), ("20-11850", -paid)],
        partner="hexley",
    )


def _interest(life: Life, year: int, month: int) -> None:
    interest = 416_667
    life.journal(
        "fernhollow",
        month_end(year, month),
        "Interest on the glasshouse loan",
        [("10-11815", interest), ("10-48110-100", -interest)],
        partner="nurseries",
    )
    life.journal(
        "nurseries",
        month_end(year, month),
        "Interest on the glasshouse loan",
        [("20-71180-100", interest), ("20-21810", -interest)],
        partner="fernhollow",
    )


def _seed(life: Life, year: int, month: int) -> None:
    seed = life.amount(11, "trials", month)
    life.journal(
        "skovlund",
        date(year, month, 12),
        "Seed to Trials",
        [("40-11830", seed), ("40-41830-310-30", -seed)],
        partner="trials",
    )
    life.journal(
        "trials",
        date(year, month, 13),
        "Seed from Skovlund",
        [("41-51830-330-30", seed), ("41-21825", -seed)],
        partner="skovlund",
    )


def hexley(life: Life, year: int, month: int) -> None:
    """One month of the garden centres, on their own chart."""
    for n, (shop, size) in enumerate((("01", 1.0), ("02", 0.7), ("03", 0.4))):
        plants, goods = life.amount(64 * size, "", month), life.amount(30 * size, "", month)
        life.journal(
            "hexley",
            date(year, month, 20 + n),
            f"Takings of shop {shop}",
            [("1010", plants + goods), (f"4000.{shop}", -plants), (f"4010.{shop}", -goods)],
        )
        wages, rent, heat = life.amount(17 * size, ""), life.amount(8 * size, ""), life.amount(3 * size, "")
        life.journal(
            "hexley",
            date(year, month, 25),
            f"Running shop {shop}",
            [
                (f"6000.{shop}", wages),
                (f"6100.{shop}", rent),
                (f"6200.{shop}", heat),
                ("1010", -(wages + rent + heat)),
            ],
        )
    bought = life.amount(24, "", month)
    life.journal(
        "hexley", date(year, month, 10), "Garden goods bought", [("5010", bought), ("2000", -bought)]
    )
    life.journal(
        "hexley",
        date(year, month, 28),
        "Creditors paid",
        [("2000", round(bought * 0.9)), ("1010", -round(bought * 0.9))],
    )
    if (year, month) == (2026, 6):
        life.journal(
            "hexley",
            date(2026, 6, 11),
            "Rebate of the compost supplier",
            [("1455", 93_000), ("5010", -93_000)],
        )
    if (year, month) == (2026, 8):
        life.journal(
            "hexley",
            date(2026, 8, 6),
            "Drone survey of the car park",
            [("6700.02", 15_000), ("1010", -15_000)],
        )


def corran(life: Life, year: int, month: int) -> None:
    stems = life.amount(2_600, "", 4)
    life.journal(
        "corran",
        date(year, month, 15),
        "Stems sold at auction",
        [("01/1200", stems), ("01/4000", -round(stems * 0.7)), ("02/4010", -(stems - round(stems * 0.7)))],
    )
    life.journal(
        "corran",
        date(year, month, 22),
        "Auction paid",
        [("/1000", round(stems * 0.95)), ("01/1200", -round(stems * 0.95))],
    )
    costs = life.amount(1_500, "")
    life.journal(
        "corran",
        date(year, month, 26),
        "Farm costs",
        [("01/5000", costs), ("01/5100", costs // 3), ("/1000", -(costs + costs // 3))],
    )
    if month == 7 and year == 2026:
        life.journal(
            "corran", date(2026, 7, 4), "Export rebate", [("/1455", 1_288_000), ("70/4100", -1_288_000)]
        )
