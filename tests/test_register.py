"""The register of companies: filtered, with the columns that a person chose, as long as it may be."""

from __future__ import annotations

import html
import re
from typing import Any

from core.changes.kinds import Put
from core.definitions.tables import Company, StatementLine
from tests.base import InWorld, bring, client_of, person
from web.definitions import actions
from web.definitions.snapshot import current

ROW = re.compile(r'<tr[^>]* data-row="([^"]+)".*?</tr>', re.S)
HEAD = re.compile(r'<th scope="col"[^>]*>(?:<a[^>]*>)?([^<]*)')
FURTHER = re.compile(r'hx-get="(/companies/[^"]*)" hx-trigger="revealed"')


class Register(InWorld):
    def page(self, query: str = "", client: Any = None) -> str:
        reply = (client or self.group).get(f"/companies/{query}")
        self.assertEqual(reply.status_code, 200)
        return html.unescape(reply.content.decode())

    def names(self, page: str) -> list[str]:
        return [str(row) for row in ROW.findall(page)]

    def test_words_or_a_choice_leave_some(self) -> None:
        for only, wanted in (
            ("", ["alpha", "beta"]),
            ("ALPH", ["alpha"]),
            ("gbp c", ["alpha", "beta"]),
            ("company=beta", ["beta"]),
            ("chart=c except beta", ["alpha"]),
            ("nowhere", []),
        ):
            with self.subTest(only=only):
                page = self.page(f"?only={only.replace(' ', '%20').replace('=', '%3D')}")
                self.assertEqual(sorted(self.names(page)), wanted)
                self.assertEqual("No company is meant by" in page, not wanted)
                self.assertEqual(f"{len(wanted)} of 2 companies" in page, len(wanted) != 2)
        told = self.page("?only=colour%3Dred")
        self.assertIn("'colour' is nothing by which companies are chosen", told)
        self.assertEqual(len(self.names(told)), 2, "what can't be read leaves all")

    def test_accounts_with_postings_that_stand_on_no_line_are_counted(self) -> None:
        def unplaced(company: str) -> str:
            (row,) = (m[0] for m in ROW.finditer(self.page()) if company in m[1])
            cells = re.findall(r"<td[^>]*>(.*?)</td>", row, re.S)
            return re.sub(r"<[^>]+>", "", cells[HEAD.findall(self.page()).index("Unplaced")])

        self.assertEqual((unplaced("alpha"), unplaced("beta")), ("nothing", "nothing"))
        lines = current().state.part(StatementLine, "st").values()
        cash = next(row for row in lines if row.accounts == "under 10")
        actions.make_change(Put(cash._replace(accounts="1020")), self.mirela)
        self.assertEqual(unplaced("alpha"), "1")
        self.assertIn('href="/statements/st/?company=alpha"', self.page())

    def test_each_person_chooses_the_further_columns(self) -> None:
        nia = client_of(person("nia"))
        reply = self.group.post(
            "/companies/shown/columns/?only=alpha", {"column": ["journals", "second", "x"]}
        )
        self.assertIn("only=alpha", str(reply.headers), "back to what was looked at")
        heads = HEAD.findall(self.page())
        self.assertEqual(heads[-2:], ["Journals", "Seen in"])
        self.assertNotIn("Unplaced", heads)
        self.assertIn("Unplaced", HEAD.findall(self.page(client=nia)))

    def test_a_long_register_keeps_its_columns_and_filter(self) -> None:
        alpha = current().state.require(Company, "alpha")
        rows = "\n".join(f"z{i:03},Zeta {i:03},{','.join(alpha[2:6])}" for i in range(230))
        bring({"companies": f"company,name,country,currency,chart,calendar\n{rows}\n"})
        page = self.page("?only=zeta&sort=companies:-name")
        self.assertEqual((len(self.names(page)), self.names(page)[0]), (200, "z229"))
        further = FURTHER.search(page)
        assert further is not None
        self.assertIn("only=zeta", further[1])
        rest = self.group.get(further[1]).content.decode()
        self.assertEqual(self.names(rest), [f"z{i:03}" for i in range(29, -1, -1)])
        cells = {row: m[0].count("<td") for m in ROW.finditer(page + rest) for row in (m[1],)}
        self.assertEqual(len(set(cells.values())), 1, "each row has every column")
        self.assertIsNone(FURTHER.search(rest))
