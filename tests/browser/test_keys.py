"""Keys as docs/keys.md has them, each pressed: what they do, and where focus goes after."""

from __future__ import annotations

from playwright.sync_api import expect

from tests.browser.base import BrowserTest


class Keys(BrowserTest):
    def chosen(self) -> list[str]:
        chosen: list[str] = self.page.eval_on_selector_all(
            "tr[aria-selected=true][data-row]", "rows => rows.map(row => row.dataset.row)"
        )
        return chosen

    def focused(self) -> str:
        return str(
            self.page.evaluate(
                "(document.activeElement.dataset?.row || document.activeElement.name ||"
                " document.activeElement.id || '')"
            )
        )

    def test_rows_are_gone_through_and_chosen_apart(self) -> None:
        page = self.page
        self.go("/codes/accounts/?at=11210")
        expect(page.locator("#row-11210")).to_have_attribute("aria-selected", "true")
        self.press("j", "j")
        self.assertEqual(self.chosen(), ["11230"])
        expect(page.locator("#proof h2").first).to_contain_text("11230")
        self.press("k")
        self.assertEqual(self.chosen(), ["11220"])
        self.press(" ", "ArrowDown", "ArrowDown", " ")
        self.assertEqual(self.chosen(), ["11220", "11240"])
        expect(page.locator("[data-count]").first).to_have_text("2 chosen")
        self.press("Escape")
        self.assertEqual(self.chosen(), ["11240"])
        self.press("Shift+ArrowDown", "Shift+ArrowDown")
        self.assertEqual(len(self.chosen()), 3)

    def test_a_code_is_switched_off_and_on(self) -> None:
        self.go("/codes/accounts/?at=11220")
        expect(self.page.locator("#proof h2").first).to_contain_text("11220")
        self.press("Shift+O")
        expect(self.page.locator("#proof")).to_contain_text(
            "It is switched off: nothing is posted to it, whatever the date."
        )
        self.press("Shift+O")
        expect(self.page.locator("#proof")).to_contain_text("Switch off")

    def test_find_and_menus_give_focus_back(self) -> None:
        page = self.page
        self.go("/codes/accounts/?at=11210")
        expect(page.locator("#row-11210")).to_have_attribute("aria-selected", "true")
        self.press("/")
        self.assertEqual(self.focused(), "q")
        self.type("trial bal")
        expect(page.locator("#found a").first).to_contain_text("Trial balance")
        self.press("Escape")
        self.assertEqual(self.focused(), "11210")
        self.press("Shift+D")
        self.assertEqual(self.focused(), "name")
        self.press("Escape")
        self.assertEqual(self.focused(), "11210")
        self.press("/")
        self.type("fernhollow shared")
        expect(page.locator("#found a").first).to_contain_text("Chart")
        self.press("Enter")
        page.wait_for_url("**/structures/shared/**")

    def test_keys_of_a_statement_line(self) -> None:
        page = self.page
        self.go("/statements/bs/?company=nurseries&year=2026&period=9")
        for key, name in (("Enter", "label"), ("e", "label"), ("s", "accounts"), ("v", "onto")):
            page.locator("#line-receivables").focus()
            self.press(key)
            expect(page.locator(f"#proof [name={name}]:focus")).to_have_count(1)
            expect(page.locator("#proof h2").first).to_have_text("Trade receivables")
            self.press("Escape")
            self.assertEqual(self.focused(), "receivables")
        self.press("ArrowDown")
        page.evaluate(  # an answer that was asked for from the row before comes in now
            """elt => document.body.dispatchEvent(new CustomEvent("htmx:afterSettle", {bubbles: true,
               detail: {target: document.getElementById("proof"), requestConfig: {elt}}}))""",
            page.locator("#line-receivables").element_handle(),
        )
        self.press("e", "N", "e", "w")  # at once: the proof of the line above is still there
        expect(page.locator("#proof h2").first).to_have_text("Grower advances")
        expect(page.locator("#proof [name=label]:focus")).to_have_value("New")

    def test_segments_move_by_key(self) -> None:
        page = self.page
        self.go("/new/structure/")
        self.type("Moving")
        self.press("Tab", "Tab")
        for name, role, codes in (
            ("Account", "natural account", "1 Cash asset"),
            ("Site", "other", "001 North"),
        ):
            self.type(name)
            self.press("Tab")
            self.type(role)
            self.press("Tab", "Tab")
            page.keyboard.insert_text(codes)
            self.press("Alt+n")
        self.press("Control+Enter")
        page.wait_for_url("**/structures/moving/")
        rows = page.locator("[data-sheet=segments] tbody tr")
        expect(rows.nth(0)).to_contain_text("Account")
        rows.nth(0).focus()
        self.press("Alt+ArrowDown")
        expect(rows.nth(0)).to_contain_text("Site")
        expect(rows.nth(1)).to_have_attribute("aria-selected", "true")

    def test_the_difference_is_taken_at_any_speed(self) -> None:
        page = self.page
        self.go("/journals/nurseries/new/")
        page.fill("#entry-head [name=date]", "30 Sep 2026")
        page.locator("#entry tbody [name=account]").first.fill("20-11010")
        page.locator("#entry tbody [name=debit]").first.focus()
        self.type("1234.56")
        for _ in range(5):
            self.press("Tab")
        self.type("20-48020")
        self.press("Tab", "Tab", "Tab")
        self.type("=")
        expect(page.locator("#entry tbody [name=credit]").nth(1)).to_have_value("1234.56")
        expect(page.locator("#entry-head [name=date]")).to_have_value("2026-09-30")
        expect(page.locator("#entry-post")).to_be_enabled()
        page.locator("#entry tbody [name=credit]").nth(1).focus()
        self.press("Alt+s")
        for text in ("invoice", "INV-77", "Harrow Mill"):
            self.type(text)
            self.press("Enter")
        self.press("Escape")
        expect(page.locator("#entry tbody tr").nth(1).locator("[data-source-of]")).to_have_text(
            "invoice INV-77 Harrow Mill"
        )
        self.assertEqual(self.focused(), "description")
        page.locator("#entry-head [name=date]").focus()
        self.press("ArrowDown", "ArrowLeft", "PageUp", "Enter")
        expect(page.locator("#entry-head [name=date]")).to_have_value("2026-08-29")
        expect(page.locator(".day-card")).to_have_count(0)
        page.fill("#entry-head [name=date]", "2026-09-30")
        self.press("Control+Enter")
        page.wait_for_url("**/journal/**")
        page.click("text=INV-77")
        page.wait_for_url("**words=INV-77")
        expect(page.locator("#work tbody tr")).to_have_count(1)
