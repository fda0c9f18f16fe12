"""The whole path as a user walks it: by keyboard once, by mouse once, and every screen looked over by axe."""

import io

import openpyxl
from playwright.sync_api import expect

from tests.browser.base import BrowserTest
from web.journals.models import Journal


class Story(BrowserTest):
    def figure(self, line: str) -> str:
        return self.page.locator(f"#line-{line} td.num").last.inner_text()

    def test_by_keyboard(self) -> None:
        page = self.page
        self.go("/codes/accounts/?at=11240")
        self.press("n")
        expect(page.locator("#editing input[name=code]")).to_be_focused()
        self.type("11240")
        expect(page.locator("#probe")).to_contain_text("11240 is taken: Grower advances.")
        page.locator("#editing input[name=code]").fill("11245")
        expect(page.locator("#probe")).to_contain_text("Its neighbours are of class asset")
        self.press("Tab")
        self.type("Frost insurance claims")
        self.press("Enter")
        expect(page.locator("#editing .cell-fault")).to_contain_text(
            "11245 Frost insurance claims has no account class."
        )
        expect(page.locator("#editing [name=account_class]")).to_be_focused()
        self.type("asset")
        self.press("Enter")
        expect(page.locator("#row-11245")).to_have_attribute("aria-selected", "true")
        expect(page.locator("#proof")).to_contain_text("Never posted to.")
        # The next one is open already: a list is typed in without a key between.
        expect(page.locator("#editing [name=code]")).to_be_focused()
        self.press("Escape")
        expect(page.locator("#editing")).to_have_count(0)

        self.press("5")
        page.wait_for_url("**/statements/bs/**")
        self.go("/statements/bs/?company=nurseries&year=2026&period=9")
        expect(page.locator("#proof")).to_contain_text("11245")
        before = self.figure("receivables")
        page.locator("#line-receivables").focus()
        expect(page.locator("#proof h2").first).to_have_text("Trade receivables")
        self.press("l")
        self.type("11245")
        self.press("Enter")
        expect(page.locator("#line-receivables")).to_contain_text("11245")
        expect(page.locator("#proof")).not_to_contain_text("11245 Frost")

        self.press("4")
        page.wait_for_url("**/journals/nurseries/")
        self.press("n")
        page.wait_for_selector("#entry tbody tr")
        page.locator("[name=date]").first.fill("2026-09-21")
        page.locator("#entry-head [name=description]").focus()
        self.type("Frost claim agreed")
        self.press("Enter")
        self.type("frost")
        expect(page.locator("#options [role=option]")).to_have_count(1)
        self.press("ArrowDown", "Enter")
        expect(page.locator("#entry tbody [name=account]").first).to_have_value("20-11245-")
        self.press("Enter", "Enter")
        self.type("1,250.00")
        self.press("Enter", "Enter", "Enter", "Enter")
        self.type("48020")
        self.press("Enter", "Enter", "Enter")
        expect(page.locator("#entry-difference")).to_have_text("Difference 1,250.00")
        self.type("=")
        expect(page.locator("#entry-post")).to_be_enabled()
        self.press("Control+Enter")
        page.wait_for_url("**/journal/NU-*/")
        expect(page.locator("h1")).to_have_text("NU-00342")

        self.go("/statements/bs/?company=nurseries&year=2026&period=9")
        after = self.figure("receivables")
        self.assertEqual(cents(after) - cents(before), 125_000)
        page.locator("#line-receivables").focus()
        link = page.locator("#proof a.amount", has_text="1,250.00")
        link.focus()
        self.press("Enter")
        page.wait_for_url("**/account/11245/**")
        expect(page.locator("#work tbody")).to_contain_text("Frost claim agreed")
        page.locator("#work tbody tr").first.focus()
        self.press("Enter")
        page.wait_for_url("**/journal/NU-00342/")

        self.go("/group/fernhollow/?statement=bs&year=2026&period=9")
        row = page.locator("tr[data-row=receivables]")
        expect(row.locator("td").last).to_have_text("4,563")
        row.focus()
        self.press("Enter")
        expect(page.locator("#proof h2").first).to_contain_text("4,563,303.08")
        with page.expect_download() as loading:
            self.press("w")
        book = openpyxl.load_workbook(io.BytesIO(loading.value.path().read_bytes()))
        self.assertTrue(str(book.active["B4"].value).startswith("=ROUND("))

    def test_by_mouse(self) -> None:
        page = self.page
        self.go("/codes/accounts/?at=11410")
        page.click("text=Add code")
        page.fill("#editing [name=code]", "11415")
        page.fill("#editing [name=name]", "Levies paid ahead")
        page.select_option("#editing [name=account_class]", "asset")
        page.click("button:has-text('Add'):not(:has-text('code'))")
        expect(page.locator("#row-11415")).to_be_visible()
        self.settle()
        page.drag_and_drop("#row-11415", "#row-112")
        expect(page.locator("#proof")).to_contain_text("112")
        expect(page.locator("#row-11415")).to_be_visible()

        self.go("/statements/bs/?company=nurseries&year=2026&period=9")
        before = self.figure("prepaid")
        page.drag_and_drop(".card:has-text('11455')", "#line-prepaid")
        expect(page.locator("#line-prepaid.moved")).to_be_visible()
        expect(page.locator("#line-prepaid")).to_contain_text("+18,400.00")
        self.assertEqual(
            cents(page.locator("#line-prepaid td.num").nth(1).inner_text()) - cents(before), 1_840_000
        )
        with page.expect_response("**at=stocks**"):
            page.drag_and_drop("#line-stocks", "#line-fixed")
        self.settle()
        page.click("#line-cash td.num")
        page.click("#proof a.amount")
        page.wait_for_url("**/account/11010/**")
        page.click("text=Back to the figure")
        page.wait_for_url("**/statements/bs/**")

        self.go("/group/fernhollow/mapping/hexley/")
        page.click("button:has-text('Rebates due')")
        expect(page.locator("h1 + p")).to_have_text("30 of 32 accounts placed")
        self.go("/group/fernhollow/?statement=bs")
        page.click("tr[data-row=due-from] td:nth-last-child(2) a")
        expect(page.locator("#proof")).to_contain_text("Hexley Garden Centres")
        with page.expect_download():
            page.click("text=Workbook")

    def test_lines_of_another_company_show_what_they_bring(self) -> None:
        page = self.page
        self.go("/journals/fernhollow/new/")
        page.locator("[name=date]").first.fill("2026-09-21")
        page.select_option("#entry tbody tr:nth-child(1) [name=line_company]", "nurseries")
        page.fill("#entry tbody tr:nth-child(1) [name=account]", "20-61140")
        page.fill("#entry tbody tr:nth-child(1) [name=debit]", "900")
        page.fill("#entry tbody tr:nth-child(2) [name=account]", "10-11010")
        page.fill("#entry tbody tr:nth-child(2) [name=credit]", "900")
        expect(page.locator("#entry-added")).to_contain_text("10-11815")
        expect(page.locator("#entry-added")).to_contain_text("20-21810")
        expect(page.locator("#entry-post")).to_be_enabled()
        page.reload()
        expect(page.locator("#entry tbody tr:nth-child(1) [name=account]")).to_have_value("20-61140")
        expect(page.locator("#entry-post")).to_be_enabled()
        page.click("#entry-post")
        page.wait_for_url("**/journal/FE-*/")
        self.assertEqual(Journal.objects.latest("pk").lines.count(), 4)

    def test_two_users_at_once(self) -> None:
        other = self.open("m.okafor")
        for page in (self.page, other):
            page.goto(f"{self.server.url}/codes/accounts/?at=11240")
            page.keyboard.press("Enter")
            page.wait_for_selector("#editing")
        for page, name, place, says in (
            (self.page, "First name", "#row-11240", "First name"),
            (other, "Second name", "#told", "Mirela Okafor changed this meanwhile"),
        ):
            page.fill("#editing [name=name]", name)
            page.keyboard.press("Enter")
            expect(page.locator(place)).to_contain_text(says)
        other.context.close()

    def test_find_and_keys(self) -> None:
        page = self.page
        self.go("/")
        self.press("/")
        self.type("glasshouses")
        expect(page.locator("#found a").first).to_contain_text("Glasshouses")
        page.locator("#find").fill("")
        self.type("11240")
        self.press("Enter")
        page.wait_for_url("**/codes/accounts/?at=11240")
        self.press("?")
        expect(page.locator("dialog")).to_contain_text("Find anything")
        self.press("Escape")
        for key, part in (
            ("6", "/group/"),
            ("2", "/structures/"),
            ("3", "/companies/"),
            ("4", "/journals/"),
            ("5", "/statements/"),
            ("1", "/codes/"),
        ):
            self.press(key)
            page.wait_for_url(f"**{part}**")

    def test_axe_finds_nothing(self) -> None:
        for address in [
            "/codes/accounts/",
            "/structures/shared/",
            "/companies/",
            "/companies/nurseries/",
            "/journals/nurseries/",
            "/journals/nurseries/new/",
            "/journals/nurseries/journal/NU-00010/",
            "/journals/nurseries/account/11010/",
            "/statements/bs/?company=nurseries",
            "/group/fernhollow/",
            "/group/fernhollow/mapping/hexley/",
            "/log/",
            "/exchange/",
            "/codes/new-list/",
            "/exchange/journals/nurseries/",
        ]:
            self.go(address)
            rows = self.page.locator("table[data-rows] tbody tr[tabindex]")
            if rows.count():
                rows.first.focus()
                self.settle()
            with self.subTest(address):
                self.assertEqual(self.violations(), [])

    def test_the_company_accountant_keeps_to_their_own(self) -> None:
        page = self.open("t.penrose")
        page.goto(f"{self.server.url}/companies/")
        expect(page.locator("tbody tr")).to_have_count(1)
        for address in ("/journals/fernhollow/", "/group/fernhollow/"):
            reply = page.goto(self.server.url + address)
            self.assertEqual(reply and reply.status, 404)
        self.trouble.clear()
        page.context.close()


def cents(shown: str) -> int:
    return int(shown.replace(",", "").replace(".", "").replace("−", "-"))
