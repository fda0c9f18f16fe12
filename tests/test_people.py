"""People: added, changed, switched off, their passwords by a link once; the first of a new database."""

from __future__ import annotations

import json
import re
from datetime import timedelta

from django.utils import timezone

from core.changes.kinds import Put
from core.definitions.tables import Period
from core.faults import Refused
from tests.base import InWorld, PineTest, TurningClient, client_of, person, run
from web.definitions.actions import make_change
from web.definitions.snapshot import current
from web.people import actions
from web.people.models import OneTimeLink, Person, PersonEvent

LONG = "a-long-password-1"


def path_of(address: str) -> str:
    found = re.search(r"/link/[\w-]+/", address)
    assert found
    return found[0]


class Pages(InWorld):
    def act(self, **given: str) -> tuple[int, str]:
        reply = self.group.post("/people/change/", given, follow=True)
        return reply.status_code, reply.content.decode()

    def test_from_adding_somebody_to_switching_them_off(self) -> None:
        status, page = self.act(
            act="add", username="pene", name="Pene Fau", role="company", companies="alpha"
        )
        self.assertEqual(status, 200)
        link = path_of(page)
        theirs = TurningClient()
        self.assertContains(theirs.get(link), "Set a password; you sign in as")
        self.assertContains(
            theirs.post(link, {"password": LONG, "again": "other"}), "The two are not alike.", status_code=422
        )
        self.assertContains(
            theirs.post(link, {"password": "short", "again": "short"}),
            "at least 10 characters",
            status_code=422,
        )
        self.assertEqual(theirs.post(link, {"password": LONG, "again": LONG}).status_code, 302)
        self.assertEqual(theirs.get("/journals/alpha/").status_code, 200)
        self.assertEqual(theirs.get("/journals/beta/").status_code, 404)
        self.assertEqual(theirs.get("/people/").status_code, 403)
        self.assertContains(TurningClient().get(link), "This link is used up", status_code=404)

        self.act(act="change", who="pene", name="Pene Fau", role="company", companies="alpha, beta")
        self.assertEqual(theirs.get("/journals/beta/").status_code, 200)
        self.assertIn(
            "There is no company gamma.",
            self.act(act="change", who="pene", name="P", role="company", companies="gamma")[1],
        )
        reply = theirs.post("/me/", {"now": "wrong", "password": LONG + "2", "again": LONG + "2"})
        self.assertContains(reply, "This is not your password of now.", status_code=422)
        elsewhere = TurningClient()
        self.assertTrue(elsewhere.login(username="pene", password=LONG))
        self.assertContains(
            theirs.post("/me/", {"now": LONG, "password": LONG + "2", "again": LONG + "2"}),
            "is another one now",
        )
        self.assertEqual(theirs.get("/journals/alpha/").status_code, 200)
        self.assertEqual(elsewhere.get("/journals/alpha/").status_code, 302, "signed out by the new password")

        self.act(act="off", who="pene")
        self.assertEqual(theirs.get("/journals/alpha/").status_code, 302)
        self.assertFalse(TurningClient().login(username="pene", password=LONG + "2"))
        self.act(act="on", who="pene")
        self.assertTrue(TurningClient().login(username="pene", password=LONG + "2"))
        sentences = list(PersonEvent.objects.order_by("pk").values_list("sentence", flat=True))
        self.assertEqual(
            sentences,
            [
                "Added Pene Fau as company accountant",
                "Gave Pene Fau a link to set a password",
                "Pene Fau set a password",
                "Changed Pene Fau: company accountant, companies alpha, beta",
                "Pene Fau set a password",
                "Switched Pene Fau off",
                "Switched Pene Fau on",
            ],
        )

    def test_somebody_always_stays_who_may_do_this(self) -> None:
        for given, expected in (
            ({"act": "off", "who": "mirela"}, "You can&#x27;t switch yourself off."),
            (
                {"act": "change", "who": "mirela", "name": "M", "role": "company"},
                "Mirela is the only group accountant.",
            ),
            (
                {"act": "add", "username": "Mirela", "role": "group"},
                "There is somebody who signs in as Mirela already.",
            ),
            (
                {"act": "add", "username": "no way", "role": "group"},
                "&#x27;no way&#x27; can&#x27;t be signed in with.",
            ),
            ({"act": "add", "username": "x", "role": "owner"}, "&#x27;owner&#x27; is not a role."),
        ):
            status, page = self.act(**given)
            self.assertEqual((status, expected in page), (422, True), expected)
        self.assertEqual(Person.objects.count(), 1)

    def test_a_restricted_period_lets_in_who_is_named_for_it(self) -> None:
        pene = person("pene", "company", ("alpha",))
        periods = current().state.part(Period, "m").values()
        february = next(row for row in periods if (row.fiscal_year, row.period) == (2026, 2))
        make_change(Put(february._replace(status="restricted")), self.mirela)
        lines = [{"account": "10-1010-", "debit": "5"}, {"account": "10-3010-", "credit": "5"}]
        body = json.dumps({"journal": "A9", "date": "2026-02-20", "kind": "general", "lines": lines})

        def post() -> tuple[int, str]:
            reply = client_of(Person.objects.get(pk=pene.pk)).post(
                "/journals/alpha/post/", body, content_type="application/json"
            )
            return reply.status_code, " ".join(
                f"{fault['what']} {fault['way_out']}" for fault in reply.json().get("faults", [])
            )

        told = (
            f"{february.name} is restricted for company alpha. Ask a group accountant to post it, or somebody"
            " who posts into restricted periods."
        )
        self.assertEqual(post(), (422, told))
        self.act(act="change", who="pene", name="Pene", role="company", companies="alpha", restricted="on")
        run("change", "pene", "--companies", "alpha", "--restricted", "no", command="person")
        self.assertEqual(post(), (422, told))
        page = self.act(
            act="change", who="pene", name="Pene", role="company", companies="alpha", restricted="on"
        )[1]
        changed = "Changed Pene: company accountant, companies alpha, posts into restricted periods"
        self.assertIn(changed, page)
        self.assertIn("Company accountant, restricted periods too", page)
        run("change", "pene", "--companies", "alpha", command="person")
        self.assertEqual(post(), (200, ""), "what isn't said stays")

    def test_a_link_ends(self) -> None:
        pene = person("pene", "company")
        first, second = actions.link_for(pene), actions.link_for(pene)
        self.assertIsNone(actions.link_of(first), "a new link ends the one before")
        OneTimeLink.objects.filter(person=pene).update(until=timezone.now() - timedelta(minutes=1))
        with self.assertRaises(Refused):
            actions.use(second, LONG)
        third = actions.link_for(pene)
        actions.use(third, LONG)
        with self.assertRaises(Refused):
            actions.use(third, LONG + "2")
        self.assertNotIn(third, str(list(OneTimeLink.objects.values())))
        fourth = actions.link_for(pene)
        changed = client_of(Person.objects.get(pk=pene.pk)).post(
            "/me/", {"now": LONG, "password": LONG + "3", "again": LONG + "3"}
        )
        self.assertEqual(changed.status_code, 200)
        self.assertIsNone(actions.link_of(fourth), "it ends with a password that the person set")


class FromNothing(PineTest):
    def test_the_first_person_of_a_new_database(self) -> None:
        status, told, _ = run(command="welcome")
        self.assertEqual(status, 0)
        link = path_of(told)
        browser = TurningClient()
        self.assertContains(browser.get(link), "The first person")
        self.assertEqual(
            browser.post(
                link, {"username": "nadia", "name": "Nadia Orr", "password": LONG, "again": LONG}
            ).status_code,
            302,
        )
        self.assertEqual(browser.get("/people/").status_code, 200)
        self.assertEqual(Person.objects.get().role, "group")
        self.assertEqual(run(command="welcome"), (0, "", ""), "nothing of a demo is told where there is none")
        with self.assertRaises(Refused):
            actions.link_for(None)

    def test_from_the_command_line(self) -> None:
        _, told, _ = run("add", "nadia", "--name", "Nadia Orr", "--role", "group", command="person")
        self.assertEqual(
            TurningClient().post(path_of(told), {"password": LONG, "again": LONG}).status_code, 302
        )
        self.assertEqual(run("list", command="person")[1], "nadia\tNadia Orr\tgroup\t\ton\n")
        self.assertEqual(
            run("off", "nadia", command="person")[::2],
            (1, "Nadia Orr is the only group accountant. Make somebody else one first.\n"),
        )
        self.assertEqual(run("off", "nobody", command="person")[::2], (2, "Nobody signs in as nobody.\n"))
        run("add", "tadeo", "--role", "group", command="person")
        self.assertEqual(run("off", "nadia", command="person")[0], 0)
        self.assertFalse(client_of(Person.objects.get(username="nadia")).get("/people/").status_code == 200)
