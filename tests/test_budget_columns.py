"""A budget, the difference and the year before in one table, also by months: each column is what is shown of
it alone, opens into its accounts, and differences say in words whether they are favourable, in files too."""

from __future__ import annotations

import html
import io
import re
from typing import Any
from urllib.parse import urlencode

from openpyxl import load_workbook

from core.analysis.variances import COLUMNS, compares, judged_columns, judgement
from core.statements.figures import Figure
from core.statements.line_parts import CREDIT
from core.statements.plans import plan
from tests.base import PineTest, bring, client_of, person
from tests.naive_books import Books
from tests.test_figures_page import AMOUNT, CELL, ROW, plain
from web.definitions.snapshot import current

THEN = "the year before"
HEAD = re.compile(r'<th scope="col" class="(?:num|per-cent|judged)[^"]*"[^>]*>(.*?)</th>', re.S)
JUDGED = re.compile(r'<td class="judged">(.*?)</td>')


class BudgetColumns(PineTest):
    def setUp(self) -> None:
        super().setUp()
        bring(Books(11).package())
        self.client = client_of(person("mirela"))
        self.known: dict[tuple[str, int], dict[str, list[str]]] = {}

    def page(self, name: str, **query: Any) -> str:
        given = {"company": "alpha", "unit": "exact", "all": "1", "year": 2027, "period": 6, **query}
        reply = self.client.get(f"/statements/{name}/figures/?{urlencode(given)}")
        self.assertEqual(reply.status_code, 200, reply.content[:300])
        return html.unescape(reply.content.decode())

    def cells(self, name: str, **query: Any) -> dict[str, list[str]]:
        return {
            row.group(1): [plain(text) for _, text in CELL.findall(row.group(0))]
            for row in ROW.finditer(self.page(name, **query))
        }

    def test_each_column_is_what_it_shows_alone(self) -> None:
        for name in ("inc", "st", "whole"):
            for query in ({}, {"filter": "site=under 9, none"}, {"first": 4}):
                with self.subTest(name, query=query):
                    both = self.cells(name, budget="plan", than="year", **query)
                    budget = self.cells(name, budget="plan", **query)
                    then = self.cells(name, than="year", **query)
                    self.assertEqual(len(both), len(budget))
                    for line, row in both.items():
                        self.assertEqual(row[:3], budget[line][:3], line)
                        self.assertEqual(row[3:4], then[line][1:2], line)

    def then(self, name: str, line: str, number: int, *, has_total: bool) -> list[str]:
        """What the page that has nothing but the year before beside it shows of a period's."""
        stretch = {"period": number, **({"first": number} if has_total else {})}
        if (name, number) not in self.known:
            self.known[name, number] = self.cells(name, than="year", **stretch)
        cells = self.known[name, number][line]
        return cells[1:2] if len(cells) > 1 else [""] * bool(cells)

    def test_by_months_each_stands_as_where_only_months_stand(self) -> None:
        for name, has_total in (("inc", True), ("st", False)):
            for than, width in (("year", 4), ("", 3)):
                within = self.cells(name, budget="plan", than=than, within="months")
                alone = self.cells(name, budget="plan", than=than)
                months = self.cells(name, periods="months")
                for line, row in within.items():
                    with self.subTest(name, than=than, line=line):
                        amounts, budgets, variances = (row[at::width] for at in range(3))
                        self.assertEqual(amounts, months[line][: len(amounts)])
                        if has_total:
                            told = (alone[line] + [""] * bool(row))[:width]
                            self.assertEqual(row[-width:], told)
                        if line not in ("share", "ever") and has_total and row:
                            minor = [round(float(text or 0) * 100) for text in budgets]
                            self.assertEqual(sum(minor[:-1]), minor[-1])
                        for amount, budget, variance in zip(amounts, budgets, variances, strict=True):
                            if amount and budget:
                                differ = round(float(amount) * 100) - round(float(budget) * 100)
                                self.assertEqual(round(float(variance) * 100), differ)
                        for number, then in zip((4, 5, 6), row[3::4] if than else (), strict=False):
                            self.assertEqual([then], self.then(name, line, number, has_total=has_total))

    def test_each_figure_opens_into_what_it_is_made_of(self) -> None:
        opened = 0
        for query in ({"than": "year"}, {"than": "year", "within": "months"}):
            for row in ROW.finditer(self.page("inc", budget="plan", **query)):
                for address, figure in CELL.findall(row.group(0)):
                    reply = self.client.get(address)
                    self.assertEqual(reply.status_code, 200, address)
                    accounts = AMOUNT.findall(html.unescape(reply.content.decode()))
                    if not accounts or not plain(figure) or row.group(1) == "share":
                        continue
                    raw = sum(round(float(plain(amount)) * 100) for _, amount in accounts)
                    self.assertEqual(abs(raw), abs(round(float(plain(figure)) * 100)), address)
                    opened += 1
        self.assertGreater(opened, 20)

    def test_what_does_not_go_together_is_said(self) -> None:
        told = "A budget stands within periods of a year up to a period, without codes."
        self.assertIn(told, self.page("inc", budget="plan", within="months", first=3))

    def test_words_and_signs_in_files_and_on_the_page(self) -> None:
        page = self.page("inc", budget="plan", than="year")
        words = [word.strip() for word in JUDGED.findall(page)]
        self.assertIn("favourable", words)
        query = "company=alpha&year=2027&period=4&budget=plan&than=year"
        for kind in ("", "&file=ods"):
            reply = self.client.get(f"/statements/inc/figures/workbook/?{query}{kind}")
            self.assertEqual(reply.status_code, 200)
        sheet = load_workbook(
            io.BytesIO(self.client.get(f"/statements/inc/figures/workbook/?{query}").content)
        ).worksheets[0]
        heads = [cell.value for cell in sheet[3]]
        self.assertEqual(
            heads,
            ["Line", "GBP", "budget Plan", "variance", THEN, "variance %", "variance: favourable or not"],
        )
        formulas = [row[6].value for row in sheet.iter_rows(min_row=4) if row[6].value]
        self.assertTrue(all("favourable" in text and "unfavourable" in text for text in formulas), formulas)
        self.assertEqual(self.client.get(f"/statements/inc/figures/pdf/?{query}").status_code, 200)
        self.assertNotIn("favourable", self.page("st", budget="plan"), "what stands is neither")

    def test_by_side_and_sign(self) -> None:
        planned = plan(current().state, "inc")
        assert planned
        for line in planned.lines:
            for value in (-5, 0, 5, None):
                figure = Figure(line, (0, 0, value or 0), (0, 0, value))
                more_is_better = line.direction == CREDIT
                wanted = (
                    ""
                    if not value or not line.direction
                    else "favourable"
                    if (value > 0) == more_is_better
                    else "unfavourable"
                )
                self.assertEqual(judgement(figure, 2), wanted)
        self.assertEqual(judged_columns(COLUMNS), (2,))
        self.assertEqual(judged_columns(("M1/amount", "M1/budget", "M1/variance", "change")), (2, 3))
        self.assertEqual(
            [compares(title) for title in ("M1/budget", "budget", "a/b/change")],
            ["budget", "budget", "change"],
        )
