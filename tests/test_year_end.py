"""A year's end in the books: carried for many companies at once, once only, and taken back."""

from __future__ import annotations

import html
import re
from datetime import date
from typing import Any

from core.changes.kinds import Put
from core.definitions.tables import Chart, Period
from tests.base import PineTest, bring, client_of, person, run, world
from web.definitions import actions
from web.definitions.snapshot import current
from web.journals.models import Journal
from web.journals.year_end import result_balances

CHART = Chart("c", "Chart", "s", result_account="3010")
ACT = "/journals/make/year-end/act/"
HEAD = "company,journal,date,kind,description\n"
LINES = "company,journal,line,account,dimensions,debit,credit,partner\n"
MORE = {
    "journals": f"{HEAD}alpha,A3,2026-03-10,general,Season\nbeta,B2,2026-02-10,general,Costs\n",
    "journal_lines": (
        f"{LINES}alpha,A3,1,10-1010,,70,,\nalpha,A3,2,10-4020-2,season=SP26,,70,beta\n"
        "beta,B2,1,20-5010-1,,30,,\nbeta,B2,2,20-1010,,,30,\n"
    ),
}


class YearEnds(PineTest):
    def setUp(self) -> None:
        super().setUp()
        bring(world())
        actions.make_change(Put(CHART), None)
        bring(MORE)
        self.client = client_of(person("mirela"))

    def act(self, kind: str, *companies: str, year: int = 2026, status: int = 200) -> str:
        reply = self.client.post(
            ACT, {"act": kind, "what": ",".join(companies), "year": year}, headers={"HX-Request": "true"}
        )
        self.assertEqual(reply.status_code, status, reply.content[:500])
        return html.unescape(reply.content.decode())

    def states(self) -> dict[str, list[str]]:
        """By company the account, currency, what is left and how it stands."""
        page = html.unescape(self.client.get("/journals/make/year-end/?year=2026").content.decode())
        rows = re.findall(r'<tr[^>]* data-row="(\w+)".*?>(<td.*?)</tr>', page)
        return {key: re.findall(r"<td[^>]*>([^<]*)", cells)[1:] for key, cells in rows}

    def figures(self, statement: str, *whose: str) -> dict[str, str]:
        _, out, _ = run("statement", statement, *whose, "--year=2026", "--period=13")
        return {row.split(",")[0]: row.rsplit(",", 1)[1] for row in out.splitlines()[1:]}

    def left(self, company: str) -> list[Any]:
        return result_balances(current().state, [company], 2026)[company]

    def test_results_go_to_equity_and_nothing_else_moves(self) -> None:
        self.assertEqual(
            self.states(),
            {"alpha": ["3010", "GBP", "270.00", "ready"], "beta": ["3010", "GBP", "−30.00", "ready"]},
        )
        before = {
            whose: self.figures("st", whose) for whose in ("--company=alpha", "--company=beta", "--group=g")
        }
        self.act("carry", "alpha", "beta")
        self.assertEqual((self.left("alpha"), self.left("beta")), ([], []))
        for whose, was in before.items():
            now = self.figures("st", whose)
            self.assertEqual(now["result"], "0.00")
            moved = {"capital": f"{float(was['capital']) + float(was['result']):.2f}", "result": "0.00"}
            self.assertEqual(now, {**was, **moved})
        carried = Journal.objects.filter(kind="closing").order_by("company_id")
        self.assertEqual(
            self.states(),
            {row.company_id: ["3010", "GBP", "—", f"carried by {row.journal}"] for row in carried},
        )
        _, out, _ = run("trial-balance", "--company=alpha", "--year=2026", "--period=13", "--by=season")
        self.assertIn("4020,Group sales,0.00", out)
        self.assertEqual(run("verify")[0], 0)

    def test_it_is_carried_once_and_what_comes_after_again(self) -> None:
        self.act("carry", "alpha")
        self.assertIn("Nothing is left to carry of 2026.", self.act("carry", "alpha", status=422))
        bring(
            {
                "journals": f"{HEAD}alpha,A9,2026-04-10,general,Late\n",
                "journal_lines": f"{LINES}alpha,A9,1,10-1010,,5,,\nalpha,A9,2,10-4010-1,,,5,\n",
            }
        )
        first = Journal.objects.get(kind="closing")
        self.assertEqual(
            self.states()["alpha"][2:], ["5.00", f"carried by {first.journal}, and more came since"]
        )
        self.act("carry", "alpha")
        self.assertEqual(self.left("alpha"), [])

    def test_it_is_taken_back_until_the_next_period_is_closed(self) -> None:
        self.act("carry", "alpha", "beta")
        self.act("back", "alpha")
        self.assertEqual(self.states()["alpha"][2:], ["270.00", "ready"])
        self.assertIn(
            "No closing journal of 2026 of alpha can be taken back.", self.act("back", "alpha", status=422)
        )

        after = Period("m", 2027, 1, "Jan 27", date(2026, 5, 1), date(2026, 5, 31), "regular", "closed")
        actions.make_change(Put(after), None)
        told = self.act("back", "beta", status=422)
        self.assertIn("Jan 27 is closed for company beta: the end of 2026 stays as it is.", told)

    def test_all_or_none(self) -> None:
        actions.make_change(Put(Chart("c", "Chart", "s")), None)
        told = self.act("carry", "alpha", "beta", status=422)
        self.assertIn("Chart doesn't say which equity account takes the result.", told)
        self.assertFalse(Journal.objects.filter(kind="closing").exists())
        self.assertIn("No company is chosen.", self.act("carry", status=422))
        self.act("dance", "alpha", status=404)
        self.act("carry", "nobody", status=404)
        self.act("carry", "alpha", year=1999, status=422)

    def test_a_company_accountant_closes_their_own(self) -> None:
        self.client = client_of(person("tom", "company", ("beta",)))
        self.assertEqual(list(self.states()), ["beta"])
        self.act("carry", "alpha", status=404)
        self.assertEqual(self.client.get("/journals/make/year-end/alpha/lines/?year=2026").status_code, 404)
        page = self.client.get("/journals/make/year-end/beta/lines/?year=2026").content.decode()
        self.assertIn("20-3010-", page)
        self.act("carry", "beta")
        self.assertEqual(self.left("beta"), [])

    def test_the_page_asks_no_question_in_a_loop(self) -> None:
        client = client_of(person("nia"))
        client.turning = False
        client.get("/journals/make/year-end/?year=2026")
        with self.assertNumQueries(10):
            client.get("/journals/make/year-end/?year=2026")
