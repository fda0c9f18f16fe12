"""Seen as an overlay: each person by their own choice, on every page that reads; nothing of it is written."""

from __future__ import annotations

import csv
import html
import io
import json
from typing import Any

from core.definitions.tables import Code, CodeName, Overlay, OverlayCode
from tests.base import PineTest, bring, client_of, person, run, tables_of, world
from tests.test_rollouts import exported
from tests.test_screens import filled, routes
from web.definitions import drafting
from web.definitions.snapshot import current
from web.journals.models import Journal

FRENCH = [
    Overlay("fr", "French", "fr"),
    OverlayCode("fr", "acc", "1010", "512000", "Banque"),
    OverlayCode("fr", "acc", "1110", "411000", "Clients"),
    OverlayCode("fr", "acc", "4010", "701000", "Ventes"),
    OverlayCode("fr", "acc", "1810", "451000", "Groupe"),
    OverlayCode("fr", "acc", "3010", "101000", "Capital"),
    CodeName("acc", "2810", "de", "Schuld im Konzern"),
]


class Overlays(PineTest):
    def setUp(self) -> None:
        super().setUp()
        bring(world())
        bring(tables_of(FRENCH))
        self.mirela = person("mirela")
        self.client, self.other = client_of(self.mirela), client_of(person("other"))

    def see_as(self, overlay: str, language: str = "", status: int = 200) -> None:
        reply = self.client.post(
            "/me/sees-as/", {"overlay": overlay, "language": language}, headers={"HX-Request": "true"}
        )
        self.assertEqual(reply.status_code, status)

    def page(self, address: str, client: Any = None) -> str:
        reply = (client or self.client).get(address)
        self.assertEqual(reply.status_code, 200, reply.content[:300])
        return html.unescape(reply.content.decode())

    def test_every_page_that_reads_shows_it_and_another_person_sees_none_of_it(self) -> None:
        self.see_as("fr", "de")
        for address, shown in (
            ("/statements/trial-balance/?company=alpha&year=2026&period=2", ("512000", "Banque")),
            ("/codes/acc/", ("512000 Banque", "Schuld im Konzern")),
            ("/hierarchies/tree/", ("512000 Banque",)),
            ("/journals/alpha/journal/A1/", ("10-512000-", "512000 Banque")),
            ("/journals/alpha/account/1010/", ("10-512000-",)),
            ("/statements/hierarchy/tree/figures/?company=alpha&year=2026&period=2", ("512000 Banque",)),
        ):
            with self.subTest(address):
                mine, theirs = self.page(address), self.page(address, self.other)
                for text in shown:
                    self.assertIn(text, mine)
                    self.assertNotIn(text, theirs)
                self.assertIn("names</small>French, de", mine)
        self.see_as("gone", status=404)
        self.see_as("", "xx", status=404)
        self.see_as("")
        self.assertNotIn("Banque", self.page("/codes/acc/"))

    def test_what_is_changed_or_taken_out_while_seen_so_is_as_kept(self) -> None:
        before = exported()
        self.see_as("fr", "de")
        self.assertEqual(exported(), before)
        row = {"row": "1010", "posting": "on", "budgeting": "on", "account_class": "asset", "enabled": "on"}
        form = self.page("/codes/acc/edit/?row=1010")
        self.assertIn('value="Bank"', form)
        reply = self.client.post("/codes/acc/edit/?row=1010", {**row, "name": "Bank account"})
        self.assertEqual(reply.status_code, 200, reply.content[:300])
        names = {code.code: code.name for code in current().state.part(Code, "acc").values()}
        self.assertEqual((names["1010"], names["1110"]), ("Bank account", "Debtors"))
        reply = self.client.get("/exchange/out/zip/")
        self.assertEqual(reply.status_code, 200)

    def test_a_journal_keyed_with_local_numbers_is_posted_on_the_codes(self) -> None:
        self.see_as("fr")
        lines = [{"account": "10-512000", "debit": "5"}, {"account": "10-701000-1", "credit": "5"}]
        body = json.dumps({"journal": "A9", "date": "2026-02-11", "kind": "general", "lines": lines})
        check = self.client.post("/journals/alpha/check/", body, content_type="application/json")
        self.assertEqual(check.json().get("faults"), [])
        reply = self.client.post("/journals/alpha/post/", body, content_type="application/json")
        self.assertEqual(reply.status_code, 200, reply.content)
        journal = Journal.objects.get(company_id="alpha", journal="A9")
        self.assertEqual(
            sorted(journal.lines.values_list("account__account", flat=True)), ["10-1010-", "10-4010-001"]
        )
        offered = self.client.get("/journals/alpha/complete/", {"text": "10-5120", "what": "account"}).json()
        self.assertEqual(offered["options"][0]["text"], "10-512000-")

    def test_no_page_breaks_for_somebody_who_sees_codes_so(self) -> None:
        self.see_as("fr", "de")
        broken = []
        for address, _ in routes():
            for query in ("", "?company=alpha&year=2026&period=2&row=1010&account=10-1010&q=512"):
                reply = self.client.get(filled(address) + query)
                if reply.status_code >= 500:
                    broken.append(address)
        self.assertEqual(broken, [])

    def test_a_draft_is_seen_as_kept(self) -> None:
        self.see_as("fr")
        draft = drafting.start("Spring", self.mirela)
        self.client.post(f"/drafts/{draft.pk}/open/")
        self.assertNotIn("Banque", self.page("/codes/acc/"))

    def test_the_command_line_says_it_only_when_asked(self) -> None:
        at = ("--company=alpha", "--year=2026", "--period=2")
        _, plain, _ = run("trial-balance", *at)
        _, french, _ = run("trial-balance", *at, "--seen-as=fr")
        first = [row[:2] for row in csv.reader(io.StringIO(french))]
        self.assertEqual(first[1:3], [["101000", "Capital"], ["411000", "Clients"]])
        self.assertIn("1010,Bank", plain)
        self.assertEqual(
            sorted(r.split(",", 2)[2] for r in plain.splitlines()),
            sorted(r.split(",", 2)[2] for r in french.splitlines()),
        )
        status, _, said = run("trial-balance", *at, "--seen-as=gone")
        self.assertEqual((status, said), (2, "There is no overlay gone.\n"))

    def test_the_audit_file_from_page_and_command_line(self) -> None:
        page = "/exchange/audit-file/alpha/?year=2026&siren=123456789&overlay=fr"
        self.assertIn("Debits equal credits", self.page(page))
        taken = self.client.get(f"{page}&take=1&separator=pipe")
        self.assertIn('filename="123456789FEC20260430.txt"', taken["Content-Disposition"])
        status, out, said = run(
            "audit-file",
            "--company=alpha",
            "--year=2026",
            "--siren=123456789",
            "--overlay=fr",
            "--separator=pipe",
            "--encoding=utf-8",
        )
        self.assertEqual((status, said), (0, "123456789FEC20260430.txt: 5 records.\n"))
        self.assertEqual(out, taken.content.decode("iso-8859-15").replace("\r\n", "\n"))
        rows = list(csv.DictReader(io.StringIO(out), delimiter="|"))
        self.assertEqual([row["EcritureNum"] for row in rows], ["1", "1", "2", "2", "2"])
        for side, total in (("Debit", "1250,50"), ("Credit", "1250,50")):
            cents = sum(int(row[side].replace(",", "")) for row in rows)
            self.assertEqual(f"{cents // 100},{cents % 100:02}", total)
        status, out, said = run(
            "audit-file", "--company=beta", "--year=2026", "--siren=123456789", "--overlay=fr"
        )
        self.assertEqual((status, out), (1, ""))
        self.assertIn("2810 Due to has no local number. Give it one in the overlay.", said)
        self.assertIn("has no local number", self.page("/exchange/audit-file/beta/?year=2026&overlay=fr"))
        self.assertIn("1 posted code without a local number", self.page("/overlays/fr/"))
