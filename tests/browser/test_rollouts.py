"""A rollout as its user does it: through the cells by key, a side chosen, rolled out, taken back."""

from __future__ import annotations

from playwright.sync_api import expect

from core.definitions.tables import CompanyAccount
from tests.browser.base import BrowserTest
from web.definitions.snapshot import current
from web.rollouts.models import RolloutRun


class Rollouts(BrowserTest):
    def test_from_the_matrix_to_the_log_and_back(self) -> None:
        self.go("/companies/")
        self.page.keyboard.press("o")
        self.page.locator("h1", has_text="Rollouts").wait_for()
        self.page.locator('[data-row="marsh-end"]').focus()
        self.page.keyboard.press("Enter")
        self.page.locator("table.cells").wait_for()
        self.page.keyboard.press(
            "ArrowDown"
        )  # into the matrix: the code of the new site in the first company
        for key in ("ArrowDown", "ArrowDown", "ArrowDown", *["ArrowRight"] * 8):
            self.page.keyboard.press(key)
        proof = self.page.locator("#cell h2")
        proof.filter(has_text="51230 Water in Skovlund Trials: differs").wait_for()
        self.page.keyboard.press("o")
        self.page.locator('tr[data-key-row="account.51230"] td[data-col=trials] i.ours').wait_for()
        self.page.get_by_label("Why, for the log").fill("Marsh End opens")
        self.page.keyboard.press("Escape")
        self.page.keyboard.press("g")
        self.page.locator("h1", has_text="New site Marsh End").wait_for()
        run = RolloutRun.objects.get()
        self.assertIn("1 changed", run.sentence)
        self.assertTrue(current().state.require(CompanyAccount, "trials", "51230").enabled)
        self.page.locator('tr[data-key-row="account.51230"] td[data-col=trials]').click()
        self.page.locator("#cell h2", has_text="51230 in Skovlund Trials: changed").wait_for()
        self.page.keyboard.press("t")
        self.page.locator("td", has_text="Took back: rolled out New site Marsh End").first.wait_for()
        self.assertFalse(current().state.require(CompanyAccount, "trials", "51230").enabled)


class NewCompany(BrowserTest):
    def test_from_nothing_to_its_column_in_the_groups_statement(self) -> None:
        """One page makes it like another; a journal between the two is posted; the group shows both."""
        page = self.page
        self.go("/companies/")
        page.keyboard.press("Shift+N")
        page.locator("[name=like]").select_option("veenbol")
        page.locator(".founding [name=name]").fill("Fernhollow Orchards")
        page.locator("[name=own_code]").fill("60")
        expect(page.locator("#proof")).to_contain_text("22 intercompany pairs")
        expect(page.locator("#proof")).to_contain_text("Due from Fernhollow Orchards")
        page.keyboard.press("Control+Enter")
        page.locator("h1", has_text="Fernhollow Orchards").wait_for()
        expect(page.locator("#proof")).to_contain_text("Nothing is missing.")

        self.go("/journals/fernhollow-orchards/new/")
        body = {
            "journal": "OR-1",
            "date": "2026-09-15",
            "kind": "general",
            "lines": [
                {"account": "60-11010", "debit": "500"},
                {"line_company": "veenbol", "account": "30-11010", "credit": "500"},
            ],
        }
        token = page.evaluate("JSON.parse(document.body.getAttribute('hx-headers'))['X-CSRFToken']")
        reply = page.request.post(
            self.server.url + "/journals/fernhollow-orchards/post/",
            data=body,
            headers={"X-CSRFToken": token, "Referer": self.server.url},
        )
        self.assertEqual(reply.status, 200, reply.text()[:300])
        self.go("/group/fernhollow/?statement=bs&year=2026&period=9")
        expect(page.locator("thead")).to_contain_text("Fernhollow-orchards")
        page.locator('[data-row="cash"]').first.wait_for()
