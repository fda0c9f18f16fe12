"""Columns, filters and stretches of time against a naive computation in decimals, written without the
core."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import date, timedelta
from decimal import ROUND_HALF_UP, Decimal
from random import Random
from typing import Any, NamedTuple

from core.definitions.tables import (
    Budget,
    ChartDimension,
    Code,
    CodeList,
    Dimension,
    Hierarchy,
    HierarchyNode,
    NonCashPair,
    Period,
    Statement,
    StatementLine,
)
from core.tests.builders import ACCOUNTS, definitions
from core.tests.test_figures import BALANCE
from tests.base import tables_of

CLASSES = {code: kind for code, _, kind in ACCOUNTS}
ZERO = Decimal(0)
SITES, SEASONS, CHANNELS = ("", "001", "002"), ("", "SP26", "AU26"), ("", "W", "R")
PREFIX = {"alpha": "10", "beta": "20"}
LATER = [
    *(
        Period("m", 2027, n, f"{n}/27", date(2027, n, 1), date(2027, n + 1, 1) - timedelta(1))
        for n in range(5, 12)
    ),
    Period("m", 2027, 1, "Opening 27", date(2026, 5, 1), date(2026, 5, 1), "opening"),
    Period("m", 2027, 13, "Closing 27", date(2027, 11, 30), date(2027, 11, 30), "closing"),
]
GAP = [Period("m", 2027, 4, "4/27", date(2026, 5, 1), date(2027, 4, 30))]
"""Regular periods leave no gap between the two years."""
ROWS: list[Any] = [
    *LATER,
    *GAP,
    CodeList("channel", "Channel", 1, 1, "letters"),
    Code("channel", "W", "Web"),
    Code("channel", "R", "Retail"),
    Code("site", "9", "All sites", True, False),
    Dimension("channel", "Channel", "channel"),
    ChartDimension("c", "channel"),
    Hierarchy("sites", "site", "Sites", True),
    HierarchyNode("sites", "9"),
    HierarchyNode("sites", "002", "9"),
    Budget("plan", "Plan", "c"),
    Statement("inc", "Income", "c", "income_statement"),
    StatementLine("inc", "net", "", 1, "Net", "heading"),
    StatementLine("inc", "sales", "net", 1, "Sales", "accounts", "4010"),
    StatementLine("inc", "costs", "net", 2, "Costs", "accounts", "5*"),
    StatementLine("inc", "share", "", 2, "Share", "formula", "", "[costs] / [sales] * 100"),
    StatementLine("inc", "ever", "", 3, "Ever", "result"),
    Statement("flow", "Flow", "c", "cash_flow"),
    StatementLine("flow", "cash", "", 1, "Cash", "accounts", "under 10"),
    StatementLine("flow", "note", "", 2, "Note", "text"),
    Statement("paid", "Paid", "c", "direct_cash_flow"),
    StatementLine("paid", "in", "", 1, "Received", "accounts", "4*, 1110", "", "credit"),
    StatementLine("paid", "out", "", 2, "Paid", "accounts", "5*, 2010", "", "debit"),
    StatementLine("paid", "else", "", 3, "All else", "accounts", "1810, 2810, 3010, 1020", "", "credit"),
    StatementLine("paid", "bank", "", 4, "Bank", "accounts", "1010", "", "debit"),
    *(
        row
        for name in ("whole", "moved")
        for row in (
            Statement(name, name, "c", "cash_flow"),
            StatementLine(name, "work", "", 1, "Work", "accounts", "4*, 5*, 1110, 2010", "", "credit"),
            StatementLine(name, "else", "", 2, "Else", "accounts", "1810, 2810, 3010, 1020", "", "credit"),
            StatementLine(name, "bank", "", 3, "Bank", "accounts", "1010", "", "debit"),
        )
    ),
    NonCashPair("moved", "owed", "Owed for capital", "1110, 3010", "2010, 1810, 2810"),
    Statement("part", "Parts", "c"),
    StatementLine("part", "web", "", 1, "Web", "accounts", "4010, 5010", "", "debit", "channel", "W"),
    StatementLine("part", "loose", "", 2, "Without a site", "accounts", "4010", "", "debit", "site"),
    StatementLine("part", "rest", "", 3, "All else", "accounts", "4010, 5*", "", "debit"),
]
SWAPPED = ("1110", "3010"), ("2010", "1810", "2810")
"""The sides of the pair: journals that touch both and nothing else are left out of the flow `moved`."""
RESULT: tuple[str, ...] = tuple(code for code, kind in CLASSES.items() if kind in ("revenue", "expense"))


class Line(NamedTuple):
    """What a bookkeeper would say of one amount. `shut`: of a closing journal or period."""

    natural: str
    site: str
    season: str
    channel: str
    day: date
    year: int
    period: int
    shut: bool
    raw: Decimal
    journal: str = ""

    def field(self, name: str) -> str:
        return {"account": self.natural, "site": self.site}.get(name) or str(getattr(self, name, ""))


def is_web(line: Line) -> bool:
    return line.channel == "W"


SHOWN: dict[str, list[tuple[str, int, Any]]] = {
    "inc": [
        ("net", 0, lambda of: -of("4010", "5010", "5020")),
        ("sales", 1, lambda of: -of("4010")),
        ("costs", 1, lambda of: of("5010", "5020")),
        ("share", 0, "share"),
        ("ever", 0, "ever"),
    ],
    "part": [
        ("web", 0, lambda of: of("4010", "5010", when=is_web)),
        ("loose", 0, lambda of: of("4010", when=lambda x: not is_web(x) and not x.site)),
        (
            "rest",
            0,
            lambda of: (
                of("4010", when=lambda x: not is_web(x) and x.site)
                + of("5010", when=lambda x: not is_web(x))
                + of("5020")
            ),
        ),
    ],
    "flow": [("cash", 0, lambda of: of("1010", "1020")), ("note", 0, None)],
    "st": [
        ("assets", 0, lambda of: of("1010", "1020", "1110", "1810")),
        ("cash", 1, lambda of: of("1010", "1020")),
        ("debtors", 1, lambda of: of("1110", "1810")),
        ("owing", 0, lambda of: -of("2010", "2810", "3010", *RESULT)),
        ("capital", 1, lambda of: -of("3010")),
        ("creditors", 1, lambda of: -of("2010", "2810")),
        ("result", 1, "ever"),
    ],
}
ON_LINES = {
    "inc": {"4010", "5010", "5020"},
    "flow": {"1010", "1020"},
    "part": {"4010", "5010", "5020"},
    "st": set(CLASSES) - set(RESULT),
}
TREE = [("1", 0), ("10", 1), ("1010", 2), ("1020", 2), ("11", 1), ("1110", 2)]
BELOW = {"1": ("1010", "1020", "1110"), "10": ("1010", "1020"), "11": ("1110",)}
Test = Callable[[Line], bool]


def period_of(on: date, kind: str) -> tuple[int, int]:
    if kind == "closing" and on in (date(2026, 4, 30), date(2027, 11, 30)):
        return on.year, 13
    if kind == "opening" and on == date(2026, 5, 1):
        return 2027, 1
    if on >= date(2027, 5, 1):
        return 2027, on.month
    return (2026, on.month) if on < date(2026, 5, 1) else (2027, 4)


class Books:
    """A random package: alpha with journals, beta with balances in the first year; and what they hold."""

    def __init__(self, seed: int) -> None:
        self.random = Random(seed)
        self.journals, self.lines = (
            ["company,journal,date,kind"],
            ["company,journal,line,account,dimensions,debit,credit"],
        )
        self.balances = ["company,fiscal_year,period,account,dimensions,amount"]
        self.budget_lines = ["budget,company,fiscal_year,period,account,dimensions,amount"]
        self.of: dict[str, list[Line]] = {"alpha": [], "beta": []}
        self.planned: list[Line] = []
        for number in range(70):
            company = self.random.choice(("alpha", "alpha", "beta"))
            self.journal(
                company, f"J{number}", self.some_day(date(2027, 4, 1) if company == "beta" else None)
            )
        for number in range(16):
            company, earliest = ("alpha", None) if number % 3 else ("beta", date(2027, 4, 1))
            self.journal(company, f"S{number}", self.some_day(earliest), (*SWAPPED[0], *SWAPPED[1]))
        for period in (0, 2, 3, 13):
            self.balance(period)
        for _ in range(25):
            year, period = self.random.choice(((2026, 1), (2026, 3), (2026, 13), (2027, 5), (2027, 9)))
            place, line = self.placed("alpha", date(2026, 1, 1), (year, period), period == 13, self.amount())
            text = f"plan,alpha,{year},{period},{place}"
            if not any(row.startswith(text) for row in self.budget_lines):
                self.budget_lines.append(f"{text},{line.raw:.2f}")
                self.planned.append(line)

    def some_day(self, earliest: date | None) -> date:
        first, last = earliest or date(2026, 1, 1), date(2027, 11, 30)
        edges = [date(2026, 4, 30), date(2027, 11, 30), date(2026, 5, 1), date(2026, 2, 28)]
        some = first + timedelta(self.random.randrange((last - first).days + 1))
        return self.random.choice([some, some, some, *(edge for edge in edges if edge >= first)])

    def amount(self) -> Decimal:
        return Decimal(self.random.randint(-99_999, 99_999)) / 100 or Decimal("0.01")

    def placed(
        self,
        company: str,
        on: date,
        at: tuple[int, int],
        shut: bool,
        raw: Decimal,
        among: Sequence[str] = tuple(CLASSES),
    ) -> tuple[str, Line]:
        natural, site = self.random.choice(among), self.random.choice(SITES)
        season, channel = self.random.choice(SEASONS), self.random.choice(CHANNELS)
        tags = [f"season={season}"] * bool(season) + [f"channel={channel}"] * bool(channel)
        line = Line(natural, site, season, channel, on, *at, shut, raw)
        return f"{PREFIX[company]}-{natural}-{site},{'; '.join(tags)}", line

    def journal(self, company: str, name: str, on: date, among: Sequence[str] = tuple(CLASSES)) -> None:
        kind = self.random.choice(("general", "general", "adjusting", "closing", "opening"))
        self.journals.append(f"{company},{name},{on.isoformat()},{kind}")
        left = ZERO
        for number in range(1, 5):
            raw = self.amount() if number < 4 else -left
            if raw:
                at, shut = period_of(on, kind), kind == "closing"
                place, line = self.placed(company, on, at, shut, raw, among)
                self.lines.append(f"{company},{name},{number},{place},{self.sides(raw)}")
                self.of[company].append(line._replace(journal=f"{company} {name}"))
            left += raw

    def through_bank(self, lines: list[Line]) -> list[Line]:
        """Those of journals that touch account 1010."""
        touch = {x.journal for x in (*self.of["alpha"], *self.of["beta"]) if x.natural == "1010"} - {""}
        return [x for x in lines if x.journal in touch]

    def swapped(self) -> set[str]:
        """Journals between the sides of the pair."""
        touched: dict[str, set[str]] = {}
        for x in (*self.of["alpha"], *self.of["beta"]):
            touched.setdefault(x.journal, set()).add(x.natural)
        one, other = map(set, SWAPPED)
        return {
            name
            for name, codes in touched.items()
            if name and codes <= one | other and codes & one and codes & other
        }

    def without_swaps(self, lines: list[Line]) -> list[Line]:
        swapped = self.swapped()
        return [x for x in lines if x.journal not in swapped]

    @staticmethod
    def sides(raw: Decimal) -> str:
        return f"{raw:.2f}," if raw > 0 else f",{-raw:.2f}"

    def balance(self, period: int) -> None:
        days = {0: date(2025, 12, 31), 2: date(2026, 2, 28), 3: date(2026, 3, 31), 13: date(2026, 4, 30)}
        left, keys = ZERO, set()
        for number in range(9):
            raw = self.amount() if number < 8 else -left
            place, line = self.placed("beta", days[period], (2026, period), period == 13, raw)
            while place in keys:
                place, line = self.placed("beta", days[period], (2026, period), period == 13, raw)
            keys.add(place)
            self.balances.append(f"beta,2026,{period},{place},{raw:.2f}")
            self.of["beta"].append(line)
            left += raw

    def package(self) -> dict[str, str]:
        names = ("journals", "balances", "budget_lines")
        content = {name: "\n".join(getattr(self, name)) + "\n" for name in names}
        world = (*definitions(), *BALANCE, *ROWS)
        cash = [row._replace(cash_flow="cash") if row[:2] == ("acc", "1010") else row for row in world]
        return {**tables_of(cash), **content, "journal_lines": "\n".join(self.lines) + "\n"}


def cents(value: Decimal) -> str:
    return f"{value.quantize(Decimal('0.01'), ROUND_HALF_UP) + 0:.2f}"


class Column(NamedTuple):
    """What one column sums: the lines of its movement, and those that stand at its end."""

    title: str
    moving: list[Line]
    standing: list[Line]


DIRECT: list[tuple[str, int, Any]] = [
    ("in", 0, lambda of: -of("4010", "4020", "1110")),
    ("out", 0, lambda of: of("5010", "5020", "2010")),
    ("else", 0, lambda of: -of("1810", "2810", "3010", "1020")),
    ("bank", 0, lambda of: of("1010")),
]
INDIRECT: list[tuple[str, int, Any]] = [
    ("work", 0, lambda of: -of(*RESULT, "1110", "2010")),
    ("else", 0, lambda of: -of("1810", "2810", "3010", "1020")),
    ("bank", 0, lambda of: of("1010")),
]
LINES = {**SHOWN, "paid": DIRECT, "moved": INDIRECT, "whole": INDIRECT}


def shown(statement: str, column: Column) -> list[Decimal | None]:
    """Figures of one column, line by line, as an accountant would add them up."""
    summed = column.standing if statement == "st" else column.moving
    ever = -sum((line.raw for line in column.standing if line.natural in RESULT), ZERO)

    def of(*codes: str, when: Callable[[Line], Any] = lambda _: True) -> Decimal:
        return sum((line.raw for line in summed if line.natural in codes and when(line)), ZERO)

    values: list[Decimal | None] = []
    for _, _, what in LINES[statement]:
        if what == "ever":
            values.append(ever)
        elif what == "share":
            sales = -of("4010")
            values.append(of("5010", "5020") / sales * 100 if sales else None)
        else:
            values.append(what(of) if what else None)
    return values


def table(statement: str, columns: list[Column]) -> list[str]:
    sides = [shown(statement, column) for column in columns]
    rows = [
        f"{name},{depth},{','.join('' if s[i] is None else cents(s[i] or ZERO) for s in sides)}"
        for i, (name, depth, _) in enumerate(LINES[statement])
    ]
    wanted = {"inc": set(RESULT), "st": set(CLASSES) - set(RESULT)}.get(statement, set[str]())
    missed = wanted - ON_LINES.get(statement, set())
    loose = [
        [
            sum((x.raw for x in (c.standing if statement == "st" else c.moving) if x.natural == code), ZERO)
            for c in columns
        ]
        for code in missed
    ]
    loose = [amounts for amounts in loose if any(amounts)]
    if loose:
        rows.append("unplaced,0," + ",".join(cents(sum(column, ZERO)) for column in zip(*loose, strict=True)))
    return [f"line,depth,{','.join(c.title for c in columns)}", *rows]


def without_label(text: str) -> list[str]:
    return [",".join([row.split(",")[0], *row.split(",")[2:]]) for row in text.splitlines()]


FILTERS: list[tuple[str, Test]] = [
    ("season=SP26,AU26", lambda x: x.season in ("SP26", "AU26")),
    ("season=SP26, none", lambda x: x.season in ("SP26", "")),
    ("season=all except SP26; site=none", lambda x: x.season == "AU26" and not x.site),
    ("site=under 9", lambda x: x.site == "002"),
    ("site=all, none except under 9; channel=W", lambda x: x.site in ("", "001") and x.channel == "W"),
    (
        "account=4*, 5010; channel=none",
        lambda x: (x.natural[0] == "4" or x.natural == "5010") and not x.channel,
    ),
]
NO_FILTER: tuple[str, Test] = ("", lambda _: True)


def in_periods(year: int, begin: int, period: int) -> tuple[Test, Test]:
    """Whether an amount is of a movement, and whether it stands at its end."""

    def stands(x: Line) -> bool:
        return (x.year, x.period) <= (year, period)

    return lambda x: stands(x) and x.year == year and x.period >= begin and not x.shut, stands


def in_days(start: date, end: date) -> tuple[Test, Test]:
    return lambda x: start <= x.day <= end and not x.shut, lambda x: x.day <= end
