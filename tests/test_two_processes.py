"""Two server processes and the database: after any edits through either, every page of both shows the
same."""

from __future__ import annotations

import difflib
import json
import random
import re
from datetime import date
from typing import Any
from unittest.mock import patch

import requests
from django.db import connection
from django.test import Client

from core.changes.kinds import Put
from core.definitions.parsing import encode_row
from core.definitions.state import Edit, OutOfStep
from core.definitions.tables import Code, Period
from tests.base import CommittingTest, InWorld, Workers, bring, client_of, forget, person, run, world
from tests.serving import Served
from web.definitions import actions, drafting, history, snapshot, store
from web.definitions.models import Edited, Version

PAGES = (
    "/codes/acc/",
    "/codes/acc/code/1010/",
    "/codes/acc/code/1030/",
    "/codes/site/",
    "/hierarchies/tree/",
    "/structures/c/",
    "/companies/",
    "/companies/alpha/",
    "/journals/alpha/",
    "/statements/st/?company=alpha&year=2026&period=2",
    "/statements/trial-balance/?company=alpha&year=2026&period=2",
    "/group/g/?statement=st&year=2026&period=2",
    "/group/g/members/",
    "/log/",
    "/companies/open/accounts/?chart=c&open=1",
    "/companies/pairs/matrix/",
    "/companies/drawn/map/",
    "/journals/make/periods/?year=2026",
    "/rollouts/of/r/",
    "/today/",
    "/today/groups/",
    "/journals/alpha/complete/?text=10",
    "/codes/acc/?version=2",
    "/codes/acc/?draft=none",
)
VARYING = re.compile(r'csrfmiddlewaretoken" value="[^"]*"|X-CSRFToken[^}]*')


class Browser:
    """One signed-in person whose requests go to one process."""

    def __init__(self, server: Served, who: Any) -> None:
        client = Client()
        client.force_login(who, backend="django.contrib.auth.backends.ModelBackend")
        self.url, self.session = server.url, requests.Session()
        self.session.cookies.set("sessionid", client.cookies["sessionid"].value)

    def get(self, address: str) -> tuple[int, str]:
        reply = self.session.get(self.url + address, timeout=60)
        return reply.status_code, VARYING.sub("", reply.text)

    def post(self, address: str, **fields: str) -> int:
        if "csrftoken" not in self.session.cookies:
            self.session.get(self.url + "/codes/acc/", timeout=60)
        headers = {
            "X-CSRFToken": self.session.cookies.get("csrftoken") or "",
            "HX-Request": "true",
            "Referer": self.url,
            "HX-Current-URL": self.url + "/codes/acc/",
        }
        return self.session.post(self.url + address, data=fields, headers=headers, timeout=60).status_code


class TwoProcesses(CommittingTest):
    def setUp(self) -> None:
        super().setUp()
        bring(
            {
                **world(),
                "rollouts": "rollout,name,company,companies\nr,To all,alpha,chart=c\n",
                "rollout_items": "rollout,position,kind,codes\nr,1,account,under 1\n",
            }
        )
        who = person("mirela")
        self.servers = [Served(1), Served(1)]
        for server in self.servers:
            self.addCleanup(server.stop)
        self.browsers = [Browser(server, who) for server in self.servers]

    def test_every_page_shows_the_same_after_random_edits_through_both(self) -> None:
        chance = random.Random(20261126)
        rejected = 0
        for turn in range(6):
            for step in range(
                chance.randint(2, 5)
            ):  # several by one, so that the other is some versions behind
                status = self._edit(chance, self.browsers[turn % 2], f"{turn}{step}")
                self.assertIn(status, (200, 404, 422), self.servers[turn % 2].said())
                rejected += status != 200
            self._compare(f"after turn {turn}")
        self.assertLess(rejected, 14, "most edits were refused, so nothing was tried")
        forget()
        self.assertEqual(snapshot.current_uncached().state.digest, Version.objects.latest("version").digest)
        for server in self.servers:
            self.assertNotIn("anew", server.said())

    def _edit(self, chance: random.Random, browser: Browser, mark: str) -> int:
        kind = chance.choice(("name", "name", "period", "add", "delete", "move", "company", "open", "pair"))
        if kind == "name":
            code = chance.choice(("1010", "1020"))
            return browser.post(
                f"/codes/acc/edit/?row={code}",
                code=code,
                name=f"Bank {mark}",
                account_class="asset",
                posting="on",
                budgeting="on",
                enabled="on",
            )
        if kind == "period":
            given = "/table/periods/row/?company=alpha&calendar=m"
            return browser.post(
                given,
                row="2026 3",
                fiscal_year="2026",
                period="3",
                name=f"March {mark}",
                starts_on="2026-03-01",
                ends_on="2026-03-31",
                kind="regular",
                status=chance.choice(("open", "closed")),
            )
        if kind == "add":
            return browser.post(
                "/codes/acc/add/", code="1030", name=f"Till {mark}", account_class="asset", parent="10"
            )
        if kind == "delete":
            return browser.post("/codes/acc/code/1030/delete/", decided="delete")
        if kind == "open":
            cells = json.dumps([("1020", chance.choice(("alpha", "beta")))])
            wanted = chance.choice(("open", "shut"))
            return browser.post("/companies/open/accounts/put/", cells=cells, wanted=wanted, chart="c")
        if kind == "pair":
            cells = json.dumps([("alpha", "beta")])
            return browser.post("/companies/pairs/matrix/propose/", cells=cells)
        if kind == "move":
            return browser.post("/hierarchies/tree/move/", what="1020", onto=chance.choice(("10", "1")))
        return browser.post(
            "/table/companies/row/",
            row="alpha",
            company="alpha",
            name=f"Alpha {mark}",
            country="GB",
            currency="GBP",
            chart="c",
            calendar="m",
        )

    def _compare(self, when: str) -> None:
        forget()
        here = snapshot.current().state
        for browser in self.browsers:
            browser.get("/codes/acc/")  # what an act told is told once, to who did it
        for address in PAGES:
            shown = [browser.get(address) for browser in self.browsers]
            expected = (200, 404) if address == "/codes/acc/code/1030/" else (200,)
            self.assertIn(shown[0][0], expected, address)
            here_lines, there_lines = (page.splitlines() for _, page in shown)
            unlike = list(difflib.unified_diff(here_lines, there_lines, n=0, lineterm=""))
            self.assertEqual(unlike, [], f"The two processes show different pages at {address} {when}")
            self.assertEqual(shown[0][0], shown[1][0], address)
        names = {code: row.name for code in ("1010", "1020", "1030") if (row := here.get(Code, "acc", code))}
        page = self.browsers[0].get("/codes/acc/")[1]
        for name in names.values():
            self.assertTrue(name in page, f"{name} is not on the page {when}")
        for browser in self.browsers:
            status = 200 if "1030" in names else 404
            self.assertEqual(browser.get("/codes/acc/code/1030/")[0], status, when)
            period = here.get(Period, "m", 2026, 3)
            assert period
            self.assertTrue(
                f">{period.name}<" in browser.get("/companies/alpha/")[1],
                f"{period.name} is not on the page {when}",
            )


class Proven(InWorld):
    """What would make a process wrong in silence, made loud."""

    def setUp(self) -> None:
        super().setUp()
        self.bank = snapshot.current().state.require(Code, "acc", "1010")

    def _rename(self, *names: str) -> None:
        for name in names:
            actions.make_change(Put(self.bank._replace(name=name)), self.mirela)

    def test_a_worker_some_versions_behind_takes_the_newest(self) -> None:
        for _ in range(2):  # both workers know the beginning
            self.group.get("/codes/acc/")
        self._rename("One", "Two", "Three")
        for _ in range(4):
            self.assertIn("Three", self.group.get("/codes/acc/code/1010/").content.decode())
        versions = {
            version: history.state_at(version) for version in range(1, snapshot.current().version + 1)
        }
        shown = [state.require(Code, "acc", "1010").name if state else None for state in versions.values()]
        self.assertEqual(shown, ["Bank", "One", "Two", "Three"])
        self.assertEqual(
            [told.sentence.split(" to ")[-1] for told in history.of_row("codes", "acc 1010")][:3],
            ["Three", "Two", "One"],
        )
        draft = drafting.bring_back(2, self.mirela, "Back")
        self.assertEqual(drafting.working(draft).state.require(Code, "acc", "1010").name, "One")
        compared = self.group.get("/versions/compare/?from=1&to=4").content.decode()
        self.assertIn("name from Bank to Three", compared)

    def test_a_replay_that_does_not_fit_is_told_and_everything_is_loaded_anew(self) -> None:
        Workers.turn()
        before = snapshot.current()
        Workers.turn()
        self._rename("One")
        wrong = before.state.edited([])
        wrong = wrong.edited(
            edit
            for edit in [
                snapshot.as_edit(Edited.objects.get(version_id=2))._replace(
                    new=self.bank._replace(name="Not so")
                )
            ]
        )
        Workers.turn()
        snapshot._kept.put("current", snapshot.Snapshot(before.version, before.token, wrong))
        with self.assertLogs("web.definitions.snapshot", "ERROR") as logged:
            self.assertEqual(snapshot.current().state.require(Code, "acc", "1010").name, "One")
        self.assertIn("was another row. Loading anew.", logged.output[0])

    def test_a_state_without_the_digest_of_its_version_is_told_and_loaded_anew(self) -> None:
        Workers.turn()
        before = snapshot.current()
        other = before.state.require(Code, "acc", "1020")
        Workers.turn()
        self._rename("One")
        Workers.turn()
        wrong = before.state.edited([Edit("codes", ("acc", "1020"), other, other._replace(name="Not so"))])
        snapshot._kept.put("current", snapshot.Snapshot(before.version, before.token, wrong))
        with self.assertLogs("web.definitions.snapshot", "ERROR") as logged:
            self.assertEqual(snapshot.current().state.get(Code, "acc", "1020"), other)
        self.assertIn(
            "Replaying from version 1 to 2 led to other definitions. Loading anew.", logged.output[0]
        )

    def test_rows_changed_behind_the_log_are_told_by_check(self) -> None:
        forget()
        with connection.cursor() as cursor:
            cursor.execute("UPDATE codes_code SET name = 'By hand' WHERE code = '1010'")
        with self.assertLogs("web.definitions.snapshot", "ERROR"):
            status, _, told = run("check")
        self.assertEqual(status, 1)
        self.assertIn(
            "The definitions in the database are not those that version 1 left: somebody changed rows beside"
            " the log.",
            told,
        )

    def test_the_digest_hangs_on_rows_alone(self) -> None:
        state = snapshot.current().state
        edit = Edit("codes", ("acc", "1010"), self.bank, self.bank._replace(name="One"))
        there = state.edited([edit])
        self.assertNotEqual(there.digest, state.digest)
        self.assertEqual(there.edited([edit.turned()]).digest, state.digest)
        self.assertEqual(snapshot.current_uncached().state.digest, state.digest)
        with self.assertRaises(OutOfStep):
            there.replayed([edit])
        self.assertEqual(
            encode_row(there.replayed([edit.turned()]).get(Code, "acc", "1010")), encode_row(self.bank)
        )

    def test_a_change_that_commits_while_all_is_read_is_not_half_seen(self) -> None:
        forget()
        load = store.load
        seen: list[int] = []

        def load_and_change() -> Any:
            if not seen:
                seen.append(1)
                self._rename("Meanwhile")
            return load()

        with patch.object(store, "load", load_and_change):
            made = snapshot.current()
        self.assertEqual((made.state.require(Code, "acc", "1010").name, made.version), ("Meanwhile", 2))

    def test_one_draft_that_is_due_is_published_once_and_quietly(self) -> None:
        due = date(2026, 11, 23)
        draft = drafting.start("Spring", self.mirela, [Put(self.bank._replace(name="One"))])
        drafting.publish(draft.pk, self.mirela, reason="Because", on=due, today=date(2026, 11, 20))
        published = drafting.publish

        def twice(*args: Any, **named: Any) -> Any:
            published(*args, **named)
            return published(*args, **named)  # as the other of two workers would

        with patch.object(drafting, "publish", twice):
            drafting.publish_due(due)
        draft.refresh_from_db()
        self.assertEqual((draft.status, Version.objects.count(), draft.remarks.count()), ("published", 2, 0))
        other = drafting.start("Later", self.mirela, [Put(self.bank._replace(name="Two"))])
        drafting.publish(other.pk, self.mirela, reason="Because", on=due, today=date(2026, 11, 20))
        client_of(self.mirela).get("/codes/acc/")
        self.assertEqual(Version.objects.count(), 2, "a page that is looked at publishes nothing")
