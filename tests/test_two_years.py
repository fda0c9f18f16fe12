"""Two fiscal years in a currency of three digits, a company whose books are kept elsewhere, a group within a
group:
random packages against a naive computation in decimals that does not use the core."""

from __future__ import annotations

import io
import json
from collections import defaultdict
from decimal import Decimal
from random import Random
from tempfile import TemporaryDirectory
from typing import Any

import openpyxl

from tests.base import PineTest, bring, run

ACCOUNTS = {
    "100": "asset",
    "110": "asset",
    "180": "asset",
    "200": "liability",
    "280": "liability",
    "300": "equity",
    "400": "revenue",
    "410": "revenue",
    "500": "expense",
    "510": "expense",
}
OWN = {
    "A1": "asset",
    "A2": "asset",
    "L1": "liability",
    "E1": "equity",
    "R1": "revenue",
    "X1": "expense",
    "X2": "expense",
}
INTO = {"A1": "100", "A2": "110", "L1": "280", "E1": "300", "R1": "410", "X1": "500"}
YEARS, PERIODS, CLOSING = (2025, 2026), (1, 2, 3, 4), 5
ENDS = {1: "03-31", 2: "06-30", 3: "09-30", 4: "12-31", CLOSING: "12-31"}
STARTS = {1: "01-01", 2: "04-01", 3: "07-01", 4: "10-01", CLOSING: "12-31"}
Entry = tuple[str, str, str, int, int, bool, Decimal]
"""company, account, partner, year, period, closing journal, raw"""
RESULT = ("revenue", "expense")


def table(header: str, *rows: str) -> str:
    return "\n".join([header, *rows]) + "\n"


DEFINITIONS = {
    "code_lists": table(
        "code_list,name,min_length,max_length,characters",
        "acc,Accounts,3,3,digits",
        "own,Own,2,2,alphanumeric",
    ),
    "codes": table(
        "code_list,code,name,account_class",
        *(f"acc,{c},Account {c},{k}" for c, k in ACCOUNTS.items()),
        *(f"own,{c},Own {c},{k}" for c, k in OWN.items()),
    ),
    "structures": table("structure,name,separator", "s,S,|", "o,O,."),
    "structure_segments": table(
        "structure,position,segment,name,code_list,role",
        "s,1,account,Account,acc,natural_account",
        "o,1,nominal,Nominal,own,natural_account",
    ),
    "charts": table("chart,name,structure", "c,Group,s", "o,Own,o"),
    "calendars": table("calendar,name", "q,Quarters"),
    "periods": table(
        "calendar,fiscal_year,period,name,starts_on,ends_on,kind",
        *(
            f"q,{y},{p},{y} {p},{y}-{STARTS[p]},{y}-{ENDS[p]},{'closing' if p == CLOSING else 'regular'}"
            for y in YEARS
            for p in ENDS
        ),
    ),
    "companies": table(
        "company,name,country,currency,chart,calendar",
        "top,Top,KW,KWD,c,q",
        "mid,Mid,KW,KWD,c,q",
        "far,Far,KW,KWD,o,q",
    ),
    "groups": table("group,name,currency,chart", "g,All,KWD,c", "sub,Sub,KWD,c"),
    "group_members": table(
        "group,member,member_kind", "g,top,company", "g,sub,group", "sub,mid,company", "sub,far,company"
    ),
    "mappings": table(
        "group,company,position,accounts,target",
        *(f"g,far,{i * 10},{a},{b}" for i, (a, b) in enumerate(INTO.items(), 1)),
        "sub,far,10,all,100",
    ),
    "eliminations": table(
        "group,elimination,position,accounts,difference_account",
        'g,due,10,"180, 280",200',
        'g,trade,20,"410, 510",500',
    ),
    "statements": table(
        "statement,name,chart,kind",
        "bs,Balance sheet,c,balance_sheet",
        "is,Income,c,income_statement",
        "ot,Other,c,other",
    ),
    "statement_lines": table(
        "statement,line,parent,position,label,kind,accounts,formula,sign",
        "bs,assets,,1,Assets,heading,,,",
        'bs,cash,assets,1,Cash,accounts,"100, 110",,',
        "bs,due,assets,2,Due,accounts,180,,",
        "bs,side,,2,Other side,heading,,,",
        "bs,owed,side,1,Owed,accounts,2*,,",
        "bs,capital,side,2,Capital,accounts,300,,",
        "bs,profit,side,3,Profit,result,,,",
        "is,net,,1,Net,heading,,,",
        "is,sales,net,1,Sales,accounts,4*,,",
        "is,costs,net,2,Costs,accounts,500 to 599,,",
        "is,words,,2,Of which,text,,,",
        "is,share,,3,Share,formula,,[costs] / [sales],",
        'ot,mix,,1,Mix,accounts,"100, 280",,debit',
        "ot,gap,,2,,gap,,,",
        "ot,turned,,3,Turned,accounts,500,,credit",
        "ot,twice,,4,Twice,formula,,2 * ([mix] - [turned]),",
    ),
}
CLASS = {**ACCOUNTS, **OWN}


class World:
    """A random package and what a bookkeeper says it holds."""

    def __init__(self, seed: int) -> None:
        self.random = Random(seed)
        self.entries: list[Entry] = []
        self.heads: list[Any] = []
        self.lines: list[Any] = []
        self.balances: list[Any] = []
        for number in range(90):
            self.journal(f"J{number}")
        for year in YEARS:
            for period in (0, *PERIODS) if year == YEARS[0] else PERIODS:
                self.kept_elsewhere(year, period)

    def amount(self) -> Decimal:
        return Decimal(self.random.randint(1, 99_999_999)) / 1000

    def journal(self, name: str) -> None:
        company, year = self.random.choice(["top", "mid"]), self.random.choice(YEARS)
        kind = self.random.choice(["general", "general", "adjusting", "closing"])
        regular = self.random.choice(PERIODS)
        last = self.random.random() < 0.5
        day = f"{year}-{(ENDS if last else STARTS)[regular]}"
        period = CLOSING if kind == "closing" and day.endswith(ENDS[CLOSING]) else regular
        self.heads.append(f"{company},{name},{day},{kind}")
        total = Decimal(0)
        count = self.random.randint(2, 6)
        for line in range(1, count + 1):
            raw = -total if line == count else self.amount() * self.random.choice([1, -1])
            raw = raw or Decimal("0.001")
            account = self.random.choice(list(ACCOUNTS))
            partner = self.random.choice(["", "", "top", "mid", "far"])
            if line == count and raw != -total:
                raw = -total
            if not raw:
                continue
            total += raw
            side = f"{raw}," if raw > 0 else f",{-raw}"
            self.lines.append(f"{company},{name},{line},{account},{side},{partner}")
            self.entries.append((company, account, partner, year, period, kind == "closing", raw))

    def kept_elsewhere(self, year: int, period: int) -> None:
        total = Decimal(0)
        names = self.random.sample(list(OWN), 5)
        for i, account in enumerate(names):
            raw = -total if i == 4 else self.amount() * self.random.choice([1, -1])
            partner = self.random.choice(["", "top", "mid"])
            total += raw
            self.balances.append(f"far,{year},{period},{account},{partner},{raw}")
            self.entries.append(("far", account, partner, year, period, False, raw))

    def content(self) -> dict[str, str]:
        return {
            **DEFINITIONS,
            "journals": table("company,journal,date,kind", *self.heads),
            "journal_lines": table("company,journal,line,account,debit,credit,partner", *self.lines),
            "balances": table("company,fiscal_year,period,account,partner,amount", *self.balances),
        }


def upto(entry: Entry, year: int, period: int) -> bool:
    return (entry[3], entry[4]) <= (year, period)


def within(entry: Entry, year: int, first: int, period: int) -> bool:
    return entry[3] == year and first <= entry[4] <= period


class TwoYears(PineTest):
    def ask(self, *words: str) -> list[dict[str, Any]]:
        status, out, told = run(*words, "--format", "json")
        self.assertEqual(status, 0, told)
        rows: list[dict[str, Any]] = json.loads(out)
        return rows

    def when(self, year: int, period: int, first: int) -> tuple[str, ...]:
        return ("--year", str(year), "--period", str(period), "--from-period", str(first))

    def test_random_packages_to_the_last_digit(self) -> None:
        made = World(7)
        bring(made.content())
        self.entries = made.entries
        for year, period, first in [
            (2025, 1, 1),
            (2025, 4, 2),
            (2025, CLOSING, 1),
            (2026, 2, 1),
            (2026, 3, 3),
            (2026, CLOSING, 4),
        ]:
            with self.subTest(year=year, period=period, first=first):
                for company in ("top", "mid", "far"):
                    self.trial(company, year, period, first)
                for company in ("top", "mid"):
                    own = [e for e in self.entries if e[0] == company]
                    self.statements(("--company", company), own, year, period, first, {})
                moved, taken = self.consolidated(year, period, first)
                self.statements(("--group", "g"), moved, year, period, first, taken)

    def trial(self, company: str, year: int, period: int, first: int) -> None:
        sums: dict[str, list[Decimal]] = {}
        for entry in self.entries:
            if entry[0] == company and upto(entry, year, period):
                row = sums.setdefault(entry[1], [Decimal(0)] * 3)
                if within(entry, year, first, period) and entry[4] != 0:
                    row[1 if entry[6] > 0 else 2] += abs(entry[6])
                else:
                    row[0] += entry[6]
        expected = {code: [f"{v:.3f}" for v in (o, d, c, o + d - c)] for code, (o, d, c) in sums.items()}
        found = {
            r["account"]: [r["opening"], r["debit"], r["credit"], r["closing"]]
            for r in self.ask("trial-balance", "--company", company, *self.when(year, period, first))
        }
        self.assertEqual(found, expected)

    def consolidated(
        self, year: int, period: int, first: int
    ) -> tuple[list[Entry], dict[str, dict[str, Decimal]]]:
        """The group's entries after mapping and without what is eliminated; differences by stretch (upto,
        window) and account."""
        left: list[Entry] = []
        taken: dict[str, dict[str, Decimal]] = {"upto": defaultdict(Decimal), "window": defaultdict(Decimal)}
        for entry in self.entries:
            company, account, partner, y, p, shut, raw = entry
            target = INTO.get(account, "") if company == "far" else account
            difference = "200" if target in ("180", "280") else "500" if target in ("410", "510") else ""
            if partner and difference:
                if upto(entry, year, period):
                    taken["upto"][difference] += raw
                if within(entry, year, first, period) and not shut:
                    taken["window"][difference] += raw
            else:
                left.append((company, target or account, partner, y, p, shut, raw))
        return left, taken

    def statements(
        self,
        whose: tuple[str, str],
        entries: list[Entry],
        year: int,
        period: int,
        first: int,
        taken: dict[str, dict[str, Decimal]],
    ) -> None:
        def counts(e: Entry, kind: str) -> bool:
            """`moved` is by how much what stands differs: closing journals too."""
            if kind == "upto":
                return upto(e, year, period)
            return within(e, year, first, period) and (kind == "moved" or not e[5])

        def total(kind: str, *accounts: str) -> Decimal:
            chosen = (e for e in entries if counts(e, kind))
            own = sum((e[6] for e in chosen if e[1] in accounts), Decimal(0))
            return own + sum(
                (taken.get(kind, {}).get(account, Decimal(0)) for account in accounts), Decimal(0)
            )

        revenue = [c for c, k in CLASS.items() if k in RESULT]
        profit = -total("upto", *revenue)
        cash, due = total("upto", "100", "110"), total("upto", "180")
        owed, capital = -total("upto", "200", "280"), -total("upto", "300")
        stray = total("upto", *(c for c in OWN if CLASS[c] not in RESULT and c not in INTO))
        self.same(
            "bs",
            whose,
            year,
            period,
            first,
            {
                "assets": cash + due,
                "cash": cash,
                "due": due,
                "side": owed + capital + profit,
                "owed": owed,
                "capital": capital,
                "profit": profit,
            },
            stray,
        )
        sales, costs = -total("window", "400", "410"), total("window", "500", "510")
        missed = total("window", *(c for c in OWN if CLASS[c] in RESULT and c not in INTO))
        self.same(
            "is",
            whose,
            year,
            period,
            first,
            {
                "net": sales - costs,
                "sales": sales,
                "costs": costs,
                "words": None,
                "share": rounded(costs, sales),
            },
            missed,
        )
        kind = "moved" if whose[0] == "--group" else "window"
        mix, turned = total(kind, "100", "280"), -total("window", "500")
        self.same(
            "ot",
            whose,
            year,
            period,
            first,
            {"mix": mix, "gap": None, "turned": turned, "twice": 2 * (mix - turned)},
            Decimal(0),
        )

    def same(
        self,
        statement: str,
        whose: tuple[str, str],
        year: int,
        period: int,
        first: int,
        wanted: dict[str, Decimal | None],
        stray: Decimal,
    ) -> None:
        words = ("statement", statement, *whose, *self.when(year, period, first))
        found = {row["line"]: row["amount"] for row in self.ask(*words)}
        expected = {
            line: "" if value is None else f"{value:.3f}".replace("-0.000", "0.000")
            for line, value in wanted.items()
        }
        if stray:
            expected["unplaced"] = f"{stray:.3f}"
        self.assertEqual(found, expected, words)

    def test_what_goes_out_comes_in_and_says_the_same(self) -> None:
        made = World(11)
        bring(made.content())
        words = ("statement", "bs", "--group", "g", "--year", "2026", "--period", "3")
        before = run(*words)
        with TemporaryDirectory() as folder:
            self.assertEqual(run("export", f"{folder}/p.zip")[0], 0)
            status, _, told = run("import", f"{folder}/p.zip")
            self.assertEqual((status, told.strip().split("\n")[-1]), (0, "Imported: nothing new."))
            self.assertEqual(run(*words), before)
            self.assertEqual(run(*words, "--format", "xlsx", "--output", f"{folder}/bs.xlsx")[0], 0)
            page = openpyxl.load_workbook(io.BytesIO(open(f"{folder}/bs.xlsx", "rb").read())).active
        rows = [[cell.value for cell in row] for row in page.iter_rows()]
        self.assertEqual(rows[0], ["line", "label", "depth", "amount"])
        told_amounts = [row.rsplit(",", 1)[1] for row in before[1].strip().split("\n")[1:]]
        self.assertEqual([f"{Decimal(str(row[3])):.3f}" for row in rows[1:]], told_amounts)
        self.assertEqual(page["D2"].number_format, "#,##0.000")


def rounded(a: Decimal, b: Decimal) -> Decimal | None:
    """To three digits, halves away from zero; nothing where it would divide by nothing."""
    if not b:
        return None
    from fractions import Fraction

    value = abs(Fraction(a) / Fraction(b)) * 1000
    whole = int(value + Fraction(1, 2))
    return Decimal(whole if (a >= 0) == (b >= 0) else -whole) / 1000
