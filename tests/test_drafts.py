"""Drafts on the real database and through the screens: recorded, undone, collided, reviewed, published,
looked back at."""

import csv
import html
import io
import json
import re
import threading
from datetime import date, timedelta
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from django.db import DatabaseError, connection, transaction
from django.utils import timezone

from core.changes.kinds import AddCode, CloseCode, MoveNode, Put
from core.changes.of_statements import PlaceAccounts
from core.definitions.tables import Chart, Code, HierarchyNode, StatementLine
from core.faults import Refused
from core.tests.test_changes import rows_of
from tests.base import CommittingTest, PineTest, bring, client_of, forget, person, run, world
from web.definitions import actions, drafting, snapshot
from web.definitions.models import Draft, Version
from web.exchange.exporting import export_package
from web.exchange.importing import import_package

TILL = Code("acc", "1030", "Till", account_class="asset")
TODAY = date(2026, 11, 23)


def told(act: Any) -> list[str]:
    try:
        act()
    except Refused as refused:
        return [fault.what for fault in refused.faults]
    return []


class Recorded(PineTest):
    def setUp(self) -> None:
        super().setUp()
        bring(world())
        self.mirela, self.tadeo = person("mirela"), person("tadeo")
        self.before = snapshot.current()

    def publish(self, draft: Draft, **more: Any) -> Draft:
        return drafting.publish(draft.pk, self.mirela, **{"reason": "Because", "today": TODAY, **more})

    def test_nothing_is_published_before_it_is(self) -> None:
        draft = drafting.start(
            "Spring", self.mirela, [AddCode(TILL, "10"), CloseCode("acc", "1020", date(2026, 6, 30))]
        )
        made = drafting.working(draft)
        self.assertEqual(made.state.get(Code, "acc", "1030"), TILL)
        self.assertEqual(snapshot.current().version, self.before.version)
        self.assertIsNone(snapshot.current().state.get(Code, "acc", "1030"))
        self.assertEqual(
            [step.sentence for step in made.replayed.steps],
            [
                "Added code 1030 Till of acc under 10",
                "Closed code 1020 Petty cash of acc from 2026-06-30 on",
            ],
        )
        published = self.publish(draft)
        now = snapshot.current()
        self.assertEqual((now.version, published.status), (self.before.version + 1, Draft.PUBLISHED))
        version = Version.objects.get(version=now.version)
        self.assertEqual((version.reason, version.charts, version.by), ("Because", {"c": 2}, self.mirela))
        self.assertEqual(
            version.sentence,
            "Published Spring: Added code 1030 Till of acc under 10; "
            "Closed code 1020 Petty cash of acc from 2026-06-30 on",
        )
        self.assertEqual(rows_of(now.state), rows_of(made.state))
        forget()
        self.assertEqual(rows_of(snapshot.current().state), rows_of(made.state))

    def test_publishing_equals_importing_the_exported_result(self) -> None:
        draft = drafting.start(
            "Spring",
            self.mirela,
            [
                AddCode(TILL, "10"),
                MoveNode("tree", "1020", "1"),
                PlaceAccounts("st", "debtors", ("1020",)),
                Put(Code("acc", "1010", "Main bank", account_class="asset", notes="Renamed; see minutes")),
            ],
        )
        with TemporaryDirectory() as folder:
            undone = transaction.savepoint()
            self.publish(draft)
            export_package(Path(folder) / "after")
            expected = rows_of(snapshot.current().state)
            transaction.savepoint_rollback(undone)
            forget()
            import_package(Path(folder) / "after")
        self.assertEqual(rows_of(snapshot.current().state), expected)

    def test_undo_redo_and_taking_one_back(self) -> None:
        draft = drafting.start(
            "Spring",
            self.mirela,
            [
                AddCode(TILL, "10"),
                CloseCode("acc", "1020", date(2026, 6, 30)),
                Put(TILL._replace(name="Tills")),
            ],
        )

        def names() -> list[str]:
            return [step.sentence.split(" ")[0] for step in drafting.working(draft).replayed.steps]

        self.assertEqual(names(), ["Added", "Closed", "Changed"])
        draft = drafting.undo(draft.pk, -1)
        self.assertEqual(names(), ["Added", "Closed"])
        draft = drafting.undo(draft.pk, 1)
        gone = drafting.take_back(draft.pk, drafting.changes_of(draft)[0])
        draft.refresh_from_db()
        self.assertEqual((len(gone), names()), (2, ["Closed"]))
        draft = drafting.undo(draft.pk, -1)
        self.assertEqual(names(), ["Added", "Closed", "Changed"])
        drafting.record(draft.pk, MoveNode("tree", "1010", "11"), self.mirela)
        draft.refresh_from_db()
        self.assertEqual(told(lambda: drafting.undo(draft.pk, 1)), ["There is nothing to do again."])
        while draft.at:
            draft = drafting.undo(draft.pk, -1)
        self.assertEqual(told(lambda: drafting.undo(draft.pk, -1)), ["There is nothing to undo."])

    def test_two_authors_one_publishes_first(self) -> None:
        bank = self.before.state.get(Code, "acc", "1010")
        assert bank is not None
        mine = drafting.start(
            "Mine", self.mirela, [Put(bank._replace(name="Main bank")), AddCode(TILL, "10")]
        )
        theirs = drafting.start(
            "Theirs", self.tadeo, [Put(bank._replace(name="House bank", notes="The big one"))]
        )
        self.publish(theirs)
        sentence = (
            "The code 1010 House bank of acc was changed meanwhile: name House bank as published, Main bank"
            " in the draft."
        )
        self.assertEqual(told(lambda: self.publish(mine)), [sentence])
        drafting.settle(mine.pk, "codes", "acc 1010", "draft")
        mine.refresh_from_db()
        self.publish(mine)
        now = snapshot.current().state.get(Code, "acc", "1010")
        self.assertEqual((now.name, now.notes), ("Main bank", "The big one"))  # type: ignore[union-attr]

    def test_a_collision_can_be_decided_for_the_published_side(self) -> None:
        mine = drafting.start(
            "Mine", self.mirela, [CloseCode("acc", "1020", date(2026, 6, 30)), AddCode(TILL, "10")]
        )
        actions.make_change(CloseCode("acc", "1020", date(2026, 3, 31)), self.tadeo)
        drafting.settle(mine.pk, "codes", "acc 1020", "published")
        mine.refresh_from_db()
        self.publish(mine)
        state = snapshot.current().state
        self.assertEqual(state.require(Code, "acc", "1020").in_use_until, date(2026, 3, 31))
        self.assertEqual(state.get(Code, "acc", "1030"), TILL)

    def test_what_is_taken_back_in_a_draft_and_outside_opens_and_settles(self) -> None:
        actions.make_change(AddCode(TILL, "10"), self.tadeo)
        version = snapshot.current().version
        mine = drafting.start("Mine", self.mirela, [CloseCode("acc", "1020", date(2026, 6, 30))])
        mirela, tadeo = client_of(self.mirela), client_of(self.tadeo)
        session = mirela.session
        session["draft"] = mine.pk
        session.save()
        for client in (mirela, tadeo):
            reply = client.post(f"/log/{version}/take-back/", {"reason": "Not needed"})
            self.assertLess(reply.status_code, 400, reply.content[:300])
        self.assertIsNone(snapshot.current().state.get(Code, "acc", "1030"))
        self.assertEqual(mirela.get(f"/drafts/{mine.pk}/").status_code, 200)
        drafting.working(Draft.objects.get(pk=mine.pk))
        while (found := drafting.working(Draft.objects.get(pk=mine.pk))).collisions:
            one = found.collisions[0]
            drafting.settle(mine.pk, one.table, " ".join(one.key), "published")
        self.publish(Draft.objects.get(pk=mine.pk))
        self.assertEqual(
            snapshot.current().state.require(Code, "acc", "1020").in_use_until, date(2026, 6, 30)
        )

    def test_what_is_refused_at_once_is_refused_in_a_draft(self) -> None:
        draft = drafting.start("Spring", self.mirela)
        self.assertEqual(
            told(lambda: drafting.record(draft.pk, AddCode(TILL._replace(account_class="")), self.mirela)),
            ["1030 Till has no account class."],
        )
        self.assertEqual(told(lambda: self.publish(draft)), ["There is nothing in this draft yet."])
        drafting.record(draft.pk, AddCode(TILL), self.mirela)
        self.assertEqual(told(lambda: self.publish(draft, reason="")), ["Say why this is published."])
        self.assertEqual(
            told(lambda: drafting.start("Spring", self.tadeo)), ["There is a draft Spring already."]
        )
        drafting.drop(draft.pk)
        self.assertEqual(
            told(lambda: drafting.record(draft.pk, AddCode(TILL), self.mirela)),
            ["The draft Spring is dropped."],
        )
        self.assertEqual(drafting.start("Spring", self.tadeo).status, Draft.OPEN)

    def test_a_chart_can_demand_that_another_approves(self) -> None:
        actions.make_change(Put(Chart("c", "Chart", "s", approval=True)), self.mirela)
        draft = drafting.start("Spring", self.mirela, [AddCode(TILL, "10")])
        self.assertEqual(
            told(lambda: self.publish(draft)), ["Someone other than the author must approve it."]
        )
        self.assertEqual(
            told(lambda: drafting.say(draft.pk, self.tadeo, "approve", "")),
            ["Nobody has asked for a review of this draft yet."],
        )
        drafting.say(draft.pk, self.mirela, "ask", "Please look")
        self.assertEqual(
            told(lambda: drafting.record(draft.pk, MoveNode("tree", "1010", "11"), self.mirela)),
            ["The draft Spring is out for review."],
        )
        self.assertEqual(
            told(lambda: drafting.say(draft.pk, self.mirela, "approve", "")),
            ["The author can't approve their own draft."],
        )
        self.assertEqual(
            told(lambda: drafting.say(draft.pk, self.tadeo, "send back", " ")),
            ["Say what should be changed."],
        )
        drafting.say(draft.pk, self.tadeo, "send back", "Name it better")
        drafting.say(draft.pk, self.mirela, "ask", "Better now?")
        drafting.say(draft.pk, self.tadeo, "approve", "")
        self.assertEqual(self.publish(draft).status, Draft.PUBLISHED)
        self.assertEqual([r.verdict for r in draft.remarks.all()], ["ask", "send back", "ask", "approve"])

    def test_a_draft_waits_for_its_date(self) -> None:
        draft = drafting.start("Spring", self.mirela, [AddCode(TILL, "10")])
        waiting = self.publish(draft, on=TODAY + timedelta(days=3))
        self.assertEqual((waiting.status, snapshot.current().version), (Draft.SCHEDULED, self.before.version))
        for day, expected in ((2, Draft.SCHEDULED), (3, Draft.PUBLISHED)):
            drafting.publish_due(TODAY + timedelta(days=day))
            draft.refresh_from_db()
            self.assertEqual(draft.status, expected)
        self.assertEqual(snapshot.current().state.get(Code, "acc", "1030"), TILL)

    def test_a_date_that_comes_too_late_sends_the_draft_back_with_the_reason(self) -> None:
        draft = drafting.start("Spring", self.mirela, [CloseCode("acc", "1020", date(2026, 6, 30))])
        self.publish(draft, on=TODAY + timedelta(days=3))
        actions.make_change(CloseCode("acc", "1020", date(2026, 3, 31)), self.tadeo)
        drafting.publish_due(TODAY + timedelta(days=3))
        draft.refresh_from_db()
        self.assertEqual((draft.status, draft.takes_effect), (Draft.OPEN, None))
        self.assertEqual(
            draft.remarks.latest("pk").text,
            "It could not take effect on 2026-11-26: The code 1020 Petty cash of acc was changed "
            "meanwhile: in_use_until 2026-03-31 as published, 2026-06-30 in the draft.",
        )

    def test_an_older_version_comes_back_as_a_draft(self) -> None:
        actions.make_change(AddCode(TILL, "10"), self.mirela)
        actions.make_change(CloseCode("acc", "1020", date(2026, 3, 31)), self.mirela)
        draft = drafting.bring_back(self.before.version, self.mirela, "Back")
        made = drafting.working(draft)
        self.assertEqual(len(made.replayed.steps), 2)
        self.assertEqual(rows_of(made.state), rows_of(self.before.state))
        self.publish(draft)
        self.assertEqual(rows_of(snapshot.current().state), rows_of(self.before.state))

    def test_the_log_cannot_be_altered_by_sql(self) -> None:
        for sql in ("UPDATE definitions_version SET reason = 'x'", "DELETE FROM definitions_edited"):
            with (
                self.subTest(sql),
                self.assertRaisesMessage(DatabaseError, "are never altered"),
                transaction.atomic(),
            ):
                connection.cursor().execute(sql)


class OnScreen(PineTest):
    def setUp(self) -> None:
        super().setUp()
        bring(world())
        actions.make_change(
            Put(StatementLine("st", "cash", "assets", 10, "Cash", "accounts", "1010 to 1039")), None
        )
        self.mirela = person("mirela")
        self.client = client_of(self.mirela)

    def post(self, address: str, status: int = 200, **values: Any) -> str:
        reply = self.client.post(
            address,
            values,
            headers={"HX-Request": "true", "HX-Current-URL": "http://testserver/codes/acc/?at=1"},
        )
        self.assertEqual(reply.status_code, status, reply.content.decode()[:400])
        return reply.get("HX-Location", reply.content.decode())

    def page(self, address: str) -> str:
        reply = self.client.get(address)
        self.assertEqual(reply.status_code, 200, address)
        return html.unescape(re.sub(r"\s+", " ", re.sub(r"<[^>]+>", " ", reply.content.decode())))

    def test_changes_go_into_the_open_draft_and_show_on_every_screen(self) -> None:
        self.assertIn('"/codes/acc/?at=1"', self.post("/drafts/new/", name="Spring"))
        draft = Draft.objects.get()
        self.post(
            "/codes/acc/add/", code="1030", name="Till", account_class="asset", parent="10", posting="on"
        )
        self.assertEqual(Version.objects.count(), 2)
        self.assertIn("Spring, 1 change", self.page("/codes/acc/"))
        self.assertIn('class=" drafted"', self.client.get("/codes/acc/").content.decode())
        self.post("/codes/acc/move/", what="1110", onto="10")
        statement = self.page("/statements/st/?company=alpha&year=2026&period=2")
        self.assertNotIn("Published Draft Difference", statement)  # nothing differs yet: one column says so
        self.post("/statements/st/place/", code="1010", line="debtors")
        statement = self.page("/statements/st/?company=alpha&year=2026&period=2")
        self.assertIn("Published Draft Difference", statement)
        self.post("/drafts/undo/")
        moves = self.page(f"/drafts/{draft.pk}/moves/?year=2026&period=2")
        self.assertIn("10 Cash Alpha GBP 1,000.00 1,250.50 +250.50", moves)
        causes = self.page(
            f"/drafts/{draft.pk}/causes/?kind=hierarchy&of=tree&line=10&whose=alpha&year=2026&period=2"
        )
        self.assertIn("1110 Debtors comes 250.50", causes)
        self.post("/drafts/undo/")
        self.assertNotIn("Moved 1110", self.page(f"/drafts/{draft.pk}/"))
        self.post("/drafts/redo/")
        self.assertIn("Moved 1110 under 10 in tree, from 11", self.page(f"/drafts/{draft.pk}/"))
        self.assertIn("Say why this is published.", self.post(f"/drafts/{draft.pk}/publish/", 422))
        self.post(f"/drafts/{draft.pk}/publish/", reason="Tills come")
        self.assertEqual(Version.objects.latest("version").reason, "Tills come")
        self.assertIn("none: changes hold at once", self.page("/codes/acc/"))

    def test_journals_are_posted_against_what_is_published(self) -> None:
        self.post("/drafts/new/", name="Spring")
        self.post("/codes/acc/code/1010/close/", until="2025-12-31")
        self.assertIsNotNone(
            drafting.working(Draft.objects.get()).state.require(Code, "acc", "1010").in_use_until
        )
        status, out, err = run("trial-balance", "--company", "alpha", "--year", "2026", "--period", "2")
        self.assertEqual((status, err), (0, ""))
        self.assertIn("1010,Bank", out)
        self.assertEqual(self.client.get("/journals/alpha/").status_code, 200)

    def test_a_journal_with_a_code_of_the_open_draft_says_where_it_is(self) -> None:
        self.post("/drafts/new/", name="Spring")
        drafting.record(Draft.objects.get().pk, Put(TILL), self.mirela)
        lines = [{"account": "10-1030-", "debit": "5"}, {"account": "10-1099-", "credit": "5"}]
        body = json.dumps({"journal": "A9", "date": "2026-02-20", "kind": "general", "lines": lines})
        reply = self.client.post("/journals/alpha/check/", body, content_type="application/json").json()
        ways = {fault["what"]: fault["way_out"] for fault in reply["faults"]}
        self.assertEqual(
            ways["Account: there is no code 1030."],
            "The draft Spring puts it right: publish that first.",
        )
        self.assertNotIn("draft", ways["Account: there is no code 1099."])

    def test_versions_can_be_looked_at_compared_and_narrowed(self) -> None:
        self.post("/codes/acc/move/", what="1110", onto="10")
        self.post("/statements/st/line/cash/change/", label="Money", accounts="1010 to 1039", sign="natural")
        self.post("/versions/2/look/")
        self.assertIn("As of version 2: back to now", self.page("/codes/acc/"))
        self.assertIn(
            "You look at version 2, which is past.",
            self.post("/codes/acc/move/", 422, what="1020", onto="11"),
        )
        self.assertIn("Cash", self.page("/statements/st/"))
        self.post("/versions/now/")
        compared = self.page("/versions/compare/?from=2&to=4&year=2026&period=2")
        self.assertIn("10 Cash Alpha GBP 1,000.00 1,250.50 +250.50", compared)
        self.assertIn("Changed line cash Cash of st: label from Cash to Money", compared)
        self.assertIn(
            "1110 Debtors comes",
            self.page(
                "/versions/compare/?from=2&to=4&year=2026&period=2&line=10&kind=hierarchy&of=tree&whose=alpha"
            ),
        )
        narrowed = self.page("/log/?row=1110")
        self.assertIn("2 versions,", narrowed)
        self.assertIn("Moved 1110 under 10 in tree", narrowed)
        self.assertIn(f"0 versions, newest first", self.page("/log/?day=2001-01-01"))  # noqa: F541
        reply = self.client.get("/log/out/csv/?row=1110")
        rows = list(csv.reader(io.StringIO(reply.content.decode())))
        self.assertEqual(rows[0], ["version", "at", "by", "sentence", "reason", "table", "key", "change"])
        self.assertEqual(
            (rows[1][0], rows[1][2], rows[1][7]),
            ("3", "Mirela", "Changed place 1110 of tree: parent from 11 to 10"),
        )
        self.post("/versions/2/bring-back/")
        self.assertEqual(Draft.objects.get().name, "Back to version 2")

    def test_the_date_on_the_form_makes_it_wait(self) -> None:
        self.post("/drafts/new/", name="Spring")
        self.post("/codes/acc/move/", what="1110", onto="10")
        draft = Draft.objects.get()
        later = timezone.localdate() + timedelta(days=9)
        self.post(f"/drafts/{draft.pk}/publish/", reason="Next week", on=str(later))
        self.assertIn(f"waits for its date {later}", self.page(f"/drafts/{draft.pk}/"))
        self.post(f"/drafts/{draft.pk}/say/", verdict="send back", text="Not yet")
        self.assertIn("being worked on", self.page(f"/drafts/{draft.pk}/"))


class Races(CommittingTest):
    def test_two_publishers_make_two_versions_or_one_collision(self) -> None:
        bring(world())
        who = [person("mirela"), person("tadeo")]
        drafts = [
            drafting.start(f"Draft {i}", by, [CloseCode("acc", "1020", date(2026, 6, 30 - i))])
            for i, by in enumerate(who)
        ]
        results: list[list[str]] = []

        def publish(i: int) -> None:
            try:
                results.append(
                    told(lambda: drafting.publish(drafts[i].pk, who[i], reason="Race", today=TODAY))
                )
            finally:
                connection.close()

        threads = [threading.Thread(target=publish, args=(i,)) for i in range(2)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(sorted(len(faults) for faults in results), [0, 1])
        self.assertIn("was changed meanwhile", next(faults for faults in results if faults)[0])
        self.assertEqual(Version.objects.count(), 2)

    def test_a_refused_publication_leaves_nothing(self) -> None:
        bring(world())
        mirela = person("mirela")
        draft = drafting.start(
            "Spring",
            mirela,
            [AddCode(TILL, "10"), Put(StatementLine("st", "cash", "assets", 10, "Cash", "accounts", "1010"))],
        )
        self.assertEqual(
            told(lambda: drafting.publish(draft.pk, mirela, reason="x", today=TODAY)),
            ["1020 Petty cash is on no line of Balance sheet.", "1030 Till is on no line of Balance sheet."],
        )
        draft.refresh_from_db()
        self.assertEqual((draft.status, Version.objects.count()), (Draft.OPEN, 1))
        self.assertIsNone(snapshot.current().state.get(HierarchyNode, "tree", "1030"))
