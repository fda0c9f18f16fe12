"""Rights over companies, charts and groups: against every route, changes of definitions, journals, drafts;
and who gives them."""

from __future__ import annotations

import html
import json
import re
from datetime import date
from typing import Any

from django.db import connection
from django.test import Client
from django.test.utils import CaptureQueriesContext

from core.access.rights import Right
from core.changes.kinds import Put
from core.definitions.tables import Chart, Code, Company, Group, Period, StatementLine
from core.faults import Refused
from tests.base import JOURNALS, LINES, PineTest, bring, client_of, person
from tests.test_screens import filled, routes
from tests.test_who_sees import world
from web.definitions import actions, drafting
from web.definitions.models import Draft, DraftRemark
from web.definitions.snapshot import current
from web.journals.models import HandedIn, Journal, Unfinished
from web.people import granting
from web.people.models import GrantedRole, Person, PersonEvent, RightsGrant, Team
from web.people.rights import (
    ADMINISTER,
    CHANGE,
    CHANGE_ALL,
    CLOSE,
    ENTER,
    PLAIN,
    POST,
    REVIEW,
    right_of,
)

ALL = ("all", "all", "all")
SCOPES = {
    "company": ("alpha", "", ""),
    "chart": ("", "c", ""),
    "group": ("", "", "g"),
    "everything": ALL,
}
OF_CHARTS = {"chart", "code_list", "hierarchy", "statement", "budget", "structure", "second_chart"}
THEIRS = {
    "company": {"company"},
    "chart": OF_CHARTS,
    "group": {"group"},
    "everything": OF_CHARTS | {"company", "group", "calendar", "rollout", "overlay"},
}
"""What somebody defines who has the right over one thing, by the words of addresses."""
HTMX = {"HX-Request": "true"}


def may(right: str, held: Right, scope: str, named: set[str]) -> bool:
    """Whether somebody with one right over one thing gets past a route that names a right and a thing."""
    everything = scope == "everything"
    return {
        CHANGE: held == Right.DEFINE,
        REVIEW: held in (Right.DEFINE, Right.APPROVE),
        CHANGE_ALL: held == Right.DEFINE and everything,
        POST: held in (Right.POST, Right.POST_RESTRICTED)
        and (everything or scope == "company" or "company" not in named),
        ENTER: held in (Right.POST, Right.POST_RESTRICTED, Right.ENTER)
        and (everything or scope == "company" or "company" not in named),
        CLOSE: held == Right.CLOSE and (everything or scope == "group" or "group" not in named),
        ADMINISTER: held == Right.ADMINISTER and everything,
    }.get(right, True)


class RightsTest(PineTest):
    def setUp(self) -> None:
        super().setUp()
        bring({**world(), "journals": JOURNALS, "journal_lines": LINES})
        self.mirela = person("mirela")
        self.client = client_of(self.mirela)

    def granted(self, name: str, over: tuple[str, str, str], *rights: Right) -> Any:
        """Somebody without a company of their own, with some rights over something."""
        who = person(name, "company")
        role = granting.put_role(None, f"Role of {name}", rights, self.mirela)
        granting.grant(current().state, who, role, over, self.mirela)
        return Person.objects.get(pk=who.pk)

    def page(self, client: Client, address: str, status: int = 200) -> str:
        reply = client.get(address)
        self.assertEqual(reply.status_code, status, reply.content[:300])
        return html.unescape(reply.content.decode())


class EveryRoute(RightsTest):
    def test_the_matrix_of_rights_against_every_route(self) -> None:
        """A method that no view takes is refused last: 405 says that the rights were there."""
        wrong = []
        for held in Right:
            for scope, over in SCOPES.items():
                if held == Right.ADMINISTER and scope != "everything":
                    continue  # it can't be granted
                client = client_of(self.granted(f"{held}-{scope}", over, held))
                for address, view in routes():
                    right = right_of(view)
                    if right == "open":
                        continue
                    named = set(re.findall(r"<\w+:(\w+)>", address))
                    status = client.put(filled(address)).status_code
                    expected = may(str(right), held, scope, named)
                    if right == CHANGE and not (named & THEIRS[scope] or named <= PLAIN):
                        expected = False  # what belongs to somebody else is refused before it is read
                    # What they don't see isn't there for them, whatever they may elsewhere.
                    if not (status == 405 if expected else status in (403, 404)) and status != 404:
                        wrong.append((str(held), scope, address, status))
                    if scope == "everything" and expected and status == 404 and held != Right.ADMINISTER:
                        known = self.client.put(filled(address)).status_code
                        if known != 404:
                            wrong.append((str(held), scope, address, status))
        self.assertEqual(wrong, [])

    def test_no_page_breaks_for_who_has_rights_over_little(self) -> None:
        """Reached or refused, each address has an answer."""
        for held, over in ((Right.DEFINE, ("alpha", "", "")), (Right.SEE, ("", "", "g"))):
            client = client_of(self.granted(f"{held}-some", over, held))
            client.raise_request_exception = False
            statuses = {address: client.get(filled(address)).status_code for address, _ in routes()}
            broken = [address for address, status in statuses.items() if status >= 500]
            with self.subTest(held=held, over=over):
                self.assertEqual(broken, [])

    def test_nobody_without_a_grant_sees_anything(self) -> None:
        client = client_of(person("nobody", "company"))
        for address, view in routes():
            if right_of(view) not in ("open", "signed in"):
                self.assertIn(client.put(filled(address)).status_code, (403, 404), address)
        self.assertNotIn("Alpha", self.page(client, "/companies/"))
        self.page(client, "/companies/alpha/", 404)
        self.page(client, "/group/g/", 404)


class Changing(RightsTest):
    def refused(self, who: Any, *rows: Any) -> list[str]:
        try:
            for row in rows:
                actions.make_change(Put(row), who)
        except Refused as told:
            return [fault.what for fault in told.faults]
        return []

    def test_each_change_needs_the_right_over_what_it_changes(self) -> None:
        state = current().state
        on_d = self.granted("dora", ("", "d", ""), Right.DEFINE)
        closer = self.granted("carl", ("all", "", ""), Right.CLOSE)
        viewer = self.granted("vera", ALL, Right.SEE)
        whole = self.granted("wilma", ALL, Right.DEFINE)
        own, shared = state.require(Code, "own", "SL"), state.require(Code, "acc", "1010")
        line = state.require(StatementLine, "own-bs", "all")
        period = min(row for row in state.rows(Period) if row.status == "open")
        alpha, group = state.require(Company, "alpha"), state.require(Group, "g")
        right = "You have no right to define in"
        unknown = f"{right} all that this touches."
        cases: list[tuple[Any, Any, list[str]]] = [
            (on_d, own._replace(name="Turnover"), []),
            (on_d, line._replace(label="Everything"), []),
            (on_d, shared._replace(name="Banks"), [unknown]),
            (on_d, alpha._replace(name="Alfa"), [unknown]),
            (on_d, group._replace(name="All"), [unknown]),
            (
                on_d,
                Chart("e", "E", "o"),
                ["You have no right to define what belongs to no chart, company or group."],
            ),
            (closer, period._replace(status="restricted"), []),
            (closer, shared._replace(name="Banks"), [f"{right} chart c."]),
            (
                viewer,
                period._replace(status="closed"),
                [
                    f"You have no right to close in company {name}."
                    for name in sorted(
                        row.company for row in state.rows(Company) if row.calendar == period.calendar
                    )
                ],
            ),
            (whole, shared._replace(name="Banks"), []),
            (whole, Chart("e", "E", "o"), []),
        ]
        for who, row, wanted in cases:
            with self.subTest(who.username, row=row):
                self.assertEqual(sorted(self.refused(who, row)), wanted)

    def test_a_draft_takes_only_what_its_author_may_and_is_seen_by_who_may_it(self) -> None:
        state = current().state
        dora = self.granted("dora", ("", "d", ""), Right.DEFINE)
        anna = self.granted("anna", ("", "d", ""), Right.APPROVE)
        olga = self.granted("olga", ("", "c", ""), Right.DEFINE, Right.APPROVE)
        change = Put(state.require(Code, "own", "SL")._replace(name="Turnover"))
        draft = drafting.start("Own names", dora, [change], "Names")
        with self.assertRaises(Refused) as told:
            drafting.record(draft.pk, Put(state.require(Code, "acc", "1010")._replace(name="Banks")), dora)
        self.assertEqual(
            [f.what for f in told.exception.faults],
            ["You have no right to define in all that this touches."],
            "what she doesn't see is not named",
        )
        author, approver, other = (client_of(who) for who in (dora, anna, olga))
        address = f"/drafts/{draft.pk}/"
        for client, listed, status in ((author, True, 200), (approver, True, 200), (other, False, 404)):
            self.assertEqual("Own names" in self.page(client, "/drafts/"), listed)
            self.page(client, address, status)
        for client, status in ((author, 204), (approver, 403), (other, 404)):
            reply = client.post(f"{address}open/", headers=HTMX)
            self.assertEqual(
                reply.status_code // 100 if status == 204 else reply.status_code,
                2 if status == 204 else status,
            )
        self.assertIn("Turnover", self.page(author, "/codes/own/"))
        self.assertNotIn("Turnover", self.page(other, f"/codes/acc/?draft={draft.pk}"))
        author.post(f"{address}say/", {"verdict": DraftRemark.ASK}, headers=HTMX)
        with self.assertRaises(Refused) as told:
            drafting.say(draft.pk, olga, DraftRemark.APPROVE, "")
        self.assertEqual(
            [f.what for f in told.exception.faults],
            ["You have no right to approve in all that this touches."],
        )
        self.assertEqual(
            approver.post(f"{address}say/", {"verdict": DraftRemark.APPROVE}, headers=HTMX).status_code, 200
        )
        reply = approver.post(f"{address}publish/", {"reason": "Agreed"}, headers=HTMX)
        self.assertEqual(reply.status_code, 200, reply.content)
        self.assertEqual(Draft.objects.get(pk=draft.pk).status, Draft.PUBLISHED)
        self.assertEqual(current().state.require(Code, "own", "SL").name, "Turnover")


class Booking(RightsTest):
    def entry(self, company: str = "", number: str = "X1") -> dict[str, Any]:
        lines = [
            {"account": "10-1010-", "debit": "5", "line_company": company},
            {"account": "10-1020-", "credit": "5", "line_company": company},
        ]
        return {"journal": number, "date": "2026-02-20", "kind": "general", "lines": lines}

    def send(self, client: Client, act: str, entry: dict[str, Any]) -> Any:
        return client.post(f"/journals/alpha/{act}/", json.dumps(entry), content_type="application/json")

    def test_entering_is_not_posting(self) -> None:
        rows = [
            ("vera", (Right.SEE,), (403, 403, 403)),
            ("enid", (Right.ENTER,), (200, 200, 403)),
            ("paul", (Right.POST,), (200, 200, 200)),
        ]
        for name, rights, wanted in rows:
            client = client_of(self.granted(name, ("alpha", "", ""), *rights))
            self.page(client, "/journals/alpha/journal/A1/")
            statuses = (
                client.get("/journals/alpha/new/").status_code,
                self.send(client, "check", self.entry()).status_code,
                self.send(client, "post", self.entry()).status_code,
            )
            self.assertEqual(statuses, wanted, name)
        self.assertEqual(Journal.objects.filter(journal="X1").count(), 1)

    def test_restricted_periods_are_for_named_roles_over_their_companies(self) -> None:
        at = next(row for row in current().state.rows(Period) if row.starts_on == date(2026, 2, 1))
        actions.make_change(Put(at._replace(status="restricted")), self.mirela)
        entry = self.entry()
        entry["date"] = "2026-02-10"
        told = f"{at.name} is restricted for company alpha."
        rows = [
            ("paul", Right.POST, ("alpha", "", ""), 422),
            ("beth", Right.POST_RESTRICTED, ("beta", "", ""), 404),
            ("rita", Right.POST_RESTRICTED, ("alpha", "", ""), 200),
        ]
        for name, right, over, status in rows:
            reply = self.send(client_of(self.granted(name, over, right)), "post", entry)
            self.assertEqual(reply.status_code, status, name)
            self.assertEqual(told in reply.content.decode(), status == 422)
        both = self.granted("bo", ("beta", "", ""), Right.POST_RESTRICTED)
        granting.grant(
            current().state,
            both,
            GrantedRole.objects.get(name="Role of paul"),
            ("alpha", "", ""),
            self.mirela,
        )
        reply = self.send(client_of(Person.objects.get(pk=both.pk)), "post", {**entry, "journal": "X2"})
        self.assertEqual((reply.status_code, told in reply.content.decode()), (422, True))

    def test_what_is_handed_in_is_posted_once_by_who_may(self) -> None:
        enid = client_of(self.granted("enid", ("alpha", "", ""), Right.ENTER))
        one, two = (client_of(person(name, "company", ("alpha",))) for name in ("paul", "petra"))
        self.assertIn("Hand in", self.page(enid, "/journals/alpha/new/"))
        odd = self.send(enid, "hand-in", self.entry("beta")).json()["faults"]
        self.assertEqual(odd[0]["what"], "beta is not a company of yours.")
        entry = self.entry() | {"description": "Stamps"}
        self.send(enid, "check", entry)
        self.assertEqual(self.send(enid, "hand-in", entry).json(), {"go": "/journals/alpha/"})
        handed = HandedIn.objects.get()
        twice = self.send(enid, "hand-in", entry)
        self.assertEqual(twice.status_code, 422)
        self.assertRegex(
            twice.json()["faults"][0]["what"],
            r"^This journal was handed in already, at \d\d:\d\d of \d{4}-\d\d-\d\d, and waits\.$",
        )
        self.assertEqual(HandedIn.objects.count(), 1)
        again = self.send(enid, "hand-in", entry | {"handed": str(handed.pk), "description": "Stamps, more"})
        self.assertEqual((again.status_code, HandedIn.objects.get().description), (200, "Stamps, more"))
        self.assertEqual(Unfinished.objects.count(), 0)
        self.assertIn("Stamps, more", self.page(one, "/journals/alpha/"))
        self.assertIn("1 journal of Alpha handed in, to be posted", self.page(two, "/today/"))
        self.assertNotIn("handed in, to be posted", self.page(enid, "/today/"))
        back = f"/journals/alpha/handed/{handed.pk}/back/"
        self.assertEqual(enid.post(back, {"remark": "Mine"}, headers=HTMX).status_code, 403)
        self.assertEqual(one.post(back, {"remark": " "}, headers=HTMX).status_code, 422)
        self.assertEqual(one.post(back, {"remark": "Which site?"}, headers=HTMX).status_code, 200)
        self.assertIn("Sent back by Paul: Which site?", self.page(enid, "/journals/alpha/"))
        self.assertIn("Sent back: Stamps, more: Which site?", self.page(enid, "/today/"))
        self.assertNotIn("handed in, to be posted", self.page(two, "/today/"))
        self.send(enid, "hand-in", entry | {"handed": str(handed.pk)})
        self.assertNotIn("Which site?", self.page(enid, "/journals/alpha/"))
        page = self.page(one, f"/journals/alpha/new/?handed={handed.pk}")
        self.assertIn("Entered by Enid", page)
        taken = entry | {"handed": str(handed.pk)}
        self.assertEqual(self.send(one, "post", taken).status_code, 200)
        self.assertIn("Entered by Enid, handed in", self.page(two, "/journals/alpha/journal/X1/"))
        late = self.send(two, "post", taken | {"journal": "X2"})
        self.assertEqual(late.status_code, 422)
        self.assertEqual(late.json()["faults"][0]["what"], "This journal was posted or taken away meanwhile.")
        self.assertEqual(
            list(Journal.objects.filter(journal__startswith="X").values_list("journal")), [("X1",)]
        )
        self.send(enid, "hand-in", entry)
        other = client_of(self.granted("eve", ("alpha", "", ""), Right.ENTER))
        drop = f"/journals/alpha/handed/{HandedIn.objects.get().pk}/drop/"
        for client, status in ((other, 404), (enid, 200), (enid, 404)):
            self.assertEqual(client.post(drop, headers=HTMX).status_code, status)

    def test_lines_of_a_company_that_one_may_only_see_are_refused(self) -> None:
        who = person("pia", "company", ("alpha",))
        role = granting.put_role(None, "Viewer", ["see"], self.mirela)
        granting.grant(current().state, who, role, ("beta", "", ""), self.mirela)
        client = client_of(Person.objects.get(pk=who.pk))
        self.page(client, "/companies/beta/")
        entry = self.entry()
        entry["lines"][0] |= {"line_company": "beta"}
        told = self.send(client, "check", entry).json()["faults"]
        self.assertEqual([fault["what"] for fault in told], ["beta is not a company of yours."])

    def test_a_journal_with_lines_elsewhere_is_not_taken_back_by_who_may_not_post_there(self) -> None:
        lines = "company,journal,line,line_company,account,debit,credit\n"
        lines += "alpha,J1,1,,10-1010,5,\nalpha,J1,2,beta,20-1010,,5\n"
        bring(
            {"journals": "company,journal,date,kind\nalpha,J1,2026-02-20,general\n", "journal_lines": lines}
        )
        client = client_of(person("pia", "company", ("alpha",)))
        reply = client.post("/journals/alpha/journal/J1/reverse/", {"on": "2026-02-21"}, headers=HTMX)
        self.assertEqual(reply.status_code, 422)
        self.assertIn(
            "It has lines of beta, which is not a company of yours.", html.unescape(reply.content.decode())
        )


class Granting(RightsTest):
    def act(self, client: Client, status: int = 200, /, **given: Any) -> str:
        reply = client.post("/people/access/change/", given, headers=HTMX)
        self.assertEqual(reply.status_code, status, reply.content[:300])
        return re.sub(r"<[^>]+>|\s+", " ", html.unescape(reply.content.decode())).strip()

    def test_teams_roles_and_grants_from_the_page(self) -> None:
        penny = person("penny", "company")
        rights = {"right-close": "on", "right-see": "on"}
        self.act(self.client, act="role", name="Closer", **rights)
        role = GrantedRole.objects.get()
        self.act(self.client, act="team", name="Treasury", people="penny")
        team = Team.objects.get()
        self.act(
            self.client,
            act="grant",
            team=team.pk,
            role=role.pk,
            companies="country=GB",
            charts="",
            groups="g",
        )
        page = self.page(self.client, "/people/access/?over=company:alpha")
        row = re.search(r'data-row="penny".*?</tr>', page, re.S)
        self.assertEqual(re.findall(r"may (\w+)", row[0] if row else ""), ["see", "close"])
        told = self.page(self.client, "/people/access/of/?who=penny")
        self.assertIn("In team Treasury", told)
        self.assertIn("Closer (close, see) over companies country=GB; groups g", re.sub(r"\s+", " ", told))
        self.page(client_of(penny), "/group/g/")
        self.act(self.client, act="team", team=team.pk, name="Treasury", people="")
        self.page(client_of(Person.objects.get(pk=penny.pk)), "/group/g/", 404)
        self.assertEqual(
            list(PersonEvent.objects.filter(person=penny).order_by("pk").values_list("sentence", flat=True)),
            [
                "Put into team Treasury",
                "Granted Closer (close, see) over companies country=GB; groups g",
                "Taken out of team Treasury",
            ],
        )

    def test_what_is_refused(self) -> None:
        role = granting.put_role(None, "Poster", ["post"], self.mirela)
        boss = granting.put_role(None, "Boss", ["administer"], self.mirela)
        penny = person("penny", "company")
        cases: list[tuple[dict[str, Any], str]] = [
            ({"act": "role", "name": "", "right-see": "on"}, "It needs a name."),
            ({"act": "role", "name": "None"}, "A role needs a right."),
            ({"act": "role", "name": "Poster", "right-see": "on"}, "There is a role Poster already."),
            ({"act": "team", "name": "T", "people": "penny, ghost"}, "Nobody signs in as ghost."),
            ({"act": "grant", "who": "penny", "role": role.pk}, "Over what is not said."),
            (
                {"act": "grant", "who": "penny", "role": role.pk, "companies": "gone"},
                "There is no company gone.",
            ),
            ({"act": "grant", "who": "penny", "role": role.pk, "charts": "c, x"}, "There is no chart x."),
            (
                {"act": "grant", "who": "penny", "role": boss.pk, "companies": "all"},
                "People are administered for everything or not at all.",
            ),
        ]
        for given, what in cases:
            with self.subTest(given):
                self.assertIn(what, self.act(self.client, 422, **given))
        granting.grant(current().state, penny, role, ("alpha", "", ""), self.mirela)
        self.assertIn(
            "Poster is granted to somebody.", self.act(self.client, 422, act="role-drop", role=role.pk)
        )
        self.assertIn(
            "People are administered for everything or not at all.",
            self.act(self.client, 422, act="role", role=role.pk, name="Poster", **{"right-administer": "on"}),
        )
        self.assertEqual(GrantedRole.objects.get(pk=role.pk).rights, ["post"])
        self.act(self.client, 404, act="take", grant=10**6)
        self.act(self.client, 404, act="other")
        self.act(self.client, act="take", grant=RightsGrant.objects.get().pk)
        self.act(self.client, act="role-drop", role=role.pk)

    def test_who_administers_people_gives_themselves_nothing(self) -> None:
        admin = self.granted("ada", ALL, Right.ADMINISTER)
        client = client_of(admin)
        full = granting.put_role(None, "Full", set(Right) - {Right.ADMINISTER}, self.mirela)
        self.page(client, "/people/")
        self.page(client, "/people/access/")
        self.page(client, "/registers/", 403)
        own = "Nobody changes their own rights."
        self.assertIn(own, self.act(client, 422, act="grant", who="ada", role=full.pk, companies="all"))
        self.assertIn(own, self.act(client, 422, act="team", name="T", people="ada"))
        role = GrantedRole.objects.get(name="Role of ada")
        self.assertIn(
            own, self.act(client, 422, act="role", role=role.pk, name="R", **{"right-define": "on"})
        )
        reply = client.post(
            "/people/change/", {"who": "ada", "act": "change", "name": "Ada", "role": "group"}
        )
        self.assertEqual(reply.status_code, 422)
        self.assertIn(own, html.unescape(reply.content.decode()))
        person("penny", "company")
        self.act(client, act="grant", who="penny", role=full.pk, companies="alpha")

    def test_the_matrix_asks_no_more_for_more_people(self) -> None:
        counts = []
        client = client_of(self.mirela)
        client.turning = False
        self.page(client, "/people/access/")
        for name in ("one", "two", "three"):
            self.granted(name, ("alpha", "c", ""), Right.POST)
            granting.put_team(None, f"Team {name}", [name], self.mirela)
            with CaptureQueriesContext(connection) as asked:
                self.page(client, "/people/access/?over=chart:c")
            counts.append(len(asked))
        self.assertEqual(counts, [counts[0]] * 3)
