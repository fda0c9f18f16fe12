"""Matrices against a computation in decimals written without the core: any axes, one company or several."""

from __future__ import annotations

import html
import re
from collections.abc import Callable
from decimal import Decimal
from itertools import permutations
from typing import Any
from urllib.parse import urlencode

from tests.base import PineTest, bring, client_of, person
from tests.naive_books import FILTERS, NO_FILTER, RESULT, ZERO, Books, Line, cents
from tests.test_figures_page import CELL, plain


def _is_rest(x: Line) -> bool:
    """What neither the web's line nor that of sales without a site takes."""
    is_web = x.natural in ("4010", "5010") and x.channel == "W"
    return x.natural in ("4010", "5010", "5020") and not is_web and (x.natural != "4010" or x.site != "")


LINES: dict[str, tuple[str, Callable[[Line], bool], int]] = {
    "inc/net": ("movement", lambda x: x.natural in ("4010", "5010", "5020"), -1),
    "inc/ever": ("standing", lambda x: x.natural in RESULT, -1),
    "part/rest": ("movement", _is_rest, 1),
    "st/assets": ("standing", lambda x: x.natural in ("1010", "1020", "1110", "1810"), 1),
    "st/owing": ("standing", lambda x: x.natural not in ("1010", "1020", "1110", "1810"), -1),
}
"""By statement and line: what it sums, which amounts, and the sign that is shown."""
FIELDS = ("accounts", "site", "season", "channel", "companies")
ROW = re.compile(r'<tr tabindex="-1" data-row="([^"]*)">(.*?)</tr>', re.S)
HEAD = re.compile(r'<th scope="col" class="num code-head"[^>]*>([^<]*)')
TO = (2027, 9)
"""Up to this period; its year begins with period 4."""


def quarter(line: Line) -> str:
    return f"{line.year}-Q{(line.period - 4) // 3 + 1}"


class Matrices(PineTest):
    def setUp(self) -> None:
        super().setUp()
        self.books = Books(23)
        bring(self.books.package())
        self.client = client_of(person("mirela"))

    def page(self, statement: str, **query: Any) -> str:
        given = {"company": "alpha", "unit": "exact", "year": TO[0], "period": TO[1], **query}
        reply = self.client.get(f"/statements/{statement}/matrix/?{urlencode(given)}")
        self.assertEqual(reply.status_code, 200, reply.content[:300])
        return html.unescape(reply.content.decode())

    def cells(self, page: str) -> dict[tuple[str, str], str]:
        across = [title.strip() for title in HEAD.findall(page)]
        body = page[page.index("<tbody>") : page.index("</tbody>")]
        return {
            (row, column): plain(text)
            for row, cells in ROW.findall(body)
            for column, (_, text) in zip(across, CELL.findall(cells), strict=False)
        }

    def key(self, axis: str, line: Line, company: str) -> str:
        own = {"accounts": line.natural, "companies": company}
        return own.get(axis) or line.field(axis) or "none"

    def expected(self, line: str, down: str, across: str, fits: Any, companies: tuple[str, ...]) -> Any:
        """Amounts as shown by pair of keys, of pairs that anything was posted to."""
        measure, of_line, sign = LINES[line]
        sums: dict[tuple[str, str], Decimal] = {}
        for company in companies:
            for x in self.books.of[company]:
                upto = (x.year, x.period) <= TO
                moves = upto and x.year == TO[0] and x.period >= 4 and not x.shut
                if of_line(x) and fits(x) and (upto if measure == "standing" else moves):
                    pair = (self.key(down, x, company), self.key(across, x, company))
                    sums[pair] = sums.get(pair, ZERO) + sign * x.raw
        return sums

    def test_codes_accounts_and_companies_by_one_another(self) -> None:
        for number, (line, pair) in enumerate((one, two) for one in LINES for two in permutations(FIELDS, 2)):
            text, fits = (NO_FILTER, *FILTERS)[number % 7]
            statement, name = line.split("/")
            of = ("alpha", "beta") if "companies" in pair else ("alpha",)
            with self.subTest(line=line, axes=pair, filter=text):
                page = self.page(statement, line=name, down=pair[0], across=pair[1], filter=text)
                found = {key: text for key, text in self.cells(page).items() if text}
                expected = self.expected(line, *pair, fits, of)
                self.assertEqual(found, {key: cents(amount) for key, amount in expected.items()})
                total = re.search(r'line: <b class="code">([^<]*)<', page)
                self.assertEqual(plain(total.group(1)) if total else "", cents(sum(expected.values(), ZERO)))
                self.assertNotIn("do not come to the figure", page)

    def test_periods_move_or_stand(self) -> None:
        for line, down, across in (
            ("inc/net", "site", "quarters"),
            ("inc/net", "quarters", "companies"),
            ("st/assets", "accounts", "quarters"),
            ("inc/ever", "quarters", "season"),
        ):
            statement, name = line.split("/")
            of = ("alpha", "beta") if "companies" in (down, across) else ("alpha",)
            measure, of_line, sign = LINES[line]
            periods = ["2027-Q1", "2027-Q2"]
            sums: dict[tuple[str, str], Decimal] = {}
            for company in of:
                for x in self.books.of[company]:
                    upto, moves = (x.year, x.period) <= TO, x.year == TO[0] and x.period >= 4 and not x.shut
                    if not of_line(x) or not upto or (measure == "movement" and not moves):
                        continue
                    own = quarter(x) if x.year == TO[0] and x.period >= 4 else periods[0]
                    there = [p for p in periods if p == own or (measure == "standing" and p > own)]
                    for period in there:
                        first, second = (
                            period if axis == "quarters" else self.key(axis, x, company)
                            for axis in (down, across)
                        )
                        sums[first, second] = sums.get((first, second), ZERO) + sign * x.raw
            with self.subTest(line=line, axes=(down, across)):
                page = self.page(statement, line=name, down=down, across=across)
                found = {key: text for key, text in self.cells(page).items() if text}
                self.assertEqual(found, {key: cents(amount) for key, amount in sums.items()})
                self.assertNotIn("do not come to the figure", page)

    def test_levels_of_codes_open_to_what_is_under_them(self) -> None:
        page = self.page("inc", line="net", down="site:1", across="season")
        found = self.cells(page)
        plain_page = self.cells(self.page("inc", line="net", down="site", across="season"))
        self.assertEqual(
            found, {("9" if row == "002" else row, c): text for (row, c), text in plain_page.items()}
        )
        body = page[page.index("<tbody>") : page.index("</tbody>")]
        row = next(cells for key, cells in ROW.findall(body) if key == "9")
        address, figure = next((a, t) for a, t in CELL.findall(row) if a)
        self.assertIn("filter=site%3Dunder+9%3B+season%3D", address)
        self.assertIn(f'<b class="code">{figure}</b>', self.client.get(address).content.decode())
        figures = self.client.get("/statements/inc/figures/?company=alpha&by=site:1&year=2027&period=9")
        self.assertIn("Site, level 1", figures.content.decode())
        self.assertIn("by=site%3A1", figures.content.decode())

    def test_a_cell_opens_to_its_accounts_and_their_lines(self) -> None:
        page = self.page("inc", line="net", down="companies", across="quarters", filter="season=SP26")
        body = page[page.index("<tbody>") : page.index("</tbody>")]
        row = next(cells for key, cells in ROW.findall(body) if key == "alpha")
        address, figure = next((a, t) for a, t in CELL.findall(row) if a)
        cell = html.unescape(self.client.get(address).content.decode())
        self.assertIn(f'<b class="code">{figure}</b>', cell)
        for part in ("company=alpha", "period=6", "first=4", "filter=season%3DSP26"):
            self.assertIn(part, address)
        self.assertIn("/journals/alpha/account/", cell)

    def test_what_a_matrix_cannot_be_of_is_told(self) -> None:
        for statement, query, says in (
            ("inc", {"line": "net", "down": "site", "across": "site"}, "What stands down stands across too"),
            (
                "inc",
                {"line": "net", "down": "months", "across": "years"},
                "Periods stand down or across, not both.",
            ),
            (
                "inc",
                {"line": "net", "down": "x", "across": "site"},
                "There is no segment or dimension x in chart c.",
            ),
            (
                "inc",
                {"line": "net", "down": "site", "across": "months", "first": "5"},
                "begin where their periods",
            ),
            ("inc", {"line": "net", "companies": "nobody"}, "There is no company nobody."),
        ):
            with self.subTest(says):
                self.assertIn(says, self.page(statement, **query))
        figures = self.client.get("/statements/inc/figures/?company=alpha&by=site,season").content.decode()
        self.assertIn("/statements/inc/matrix/?", figures)
        self.assertIn("down=site&amp;across=season", figures)
