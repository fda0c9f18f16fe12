"""Remarks on lines: on the page, on paper, in workbooks, of one period and company or group only."""

from __future__ import annotations

import html
import io
import re
from typing import Any

from openpyxl import load_workbook
from pypdf import PdfReader

from core.changes.kinds import Drop, Put
from core.definitions.tables import Statement, StatementLine
from tests.base import PineTest, bring, client_of, person, world
from web.definitions import actions
from web.definitions.snapshot import current
from web.statements.models import LineRemark

ALPHA = {"company": "alpha", "year": "2026", "period": "2"}
PAGE = "/statements/st/figures/?company=alpha&year=2026&period=2"


class Remarks(PineTest):
    def setUp(self) -> None:
        super().setUp()
        bring(world())
        self.client = client_of(person("mirela"))

    def say(self, line: str, text: str, status: int = 200, **at: str) -> None:
        reply = self.client.post("/statements/st/remark/", {**ALPHA, **at, "line": line, "text": text})
        self.assertEqual(reply.status_code, status, reply.content[:300])

    def notes(self, address: str = PAGE) -> list[str]:
        """The notes below the figures, as they read."""
        page = self.client.get(address).content.decode()
        part = re.search(r'<ol class="notes">(.*?)</ol>', page, re.S)
        items = re.findall(r"<li>(.*?)<button", part.group(1), re.S) if part else []
        plain = (" ".join(html.unescape(re.sub(r"<[^>]+>", "", item)).split()) for item in items)
        return [text.rsplit(" Mirela", 1)[0] for text in plain]

    def numbers(self, address: str = PAGE) -> dict[str, str]:
        page = html.unescape(self.client.get(address).content.decode())
        return dict(
            re.findall(
                r'<td class="[^"]*stays"[^>]*>(?:<span[^>]*>less </span>)?([A-Za-z ]+)<sup>([\d ]+)</sup>',
                page,
            )
        )

    def test_notes_are_numbered_in_the_order_of_the_lines(self) -> None:
        self.say("creditors", "Paid in March")
        self.say("cash", "In <two> banks")
        self.say("creditors", "Disputed")
        self.assertEqual(
            self.notes(), ["Cash In <two> banks", "Creditors Paid in March", "Creditors Disputed"]
        )
        self.assertEqual(self.numbers(), {"Cash": "1", "Creditors": "2 3"})
        for other in ("company=beta&year=2026&period=2", "company=alpha&year=2026&period=1"):
            self.assertEqual(self.notes(f"/statements/st/figures/?{other}"), [])

    def test_they_stay_when_lines_move_and_when_they_go(self) -> None:
        self.say("cash", "One")
        self.say("debtors", "Two")
        cash = current().state.require(StatementLine, "st", "cash")
        actions.make_change(Put(cash._replace(position=99)), None)
        self.assertEqual(self.notes(), ["Debtors Two", "Cash One"])
        actions.make_change(Drop(cash._replace(position=99)), None)
        self.assertEqual(self.notes(), ["Debtors Two", "cash (a line that is gone) One"])

    def test_they_are_printed(self) -> None:
        self.say("cash", "In two banks")
        query = PAGE.split("?")[1]
        pdf = self.client.get(f"/statements/st/figures/pdf/?{query}").content
        words = " ".join(PdfReader(io.BytesIO(pdf)).pages[0].extract_text().split())
        self.assertIn("1 Cash: In two banks (Mirela, ", words)
        book = load_workbook(io.BytesIO(self.client.get(f"/statements/st/figures/workbook/?{query}").content))
        cells = [row[0].value for row in book.worksheets[0].iter_rows()]
        self.assertTrue(any(str(cell).startswith("1 Cash: In two banks (Mirela, ") for cell in cells))

    def test_a_group_has_its_own(self) -> None:
        self.say("cash", "Of the group", company="", group="g")
        address = "/group/g/?statement=st&year=2026&period=2"
        self.assertEqual(self.notes(address), ["Cash Of the group"])
        self.assertEqual(self.notes(), [])
        pdf = self.client.get("/group/g/pdf/?statement=st&year=2026&period=2").content
        words = " ".join(PdfReader(io.BytesIO(pdf)).pages[0].extract_text().split())
        self.assertIn("Both, consolidated · M2 In GBP", words)
        self.assertIn("1 Cash: Of the group (Mirela, ", words)
        book = self.client.get("/group/g/workbook/?statement=st&year=2026&period=2").content
        cells = [row[0].value for row in load_workbook(io.BytesIO(book)).worksheets[0].iter_rows()]
        self.assertTrue(any(str(cell).startswith("1 Cash: Of the group") for cell in cells))

    def test_totals_below_are_the_group_s_too(self) -> None:
        row = current().state.require(Statement, "st")
        actions.make_change(Put(row._replace(totals="below")), None)
        page = self.client.get("/group/g/?statement=st&year=2026&period=2").content.decode()
        self.assertLess(page.index('data-row="assets/head"'), page.index('data-row="cash"'))
        self.assertLess(page.index('data-row="cash"'), page.index('data-row="assets"'))
        pdf = self.client.get("/group/g/pdf/?statement=st&year=2026&period=2").content
        words = " ".join(PdfReader(io.BytesIO(pdf)).pages[0].extract_text().split())
        self.assertLess(words.index("Cash"), words.index("Total Assets"))

    def test_what_was_taken_away_is_kept(self) -> None:
        self.say("cash", "Wrong")
        row = LineRemark.objects.get()
        self.assertEqual(self.client.post(f"/statements/st/remark/{row.pk}/end/", ALPHA).status_code, 200)
        self.assertEqual(self.notes(), [])
        row.refresh_from_db()
        self.assertEqual((row.text, row.ended_by.username if row.ended_by else ""), ("Wrong", "mirela"))
        self.assertEqual(self.client.post(f"/statements/st/remark/{row.pk}/end/", ALPHA).status_code, 404)

    def test_nobody_remarks_on_what_they_don_t_see(self) -> None:
        self.say("cash", "", 422)
        self.say("nowhere", "x", 404)
        self.say("cash", "x", 404, company="nobody")
        self.say("cash", "Ours")
        row: Any = LineRemark.objects.get()
        self.client = client_of(person("tom", "company", ("beta",)))
        self.say("cash", "x", 404)
        self.say("cash", "x", 404, company="", group="g")
        self.assertEqual(self.client.post(f"/statements/st/remark/{row.pk}/end/", ALPHA).status_code, 404)
        self.say("cash", "Beta's", company="beta")
        self.assertEqual(LineRemark.objects.count(), 2)
