"""The trial balance on screen: accounts and amounts are those of the command line whatever is asked, headings
are the sum of what stands under them, and its files have what it shows."""

from __future__ import annotations

import csv
import html
import io
import re
from random import Random
from typing import Any
from urllib.parse import urlencode

from core.books.balances import under_headings
from core.codes.hierarchies import main_tree
from tests.base import PineTest, bring, client_of, person, run
from tests.naive_books import Books
from tests.test_figures_page import plain
from web.definitions.snapshot import current

ROW = re.compile(r'<tr[^>]*data-row="([^"]+)"[^>]*>(.*?)</tr>', re.S)
NUM = re.compile(r'<td class="num[^"]*"[^>]*>(?:<a[^>]*>)?([^<]*)')
AT = {"company": "alpha", "year": 2027, "period": 9}


class TrialBalancePage(PineTest):
    def setUp(self) -> None:
        super().setUp()
        bring(Books(11).package())
        self.client = client_of(person("mirela"))

    def page(self, **query: Any) -> str:
        reply = self.client.get(f"/statements/trial-balance/?{urlencode({**AT, **query})}")
        self.assertEqual(reply.status_code, 200)
        return html.unescape(reply.content.decode())

    def rows(self, page: str) -> dict[str, list[str]]:
        return {key: [plain(text) for text in NUM.findall(cells)] for key, cells in ROW.findall(page)}

    def told(self, *words: str) -> dict[str, list[str]]:
        status, out, err = run("trial-balance", "--company=alpha", "--year=2027", "--period=9", *words)
        self.assertEqual(status, 0, err)
        return {row[0]: row[2:] for row in list(csv.reader(io.StringIO(out)))[1:]}

    def test_it_shows_what_the_command_line_says(self) -> None:
        for query, words in (
            ({}, ()),
            ({"first": 6}, ("--from-period=6",)),
            ({"filter": "season=SP26, none"}, ("--filter=season=SP26, none",)),
            ({"by": "season"}, ("--by=season",)),
            ({"by": "site,channel"}, ("--by=site,channel",)),
        ):
            for levels in ("", 1, 2):
                with self.subTest(query=query, levels=levels):
                    shown = self.rows(self.page(**query, levels=levels))
                    accounts = {key: row for key, row in shown.items() if not key.endswith("/head")}
                    self.assertEqual(accounts, self.told(*words))

    def test_headings_are_the_sum_of_what_stands_under_them(self) -> None:
        state = current().state
        shape = main_tree(state, "acc")
        assert shape
        for levels in (1, 2, 3):
            for query in ({}, {"by": "season"}):
                shown = self.rows(self.page(**query, levels=levels))
                heads = {key.removesuffix("/head"): row for key, row in shown.items() if "/head" in key}
                self.assertTrue(heads)
                accounts = {key: row for key, row in shown.items() if "/head" not in key}
                for head, row in heads.items():
                    self.assertLessEqual(len(shape.path(head)), levels)
                    under = [cells for key, cells in accounts.items() if head in shape.path(key)]
                    sums = [
                        sum(round(float(text) * 100) for text in column)
                        for column in zip(*under, strict=True)
                    ]
                    self.assertEqual(sums, [round(float(text) * 100) for text in row], head)

    def test_only_some_accounts_and_their_file(self) -> None:
        whole, part = self.rows(self.page()), self.page(only="1*")
        kept = {key: row for key, row in whole.items() if key.startswith("1")}
        self.assertEqual(self.rows(part), kept)
        self.assertIn("Only a part is shown, which need not come to nothing.", part)
        (query,) = set(re.findall(r'/exchange/report/csv/\?([^"]*)"', part))
        reply = self.client.get(f"/exchange/report/csv/?{query}")
        told = {row[0]: row[2:] for row in list(csv.reader(io.StringIO(reply.content.decode())))[1:]}
        self.assertEqual(told, kept)
        (query,) = set(
            re.findall(r'/exchange/report/csv/\?([^"]*)"', self.page(by="season", filter="site=001"))
        )
        reply = self.client.get(f"/exchange/report/csv/?{query}")
        told = {row[0]: row[2:] for row in list(csv.reader(io.StringIO(reply.content.decode())))[1:]}
        self.assertEqual(told, self.told("--by=season", "--filter=site=001"))

    def test_what_cannot_be_asked_is_said_where_the_figures_would_stand(self) -> None:
        for query, says in (
            ({"only": "zz"}, "There is no code zz in acc."),
            ({"by": "zz"}, "There is no segment or dimension zz in chart c."),
            ({"filter": "zz"}, "'zz' is not written as field=codes."),
        ):
            page = self.page(**query)
            self.assertIn(f'<p class="must mb-2">{says}</p>', page)
            self.assertEqual(self.rows(page), {})
        for odd in ("-1", "99", "x", "1e9"):
            self.page(levels=odd)

    def test_of_any_tree_each_account_stands_once_under_its_own(self) -> None:
        chance = Random(4)
        for _ in range(40):
            codes = [f"{chance.randrange(1000, 3000)}" for _ in range(chance.randrange(1, 30))]
            paths = {code: [code[:1], code[:2], code[:3]][: chance.randrange(0, 4)] for code in codes}
            rows = [(code, (chance.randrange(-99, 99), 1)) for code in dict.fromkeys(codes)]
            lines = list(under_headings(rows, lambda code: paths[code]))
            self.assertEqual(
                sorted(line.code for line in lines if not line.is_heading), sorted(dict.fromkeys(codes))
            )
            open_heads: list[str] = []
            for line in lines:
                open_heads = open_heads[: line.depth]
                if line.is_heading:
                    open_heads.append(line.code)
                    under = [amounts for code, amounts in rows if line.code in paths[code]]
                    self.assertEqual(line.amounts, tuple(map(sum, zip(*under, strict=True))))
                else:
                    self.assertEqual(open_heads, paths[line.code])
