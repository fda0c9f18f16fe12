"""A company moved to another chart as its user does it: looked at, mapped, moved, and its figures opened."""

from __future__ import annotations

from playwright.sync_api import expect

from tests.browser.base import BrowserTest


class ChartMove(BrowserTest):
    def test_from_the_company_to_its_figures_in_the_new_chart(self) -> None:
        page = self.page
        self.go("/companies/hexley/")
        self.press("Shift+C")
        page.locator("h1", has_text="Hexley Garden Centres to another chart").wait_for()
        page.locator("[name=chart]").select_option("shared")
        page.locator("[name=on]").select_option("2026-10-01")
        page.locator("h1").click()
        self.press("l")
        proof = page.locator("#proof")
        expect(proof).to_contain_text("hexley has no code of Company in shared.")
        page.locator("[name=codes]").fill("60")
        self.press("Enter")
        expect(proof).to_contain_text("1455 Rebates due from suppliers has no account in shared")
        page.locator("h1").click()
        self.press("m")
        page.locator("h1", has_text="Hexley Garden Centres in").wait_for()
        for left in (3, 2, 1):
            expect(proof).to_contain_text(f"On no account there, {left}")
            proof.locator("button.linkish").first.click()
        expect(proof).to_contain_text("Every account has its place.")
        self.go("/statements/trial-balance/?company=hexley&in=shared&year=2026&period=9")
        before = page.locator("table.grid-table tbody").inner_text()
        self.go("/companies/hexley/chart-move/?chart=shared&on=2026-10-01&codes=60")
        expect(proof).to_contain_text("3,867,643.19 GBP of debits and as much of credits, in 29 lines")
        expect(page.locator("#work")).to_contain_text("all 31 lines agree")
        expect(page.locator("#work")).to_contain_text("3 lines differ for September 2026")
        self.assertEqual(self.violations(), [])
        self.press("Shift+M")
        page.locator("h1", has_text="Hexley Garden Centres").wait_for()
        expect(page.locator("#work")).to_contain_text("Moved hexley to shared from 2026-10-01 on; HE-00236")
        expect(proof).to_contain_text("hexley until 1 October 2026, then shared; carried over by HE-00236")
        self.go("/statements/trial-balance/?company=hexley&year=2026&period=9")
        self.assertEqual(page.locator("table.grid-table tbody").inner_text(), before)
        page.locator('[data-row="11010"]').focus()
        self.press("Enter")
        page.locator("h1", has_text="11010").wait_for()
        expect(proof).to_contain_text("Posted in hexley before 1 October 2026")
        expect(page.locator("#work")).to_contain_text("Running shop 03")
