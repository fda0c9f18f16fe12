"""Sections of a statement folded and jumped to by keys, while its lines are arranged and its figures read."""

from __future__ import annotations

from playwright.sync_api import expect

from tests.browser.base import BrowserTest


class Sections(BrowserTest):
    def shown(self) -> list[str]:
        rows = self.page.locator("table[data-sections] tbody tr:visible")
        return [str(row) for row in rows.evaluate_all("rows => rows.map(row => row.dataset.row)")]

    def chosen(self) -> str:
        return str(self.page.evaluate("document.activeElement.dataset.row"))

    def test_arranging_by_section(self) -> None:
        page = self.page
        self.go("/statements/bs/?company=nurseries")
        every = self.shown()
        self.press("ArrowDown", "ArrowDown", "ArrowDown")
        self.assertEqual(self.chosen(), "cash")
        self.press("-")
        self.assertEqual(self.chosen(), "current")
        self.assertNotIn("cash", self.shown())
        self.press("ArrowDown")
        self.assertEqual(self.chosen(), "fixed", "rows out of sight are passed over")
        self.press("Alt+ArrowUp")
        expect(page.locator("table[data-sections] tbody tr:visible").nth(1)).to_have_attribute(
            "data-row", "fixed"
        )
        self.assertEqual(self.shown()[8:10], ["current", "funding"], "it stays folded after a change")
        self.press("_")
        self.assertEqual(self.shown(), ["assets", "funding"])
        self.assertEqual(self.chosen(), "assets")
        page.locator("tr[data-row=assets] button.fold").click()
        self.assertEqual(self.shown(), ["assets", "fixed", "current", "funding"])
        self.press("Shift+F")
        page.keyboard.type("equity")
        self.press("Enter")
        self.assertEqual(self.chosen(), "equity")
        self.assertIn("result", self.shown())
        self.press(",")
        self.assertEqual(self.chosen(), "liabilities")
        self.assertEqual(self.violations(), [])
        address = page.url
        self.assertIn("folded=", address)
        there = self.shown()
        page.goto(address)
        self.assertEqual(self.shown(), there, "a link is a view")
        self.press("ArrowDown", "*")
        self.assertEqual(sorted(self.shown()), sorted(every))
        self.assertNotIn("folded=", page.url)

    def test_a_change_in_a_folded_section_opens_it(self) -> None:
        page = self.page
        self.go("/statements/bs/?company=nurseries&folded=current,fixed")
        page.locator("[data-row='account:11455'], .card", has_text="11455").first.get_by_text(
            "Prepayments"
        ).click()
        expect(page.locator("tr[data-row=prepaid]")).to_be_visible()
        self.assertNotIn("glasshouses", self.shown())

    def test_figures_fold_by_company_and_group(self) -> None:
        for address in ("/statements/bs/figures/?company=nurseries", "/group/fernhollow/"):
            self.go(address)
            self.press("ArrowDown", "-")
            self.assertEqual(self.shown()[:2], ["assets", "funding"], address)
            self.press("+")
            self.assertIn("cash", self.shown())
            self.assertEqual(self.violations(), [])
