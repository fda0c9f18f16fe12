"""Screens of storey 1 in depth: the table asked and acted on in many rows, files in and out, hierarchies and
elevation."""

import csv
import html
import io
import json
import re
from typing import Any

import openpyxl
from django.core.files.uploadedfile import SimpleUploadedFile

from core.changes.kinds import Amend, Put
from core.codes.hierarchies import tree
from core.definitions.tables import Code, CodeProperty, Hierarchy, HierarchyNode, ListProperty
from tests.base import PineTest, TurningClient, bring, client_of, person, world
from web.definitions import actions
from web.definitions.models import Version
from web.definitions.snapshot import current


class Screen(PineTest):
    def setUp(self) -> None:
        super().setUp()
        bring(world())
        self.client: TurningClient = client_of(person("mirela"))

    def post(self, address: str, status: int = 200, /, **values: Any) -> str:
        headers = {
            "HX-Request": "true",
            "HX-Current-URL": "http://testserver/hierarchies/tree/elevation/?by=codes&at=1",
        }
        reply = self.client.post(address, values, headers=headers)
        self.assertEqual(reply.status_code, status, reply.content.decode()[:600])
        text = re.sub(r"\s+", " ", re.sub(r"<[^>]+>", " ", reply.content.decode())).strip()
        return reply.get("HX-Location") or html.unescape(text)

    def codes(self, query: str) -> list[str]:
        reply = self.client.get(f"/codes/acc/rows/?{query}")
        self.assertEqual(reply.status_code, 200)
        return re.findall(r'<tr id="row-(\w+)"', reply.content.decode())

    def code(self, code: str) -> Code:
        row = current().state.get(Code, "acc", code)
        assert row is not None
        return row


class Table(Screen):
    def test_each_filter_keeps_what_it_says(self) -> None:
        actions.make_change(Put(ListProperty("acc", "owner", "Owner")), None)
        actions.make_change(Put(CodeProperty("acc", "1020", "owner", "Treasury")), None)
        actions.make_change(Amend("codes", ("acc", "5010"), (("in_use_until", "2025-12-31"),)), None)
        for query, expected in (
            ("prefix=10", ["10", "1010", "1020"]),
            ("class=revenue", ["4010", "4020"]),
            ("kind=rollup", ["1", "10", "11"]),
            ("stands=never", ["1020", "2010", "4020", "5010", "5020"]),
            ("stands=closed", ["5010"]),
            ("stands=loose&class=asset", ["1810"]),
            ("stands=offline&class=asset", []),
            ("on=2026-01-01&class=expense", ["5020"]),
            ("has-owner=treasury", ["1020"]),
            ("has-contra=true", []),
            ("find=cost&sort=name", ["5010", "5020"]),
            ("class=asset&sort=-code", ["1810", "1110", "1020", "1010"]),
            ("class=asset&sort=name", ["1010", "1110", "1810", "1020"]),
            ("stands=draft", []),
        ):
            with self.subTest(query):
                self.assertEqual(self.codes(query), expected)

    def test_columns_are_a_persons_choice_and_files_follow_them(self) -> None:
        self.post("/codes/acc/columns/", column=["account_class", "under", "notes"])
        page = self.client.get("/codes/acc/").content.decode()
        self.assertEqual(
            re.findall(r'<a class="sorts"[^>]*>(.*?)</a></th>', page),
            ["Code", "Name", "Class", "Under", "Notes"],
        )
        out = self.client.get("/codes/acc/out/csv/?prefix=10").content.decode()
        self.assertEqual(
            list(csv.reader(io.StringIO(out)))[:2],
            [["code", "name", "account_class", "under", "notes"], ["10", "Cash", "", "1", ""]],
        )
        book = openpyxl.load_workbook(io.BytesIO(self.client.get("/codes/acc/out/xlsx/?prefix=101").content))
        self.assertEqual(
            [[c.value for c in row] for row in book.active.iter_rows()][1],
            ["1010", "Bank", "asset", "10", ""],
        )

    def test_many_at_once_are_one_version(self) -> None:
        before = Version.objects.count()
        self.post("/codes/acc/several/", what="1010,1020", act="close", until="2026-06-30")
        self.assertEqual([str(self.code(c).in_use_until) for c in ("1010", "1020")], ["2026-06-30"] * 2)
        self.post("/codes/acc/several/", what="1010,1020", act="reopen")
        self.post(
            "/codes/acc/several/",
            all="1",
            **{"class": "revenue"},
            act="put",
            property="cash_flow",
            value="operating",
        )
        self.assertEqual(
            [self.code(c).cash_flow for c in ("4010", "4020", "5010")], ["operating", "operating", "none"]
        )
        self.post("/codes/acc/several/", what="1810,2010", act="move", onto="11")
        self.assertEqual(tree(current().state, "tree").children["11"], ["1110", "1810", "2010"])
        self.assertEqual(Version.objects.count(), before + 4)
        for values, expected in (
            ({"what": "", "act": "close"}, "No code is chosen."),
            ({"what": "1010", "act": "close"}, "Give the last day of use."),
            ({"what": "1010", "act": "put", "property": "name", "value": "x"}, "Choose a property to set."),
            (
                {"what": "1010", "act": "put", "property": "cash_flow", "value": "sideways"},
                "One of these is expected: none",
            ),
            (
                {"what": "1010", "act": "put", "property": "account_class", "value": "liability"},
                "can't change from asset any more",
            ),
            ({"what": "1010", "act": "move", "onto": "1020"}, "is a posting code and has nothing below it"),
        ):
            with self.subTest(values):
                self.assertIn(expected, self.post("/codes/acc/several/", 422, **values))

    def test_rows_come_in_only_after_a_preview(self) -> None:
        text = (
            "code\tname\taccount_class\tunder\n1010\tMain bank\tasset\t10\n1030\tTill\tasset\t10\n1020\tPetty"
            " cash\tasset\t10\n"
        )
        shown = self.post("/codes/acc/bring/", text=text)
        self.assertIn("1 new 1 changed 1 same 0 fault", shown)
        self.assertIn("changed: name Bank Main bank", shown)
        self.assertEqual(self.code("1010").name, "Bank")
        records = json.dumps([line.split("\t") for line in text.strip().split("\n")])
        self.post("/codes/acc/bring/", records=records, take="1")
        self.assertEqual(self.code("1010").name, "Main bank")
        self.assertEqual(
            current().state.get(HierarchyNode, "tree", "1030"), HierarchyNode("tree", "1030", "10")
        )

    def test_each_cell_is_checked_and_nothing_is_taken_with_a_fault(self) -> None:
        cases = (
            ("code,name\n1040,\n", "The column name must be given."),
            ("code,name,account_class\n1040,Till,cash\n", "One of these is expected: asset"),
            ("code,name\n1040,Till\n", "1040 Till has no account class."),
            ("code,name,account_class\nAB,Till,asset\n", "Codes of Accounts are made of digits."),
            ("code,name,account_class\n1040,Till,asset\n1040,Tills,asset\n", "stands in row 2 already"),
            (
                "code,name,account_class,under\n1040,Till,asset,1010\n",
                "is a posting code and has nothing below it",
            ),
            ("code,colour\n1010,red\n", "There is no column 'colour' in this list."),
            ("code,account_class\n1010,liability\n", "can't change from asset any more"),
        )
        for text, expected in cases:
            with self.subTest(text):
                shown = self.post("/codes/acc/bring/", text=text)
                self.assertIn(expected, shown)
                records = json.dumps([line.split(",") for line in text.strip().split("\n")])
                self.assertIn(expected, self.post("/codes/acc/bring/", 422, records=records, take="1"))
        self.assertEqual(Version.objects.count(), 1)

    def test_what_goes_out_comes_back_the_same(self) -> None:
        actions.make_change(Put(ListProperty("acc", "owner", "Owner", "choice", "Treasury, Sales")), None)
        actions.make_change(Put(CodeProperty("acc", "1020", "owner", "Treasury")), None)
        self.post(
            "/codes/acc/columns/",
            column=[
                "account_class",
                "under",
                "posting",
                "contra",
                "in_use_from",
                "cash_flow",
                "notes",
                "owner",
            ],
        )
        for kind in ("csv", "xlsx"):
            with self.subTest(kind):
                file = SimpleUploadedFile(f"acc.{kind}", self.client.get(f"/codes/acc/out/{kind}/").content)
                self.assertIn("0 new 0 changed 14 same 0 fault", self.post("/codes/acc/bring/", file=file))
        changed = SimpleUploadedFile("acc.csv", b"code,owner\n1020,Sales\n1010,Nobody\n")
        self.assertIn(
            "Owner is one of Treasury, Sales, not 'Nobody'.", self.post("/codes/acc/bring/", file=changed)
        )
        bad = SimpleUploadedFile("acc.csv", b"code,name\n1010,caf\xe9\n")
        self.assertIn("The file is not UTF-8.", self.post("/codes/acc/bring/", 422, file=bad))
        self.assertIn(
            "The workbook cannot be read",
            self.post("/codes/acc/bring/", 422, file=SimpleUploadedFile("a.xlsx", b"PK\x03\x04")),
        )

    def test_queries_do_not_grow_with_the_list(self) -> None:
        self.client.turning = False
        self.client.get("/codes/acc/")
        with self.assertNumQueries(3):
            self.client.get("/codes/acc/rows/?class=asset")
        with self.assertNumQueries(3):
            self.client.get("/codes/acc/rows/?stands=offline")


class Trees(Screen):
    def test_the_list_shows_counts_and_balances_and_keeps_ancestors(self) -> None:
        page = self.client.get("/hierarchies/tree/?company=alpha&year=2026&period=2").content.decode()
        rows = [
            re.sub(r"\s+", " ", re.sub(r"<[^>]+>", " ", row)).strip()
            for row in re.findall(r"<tr id=\"row.*?</tr>", page)
        ]
        self.assertEqual(
            rows,
            [
                "1 Assets 3 1,250.50",
                "10 Cash 2 1,000.00",
                "1010 Bank 1,000.00",
                "1020 Petty cash —",
                "11 Receivables 1 250.50",
                "1110 Debtors 250.50",
            ],
        )
        found = self.client.get("/hierarchies/tree/rows/?find=debt").content.decode()
        self.assertEqual(re.findall(r'id="row-(\w+)"', found), ["1", "11", "1110"])
        self.assertEqual(
            re.findall(
                r'id="row-(\w+)"', self.client.get("/hierarchies/tree/rows/?level=2").content.decode()
            ),
            ["1", "10", "11"],
        )
        out = self.client.get(
            "/hierarchies/tree/out/csv/?company=alpha&year=2026&period=2&zoom=11"
        ).content.decode()
        self.assertEqual(
            out.split("\r\n")[:3],
            [
                "code,name,parent,depth,intake,codes,balance",
                "11,Receivables,1,1,,1,250.50",
                "1110,Debtors,11,2,,,250.50",
            ],
        )

    def test_acts_come_back_to_the_view_they_were_made_in(self) -> None:
        self.assertIn(
            "/hierarchies/tree/elevation/?by=codes&at=1810",
            self.post("/hierarchies/tree/move/", what="1810", onto="11"),
        )
        self.post("/hierarchies/tree/shift/up/", row="1810")
        self.assertEqual(tree(current().state, "tree").children["11"], ["1810", "1110"])
        self.post("/hierarchies/tree/leave/", what="1810")
        self.post("/hierarchies/tree/intake/", code="11", intake="18*, 20*")
        self.assertEqual(tree(current().state, "tree").children["11"], ["1110", "1810", "2010"])
        self.assertIn(
            "both take 1810 in", self.post("/hierarchies/tree/intake/", 422, code="10", intake="1810")
        )
        self.assertIn(
            "A code stands under itself: 1 under 11 under 1.",
            self.post("/hierarchies/tree/move/", 422, what="1", onto="11"),
        )
        self.assertIn(
            "1110 cannot go up from here.", self.post("/hierarchies/tree/shift/up/", 422, row="1110")
        )
        self.assertIn(
            "There is no code 99 in acc.", self.post("/hierarchies/tree/move/", 422, what="1110", onto="99")
        )

    def test_hierarchies_begin_in_three_ways(self) -> None:
        self.post("/hierarchies/of/acc/new/", name="By lender")
        self.post("/hierarchies/of/acc/new/", name="By lender", like="tree")
        self.post("/hierarchies/of/acc/new/", name="By beginnings", beginnings="1")
        state = current().state
        self.assertEqual(
            sorted(row.hierarchy for row in state.rows(Hierarchy)),
            ["by-beginnings", "by-lender", "by-lender-2", "tree"],
        )
        self.assertEqual(tree(state, "by-lender-2").order, tree(state, "tree").order)
        self.assertEqual(tree(state, "by-beginnings").children[""], ["1", "2", "3", "4", "5"])
        self.assertIn("The hierarchy needs a name.", self.post("/hierarchies/of/acc/new/", 422, name=" "))

    def test_versions_are_kept_and_compared_with_amounts(self) -> None:
        self.post("/hierarchies/tree/keep/", on="2026-03-01")
        self.post("/hierarchies/tree/move/", what="1010", onto="11")
        kept = next(row for row in current().state.rows(Hierarchy) if row.version_of)
        self.assertEqual(
            (kept.hierarchy, kept.name, kept.holds_from),
            ("tree-until-2026-03-01", "Tree until 2026-03-01", None),
        )
        page = self.client.get(
            f"/hierarchies/tree/compare/?with={kept.hierarchy}&company=alpha&year=2026&period=2"
        ).content.decode()
        self.assertIn("1010 Bank 10 11 1,000.00", re.sub(r"\s+", " ", re.sub(r"<[^>]+>", " ", page)))
        self.assertIn(
            "It holds from 2026-03-01 already.", self.post("/hierarchies/tree/keep/", 422, on="2026-02-01")
        )

    def test_a_statement_takes_the_tree_of_then_or_of_now(self) -> None:
        self.post("/hierarchies/tree/keep/", on="2026-03-01")
        self.post("/hierarchies/tree/move/", what="1010", onto="1")

        def cash(query: str) -> str:
            page = self.client.get(f"/statements/st/?company=alpha&year=2026&period={query}").content.decode()
            row = re.search(r'<tr id="line-cash".*?</tr>', page, re.S)
            return re.sub(r"\s+", " ", re.sub(r"<[^>]+>", " ", row.group() if row else "")).strip()

        self.assertEqual(cash("2"), "Cash under 10 —")
        self.assertEqual(cash("2&tree=then"), "Cash under 10 1,000.00")
        self.assertEqual(cash("3&tree=then"), "Cash under 10 —")

    def test_the_elevation_is_a_page_and_a_file(self) -> None:
        for query in ("", "?by=balance&company=alpha&year=2026&period=2", "?by=lines", "?zoom=11"):
            page = self.client.get(f"/hierarchies/tree/elevation/{query}").content.decode()
            self.assertIn("<svg", page)
            self.assertIn("Receivables", page)
            self.assertNotRegex(page, r"<style|style=|onclick=")
        file = self.client.get("/hierarchies/tree/elevation.svg")
        self.assertEqual(file["Content-Type"], "image/svg+xml")
        self.assertTrue(file.content.startswith(b'<svg xmlns="http://www.w3.org/2000/svg"'))

    def test_what_the_draft_moves_is_dashed_at_both_places(self) -> None:
        self.post("/drafts/new/", name="Spring")
        self.post("/hierarchies/tree/move/", what="1110", onto="10")
        page = self.client.get("/hierarchies/tree/elevation/").content.decode()
        self.assertEqual(page.count('stroke-dasharray="4 3"'), 2)
        self.assertIn('class=" drafted"', self.client.get("/hierarchies/tree/").content.decode())
