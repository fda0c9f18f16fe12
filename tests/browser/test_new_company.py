"""A new company: from nothing to its column in the group's statement, seen by somebody else too."""

from __future__ import annotations

from playwright.sync_api import expect

from core.definitions.tables import Company, GroupMember
from tests.browser.base import BrowserTest
from web.definitions.snapshot import current


class NewCompany(BrowserTest):
    def test_from_nothing_to_its_column_in_the_group(self) -> None:
        page = self.page
        self.go("/companies/")
        self.press("Shift+N")
        page.wait_for_url("**/new/company/")
        page.select_option("[name=like]", "nurseries")
        page.fill("[name=name]", "Marsh End Growers")
        page.fill("[name=own_code]", "60")
        page.fill("[name=company]", "marsh")
        expect(page.locator("#proof")).to_contain_text("pairs")
        self.press("Control+Enter")
        page.wait_for_url("**/companies/marsh/**")
        expect(page.locator("h1")).to_have_text("Marsh End Growers")
        state = current().state
        self.assertEqual(state.require(Company, "marsh").chart, "shared")
        self.assertIsNotNone(state.get(GroupMember, "fernhollow", "marsh"))

        self.press("Shift+J")
        page.wait_for_url("**/journals/marsh/new/**")
        page.fill("[name=date]", "2026-09-30")
        page.fill("#entry-head [name=description]", "Capital paid in")
        for place, (account, column, amount) in enumerate(
            (("60-11010", "debit", "25000"), ("60-31010", "credit", "25000"))
        ):
            row = page.locator("#entry tbody tr").nth(place)
            row.locator("[name=account]").fill(account)
            row.locator(f"[name={column}]").fill(amount)
            if not place:
                row.locator("[name=description]").press("Enter")
        expect(page.locator("#entry-post")).to_be_enabled()
        page.locator("#entry-post").click()
        page.wait_for_url("**/journals/marsh/journal/**")

        at = "/group/fernhollow/?statement=bs&year=2026&period=9"
        other = self.open("i.brandt")
        other.goto(self.server.url + at)
        self.go(at)
        for one in (page, other):
            titles = one.locator("thead th").all_inner_texts()
            place = next(i for i, title in enumerate(titles) if "Marsh" in title)
            cells = one.locator("tr[data-row=cash]").locator("th, td")
            expect(cells.nth(place)).to_contain_text("25")
        self.assertEqual(self.violations(), [])
        other.context.close()
