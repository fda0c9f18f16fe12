"""Rollouts in the database: all or nothing, once, taken back to the byte; in the worker; two at once."""

from __future__ import annotations

import html
import json
import re
import tempfile
from pathlib import Path
from typing import Any
from unittest.mock import patch

from django.db import DatabaseError, transaction

from core.access.rights import FULL, Right
from core.changes.kinds import Put
from core.definitions.tables import Code, Company, CompanyAccount, CompanyCode, Rollout, RolloutItem
from core.faults import Refused
from core.rollouts.matrix import Matrix
from tests.base import CommittingTest, PineTest, Together, bring, client_of, person, run, tables_of, world
from web.definitions import actions, drafting
from web.definitions.models import Version
from web.definitions.snapshot import current
from web.people import granting
from web.rollouts import job, views
from web.rollouts.models import RolloutJob, RolloutRun
from web.rollouts.queries import fingerprint, matrix_for
from web.rollouts.running import roll_out
from web.shell.progress import Stopped

OF = "/rollouts/of/south/"
THIRD = [
    Code("co", "30", "Delta"),
    Company("delta", "Delta", "GB", "GBP", "c", "m", accounts_open="listed"),
    CompanyCode("delta", "company", "30"),
    Company("beta", "Beta", "GB", "GBP", "c", "m", accounts_open="listed"),
    CompanyAccount("beta", "1010", enabled=False),
    Rollout("south", "A site more", "alpha", "all", None, "site", "001", "003", "West"),
    RolloutItem("south", 10, "account", codes="1010, 1110"),
    RolloutItem("south", 20, "strings", "site", "001"),
]


def exported() -> dict[str, bytes]:
    """The package, table by table."""
    with tempfile.TemporaryDirectory() as folder:
        status, _, said = run("export", f"{folder}/out")
        assert status == 0, said
        return {path.name: path.read_bytes() for path in sorted(Path(folder, "out").iterdir())}


def seen(ours: str = "") -> str:
    state = current().state
    return fingerprint(matrix_for(state, state.require(Rollout, "south"), ours, FULL))


class Running(PineTest):
    def setUp(self) -> None:
        super().setUp()
        bring(world())
        bring(tables_of(THIRD))
        self.mirela = person("mirela")
        self.client = client_of(self.mirela)

    def page(self, address: str = OF, **given: str) -> str:
        reply = self.client.get(address, given)
        self.assertEqual(reply.status_code, 200, reply.content[:300])
        return html.unescape(reply.content.decode())

    def boxes(self, **given: str) -> list[tuple[str, str]]:
        """(row's key, looks of its cells) of the page."""
        rows = re.findall(r'<tr data-key-row="([^"]+)">(.*?)</tr>', self.page(**given), re.S)
        return [(key, " ".join(re.findall(r'<i class="box (\w+)"', cells))) for key, cells in rows]

    def make(self, status: int = 200, **given: str) -> Any:
        values = {"ours": "", "fingerprint": seen(given.get("ours", "")), "why": "The new site", **given}
        reply = self.client.post(f"{OF}make/", values, headers={"HX-Request": "true"})
        self.assertEqual(reply.status_code, status, reply.content[:500])
        return reply

    def test_the_matrix_is_what_is_made_and_what_the_log_keeps(self) -> None:
        before = self.boxes()
        self.assertEqual(
            before,
            [
                ("code.site.001", "new new new"),
                ("account.1010", "alike differs new"),
                ("account.1110", "alike new new"),
                ("string.10-1110-001", "alike alike alike"),
                ("string.10-4010-001", "alike cannot cannot"),
            ],
        )
        self.make()
        run_row = RolloutRun.objects.get()
        self.assertEqual(run_row.outcomes, ["nnn", "akn", "ann", "aaa", "axx"])
        self.assertEqual(
            run_row.sentence,
            "Rolled out A site more to 3 companies: 6 made, 0 changed, 6 alike, 1 kept, 2 left out",
        )
        version = Version.objects.order_by("-version")[0]
        self.assertEqual(
            (run_row.version, version.reason, version.sentence), (version, "The new site", run_row.sentence)
        )
        state = current().state
        self.assertEqual(state.get(Code, "site", "003"), Code("site", "003", "West"))
        self.assertIsNotNone(state.get(CompanyAccount, "delta", "1110"))
        self.assertFalse(state.require(CompanyAccount, "beta", "1010").enabled)
        self.assertIn("was there and alike", self.page(f"/rollouts/run/{run_row.pk}/"))
        cell = self.page(f"/rollouts/run/{run_row.pk}/cell/", row="account.1010", col="beta")
        self.assertIn("kept as it was there", cell)
        self.assertIn(run_row.sentence, self.page("/rollouts/"))
        reply = self.client.post(f"{OF}make/", {"fingerprint": seen()}, headers={"HX-Request": "true"})
        self.assertIn("There is nothing to make.", reply.content.decode())

    def test_taken_back_the_package_is_as_before(self) -> None:
        before = exported()
        self.make(ours="*@*")
        self.assertNotEqual(exported(), before)
        version = RolloutRun.objects.get().version_id
        self.client.post(f"/log/{version}/take-back/", headers={"HX-Request": "true"})
        self.assertEqual(exported(), before)
        self.assertIn("taken back", " ".join(self.page("/rollouts/").split()))

    def test_what_is_used_since_cannot_be_taken_back(self) -> None:
        self.make()
        version = RolloutRun.objects.get().version_id
        bring(
            {
                "journals": "company,journal,date,kind,description\nalpha,A9,2026-03-10,general,New site\n",
                "journal_lines": "company,journal,line,account,debit,credit\n"
                "alpha,A9,1,10-1110-003,5,\nalpha,A9,2,10-1010,,5\n",
            }
        )
        with self.assertRaises(Refused) as refused:
            actions.take_back(version or 0, self.mirela)
        self.assertEqual(
            [fault.what for fault in refused.exception.faults],
            ["003 can't be deleted because it was posted to."],
        )

    def test_another_matrix_than_was_seen_is_not_made(self) -> None:
        looked_at = seen()
        actions.make_change(Put(CompanyAccount("delta", "1110")), None)
        reply = self.make(422, fingerprint=looked_at)
        self.assertIn(
            "Definitions or books changed meanwhile, and it would come to something else.",
            html.unescape(reply.content.decode()),
        )
        self.assertFalse(RolloutRun.objects.exists())
        self.assertIsNone(current().state.get(Code, "site", "003"))

    def test_broken_off_at_any_point_nothing_is_left(self) -> None:
        before, versions = exported(), Version.objects.count()
        for point in ("working cells out", "writing", "done"):

            def stop(what: str, done: int, point: str = point) -> None:
                if what == point:
                    raise Stopped

            with self.subTest(point), self.assertRaises(Stopped):
                looked_at = seen()
                with patch("web.rollouts.queries._kept.get", return_value=None):
                    roll_out("south", "", looked_at, self.mirela, None, "", stop)
            self.assertEqual((Version.objects.count(), RolloutRun.objects.count()), (versions, 0))
        self.assertEqual(exported(), before)

    def test_in_a_draft_it_waits_for_publishing(self) -> None:
        draft = drafting.start("Site", self.mirela)
        self.client.post(f"/drafts/{draft.pk}/open/")
        self.client.get(OF)
        published = current()
        working = drafting.working(draft)
        matrix = matrix_for(working.state, working.state.require(Rollout, "south"), "", FULL)
        self.make(fingerprint=fingerprint(matrix))
        self.assertEqual(current().version, published.version)
        draft.refresh_from_db()
        state = drafting.working(draft).state
        self.assertIsNotNone(state.get(Code, "site", "003"))
        run_row = RolloutRun.objects.get()
        self.assertEqual((run_row.version, run_row.draft), (None, draft))
        self.assertIn("in draft", self.page("/rollouts/"))

    def test_a_side_is_chosen_by_its_cell_row_company_or_everywhere(self) -> None:
        for ours in ("account.1010@beta", "account.1010@*", "*@beta", "*@*"):
            with self.subTest(ours):
                self.assertEqual(self.boxes(ours=ours)[1], ("account.1010", "alike ours new"))
        cell = self.page(f"{OF}cell/", row="account.1010", col="beta", ours="*@*")
        self.assertIn("Keep theirs", cell)
        self.assertIn(f'href="{OF}?ours=%2A%40%2A%2C-account.1010%40beta"', cell)
        self.assertEqual(self.boxes(ours="*@*,-account.1010@beta")[1], ("account.1010", "alike differs new"))
        self.assertEqual(self.client.get(f"{OF}cell/", {"row": "none", "col": "beta"}).status_code, 404)
        self.client.post(f"{OF}leave-out/", {"company": "beta"}, headers={"HX-Request": "true"})
        self.assertEqual(current().state.require(Rollout, "south").companies, "all except beta")
        self.assertEqual(self.boxes(show="differs"), [])

    def test_chosen_codes_of_a_list_go_into_a_rollout(self) -> None:
        def add(*codes: str, rollout: str = "south", of: str = "acc") -> Any:
            given = {"act": "roll_out", "rollout": rollout, "what": ",".join(codes)}
            return self.client.post(f"/codes/{of}/several/", given, headers={"HX-Request": "true"})

        before = {item.codes for item in current().state.part(RolloutItem, "south").values()}
        self.assertEqual(add("5010", "4010").status_code, 200)
        items = [i for i in current().state.part(RolloutItem, "south").values() if i.codes not in before]
        self.assertIn(("account", "", "4010, 5010"), [item[2:5] for item in items])
        self.assertEqual(add("002", of="site").status_code, 200)
        last = max(current().state.part(RolloutItem, "south").values())
        self.assertEqual(last[2:5], ("code", "site", "002"))
        for reply, words in (
            (add("5010", rollout="none"), "Choose a rollout."),
            (add("5010", "4010"), "brings them already"),
            (add(), "No code is chosen."),
        ):
            self.assertEqual(reply.status_code, 422)
            self.assertIn(words, html.unescape(reply.content.decode()))

    def test_what_was_added_since_signing_in_becomes_items(self) -> None:
        fresh = Code("acc", "5030", "Feed", account_class="expense")
        self.mirela.refresh_from_db()
        actions.make_change(Put(fresh), self.mirela)
        self.client.post(f"{OF}fill/", {"from": "session"}, headers={"HX-Request": "true"})
        items = current().state.part(RolloutItem, "south")
        self.assertEqual(items["south", 30], RolloutItem("south", 30, "account", codes="5030"))
        reply = self.client.post(f"{OF}fill/", {"from": "draft"}, headers={"HX-Request": "true"})
        self.assertIn("Nothing was added there", reply.content.decode())

    def test_who_defines_some_companies_rolls_out_to_those_alone(self) -> None:
        who = person("rita", "company")
        role = granting.put_role(None, "Region", [Right.DEFINE], self.mirela)
        granting.grant(current().state, who, role, ("alpha, beta", "", ""), self.mirela)
        run_by_all = self.make()
        self.client = client_of(who)
        self.assertNotIn("Rolled out A site more", self.page("/rollouts/"))  # delta took part in it
        run = RolloutRun.objects.get()
        self.assertEqual(self.client.get(f"/rollouts/run/{run.pk}/").status_code, 404, run_by_all)
        south = current().state.require(Rollout, "south")
        actions.make_change(Put(south._replace(name="To the south", swap_to="004")), who)
        page = " ".join(self.page().split())
        self.assertIn("1 of the companies it names are not shown: you don't see them.", page)
        self.assertEqual(
            self.boxes(),
            [
                ("code.site.001", "cannot cannot"),
                ("account.1010", "alike differs"),
                ("account.1110", "alike alike"),
                ("string.10-1110-001", "cannot cannot"),
                ("string.10-4010-001", "cannot cannot"),
            ],
        )
        cell = self.page(f"{OF}cell/", row="code.site.001", col="beta")
        self.assertIn("You have no right to define in chart c.", cell)
        ours = "account.1010@beta"
        mark = fingerprint(self.matrix_of(who, ours))
        self.make(ours=ours, fingerprint=mark)
        self.assertTrue(current().state.require(CompanyAccount, "beta", "1010").enabled)
        self.assertIn("Rolled out To the south to 2 companies", self.page("/rollouts/"))
        registers = " ".join(self.page("/registers/").split())
        for there in ("season", "Add statement", "Dimensions"):
            self.assertIn(there, registers)
        for absent in ("Add chart", "Add overlay", "Delta"):
            self.assertNotIn(absent, registers)
        self.assertEqual(self.client.get("/table/rates/out/csv/").status_code, 404)
        self.assertNotIn("delta", self.client.get("/table/companies/out/csv/").content.decode())
        self.client = client_of(person("otto", "company", ("delta",)))
        self.assertEqual(self.client.get(OF).status_code, 404)
        self.assertEqual(self.client.get("/rollouts/").status_code, 403)

    def matrix_of(self, who: Any, ours: str) -> Matrix:
        state = current().state
        return matrix_for(state, state.require(Rollout, "south"), ours, who.access(state))

    def test_a_matrix_is_kept_until_something_is_posted(self) -> None:
        state = current().state
        rollout = state.require(Rollout, "south")
        first = matrix_for(state, rollout, "", FULL)
        self.assertIs(matrix_for(state, rollout, "", FULL), first)
        lines = [{"account": "10-1010-", "debit": "5"}, {"account": "10-3010-", "credit": "5"}]
        body = json.dumps({"journal": "A9", "date": "2026-02-20", "kind": "general", "lines": lines})
        reply = self.client.post("/journals/alpha/post/", body, content_type="application/json")
        self.assertEqual(reply.status_code, 200, reply.content)
        self.assertIsNot(matrix_for(state, rollout, "", FULL), first)

    def test_a_large_one_goes_to_the_worker(self) -> None:
        with patch.object(views, "LARGE", 2):
            self.make()
        waiting = RolloutJob.objects.get()
        self.assertIn("no worker runs", self.page().lower())
        job.run(waiting.pk)
        waiting.refresh_from_db()
        self.assertEqual(waiting.outcome, RolloutRun.objects.get().sentence)
        with patch.object(views, "LARGE", 0):
            self.make(ours="*@*")
        stopped = RolloutJob.objects.latest("pk")
        self.client.post(f"{OF}stop/")
        with patch("web.shell.progress.own_connection"), patch("web.shell.progress.Teller") as teller:
            teller.return_value.side_effect = Stopped
            job.run(stopped.pk)
        stopped.refresh_from_db()
        self.assertEqual((stopped.stop, stopped.outcome), (True, "Stopped; nothing was made."))
        self.assertEqual(RolloutRun.objects.count(), 1)

    def test_the_log_is_never_altered_and_only_group_accountants_see_it(self) -> None:
        self.make()
        with self.assertRaises(DatabaseError), transaction.atomic():
            RolloutRun.objects.update(sentence="Nothing")
        tamsin = client_of(person("tamsin", "company", ("alpha",)))
        for address, status in ((OF, 404), ("/rollouts/", 403), ("/rollouts/run/1/", 403)):
            self.assertEqual(tamsin.get(address).status_code, status, address)


class TwoAtOnce(Together, CommittingTest):
    def test_of_two_that_were_looked_at_together_one_is_made(self) -> None:
        bring(world())
        bring(tables_of(THIRD))
        mirela = person("mirela")
        looked_at = seen()

        def act() -> str:
            try:
                roll_out("south", "", looked_at, mirela)
            except Refused as refused:
                return refused.faults[0].what
            return "made"

        said = self.together(act, act)
        self.assertEqual(
            sorted(said),
            ["Definitions or books changed meanwhile, and it would come to something else.", "made"],
        )
        self.assertEqual(RolloutRun.objects.count(), 1)
