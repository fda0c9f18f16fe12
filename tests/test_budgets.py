"""Budgets keyed, spread, copied, approved and taken back: by whom, from which page, beside which other
change."""

from __future__ import annotations

import html
import re
from typing import Any

from core.changes.kinds import Put
from core.definitions.tables import Budget, Code, Statement, StatementLine
from tests.base import PineTest, bring, client_of, person, refused, run, tables
from web.budgets.models import BudgetAct, BudgetRemark
from web.definitions import actions
from web.journals.budgets import budget_cells

HEAD = "company,journal,date,kind,description\n"
LINES = "company,journal,line,account,dimensions,debit,credit\n"
PAGE = "/budgets/plan/alpha/inc/"
ROW = re.compile(r'<tr id="row-([^"]+)".*?</tr>', re.S)
NUMBER = re.compile(r'<td class="num[^"]*">([^<]*)')


def world() -> dict[str, str]:
    rows = [
        Statement("inc", "Income", "c", "income_statement"),
        StatementLine("inc", "all", "", 1, "Result", "heading"),
        StatementLine("inc", "sales", "all", 1, "Sales", "accounts", "4*"),
        StatementLine("inc", "costs", "all", 2, "Costs", "accounts", "5*"),
        StatementLine("inc", "share", "", 2, "Share", "formula", "", "[costs] / [sales] * 100"),
        Budget("plan", "Plan", "c"),
    ]
    return {
        **tables(*rows),
        "chart_segments": "chart,segment,required,default_code\nc,site,true,001\n",
        "journals": f"{HEAD}alpha,A1,2026-01-10,general,Sales\n",
        "journal_lines": f"{LINES}alpha,A1,1,10-1010-001,,30,\nalpha,A1,2,10-4010-002,season=SP26,,30\n",
    }


class Budgets(PineTest):
    def setUp(self) -> None:
        super().setUp()
        bring(world())
        self.client = client_of(person("mirela"))
        self.seen = 0

    def post(
        self,
        to: str,
        query: str = "",
        status: int = 200,
        cells: dict[str, str] | None = None,
        **given: Any,
    ) -> str:
        """Posts as somebody who has seen all that was done so far."""
        newest = BudgetAct.objects.order_by("-pk").values_list("pk", flat=True).first() or 0
        reply = self.client.post(
            f"{PAGE}{to}?year=2026{query}",
            {"seen": newest, **given, **(cells or {})},
            headers={"HX-Request": "true"},
        )
        self.assertEqual(reply.status_code, status, reply.content[:600])
        return self.words(reply)

    @staticmethod
    def words(reply: Any) -> str:
        return " ".join(html.unescape(re.sub(r"<[^>]+>", " ", reply.content.decode())).split())

    def key(self, row: str, status: int = 200, query: str = "", **cells: str) -> str:
        named = {name.removeprefix("p"): text for name, text in cells.items()}
        return self.post("row/", f"&key={row}{query}", status, named)

    def shown(self, query: str = "") -> dict[str, list[str]]:
        """By row its figures: the year before, four periods, the year."""
        reply = self.client.get(f"{PAGE}?year=2026&unit=exact{query}")
        self.assertEqual(reply.status_code, 200)
        rows = ROW.finditer(html.unescape(reply.content.decode()))
        return {m.group(1): NUMBER.findall(m.group(0)) for m in rows}

    def cells(self) -> dict[tuple[int, str, str], int]:
        cells = budget_cells("plan", "alpha", 2026)
        return {(cell.period, cell.account, cell.dimensions): amount for cell, amount in cells.items()}

    def test_what_is_keyed_stands_on_its_line_and_beside_the_figures(self) -> None:
        self.key("account:4010", p1="1,000.00", p2="=[now] + 500")
        self.key("account:5010", year="100")
        self.assertEqual(
            self.shown(),
            {
                "line:all": ["—", "975.00", "475.00", "−25.00", "−25.00", "1,400.00"],
                "line:sales": ["—", "1,000.00", "500.00", "—", "—", "1,500.00"],
                "account:4010": ["—", "1,000.00", "500.00", "—", "—", "1,500.00"],
                "line:costs": ["—", "25.00", "25.00", "25.00", "25.00", "100.00"],
                "account:5010": ["—", "25.00", "25.00", "25.00", "25.00", "100.00"],
                "line:share": ["—", "2.50", "5.00", "—", "—", "6.67"],
            },
        )
        self.assertEqual(self.cells()[(1, "10-4010-001", "")], -100_000)
        _, out, _ = run("statement", "inc", "--company=alpha", "--year=2026", "--period=4", "--budget=plan")
        self.assertIn("sales,Sales,1,30.00,1500.00,-1470.00", out)
        self.assertEqual(
            list(BudgetAct.objects.order_by("pk").values_list("sentence", "by__username")),
            [
                ("Keyed 4010 Sales: M1 1,000.00 (was empty), M2 =[now] + 500 (was empty)", "mirela"),
                ("Keyed 5010 Costs: The year 2026 100 (was empty)", "mirela"),
            ],
        )
        self.assertEqual(run("verify")[0], 0, "what is keyed is sealed")

    def test_a_heading_is_spread_and_a_narrowed_page_keys_there(self) -> None:
        self.key("account:4010", p1="300", query="&filter=site=002; season=SP26")
        self.key("account:4020", p1="100")
        self.key("line:sales", p1="800")
        self.assertEqual(
            self.cells(), {(1, "10-4010-002", "season=SP26"): -60_000, (1, "10-4020-001", ""): -20_000}
        )
        narrowed = self.shown("&filter=site=002")
        self.assertEqual(narrowed["line:sales"], ["—", "600.00", "—", "—", "—", "600.00"])
        self.assertNotIn("account:4020", narrowed)
        strings = self.shown("&strings=1&accounts=all")
        self.assertEqual(strings["string:10-4010-002|season=SP26"][1], "600.00")
        self.assertIn("account:5020", strings)
        self.key("string:10-4010-002|season=SP26", p2="5")
        self.assertEqual(self.cells()[(2, "10-4010-002", "season=SP26")], -500)

    def test_remarks_stand_on_their_cells(self) -> None:
        self.key("account:4010", p1="100", remark="Fair in January", remark_on="1")
        self.key("line:sales", remark="Prices held", remark_on="year")
        self.key("account:4010", remark="<b>Loud</b>", remark_on="2")
        page = self.client.get(f"{PAGE}?year=2026&accounts=all").content.decode()
        self.assertEqual(
            re.findall(r"<p>(\d) <b>([^<]*)</b>: ([^\n]*)", page),
            [
                ("1", "4010 Sales, M1", "Fair in January"),
                ("2", "Sales, 2026", "Prices held"),
                ("3", "4010 Sales, M2", "&lt;b&gt;Loud&lt;/b&gt;"),
            ],
        )
        self.assertIn("100<sup>1</sup>", page)
        quarters = self.client.get(f"{PAGE}?year=2026&across=quarters").content.decode()
        self.assertIn("100<sup>1 3</sup>", quarters)
        self.assertIn("100<sup>2</sup>", quarters)
        first = BudgetRemark.objects.order_by("pk")[0]
        self.post(f"remark/{first.pk}/end/")
        self.post(f"remark/{first.pk}/end/", status=404)
        self.assertNotIn("Fair in January", self.client.get(f"{PAGE}?year=2026").content.decode())
        first.refresh_from_db()
        self.assertEqual(first.ended_by and first.ended_by.username, "mirela")
        self.key("account:4010", status=404, remark="Where", remark_on="q9")
        self.assertEqual(BudgetAct.objects.count(), 1)

    def test_acts_on_several_rows(self) -> None:
        self.key("account:4010", year="1200")
        self.post("several/", what="account:4010", act="grow", per_cent="+2.5")
        self.assertEqual(self.shown()["line:sales"][-1], "1,230.00")
        self.post("several/", what="line:sales,account:5010", act="copy", source="2026", per_cent="")
        self.assertEqual(self.cells(), {(1, "10-4010-002", "season=SP26"): -3_000})
        self.post("several/", what="line:all", act="evenly")
        self.assertEqual(self.shown()["line:sales"], ["—", "7.50", "7.50", "7.50", "7.50", "30.00"])
        self.post("several/", what="line:all", act="empty")
        self.assertEqual(self.cells(), {})
        refusals: list[tuple[dict[str, Any], str]] = [
            ({"what": "", "act": "empty"}, "No line or account is chosen. Choose a row with accounts first."),
            ({"what": "line:share", "act": "grow"}, "No line or account is chosen."),
            ({"what": "line:all", "act": "empty"}, "That changes nothing of Result."),
            (
                {"what": "line:all", "act": "grow", "per_cent": "x"},
                "x is no number. Write it like 1,234,567.50.",
            ),
            (
                {"what": "line:all", "act": "grow", "per_cent": "1e9"},
                "1e9 is no number. Write it like 1,234,567.50.",
            ),
            (
                {"what": "line:all", "act": "copy", "source": "x"},
                "There is neither a budget nor a year x to copy.",
            ),
        ]
        for given, words in refusals:
            with self.subTest(given=given):
                status = 404 if given.get("source") == "x" else 422
                self.assertIn(words, self.post("several/", "", status, **given))
        self.post("several/", "", 404, what="line:all", act="dance")

    def test_a_key_spreads_over_periods_and_codes(self) -> None:
        self.key("account:5010", year="100")
        self.key("account:4010", query="&filter=site=001", p1="30", p3="10")
        self.key("account:4010", query="&filter=site=002", p1="60")
        spread: dict[str, Any] = {"what": "account:5010", "act": "key", "key": "4*", "source": "plan"}
        self.post("several/", **spread)
        self.assertEqual(self.shown()["line:costs"], ["—", "90.00", "0", "10.00", "0", "100.00"])
        self.post("several/", **spread, over="site")
        costs = {key: amount for key, amount in self.cells().items() if "-5010-" in key[1] and amount}
        expected = {
            (1, "10-5010-001", ""): 3_600,
            (1, "10-5010-002", ""): 5_400,
            (3, "10-5010-001", ""): 400,
            (3, "10-5010-002", ""): 600,
        }
        self.assertEqual(costs, expected)
        self.post("several/", **{**spread, "source": "2026"}, over="season")
        tagged = {key for key, amount in self.cells().items() if "-5010-" in key[1] and amount}
        self.assertEqual({dimensions for _, _, dimensions in tagged}, {"season=SP26"})
        self.assertEqual(self.shown()["line:costs"][-1], "100.00")
        self.assertEqual(
            BudgetAct.objects.order_by("-pk")[0].sentence,
            "Spread over Season by 4* of what was posted in 2026: 5010 Costs",
        )
        self.client.post(f"{PAGE}back/{BudgetAct.objects.order_by('-pk')[0].pk}/?year=2026", {})
        self.assertEqual(
            {key: amount for key, amount in self.cells().items() if "-5010-" in key[1] and amount}, expected
        )
        refusals: list[tuple[dict[str, Any], int, str]] = [
            ({"key": ""}, 422, "The key names no accounts. Name accounts that say how to spread, as 9* or"),
            ({"key": "7777"}, 422, "There is no code 7777 in acc."),
            ({"key": "1*"}, 422, "1* of Plan come to nothing there, so nothing says how to spread."),
            ({"source": "x"}, 404, "There is neither a budget nor a year x to copy."),
            ({"over": "company"}, 404, "Nothing can be spread over company here."),
            ({"over": "colour"}, 404, "Nothing can be spread over colour here."),
        ]
        for given, status, words in refusals:
            with self.subTest(given=given):
                self.assertIn(words, self.post("several/", status=status, **{**spread, **given}))
        narrowed = self.post("several/", "&filter=site=001", 404, **spread, over="site")
        self.assertIn("Nothing can be spread over site here.", narrowed)

    def test_what_can_t_be_keyed_is_told_at_its_cell(self) -> None:
        for row, cells, words in (
            ("account:4010", {"p1": "a"}, "a is no number. Write it like 1,234,567.50."),
            ("account:4010", {"p1": "=1+"}, "A value is missing at the end."),
            ("account:4010", {"p1": "1", "year": "2"}, "Key the year or its periods, not both."),
            ("line:all", {"p1": "5"}, "Nothing stands below it, and nothing was posted in the year before"),
            ("line:share", {"p1": "5"}, "Amounts are keyed on accounts and on headings above them."),
            ("account:9999", {"p1": "5"}, "Amounts are keyed on accounts and on headings above them."),
        ):
            with self.subTest(row=row, cells=cells):
                self.assertIn(words, self.key(row, 422, **cells))
        self.assertEqual((self.cells(), BudgetAct.objects.count()), ({}, 0))

    def test_two_people_at_one_cell(self) -> None:
        self.key("account:4010", p1="1", p2="2")
        self.client = client_of(person("nia"))
        self.key("account:4010", p2="3")
        stale = BudgetAct.objects.order_by("pk").values_list("pk", flat=True)[0]
        told = self.post("row/", "&key=account:4010", 422, seen=stale, cells={"2": "9", "was-2": "2.00"})
        self.assertIn("Nia changed these lines since you looked: Keyed 4010 Sales: M2 3 (was 2.00)", told)
        self.post("row/", "&key=account:4010", seen=stale, cells={"1": "9", "was-1": "1.00"})
        self.assertEqual(self.shown()["account:4010"], ["—", "9.00", "3.00", "—", "—", "12.00"])

    def test_an_act_is_taken_back_where_nothing_came_after(self) -> None:
        self.key("account:4010", p1="1")
        self.key("account:4010", p1="5")
        first, second = BudgetAct.objects.order_by("pk")
        self.assertIn(
            "Some of these lines were changed again since.", self.post(f"back/{first.pk}/", "", 422)
        )
        self.post(f"back/{second.pk}/")
        self.post(f"back/{first.pk}/")
        self.assertEqual(self.cells(), {})
        self.assertEqual(BudgetAct.objects.order_by("-pk")[0].sentence, f"Took back: {first.sentence}")
        self.post("back/999999/", "", 404)
        self.post("back/x/", "", 404)

    def test_approved_it_stays_until_somebody_says_why_not(self) -> None:
        self.key("account:4010", p1="1")
        reply = self.client.post("/budgets/plan/approve/")
        self.assertEqual(reply.status_code, 200)
        told = "Plan is approved: its lines stay as they are."
        self.assertIn(told, self.key("account:4010", 422, p1="2"))
        package = {
            "budget_lines": "budget,company,fiscal_year,period,account,dimensions,amount\n"
            "plan,alpha,2026,1,10-4010-001,,-7\n"
        }
        self.assertEqual(
            refused(package),
            [
                f"budget_lines, row 2, column amount, value '-7': {told} Take the approval back first, or"
                " make another version of it."
            ],
        )
        bring({"budget_lines": package["budget_lines"].replace("-7", "-1")})
        self.assertEqual(self.client.post("/budgets/plan/approve/").status_code, 422)
        self.client.post("/budgets/plan/approve/", {"why": "The board asked"})
        self.key("account:4010", p1="2")

    def test_another_version_begins_as_one_stands(self) -> None:
        self.key("account:4010", p1="1")
        self.client.post("/budgets/make/new/", {"name": "Plan two", "from": "plan"})
        self.assertEqual(budget_cells("plan-two", "alpha", 2026), budget_cells("plan", "alpha", 2026))
        self.key("account:4010", p1="2")
        self.post("several/", what="account:4010", act="copy", source="plan-two")
        self.assertEqual(self.shown()["line:sales"][1], "1.00")
        page = self.words(self.client.get("/budgets/"))
        self.assertIn("Plan two Chart open Alpha 2026 1", page)

    def test_rows_of_a_file_go_out_and_in(self) -> None:
        self.key("account:4010", p1="10", p2="-2.50")
        self.key("account:5010", year="7")
        out = self.client.get(f"{PAGE}out/csv/?year=2026").content.decode()
        self.assertEqual(
            out.splitlines(),
            [
                "account,dimensions,1,2,3,4",
                "10-4010-001,,10.00,-2.50,,",
                "10-5010-001,,1.75,1.75,1.75,1.75",
            ],
        )
        self.assertIn("0 new 0 changed 2 same 0 fault", self.post("bring/", text=out))
        more = self.post("bring/", text="account\tyear\n4020\t40\n10-4010-002\t8\n4999\t1\n")
        self.assertIn("2 new 0 changed 0 same 1 fault", more)
        self.assertIn("4999 is neither a quick code nor an account string of Chart.", more)
        before = self.cells()
        self.post("bring/", "", 422, text="account\tyear\n4999\t1\n", take="1")
        self.assertEqual(self.cells(), before)
        self.post("bring/", text="account\tyear\n4020\t40\n10-4010-002\t8\n", take="1")
        self.assertEqual(self.shown()["line:sales"][-1], "55.50")

    def test_what_no_longer_fits_is_listed_and_may_be_emptied(self) -> None:
        self.key("account:4020", p1="6")
        closed = Code("acc", "4020", "Group sales", account_class="revenue", posting=False)
        actions.make_change(Put(closed), None)
        told = "10-4020-001 , period 1, −6.00 : Account: 4020 Group sales is not open for posting."
        self.assertIn(told, self.words(self.client.get(f"{PAGE}?year=2026")))
        self.post("several/", what="account:4020", act="empty")
        self.assertNotIn("What no longer fits", self.words(self.client.get(f"{PAGE}?year=2026")))

    def test_a_company_accountant_keys_their_own(self) -> None:
        self.client = client_of(person("tom", "company", ("alpha",)))
        self.key("account:4010", p1="4")
        self.assertEqual(self.client.get("/budgets/plan/beta/inc/").status_code, 404)
        self.assertEqual(self.client.post("/budgets/plan/approve/").status_code, 403)
        self.assertEqual(self.client.post("/budgets/make/new/", {"name": "x", "chart": "c"}).status_code, 403)
        self.assertNotIn("Beta", self.words(self.client.get("/budgets/")))

    def test_a_page_asks_no_question_in_a_loop(self) -> None:
        self.key("account:4010", p1="1")
        self.key("account:4010", p2="1")
        self.key("account:5010", p3="1")
        self.client = client_of(person("nia"))
        self.client.turning = False
        self.client.get(PAGE)
        with self.assertNumQueries(15):
            self.client.get(f"{PAGE}?strings=1&accounts=all")
