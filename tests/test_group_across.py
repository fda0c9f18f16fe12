"""A consolidated statement by periods: each column is what the command line says of it alone."""

from __future__ import annotations

import csv
import html
import io
import re
from urllib.parse import urlencode

from openpyxl import load_workbook

from core.definitions.tables import Statement, StatementLine
from tests.base import PineTest, bring, client_of, person, run, tables, world

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


class GroupAcross(PineTest):
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
