"""Tables edited in place, walked as a user does: by keyboard and by mouse, a fault on its cell, rows pasted,
undone in a draft."""

from playwright.sync_api import expect

from core.definitions.tables import PairingRule, Period, StructureSegment
from tests.browser.base import BrowserTest
from web.definitions.models import Version
from web.definitions.snapshot import current


class InPlace(BrowserTest):
    def focus(self, sheet: str, key: str) -> None:
        self.page.locator(f"[data-sheet={sheet}] tr[data-row='{key}']").focus()

    def rows(self, sheet: str) -> list[str]:
        return [
            row.get_attribute("data-row") or ""
            for row in self.page.locator(f"[data-sheet={sheet}] tr[data-row]").all()
        ]

    def test_a_rule_by_keyboard(self) -> None:
        page = self.page
        self.go("/structures/shared/")
        self.focus("rules", "sales-crop")
        expect(page.locator("#about h2").first).to_have_text("Pairing rule sales-crop of shared")
        self.press("n")
        expect(page.locator("tr.editing [name=rule]")).to_be_focused()
        expect(page.locator("tr.editing [name=position]")).to_have_value("15")
        self.type("trade-site")
        self.press("Tab")
        self.type("account: 9999")
        self.press("Tab")
        self.type("site")
        self.press("Tab")
        self.type("required")
        self.press("Enter")
        expect(page.locator("tr.editing td:nth-child(3) .cell-fault")).to_have_text(
            "There is no code 9999 in accounts. Correct the selector."
        )
        expect(page.locator("tr.editing [name=when]")).to_be_focused()
        self.type("account: 11240")
        self.press("Enter")
        # Kept, and the next one opened after it.
        expect(page.locator("tr.editing [name=position]")).to_have_value("17")
        expect(page.locator("tr[data-row=trade-site]")).to_contain_text("account: 11240")
        page.wait_for_url("**/structures/shared/?row=rules%3Atrade-site")
        self.press("Escape")
        expect(page.locator("tr.editing")).to_have_count(0)

        page.fill("#try", "20-11240--10")
        expect(page.locator("#tried")).to_contain_text("Site must be given.")
        self.focus("rules", "trade-site")
        self.press("Enter")
        self.fill_cell("message", "Advances name their site.")
        self.press("Enter")
        expect(page.locator("tr[data-row=trade-site]")).to_contain_text("Advances name their site.")
        expect(page.locator("tr[data-row=trade-site]")).to_be_focused()
        self.press("Alt+ArrowUp")
        expect(page.locator("[data-sheet=rules] tr[data-row]").first).to_have_attribute(
            "data-row", "trade-site"
        )
        expect(page.locator("tr[data-row=trade-site]")).to_be_focused()
        self.press("Delete")
        expect(page.locator(".question")).to_contain_text(
            "Pairing rule trade-site of shared goes for good, with 1 condition."
        )
        expect(page.locator(".question button").first).to_be_focused()
        self.press("Escape")
        expect(page.locator("tr[data-row=trade-site]")).to_be_focused()
        self.press("Delete")
        expect(page.locator(".question button").first).to_be_focused()
        self.press("Enter")
        expect(page.locator("tr[data-row=trade-site]")).to_have_count(0)
        self.assertEqual(
            {r.rule for r in current().state.part(PairingRule, "shared").values() if r.position == 10}, set()
        )
        self.assertEqual(self.rows("rules")[0], "sales-crop")

    def test_a_segment_says_what_is_fixed_and_is_changed_by_mouse(self) -> None:
        page = self.page
        self.go("/structures/shared/")
        page.dblclick("[data-sheet=segments] tr[data-row='4'] td:nth-child(3)")
        expect(page.locator("tr.editing").first).to_contain_text("crops fixed")
        expect(page.locator("tr.acts")).to_contain_text("account strings of its structure were posted to")
        self.fill_cell("name", "Crop")
        page.click("tr.acts [data-save]")
        expect(page.locator("[data-sheet=segments] tr[data-row='4']")).to_contain_text("Crop")
        expect(page.locator(".beam")).not_to_contain_text("Crop line")
        self.assertEqual(
            next(s.name for s in current().state.rows(StructureSegment) if s.segment == "crop"), "Crop"
        )

    def test_periods_pasted_and_several_set_at_once(self) -> None:
        page = self.page
        self.go("/companies/nurseries/")
        self.focus("periods", "2026 12")
        rows = (
            "fiscal_year\tperiod\tname\tstarts_on\tends_on\n2027\t1\tJanuary"
            " 2027\t2027-01-01\t2027-01-31\n2027\t2\tFebruary 2027\t2027-02-02\t2027-02-28"
        )
        paste = (
            "text => { const data = new DataTransfer(); data.setData('text/plain', text);"
            " document.activeElement.dispatchEvent(new ClipboardEvent('paste', { clipboardData: data,"
            " bubbles: true, cancelable: true })); }"
        )
        page.evaluate(paste, rows)
        expect(page.locator("[data-sheet=periods] .tally")).to_have_text("1 new 0 changed 0 same 1 fault")
        expect(page.locator("[data-sheet=periods]")).to_contain_text("There is a gap between January 2027")
        expect(page.locator("button:has-text('Take them')")).to_be_disabled()
        self.go("/companies/nurseries/")
        self.focus("periods", "2026 12")
        page.evaluate(paste, rows.replace("02-02", "02-01"))
        expect(page.locator("button:has-text('Take them')")).to_be_focused()
        self.press("Enter")
        expect(page.locator("tr[data-row='2027 1']")).to_be_focused()
        self.press("Shift+ArrowDown")
        bar = page.locator("[data-sheet=periods] form.many")
        expect(bar.locator("[data-count]")).to_have_text("2 chosen")
        bar.locator("[name=column]").select_option("status")
        bar.locator("[name=value]").fill("closed")
        bar.locator("button:has-text('Set')").click()
        expect(page.locator(".question")).to_contain_text(
            "and periods close in order. Say why January 2027 closes before."
        )
        expect(page.locator(".question [name=why]")).to_be_focused()
        self.type("Nobody posts there")
        self.press("Enter")
        expect(page.locator("tr[data-row='2027 2'].closed")).to_have_count(1)
        self.assertEqual(Version.objects.latest("version").reason, "Nobody posts there")
        self.assertEqual(
            {current().state.require(Period, "months", 2027, n).status for n in (1, 2)}, {"closed"}
        )

    def test_in_a_draft_a_member_is_changed_and_undone(self) -> None:
        page = self.page
        self.go("/group/fernhollow/members/")
        self.press("Shift+D")
        page.fill("#new-draft", "Ownership")
        self.press("Enter")
        expect(page.locator(".foot .drafted")).to_contain_text("Ownership")
        self.focus("members", "corran")
        self.press("e")
        self.fill_cell("ownership", "75")
        self.press("Enter")
        expect(page.locator("tr[data-row=corran]")).to_have_class("drafted")
        expect(page.locator("tr[data-row=corran]")).to_contain_text("75")
        self.press("Control+z")
        expect(page.locator("tr[data-row=corran]")).to_contain_text("60")

    def test_axe_finds_nothing_while_a_row_is_edited(self) -> None:
        for address, sheet in [
            ("/structures/shared/", "rules"),
            ("/structures/shared/strings/", "quick-codes"),
            ("/companies/", "companies"),
            ("/companies/nurseries/", "pairs"),
            ("/group/fernhollow/members/", "eliminations"),
            ("/group/fernhollow/mapping/hexley/", "mappings"),
        ]:
            self.go(address)
            self.page.locator(f"[data-sheet={sheet}] [data-add]").click()
            expect(self.page.locator("tr.editing").first).to_be_visible()
            with self.subTest(address):
                self.assertEqual(self.violations(), [])
