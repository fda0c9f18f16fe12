"""Books seen in a second chart: statements, trial balance, files, each figure down to its lines."""

from __future__ import annotations

import csv
import html
import io
import re
from typing import Any

from core.changes.kinds import Put
from core.definitions.tables import (
    Chart,
    Code,
    CodeList,
    Company,
    Hierarchy,
    HierarchyNode,
    SecondChart,
    SecondChartMapping,
    Statement,
    StatementLine,
    Structure,
    StructureSegment,
)
from core.founding.company_like import company_like
from tests.base import PineTest, bring, client_of, person, run, tables_of, world
from tests.test_rollouts import exported
from web.definitions import actions, drafting
from web.definitions.snapshot import current
from web.drafts import queries

BANKERS = [
    CodeList("bk", "Bankers' accounts", 2, 2, "letters"),
    *(
        Code("bk", code, name, account_class=kind)
        for code, name, kind in (
            ("CA", "Cash", "asset"),
            ("RE", "Receivable", "asset"),
            ("CO", "Capital", "equity"),
            ("SA", "Sales abroad", "revenue"),
            ("SH", "Sales at home", "revenue"),
        )
    ),
    Structure("bank", "Bankers", "."),
    StructureSegment("bank", 1, "account", "Account", "bk", "natural_account"),
    Chart("bank", "The bankers' chart", "bank"),
    Statement("bank-bs", "Bankers' balance sheet", "bank", "balance_sheet"),
    StatementLine("bank-bs", "assets", "", 10, "Assets", "accounts", "CA, RE"),
    StatementLine("bank-bs", "capital", "", 20, "Capital", "accounts", "CO"),
    StatementLine("bank-bs", "result", "", 30, "Result", "result"),
    Hierarchy("bank-tree", "bk", "Bankers' tree"),
    HierarchyNode("bank-tree", "SH"),
    SecondChart("alpha", "bank", "For the bankers"),
    *(
        SecondChartMapping("c", "bank", position, accounts, field, codes, target)
        for position, (accounts, field, codes, target) in enumerate(
            (
                ("1010", "", "", "CA"),
                ("3010", "", "", "CO"),
                ("4010", "site", "001", "SH"),
                ("4*", "", "", "SA"),
            ),
            1,
        )
    ),
]
SALES = {
    "journals": "company,journal,date,kind\nalpha,A3,2026-02-11,general\n",
    "journal_lines": (
        "company,journal,line,account,debit,credit\n"
        "alpha,A3,1,10-1010,70.00,\nalpha,A3,2,10-4010-002,,30.00\nalpha,A3,3,10-4010-1,,40.00\n"
    ),
}
AT = "company=alpha&year=2026&period=2"
HERE = "/companies/alpha/charts/bank/"


class SecondCharts(PineTest):
    def setUp(self) -> None:
        super().setUp()
        bring(world())
        bring({**tables_of(BANKERS), **SALES})
        self.client = client_of(person("mirela"))

    def page(self, address: str, client: Any = None, status: int = 200) -> str:
        reply = (client or self.client).get(address)
        self.assertEqual(reply.status_code, status, reply.content[:300])
        return html.unescape(reply.content.decode())

    def rows(self, *words: str) -> list[list[str]]:
        status, out, said = run(*words, "--company=alpha", "--year=2026", "--period=2")
        self.assertEqual(status, 0, said)
        return list(csv.reader(io.StringIO(out)))[1:]

    def test_command_line_and_pages_show_the_same_and_what_is_missed(self) -> None:
        trial = self.rows("trial-balance", "--in-chart=bank")
        self.assertEqual(
            [(row[0], row[1], row[-1]) for row in trial],
            [
                ("CA", "Cash", "1070.00"),
                ("CO", "Capital", "-1000.00"),
                ("SA", "Sales abroad", "-30.00"),
                ("SH", "Sales at home", "-240.00"),
                ("1110", "Debtors (not mapped)", "250.50"),
                ("1810", "Due from (not mapped)", "-50.50"),
            ],
        )
        statement = self.rows("statement", "bank-bs")
        self.assertEqual(
            [(row[0], row[-1]) for row in statement],
            [("assets", "1070.00"), ("capital", "1000.00"), ("result", "270.00"), ("unplaced", "200.00")],
        )
        self.assertEqual([row[0] for row in self.rows("statement", "--tree=bank-tree")], ["SH", "unplaced"])
        page = self.page(f"/statements/bank-bs/?{AT}")
        for shown in ("1,070.00", "1,000.00", "270.00", "1110", "give it an account of this"):
            self.assertIn(shown, page)
        self.assertIn("270.00", self.page(f"/statements/bank-bs/figures/?{AT}"))
        file = self.client.get(f"/exchange/report/csv/?{AT}&in=bank").content.decode()
        self.assertIn("1110,Debtors (not mapped)", file)

    def test_every_figure_opens_down_to_lines_that_make_it_up(self) -> None:
        page = self.page(f"/statements/trial-balance/?{AT}&in=bank")
        rows = re.findall(r'<tr[^>]*data-row="([^"]+)".*?href="([^"]+)"[^>]*>([^<]+)</a>', page, re.S)
        self.assertEqual(len(rows), 6)
        for account, address, closing in rows:
            with self.subTest(account):
                lines = self.page(address)
                self.assertIn(closing.strip(), re.sub(r"<[^>]+>", " ", lines))
                taken = self.client.get(f"{address}&file=csv").content.decode()
                total = sum(int(row["amount"].replace(".", "")) for row in csv.DictReader(io.StringIO(taken)))
                self.assertEqual(f"{total / 100:,.2f}".replace("-", "−"), closing.strip())
        leaf = self.page(f"/statements/bank-bs/line/assets/?{AT}")
        self.assertIn("from", leaf)
        self.assertIn("/journals/alpha/account/1010/", leaf)

    def test_accounts_are_mapped_in_place_and_likely_ones_taken_at_once(self) -> None:
        page = self.page(f"{HERE}?year=2026&period=2")
        self.assertIn("2 of them have an amount at the end of M2", page)
        post = {"code": "1110, 1810", "target": "RE Receivable"}
        reply = self.client.post(f"{HERE}map/", post, headers={"HX-Request": "true"})
        self.assertEqual(reply.status_code, 200, reply.content)
        self.assertEqual(
            current().state.require(SecondChartMapping, "c", "bank", 10),
            SecondChartMapping("c", "bank", 10, "1110, 1810", target="RE"),
        )
        self.assertEqual(
            [row[-1] for row in self.rows("statement", "bank-bs")], ["1270.00", "1000.00", "270.00"]
        )
        reply = self.client.post(f"{HERE}map/", {"take": "1"}, headers={"HX-Request": "true"})
        self.assertEqual(reply.status_code, 422)
        self.assertContains(reply, "No account has one there by name or code.", status_code=422)
        actions.make_change(Put(Code("bk", "PC", "Petty cash", account_class="asset")), person("ada"))
        reply = self.client.post(f"{HERE}map/", {"take": "1"}, headers={"HX-Request": "true"})
        self.assertContains(reply, "Map 1 account by name or code: 1020 to PC Petty cash (same name)?")
        taken = {"take": "1", "decided": "take"}
        self.client.post(f"{HERE}map/", taken, headers={"HX-Request": "true"})
        self.assertIn("By name or code, not looked at yet: 1", self.page(HERE))
        self.client.post(f"{HERE}taken/", {"account": "1020"}, headers={"HX-Request": "true"})
        self.assertNotIn("not looked at yet", self.page(HERE))
        self.assertIn("Mapped 1020 of chart c by name or code in bank", self.page("/log/"))
        self.assertEqual(
            self.client.post(f"{HERE}map/", {"take": "1"}, headers={"HX-Request": "true"}).status_code, 422
        )
        for wrong in (
            {"code": "", "target": "RE"},
            {"code": "1020", "target": ""},
            {"code": "1020", "target": "ZZ"},
        ):
            reply = self.client.post(f"{HERE}map/", wrong, headers={"HX-Request": "true"})
            self.assertEqual(reply.status_code, 422, wrong)

    def test_a_draft_says_what_it_moves_in_a_second_chart(self) -> None:
        at, ada = queries.ComparedPeriod(2026, 2), person("ada")
        row = current().state.require(SecondChartMapping, "c", "bank", 1)
        draft = drafting.start("Bankers", ada)
        moves = []
        for target in ("RE", "CO"):
            draft = drafting.record(draft.pk, Put(row._replace(target=target)), ada)
            after = drafting.working(draft).state
            trees = queries.moved(current().state, after, at)
            moves.append([(tree.name, m.company, m.line, m.was, m.now) for tree in trees for m in tree.rows])
        self.assertEqual(
            moves,
            [
                [],
                [("bank-bs", "alpha", "assets", 107000, 0), ("bank-bs", "alpha", "capital", 100000, -7000)],
            ],
        )
        causes = queries.causes_of(current().state, after, at, "statement", "bank-bs", "capital", "alpha")
        self.assertEqual([(one.code, one.enters, one.amount) for one in causes], [("CO", True, 107000)])

    def test_who_sees_it_and_who_does_not(self) -> None:
        own, other = (
            client_of(person("own", "company", ("alpha",))),
            client_of(person("other", "company", ("beta",))),
        )
        self.page(HERE, own)
        self.page(f"/statements/bank-bs/?{AT}", own)
        for address in (HERE, f"/statements/bank-bs/?{AT}", "/structures/bank/"):
            self.page(address, other, 404)
        for address in (
            "/companies/beta/charts/bank/",
            "/companies/alpha/charts/c/",
            "/companies/alpha/charts/x/",
        ):
            self.page(address, status=404)
        self.assertEqual(
            run("statement", "bank-bs", "--company=beta", "--year=2026", "--period=2")[2],
            "Statement bank-bs belongs to chart bank, not to c.\n",
        )
        self.assertEqual(
            run("trial-balance", "--in-chart=bank", "--company=beta", "--year=2026", "--period=2")[2],
            "beta is not seen in chart bank.\n",
        )
        self.assertEqual(
            run("trial-balance", "--in-chart=bank", "--group=g", "--year=2026", "--period=2")[2],
            "A second chart is asked for of a company, not of a group.\n",
        )

    def test_the_map_ties_the_charts_and_a_company_like_it_is_seen_there_too(self) -> None:
        drawing = self.page("/companies/drawn/map/")
        self.assertIn("Also seen here: Alpha", drawing)
        self.assertIn("The bankers' chart", drawing)
        state = current().state
        row = Company("delta", "Delta", "GB", "GBP", "c", "m")
        change = company_like(state, row, state.require(Company, "alpha"), "", None, frozenset({"mapping"}))
        after = state.edited(change.edits(state))
        self.assertEqual(
            after.get(SecondChart, "delta", "bank"), SecondChart("delta", "bank", "For the bankers")
        )

    def test_it_goes_out_and_in_again_and_the_check_tells_what_is_missing(self) -> None:
        content = exported()
        self.assertIn("alpha,bank,For the bankers", content["second_charts.csv"].decode())
        told = run("check")[2]
        self.assertIn("1110 Debtors of Alpha has an amount, and no account in bank.", told)
