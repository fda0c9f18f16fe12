"""Acts of the path on screens: each does what it says; what can't be done is told, never a 500."""

from __future__ import annotations

import html
import io
import json
import re
from typing import Any

import openpyxl
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.test.utils import CaptureQueriesContext

from core.changes.kinds import Put
from core.definitions.tables import (
    Chart,
    Code,
    ColumnSet,
    Company,
    GroupMember,
    HierarchyNode,
    IntercompanyPair,
    StatementLine,
)
from tests.base import PineTest, bring, client_of, person, world
from web.definitions import actions
from web.definitions.models import Version
from web.definitions.snapshot import current
from web.journals.actions import next_number
from web.journals.models import Journal


class Acts(PineTest):
    def setUp(self) -> None:
        super().setUp()
        bring(world())
        self.group = client_of(person("mirela"))

    def post(self, address: str, **values: Any) -> Any:
        return self.group.post(
            address, values, headers={"HX-Request": "true", "HX-Current-URL": "http://testserver/companies/"}
        )

    def refused(self, address: str, **values: Any) -> str:
        reply = self.post(address, **values)
        self.assertEqual((reply.status_code, reply["HX-Retarget"]), (422, "#told"))
        return html.unescape(re.sub(r"\s+", " ", re.sub(r"<[^>]+>", "", reply.content.decode())).strip())

    def test_the_life_of_a_code(self) -> None:
        self.assertIn("Taken".lower(), self.group.get("/codes/acc/probe/?code=1010").content.decode())
        self.assertIn("class <b>asset</b>", self.group.get("/codes/acc/probe/?code=1030").content.decode())
        self.assertEqual(
            self.refused("/codes/acc/add/", code="1030", name="Till", posting="on", parent="10"),
            "1030 Till has no account class. Give asset, liability, equity, revenue, expense or statistic.",
        )
        self.assertEqual(
            self.refused("/codes/acc/add/", code="1010", name="Till"),
            "1010 is taken by Bank. The next free code is 1015.",
        )
        place = json.loads(
            self.post(
                "/codes/acc/add/", code="1030", name="Till", posting="on", account_class="asset", parent="10"
            )["HX-Location"]
        )
        self.assertEqual(place["path"], "/codes/acc/?at=1030")
        self.assertEqual(current().state.require(HierarchyNode, "tree", "1030").parent, "10")
        self.post("/codes/acc/edit/?row=1030", name="Tills", posting="on", account_class="asset")
        self.post("/codes/acc/move/", what="1030", onto="11")
        self.assertEqual(current().state.require(HierarchyNode, "tree", "1030").parent, "11")
        self.post("/codes/acc/code/1030/close/", until="2026-03-31")
        page = self.group.get("/codes/acc/code/1030/").content.decode()
        self.assertIn("Closed after 2026-03-31", page)
        self.assertIn("Changed code 1030 Till of acc: name from Till to Tills", page)
        self.post("/codes/acc/code/1030/delete/", decided="delete")
        self.assertEqual(self.group.get("/codes/acc/code/1030/").status_code, 404)
        self.assertEqual(
            self.refused("/codes/acc/code/1010/delete/"),
            "1010 can't be deleted because it was posted to. Close it from a date instead.",
        )
        self.assertEqual(
            self.refused("/codes/acc/move/", what="1", onto="10"),
            "A code stands under itself: 1 under 10 under 1. Move one of them elsewhere.",
        )

    def test_a_statement_is_rearranged_and_shows_what_moved(self) -> None:
        state = "company=alpha&year=2026&period=2"
        seen = Version.objects.count()
        place = json.loads(
            self.post(
                "/statements/st/place/",
                code="1110",
                line="cash",
                company="alpha",
                year=2026,
                period=2,
                seen=seen,
            )["HX-Location"]
        )
        page = self.group.get(place["path"]).content.decode()
        self.assertIn(f"since={seen}", place["path"])
        self.assertIn('<td class="num plus">+250.50</td>', page)
        self.assertIn('<td class="num minus">−250.50</td>', page)
        again = {"label": "Sundry assets", "kind": "accounts", "parent": "assets", "sign": "natural"}
        self.post("/statements/st/add/", accounts="1020", **{**again, "label": "Petty"})
        self.assertIn("Petty took 1020 from Cash.", self.group.get("/statements/st/").content.decode())
        cash = current().state.require(StatementLine, "st", "cash")
        self.assertEqual(cash.accounts, "under 10, 1110 except 1020")
        self.post("/statements/st/add/", **{**again, "kind": "heading"})
        self.assertEqual(current().state.require(StatementLine, "st", "sundry-assets").parent, "assets")
        turned = (
            "Assets of Balance sheet is shown as debit and would turn to credit, because Capital below it is"
            " shown as credit. "
        )
        self.assertEqual(
            self.refused("/statements/st/move/", what="capital", onto="assets"),
            turned + "State the sign of Assets first: debit or credit.",
        )
        self.post("/statements/st/line/assets/change/", label="Assets", sign="debit")
        self.post("/statements/st/move/", what="capital", onto="assets")
        self.assertEqual(current().state.require(StatementLine, "st", "capital").parent, "assets")
        self.post("/statements/st/shift/higher/", row="capital")
        self.assertEqual(current().state.require(StatementLine, "st", "capital").parent, "")
        self.post("/statements/st/line/debtors/delete/", decided="delete")
        page = self.group.get(f"/statements/st/?{state}").content.decode()
        self.assertIn("Due from", page)
        self.assertIn('Debits less credits, unplaced included: <b class="code">0</b>', page)

    def test_first_statements_from_classes_and_hierarchy(self) -> None:
        for kind, name in (("balance_sheet", "bs"), ("income_statement", "is")):
            self.post("/statements/propose/", chart="c", kind=kind)
            page = self.group.get(f"/statements/{name}/?company=alpha&year=2026&period=2").content.decode()
            self.assertIn("stand on exactly", page)
            self.assertNotIn("card bad", page)

    def test_a_journal_is_checked_while_typed_and_posted(self) -> None:
        def send(what: str, *lines: dict[str, str], **head: str) -> Any:
            content = {"journal": "K1", "date": "2026-02-03", "kind": "general", "lines": list(lines), **head}
            return self.group.post(
                f"/journals/alpha/{what}/", json.dumps(content), content_type="application/json"
            )

        across = (
            {"account": "20-5010", "debit": "1,000.00", "line_company": "beta"},
            {"account": "10-1010", "credit": "1000"},
        )
        told = send("check", *across).json()
        self.assertEqual(
            (told["ready"], [(a["company"], a["account"], a["debit"], a["credit"]) for a in told["added"]]),
            (True, [("alpha", "10-1810-", "1,000.00", ""), ("beta", "20-2810-", "", "1,000.00")]),
        )
        bad = send("check", {"account": "10-9", "debit": "x"}, {"account": "10-1010", "credit": "5"}).json()
        self.assertEqual([(f["line"], f["column"]) for f in bad["faults"]], [(1, "debit")])
        self.assertEqual(send("post", *across[:1]).status_code, 422)
        self.assertEqual(send("post", *across).json(), {"go": "/journals/alpha/journal/K1/"})
        self.assertIn("added", self.group.get("/journals/alpha/journal/K1/").content.decode())
        self.assertEqual(send("post", *across).status_code, 422)
        self.assertEqual(send("check", date="nonsense").status_code, 200)

    def test_completion_by_codes_and_by_words(self) -> None:
        def options(**query: str) -> list[str]:
            return [
                option["text"]
                for option in self.group.get("/journals/alpha/complete/", query).json()["options"]
            ]

        self.assertEqual(options(text="", what="account"), ["10-"])
        self.assertEqual(options(text="10-deb", what="account"), ["10-1110-"])
        self.assertEqual(options(text="10-10", what="account"), ["10-1010-", "10-1020-"])
        self.assertEqual(options(text="10-1010-n", what="account"), ["10-1010-001"])
        self.assertEqual(options(text="sea", what="dimensions"), ["season="])
        self.assertEqual(options(text="season=spr", what="dimensions"), ["season=SP26"])

    def test_journals_from_a_file(self) -> None:
        good = "journal,date,account,debit,credit\nF1,2026-02-05,10-1010,5,\nF1,2026-02-05,10-2010,,5\n"
        for text, status, expected in [
            (good.replace("10-2010", "10-7"), 422, "Account: there is no code 7."),
            (good.replace("journal,date", "colour,date"), 422, "There is no column"),
            (good, 200, "1 journal, nothing posted yet"),
        ]:
            reply = self.group.post(
                "/exchange/journals/alpha/", {"file": SimpleUploadedFile("j.csv", text.encode())}
            )
            self.assertEqual(reply.status_code, status)
            self.assertIn(expected, reply.content.decode())
        count = Journal.objects.count()
        self.assertEqual(self._from_file("j.csv", good.encode(), seen="x"), "")
        self.assertEqual(Journal.objects.count(), count, "what wasn't looked at isn't posted")
        number = next_number(current().state, "alpha")
        self.assertEqual(self._from_file("j.csv", good.encode()), "/journals/alpha/")
        posted = Journal.objects.get(journal=number)
        sources = set(posted.lines.values_list("source_type", "source_number"))
        self.assertEqual(sources, {("journal elsewhere", "F1")}, "its own number stays with its lines")
        following = next_number(current().state, "alpha")
        own = good.replace("F1", following).encode()
        self.assertEqual(self._from_file("j.csv", own), "/journals/alpha/")
        self.assertTrue(Journal.objects.filter(journal=following).exists(), "a number that goes on is kept")
        for again, told in (
            (good, f"F1 was posted already, as {number}."),
            (own.decode(), "was posted already."),
        ):
            sent = {"file": SimpleUploadedFile("j.csv", again.encode())}
            reply = self.group.post("/exchange/journals/alpha/", sent)
            self.assertContains(reply, told, status_code=422)
        book = openpyxl.Workbook()
        for row in [
            "journal,date,account,debit,credit",
            "F2,2026-02-05,10-1010,5.5,",
            "F2,2026-02-05,10-2010,,5.5",
        ]:
            book.active.append(row.split(","))
        out = io.BytesIO()
        book.save(out)
        self.assertEqual(self._from_file("j.xlsx", out.getvalue()), "/journals/alpha/")

    def _from_file(self, name: str, content: bytes, seen: str = "") -> str:
        """Looks at a file and posts it as it was seen; where that leads, empty where it was not posted."""

        def send(**more: str) -> Any:
            return self.group.post(
                "/exchange/journals/alpha/", {"file": SimpleUploadedFile(name, content), **more}
            )

        looked = re.search(r'name="seen" value="([0-9a-f]{64})"', send().content.decode())
        reply = send(seen=seen or (looked[1] if looked else ""))
        return str(json.loads(reply["HX-Location"])["path"]) if "HX-Location" in reply else ""

    def test_the_group_page_and_what_its_figures_are_made_of(self) -> None:
        query = "?statement=st&year=2026&period=2"
        page = self.group.get(f"/group/g/{query}").content.decode()
        self.assertIn("Sides that disagree, 1", page)
        self.assertIn('after every step: <b class="code">0</b>', page)
        cell = self.group.get(f"/group/g/cell/assets/+eliminations/{query}").content.decode()
        self.assertIn("50.50", cell)
        self.assertIn(
            "/journals/alpha/account/1010/?year=2026",
            self.group.get(f"/group/g/cell/cash/alpha/{query}").content.decode(),
        )
        self.assertIn(
            "1,000.00", self.group.get("/journals/alpha/account/1010/?year=2026&period=2").content.decode()
        )

    def test_pages_of_a_group_stand_without_a_period(self) -> None:
        for page in ("", "steps/", "members/", "rates/", "equity/", "sides/"):
            for query in (
                "?year=0",
                "?period=99",
                "?statement=none",
                "?than=2025-x&open=,x&hide=none&sort=size&in=x",
                "?than=published",
            ):
                with self.subTest(page=page, query=query):
                    self.assertEqual(self.group.get(f"/group/g/{page}{query}").status_code, 200)

    def test_sides_that_disagree_open_into_lines_without_a_twin(self) -> None:
        query = "?year=2026&period=2"
        page = self.group.get(f"/group/g/sides/{query}").content.decode()
        listed = " ".join(re.sub(r"<[^>]+>", " ", page).split())
        self.assertIn("−90.50 2 lines, 49 days open", listed)
        pair = self.group.get(f"/group/g/sides/e/alpha/beta/{query}").content.decode()
        told = re.sub(r"<[^>]+>|\s+", " ", html.unescape(pair))
        told = " ".join(told.split())
        for part in (
            "Alpha and Beta: −90.50 apart",
            "Alpha on 1810 −50.50 GBP",
            "Beta on 2810 −40.00 GBP",
            "2026-02-10 wrong side Alpha",
            "2026-01-10 Start Beta",
            "These lines explain −90.50",
        ):
            with self.subTest(part):
                self.assertIn(part, told)
        self.assertEqual(self.group.get(f"/group/g/sides/e/beta/alpha/{query}").status_code, 404)

    def test_workbooks_sum_live(self) -> None:
        for address in (
            "/statements/st/workbook/?company=alpha&year=2026&period=2",
            "/group/g/workbook/?statement=st&year=2026&period=2",
        ):
            book = openpyxl.load_workbook(io.BytesIO(self.group.get(address).content))
            page = book.active
            self.assertEqual(page["B4"].value, "=ROUND(SUM(B5,B6),2)")
            self.assertEqual((page.freeze_panes, page.row_dimensions[5].outlineLevel), ("B4", 1))

    def test_a_company_is_made_whole_and_says_what_it_lacks(self) -> None:
        given = {
            "name": "Gamma Farms",
            "country": "GB",
            "currency": "GBP",
            "chart": "c",
            "own_code": "30",
            "calendar": "m",
            "begins": "",
            "company": "",
        }
        self.post("/new/company/", **given)
        row = current().state.require(Company, "gamma-farms")
        self.assertEqual((row.name, row.calendar), ("Gamma Farms", "m"))
        self.assertEqual(current().state.require(Code, "co", "30").name, "Gamma Farms")
        page = self.group.get("/companies/gamma-farms/").content.decode()
        self.assertIn("It is a member of no group.", page)
        lacks = "It has no intercompany pair with Alpha, Beta, in one direction or both."
        self.assertNotIn(lacks, page, "what is in no group faces nobody yet")
        for other in ("alpha", "beta"):
            self.assertNotIn(
                "no intercompany pair with Gamma", self.group.get(f"/companies/{other}/").content.decode()
            )
        actions.make_change(Put(GroupMember("g", "gamma-farms")), None)
        self.assertIn(lacks, self.group.get("/companies/gamma-farms/").content.decode())
        two = ColumnSet("two", "Both", "c", companies="alpha, beta")
        actions.make_change(Put(two), None)
        says = "It is not among the companies that stand side by side in Both."
        self.assertIn(says, self.group.get("/companies/gamma-farms/").content.decode())
        actions.make_change(Put(two._replace(companies="alpha, beta, gamma-farms")), None)
        self.assertNotIn(says, self.group.get("/companies/gamma-farms/").content.decode())
        self.post("/companies/gamma-farms/pairs/", due_from="1010", due_to="2010")
        pairs = {
            (row.company, row.partner)
            for row in current().state.rows(IntercompanyPair)
            if "gamma-farms" in row[:2]
        }
        self.assertEqual(
            pairs,
            {
                ("gamma-farms", "alpha"),
                ("alpha", "gamma-farms"),
                ("gamma-farms", "beta"),
                ("beta", "gamma-farms"),
            },
        )
        made = Version.objects.count()
        self.post(f"/log/{made}/take-back/")
        self.assertIsNone(current().state.get(IntercompanyPair, "alpha", "gamma-farms"))
        self.assertEqual(
            self.refused("/new/company/", **{**given, "chart": "none", "own_code": ""}),
            "There is no chart none. Add the chart or correct the name.",
        )
        self.assertEqual(
            self.refused("/new/company/", **{**given, "own_code": "", "company": "gamma-farms"}),
            "There is a company gamma-farms Gamma Farms already. Give another one, or change the one that is"
            " there.",
        )
        self.assertEqual(
            self.refused("/new/company/", **{**given, "begins": "2026-01-01"}),
            "A calendar is chosen, and a year of a new one begun. Give one of both.",
        )

    def test_a_structure_is_made_whole_or_not_at_all(self) -> None:
        row = {
            "name": ["Account", "Site"],
            "role": ["natural_account", ""],
            "code_list": ["", "site"],
            "length": ["", ""],
            "codes": ["100 Cash asset\r\n400 Sold revenue", ""],
            "required": ["required", "optional"],
            "default_code": ["", ""],
        }
        reply = self.group.post(
            "/new/structure/",
            {"structure": "Small books", "separator": ".", **row},
            headers={"HX-Request": "true"},
        )
        self.assertEqual(json.loads(reply["HX-Location"])["path"], "/structures/small-books/")
        self.assertEqual(current().state.require(Code, "account", "400").account_class, "revenue")
        before = current().version
        for more, told in [
            ({"role": ["natural", ""]}, "There is no role 'natural'."),
            ({"length": [""]}, "The segments could not be read. Load the page again."),
            (
                {"code_list": ["none", "site"]},
                "There is no code list none. Add the code list or correct the name.",
            ),
        ]:
            with self.subTest(told):
                self.assertIn(
                    told,
                    self.refused(
                        "/new/structure/", **{"structure": "Other", "separator": ".", **row, **more}
                    ),
                )
        self.assertEqual(current().version, before)

    def test_heads_are_tables_in_place(self) -> None:
        page = self.group.get("/registers/").content.decode()
        titles = re.findall(r'data-sheet="([a-z-]+)"', page)
        self.assertEqual(
            titles,
            [
                "structures",
                "dimension-heads",
                "charts",
                "overlays",
                "calendars",
                "statements",
                "groups",
                "roundings",
                "budgets",
                "columns",
            ],
        )
        self.post(
            "/table/charts/row/?key=",
            chart="d",
            name="Second",
            structure="s",
            new_strings="listed_only",
            approval="true",
        )
        self.assertEqual(current().state.require(Chart, "d").new_strings, "listed_only")

    def test_lists_ask_a_fixed_number_of_queries(self) -> None:
        for address, most in [
            ("/codes/acc/", 4),
            ("/codes/acc/rows/?find=b", 4),
            ("/journals/alpha/", 6),
            ("/companies/", 6),
            ("/statements/st/?company=alpha&year=2026&period=2", 8),
            ("/group/g/?statement=st&year=2026&period=2", 6),
            ("/log/", 8),
        ]:
            self.group.turning = False
            self.group.get(address)
            with self.subTest(address):
                with CaptureQueriesContext(connection) as seen:
                    self.group.get(address)
                self.assertLessEqual(len(seen), most, [q["sql"][:90] for q in seen])
