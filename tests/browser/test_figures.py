"""Figures by keyboard: a stretch, only some codes, columns, and a figure down to its lines and back."""

from __future__ import annotations

from decimal import Decimal

from playwright.sync_api import expect

from tests.browser.base import BrowserTest


def amount(text: str) -> Decimal:
    return Decimal(text.replace("\u2212", "-").replace(",", "").replace("—", "0"))


class Figures(BrowserTest):
    def test_from_a_statement_to_the_lines_of_one_season(self) -> None:
        page = self.page
        self.go("/statements/is/?company=nurseries&year=2026&period=9")
        self.press("f")
        page.wait_for_url("**/figures/**")
        self.press("c")
        page.locator(".foot details[open] a", has_text="quarters").click()
        page.wait_for_url("**periods=quarters**")
        heads = page.locator("thead th.num").all_inner_texts()
        self.assertEqual(heads, ["2026-Q1", "2026-Q2", "2026-Q3", "total"])
        *quarters, total = map(amount, page.locator("#line-sales td.num").all_inner_texts())
        self.assertLessEqual(abs(sum(quarters) - total), 2)
        self.press("c")
        page.locator(".foot details[open]").get_by_role("link", name="Season", exact=True).click()
        page.wait_for_url("**by=season**")
        self.press("c")
        page.locator(".foot details[open]").get_by_role("link", name="Season by channel").click()
        page.wait_for_url("**by=season%2Cchannel**")
        expect(page.locator("#proof")).to_contain_text("The columns add up to the total, line by line")
        self.assertEqual(self.violations(), [])

        self.press("f")
        self.type("season=SP26; channel=WEB")
        self.press("Enter")
        page.wait_for_url("**filter=season**")
        expect(page.locator("thead")).to_contain_text("Only season=SP26, channel=WEB")
        page.locator("#line-sales").focus()
        self.press("Enter")
        expect(page.locator("#proof h2").first).to_have_text("Sales, total")
        made_of = sum(map(amount, page.locator("#proof td.num").all_inner_texts()))
        shown = amount(page.locator("#proof b.code").first.inner_text())
        self.assertEqual(made_of, -shown)
        self.press("j")
        page.wait_for_url("**/account/**")
        expect(page.locator(".bar")).to_contain_text("only season=SP26; channel=WEB")
        self.assertEqual(amount(page.locator("#proof b.code").first.inner_text()), made_of)
        self.press("b")
        page.wait_for_url("**/figures/**filter=season**")
        self.assertIn("by=season%2Cchannel", page.url)

    def test_a_matrix_by_mouse_and_by_keys(self) -> None:
        page = self.page
        self.go("/statements/is/figures/?company=nurseries&year=2026&period=9&line=sales")
        total = page.locator("#line-sales td.num").inner_text()
        self.press("t")
        page.wait_for_url("**/statements/is/matrix/**line=sales**")
        page.drag_and_drop("[data-axis=channel]", "[data-slot=across]")
        page.wait_for_url("**across=channel**")
        page.drag_and_drop("[data-axis=channel]", "[data-slot=down]")
        page.wait_for_url("**down=channel**")
        self.assertIn("across=site", page.url)
        expect(page.locator("p.ok").first).to_contain_text("Rows and columns come to the figure of the line")
        self.assertIn(total, page.locator("p.ok").first.inner_text())
        self.press("x")
        page.wait_for_url("**down=site**")
        self.press("c")
        page.locator(".foot details[open]").get_by_role("link", name="Companies").click()
        page.wait_for_url("**across=companies**")
        page.drag_and_drop("[data-axis=season]", "[data-slot=pick]")
        page.wait_for_url("**pick=season**")
        expect(page.locator("#proof .picks [aria-current=true]")).to_have_text("Season")
        self.assertEqual(self.violations(), [])
        page.locator("tbody tr").first.focus()
        self.press("Enter")
        expect(page.locator("#proof h2").first).to_have_text("Sales")
        self.press("j")
        page.wait_for_url("**/account/**filter=site**")

    def test_a_remark_is_printed_as_a_note(self) -> None:
        page = self.page
        self.go("/statements/is/figures/?company=nurseries&year=2026&period=7")
        page.locator("#line-sales").focus()
        self.press("Enter")
        expect(page.locator("#proof textarea")).to_be_visible()
        self.press("y")
        self.type("A wet July")
        page.keyboard.press("Control+Enter")
        expect(page.locator("#notes li")).to_contain_text("Sales A wet July")
        expect(page.locator("#line-sales sup")).to_have_text("1")
        self.assertEqual(self.violations(), [])
        page.get_by_role("button", name="Take note 1 away").click()
        expect(page.locator("#notes")).to_have_count(0)

    def test_several_lines_are_drawn_by_keys(self) -> None:
        page = self.page
        self.go("/statements/is/figures/?company=nurseries&year=2026&period=9&periods=quarters")
        page.locator("tr[data-row=sites]").focus()
        self.press("Shift+ArrowDown")
        expect(page.locator("form.many [data-count]")).to_have_text("2 chosen")
        self.press("g")
        drawn = page.locator("#set")
        expect(drawn.locator("h2")).to_have_text("2 lines by column")
        expect(drawn).to_be_in_viewport()
        expect(drawn.locator("rect")).to_have_count(6)
        page.locator("#work").evaluate("work => work.scrollTo(0, 0)")  # no row half under the heads
        self.assertEqual(self.violations(), [])
        drawn.get_by_text("Without the drawing").click()
        expect(drawn).to_have_count(0)

    def test_a_week_and_the_one_before(self) -> None:
        page = self.page
        self.go("/statements/is/figures/?company=nurseries&year=2026&period=9")
        page.locator(".units a", has_text="week").click()
        page.wait_for_url("**from=2026-09-28&to=2026-10-04**")
        self.press("[")
        page.wait_for_url("**from=2026-09-21&to=2026-09-27**")
        expect(page.locator(".top p")).to_contain_text("2026-09-21 to 2026-09-27")
        page.locator(".units a", has_text="quarter").click()
        page.wait_for_url("**from=2026-07-01&to=2026-09-30**")
        by_days = page.locator("#line-sales td.num").inner_text()
        self.go("/statements/is/figures/?company=nurseries&year=2026&period=9&first=7")
        self.assertEqual(page.locator("#line-sales td.num").inner_text(), by_days)
