"""A budget by keyboard: keyed on a line, spread, pasted, beside the figures, taken back, approved."""

from __future__ import annotations

from playwright.sync_api import expect

from tests.browser.base import BrowserTest

PAGE = "/budgets/plan-2026/nurseries/is/"


class Budgets(BrowserTest):
    def figures(self, row: str) -> list[str]:
        return self.page.locator(f'[data-row="{row}"] td.num').all_inner_texts()

    def key(self, row: str, name: str, text: str) -> None:
        """Keys one input of a row and keeps it."""
        self.page.locator(f'[data-row="{row}"] td').first.click()
        self.press("Enter")
        field = self.page.locator(f'tr.editing [name="{name}"]')
        field.fill(text)
        self.press("Enter")

    def test_from_figures_to_a_plan_and_back(self) -> None:
        page = self.page
        self.go("/statements/is/figures/?company=nurseries&year=2026&period=9&budget=plan-2026")
        self.press("b")
        page.wait_for_url("**/budgets/plan-2026/nurseries/is/**")
        self.press("q")
        page.wait_for_url("**across=quarters**")
        self.key("account:41220", "year", "1,200,000")
        row = page.locator('[data-row="account:41220"]')
        expect(row.locator("td.num").last).to_have_text("1,200,000")
        expect(row).to_be_focused()
        expect(page.locator("#proof")).to_contain_text("Keyed 41220 Perennials: The year 2026 1,200,000")
        self.press("=")
        expect(row.locator("td.num").nth(1)).to_have_text("300,000")
        self.assertEqual(self.figures("account:41220")[1:], ["300,000"] * 4 + ["1,200,000"])

        self.key("account:41220", "q1", "=[now] *")
        expect(page.locator("tr.editing .cell-fault")).to_have_text(
            "A value is missing at the end. Correct the amount."
        )
        page.keyboard.press("Escape")
        self.assertEqual(self.violations(), [])
        self.press("z")
        expect(page.locator("#proof")).to_contain_text("Took back: Spread evenly: 41220 Perennials")
        self.assertNotEqual(self.figures("account:41220")[1], "300,000")

        page.locator('[data-row="account:41220"] td').first.click()
        self.press("Enter")
        first = page.locator('tr.editing [name="q1"]')
        expect(first).to_be_focused()
        first.evaluate(
            """el => { const data = new DataTransfer(); data.setData("text/plain", "1\\t2\\t3\\t4");
            el.dispatchEvent(new ClipboardEvent("paste",
            {clipboardData: data, bubbles: true, cancelable: true})); }"""
        )
        self.press("Enter")
        expect(row.locator("td.num").last).to_have_text("10")
        self.assertEqual(self.figures("account:41220")[1:], ["1", "2", "3", "4", "10"])
        page.locator("#per-cent").fill("+100")
        row.locator("td").first.click()
        self.press("g")
        expect(row.locator("td.num").last).to_have_text("20")
        self.press("v")
        page.wait_for_url("**/figures/**budget=plan-2026**")
        expect(page.locator("thead")).to_contain_text("variance")

    def test_a_forecast_goes_on_with_the_plan(self) -> None:
        page = self.page
        self.go("/statements/is/figures/?company=nurseries&year=2026&period=8")
        self.press("c")
        page.locator(".foot details[open]").get_by_role(
            "link", name="forecast: posted, then Plan 2026"
        ).click()
        page.wait_for_url("**forecast=plan-2026**")
        expect(page.locator(".head")).to_contain_text("2026: posted to August 2026, then Plan 2026")
        self.assertEqual(page.locator("thead th.num", has_text="Plan 2026").count(), 4)
        page.locator("#line-sales td.num a").nth(11).click()
        expect(page.locator("#proof")).to_contain_text("All of it is of the budget.")
        expect(page.locator("#proof a", has_text="Its journal lines")).to_have_count(0)
        page.locator("#line-sales td.num a").nth(7).click()
        expect(page.locator("#proof a", has_text="Its journal lines")).to_have_count(1)

    def test_an_approved_budget_offers_nothing_to_key(self) -> None:
        page = self.page
        self.go("/budgets/")
        plan = page.locator("section", has=page.get_by_role("heading", name="Plan 2026"))
        plan.get_by_role("button", name="Approve").click()
        expect(page.locator("main")).to_contain_text("approved")
        self.go(PAGE)
        expect(page.locator("main")).to_contain_text("Plan 2026 is approved: its lines stay as they are.")
        expect(page.locator("#proof")).not_to_contain_text("With the chosen rows")
        page.locator('[data-row="account:41210"] td').first.click()
        self.press("Enter")
        expect(page.locator("tr.editing")).to_have_count(0)
