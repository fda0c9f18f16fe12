"""Tables edited in place: files out and in, two at once, who may, in a draft, and long ones."""

from __future__ import annotations

import html
import io
import json
import re

import openpyxl
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.test.utils import CaptureQueriesContext

from core.changes.kinds import Put
from core.definitions.tables import (
    AccountString,
    Company,
    GroupMember,
    Period,
)
from tests.base import client_of, person
from tests.sheet_test import CALENDAR, GROUP, SheetTest
from web.definitions import actions, drafting
from web.definitions.snapshot import current


class SheetsBeside(SheetTest):
    def test_files_go_out_and_come_back_after_a_preview(self) -> None:
        csv = self.group.get(self.address("periods", "out/csv/", CALENDAR)).content.decode()
        self.assertEqual(
            csv.split("\r\n")[:2],
            [
                "fiscal_year,period,name,starts_on,ends_on,kind,status",
                "2026,1,M1,2026-01-01,2026-01-31,regular,open",
            ],
        )
        same = self.post("periods", "bring/", CALENDAR, {"text": csv}).content.decode()
        self.assertIn("<b>0</b> changed <b>5</b> same <b>0</b> fault", same)
        self.assertIn("disabled", same)
        book = openpyxl.load_workbook(
            io.BytesIO(self.group.get(self.address("members", "out/xlsx/", GROUP)).content)
        ).active
        self.assertEqual([cell.value for cell in book[2]], ["alpha", "company", "full", "100", "", ""])
        more = (
            "fiscal_year\tperiod\tname\tstarts_on\tends_on\n2026\t5\tMay\t2026-05-01\t2026-05-31\n"
            "2026\t4\tApril\t2026-04-01\t2026-04-30"
        )
        page = html.unescape(self.post("periods", "bring/", CALENDAR, {"text": more}).content.decode())
        self.assertIn("changed: name <s>M4</s> April", " ".join(page.split()))
        records = re.search(r'name="records" value="(.*?)">', page)
        assert records
        taken = self.post(
            "periods", "bring/", CALENDAR, {"records": records[1], "take": "1"}, back="/companies/alpha/"
        )
        self.assertEqual(json.loads(taken["HX-Location"])["path"], "/companies/alpha/?row=periods%3A2026+5")
        self.assertEqual(
            [current().state.require(Period, "m", 2026, n).name for n in (4, 5)], ["April", "May"]
        )
        bad = SimpleUploadedFile("p.csv", "fiscal_year,period\n2026,x\n".encode("utf-16"))
        reply = self.group.post(self.address("periods", "bring/", CALENDAR), {"file": bad})
        self.assertIn("The file is not UTF-8.", html.unescape(reply.content.decode()))

    def test_in_a_draft_rows_stand_dashed_and_nothing_is_published(self) -> None:
        draft = drafting.start("Spring", self.mirela)
        self.group.post(f"/drafts/{draft.pk}/open/")
        self.keep(
            "members", GROUP, "alpha", member="alpha", member_kind="company", method="full", ownership="60"
        )
        self.assertEqual(current().state.require(GroupMember, "g", "alpha").ownership, 100)
        page = self.group.get("/group/g/members/").content.decode()
        self.assertRegex(page, r'class="drafted" tabindex="-1" data-row="alpha"')
        self.assertIn(">60<", page)

    def test_two_people_on_one_row(self) -> None:
        seen = str(current().version)
        self.keep(
            "members", GROUP, "alpha", member="alpha", member_kind="company", method="full", ownership="60"
        )
        told = self.keep(
            "members",
            GROUP,
            "alpha",
            member="alpha",
            member_kind="company",
            method="full",
            ownership="70",
            seen=seen,
        )
        self.assertEqual(
            told,
            "Mirela changed this meanwhile: Changed member alpha of g: ownership from 100 to 60. "
            "Look at it as it is now, then decide again.",
        )

    def test_who_may(self) -> None:
        tamsin = client_of(person("tamsin", "company", ("beta",)))
        for sheet, given, rows, edit in [
            ("pairs", {"company": "beta"}, 200, 403),
            ("pairs", {"company": "alpha"}, 404, 404),
            ("rules", {"chart": "c"}, 200, 403),
            ("rules", {"chart": "other"}, 404, 403),
            ("members", GROUP, 404, 404),
            ("companies", {}, 200, 403),
            ("nothing", {}, 404, 403),
        ]:
            self.assertEqual(tamsin.get(self.address(sheet, "", given)).status_code, rows, sheet)
            self.assertEqual(tamsin.get(self.address(sheet, "row/", given)).status_code, edit, sheet)
            self.assertEqual(tamsin.get(self.address(sheet, "out/csv/", given)).status_code, rows, sheet)
        self.assertNotIn("Add rule", tamsin.get("/structures/c/").content.decode())

    def test_what_is_known_of_a_row(self) -> None:
        about = html.unescape(
            self.group.get(self.address("companies", "about/", {}, key="alpha")).content.decode()
        )
        since = "fixed because it has postings since 2026-01-10."
        self.assertIn(f"Currency: {since}", about)
        self.assertIn(f"Chart: {since} Move it to the other chart from a period on", about)
        self.assertIn("Used by <b>1</b> company code.", about)
        self.assertIn("Added company alpha Alpha", about)
        gone = self.group.get(self.address("companies", "about/", {}, key="omega"))
        self.assertIn("This row is not there any more", gone.content.decode())

    def test_a_long_sheet_comes_in_stretches_and_asks_no_more(self) -> None:
        rows = (AccountString("c", f"10-1010-{n:06}") for n in range(3_000))
        with connection.cursor() as cursor:
            cursor.executemany(
                "INSERT INTO structures_accountstring (chart, account, enabled) VALUES (%s, %s, true)",
                [row[:2] for row in rows],
            )
        actions.make_change(Put(Company("delta", "Delta", "GB", "GBP", "c", "m")), None)
        from tests.base import forget

        forget()
        page = self.group.get("/structures/c/strings/").content.decode()
        self.assertEqual(page.count("data-row="), 200)
        self.assertIn("3000 rows in all", page)
        last = self.group.get(
            self.address("strings", "", {"chart": "c"}, **{"from": "2800"})
        ).content.decode()
        self.assertEqual((last.count("data-row="), "rows in all" in last), (200, False))
        for address, most in [
            ("/structures/c/", 4),
            ("/companies/alpha/", 4),
            ("/group/g/members/", 5),
            ("/structures/c/strings/", 4),
            (self.address("companies", "about/", {}, key="alpha"), 14),
        ]:
            self.group.turning = False
            self.group.get(address)
            with self.subTest(address):
                with CaptureQueriesContext(connection) as asked:
                    self.group.get(address)
                self.assertLessEqual(len(asked), most, [q["sql"][:90] for q in asked])
