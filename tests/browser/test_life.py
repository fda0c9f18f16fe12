"""The whole life of a code as a user lives it, by keyboard: added and placed in a draft, published, used,
renamed,
regrouped, closed, with the figures looked at on the way."""

from playwright.sync_api import expect

from tests.browser.base import BrowserTest
from tests.browser.test_story import cents
from web.definitions.models import Draft, Version


class Life(BrowserTest):
    def draft(self, name: str) -> int:
        """Starts a draft from wherever the page is."""
        self.press("Shift+D")
        self.page.locator("#new-draft").fill(name)
        self.press("Enter")
        expect(self.page.locator(".head .drafted")).to_have_text(f"Draft: {name}")
        return Draft.objects.get(name=name).pk

    def publish(self, reason: str) -> None:
        self.press("Shift+C")
        self.page.wait_for_url("**/drafts/*/")
        self.press("i")
        self.type(reason)
        self.press("Enter")
        self.page.wait_for_url("**/log/")
        expect(self.page.locator("tbody tr").first).to_contain_text(reason)

    def test_the_life_of_a_code(self) -> None:
        page = self.page
        self.go("/codes/accounts/?at=11220")
        number = self.draft("Frost cover")

        # Added: proposed from its neighbours, dashed while it is only in the draft.
        page.locator("#row-11220").focus()
        self.press("n")
        expect(page.locator("#editing [name=code]")).to_have_value("11225")
        expect(page.locator("#editing [name=code]")).to_be_focused()
        self.press("Tab")
        self.type("Frost cover deposits")
        self.press("Tab")
        self.type("asset")
        self.press("Enter")
        expect(page.locator("#row-11225.drafted")).to_have_count(1)

        # The list before publishing says what is missing, and leads there.
        self.go(f"/drafts/{number}/")
        missing = page.locator("#publish p.must a")
        expect(missing).to_have_text("11225 Frost cover deposits is on no line of Balance sheet.")
        expect(page.locator("#publish ~ section button.primary")).to_be_disabled()
        missing.click()
        page.wait_for_url("**/statements/bs/**")

        # Placed on a line; then nothing stands in the way.
        self.go("/statements/bs/?company=nurseries&year=2026&period=9")
        page.locator("#line-receivables").focus()
        expect(page.locator("#proof h2").first).to_have_text("Trade receivables")
        self.press("l")
        self.type("11225")
        self.press("Enter")
        expect(page.locator("#line-receivables")).to_contain_text("11225")
        before = cents(page.locator("#line-receivables td.num").last.inner_text())

        # Undone and done again by keys.
        self.press("Control+z")
        expect(page.locator("#line-receivables")).not_to_contain_text("11225")
        self.settle()
        self.press("Control+y")
        expect(page.locator("#line-receivables")).to_contain_text("11225")
        self.publish("Deposits of frost cover get an account of their own")

        # Used: a journal is keyed with it.
        self.go("/journals/nurseries/new/")
        page.wait_for_selector("#entry tbody tr")
        page.locator("[name=date]").first.fill("2026-09-22")
        page.locator("#entry-head [name=description]").focus()
        self.type("Deposit for frost cover")
        self.press("Enter")
        self.type("frost cover")
        expect(page.locator("#options [role=option]")).to_have_count(1)
        self.press("ArrowDown", "Enter")
        expect(page.locator("#entry tbody [name=account]").first).to_have_value("20-11225-")
        self.press("Enter", "Enter")
        self.type("800.00")
        self.press("Enter", "Enter", "Enter", "Enter")
        self.type("48020")
        self.press("Enter", "Enter", "Enter")
        expect(page.locator("#entry-difference")).to_have_text("Difference 800.00")
        self.type("=")
        expect(page.locator("#entry-post")).to_be_enabled()
        self.press("Control+Enter")
        page.wait_for_url("**/journal/NU-*/")
        self.go("/statements/bs/?company=nurseries&year=2026&period=9")
        self.assertEqual(cents(page.locator("#line-receivables td.num").last.inner_text()) - before, 80_000)

        # Renamed at once, its class said to be fixed beforehand.
        self.go("/codes/accounts/?at=11225")
        expect(page.locator("#proof")).to_contain_text(
            "Posted to since 2026-09-22, last on 2026-09-22: 1 line in 1 account string. Its class and kind"
            " are fixed."
        )
        page.locator("#row-11225").focus()
        self.press("Enter")
        page.locator("#editing [name=name]").fill("Frost cover paid ahead")
        self.press("Enter")
        expect(page.locator("#row-11225")).to_contain_text("Frost cover paid ahead")

        # Regrouped on the elevation; what it moves is shown down to the account.
        self.draft("Regrouping")
        self.go("/hierarchies/accounts-tree/elevation/?company=nurseries&zoom=11")
        page.locator("g.post[data-row='11225']").focus()
        expect(page.locator("#proof h2").first).to_contain_text("11225")
        self.press("m")
        self.type("114")
        self.press("Enter")
        expect(page.locator(".legend")).to_contain_text("1 code")
        number = Draft.objects.get(name="Regrouping").pk
        self.go(f"/drafts/{number}/moves/?company=nurseries&year=2026&period=9")
        row = page.locator("tr", has_text="114 Prepayments")
        expect(row).to_contain_text("+800.00")
        row.focus()
        expect(page.locator("#proof")).to_contain_text("Frost cover paid ahead")
        expect(page.locator("#proof")).to_contain_text("comes")
        self.publish("Deposits stand with what was paid ahead")

        # Closed: what still uses it is told before.
        self.go("/codes/accounts/?at=11225")
        page.locator("#row-11225").focus()
        expect(page.locator("#proof h2").first).to_contain_text("Frost cover paid ahead")
        page.locator("#proof [name=until]").fill("2026-12-31")
        expect(page.locator("#closing")).to_contain_text("800.00 GBP stands on it")
        page.locator("#proof [name=until]").press("Enter")
        expect(page.locator("#row-11225")).to_contain_text("2026-12-31")
        self.assertEqual(Version.objects.exclude(reason="").count(), 2)
        self.go("/codes/accounts/doubts/?kind=closed-balance")
        expect(page.locator("tbody")).to_contain_text("800.00 GBP of Fernhollow Nurseries")

    def test_several_rows_and_a_paste(self) -> None:
        page = self.page
        self.go("/codes/accounts/?at=11210")
        self.press("Shift+ArrowDown", "Shift+ArrowDown")
        expect(page.locator("#many [data-count]")).to_have_text("3 chosen")
        page.locator("#until-many").fill("2026-12-31")
        page.click("#many button[value=close]")
        expect(page.locator("#row-11230")).to_contain_text("closed")
        page.locator("#row-11210").focus()
        page.evaluate(
            "() => { const data = new DataTransfer(); data.setData('text/plain', '11226\\tHail"
            " nets\\tasset\\n'); document.dispatchEvent(new ClipboardEvent('paste', { clipboardData: data,"
            " bubbles: true })); }"
        )
        expect(page.locator(".tally")).to_contain_text("1 new")
        page.click("button:has-text('Take them')")
        expect(page.locator("#row-11226")).to_contain_text("Hail nets")

    def test_axe_finds_nothing(self) -> None:
        number = self.draft_with_a_move()
        for address in [
            "/drafts/",
            f"/drafts/{number}/",
            f"/drafts/{number}/moves/",
            "/versions/compare/",
            "/hierarchies/accounts-tree/",
            "/hierarchies/accounts-tree/elevation/",
            "/hierarchies/accounts-tree/compare/",
            "/structures/shared/dimensions/",
            "/codes/accounts/doubts/",
            "/codes/accounts/settings/",
            "/codes/accounts/bring/",
        ]:
            self.go(address)
            with self.subTest(address):
                self.assertEqual(self.violations(), [])

    def draft_with_a_move(self) -> int:
        self.go("/hierarchies/accounts-tree/?at=11210")
        number = self.draft("Looked over")
        self.page.locator("#row-11210").focus()
        expect(self.page.locator("#proof h2").first).to_contain_text("11210")
        self.press("m")
        self.type("113")
        self.press("Enter")
        expect(self.page.locator("#row-11210.drafted")).to_have_count(1)
        return number
