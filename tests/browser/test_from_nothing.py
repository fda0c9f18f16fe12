"""From an empty database to a first posted journal, by keyboard, counted: what a person does and what they
wait for."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from tests.browser.base import BrowserTest
from web.journals.models import JournalLine
from web.people import actions

MOST_ACTS, MOST_LOADS = 40, 8
PASSWORD = "glasshouse-ledger"


class FromNothing(BrowserTest):
    """An act is a field filled or a key that does something; Tab only goes on."""

    with_demo = False

    def act(self, *keys: str) -> None:
        for key in keys:
            self.acts += 1
            self.page.keyboard.press(key)

    def fill(self, *texts: str) -> None:
        """Texts typed into fields that follow each other; an empty one leaves a field as it is."""
        for text in texts:
            if text:
                self.acts += 1
                self.page.keyboard.insert_text(text) if "\n" in text else self.page.keyboard.type(text)
            self.page.keyboard.press("Tab")

    def focused(self, name: str) -> None:
        expect(self.page.locator(f"[name={name}]:focus")).to_have_count(1)

    def test_a_first_journal(self) -> None:
        self.acts = 0
        loads: list[str] = []
        page = self.page
        page.goto(f"{self.server.url}/link/{actions.link_for(None)}/")
        page.on(
            "framenavigated", lambda frame: None if loads[-1:] == [frame.url] else loads.append(frame.url)
        )
        self.focused("username")
        self.fill("ada", "Ada Holm", PASSWORD)
        page.keyboard.type(PASSWORD)
        page.keyboard.press("Enter")
        expect(page.locator("h2").first).to_have_text("No code lists yet")
        self.acts = 0
        loads[:] = [page.url]

        self.act("n")
        page.wait_for_url("**/new/structure/")
        self.focused("structure")
        self.fill("Orchard books", "")
        self.fill("Company", "company", "", "")
        self.acts += 1
        page.keyboard.type("2")
        self.act("Alt+n")
        self.fill("Account", "natural account", "")
        self.fill(
            "1000 Cash at bank asset\n3000 Share capital equity\n4000 Fruit sold revenue\n5000 Wages"
            " expense\n"
        )
        self.act("Control+Enter")
        page.wait_for_url("**/structures/orchard-books/")
        expect(page.locator("h1")).to_have_text("Orchard books")

        self.act("c")
        page.wait_for_url(re.compile(r"/new/company/\?chart="))
        self.focused("name")
        self.fill("Orchard One", "Norland", "EUR", "", "10", "")
        self.acts += 1
        page.keyboard.type("2026-01-01")
        self.act("Control+Enter")
        page.wait_for_url("**/companies/orchard-one/")
        expect(page.locator("#proof")).to_contain_text("Nothing is missing.")

        self.act("Shift+J")
        page.wait_for_url("**/journals/orchard-one/new/")
        self.focused("description")
        self.acts += 1
        page.keyboard.type("Capital paid in")
        self.act("Enter")
        for account, before, amount in (("1000", 2, "5000"), ("3000", 3, "=")):
            self.focused("account")
            self.acts += 2
            page.keyboard.type(account)
            for _ in range(before):
                page.keyboard.press("Tab")
            page.keyboard.type(amount)
            if amount != "=":
                for _ in range(3):
                    page.keyboard.press("Tab")
                self.act("Enter")
        expect(page.locator("#entry-post")).to_be_enabled()
        self.act("Control+Enter")
        page.wait_for_url("**/journal/*/")
        self.assertEqual(sorted(JournalLine.objects.values_list("amount", flat=True)), [-500000, 500000])
        self.assertLessEqual(self.acts, MOST_ACTS)
        self.assertLessEqual(len(loads), MOST_LOADS, loads)
