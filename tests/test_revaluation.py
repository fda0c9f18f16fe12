"""Revaluation in the books: posted once at the rate, the rest when it moved, taken back to the digit."""

from __future__ import annotations

import html
import re
from datetime import date
from decimal import Decimal

from django.db import connection
from django.test.utils import CaptureQueriesContext

from core.changes.kinds import Put
from core.definitions.tables import Chart, Code, Company, CompanyAccount, Period, Rate, Rounding
from tests.base import PineTest, bring, client_of, person, run, world
from web.definitions import actions
from web.definitions.snapshot import current
from web.journals.models import Journal

PAGE = "/journals/make/revaluation/"
HEAD = "company,journal,date,kind,description,currency,rate\n"
LINES = "company,journal,line,account,dimensions,debit,credit,partner\n"
MORE = {
    "journals": f"{HEAD}alpha,E1,2026-01-20,general,Sold abroad,EUR,0.80\n",
    "journal_lines": (f"{LINES}alpha,E1,1,10-1110,,100,,\nalpha,E1,2,10-4020-2,season=SP26,,100,beta\n"),
}


class Revaluations(PineTest):
    def setUp(self) -> None:
        super().setUp()
        bring(world())
        for row in (
            Chart("c", "Chart", "s", exchange_account="4020"),
            Company("alpha", "Alpha", "GB", "GBP", "c", "m", foreign_currencies=True),
            CompanyAccount("alpha", "1110", "", True),
            self.rate("0.85"),
        ):
            actions.make_change(Put(row), None)
        bring(MORE)
        self.client = client_of(person("mirela"))

    def rate(self, worth: str) -> Rate:
        return Rate("EUR", "GBP", "closing", date(2026, 1, 31), Decimal(worth))

    def act(self, kind: str, *companies: str, status: int = 200) -> str:
        given = {"act": kind, "what": ",".join(companies), "year": 2026, "period": 1}
        reply = self.client.post(f"{PAGE}act/", given, headers={"HX-Request": "true"})
        self.assertEqual(reply.status_code, status, reply.content[:500])
        return html.unescape(reply.content.decode())

    def shown(self) -> list[str]:
        page = html.unescape(self.client.get(f"{PAGE}?year=2026&period=1").content.decode())
        row = re.search(r'data-row="alpha".*?</tr>', page)
        return re.findall(r"<td[^>]*>([^<]*)", row[0]) if row else []

    def closing(self, account: str) -> str:
        _, out, _ = run("trial-balance", "--company=alpha", "--year=2026", "--period=1")
        return next((r.rsplit(",", 1)[1] for r in out.splitlines() if r.startswith(account)), "")

    def test_once_at_the_rate_and_the_rest_when_it_moves(self) -> None:
        self.assertEqual(self.shown(), ["Alpha", "EUR", "4020", "GBP", "5.00", "to be revalued"])
        self.act("revalue", "alpha")
        self.assertEqual(self.closing("1110"), "85.00")
        journal = Journal.objects.latest("pk")
        self.assertEqual(
            (journal.kind, journal.date, journal.description),
            ("adjusting", date(2026, 1, 31), "Revaluation at 2026-01-31"),
        )
        self.assertEqual(self.shown()[-2:], ["0", f"revalued by {journal.journal}"])
        self.assertIn("Every balance is at the rate already.", self.act("revalue", "alpha", status=422))
        actions.make_change(Put(self.rate("0.90")), None)
        self.assertEqual(self.shown()[-2:], ["5.00", f"revalued by {journal.journal}, and more came since"])
        self.act("revalue", "alpha")
        self.assertEqual(self.closing("1110"), "90.00")
        self.act("back", "alpha")
        self.assertEqual((self.closing("1110"), self.shown()[-2:]), ("80.00", ["10.00", "to be revalued"]))
        self.assertIn("can be taken back", self.act("back", "alpha", status=422))

    def test_what_was_keyed_keeps_its_rounding_and_what_is_revalued_takes_it(self) -> None:
        for purpose, on, told in (
            ("keyed", "2026-01-20", "Journals in other currencies were keyed to GBP until 2026-01-20."),
            ("keyed", "2026-01-21", ""),
            ("revaluation", "2026-01-01", ""),
        ):
            with self.subTest(purpose, on=on):
                given = {"currency": "GBP", "purpose": purpose, "in_use_from": on, "way": "up"}
                reply = self.client.post("/table/roundings/row/", given, headers={"HX-Request": "true"})
                self.assertIn(told, html.unescape(reply.content.decode()))
                kept = current().state.get(Rounding, "GBP", purpose, date.fromisoformat(on))
                self.assertEqual(kept is not None, not told)
        actions.make_change(Put(self.rate("0.80001")), None)
        self.act("revalue", "alpha")
        self.assertEqual(self.closing("1110"), "80.01")

    def test_all_companies_are_read_at_once(self) -> None:
        actions.make_change(Put(CompanyAccount("beta", "1110", "", True)), None)
        with CaptureQueriesContext(connection) as queries:
            self.client.get(f"{PAGE}?year=2026&period=1")
        self.assertEqual(sum("AS marked(" in query["sql"] for query in queries), 1)

    def test_what_stands_in_the_way_and_who_may(self) -> None:
        period = current().state.require(Period, "m", 2026, 1)
        actions.make_change(Put(period._replace(status="closed")), None)
        self.assertIn("M1 is closed for company alpha.", self.act("revalue", "alpha", status=422))
        self.assertEqual(Journal.objects.filter(kind="adjusting").count(), 0)
        self.assertIn("No company is chosen.", self.act("revalue", status=422))
        self.act("all", "alpha", status=404)
        lines = html.unescape(self.client.get(f"{PAGE}alpha/lines/?year=2026&period=1").content.decode())
        self.assertIn("10-1110-", lines)
        tamsin = client_of(person("tamsin", "company", ("beta",)))
        self.assertEqual(tamsin.get(f"{PAGE}alpha/lines/").status_code, 404)
        self.assertEqual(tamsin.post(f"{PAGE}act/", {"act": "revalue", "what": "alpha"}).status_code, 404)

    def test_the_account_that_takes_it_is_one_of_results(self) -> None:
        code = Code("acc", "1010", "Bank", account_class="asset")
        status, _, said = run("check")
        self.assertEqual(status, 0, said)
        chart = {"chart": "c", "name": "Chart", "structure": "s", "new_strings": "as_keyed"}
        reply = self.client.post(
            "/table/charts/row/?key=c",
            {**chart, "exchange_account": code.code},
            headers={"HX-Request": "true"},
        )
        self.assertIn("1010 Bank is not a revenue or expense account.", html.unescape(reply.content.decode()))
