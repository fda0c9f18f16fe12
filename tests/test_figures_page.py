"""The page of figures: what it shows is what the command line says, and each figure opens down to its
lines."""

from __future__ import annotations

import csv
import html
import io
import re
from decimal import ROUND_HALF_UP, Decimal
from typing import Any
from urllib.parse import urlencode

from django.contrib.auth import get_user_model
from openpyxl import load_workbook

from core.definitions.tables import ColumnSet
from tests.base import PineTest, bring, client_of, person, run
from tests.naive_books import Books
from tests.test_screens import ODD
from web.definitions.snapshot import current

ROW = re.compile(r'<tr id="line-([^"]+)".*?</tr>', re.S)
CELL = re.compile(r'<td class="num[^"]*"[^>]*>(?:<a[^>]*href="([^"]*)"[^>]*>)?([^<]*)')
AMOUNT = re.compile(r'class="amount"\s+href="([^"]*)"\s*>([^<]*)<')


def plain(text: str) -> str:
    """An amount as the page writes it, as the command line does."""
    amount = text.replace("\u2212", "-").replace(",", "").strip()
    return {"—": "", "0": "0.00"}.get(amount, amount)


def csv_rows(text: str) -> list[list[str]]:
    return list(csv.reader(io.StringIO(text)))


class FiguresPage(PineTest):
    def setUp(self) -> None:
        super().setUp()
        bring(Books(11).package())
        self.group = client_of(person("mirela"))
        self.client = self.group

    def page(self, name: str = "inc", **query: Any) -> str:
        given = {"company": "alpha", "unit": "exact", "all": "1", **query}
        if "from" not in given and "to" not in given:
            given = {"year": 2027, "period": 9, **given}
        reply = self.client.get(f"/statements/{name}/figures/?{urlencode(given)}")
        self.assertEqual(reply.status_code, 200, reply.content[:300])
        return html.unescape(reply.content.decode())

    def cells(self, page: str) -> dict[str, list[tuple[str, str]]]:
        """By line (address, figure) of its columns."""
        return {m.group(1): [(a, plain(t)) for a, t in CELL.findall(m.group(0))] for m in ROW.finditer(page)}

    def test_it_shows_what_the_command_line_says(self) -> None:
        for name, query, words in (
            ("inc", {}, ("--year=2027", "--period=9")),
            ("st", {"by": "season"}, ("--year=2027", "--period=9", "--by=season")),
            ("inc", {"by": "site,channel"}, ("--year=2027", "--period=9", "--by=site,channel")),
            ("inc", {"periods": "quarters"}, ("--year=2027", "--period=9", "--periods=quarters")),
            ("st", {"periods": "years"}, ("--year=2027", "--period=9", "--periods=years")),
            ("inc", {"budget": "plan"}, ("--year=2027", "--period=9", "--budget=plan")),
            ("st", {"from": "2026-02-03", "to": "2027-05-17"}, ("--from=2026-02-03", "--to=2027-05-17")),
            (
                "inc",
                {"from": "2026-02-03", "to": "2027-05-17", "filter": "season=SP26, none", "by": "site"},
                ("--from=2026-02-03", "--to=2027-05-17", "--filter=season=SP26, none", "--by=site"),
            ),
            ("hierarchy/tree", {"level": 2}, ("--tree=tree", "--level=2", "--year=2027", "--period=9")),
        ):
            with self.subTest(name=name, query=query):
                own = () if name.startswith("hierarchy") else (name,)
                status, out, told = run("statement", *own, "--company=alpha", *words)
                self.assertEqual(status, 0, told)
                rows = [line.split(",") for line in out.splitlines()[1:]]
                expected = {row[0]: [v if v != "0.00" else "" for v in row[3:]] for row in rows}
                expected.pop("unplaced", None)
                page = self.page(name, **query)
                shown = {
                    line: [text if text != "0.00" else "" for _, text in cells]
                    for line, cells in self.cells(page).items()
                }
                self.assertEqual(shown, expected)
                files = {"company": "alpha", "year": 2027, "period": 9, **query}
                if "from" in query:
                    files = {key: value for key, value in files.items() if key not in ("year", "period")}
                key = "hierarchy" if name.startswith("hierarchy") else "statement"
                csv = self.client.get(
                    f"/exchange/report/csv/?{urlencode({**files, key: name.removeprefix('hierarchy/')})}"
                )
                table, wanted = map(csv_rows, (csv.content.decode(), out))
                self.assertEqual(table[1:], wanted[1:])
                for head, code in zip(table[0], wanted[0], strict=True):
                    # a column is called what the page calls it: the codes with their names
                    self.assertTrue(
                        head.startswith(code.replace("/", " / ")) or code == "amount", (head, code)
                    )

    def test_codes_within_periods_are_those_of_each_period(self) -> None:
        for name, step, periods in (
            ("inc", "months", [(f"2027-{p:02d}", p, p) for p in range(4, 7)]),
            ("st", "quarters", [("2027-Q1", 6, None)]),
            ("part", "quarters", [("2027-Q1", 6, 4)]),
        ):
            query = {"company": "alpha", "year": 2027, "period": 6, "by": "season", "within": step}
            content = self.client.get(f"/statements/{name}/figures/workbook/?{urlencode(query)}").content
            sheet = load_workbook(io.BytesIO(content), data_only=True).worksheets[0]
            heads, *rows = list(sheet.iter_rows(min_row=3, values_only=True))
            shown = {title: [row[i] for row in rows] for i, title in enumerate(heads) if title}
            names = {"AU26": "AU26 Autumn", "SP26": "SP26 Spring", "none": "none no season"}
            sums: list[list[float]] = []
            for title, last, first in periods:
                words = (f"--period={last}", *([f"--from-period={first}"] if first else []))
                _, out, _ = run("statement", name, "--company=alpha", "--year=2027", "--by=season", *words)
                table = list(csv.DictReader(io.StringIO(out)))
                for code in [code for code in table[0] if code not in ("line", "label", "depth")]:
                    wanted = [float(row[code]) for row in table if row[code] and row["line"] != "unplaced"]
                    found = [
                        value
                        for value in shown[f"{title} / {names.get(code, code)}"]
                        if isinstance(value, int | float)
                    ]
                    self.assertEqual(
                        [round(v, 2) for v in found[: len(wanted)]], wanted, f"{name} {title} {code}"
                    )
                    sums += [wanted] if code == "total" else []
            if name != "st":
                total = [value for value in shown["total"] if isinstance(value, int | float)]
                self.assertAlmostEqual(total[0], sum(row[0] for row in sums), 2)

    def test_each_figure_opens_down_to_its_lines(self) -> None:
        opened = 0
        for name, query in (
            ("inc", {"by": "season,channel", "filter": "site=under 9, none"}),
            ("st", {"periods": "quarters", "period": 13}),
            ("inc", {"periods": "years", "period": 13}),
            ("inc", {"from": "2026-02-03", "to": "2027-05-17", "by": "channel"}),
            ("st", {"to": "2027-05-17", "by": "channel"}),
            ("hierarchy/tree", {"first": 5}),
            ("part", {"by": "season"}),
            ("inc", {"by": "season", "within": "quarters"}),
            ("st", {"by": "channel", "within": "months", "period": 6}),
            ("part", {"from": "2026-02-03", "to": "2027-05-17", "filter": "season=SP26, none"}),
            ("part", {"company": "beta", "periods": "years"}),
            ("st", {"company": "beta", "periods": "years"}),
            ("inc", {"company": "beta", "year": 2026, "period": 3, "by": "season"}),
            ("inc", {"company": "beta", "from": "2026-02-01", "to": "2026-04-30"}),
        ):
            for line, cells in self.cells(self.page(name, **query)).items():
                for address, figure in cells:
                    if line == "share" or not figure:
                        continue
                    part = html.unescape(self.client.get(address).content.decode())
                    accounts = AMOUNT.findall(part)
                    texts = re.findall(r'<td class="num">(?:<a[^>]*>)?([^<]*)<', part)
                    with self.subTest(name=name, query=query, line=line, address=address):
                        raw = sum(round(float(plain(text)) * 100) for text in texts)
                        self.assertEqual(abs(raw), abs(round(float(figure) * 100)))
                    for lines, text in accounts[:2]:
                        content = html.unescape(self.client.get(lines).content.decode())
                        (total,) = re.findall(r'<p><b class="code">([^<]*)</b> GBP, debit plus', content)
                        with self.subTest(name=name, query=query, line=line, lines=lines):
                            self.assertEqual(plain(total), plain(text))
                            opened += 1
        self.assertGreater(opened, 150)

    def test_beside_another_stretch_and_what_made_it_change(self) -> None:
        for name, line, query in (
            ("inc", "net", {"year": 2027, "period": 9, "first": 8, "than": "before"}),
            ("st", "owing", {"year": 2027, "period": 9, "than": "year", "line": "owing"}),
            ("st", "owing", {"to": "2027-05-17", "than": "year", "line": "owing", "filter": "season=SP26"}),
            ("st", "capital", {"to": "2027-05-17", "than": "before", "line": "capital"}),
        ):
            with self.subTest(name=name, query=query):
                page = self.page(name, line=line, **{k: v for k, v in query.items() if k != "line"})
                if query["than"] == "year" and "year" in query:
                    self.assertNotIn('class="bridge"', page)  # the year before has no period 9
                    continue
                now, then, change = (self.cents(text) for _, text in self.cells(page)[line])
                self.assertEqual(now - then, change)
                asked = {"company": "alpha", "year": 2027, "period": 9, **query, "statement": name}
                asked = {k: v for k, v in asked.items() if "to" not in query or k not in ("year", "period")}
                csv = self.client.get(f"/exchange/report/csv/?{urlencode(asked)}").content.decode()
                row = next(row for row in csv.splitlines() if row.startswith(f"{line},"))
                self.assertEqual([self.cents(text) for text in row.split(",")[3:]], [now, then, change])
                table = page[page.index("The same as a table") :].partition("</table>")[0]
                start, *steps, end = map(self.cents, re.findall(r'<td class="num">([^<]*)<', table))
                self.assertEqual((start, start + sum(steps), end), (then, now, now))
                cell = html.unescape(self.client.get(self.cells(page)[line][1][0]).content.decode())
                raw = sum(
                    self.cents(text) for text in re.findall(r'<td class="num">(?:<a[^>]*>)?([^<]*)<', cell)
                )
                self.assertEqual(abs(raw), abs(then))

    @staticmethod
    def cents(text: str) -> int:
        return round(float(plain(text) or 0) * 100)

    def test_stretches_lead_on_and_back(self) -> None:
        page = self.page(**{"from": "2026-02-01", "to": "2026-02-28", "filter": "season=SP26", "by": "site"})
        before, after = re.findall(r'href="\?([^"]*)" data-key="[\[\]]"', page)
        for address, days in (
            (before, "from=2026-01-01&to=2026-01-31"),
            (after, "from=2026-03-01&to=2026-03-31"),
        ):
            self.assertIn(days, address)
            self.assertIn("filter=season%3DSP26&by=site", address)
        units = dict(re.findall(r'<a href="\?([^"]*)"[^>]*>([a-z ]+)</a>', page))
        self.assertIn("quarter", units.values())
        months = self.page(year=2027, period=9, periods="months")
        links = {
            word: address for address, word in re.findall(r'<a href="\?([^"]*)"[^>]*>([a-z ]+)</a>', months)
        }
        self.assertIn("from=2027-09-01&to=2027-09-30", links["month"])
        self.assertNotIn("periods", links["month"])
        self.assertIn("periods=months", links["year to date"])

    def test_what_can_be_narrowed_to_has_its_amounts(self) -> None:
        page = self.page("inc", pick="season", filter="season=SP26", line="sales")
        table = page[page.index('aria-label="Season, with Sales"') :]
        rows = re.findall(
            r'<span class="pick( on)?"[^>]*></span><span class="code">([^<]*)</span>.*?"num">([^<]*)<',
            table,
            re.S,
        )
        self.assertEqual(
            [(code, bool(on)) for on, code, _ in rows], [("AU26", False), ("SP26", True), ("none", False)]
        )
        _, out, _ = run("statement", "inc", "--company=alpha", "--year=2027", "--period=9", "--by=season")
        sales = out.splitlines()[2].split(",")[3:-1]
        self.assertEqual([plain(text) for _, _, text in rows], sales)
        self.assertIn("filter=season%3DSP26%2C+AU26", table)

    def test_columns_are_kept_under_a_name(self) -> None:
        def keep(**row: str) -> Any:
            form = {"name": "Mine", "chart": "c", **row}
            return self.client.post("/statements/columns/keep/?back=/statements/", form)

        self.assertEqual(keep(name="Sites by season", by="site,season").status_code, 200)
        self.assertEqual(current().state.require(ColumnSet, "sites-by-season").by, "site,season")
        page = self.page("st")
        address = next(
            a
            for a, name in re.findall(r'<a href="\?([^"]*)"[^>]*>([^<]*)</a>', page)
            if name == "Sites by season"
        )
        self.assertIn("by=site%2Cseason", address)
        at_days = self.page("st", to="2027-05-17")
        self.assertIn("Sites by season", at_days)
        self.assertEqual(keep(name="By month", periods="months").status_code, 200)
        self.assertNotIn("By month", self.page("st", to="2027-05-17"))
        for row, says in (
            ({"by": "crop"}, "There is no segment or dimension crop in chart c."),
            ({"by": "site,site"}, "Columns by site and site say the same twice."),
            ({"by": "site", "than": "year"}, "Mine says more than one thing across."),
            ({"budget": "x"}, "There is no budget x."),
            (
                {"periods": "weeks"},
                "One of these is expected: none, months, quarters, years. Correct the cell.",
            ),
            ({"name": ""}, "must be given"),
        ):
            with self.subTest(row=row):
                reply = keep(**row)
                self.assertEqual(reply.status_code, 422)
                self.assertIn(says, html.unescape(reply.content.decode()))

    def test_lines_down_to_a_level_and_those_with_something(self) -> None:
        whole = self.cells(self.page("st"))
        self.assertEqual(list(self.cells(self.page("st", level=1))), ["assets", "owing"])
        for line, cells in self.cells(self.page("st", level=1)).items():
            self.assertEqual([text for _, text in cells], [text for _, text in whole[line]])
        empty = self.page("inc", filter="season=SP26; account=1010")
        self.assertIn("lines with nothing", empty)
        filled = self.cells(self.page("inc", filter="season=SP26; account=1010", lines="filled"))
        self.assertEqual(list(filled), [])
        self.assertEqual(list(self.cells(self.page("st", lines="filled"))), list(whole))

    def test_columns_worked_out_of_others_are_the_same_everywhere(self) -> None:
        text = "Less = [total] - [1]; Part = [2] / [total] * 100"
        at = {"periods": "quarters", "columns": text}
        _, out, _ = run(
            "statement",
            *("inc", "--company=alpha", "--year=2027", "--period=9", "--periods=quarters"),
            f"--columns={text}",
        )
        rows = list(csv.reader(io.StringIO(out)))
        self.assertEqual(rows[0][3:], ["2027-Q1", "2027-Q2", "total", "Less", "Part"])
        for line in rows[1:]:
            if line[0] != "unplaced" and all(line[3:6]):
                first, second, total = (Decimal(cell) for cell in line[3:6])
                part = (second / total * 100).quantize(Decimal("0.01"), ROUND_HALF_UP) if total else ""
                self.assertEqual(line[6:], [f"{total - first:.2f}", f"{part:.2f}" if part != "" else ""])
        page, query = self.page("inc", **at), urlencode({"company": "alpha", "year": 2027, "period": 9, **at})
        shown = {line: [text for _, text in cells][3:] for line, cells in self.cells(page).items()}
        told = {row[0]: [cell if cell != "0.00" else "" for cell in row[6:]] for row in rows[1:]}
        for name, cells in shown.items():
            self.assertEqual([cell if cell != "0.00" else "" for cell in cells], told[name], name)
        csv_file = self.client.get(f"/exchange/report/csv/?{query}&statement=inc").content.decode()
        self.assertEqual(csv_file.replace("\r\n", "\n"), out)
        sheet = load_workbook(
            io.BytesIO(self.client.get(f"/statements/inc/figures/workbook/?{query}").content)
        ).worksheets[0]
        heads = [cell.value for cell in sheet[3]]
        self.assertEqual(heads[-2:], ["Less = [total] - [1]", "Part = [2] / [total] * 100"])
        self.assertEqual(sheet["E5"].value, '=IF(OR(D5="",B5=""),"",IFERROR(ROUND((D5-B5),2),""))')
        self.assertEqual(self.client.get(f"/statements/inc/figures/pdf/?{query}").status_code, 200)
        self.assertIn("There is no column web;", self.page("inc", periods="quarters", columns="A = [web]"))

    def test_all_that_stands_across_is_kept_under_a_name(self) -> None:
        form = {"name": "Sites", "chart": "c", "by": "site", "within": "quarters", "of": "sales"}
        form["columns"] = "Last = [total]"
        kept = self.client.post("/statements/columns/keep/?back=/statements/", form)
        self.assertEqual(kept.status_code, 200)
        row = current().state.require(ColumnSet, "sites")
        self.assertEqual(
            row[3:], ("site", "none", "", "nothing", "", "quarters", "", "sales", "Last = [total]")
        )
        there = dict(re.findall(r'<a href="\?([^"]*)"[^>]*>([^<]*)</a>', self.page("inc")))
        (query,) = [query for query, words in there.items() if words == "Sites"]
        page = html.unescape(self.client.get(f"/statements/inc/figures/?{query}").content.decode())
        self.assertIn("2027-Q1 / 001", page)
        self.assertIn('title="[total]">Last\n', page)
        self.assertIn('aria-current="true">Sites</a>', page)

    def test_a_cash_flow_statement_proves_itself(self) -> None:
        made = {"chart": "c", "kind": "cash_flow", "name": "Cash flow"}
        self.assertEqual(self.client.post("/statements/propose/", made).status_code, 200)
        for query in ({}, {"by": "site"}, {"periods": "months"}, {"from": "2026-02-03", "to": "2027-05-17"}):
            with self.subTest(query=query):
                page = self.page("cf", **query)
                self.assertIn("Activities come to what\n        cash moved.", page)
                flows, cash = (self.cents(self.cells(page)[line][-1][1]) for line in ("flows", "cash"))
                self.assertEqual(flows, cash)
                self.assertNotEqual(flows, 0)
        self.assertNotIn("Proof of cash", self.page("cf", filter="site=001"))
        before = self.cents(self.cells(self.page("cf"))["financing-3010"][0][1])
        self.client.post("/statements/cf/line/financing-3010/delete/", {})
        page = self.page("cf")
        self.assertIn("Activities and what cash moved are apart by", page)
        part = page[page.index("Proof of cash") :]
        self.assertIn("3010</span> Capital", part)
        off = re.search(r'apart by\s+<b class="code">([^<]*)<', part)
        self.assertEqual(off and self.cents(off.group(1)), before)

    def test_a_direct_cash_flow_proves_itself_and_opens_to_journals_that_touch_cash(self) -> None:
        made = {"chart": "c", "kind": "direct_cash_flow", "name": "Direct cash flow"}
        self.assertEqual(self.client.post("/statements/propose/", made).status_code, 200)
        for query in ({}, {"by": "site"}, {"periods": "months"}, {"from": "2026-02-03", "to": "2027-05-17"}):
            with self.subTest(query=query):
                page = self.page("cfd", **query)
                self.assertIn("Activities come to what\n        cash moved.", page)
                flows, cash = (self.cents(self.cells(page)[line][-1][1]) for line in ("flows", "cash"))
                self.assertEqual(flows, cash)
                self.assertNotEqual(flows, 0)
                self.assertNotIn("moved without a journal", page)
        page = self.page("cfd")
        for way, sign in (("received-", -1), ("paid-", 1)):
            shown = [line for line, cells in self.cells(page).items() if line.startswith(way) and cells[0][0]]
            there = [line for line in shown if f"{line} " not in ("received-investing ", "paid-investing ")]
            self.assertNotEqual(there, [])
            for line in there:
                cell = self.client.get(self.cells(page)[line][0][0]).content.decode()
                links = re.findall(rf'href="(/journals/[^"]*on=cfd%3A{line}[^"]*)"', cell)
                amounts = [
                    Decimal(row["amount"])
                    for link in links
                    for row in csv.DictReader(io.StringIO(self.lines_of(link)))
                ]
                self.assertEqual(sum(amounts) * 100, sign * self.cents(self.cells(page)[line][0][1]), line)
        elsewhere = self.page("cfd", company="beta", year="2026", period="3")
        self.assertIn("These accounts of cash moved without a journal, so nothing tells what for:", elsewhere)

    def lines_of(self, link: str) -> str:
        return self.client.get(f"{html.unescape(link).partition('&back')[0]}&file=csv").content.decode()

    def test_what_cannot_be_asked_is_said_on_the_page(self) -> None:
        for query, says in (
            ({"filter": "x=1"}, "There is no segment or dimension x in chart c."),
            ({"to": "2026-02-01"}, "A movement needs its first day too."),
            ({"by": "site", "periods": "months"}, "Columns are by codes or by periods, not by both."),
            (
                {"company": "beta", "from": "2026-02-02", "to": "2026-02-27"},
                "The books are kept as balances, and 2026-02-02 is not the first day of a period.",
            ),
        ):
            with self.subTest(says):
                self.assertIn(f'<p class="must">{says}</p>', self.page(**query))

    def test_what_stood_across_last_is_there_again_for_the_person(self) -> None:
        self.page("inc", periods="quarters")
        mirela = get_user_model().objects.get(username="mirela")
        again = client_of(mirela).get("/statements/st/?company=alpha&year=2027&period=9").content.decode()
        self.assertIn(
            "/statements/st/figures/?company=alpha&amp;year=2027&amp;period=9&amp;periods=quarters", again
        )
        self.page("inc")
        address = "/statements/st/?company=alpha&year=2027&period=9"
        self.assertNotIn("periods=quarters", client_of(mirela).get(address).content.decode())
        other = client_of(person("nia")).get(address).content
        self.assertNotIn(b"periods=", other)

    def test_a_line_s_columns_are_drawn_with_their_part_of_the_total(self) -> None:
        for query in ({"by": "season"}, {"periods": "months"}):
            page = self.page("inc", draw="bars", line="sales", **query)
            (drawn,) = re.findall(r'<section class="mt-4" id="shares">(.*?)</section>', page, re.S)
            amount = r'<td class="num">(.*?)'
            rows = re.findall(f"<tr><td>(.*?)</td>{amount}</td>{amount} %</td>", drawn)
            cells = [float(text or 0) for _, text in self.cells(page)["sales"]]
            self.assertEqual([float(plain(one) or 0) for _, one, _ in rows], cells[:-1])
            parts = [float(part.replace("\u2212", "-")) for _, _, part in rows]
            for part, cell in zip(parts, cells, strict=False):
                self.assertAlmostEqual(part, cell * 100 / cells[-1], delta=0.051)
            self.assertEqual(drawn.count("<rect"), len(rows))
        self.assertNotIn('id="shares"', self.page("inc", draw="bars", line="sales"))

    def test_several_lines_are_drawn_beside_one_another(self) -> None:
        def drawn(page: str) -> tuple[list[list[str]], str]:
            (part,) = re.findall(r'<section class="mt-4" id="set">(.*?)</section>', page, re.S)
            rows = re.findall(r"<tr>\s*<td>(.*?)</tr>", part, re.S)
            return [re.findall(r'<td class="num">(.*?)</td>', row) for row in rows], part

        page = self.page("whole", draw="bars", what="work,else,nothing,bank/head", periods="months")
        cells, part = drawn(page)
        figures = self.cells(page)
        columns = len(figures["work"]) - 1
        self.assertEqual(
            [[plain(one) for one in row] for row in cells],
            [[plain(text) or "0.00" for _, text in figures[line][:-1]] for line in ("work", "else", "bank")],
            "debit and credit lines don't add up: no parts",
        )
        self.assertEqual(part.count("<rect"), 3 * min(columns, 24 // 3))
        self.assertEqual("largest columns are drawn" in part, columns > 8)
        cells, part = drawn(self.page("whole", draw="bars", what="work,else", year=2026, period=3))
        amounts = [Decimal(plain(row[0])) for row in cells]
        for amount, row in zip(amounts, cells, strict=True):
            part_of = Decimal(row[1].replace("\u2212", "-").removesuffix(" %"))
            self.assertAlmostEqual(part_of, amount * 100 / sum(amounts), delta=Decimal("0.051"))
        page = self.page("inc", draw="bars", what="sales,costs,share,net")
        self.assertIn("Not drawn: Share.", page)
        for what in ("nothing,none", "sales,share"):
            self.assertIn("need two lines or more that show", self.page("inc", draw="bars", what=what))
        self.assertIn("One figure alone makes no bars", self.page("inc", draw="bars", what="sales"))
        self.assertIn("Sales by column", self.page("inc", draw="bars", what="sales", by="season"))
        again = self.page("inc", draw="bars", what="sales,costs", by="season")
        self.assertIn("draw=bars&what=sales%2Ccosts", again, "the address of another stretch keeps them")

    def test_a_workbook_has_the_columns(self) -> None:
        reply = self.client.get(
            "/statements/inc/figures/workbook/?company=alpha&year=2027&period=9&budget=plan"
        )
        book = load_workbook(io.BytesIO(reply.content))
        sheet, made_from = book.worksheets
        told = {str(row[0]): row[1] for row in made_from.iter_rows(values_only=True)}
        self.assertEqual(
            [told[name] for name in ("Statement", "Company", "Beside the budget", "Made by", "Definitions")],
            ["inc Income", "alpha Alpha", "plan", "Mirela", f"version {current().version}"],
        )
        heads = ["Line", "GBP", "budget Plan", "variance", "variance %", "variance: favourable or not"]
        self.assertEqual([cell.value for cell in sheet[3]], heads)
        rows = {
            str(row[0].value).strip(): [cell.value for cell in row[1:]] for row in sheet.iter_rows(min_row=4)
        }
        self.assertEqual(rows["Share"][2], '=IF(OR(B7="",C7=""),"",B7-C7)')

    def test_others_see_nothing_of_it(self) -> None:
        self.client = client_of(person("theo", "company", ("beta",)))
        self.assertEqual(self.client.get("/statements/inc/figures/?company=alpha").status_code, 404)
        own = self.page("inc", company="beta")
        self.assertNotIn("Alpha", own)
        self.assertIn("Beta", own)

    def test_odd_values_in_every_parameter(self) -> None:
        names = [
            "company",
            "year",
            "period",
            "first",
            "from",
            "to",
            "filter",
            "by",
            "periods",
            "budget",
            "level",
            "unit",
            "pick",
            "line",
        ]
        names += ["column", "all", "than", "lines"]
        odd_values = (*ODD, "0001-01-01", "9999-12-31", "season=", "season=none;;", "none", "season,season")
        paths = [f"{shown}/figures/{part}" for shown in ("inc", "hierarchy/tree") for part in ("", "cell/")]
        queries = [(paths[0], {name: odd}) for name in names for odd in odd_values]
        for path, query in [*queries, *((p, dict.fromkeys(names, o)) for p in paths for o in odd_values)]:
            given = urlencode({"company": "alpha", **query})
            expected = (400,) if "%00" in given else (200, 404)
            with self.subTest(path=path, query=query):
                self.assertIn(self.client.get(f"/statements/{path}?{given}").status_code, expected)
