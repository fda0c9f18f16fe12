"""A list made longer in the browser, with the figures looked at before and after; a draft that moves the
group, looked through."""

import re

from playwright.sync_api import expect

from tests.browser.base import BrowserTest


class Lengthening(BrowserTest):
    def figures(self) -> list[str]:
        self.go("/statements/bs/?company=nurseries&year=2026&period=9")
        return [cell.inner_text() for cell in self.page.locator("tbody tr td.num").all()]

    def test_sites_get_a_fourth_digit(self) -> None:
        page = self.page
        before = self.figures()
        self.go("/codes/sites/settings/")
        self.press("l")
        self.type("2")
        self.press("Enter")
        expect(page.locator("#length")).to_contain_text("would lose more than zeros")
        expect(page.locator("#length button")).to_have_count(0)
        page.fill("#new-length", "4")
        page.click("text=Show what it does")
        expect(page.locator("#length table").first).to_contain_text("0310")
        expect(page.locator("#length")).to_contain_text("15 codes")
        expect(page.locator("#length button")).to_be_focused()
        with page.expect_download() as loading:
            page.click("text=All of it as CSV")
        self.assertIn("code of sites,310,0310", loading.value.path().read_text())
        self.assertEqual(self.violations(), [])
        page.locator("#length button").focus()
        self.press("Enter")
        expect(page.locator("[name=max_length]")).to_have_value("4")
        self.assertEqual(self.figures(), before)
        self.press("/")
        self.type("20-11240-")
        expect(page.locator("#found a").first).to_contain_text("20-11240-0120-10")
        self.go("/structures/shared/")
        page.select_option("select[name=company]", "nurseries")
        page.fill("#try", "20-11240-120-10")
        expect(page.locator("#tried")).to_contain_text("Kept as 20-11240-0120-10")
        self.go("/log/")
        page.locator("tbody tr").first.focus()
        expect(page.locator("#proof")).to_contain_text("Lengthened Site from 3 to 4 characters")

    def test_a_draft_tells_what_it_moves_in_the_group(self) -> None:
        page = self.page
        self.go("/statements/bs/?company=nurseries&year=2026&period=9")
        self.press("Shift+D")
        page.fill("#new-draft", "Hail insurance")
        self.press("Enter")
        expect(page.locator(".foot .drafted")).to_contain_text("Hail insurance")
        page.locator("#line-prepaid").focus()
        expect(page.locator("#proof h2").first).to_have_text("Prepayments")
        self.press("l")
        self.type("11455")
        self.press("Enter")
        expect(page.locator("#line-prepaid")).to_contain_text("+18,400.00")
        # The script sets the address once the page is parsed, a moment after the figure can be seen.
        expect(page).to_have_url(re.compile(r"[?&]draft=\d+"))
        self.press("Shift+C")
        page.wait_for_url("**/drafts/**")
        self.press("w")
        page.wait_for_url("**/moves/**")
        row = page.locator("tr[data-row=group-bs-prepaid-fernhollow]")
        expect(row).to_contain_text("+18,400.00")
        row.focus()
        expect(page.locator("#proof")).to_contain_text("11455")
        page.click("text=The consolidated statement as the draft has it")
        expect(page.locator("tr[data-row=prepaid] td").last).to_have_text("220")
        expect(page).to_have_url(re.compile(r"[?&]draft=\d+"))
        address = page.url
        other = self.open("m.okafor")
        other.goto(address)
        expect(other.locator("main")).to_contain_text("You work on what is published.")
        other.keyboard.press("Enter")
        expect(other.locator("tr[data-row=prepaid] td").last).to_have_text("220")
        other.goto(address.replace("draft=", "draft=none&was="))
        expect(other.locator("main")).to_contain_text("This link shows what is published.")
        other.keyboard.press("Enter")
        expect(other.locator("tr[data-row=prepaid] td").last).to_have_text("202")
        other.context.close()
