"""The start page, and accounts asked for: what waits is told to whom it waits for, and answered once."""

from __future__ import annotations

import html
from typing import Any

from django.db import connection
from django.test.utils import CaptureQueriesContext

from core.changes.kinds import Put
from core.definitions.tables import Code, Company, CompanyAccount, Period
from tests.base import CommittingTest, PineTest, Together, bring, client_of, person, world
from web.definitions import actions as definitions, drafting
from web.definitions.models import Draft, Version
from web.definitions.snapshot import current
from web.requests import actions
from web.requests.models import AccountRequest

ASKED = {"company": "alpha", "name": "Feed", "beside": "5010", "reason": "It is bought apart now."}


class Requests(PineTest):
    def setUp(self) -> None:
        super().setUp()
        bring(world())
        self.mirela, self.tamsin = person("mirela"), person("tamsin", "company", ("alpha",))
        self.client, self.own = client_of(self.mirela), client_of(self.tamsin)

    def page(self, client: Any, address: str) -> str:
        reply = client.get(address)
        self.assertEqual(reply.status_code, 200, reply.content[:300])
        return " ".join(html.unescape(reply.content.decode()).split())

    def post(self, client: Any, address: str, status: int = 200, **given: str) -> str:
        reply = client.post(address, given, headers={"HX-Request": "true"})
        self.assertEqual(reply.status_code, status, reply.content[:300])
        return html.unescape(reply.content.decode())

    def ask(self, status: int = 200, **given: str) -> str:
        return self.post(self.own, "/requests/new/", status, **{**ASKED, **given})

    def test_it_is_made_with_its_reason_and_told(self) -> None:
        definitions.make_change(
            Put(current().state.require(Company, "alpha")._replace(accounts_open="listed")), None
        )
        self.ask()
        row = AccountRequest.objects.get()
        self.assertIn("1 account is asked for", self.page(self.client, "/today/"))
        self.assertNotIn("asked for</a>", self.page(self.own, "/today/").replace("Accounts asked for", ""))
        self.post(self.own, f"/requests/{row.pk}/make/", 403)
        self.post(self.client, f"/requests/{row.pk}/make/", code="5030")
        state = current().state
        self.assertEqual(state.get(Code, "acc", "5030"), Code("acc", "5030", "Feed", account_class="expense"))
        self.assertIsNotNone(state.get(CompanyAccount, "alpha", "5030"))
        version = Version.objects.order_by("-version")[0]
        self.assertEqual(version.sentence, "Added account 5030 Feed, asked for by Alpha")
        self.assertEqual(version.reason, "It is bought apart now.")
        row.refresh_from_db()
        self.assertEqual((row.state, row.code, row.version), ("made", "5030", version))
        self.assertIn("1 request of yours answered", self.page(self.own, "/today/"))
        self.assertIn("Made as", self.page(self.own, f"/requests/{row.pk}/"))
        self.assertIn(
            "It is made already.", self.post(self.client, f"/requests/{row.pk}/decline/", 422, answer="No")
        )

    def test_it_is_checked_like_any_other(self) -> None:
        for given, said in (
            ({"name": ""}, "The account has no name."),
            ({"beside": "99"}, "There is no account 99 in acc."),
            ({"beside": ""}, "Most like which account isn't said."),
            ({"reason": ""}, "No reason is given."),
        ):
            with self.subTest(said):
                self.assertIn(said, self.ask(422, **given))
        self.post(self.own, "/requests/new/", 404, **{**ASKED, "company": "beta"})
        self.post(self.own, "/requests/new/", 404, **{**ASKED, "account_class": "gold"})
        self.assertFalse(AccountRequest.objects.exists())

    def test_declined_with_a_reason_or_taken_back(self) -> None:
        self.ask()
        self.ask(name="Seed")
        first, second = AccountRequest.objects.order_by("pk")
        self.assertIn("declined with a reason", self.post(self.client, f"/requests/{first.pk}/decline/", 422))
        self.post(self.client, f"/requests/{first.pk}/decline/", answer="5020 is for that")
        self.assertIn("Declined by Mirela: 5020 is for that", self.page(self.own, f"/requests/{first.pk}/"))
        self.assertIn("Only who asked", self.post(self.client, f"/requests/{second.pk}/withdraw/", 422))
        self.post(self.own, f"/requests/{second.pk}/withdraw/")
        self.assertIn("taken back", self.page(self.own, "/requests/"))
        other = client_of(person("nils", "company", ("beta",)))
        self.assertEqual(other.get(f"/requests/{first.pk}/").status_code, 404)
        self.assertNotIn("Seed", self.page(other, "/requests/"))

    def test_today_says_what_waits(self) -> None:
        draft = drafting.start(
            "Spring", person("vera"), [Put(Code("acc", "1030", "Till", account_class="asset"))]
        )
        Draft.objects.filter(pk=draft.pk).update(status=Draft.REVIEW)
        said = self.page(self.client, "/today/")
        for words in (
            "Draft Spring of Vera is to be approved",
            "M1 and 3 more are over and open",
        ):
            self.assertIn(words, said)
        self.assertIn("1 pair of sides disagrees in Both", self.page(self.client, "/today/groups/"))
        own = self.page(self.own, "/today/")
        self.assertNotIn("Spring", own)
        self.assertIn("Alpha", own)
        self.assertNotIn("Beta", own)
        self.assertEqual(self.page(self.own, "/today/groups/").count("disagree"), 0)

    def test_books_of_all_companies_are_read_at_once(self) -> None:
        with CaptureQueriesContext(connection) as queries:
            self.page(self.client, "/today/")
        self.assertEqual(sum("LEFT JOIN journals_bookpack" in query["sql"] for query in queries), 1)

    def test_figures_are_those_of_the_trial_balance(self) -> None:
        first = current().state.require(Period, "m", 2026, 1)
        definitions.make_change(Put(first._replace(status="closed")), None)
        said = self.page(self.client, "/today/")
        row = said[said.index('data-row="alpha"') :]
        self.assertIn(
            '<td class="num">200.00</td><td class="num">200.00</td> <td class="num">1,200.00</td>', row
        )


class TwoAnswers(Together, CommittingTest):
    def test_of_two_answers_one_stands(self) -> None:
        bring(world())
        mirela, vera = person("mirela"), person("vera")
        row = actions.ask(current().state, "alpha", "Feed", "", "5010", "Apart", mirela)
        said = self.together(
            lambda: actions.make(row.pk, "", mirela).state, lambda: actions.decline(row.pk, "No", vera).state
        )
        row.refresh_from_db()
        self.assertIn(row.state, said)
        self.assertEqual(len([one for one in said if str(one).startswith("It is")]), 1)
        names = [code.name for code in current().state.part(Code, "acc").values()]
        self.assertEqual("Feed" in names, row.state == "made")
