"""Tables edited in place, as a page acts on them: rows kept and refused, several at once, files out and in,
who may."""

import html
import io
import json
import re
from decimal import Decimal
from typing import Any
from urllib.parse import urlencode

import openpyxl
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.test.utils import CaptureQueriesContext

from core.changes.kinds import ChangeSet, Put
from core.definitions.tables import (
    AccountString,
    ChartSegment,
    Company,
    CompanyCode,
    Elimination,
    GroupMember,
    Mapping,
    PairingCondition,
    PairingRule,
    Period,
)
from tests.base import InWorld, client_of, person
from web.definitions import actions, drafting
from web.definitions.models import Version
from web.definitions.snapshot import current
from web.sheets.pages import SHEETS

STRUCTURE = {"structure": "s", "chart": "c"}
CALENDAR = {"calendar": "m", "company": "alpha"}
GROUP = {"group": "g"}
RULE = {
    "position": "10",
    "rule": "north",
    "when": "account: 4010",
    "field": "site",
    "outcome": "only",
    "codes": "001",
}


class Sheets(InWorld):
    def address(self, sheet: str, act: str, given: dict[str, str], **more: str) -> str:
        return f"/table/{sheet}/{act}?{urlencode({**given, **more})}"

    def post(self, sheet: str, act: str, given: dict[str, str], values: dict[str, str], **more: str) -> Any:
        headers = {"HX-Request": "true", "HX-Current-URL": "http://testserver/structures/c/?row=old"}
        return self.group.post(self.address(sheet, act, given, **more), values, headers=headers)

    def keep(self, sheet: str, given: dict[str, str], key: str = "", **cells: str) -> str:
        """Where the page goes after a row was kept, or the faults as text, each with the column whose cell it
        stands on."""
        reply = self.post(sheet, "row/", given, cells, key=key)
        if reply.status_code == 200:
            return str(json.loads(reply["HX-Location"])["path"])
        told = re.findall(r'<p(?: data-column="(\w+)")?>(.*?)</p>', reply.content.decode(), re.S)
        return " | ".join(
            f"{column}: {html.unescape(re.sub(r'<[^>]+>', '', ' '.join(text.split())))}".strip(": ")
            for column, text in told
        )

    def test_a_row_is_kept_or_told_what_is_wrong_on_its_cell(self) -> None:
        there = "/structures/c/?row="
        period = {
            "fiscal_year": "2026",
            "period": "5",
            "name": "M5",
            "starts_on": "2026-05-01",
            "ends_on": "2026-05-31",
            "kind": "regular",
            "status": "open",
        }
        member = {"member": "alpha", "member_kind": "company", "method": "full", "ownership": "80"}
        cases: list[tuple[str, dict[str, str], str, dict[str, str], str]] = [
            ("rules", {"chart": "c"}, "", RULE, f"{there}rules%3Anorth"),
            (
                "rules",
                {"chart": "c"},
                "north",
                {**RULE, "when": "account: 4010; season: SP26"},
                f"{there}rules%3Anorth",
            ),
            (
                "rules",
                {"chart": "c"},
                "",
                RULE,
                (
                    "rule: There is a pairing rule north of c already. Give another one, or change the one"
                    " that is there."
                ),
            ),
            (
                "rules",
                {"chart": "c"},
                "",
                {**RULE, "rule": "x", "when": "account 4010"},
                (
                    "when: 'account 4010' is not written as a segment, a colon and its codes, as in account:"
                    " 11240 to 11249. Correct the cell."
                ),
            ),
            (
                "rules",
                {"chart": "c"},
                "",
                {**RULE, "rule": "x", "when": "account: 4010; account: 4020"},
                "when: account stands twice; join its codes with commas. Correct the cell.",
            ),
            (
                "rules",
                {"chart": "c"},
                "",
                {**RULE, "rule": "x", "when": "account: 9999"},
                "when: There is no code 9999 in acc. Correct the selector.",
            ),
            (
                "rules",
                {"chart": "c"},
                "",
                {**RULE, "rule": "x", "outcome": ""},
                "outcome: The column outcome must be given. Fill the cell.",
            ),
            (
                "mappings",
                {"group": "g", "company": "beta"},
                "",
                {"position": "10", "accounts": "1010", "field": "", "codes": "", "target": "1020"},
                f"{there}mappings%3A10",
            ),
            (
                "mappings",
                {"group": "g", "company": "beta"},
                "",
                {"position": "20", "accounts": "1110", "field": "", "codes": "", "target": "1110"},
                f"{there}mappings%3A20",
            ),
            (
                "mappings",
                {"group": "g", "company": "beta"},
                "10",
                {"position": "20", "accounts": "1010", "field": "", "codes": "", "target": "1020"},
                (
                    "position: There is a mapping row beta 20 of g already. Give another one, or change the"
                    " one that is there."
                ),
            ),
            (
                "mappings",
                {"group": "g", "company": "beta"},
                "10",
                {"position": "15", "accounts": "1010", "field": "", "codes": "", "target": "1020"},
                f"{there}mappings%3A15",
            ),
            (
                "segments",
                STRUCTURE,
                "3",
                {
                    "position": "3",
                    "segment": "site",
                    "name": "Place",
                    "code_list": "site",
                    "role": "other",
                    "required": "on",
                    "default_code": "001",
                },
                f"{there}segments%3A3",
            ),
            (
                "segments",
                STRUCTURE,
                "2",
                {
                    "position": "2",
                    "segment": "account",
                    "name": "Account",
                    "code_list": "acc",
                    "role": "other",
                    "required": "on",
                    "default_code": "",
                },
                (
                    "role: The role can't change from natural_account any more because account strings of its"
                    " structure were posted to. Close it and add a new one."
                ),
            ),
            (
                "companies",
                {},
                "",
                {
                    "company": "gamma",
                    "name": "Gamma",
                    "country": "GB",
                    "currency": "GBP",
                    "chart": "c",
                    "calendar": "m",
                    "codes": "",
                },
                f"{there}companies%3Agamma",
            ),
            (
                "companies",
                {},
                "gamma",
                {
                    "company": "gamma",
                    "name": "Gamma",
                    "country": "GB",
                    "currency": "GBP",
                    "chart": "c",
                    "calendar": "m",
                    "codes": "77",
                },
                "codes: Company: there is no code 77. Choose a code of co or add it there.",
            ),
            (
                "companies",
                {},
                "gamma",
                {
                    "company": "gamma",
                    "name": "Gamma",
                    "country": "GB",
                    "currency": "GBP",
                    "chart": "c",
                    "calendar": "m",
                    "codes": "10, 20",
                },
                f"{there}companies%3Agamma",
            ),
            (
                "pairs",
                {"company": "gamma"},
                "alpha",
                {"partner": "alpha", "due_from": "1810", "due_to": "2810"},
                f"{there}pairs%3Aalpha",
            ),
            (
                "pairs",
                {"company": "gamma"},
                "",
                {"partner": "beta", "due_from": "1", "due_to": "2810"},
                (
                    "due_from: Account: 1 Assets is a rollup code and takes no amounts. Choose a posting code"
                    " below it."
                ),
            ),
            ("periods", CALENDAR, "", period, f"{there}periods%3A2026+5"),
            (
                "periods",
                CALENDAR,
                "2026 5",
                {**period, "starts_on": "2026-05-03"},
                (
                    "starts_on: There is a gap between M4, which ends on 2026-04-30, and M5. Regular periods"
                    " leave no gap."
                ),
            ),
            ("members", GROUP, "alpha", member, f"{there}members%3Aalpha"),
            (
                "members",
                GROUP,
                "alpha",
                {**member, "ownership": "180"},
                "ownership: Ownership is a percentage from 0 to 100. Correct it.",
            ),
            (
                "strings",
                {"chart": "c"},
                "",
                {"account": "10-1010", "enabled": "on"},
                f"{there}strings%3A10-1010",
            ),
            (
                "quick-codes",
                {"chart": "c"},
                "",
                {"quick_code": "till", "account": "10-1020", "scope": "everyone"},
                f"{there}quick-codes%3Atill",
            ),
            (
                "rates",
                {},
                "",
                {
                    "from_currency": "GBP",
                    "to_currency": "GBP",
                    "kind": "closing",
                    "on": "2026-01-31",
                    "rate": "1.1",
                },
                "to_currency: A rate is between two currencies. Leave the row out.",
            ),
        ]
        for sheet, given, key, cells, expected in cases:
            with self.subTest(sheet=sheet, key=key, cells=cells):
                self.assertEqual(self.keep(sheet, given, key, **cells), expected)
        state = current().state
        self.assertEqual({c.field for c in state.rows(PairingCondition)}, {"account", "season"})
        self.assertEqual(
            sorted((m.position, m.target) for m in state.part(Mapping, "g").values()),
            [(15, "1020"), (20, "1110")],
        )
        self.assertEqual(state.get(ChartSegment, "c", "site"), ChartSegment("c", "site", True, "001"))
        self.assertEqual({c.code for c in state.part(CompanyCode, "gamma").values()}, {"10", "20"})

    def test_a_change_of_two_tables_is_one_version_that_is_taken_back_whole(self) -> None:
        self.keep("rules", {"chart": "c"}, **RULE)
        version = Version.objects.latest("version")
        self.assertEqual((version.rows, version.sentence), (2, "Added pairing rule north of c, and 1 more"))
        self.group.post(f"/log/{version.version}/take-back/", headers={"HX-Request": "true"})
        self.assertEqual([*current().state.rows(PairingRule), *current().state.rows(PairingCondition)], [])

    def test_several_rows_at_once(self) -> None:
        periods = ["2026 1", "2026 2", "2026 3"]

        def several(sheet: str, given: dict[str, str], what: str, act: str, **values: str) -> str:
            reply = self.post(sheet, "several/", given, {"what": what, "act": act, **values})
            return html.unescape(re.sub(r"\s+", " ", re.sub(r"<[^>]+>", "", reply.content.decode())).strip())

        self.assertEqual(
            several("periods", CALENDAR, ",".join(periods), "put", column="status", value="closed"), ""
        )
        self.assertEqual(
            [current().state.require(Period, "m", 2026, n).status for n in (1, 2, 3, 4)],
            ["closed"] * 3 + ["open"],
        )
        self.assertEqual(
            several("periods", CALENDAR, "2026 1", "put", column="status", value="shut"),
            "One of these is expected: open, restricted, closed. Correct the cell.",
        )
        self.assertEqual(
            several("periods", CALENDAR, "2026 1", "put", column="period", value="7"),
            "Choose a column to set.",
        )
        self.assertEqual(
            several("periods", CALENDAR, "2026 2", "delete"),
            "M2 can't be deleted because journals fall into it. Close the period instead.",
        )
        self.assertEqual(
            several("periods", CALENDAR, "", "delete"), "No period is chosen. Choose a row first."
        )
        self.keep(
            "eliminations",
            GROUP,
            position="20",
            elimination="second",
            accounts="4020",
            difference_account="4010",
            partners_only="on",
        )
        self.assertEqual(several("eliminations", GROUP, "second", "up"), "")
        self.assertEqual(
            [
                (e.elimination, e.position)
                for e in sorted(current().state.rows(Elimination), key=lambda e: e.position)
            ],
            [("second", 10), ("e", 20)],
        )
        self.assertEqual(
            several("eliminations", GROUP, "second", "up"),
            "The elimination second of g cannot go up from here.",
        )
        self.assertEqual(
            several("members", GROUP, "alpha,beta", "delete"), "2 members go for good. Delete Leave itEsc"
        )
        self.assertEqual(several("members", GROUP, "alpha,beta", "delete", decided="delete"), "")
        self.assertEqual(list(current().state.rows(GroupMember)), [])
        self.assertEqual(Version.objects.latest("version").sentence, "Deleted 2 rows of group_members")

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
        self.assertRegex(page, r'data-row="alpha" class="drafted"')
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
            ("pairs", {"company": "alpha"}, 404, 403),
            ("rules", {"chart": "c"}, 200, 403),
            ("rules", {"chart": "other"}, 404, 403),
            ("members", GROUP, 404, 403),
            ("companies", {}, 404, 403),
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
        self.assertIn("Calendar, Chart, Currency: fixed because it has postings.", about)
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
            ("/group/g/members/", 4),
            ("/structures/c/strings/", 4),
            (self.address("companies", "about/", {}, key="alpha"), 14),
        ]:
            self.group.turning = False
            self.group.get(address)
            with self.subTest(address):
                with CaptureQueriesContext(connection) as asked:
                    self.group.get(address)
                self.assertLessEqual(len(asked), most, [q["sql"][:90] for q in asked])

    def test_every_sheet_opens_a_new_row_with_what_is_proposed(self) -> None:
        given = {"structure": "s", "chart": "c", "calendar": "m", "company": "alpha", "group": "g"}
        found = {}
        for name, sheet in SHEETS.items():
            page = self.group.get(
                self.address(name, "row/", {part: given[part] for part in sheet.given})
            ).content.decode()
            self.assertIn("data-save", page, name)
            found[name] = dict(re.findall(r'<input name="(\w+)" value="([^"]+)"', page))
        self.assertEqual(found["segments"], {"position": "4"})
        self.assertEqual(
            found["periods"],
            {
                "fiscal_year": "2026",
                "period": "5",
                "name": "May 2026",
                "starts_on": "2026-05-01",
                "ends_on": "2026-05-31",
            },
        )
        self.assertEqual(found["eliminations"], {"position": "20"})
        self.assertEqual(found["companies"], {})  # nothing is taken over from another company unasked

    def test_rows_together_are_one_change(self) -> None:
        made = actions.make_change(
            ChangeSet(
                (Put(GroupMember("g", "alpha", ownership=Decimal(80))), Put(GroupMember("g", "beta"))), "Both"
            ),
            None,
        )
        self.assertEqual(Version.objects.get(version=made.version).sentence, "Both")
