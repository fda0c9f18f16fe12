"""Statements with their accounts under each line: the lines show what they show without, the accounts of each
come to it, and both stand on the page, in files, and in a group."""

from __future__ import annotations

import html
import io
import re
from typing import Any
from urllib.parse import urlencode

from openpyxl import load_workbook

from core.statements.plans import plan
from core.statements.printing import ACCOUNT_MARK, with_accounts
from tests.base import PineTest, bring, client_of, person, run, world
from tests.naive_books import Books
from tests.test_figures_page import CELL, ROW, plain
from web.definitions.snapshot import current


def minor(text: str) -> int:
    return round(float(plain(text) or 0) * 100)


class AccountsUnderLines(PineTest):
    def setUp(self) -> None:
        super().setUp()
        bring(Books(11).package())
        self.client = client_of(person("mirela"))

    def cells(self, name: str, **query: Any) -> dict[str, list[str]]:
        given = {"company": "alpha", "unit": "exact", "all": "1", "year": 2027, "period": 9, **query}
        reply = self.client.get(f"/statements/{name}/figures/?{urlencode(given)}")
        self.assertEqual(reply.status_code, 200, reply.content[:300])
        page = html.unescape(reply.content.decode())
        return {row.group(1): [text for _, text in CELL.findall(row.group(0))] for row in ROW.finditer(page)}

    def test_lines_stay_as_they_are_and_accounts_come_to_them(self) -> None:
        compared = 0
        for name in ("inc", "st", "part", "whole"):
            for query in (
                {},
                {"by": "season"},
                {"periods": "quarters"},
                {"budget": "plan"},
                {"budget": "plan", "than": "year", "within": "quarters"},
                {"filter": "site=under 9, none"},
                {"company": "beta", "year": 2026, "period": 3},
                {"companies": "alpha, beta"},
            ):
                if name == "part" and "budget" in query:
                    continue
                with self.subTest(name, query=query):
                    alone, under = self.cells(name, **query), self.cells(name, **query, accounts="1")
                    lines = {line: row for line, row in under.items() if ACCOUNT_MARK not in line}
                    self.assertEqual(list(lines), list(alone))
                    self.assertEqual(lines, {line: alone[line] for line in lines})
                    sums: dict[str, list[list[int]]] = {}
                    for line, row in under.items():
                        if ACCOUNT_MARK in line:
                            sums.setdefault(line.split(ACCOUNT_MARK)[0], []).append(
                                [minor(one) for one in row]
                            )
                    for line, rows in sums.items():
                        together = [sum(cells) for cells in zip(*rows, strict=True)]
                        self.assertEqual(together, [minor(one) for one in alone[line]], line)
                        compared += 1
        self.assertGreater(compared, 40)

    def test_a_plan_with_accounts_takes_the_same_accounts(self) -> None:
        state = current().state
        for name in ("inc", "st", "part", "whole"):
            planned = plan(state, name)
            assert planned
            wide = with_accounts(planned)
            names = [line.row.line for line in wide.lines]
            self.assertEqual(len(names), len(set(names)))
            self.assertEqual([line for line in names if ACCOUNT_MARK not in line], list(planned.index))
            for place in range(len(planned.line_of)):
                before = [planned.lines[at].row.line for at in planned.lines_of(place)]
                after = [wide.lines[at].row.line.split(ACCOUNT_MARK)[0] for at in wide.lines_of(place)]
                self.assertEqual(after, before)

    def test_files_have_them(self) -> None:
        query = "company=alpha&year=2027&period=9&accounts=1"
        book = load_workbook(
            io.BytesIO(self.client.get(f"/statements/inc/figures/workbook/?{query}").content)
        )
        labels = [str(row[0].value).strip() for row in book.worksheets[0].iter_rows(min_row=4)]
        self.assertTrue([label for label in labels if re.match(r"40\d\d? ", label)], labels)
        for kind in ("pdf/", "workbook/"):
            reply = self.client.get(f"/statements/inc/figures/{kind}?{query}&file=ods")
            self.assertEqual(reply.status_code, 200)
            self.assertIn("under-accounts", reply["Content-Disposition"])

    def test_the_command_line_has_them(self) -> None:
        words = ("statement", "inc", "--company=alpha", "--year=2027", "--period=9")
        alone = run(*words)[1].splitlines()
        under = run(*words, "--accounts")[1].splitlines()
        self.assertEqual([line for line in under if ACCOUNT_MARK not in line.split(",")[0]], alone)
        self.assertGreater(len(under), len(alone))
        status, _, told = run(
            "statement", "inc", "--companies=alpha", "--year=2027", "--period=9", "--accounts"
        )
        self.assertEqual(status, 2, told)

    def test_an_account_opens_to_its_own_amount(self) -> None:
        page = self.client.get(
            "/statements/inc/figures/?company=alpha&year=2027&period=9&accounts=1&unit=exact"
        ).content.decode()
        opened = 0
        for row in ROW.finditer(html.unescape(page)):
            if ACCOUNT_MARK not in row.group(1):
                continue
            ((address, figure),) = CELL.findall(row.group(0))
            part = html.unescape(self.client.get(address).content.decode())
            self.assertIn(row.group(1).split(ACCOUNT_MARK)[1], part)
            self.assertIn(figure.strip().lstrip("\u2212"), part)
            opened += 1
        self.assertGreater(opened, 1)


class InAGroup(PineTest):
    def test_the_group_s_lines_stay_and_its_accounts_come_to_them(self) -> None:
        bring(world())
        client = client_of(person("mirela"))

        def cells(query: str) -> dict[str, list[str]]:
            reply = client.get(f"/group/g/?statement=st&year=2026&period=2&in=exact&open=alpha{query}")
            self.assertEqual(reply.status_code, 200)
            page = html.unescape(reply.content.decode())
            found = {}
            for row in re.finditer(r'<tr[^>]* data-row="([^"]+)"[^>]*>(.*?)</tr>', page, re.S):
                texts = re.findall(r'<td class="num[^"]*"[^>]*>(?:<a[^>]*>)?([^<]*)', row.group(2))
                found[row.group(1)] = texts
            return found

        for more in ("", "&periods=months", "&than=before"):
            with self.subTest(more):
                alone, under = cells(more), cells(f"{more}&accounts=1")
                for line, row in alone.items():
                    self.assertEqual(under[line], row)
                accounts = [line for line in under if ACCOUNT_MARK in line]
                self.assertGreater(len(accounts), 2)
        workbook = client.get("/group/g/workbook/?statement=st&year=2026&period=2&accounts=1")
        labels = [
            str(row[0].value).strip()
            for row in load_workbook(io.BytesIO(workbook.content)).worksheets[0].iter_rows()
        ]
        self.assertTrue([label for label in labels if label.startswith("1010 ")], labels)
        self.assertEqual(
            client.get("/group/g/pdf/?statement=st&year=2026&period=2&accounts=1").status_code, 200
        )
