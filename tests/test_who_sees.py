"""A company accountant, beside a group that is not theirs: everything shown about a thing asks for the right
to that thing."""

from __future__ import annotations

import json
import re

from django.http import HttpResponse
from django.test import override_settings

from core.access.rights import Right
from core.definitions.state import State
from core.definitions.tables import Code, Company, IntercompanyPair, StatementLine
from core.tests.rich_world import rich
from tests.base import JOURNALS, LINES, PineTest, TurningClient, bring, client_of, person, tables_of
from tests.test_fuzz import ROUTES, address
from web.people import granting, rights
from web.people.models import Person
from web.people.rights import needs, route, sees

SECRETS = (
    "Hidden Holding",
    "Secret account",
    "Veiled line",
    "Own accounts",
    "Own chart",
    "Mystery elimination",
    "Subgroup",
)
"""Texts of what alpha's accountant has nothing to do with."""


def world() -> dict[str, str]:
    rows = [
        row._replace(name="Hidden Holding") if isinstance(row, Company) and row.company == "gamma" else row
        for row in rich()
    ]
    rows = [
        row._replace(name="Secret account") if isinstance(row, Code) and row.code == "SL" else row
        for row in rows
    ]
    rows = [
        (
            row._replace(label="Veiled line")
            if isinstance(row, StatementLine) and row.statement == "own-bs"
            else row
        )
        for row in rows
    ]
    rows = [
        row._replace(name="Mystery elimination") if type(row).__name__ == "Elimination" else row
        for row in rows
    ]
    rows = [row for row in rows if not (isinstance(row, IntercompanyPair) and row.partner == "gamma")]
    return {**tables_of(rows), "journals": JOURNALS, "journal_lines": LINES}


class WhoSees(PineTest):
    def setUp(self) -> None:
        super().setUp()
        bring(world())
        self.own = client_of(person("pene", "company", ("alpha",)))
        self.group = client_of(person("mirela"))

    def test_no_page_names_what_is_not_theirs(self) -> None:
        told = []
        for _, pattern in ROUTES:
            for query in (
                "",
                "?whose=gamma&text=",
                "?company=gamma",
                "?group=g",
                "?chart=d",
                "?q=S",
                "?calendar=m&company=alpha",
                "?key=BK&structure=o&chart=d",
            ):
                for odd in (
                    {},
                    {
                        "company": "gamma",
                        "code_list": "own",
                        "code": "SL",
                        "chart": "d",
                        "statement": "own-bs",
                        "structure": "o",
                    },
                ):
                    reply = self.own.get(address(pattern, **odd) + query)
                    if reply.streaming:
                        continue
                    page = reply.content.decode(errors="replace")
                    told += [
                        f"{secret} at {address(pattern, **odd)}{query}"
                        for secret in SECRETS
                        if secret in page
                    ]
        self.assertEqual(told, [])

    def test_lines_of_another_company_are_refused_without_a_word_of_it(self) -> None:
        lines = [
            {"line_company": "gamma", "account": "SL", "debit": "5"},
            {"account": "10-1010-", "credit": "5"},
        ]
        body = json.dumps({"journal": "X1", "date": "2026-02-20", "kind": "general", "lines": lines})
        reply = self.own.post("/journals/alpha/check/", body, content_type="application/json").json()
        self.assertEqual([fault["what"] for fault in reply["faults"]], ["gamma is not a company of yours."])
        self.assertEqual((reply["added"], reply["names"], reply["sums"]), ([], {}, []))
        self.assertEqual(self.own.get("/journals/alpha/complete/?whose=gamma&text=S").json(), {"options": []})
        self.own.post("/journals/alpha/forget/", "{}", content_type="application/json")
        page = self.own.get("/journals/alpha/new/").content.decode()
        self.assertNotIn("gamma", page)
        self.assertEqual(
            page.count('value="beta"'), 1, "beta is a partner of alpha and not a company to key lines of"
        )

    def test_what_is_asked_of_another_company_or_group_is_not_there(self) -> None:
        """Neither theirs nor their own in its place."""
        for target in (
            "/statements/st/?company=gamma",
            "/statements/st/?group=g",
            "/statements/st/figures/?company=gamma",
            "/statements/st/out/xlsx/?company=gamma",
            "/statements/trial-balance/?company=gamma",
        ):
            with self.subTest(target):
                self.assertEqual(self.own.get(target).status_code, 404)
        self.assertEqual(self.own.get("/statements/st/?company=alpha").status_code, 200)
        self.assertEqual(self.group.get("/companies/pairs/matrix/cell/?row=beta&col=alpha").status_code, 200)

    def test_who_keeps_another_chart_reads_no_fault_of_a_list_that_is_not_theirs(self) -> None:
        """A change is refused for want of the right before it is looked at: its faults would name all."""
        role = granting.put_role(None, "Keeps d", [Right.DEFINE], self._mirela())
        who = person("hana", "company", ("alpha",))
        granting.grant(self._state(), who, role, ("", "d", ""), self._mirela())
        keeper = client_of(Person.objects.get(pk=who.pk))
        for target, given in (
            ("/codes/acc/code/1010/delete/", {}),
            ("/codes/acc/several/", {"codes": "1010", "act": "close"}),
        ):
            reply = keeper.post(target, given)
            self.assertEqual(reply.status_code, 403, target)
            self.assertNotIn("pair", reply.content.decode().lower())
        for target in (
            "/companies/pairs/matrix/cell/?row=gamma&col=alpha",
            "/companies/open/accounts/cell/?row=1010&col=gamma&chart=c",
        ):
            self.assertEqual(keeper.get(target).status_code, 404, target)
        self.assertEqual(keeper.get("/codes/acc/settings/length/?length=6&file=csv").status_code, 403)

    def _mirela(self) -> Person:
        return Person.objects.get(username="mirela")

    def test_counts_are_of_their_own_companies(self) -> None:
        shown = re.sub(r"<[^>]+>|\s+", " ", self.own.get("/codes/acc/code/2810/posted/").content.decode())
        self.assertEqual(shown.strip(), "Never posted to.", "only beta posted to it")
        self.assertIn("Posted to since", self.group.get("/codes/acc/code/2810/posted/").content.decode())
        page = self.own.get("/codes/acc/code/1810/").content.decode()
        for word in ("elimination", "mapping", "Imported a package", "Fixed"):
            self.assertNotIn(word.lower(), page.lower())
        self.assertIn("Elimination ic of g", self.group.get("/codes/acc/code/1810/").content.decode())

    def test_a_word_that_nobody_said_anything_of_opens_nothing(self) -> None:
        who = person("other", "company")
        with self.assertRaises(KeyError):
            sees(who, self._state(), "vault", "x")
        with self.assertRaisesMessage(
            ValueError, "Nobody said who may know of what vaults/<str:vault>/ names: vault."
        ):
            route(
                "vaults/<str:vault>/",
                needs(rights.SIGNED_IN)(lambda *asked, **named: HttpResponse()),
                "vault",
            )

    def _state(self) -> State:
        from web.definitions.snapshot import current

        return current().state

    def test_other_methods_than_a_routes_own_get_nowhere(self) -> None:
        for name, pattern in ROUTES:
            for method in () if name == "sign-in" else ("put", "delete", "patch", "trace"):
                reply = getattr(self.group, method)(address(pattern))
                self.assertIn(reply.status_code, (404, 405), f"{method} {pattern}")
        self.assertEqual(self.group.post("/codes/acc/").status_code, 405)
        self.assertEqual(self.group.get("/codes/acc/add/").status_code, 405)

    def test_figures_are_kept_by_nobody_and_requests_have_numbers(self) -> None:
        for target in (
            "/codes/acc/",
            "/statements/st/?company=alpha",
            "/journals/alpha/",
            "/codes/acc/out/csv/",
            "/find/?q=1",
        ):
            reply = self.group.get(target)
            self.assertEqual(reply["Cache-Control"], "no-store, private", target)
            self.assertRegex(reply["X-Request-Number"], r"^[0-9a-f]{8}$")
        checking = TurningClient(enforce_csrf_checks=True)
        checking.cookies = self.group.cookies
        reply = checking.post("/codes/acc/add/", {"code": "1030"})
        self.assertContains(reply, "This page was open while somebody signed in or out", status_code=403)

    def test_scripts_of_somebody_signed_out_are_told_where_to_sign_in(self) -> None:
        nobody = TurningClient()
        self.assertEqual(
            nobody.get("/codes/acc/rows/", headers={"HX-Request": "true"})["HX-Redirect"], "/sign-in/?next=/"
        )
        reply = nobody.post("/journals/alpha/check/", "{}", content_type="application/json")
        self.assertEqual((reply.status_code, reply.json()), (401, {"sign_in": "/sign-in/?next=/"}))
        self.assertEqual(nobody.get("/codes/acc/")["Location"], "/sign-in/?next=/codes/acc/")

    def test_no_link_changes_a_session(self) -> None:
        for site in ("cross-site", "same-origin", "none"):
            before = dict(self.group.session)
            self.group.get("/codes/acc/?version=1", headers={"Sec-Fetch-Site": site})
            self.assertEqual(dict(self.group.session), before, site)


class Settings(PineTest):
    @override_settings(AXES_ENABLED=True)
    def test_ten_misses_by_one_address_slow_it_whoever_it_names(self) -> None:
        guesser = TurningClient()
        replies = [
            guesser.post("/sign-in/", {"username": f"name{i}", "password": "guess"}) for i in range(11)
        ]
        self.assertEqual([reply.status_code for reply in replies], [200] * 9 + [429] * 2)
        self.assertContains(
            replies[-1],
            "Too many tries did not succeed from here. Wait fifteen minutes, then try again.",
            status_code=429,
        )

    def test_without_a_secret_nothing_starts_and_behind_tls_cookies_are_secure(self) -> None:
        import os
        import subprocess
        import sys

        from tests.serving import ROOT, environment

        def started(**more: str) -> subprocess.CompletedProcess[str]:
            code = (
                "from django.conf import settings as s; print(s.SESSION_COOKIE_SECURE, s.SECURE_HSTS_SECONDS,"
                " s.ALLOWED_HOSTS)"
            )
            return subprocess.run(
                [sys.executable, "-c", code],
                env={**environment(**more), "DJANGO_SETTINGS_MODULE": "web.settings"},
                cwd=ROOT,
                capture_output=True,
                text=True,
            )

        self.assertIn("Give a secret in PINE_SECRET", started(PINE_SECRET="").stderr)
        self.assertEqual(started().stdout.strip(), "False 0 ['localhost', '127.0.0.1', '[::1]']")
        self.assertEqual(
            started(PINE_ADDRESS="https://books.example").stdout.strip(),
            "True 31536000 ['localhost', '127.0.0.1', '[::1]', 'books.example']",
        )
        self.assertNotIn("testserver", os.environ.get("PINE_HOSTS", ""))
