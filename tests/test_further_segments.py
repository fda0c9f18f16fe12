"""A segment added to a structure in use, and segments shown in another order than they are kept in."""

from __future__ import annotations

import html
import json
import re
import tempfile
from pathlib import Path
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile

from core.changes.kinds import Put
from core.definitions.tables import AccountString, ChartSegment, QuickCode, StructureSegment
from core.tests.test_changes import rows_of
from tests.base import InWorld, bring, forget, run
from web.definitions import actions
from web.definitions.history import state_at
from web.definitions.snapshot import current
from web.exchange.importing import import_package
from web.journals.models import Account, BudgetLine

TRIAL = ("trial-balance", "--company", "alpha", "--year", "2026", "--period", "2")
GROUP = ("trial-balance", "--group", "g", "--year", "2026", "--period", "2")
STATEMENT = ("statement", "st", "--company", "alpha", "--year", "2026", "--period", "2")
KEYED = {"date": "2026-02-20", "kind": "general", "journal": "A3", "description": "More"}


class Further(InWorld):
    def add(self, **cells: str) -> Any:
        cells = {
            "position": "4",
            "segment": "crop",
            "name": "Crop",
            "code_list": "site",
            "role": "other",
            "default_code": "",
            **cells,
        }
        return self.group.post(
            "/table/segments/row/?structure=s&chart=c", cells, headers={"HX-Request": "true"}
        )

    def keyed(self, *lines: tuple[str, str, str]) -> dict[str, Any]:
        rows = [{"account": account, "debit": debit, "credit": credit} for account, debit, credit in lines]
        content = json.dumps({**KEYED, "lines": rows})
        return dict(
            self.group.post("/journals/alpha/check/", content, content_type="application/json").json()
        )

    def post(self, *lines: tuple[str, str, str]) -> Any:
        rows = [{"account": account, "debit": debit, "credit": credit} for account, debit, credit in lines]
        content = json.dumps({**KEYED, "lines": rows})
        return self.group.post("/journals/alpha/post/", content, content_type="application/json")

    def test_strings_that_are_there_read_as_empty_in_it(self) -> None:
        bring(
            {
                "budgets": "budget,name,chart\nb,Budget,c\n",
                "budget_lines": (
                    "budget,company,fiscal_year,period,account,amount\nb,alpha,2026,1,10-4010-001,5.00\n"
                ),
            }
        )
        one = current().version
        asked = [run(*words) for words in (TRIAL, GROUP, STATEMENT)]
        refused = self.add(required="on")
        self.assertEqual(refused.status_code, 422)
        self.assertIn(
            "Account strings of Chart were posted to without Crop, so it is optional there or has a default.",
            html.unescape(refused.content.decode()),
        )
        self.assertEqual(self.add().status_code, 200)
        self.assertEqual([run(*words) for words in (TRIAL, GROUP, STATEMENT)], asked)
        self.assertTrue(
            all(text.count("-") == 3 for text in Account.objects.values_list("account", flat=True))
        )
        self.assertEqual(BudgetLine.objects.get().account, "10-4010-001-")
        self.assertEqual(run("check")[1].count("must"), 0)
        self.assertEqual(run("verify")[0], 0)
        self.assertIsNotNone(state_at(one))

        self.assertEqual(self.post(("10-1010--002", "5", ""), ("10-4010", "", "5")).status_code, 200)
        self.assertEqual(
            sorted(Account.objects.filter(account__contains="1010").values_list("account", flat=True)),
            ["10-1010--", "10-1010--002", "20-1010--"],
        )
        self.assertEqual(run("verify")[0], 0)
        with tempfile.TemporaryDirectory() as folder:
            self.assertEqual(run("export", f"{folder}/p")[0], 0)
            outcome = import_package(Path(folder) / "p")
        self.assertEqual((outcome.new.total(), outcome.changed.total()), (0, 0))

    def test_a_package_adds_it_too(self) -> None:
        asked = [run(*words) for words in (TRIAL, GROUP, STATEMENT)]
        bring(
            {
                "structure_segments": "structure,position,segment,name,code_list\ns,4,crop,Crop,site\n",
                "chart_segments": "chart,segment,required,default_code\nc,crop,true,001\n",
            }
        )
        forget()
        self.assertEqual([run(*words) for words in (TRIAL, GROUP, STATEMENT)], asked)
        self.assertEqual(run("verify")[0], 0)
        self.post(("10-1010", "5", ""), ("10-4010-002", "", "5"))
        self.assertIn("10-1010--001", Account.objects.values_list("account", flat=True))
        last = current().version
        reply = self.group.post(f"/log/{last}/take-back/", headers={"HX-Request": "true"})
        self.assertIn(
            "can't be deleted because account strings of its structure were posted to",
            html.unescape(reply.content.decode()),
        )

    def test_it_is_only_added_behind_the_others(self) -> None:
        reply = self.add(position="3")
        self.assertEqual(reply.status_code, 422)
        self.assertIn("There is a segment 3 Site of s already", html.unescape(reply.content.decode()))


class Shown(InWorld):
    """The chart shows account, site, company; it keeps company, account, site."""

    def setUp(self) -> None:
        super().setUp()
        for segment, place in (("company", 3), ("account", 1), ("site", 2)):
            actions.make_change(Put(ChartSegment("c", segment, segment != "site", "", place)), self.mirela)
        actions.make_change(Put(QuickCode("c", "till", "", "everyone", "", "10-1020")), self.mirela)
        forget()

    def test_a_string_reads_the_same_wherever_it_is_shown_and_is_keyed_so(self) -> None:
        pages = ("/journals/alpha/journal/A2/", "/journals/alpha/account/4010/?year=2026&period=2")
        for page in pages:
            text = self.group.get(page).content.decode()
            self.assertIn("4010-001-10", text)
            self.assertNotIn("10-4010-001", text)
        self.assertIn(
            '<b class="code">1010-002-10</b>',
            self.group.get("/structures/c/try/?company=alpha&account=1010-2-10").content.decode(),
        )
        told = self.group.post(
            "/journals/alpha/check/",
            json.dumps(
                {
                    **KEYED,
                    "lines": [
                        {"account": "1010-002-10", "debit": "5", "credit": ""},
                        {"account": "till", "debit": "", "credit": "5"},
                    ],
                }
            ),
            content_type="application/json",
        ).json()
        self.assertEqual(
            (told["faults"], told["expanded"]),
            ([], [{"line": 2, "was": "till", "account": "1020--10", "dimensions": ""}]),
        )
        offered = self.group.get("/journals/alpha/complete/?what=account&text=1010-002-").json()["options"]
        self.assertEqual([one["text"] for one in offered], ["1010-002-10"])
        reply = self.group.post(
            "/journals/alpha/post/",
            json.dumps(
                {
                    **KEYED,
                    "lines": [
                        {"account": "1010-002-10", "debit": "5", "credit": ""},
                        {"account": "1020--10", "debit": "", "credit": "5"},
                    ],
                }
            ),
            content_type="application/json",
        )
        self.assertEqual(reply.status_code, 200)
        self.assertIn("10-1010-002", Account.objects.values_list("account", flat=True))
        beam = self.group.get("/structures/c/").content.decode()
        self.assertLess(beam.index("Account<small>"), beam.index("Site<small>"))
        self.assertLess(beam.index("Site<small>"), beam.index("Company<small>"))

    def test_quick_codes_and_listed_strings_are_keyed_and_pasted_as_shown(self) -> None:
        strings = "/table/strings/row/?chart=c"
        keyed = {"account": "1010-002-10", "enabled": "true", "in_use_from": "", "in_use_until": ""}
        self.assertLess(self.group.post(strings, keyed).status_code, 400)
        quick = {"quick_code": "east", "account": "1010-001-10", "scope": "everyone"}
        self.assertLess(self.group.post("/table/quick-codes/row/?chart=c", quick).status_code, 400)
        pasted = {"text": "account\n4010-002-10\n", "take": "1"}
        self.assertLess(self.group.post("/table/strings/bring/?chart=c", pasted).status_code, 400)
        file = SimpleUploadedFile("strings.csv", b"account\n10-4010-001\n")
        preview = self.group.post("/table/strings/bring/?chart=c", {"file": file}).content.decode()
        self.assertIn('name="of_file"', preview)
        again = {"records": json.dumps([["account"], ["10-4010-001"]]), "take": "1", "of_file": "1"}
        self.assertLess(self.group.post("/table/strings/bring/?chart=c", again).status_code, 400)
        state = current().state
        self.assertEqual(
            {row.account for row in state.rows(AccountString)}, {"10-1010-002", "10-4010-002", "10-4010-001"}
        )
        self.assertEqual(state.require(QuickCode, "c", "east").account, "10-1010-001")
        page = self.group.get("/structures/c/strings/").content.decode()
        for shown in ("1010-002-10", "4010-001-10", "1010-001-10", "1020--10"):
            self.assertIn(shown, page)
        for kept in (">10-1010-002<", ">10-4010-001<", ">10-1010-001<", ">10-1020<"):
            self.assertNotIn(kept, page)
        told = "In files an account string is Company-Account-Site, as it is kept; on screens, and pasted"
        for target in ("/table/strings/bring/?chart=c", "/exchange/journals/alpha/"):
            self.assertIn(told, self.group.get(target).content.decode())

    def test_a_row_that_is_keyed_again_is_the_same_row(self) -> None:
        """Each sheet's row, shown and sent back untouched, changes nothing, whatever order is shown."""
        before = rows_of(current().state)
        page = self.group.get("/table/quick-codes/row/?chart=c&key=till").content.decode()
        account = re.search(r'name="account"[^>]*value="([^"]*)"', page)
        assert account
        self.assertEqual(account[1], "1020--10")
        sent = {"quick_code": "till", "account": account[1], "scope": "everyone"}
        self.group.post("/table/quick-codes/row/?chart=c&key=till", sent)
        self.assertEqual(rows_of(current().state), before)

    def test_files_keep_the_order_of_the_structure(self) -> None:
        self.assertIn(
            "10-4010-001",
            self.group.get("/journals/alpha/account/4010/?year=2026&period=2&file=csv").content.decode(),
        )
        bring(
            {
                "journals": "company,journal,date\nalpha,A9,2026-02-11\n",
                "journal_lines": (
                    "company,journal,line,account,debit,credit\nalpha,A9,1,10-1010,1,\n"
                    "alpha,A9,2,10-4010-002,,1\n"
                ),
            }
        )
        self.assertIn("10-4010-002", Account.objects.values_list("account", flat=True))

    def test_a_new_segment_begins_alike_in_all_charts(self) -> None:
        bring({"charts": "chart,name,structure\nd,Other,s\n"})
        self.group.post(
            "/table/segments/row/?structure=s&chart=c",
            {
                "position": "4",
                "segment": "crop",
                "name": "Crop",
                "code_list": "site",
                "role": "other",
                "default_code": "",
            },
            headers={"HX-Request": "true"},
        )
        state = current().state
        self.assertIsNotNone(state.get(StructureSegment, "s", 4))
        self.assertEqual(
            [state.get(ChartSegment, chart, "crop") for chart in ("c", "d")],
            [ChartSegment("c", "crop", False), ChartSegment("d", "crop", False)],
        )
