"""Columns, filters and stretches of time against a naive computation in decimals, written without the
core."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date
from decimal import Decimal
from typing import Any

from tests.base import PineTest, bring, run
from tests.naive_books import (
    BELOW,
    CLASSES,
    FILTERS,
    NO_FILTER,
    RESULT,
    SHOWN,
    TREE,
    ZERO,
    Books,
    Column,
    Line,
    Test,
    cents,
    in_days,
    in_periods,
    shown,
    table,
    without_label,
)


class Analysis(PineTest):
    def setUp(self) -> None:
        super().setUp()
        self.books = Books(7)
        bring(self.books.package())

    def ask(self, *words: str) -> tuple[list[str], str]:
        status, out, told = run(*words)
        self.assertEqual(status, 0, told)
        return without_label(out), told

    def lines(self, company: str, test: Test) -> list[Line]:
        return [line for line in self.books.of[company] if test(line)]

    def stretches(self) -> Iterator[tuple[tuple[str, ...], Test, Test, str]]:
        """(words, moves, stands, company)"""
        for company in ("alpha", "beta"):
            for year, period, first in (
                (2026, 3, None),
                (2026, 13, 2),
                (2027, 9, None),
                (2027, 13, 4),
                (2027, 1, None),
            ):
                words: tuple[str, ...] = (f"--company={company}", f"--year={year}", f"--period={period}")
                words += (f"--from-period={first}",) if first else ()
                begin = first or (min(period, 4) if year == 2027 else 1)
                yield (words, *in_periods(year, begin, period), company)
        for company, start, end_day in (
            ("alpha", date(2026, 2, 9), date(2026, 4, 30)),
            ("alpha", date(2026, 3, 1), date(2027, 8, 17)),
            ("alpha", date(2026, 2, 28), date(2026, 2, 28)),
            ("beta", date(2026, 3, 1), date(2026, 4, 30)),
            ("beta", date(2026, 1, 1), date(2027, 10, 3)),
        ):
            words = (f"--company={company}", f"--from={start}", f"--to={end_day}")
            yield (words, *in_days(start, end_day), company)

    def test_filters_and_columns_by_codes(self) -> None:
        for words, moves, stands, company in self.stretches():
            for text, fits in (NO_FILTER, *FILTERS):
                lines = self.lines(company, fits)
                moving, standing = [x for x in lines if moves(x)], [x for x in lines if stands(x)]
                given = (*words, f"--filter={text}") if text else words
                for statement in SHOWN:
                    with self.subTest(statement=statement, words=given):
                        alone = table(statement, [Column("amount", moving, standing)])
                        self.assertEqual(self.ask("statement", statement, *given)[0], alone)
                        for by in ("season", "site,channel"):
                            out, _ = self.ask("statement", statement, *given, f"--by={by}")
                            self.assertEqual(out, table(statement, self.by(by, statement, moving, standing)))

    def test_columns_by_what_stands_above_codes(self) -> None:
        """Site 002 stands under 9 in the main hierarchy, 001 in none."""
        words = ("--company=alpha", "--year=2027", "--period=9")
        moves, stands = in_periods(2027, 4, 9)
        lines = [x._replace(site="9" if x.site == "002" else x.site) for x in self.books.of["alpha"]]
        moving, standing = [x for x in lines if moves(x)], [x for x in lines if stands(x)]
        for statement in ("inc", "st", "part"):
            for by, plain in (("site:1", "site"), ("season,site:1", "season,site")):
                with self.subTest(statement=statement, by=by):
                    out, _ = self.ask("statement", statement, *words, f"--by={by}")
                    columns = self.by(plain, statement, moving, standing)
                    self.assertEqual(out, table(statement, columns))
        twice, _ = self.ask("statement", "inc", *words, "--by=site:2")
        self.assertEqual(twice, self.ask("statement", "inc", *words, "--by=site")[0])
        for by, says in (
            ("site:0", "'site:0' is not written as a field and a level, as site:1."),
            ("site:x", "'site:x' is not written as a field and a level, as site:1."),
            ("season:1", "Season has no main hierarchy, and so no levels."),
        ):
            self.assertEqual(run("statement", "inc", *words, f"--by={by}")[::2], (2, f"{says}\n"))
        status, _, told = run("statement", "inc", *words, "--filter=site:1=9")
        self.assertEqual(
            (status, told), (2, "site:1: a filter asks for what is under a code, as site=under 1.\n")
        )

    def test_cash_flows_go_by_journals(self) -> None:
        """A direct one sums what journals moved that touch cash; an indirect one leaves out those between the
        sides of its pair. Both come to what cash moved."""
        for statement, counted in (("paid", self.books.through_bank), ("moved", self.books.without_swaps)):
            for words, moves, stands, company in self.stretches():
                for text, fits in (NO_FILTER, *FILTERS):
                    lines = counted(self.lines(company, fits))
                    moving, standing = [x for x in lines if moves(x)], [x for x in lines if stands(x)]
                    given = (statement, *words, *((f"--filter={text}",) if text else ()))
                    with self.subTest(words=given):
                        column = Column("amount", moving, standing)
                        self.assertEqual(self.ask("statement", *given)[0], table(statement, [column]))
                        *flows, bank = (value or ZERO for value in shown(statement, column))
                        if not text:
                            paid = -flows.pop(1) if statement == "paid" else ZERO
                            self.assertEqual(sum(flows, paid), bank)
                        by_season = table(statement, self.by("season", statement, moving, standing))
                        self.assertEqual(self.ask("statement", *given, "--by=season")[0], by_season)
            lines = counted(self.books.of["alpha"])
            for step in ("months", "quarters", "years"):
                words = ("--company=alpha", "--year=2027", "--period=9", f"--periods={step}")
                columns = self.across(step, 2027, 9, lines, self.books.of["alpha"])
                self.assertEqual(self.ask("statement", statement, *words)[0], table(statement, columns))

    def test_what_a_pair_leaves_out_is_what_its_journals_moved(self) -> None:
        """Of a forecast as far as it is posted: a budget has no journals."""
        swapped = self.books.swapped()
        self.assertGreater(len(swapped), 8)
        for words, moves, _, company in self.stretches():
            given = [(words, moves)]
            if words[1] == "--year=2026" and words[2] == "--period=3":
                given.append(((*words, "--forecast=plan"), moves))
            for asked, test in given:
                whole, moved = (self.ask("statement", name, *asked)[0] for name in ("whole", "moved"))
                apart = [x for x in self.lines(company, test) if x.journal in swapped]
                expected = [cents(value or ZERO) for value in shown("whole", Column("", apart, []))]
                self.assertEqual(
                    [
                        cents(Decimal(one.split(",")[-1]) - Decimal(other.split(",")[-1]))
                        for one, other in zip(whole[1:4], moved[1:4], strict=True)
                    ],
                    expected,
                )

    def test_a_direct_cash_flow_has_no_budget(self) -> None:
        for words, says in (
            (("--company=alpha", "--year=2026", "--period=3", "--budget=plan"), "a budget has no journals."),
            (
                ("--company=alpha", "--year=2026", "--period=3", "--forecast=plan"),
                "a budget has no journals.",
            ),
        ):
            status, _, told = run("statement", "paid", *words)
            self.assertEqual((status, says in told), (2, True), told)

    def by(self, by: str, statement: str, moving: list[Line], standing: list[Line]) -> list[Column]:
        fields = by.split(",")
        on_lines = {
            "flow": ("1010", "1020"),
            "part": ("4010", "5010", "5020"),
            "paid": tuple(CLASSES),
            "moved": tuple(CLASSES),
        }
        wanted = {"inc": RESULT, "st": tuple(CLASSES), **on_lines}[statement]
        summed = [x for x in (standing if statement == "st" else moving) if x.natural in wanted]
        if statement == "inc":
            summed += [x for x in standing if x.natural in RESULT]
        keys = {tuple(x.field(f) for f in fields) for x in summed}

        def of(key: tuple[str, ...], lines: list[Line]) -> list[Line]:
            return [x for x in lines if tuple(x.field(f) for f in fields) == key]

        columns = [
            Column("/".join(code or "none" for code in key), of(key, moving), of(key, standing))
            for key in sorted(keys, key=lambda key: [(not code, code) for code in key])
        ]
        return [*columns, Column("total", moving, standing)]

    def test_columns_by_periods(self) -> None:
        for company in ("alpha", "beta"):
            for year, period in ((2026, 3), (2026, 13), (2027, 9), (2027, 13)):
                for text, fits in (NO_FILTER, *FILTERS):
                    lines = self.lines(company, fits)
                    for step in ("months", "quarters", "years"):
                        words = (
                            f"--company={company}",
                            f"--year={year}",
                            f"--period={period}",
                            f"--periods={step}",
                        )
                        for statement in SHOWN:
                            with self.subTest(statement=statement, words=words, filter=text):
                                columns = self.across(step, year, period, lines, self.books.of[company])
                                if statement == "st":
                                    columns.pop()
                                out, _ = self.ask(
                                    "statement", statement, *words, *([f"--filter={text}"] if text else [])
                                )
                                self.assertEqual(out, table(statement, columns))

    def across(self, step: str, year: int, period: int, lines: list[Line], every: list[Line]) -> list[Column]:
        regular = {2026: [1, 2, 3, 4], 2027: list(range(4, 12))}
        stretches: list[tuple[str, int, list[int], bool]] = []
        if step == "years":
            for y in (2026, 2027):
                if y <= year and any(x.year == y for x in every):
                    stretches.append((str(y), y, [p for p in regular[y] if y < year or p <= period], True))
        else:
            known, size = [p for p in regular[year] if p <= period], 1 if step == "months" else 3
            parts = [known[i : i + size] for i in range(0, len(known), size)]
            for i, part in enumerate(parts):
                title = f"{year}-{part[0]:02d}" if step == "months" else f"{year}-Q{i + 1}"
                stretches.append((title, year, part, i == len(parts) - 1))
        cut = [x for x in lines if (x.year, x.period) <= (year, period)]
        columns = []
        for title, y, numbers, last in stretches:
            end = (y, 99) if last else (y, numbers[-1])
            moving = [x for x in cut if x.year == y and x.period in numbers and not x.shut]
            columns.append(Column(title, moving, [x for x in cut if (x.year, x.period) <= end]))
        return [*columns, Column("total", [x for c in columns for x in c.moving], cut)]

    def test_beside_a_budget(self) -> None:
        for year, period in ((2026, 3), (2026, 13), (2027, 9)):
            for text, fits in (NO_FILTER, *FILTERS):
                for statement in SHOWN:
                    begin, end = 1 if year == 2026 else 4, (year, period)

                    def column(lines: list[Line], y: int = year, b: int = begin, e: Any = end) -> Column:
                        standing = [x for x in lines if (x.year, x.period) <= e]
                        return Column(
                            "",
                            [x for x in standing if x.year == y and x.period >= b and not x.shut],
                            standing,
                        )

                    have = shown(statement, column(self.lines("alpha", fits)))
                    want = shown(statement, column([x for x in self.books.planned if fits(x)]))
                    expected = [
                        ",".join("" if v is None else cents(v) for v in (a, b, self.less(a, b)))
                        for a, b in zip(have, want, strict=True)
                    ]
                    words = (f"--year={year}", f"--period={period}", "--company=alpha", "--budget=plan")
                    with self.subTest(statement=statement, words=words, filter=text):
                        out, _ = self.ask(
                            "statement", statement, *words, *([f"--filter={text}"] if text else [])
                        )
                        found = [row.split(",", 2)[2] for row in out[1:] if not row.startswith("unplaced")]
                        self.assertEqual(found, expected)

    def test_a_forecast_is_posted_to_a_period_and_planned_after_it(self) -> None:
        for year, period, last in ((2026, 2, 4), (2026, 4, 4), (2027, 6, 11)):
            for text, fits in (NO_FILTER, *FILTERS):
                posted = [x for x in self.books.of["alpha"] if (x.year, x.period) <= (year, period)]
                planned = [x for x in self.books.planned if x.year == year and x.period > period]
                lines = [x for x in (*posted, *planned) if fits(x) and (x.year, x.period) <= (year, last)]
                begin = 1 if year == 2026 else 4
                moving = [x for x in lines if x.year == year and x.period >= begin and not x.shut]
                words = (f"--year={year}", f"--period={period}", "--company=alpha", "--forecast=plan")
                given = (*words, *([f"--filter={text}"] if text else []))
                for statement in SHOWN:
                    across = self.across("months", year, last, lines, lines)
                    with self.subTest(statement=statement, words=given):
                        out, _ = self.ask("statement", statement, *given)
                        self.assertEqual(out, table(statement, [Column("amount", moving, lines)]))
                        out, _ = self.ask("statement", statement, *given, "--periods=months")
                        self.assertEqual(out, table(statement, across[:-1] if statement == "st" else across))
                        out, _ = self.ask("statement", statement, *given, "--by=season")
                        self.assertEqual(out, table(statement, self.by("season", statement, moving, lines)))

    @staticmethod
    def less(have: Decimal | None, want: Decimal | None) -> Decimal | None:
        """Of the figures as shown, each rounded by itself."""
        return None if have is None or want is None else Decimal(cents(have)) - Decimal(cents(want))

    def test_a_hierarchy_is_a_statement(self) -> None:
        for words, _, stands, company in self.stretches():
            by_day = any(word.startswith("--from=") for word in words)
            has_first = any(word.startswith("--from-period") for word in words)
            lines = [x for x in self.books.of[company] if stands(x)]
            if has_first and not by_day:
                first = next(int(word.split("=")[1]) for word in words if word.startswith("--from-period"))
                year = next(int(word.split("=")[1]) for word in words if word.startswith("--year"))
                lines = [x for x in lines if x.year == year and x.period >= first]
            for level in (1, 2, None):
                given = ("statement", "--tree=tree", *words, *([f"--level={level}"] if level else []))
                rows = []
                for code, depth in TREE:
                    if level is None or depth < level:
                        amount = sum((x.raw for x in lines if x.natural in BELOW.get(code, (code,))), ZERO)
                        rows.append(f"{code},{depth},{cents(amount)}")
                loose: dict[str, Decimal] = {}
                for x in lines:
                    if x.natural not in BELOW["1"]:
                        loose[x.natural] = loose.get(x.natural, ZERO) + x.raw
                if any(loose.values()):
                    rows.append(f"unplaced,0,{cents(sum(loose.values(), ZERO))}")
                with self.subTest(words=given):
                    out, told = self.ask(*given)
                    self.assertEqual(out, ["line,depth,amount", *rows])
                    named = {line.split()[1] for line in told.splitlines()}
                    self.assertEqual(named, {code for code, amount in loose.items() if amount})

    def test_the_trial_balance_too(self) -> None:
        for words, _, stands, company in self.stretches():
            start = next((word.split("=")[1] for word in words if word.startswith("--from=")), "")
            for text, fits in (NO_FILTER, *FILTERS):
                lines = [x for x in self.lines(company, fits) if stands(x)]
                begins = self.begins(words, start)
                expected = []
                for code in sorted({x.natural for x in lines}):
                    own = [x for x in lines if x.natural == code]
                    opening = sum((x.raw for x in own if begins(x)), ZERO)
                    debit = sum((x.raw for x in own if not begins(x) and x.raw > 0), ZERO)
                    credit = -sum((x.raw for x in own if not begins(x) and x.raw < 0), ZERO)
                    values = (opening, debit, credit, opening + debit - credit)
                    expected.append(f"{code},{','.join(map(cents, values))}")
                given = ("trial-balance", *words, *([f"--filter={text}"] if text else []))
                with self.subTest(words=given):
                    self.assertEqual(self.ask(*given)[0][1:], expected)
                    keys = sorted({x.season for x in lines}, key=lambda code: (not code, code))
                    by_season = [f"account,{','.join([*(k or 'none' for k in keys), 'total'])}"]
                    for code in sorted({x.natural for x in lines}):
                        sums = [
                            sum((x.raw for x in lines if x.natural == code and x.season == k), ZERO)
                            for k in keys
                        ]
                        by_season.append(f"{code},{','.join(map(cents, [*sums, sum(sums, ZERO)]))}")
                    self.assertEqual(self.ask(*given, "--by=season")[0], by_season)

    @staticmethod
    def begins(words: tuple[str, ...], start: str) -> Test:
        """Whether an amount lies before the stretch."""
        if start:
            return lambda x: x.day < date.fromisoformat(start)
        given = {word.split("=")[0]: word.split("=")[1] for word in words}
        year, period = int(given["--year"]), int(given["--period"])
        first = int(given.get("--from-period", min(period, 4) if year == 2027 else 1))
        return lambda x: (x.year, x.period) < (year, first)

    def test_wrong_calls(self) -> None:
        alpha, at = "--company=alpha", ("--year=2026", "--period=3")
        beta = "--company=beta"
        for words, says in (
            (("inc", alpha), "Figures need a year and a period, or days."),
            (("inc", alpha, "--from=2026-01-01"), "A stretch of days needs its last day."),
            (("inc", alpha, "--to=2026-02-01"), "A movement needs its first day too."),
            (("inc", alpha, "--from=2026-02-02", "--to=2026-02-01"), "2026-02-02 is after 2026-02-01."),
            (("inc", alpha, "--to=1.2.2026"), "'1.2.2026' is not a day written as 2026-09-30."),
            (("inc", alpha, "--to=20260201"), "'20260201' is not a day written as 2026-09-30."),
            (("inc", alpha, "--to=2026-02-30"), "'2026-02-30' is not a day written as 2026-09-30."),
            (
                ("inc", alpha, *at, "--to=2026-02-01"),
                "Figures are asked for by days or by periods, not by both.",
            ),
            (
                ("inc", beta, "--from=2026-02-02", "--to=2026-02-28"),
                "The books are kept as balances, and 2026-02-02 is not the first day of a period.",
            ),
            (
                ("st", beta, "--to=2026-02-27"),
                "The books are kept as balances, and 2026-02-27 is not the last day of a period.",
            ),
            (("inc", alpha, *at, "--filter=season"), "'season' is not written as field=codes."),
            (("inc", alpha, *at, "--filter=;"), "';' names no field."),
            (("inc", alpha, *at, "--filter=x=1"), "There is no segment or dimension x in chart c."),
            (("inc", alpha, *at, "--filter=season=XX"), "season: There is no code XX in season."),
            (
                ("inc", alpha, *at, "--filter=site=9"),
                "site: 9 is a rollup code; 'under 9' picks what is below it.",
            ),
            (("inc", alpha, *at, "--filter=site=all except none"), "site: There is no code none in site."),
            (
                ("inc", alpha, *at, "--filter=site="),
                "site: A code, a range, 'under' or 'all' is missing at the end.",
            ),
            (("inc", alpha, *at, "--by=x"), "There is no segment or dimension x in chart c."),
            (("inc", alpha, *at, "--by=site,site"), "Columns by site and site say the same twice."),
            (("inc", alpha, *at, "--by=a,b,c"), "Columns are by one field or by two."),
            (
                ("inc", alpha, *at, "--by=site", "--periods=months"),
                "Columns are by codes or by periods, not by both.",
            ),
            (
                ("inc", alpha, *at, "--by=site", "--budget=plan"),
                "Columns are by codes or by a budget, not by both.",
            ),
            (
                ("inc", alpha, *at, "--periods=years", "--budget=plan"),
                "Columns are by periods or by a budget, not by both.",
            ),
            (
                ("inc", alpha, *at, "--periods=weeks"),
                "There are no columns by weeks; there are months, quarters and years.",
            ),
            (
                ("inc", alpha, *at, "--from-period=2", "--periods=months"),
                "Columns by periods begin where their periods begin.",
            ),
            (("inc", alpha, *at, "--budget=x"), "There is no budget x."),
            (("inc", alpha, *at, "--forecast=x"), "There is no budget x."),
            (("inc", alpha, "--to=2026-03-31", "--forecast=plan"), "A forecast is of periods, not of days."),
            (
                ("st", alpha, "--to=2026-03-31", "--budget=plan"),
                "Columns by a budget are of periods, not of days.",
            ),
            (("inc", "--tree=tree", alpha, *at), "Name a statement, or a hierarchy with --tree."),
            ((alpha, *at), "Name a statement, or a hierarchy with --tree."),
            (("--tree=x", alpha, *at), "There is no hierarchy x."),
            (("--tree=sites", alpha, *at), "Hierarchy sites is of site, not of the natural accounts of c."),
            (("--tree=tree", "--level=0", alpha, *at), "There is no level 0; the top is level 1."),
            (("inc", "--level=1", alpha, *at), "Only a hierarchy is cut at a level."),
        ):
            with self.subTest(words=words):
                status, out, told = run("statement", *words)
                self.assertEqual((status, out, told.strip()), (2, "", says))
        status, _, told = run("trial-balance", alpha, "--to=2026-03-31")
        self.assertEqual(
            (status, told.strip()), (2, "A trial balance needs the first day of its movements too.")
        )
