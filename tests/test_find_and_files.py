"""Find from anywhere, tables as files, links that carry their view, how much a code was posted with, versions
of a chart."""

import html
import io
import re
from datetime import date, datetime, timedelta
from typing import Any

from django.db import connection
from django.test.utils import CaptureQueriesContext
from openpyxl import load_workbook

from core.changes.kinds import Amend, MoveNode, Put
from core.definitions.tables import Code, Company, Journal, JournalLine
from tests.base import InWorld, client_of, forget, person
from web.definitions import actions as definition_actions, drafting
from web.definitions.models import DraftChange, Version
from web.definitions.snapshot import chart_versions, current
from web.journals import actions, queries
from web.journals.code_postings import CodePostings, postings_with
from web.journals.stretch import stretch_asked

AMEND = Amend("codes", ("acc", "1110"), (("name", "Owed to us"),))


class Finding(InWorld):
    def setUp(self) -> None:
        super().setUp()
        lines = [
            JournalLine(
                "alpha",
                "D1",
                1,
                account="10-1010-001",
                debit="12.00",
                description="Two crates",
                source_number="INV-2231",
            ),
            JournalLine("alpha", "D1", 2, account="10-2010", credit="12.00", dimensions="season=SP26"),
        ]
        actions.post_all(
            [(Journal("alpha", "D1", date(2026, 3, 3), description="Crates 100%_new"), lines)], self.mirela
        )

    def found(self, text: str, client: Any = None) -> list[str]:
        page = (client or self.group).get("/find/", {"q": text}).content.decode()
        rows = re.findall(r'<a role="option"[^>]* href="([^"]*)">(.*?)</a>', page, re.S)
        return [
            " ".join([html.unescape(re.sub(r"<[^>]+>", " ", told)).strip(), html.unescape(address)])
            for address, told in rows
        ]

    def test_what_is_found_and_in_which_order(self) -> None:
        cases: list[tuple[str, list[str]]] = [
            ("1010", [r"^1010 +Bank.*at=1010$"]),
            ("A2", [r"^A2 +Sales.*/journals/alpha/journal/A2/$"]),
            ("INV-2231", [r"^INV-2231 +Two crates +Document /journals/alpha/journal/D1/$"]),
            ("INV", [r"^INV-2231"]),
            ("crates", [r"^D1 +Crates 100%_new +Journal"]),
            ("100%_n", [r"^D1 "]),
            (
                "10-1110",
                [r"^10-1110-001 +alpha +Account string /journals/alpha/account/1110/\?string=10-1110-001$"],
            ),
            ("alph", [r"^alpha +Alpha +Company"]),
            ("petty", [r"^1020 +Petty cash"]),
            ("Debtors", [r"^1110 +Debtors"]),
        ]
        for text, expected in cases:
            with self.subTest(text):
                rows = [" ".join(row.split()) for row in self.found(text)]
                for pattern, row in zip(expected, rows, strict=False):
                    self.assertRegex(row, pattern.replace(" +", " "))
                self.assertGreaterEqual(len(rows), len(expected))

    def test_nothing_of_other_companies_is_found(self) -> None:
        tamsin = client_of(person("tamsin", "company", ("beta",)))
        for text in ("INV-2231", "crates", "10-1110", "A2", "D1"):
            self.assertEqual([row for row in self.found(text, tamsin) if "alpha" in row], [], text)
        self.assertTrue(self.found("B1", tamsin))

    def test_a_keystroke_asks_a_fixed_number_of_times(self) -> None:
        self.found("b")
        for text, most in (("b", 7), ("bank", 8), ("INV-2231", 8)):
            with CaptureQueriesContext(connection) as asked:
                self.found(text)
            self.assertLessEqual(len(asked), most, [q["sql"][:80] for q in asked])

    def test_how_much_a_code_was_posted_with(self) -> None:
        state = current().state
        cases = [
            ("acc", "1010", CodePostings(3, 3, date(2026, 1, 10), date(2026, 3, 3))),
            ("site", "001", CodePostings(3, 3, date(2026, 2, 10), date(2026, 3, 3))),
            ("co", "20", CodePostings(2, 2, date(2026, 1, 10), date(2026, 1, 10))),
            ("season", "SP26", CodePostings(1, 1, date(2026, 3, 3), date(2026, 3, 3))),
            ("season", "AU26", CodePostings(0, 0, None, None)),
            ("acc", "5020", CodePostings(0, 0, None, None)),
        ]
        for code_list, code, expected in cases:
            with self.subTest(code=code):
                self.assertEqual(postings_with(state, code_list, code, list(state.rows(Company))), expected)
        told = " ".join(self.group.get("/codes/acc/code/1010/posted/").content.decode().split())
        self.assertIn(
            "Posted to since 2026-01-10, last on 2026-03-03: <b>3</b> lines in <b>3</b> account strings.",
            told,
        )

    def test_lines_behind_a_figure_tell_their_total_however_many(self) -> None:
        page = self.group.get("/journals/alpha/account/1010/?year=2026&period=4").content.decode()
        self.assertIn("1,012.00", page)
        self.assertIn("from 2 lines", " ".join(page.split()))
        one = self.group.get(
            "/journals/alpha/account/1010/?year=2026&period=4&string=10-1010-001"
        ).content.decode()
        self.assertIn("from 1 line.", " ".join(one.split()))
        state = current().state
        values = stretch_asked(
            {"year": "2026", "period": "4"}, state, state.require(Company, "alpha"), ["1010"]
        )
        self.assertEqual(queries.account_total(values), (2, 101_200))
        self.assertEqual(len(queries.account_lines(values, most=1)), 1)
        self.assertEqual(queries.newest_total(values, 2), 101_200)
        from_second = {**values, "from_year": 2026, "from_period": 2}
        opening = queries.account_total(queries.before(from_second, within_year=False) or {})[1]
        self.assertEqual(opening + queries.account_total(from_second)[1], 101_200)
        self.assertEqual(sum(part.amount for part in queries.by_period(values)), 101_200)
        first = queries.before({**from_second, "from_period": 1}, within_year=True)
        self.assertEqual(queries.account_total(first or {})[1], 0)
        self.assertIsNone(queries.before(values, within_year=True))
        self.assertEqual(queries.by_tag({**values, "codes": ["1010", "4010"], "tagged": "season=none"}), [])

    def test_files(self) -> None:
        draft = drafting.start(
            "Spring",
            self.mirela,
            [
                Amend("statement_lines", ("st", "debtors"), (("accounts", "1110, 1020"),)),
                Amend("statement_lines", ("st", "cash"), (("accounts", "1010"),)),
            ],
        )
        definition_actions.make_change(AMEND, self.mirela)
        for address, header, expected in [
            (
                "/journals/alpha/?file=csv",
                "date,journal,kind,description,debits,reverses,reversed_by",
                [
                    "2026-03-03,D1,general,Crates 100%_new,12.00,,",
                    "2026-02-10,A2,general,Sales,250.50,,",
                    "2026-01-10,A1,opening,Brought forward,1000.00,,",
                ],
            ),
            (
                "/journals/alpha/?file=csv&words=crates",
                "date,journal,kind,description,debits,reverses,reversed_by",
                ["2026-03-03,D1,general,Crates 100%_new,12.00,,"],
            ),
            (
                "/journals/alpha/account/1010/?file=csv",
                "date,journal,line,account,description,dimensions,partner,source,amount",
                [
                    "2026-03-03,D1,1,10-1010-001,Two crates,,,INV-2231,12.00",
                    "2026-01-10,A1,1,10-1010-,Brought forward,,,,1000.00",
                ],
            ),
            (
                f"/drafts/{draft.pk}/moves/?file=csv&year=2026&period=3",
                "tree,line,label,company,was,now,difference",
                [
                    "Balance sheet,assets,Assets,alpha,1212.00,1262.50,50.50",
                    "Balance sheet,debtors,Debtors,alpha,200.00,250.50,50.50",
                ],
            ),
            ("/versions/compare/?file=csv", "tree,line,label,company,was,now,difference", []),
        ]:
            with self.subTest(address):
                rows = self.group.get(address).content.decode().strip().split("\r\n")
                self.assertEqual((rows[0], rows[1:]), (header, expected))
        for address in ("/journals/alpha/?file=xlsx", "/journals/alpha/account/1010/?file=xlsx"):
            self.assertEqual(self.group.get(address).content[:2], b"PK")
        self.assertEqual(self.group.get("/journals/alpha/?file=exe").status_code, 404)


class MadeBy(InWorld):
    def test_files_say_who_made_them_and_when(self) -> None:
        client = client_of(self.mirela)
        at = "company=alpha&year=2026&period=2"
        for address, named in (
            (f"/exchange/report/csv/?{at}", r"trial-balance-alpha-2026-2-by-mirela-\d{8}-\d{4}\.csv"),
            (f"/exchange/report/json/?{at}", r"trial-balance-alpha-2026-2-by-mirela-\d{8}-\d{4}\.json"),
            ("/exchange/out/zip/", r"[\w-]+-by-mirela-\d{8}-\d{4}\.zip"),
            ("/hierarchies/tree/elevation.svg", r"[\w-]+-by-mirela-\d{8}-\d{4}\.svg"),
        ):
            with self.subTest(address):
                told = client.get(address)["Content-Disposition"]
                self.assertRegex(told, rf'^attachment; filename="{named}"$')
        book = load_workbook(io.BytesIO(client.get(f"/exchange/report/xlsx/?{at}").content))
        self.assertEqual(book.properties.creator, "Mirela")
        self.assertLess(datetime.now() - book.properties.created, timedelta(minutes=5))


class Links(InWorld):
    def setUp(self) -> None:
        super().setUp()
        self.draft = drafting.start("Spring", self.mirela, [AMEND])

    def view(self, address: str, **headers: str) -> str:
        page = self.group.get(address, headers=headers).content.decode()
        found = re.search(r'data-view="([^"]*)"', page)
        return found[1] if found else "fragment"

    def test_a_link_tells_its_view_and_the_person_goes_over(self) -> None:
        definition_actions.make_change(
            Put(Code("acc", "1110", "Receivable", account_class="asset")), self.mirela
        )
        forget()
        number = self.draft.pk
        now = ""
        spring, published, first = "the draft Spring", "what is published", "the definitions of version 1"
        for query, told, stands in [
            ("", "", ""),
            (f"?draft={number}", spring, ""),
            ("?draft=none", "", ""),
            ("?draft=99999", "", ""),
            ("?draft=x", "", ""),
            ("?version=1", first, ""),
            (f"?draft={number}", spring, f"draft={number}"),
            (f"?draft={number}", "", f"draft={number}"),
            ("?draft=none", published, f"draft={number}"),
            ("?version=99", "", f"draft={number}"),
            ("?version=1", first, "version=1"),
            ("?at=1110&version=1", "", "version=1"),
            ("?draft=none", published, ""),
        ]:
            with self.subTest(query, stands=stands):
                address = f"/codes/acc/{query}"
                page = html.unescape(self.group.get(address).content.decode())
                self.assertEqual(re.findall(r"This link shows <b>(.*?)</b>", page), [told] if told else [])
                if not told:
                    self.assertEqual(self.view(address), stands)
                    continue
                self.assertEqual(self.view("/codes/acc/"), now, "a link alone changes nothing")
                view = re.findall(r'name="view" value="(.*?)"', page)[0]
                if stands == {spring: f"draft={number}", published: "", first: "version=1"}[told]:
                    reply = self.group.post("/drafts/view/", {"view": view, "to": address})
                    self.assertEqual(reply["Location"], "/codes/acc/")
                else:
                    self.group.post("/drafts/view/", {"view": view, "to": address, "stay": "1"})
                self.assertEqual(self.view("/codes/acc/"), stands)
                now = stands

    def test_going_over_leads_to_the_page_and_nowhere_else(self) -> None:
        view = {"view": f"draft={self.draft.pk}"}
        for to, location in [
            (f"/codes/acc/?draft={self.draft.pk}&at=1110", "/codes/acc/?at=1110"),
            ("//evil.example/x", "/x"),
            ("https://evil.example/x?draft=2", "/x"),
            ("/\\evil.example", "/"),
            ("javascript:alert(1)", "/alert(1)"),
            ("", "/"),
        ]:
            self.assertEqual(self.group.post("/drafts/view/", {**view, "to": to})["Location"], location, to)
        for odd in ("draft=99999", "draft=x", "version=99", "other=1", "draft"):
            self.assertEqual(self.group.post("/drafts/view/", {"view": odd}).status_code, 404, odd)

    def test_strangers_keep_what_they_have(self) -> None:
        tamsin = client_of(person("tamsin", "company", ("beta",)))
        address = f"/codes/acc/?draft={self.draft.pk}"
        self.assertNotIn("Owed to us", tamsin.get(address).content.decode())
        self.assertNotIn("Another view", tamsin.get(address).content.decode())
        reply = tamsin.post("/drafts/view/", {"view": f"draft={self.draft.pk}", "to": "/"})
        self.assertIn(reply.status_code, (403, 404))

    def test_what_a_page_sends_works_on_what_it_shows(self) -> None:
        """Two windows: what is sent from the one that shows another view than the one gone over to since
        changes nothing, and says so."""
        number = self.draft.pk
        address = "/codes/acc/code/1110/delete/"
        went = [("", None), (f"draft={number}", number), ("", None)]
        for stands, draft in went:
            self.group.post(f"/drafts/{draft}/open/" if draft else "/drafts/leave/")
            for shown, there in (
                ("", "what is published"),
                (f"draft={number}", "the draft Spring"),
                ("draft=99999", "a draft that is published or dropped by now"),
            ):
                with self.subTest(shown=shown, stands=stands):
                    headers = {"HX-Request": "true", "Pine-View": shown}
                    reply = self.group.get("/codes/acc/rows/", headers=headers)
                    self.assertEqual(reply.status_code, 200 if shown == stands else 422)
                    if shown != stands:
                        here = "the draft Spring" if stands else "what is published"
                        told = f"This page shows {there}; what you work on is {here} meanwhile."
                        self.assertIn(told, html.unescape(reply.content.decode()))
                        before = (Version.objects.count(), DraftChange.objects.count())
                        self.assertEqual(self.group.post(address, headers=headers).status_code, 422)
                        self.assertEqual((Version.objects.count(), DraftChange.objects.count()), before)

    def test_each_chart_counts_its_own_versions(self) -> None:
        self.assertEqual(chart_versions(["c"]), {"c": 1})
        definition_actions.make_change(Amend("companies", ("alpha",), (("country", "IE"),)), self.mirela)
        counted = chart_versions(["c"])
        definition_actions.make_change(AMEND, self.mirela)
        self.assertEqual(chart_versions(["c"])["c"], counted["c"] + 1)
        self.assertEqual(Version.objects.latest("version").charts, {"c": counted["c"] + 1})
        self.assertIn(
            f"version {counted['c'] + 1}", " ".join(self.group.get("/structures/c/").content.decode().split())
        )
        self.assertIn("Owed to us", self.group.get("/log/?chart=c").content.decode())

    def test_a_comparison_leaves_out_neighbours_that_were_only_numbered_anew(self) -> None:
        definition_actions.make_change(MoveNode("tree", "11", "1", "10"), self.mirela)
        definition_actions.make_change(Put(Code("acc", "1030", "Till", account_class="asset")), self.mirela)
        page = html.unescape(
            self.group.get(f"/versions/compare/?from=1&to={current().version}").content.decode()
        )
        self.assertIn("Added code 1030 Till of acc", page)
        self.assertNotIn("position from", page)
