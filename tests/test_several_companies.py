"""Statements of several companies side by side: each as if asked for alone, and together."""

from __future__ import annotations

import csv
import html
import io
from decimal import Decimal
from typing import Any
from urllib.parse import urlencode

from openpyxl import load_workbook

from core.analysis.asked import Asked
from core.definitions.tables import Company
from tests.base import PineTest, bring, client_of, person, run, tables_of
from tests.naive_books import Books
from web.definitions.snapshot import current
from web.journals.books import books_for
from web.statements.queries import known_plan
from web.statements.several import several_figures


def amounts(text: str) -> dict[str, list[str]]:
    """By line its columns, as the command line writes them."""
    return {row[0]: row[3:] for row in csv.reader(text.splitlines()[1:])}


class SeveralCompanies(PineTest):
    def setUp(self) -> None:
        super().setUp()
        content = Books(7).package()
        more = [
            Company("eu", "Euro books", "NL", "EUR", "c", "m"),
            Company("own", "Own chart", "GB", "GBP", "d", "m"),
        ]
        bring(content)
        bring(
            tables_of(
                row for row in more if current().state.get(type(row), row[0]) is None and row.chart == "c"
            )
        )
        self.client = client_of(person("mirela"))

    def ask(self, *words: str) -> tuple[str, str]:
        status, out, told = run("statement", *words)
        self.assertEqual(status, 0, told)
        return out, told

    def test_each_column_is_as_if_alone_and_the_total_adds_up(self) -> None:
        at = ("--year=2027", "--period=9")
        days = ("--from=2027-05-01", "--to=2027-10-03")
        for statement, words in (
            ("inc", at),
            ("st", at),
            ("part", at),
            ("inc", (*days, "--filter=season=SP26, none")),
        ):
            with self.subTest(statement=statement, words=words):
                together, _ = self.ask(statement, "--companies=currency=GBP", *words)
                self.assertEqual(together.splitlines()[0], "line,label,depth,alpha,beta,total")
                alone = [
                    amounts(self.ask(statement, f"--company={name}", *words)[0]) for name in ("alpha", "beta")
                ]
                for line, (one, two, total) in amounts(together).items():
                    self.assertEqual([one, two], [side.get(line, ["0.00"])[0] for side in alone])
                    if line != "share" and one:
                        self.assertEqual(Decimal(total), Decimal(one) + Decimal(two))
                if statement == "inc":
                    sales, costs = (Decimal(amounts(together)[name][2]) for name in ("sales", "costs"))
                    self.assertEqual(amounts(together)["share"][2], str(round(costs / sales * 100, 2)))

    def page(self, **query: Any) -> str:
        given = {"company": "alpha", "year": 2027, "period": 9, "unit": "exact", **query}
        reply = self.client.get(f"/statements/inc/figures/?{urlencode(given)}")
        self.assertEqual(reply.status_code, 200, reply.content[:300])
        return " ".join(html.unescape(reply.content.decode()).split())

    def test_books_and_texts_are_read_at_once(self) -> None:
        state = current().state
        companies = [state.require(Company, name) for name in ("alpha", "beta")]
        books_for(state, ["alpha", "beta"])  # the first reading packs them
        for asked, statement, queries in (
            (Asked(2027, 9), "inc", 1),
            (Asked(2027, 9, filter="season=SP26, none"), "inc", 3),
            (Asked(2027, 9), "part", 3),
        ):
            planned = known_plan(state, statement, "c")
            with self.subTest(statement, asked=asked), self.assertNumQueries(queries):
                several_figures(state, planned, companies, "GBP", asked)

    def test_the_page_says_who_is_left_out_and_opens_by_company(self) -> None:
        page = self.page(companies="all")
        self.assertIn("Euro books has no column: keeps its books in EUR.", page)
        self.assertIn("2 companies", page)
        self.assertIn("The columns add up to the total", page)
        query = {"company": "alpha", "year": 2027, "period": 9, "companies": "all", "line": "sales"}
        total = self.client.get(
            f"/statements/inc/figures/cell/?{urlencode({**query, 'column': 2})}"
        ).content.decode()
        self.assertIn("What each company brings", total)
        beta = self.client.get(
            f"/statements/inc/figures/cell/?{urlencode({**query, 'column': 1})}"
        ).content.decode()
        self.assertIn("/journals/beta/account/4010/", beta)
        book = self.client.get(f"/statements/inc/figures/workbook/?{urlencode(query)}").content
        heads = [cell.value for cell in load_workbook(io.BytesIO(book)).worksheets[0][3]]
        self.assertEqual(heads, ["Line", "Alpha", "Beta", "total"])

    def test_what_is_refused(self) -> None:
        cases = [
            (
                "all",
                (),
                "These companies keep their books in EUR, GBP: ask for those of one,"
                " as in 'all; currency=EUR'.",
            ),
            ("nobody", (), "There is no company nobody."),
            (
                "alpha",
                ("--by=site",),
                "Columns are by companies, or by codes, periods or a budget, not by both.",
            ),
            ("alpha", ("--period=99",), "Alpha: There is no period 99 in fiscal year 2027 of calendar m."),
        ]
        for choice, words, what in cases:
            with self.subTest(choice=choice):
                given = ("--year=2027", "--period=9", *words)
                status, _, told = run("statement", "inc", f"--companies={choice}", *given)
                self.assertEqual((status, told.strip()), (2, what))
        self.assertIn("There is no company nobody.", self.page(companies="nobody"))

    def test_somebody_sees_only_their_own(self) -> None:
        self.client = client_of(person("tamsin", "company", ("alpha",)))
        page = self.page(companies="all")
        self.assertIn("1 company", page)
        self.assertNotIn("Beta", page)
