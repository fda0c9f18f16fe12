"""Random packages against a naive computation in decimals, written without the core: every figure to the
cent."""

from __future__ import annotations

from collections import defaultdict
from decimal import Decimal
from random import Random

from core.definitions.tables import (
    Chart,
    ChartSegment,
    Code,
    CodeList,
    Company,
    Elimination,
    Group,
    GroupMember,
    IntercompanyPair,
    Mapping,
    Statement,
    StatementLine,
    Structure,
    StructureSegment,
)
from core.tests.builders import ACCOUNTS
from tests.base import PineTest, bring, run, tables

CLASSES = {code: kind for code, _, kind in ACCOUNTS}
OWN = {
    "100": "asset",
    "180": "asset",
    "280": "liability",
    "300": "equity",
    "400": "revenue",
    "500": "expense",
    "900": "expense",
}
PREFIX = {"alpha": "10-", "beta": "20-", "gamma": ""}
ZERO = Decimal(0)
Entry = tuple[
    str, str, str, int, bool, Decimal, str
]  # company, natural, partner, period, closing, raw amount, shop

ROWS = [
    CodeList("own", "Own", 3, 3),
    CodeList("shop", "Shop", 2, 2),
    *(Code("own", c, f"Own {c}", account_class=k) for c, k in OWN.items()),
    Code("shop", "01", "One"),
    Code("shop", "02", "Two"),
    Structure("o", "O", "/"),
    StructureSegment("o", 1, "nominal", "Nominal", "own", "natural_account"),
    StructureSegment("o", 2, "shop", "Shop", "shop"),
    Chart("o", "Own", "o"),
    ChartSegment("o", "shop", False),
    Company("gamma", "Gamma", "GB", "GBP", "o", "m"),
    *(IntercompanyPair("gamma", other, "180", "280") for other in ("alpha", "beta")),
    *(IntercompanyPair(other, "gamma", "1810", "2810") for other in ("alpha", "beta")),
    Group("g", "G", "GBP", "c"),
    *(GroupMember("g", name) for name in PREFIX),
    Mapping("g", "gamma", 10, "100", target="1010"),
    Mapping("g", "gamma", 20, "180", target="1810"),
    Mapping("g", "gamma", 30, "280", target="2810"),
    Mapping("g", "gamma", 40, "300", target="3010"),
    Mapping("g", "gamma", 50, "400", "shop", "02", "4020"),
    Mapping("g", "gamma", 60, "4*", target="4010"),
    Mapping("g", "gamma", 70, "500", target="5010"),
    Elimination("g", "due", 10, "", "1810, 2810", True, "2010"),
    Elimination("g", "trade", 20, "", "4020, 5020", True, "5010"),
    Statement("inc", "Income", "c", "income_statement"),
    StatementLine("inc", "net", "", 1, "Net", "heading"),
    StatementLine("inc", "sales", "net", 1, "Sales", "accounts", "4*"),
    StatementLine("inc", "costs", "net", 2, "Costs", "accounts", "5010"),
    StatementLine("inc", "share", "", 2, "Share", "formula", "", "[costs] / [sales] * 100"),
]
MAPPED = {"100": "1010", "180": "1810", "280": "2810", "300": "3010", "500": "5010"}


class Scenario:
    """A random package, and the entries that a bookkeeper would say it holds."""

    def __init__(self, seed: int) -> None:
        self.random = Random(seed)
        self.heads, self.lines = (
            ["company,journal,date,kind"],
            ["company,journal,line,line_company,account,debit,credit,partner"],
        )
        self.entries: list[Entry] = []
        for number in range(120):
            self.journal(f"J{number}")

    def account(self, company: str) -> tuple[str, str, str]:
        """(string, natural account, shop)"""
        if company == "gamma":
            natural, shop = self.random.choice(list(OWN)), self.random.choice(["", "01", "02"])
            return natural + (f"/{shop}" if shop else ""), natural, shop
        natural = self.random.choice(list(CLASSES))
        return PREFIX[company] + natural + self.random.choice(["", "-", "-1", "-002"]), natural, ""

    def journal(self, name: str) -> None:
        company = self.random.choice(list(PREFIX))
        kind = self.random.choice(["general", "general", "adjusting", "closing", "opening"])
        month, day = self.random.randint(1, 4), self.random.choice([1, 15, 28, 30])
        day = min(day, 28) if month == 2 else day
        period = 13 if kind == "closing" and (month, day) == (4, 30) else month
        self.heads.append(f"{company},{name},2026-{month:02d}-{day:02d},{kind}")
        sums: dict[str, Decimal] = defaultdict(Decimal)
        count = self.random.randint(2, 5)
        for line in range(1, count + 1):
            own = company if self.random.random() < 0.75 else self.random.choice(list(PREFIX))
            raw = (
                -sum(sums.values(), ZERO)
                if line == count
                else Decimal(self.random.randint(-99_999, 99_999)) / 100
            )
            raw = raw or Decimal("0.01") if line < count else raw
            if not raw:
                break
            self.line(name, company, line, own, raw, kind == "closing", period)
            sums[own] += raw
        else:
            self.due(company, sums, kind == "closing", period)
            return
        self.heads.pop()
        self.lines = [text for text in self.lines if f",{name}," not in text]
        self.entries = self.entries[: len(self.entries) - (line - 1)]

    def line(
        self, name: str, company: str, number: int, own: str, raw: Decimal, closing: bool, period: int
    ) -> None:
        text, natural, shop = self.account(own)
        partner = self.random.choice(["", "", *PREFIX])
        side = f"{raw:.2f}," if raw > 0 else f",{-raw:.2f}"
        self.lines.append(
            f"{company},{name},{number},{own if own != company else ''},{text},{side},{partner}"
        )
        self.entries.append((own, natural, partner, period, closing, raw, shop))

    def due(self, company: str, sums: dict[str, Decimal], closing: bool, period: int) -> None:
        for other in sums:
            if other != company and sums[other]:
                for owner, facing, net in ((company, other, sums[other]), (other, company, -sums[other])):
                    natural = (
                        ("180" if net > 0 else "280") if owner == "gamma" else ("1810" if net > 0 else "2810")
                    )
                    self.entries.append((owner, natural, facing, period, closing, net, ""))


def target(company: str, natural: str, shop: str) -> str:
    if company != "gamma":
        return natural
    if natural == "400":
        return "4020" if shop == "02" else "4010"
    return MAPPED.get(natural, "")


Amount = tuple[str, str, str, Decimal, bool]
"""(company, account, partner, raw amount, of a closing journal)"""


def eliminated(
    entries: list[Amount],
) -> tuple[dict[tuple[str, str], Decimal], dict[str, Decimal], list[str]]:
    """By (account, company) after elimination; what each rule posts to its difference account; pairs that
    disagree. Of closing journals on results nothing is taken: they never close the books here."""
    left: dict[tuple[str, str], Decimal] = defaultdict(Decimal)
    posted: dict[str, Decimal] = defaultdict(Decimal)
    apart = []
    for name, picked, difference in (("due", ("1810", "2810"), "2010"), ("trade", ("4020", "5020"), "5010")):
        pairs: dict[tuple[str, str], Decimal] = defaultdict(Decimal)
        rest = []
        for company, account, partner, raw, shut in entries:
            if account in picked and partner and not (shut and name == "trade"):
                posted[difference] += raw
                pairs[(min(company, partner), max(company, partner))] += raw
            else:
                rest.append((company, account, partner, raw, shut))
        entries = rest
        apart += [f"{name},{a},{b},{amount:.2f}" for (a, b), amount in sorted(pairs.items()) if amount]
    for company, account, _, raw, _ in entries:
        left[(account, company)] += raw
    return left, posted, apart


class Scenarios(PineTest):
    def test_random_packages_to_the_cent(self) -> None:
        for seed in (1, 2, 3):
            with self.subTest(seed=seed):
                made = Scenario(seed)
                names = "".join(f"J{seed}") if seed > 1 else "J"
                rename = [
                    text.replace(",J", f",{names}x", 1) if seed > 1 else text for text in made.heads[1:]
                ]
                lines = [text.replace(",J", f",{names}x", 1) if seed > 1 else text for text in made.lines[1:]]
                content = {
                    "journals": "\n".join([made.heads[0], *rename]) + "\n",
                    "journal_lines": "\n".join([made.lines[0], *lines]) + "\n",
                }
                bring({**tables(*ROWS), **content})
                self.entries = getattr(self, "entries", []) + made.entries
                self.assertGreater(len(made.entries), 300)
                for first, last in ((1, 4), (2, 3), (3, 13)):
                    self.company_trial_balance(first, last)
                    self.group(first, last)

    def when(self, first: int, last: int) -> tuple[str, ...]:
        return ("--year", "2026", "--period", str(last), "--from-period", str(first))

    def company_trial_balance(self, first: int, last: int) -> None:
        for company in PREFIX:
            sums: dict[str, list[Decimal]] = {}
            for own, natural, _, period, _, raw, _ in self.entries:
                if own == company and period <= last:
                    row = sums.setdefault(natural, [ZERO, ZERO, ZERO])
                    if period < first:
                        row[0] += raw
                    else:
                        row[1 if raw > 0 else 2] += abs(raw)
            expected = [
                f"{code},{o:.2f},{d:.2f},{c:.2f},{o + d - c:.2f}" for code, (o, d, c) in sorted(sums.items())
            ]
            out = run("trial-balance", "--company", company, *self.when(first, last))[1].splitlines()[1:]
            self.assertEqual([",".join([row.split(",")[0], *row.split(",")[2:]]) for row in out], expected)

    def mapped(self, first: int, last: int, closing: bool = True) -> list[Amount]:
        return [
            (own, target(own, natural, shop), partner, raw, shut)
            for own, natural, partner, period, shut, raw, shop in self.entries
            if first <= period <= last and (closing or not shut)
        ]

    def group(self, first: int, last: int) -> None:
        before, posted_before, _ = eliminated(self.mapped(0, first - 1))
        moved, posted, _ = eliminated(self.mapped(first, last))
        _, _, apart = eliminated(self.mapped(0, last))
        sums: dict[str, list[Decimal]] = defaultdict(lambda: [ZERO, ZERO, ZERO])
        for (account, _), raw in before.items():
            sums[account][0] += raw
        for (account, _), raw in moved.items():
            sums[account][1 if raw > 0 else 2] += abs(raw)
        for account, raw in posted_before.items():
            sums[account][0] += raw
        for account, raw in self.by_rule(posted):
            sums[account][1 if raw > 0 else 2] += abs(raw)
        stray = self.strays(first, last)
        expected = {
            code: f"{o:.2f},{d:.2f},{c:.2f},{o + d - c:.2f}" for code, (o, d, c) in sums.items() if code
        }
        out = run("trial-balance", "--group", "g", *self.when(first, last))[1].splitlines()[1:]
        found = {row.split(",")[0]: ",".join(row.split(",")[2:]) for row in out}
        self.assertEqual(found.pop("unplaced", None), stray)
        self.assertEqual(
            {code: text for code, text in found.items() if code in expected or text != "0.00,0.00,0.00,0.00"},
            expected,
        )
        self.assertEqual(
            run("disagreements", "--group", "g", "--year", "2026", "--period", str(last))[1].splitlines()[1:],
            apart,
        )
        self.income(first, last)

    @staticmethod
    def by_rule(posted: dict[str, Decimal]) -> list[tuple[str, Decimal]]:
        return list(posted.items())

    def strays(self, first: int, last: int) -> str | None:
        rows = [
            (period, raw)
            for own, natural, _, period, _, raw, _ in self.entries
            if own == "gamma" and natural == "900" and period <= last
        ]
        if not rows:
            return None
        opening = sum((raw for period, raw in rows if period < first), ZERO)
        net = sum((raw for period, raw in rows if period >= first), ZERO)
        return f"{opening:.2f},{max(net, ZERO):.2f},{max(-net, ZERO):.2f},{opening + net:.2f}"

    def income(self, first: int, last: int) -> None:
        left, posted, _ = eliminated(self.mapped(first, last, closing=False))
        sums: dict[str, Decimal] = defaultdict(Decimal)
        for (account, _), raw in left.items():
            sums[account] += raw
        for account, raw in posted.items():
            sums[account] += raw
        sales = -(sums["4010"] + sums["4020"])
        costs, missed = sums["5010"], sums["5020"] + sums[""]
        out = dict(
            row.rsplit(",", 1)
            for row in run("statement", "inc", "--group", "g", *self.when(first, last))[1].splitlines()[1:]
        )
        self.assertEqual(out["sales,Sales,1"], f"{sales:.2f}")
        self.assertEqual(out["costs,Costs,1"], f"{costs:.2f}")
        self.assertEqual(out["net,Net,0"], f"{sales - costs:.2f}")
        self.assertEqual(out.get("unplaced,,0", "0.00"), f"{missed:.2f}")
        share = ""
        if sales:
            percent = (abs(costs / sales) * 100 + Decimal("1e-20")).quantize(Decimal("0.01"), "ROUND_HALF_UP")
            share = f"{percent.copy_sign(costs / sales):.2f}"
        self.assertEqual(out["share,Share,0"].replace("-0.00", "0.00"), share.replace("-0.00", "0.00"))
