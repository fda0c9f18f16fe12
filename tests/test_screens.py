"""Screens: every address is guarded and stands; each act of the path does what it says; odd input is told,
never a 500."""

import re
from typing import Any

from django.test import override_settings
from django.urls import URLPattern, URLResolver, get_resolver

from core.changes.kinds import Put
from core.definitions.tables import Chart, Code
from tests.base import PineTest, bring, client_of, person, tables, world
from web.definitions import drafting
from web.exchange.models import Job
from web.group import kept
from web.people.rights import CHANGE, OPEN, RIGHTS, right_of

NAMES = {
    "code_list": "acc",
    "code": "1010",
    "way": "up",
    "chart": "c",
    "company": "alpha",
    "journal": "A1",
    "statement": "st",
    "line": "cash",
    "group": "g",
    "column": "+group",
    "act": "books",
    "elimination": "e",
    "partner": "beta",
    "version": "1",
    "number": "1",
    "token": "none",
    "change": "1",
    "hierarchy": "tree",
    "budget": "b",
    "sheet": "rules",
    "rollout": "r",
    "overlay": "o",
    "second_chart": "d",
}
PAGES = {
    "today/": "Today",
    "requests/": "Accounts asked for",
    "people/": "People",
    "people/access/": "Who may what",
    "me/": "Your settings",
    "me/factor/": "Second factor",
    "registers/": "Registers",
    "table/<str:sheet>/bring/": "Bring rows into pairing rules",
    "log/": "Versions",
    "codes/new-list/": "New code list",
    "codes/<str:code_list>/": "Accounts",
    "codes/<str:code_list>/bring/": "Bring rows into Accounts",
    "codes/<str:code_list>/doubts/": "Doubts",
    "codes/<str:code_list>/settings/": "Accounts",
    "hierarchies/<str:hierarchy>/": "Tree",
    "hierarchies/<str:hierarchy>/elevation/": "Tree",
    "hierarchies/<str:hierarchy>/compare/": "Tree",
    "new/structure/": "New structure",
    "structures/<str:chart>/": "Chart",
    "structures/<str:chart>/strings/": "Account strings",
    "structures/<str:chart>/dimensions/": "Dimensions",
    "new/company/": "New company",
    "companies/": "Companies",
    "overlays/<str:overlay>/": "Local",
    "companies/drawn/map/": "Who shares what",
    "companies/open/accounts/": "Accounts open",
    "companies/pairs/matrix/": "Intercompany pairs",
    "companies/<str:company>/": "Alpha",
    "companies/<str:company>/charts/<str:second_chart>/": "Alpha in Chart of the country",
    "companies/<str:company>/chart-move/": "Alpha to another chart",
    "journals/make/year-end/": "Year end 2026",
    "journals/make/periods/": "Periods 2026",
    "journals/make/revaluation/": "Revaluation",
    "journals/<str:company>/": "Journals",
    "journals/<str:company>/new/": "New journal",
    "journals/<str:company>/account/<str:code>/": "1010 Bank",
    "journals/<str:company>/journal/<str:journal>/": "A1",
    "statements/arrangements/": "Arrangements",
    "statements/make/new/": "New statement",
    "statements/trial-balance/": "Trial balance",
    "statements/<str:statement>/": "Balance sheet",
    "statements/<str:statement>/figures/": "Balance sheet",
    "statements/<str:statement>/matrix/": "Balance sheet",
    "statements/hierarchy/<str:hierarchy>/matrix/": "Tree",
    "statements/hierarchy/<str:hierarchy>/figures/": "Tree",
    "statements/<str:statement>/beside/": "Balance sheet beside Tree",
    "budgets/": "Budgets and statistics",
    "budgets/<str:budget>/<str:company>/<str:statement>/": "Plan",
    "budgets/<str:budget>/<str:company>/<str:statement>/bring/": "Bring rows into Plan, Alpha, 2026",
    "rollouts/": "Rollouts",
    "rollouts/of/<str:rollout>/": "Rollout",
    "rollouts/of/<str:rollout>/what/": "Bring",
    "group/<str:group>/": "Both",
    "group/<str:group>/members/": "Both",
    "group/<str:group>/steps/": "Both",
    "group/<str:group>/rates/": "Both",
    "group/<str:group>/matrix/": "Both",
    "group/<str:group>/equity/": "Both",
    "group/<str:group>/sides/": "Both",
    "group/<str:group>/period-end/": "Both",
    "group/<str:group>/kept/": "Both",
    "group/<str:group>/mapping/<str:company>/": "Alpha into the group chart",
    "packs/": "Packs",
    "drafts/": "Drafts",
    "drafts/<int:number>/": "Spring",
    "drafts/<int:number>/moves/": "What it moves",
    "versions/compare/": "Versions 0 and 1",
    "exchange/": "Bring in, take out",
    "exchange/job/<int:number>/": "Bringing in",
    "exchange/audit-file/<str:company>/": "Audit file",
    "exchange/journals/<str:company>/": "Journals from a file",
}
"""Whole pages by address, each with what it is headed; a new one is named here."""
LEADS = {
    "": "/today/",
    "sign-in/": "/",
    "sign-in/code/": "/sign-in/",
    "codes/": "/codes/acc/",
    "hierarchies/of/<str:code_list>/": "/hierarchies/tree/",
    "structures/": "/structures/c/",
    "journals/": "/journals/alpha/",
    "statements/": "/statements/st/",
    "budgets/<str:budget>/": "/budgets/b/alpha/st/",
    "group/": "/group/g/",
    "exchange/in/": "/exchange/",
}
"""Addresses that lead to another one."""
REFUSES = {
    "link/<str:token>/": 404,
    "sign-in/single/": 404,
    "sign-in/back/": 404,
    "codes/<str:code_list>/settings/length/": 422,
    "budgets/<str:budget>/<str:company>/<str:statement>/row/": 422,
    "packs/<str:number>/file/": 404,
    "companies/open/accounts/cell/": 404,
    "companies/pairs/matrix/cell/": 404,
    "companies/pairs/matrix/simulate/": 404,
    "journals/make/periods/cell/": 404,
    "requests/<str:number>/": 404,
    "rollouts/run/<str:number>/": 404,
    "rollouts/run/<str:number>/cell/": 404,
    "rollouts/of/<str:rollout>/cell/": 404,
    "statements/<str:statement>/non-cash/": 404,
    "group/<str:group>/equity/<str:code>/<str:column>/": 404,
    "group/<str:group>/reserve/<str:company>/": 404,
}
HEADING = re.compile(r"<h1>(.*?)</h1>", re.S)
EMPTY = (
    "codes/<str:code_list>/code/<str:code>/closing/",
    "rollouts/of/<str:rollout>/progress/",
    "companies/<str:company>/chart-move/groups/",
)
"""A code that nothing uses; nothing is being rolled out, so the page is read anew; no chart is chosen."""
ODD = ["\x00", "9" * 30, "-1", "é", "' OR 1=1 --", "%", "../..", "<script>", "1e9", ""]


def routes(resolver: Any = None, before: str = "") -> list[tuple[str, Any]]:
    found = []
    for pattern in (resolver or get_resolver()).url_patterns:
        if isinstance(pattern, URLResolver):
            found += routes(pattern, before + str(pattern.pattern))
        elif isinstance(pattern, URLPattern):
            found.append((before + str(pattern.pattern), pattern.callback))
    return found


def filled(address: str, **names: str) -> str:
    names.setdefault("kind", "zip" if "exchange/out/" in address else "csv")
    return "/" + re.sub(r"<\w+:(\w+)>", lambda m: {**NAMES, **names}[m.group(1)], address)


SECOND = Chart("d", "Chart of the country", "s")


class Guarded(PineTest):
    def setUp(self) -> None:
        super().setUp()
        rollouts = "rollout,name,company\nr,Bring,alpha\n"
        overlays = "overlay,name\no,Local\n"
        charts = tables(SECOND)["charts"]
        seconds = "company,chart\nalpha,d\n"
        budgets = "budget,name,chart\nb,Plan,c\n"
        bring(
            world(budgets=budgets, rollouts=rollouts, overlays=overlays, charts=charts, second_charts=seconds)
        )
        mirela = person("mirela")
        self.group = client_of(mirela)
        draft = drafting.start("Spring", mirela, [Put(Code("acc", "1030", "Till", account_class="asset"))])
        kept.keep_period("g", 2026, 2, "", [], mirela)
        NAMES["number"] = str(Job.objects.create(pk=draft.pk, by=mirela, file="p.zip").pk)
        self.company = client_of(person("tamsin", "company", ("beta",)))

    def test_every_route_names_a_right_and_strangers_get_nowhere(self) -> None:
        for address, view in routes():
            with self.subTest(address):
                self.assertIn(getattr(view, "right", None), RIGHTS)
                reply = self.client.get(filled(address))
                if right_of(view) == OPEN:
                    self.assertIn(reply.status_code, (200, 302, 404, 405))
                else:
                    self.assertEqual((reply.status_code, reply["Location"].split("?")[0]), (302, "/sign-in/"))

    def test_every_page_is_what_it_is_for(self) -> None:
        """Whole pages are headed as the table says, parts and files hold something, the rest leads on, is for
        POST only, or refuses."""
        given = {
            "q": "Bank",
            "account": "10-1010",
            "company": "alpha",
            "who": "mirela",
            "whose": "alpha",
            "chart": "c",
            "key": "r",
            "row": NAMES["code"],
            "statement": "st",
            "year": "2026",
            "period": "2",
        }
        headings: dict[str, str] = {}
        leads: dict[str, str] = {}
        refuses: dict[str, int] = {}
        for address, _ in routes():
            with self.subTest(address):
                reply = self.group.get(filled(address), given)
                content = b"".join(reply) if reply.streaming else reply.content
                if reply.status_code == 302:
                    leads[address] = reply["Location"]
                elif reply.status_code == 200 and (
                    heading := HEADING.search(content.decode(errors="replace"))
                ):
                    headings[address] = " ".join(re.sub(r"<[^>]+>", "", heading[1]).split())
                elif reply.status_code == 200:
                    self.assertTrue(content or address in EMPTY)
                elif reply.status_code != 405:
                    refuses[address] = reply.status_code
        self.assertEqual(headings, PAGES)
        self.assertEqual(leads, LEADS)
        self.assertEqual(refuses, REFUSES)

    def test_an_outsider_sees_nothing_and_an_insider_without_the_right_is_told(self) -> None:
        for address, view in routes():
            foreign = {"company", "group", "rollout"} & set(re.findall(r"<\w+:(\w+)>", address))
            with self.subTest(address):
                reply = self.company.get(filled(address))
                if foreign:
                    self.assertEqual(reply.status_code, 404)
                elif right_of(view) == CHANGE:
                    self.assertEqual(reply.status_code, 403)
        self.assertEqual(self.company.get("/journals/beta/").status_code, 200)
        self.assertEqual(
            self.company.get("/exchange/report/csv/?company=alpha&year=2026&period=2").status_code, 404
        )
        self.assertNotIn("Alpha", self.company.get("/companies/").content.decode())
        self.assertNotIn(b"/journals/alpha", self.company.get("/find/?q=A1").content)

    def test_odd_input_never_breaks_a_page(self) -> None:
        """Each address with three of them, so that all take their turns; tests/test_fuzz.py has more."""
        for number, (address, _) in enumerate(routes()):
            for odd in (ODD[(number + more) % len(ODD)] for more in range(3)):
                names = {
                    name: odd.replace("/", "").replace("\x00", "") or "x"
                    for name in re.findall(r"<str:(\w+)>", address)
                }
                query = dict.fromkeys(
                    (
                        "q",
                        "find",
                        "from",
                        "at",
                        "account",
                        "on",
                        "company",
                        "year",
                        "period",
                        "first",
                        "since",
                        "before",
                        "words",
                        "page",
                        "near",
                        "code",
                        "text",
                        "zoom",
                        "level",
                        "by",
                        "with",
                        "stands",
                        "sort",
                        "kind",
                        "day",
                        "who",
                        "row",
                        "to",
                        "file",
                        "like",
                        "name",
                        "what",
                        "whose",
                        "statement",
                        "position",
                        "structure",
                        "skip",
                        "chart",
                        "group",
                        "calendar",
                        "key",
                        "back",
                        "column",
                        "value",
                        "act",
                        "filter",
                        "by",
                        "budget",
                        "forecast",
                        "across",
                        "source",
                        "per_cent",
                    ),
                    odd,
                )
                for where in ({}, names):
                    reply = self.group.get(filled(address, **where), query)
                    self.assertLess(reply.status_code, 500, (address, odd))
                    reply = self.group.post(
                        filled(address, **where),
                        {
                            **query,
                            "onto": odd,
                            "line": odd,
                            "target": odd,
                            "until": odd,
                            "number": odd,
                            "label": odd,
                        },
                    )
                    self.assertLess(reply.status_code, 500, (address, odd))
                    self.group.force_login(self.user(), backend="django.contrib.auth.backends.ModelBackend")

    def user(self) -> Any:
        from django.contrib.auth import get_user_model

        return get_user_model().objects.get(username="mirela")

    @override_settings(DEBUG=False)
    def test_the_policy_allows_no_inline_script_or_style(self) -> None:
        page = self.group.get("/codes/acc/")
        policy = page["Content-Security-Policy"]
        self.assertNotIn("unsafe", policy)
        self.assertIn("default-src 'self'", policy)
        self.assertNotRegex(page.content.decode(), r"<style|style=|onclick=|<script>")
