"""A consolidated statement by periods: each column is what the command line says of it alone."""

from __future__ import annotations

import csv
import html
import io
import re
from decimal import Decimal
from itertools import product
from urllib.parse import urlencode

from openpyxl import load_workbook

from core.definitions.tables import Statement, StatementLine
from core.money import show_amount
from tests.base import PineTest, bring, client_of, person, run, tables, world
from web.definitions.snapshot import current

ROW = re.compile(r"<tr[^>]*>.*?</tr>", re.S)
CELL = re.compile(r'<td class="num[^"]*"[^>]*>(?:<a[^>]*href="([^"]*)"[^>]*>)?([^<]*)')
INCOME = [
    Statement("inc", "Income", "c", "income_statement"),
    StatementLine("inc", "sales", "", 1, "Sales", "accounts", "4*"),
    StatementLine("inc", "costs", "", 2, "Costs", "accounts", "5*"),
    StatementLine("inc", "ever", "", 4, "Ever", "result"),
    StatementLine("inc", "part", "", 3, "Part", "formula", "", "[costs] / [sales]"),
]
LATER = """company,journal,date,kind,description
alpha,A3,2026-03-10,general,More
beta,B3,2026-04-11,general,Sales
"""
LINES = """company,journal,line,line_company,account,debit,credit,partner,description
alpha,A3,1,,10-1010,70.10,,,
alpha,A3,2,,10-4010-1,,90.10,,
alpha,A3,3,,10-5010-001,20,,,
beta,B3,1,,20-1010,33.33,,,
beta,B3,2,,20-4010-1,,33.33,,
"""


class AcrossWorld(PineTest):
    def setUp(self) -> None:
        super().setUp()
        content = world()
        bring({**content, **{name: tables(*INCOME)[name] for name in ("statements", "statement_lines")}})
        bring({"journals": LATER, "journal_lines": LINES})
        self.client = client_of(person("mirela"))

    def alone(self, statement: str, *words: str) -> list[str]:
        status, out, told = run("statement", statement, "--group=g", "--year=2026", *words)
        self.assertEqual(status, 0, told)
        return [row["amount"] for row in csv.DictReader(io.StringIO(out)) if row["line"] != "unplaced"]

    def shown(self, statement: str, **query: str | int) -> list[list[tuple[str, str]]]:
        """By line (address, amount as shown) of its columns."""
        given = urlencode({"statement": statement, "year": 2026, "period": 4, **query})
        page = html.unescape(self.client.get(f"/group/g/?{given}").content.decode())
        rows = [CELL.findall(row) for row in ROW.findall(page)]
        return [row for row in rows if row]


class GroupAcross(AcrossWorld):
    def test_each_column_is_as_if_asked_for_alone(self) -> None:
        for statement, step, asked in (
            ("inc", "months", [(f"--period={p}", f"--from-period={p}") for p in (1, 2, 3, 4)]),
            ("inc", "quarters", [("--period=3", "--from-period=1"), ("--period=4", "--from-period=4")]),
            ("st", "months", [(f"--period={p}",) for p in (1, 2, 3, 4)]),
        ):
            with self.subTest(statement=statement, step=step):
                query = urlencode({"statement": statement, "year": 2026, "period": 4, "periods": step})
                content = self.client.get(f"/group/g/workbook/?{query}").content
                sheet = load_workbook(io.BytesIO(content), data_only=True).worksheets[0]
                lines = [row[1:] for row in sheet.iter_rows(min_row=4, values_only=True) if row[0]]
                columns = [self.alone(statement, *words) for words in asked]
                if statement == "inc":
                    columns.append(self.alone(statement, "--period=4"))
                found = [
                    [f"{value:.2f}" if isinstance(value, int | float) else "" for value in row]
                    for row in lines
                ]
                expected = [list(row) for row in zip(*columns, strict=True)]
                self.assertEqual([row[: len(columns)] for row in found[: len(expected)]], expected)
                self.assertEqual(len(self.shown(statement, periods=step)), len(expected))

    def test_a_figure_opens_as_that_of_its_periods(self) -> None:
        sales = self.shown("inc", periods="months")[0]
        self.assertEqual([text for _, text in sales], ["\u2014", "200", "90", "33", "323"])
        march = html.unescape(self.client.get(sales[2][0]).content.decode())
        self.assertIn("90.10", march)
        self.assertIn("323.43", html.unescape(self.client.get(sales[4][0]).content.decode()))


class GroupMatrix(AcrossWorld):
    def page(self, **query: str | int) -> str:
        given = urlencode({"statement": "st", "year": 2026, "period": 4, "unit": "exact", **query})
        reply = self.client.get(f"/group/g/matrix/?{given}")
        self.assertEqual(reply.status_code, 200)
        return html.unescape(reply.content.decode())

    def test_every_line_by_every_two_axes_comes_to_its_figure_and_opens(self) -> None:
        axes = ("accounts", "columns", "months", "quarters", "years")
        for statement in ("inc", "st"):
            out = run("statement", statement, "--group=g", "--year=2026", "--period=4")[1]
            figures = {row["line"]: row["amount"] for row in csv.DictReader(io.StringIO(out))}
            kinds = {row.line: row.kind for row in current().state.part(StatementLine, statement).values()}
            for line, kind in kinds.items():
                for down, across in product(axes, axes):
                    page = self.page(statement=statement, line=line, down=down, across=across)
                    same = down == across or not {down, across} & {"accounts", "columns"}
                    with self.subTest(statement=statement, line=line, down=down, across=across):
                        if kind not in ("accounts", "heading"):
                            continue
                        if same:
                            self.assertIn("What stands down stands across too: choose another.", page)
                            continue
                        amount = show_amount(round(Decimal(figures[line]) * 100), 2)
                        proof = (
                            f'Rows and columns come to the figure of the line: <b class="code">{amount}</b>'
                        )
                        self.assertIn(proof, " ".join(page.split()))
                        self._opens(page)

    def _opens(self, page: str) -> None:
        """Each cell opens to what it shows."""
        body = page[page.index("<tbody>") : page.index("</tbody>")]
        for address, amount in CELL.findall(body):
            if address:
                opened = html.unescape(self.client.get(address).content.decode())
                self.assertIn(f'<span class="code">{amount}</span></h2>', opened, address)

    def test_what_cannot_be_told_says_so(self) -> None:
        for query, why in (
            ({"statement": "inc", "line": "part", "down": "accounts"}, "Sales, accounts"),
            ({"year": 1999}, "There is no such statement or period: choose another."),
            ({"line": "none", "across": "colours"}, "Rows and columns come"),
        ):
            with self.subTest(query):
                self.assertIn(why, self.page(**query))


class GroupColumnSets(AcrossWorld):
    def test_columns_are_worked_out_of_others_and_kept_with_them(self) -> None:
        at = "/group/g/?statement=inc&year=2026&period=4"
        rows = self.shown("inc", columns="Rest = [Group] - [Alpha]; Half = [1] / 2", **{"in": "whole"})
        self.assertEqual(
            [[text for _, text in row[3:]] for row in rows[:2]], [["323", "33", "145"], ["20", "0", "10"]]
        )
        page = self.client.get(f"{at}&columns=Rest = [Grp]").content.decode()
        self.assertIn("There is no column Grp; there are Alpha, Beta, Eliminate, Group.", page)
        given = {"name": "Later", "chart": "c", "periods": "quarters", "columns": "More = [2] - [1]"}
        reply = self.client.post("/statements/columns/keep/", given, headers={"HX-Request": "true"})
        self.assertEqual(reply.status_code, 200, reply.content)
        bring({"column_sets": "column_set,name,chart,by\nsites,By site,c,site\n"})
        page = html.unescape(self.client.get(at).content.decode())
        self.assertNotIn("By site", page)
        (there,) = re.findall(r'href="([^"]+)"[^>]*>Later<', page)
        query = there.removeprefix("?")
        book = load_workbook(io.BytesIO(self.client.get(f"/group/g/workbook/?{query}").content))
        self.assertEqual(
            [cell.value for cell in book.worksheets[0][3] if cell.value][-2:], ["total", "More = [2] - [1]"]
        )
        self.assertIn("More", self.client.get(f"/group/g/{there}").content.decode())
