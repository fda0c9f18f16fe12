"""The server is away, breaks, refuses, or has signed somebody out: each is said, and no keyed line goes."""

from __future__ import annotations

from playwright.sync_api import Route, expect

from demo.__main__ import PASSWORD
from tests.browser.base import BrowserTest

AWAY = "The server does not answer. What you keyed stays here; try again in a moment."
BROKEN = "Something went wrong on our side. What you keyed stays here; try again, or tell who runs this."
EXPECTED = ("Failed to load resource", "htmx:sendError", "htmx:responseError", "Response Status Error Code")


def away(route: Route) -> None:
    route.abort("connectionrefused")


def broken(route: Route) -> None:
    route.fulfill(status=500, content_type="text/html", body="<h1>Server Error (500)</h1>")


class LostConnection(BrowserTest):
    def tearDown(self) -> None:
        self.trouble = [text for text in self.trouble if not any(part in text for part in EXPECTED)]
        super().tearDown()

    def key_a_journal(self) -> None:
        page = self.page
        self.go("/journals/nurseries/new/")
        page.locator("#entry-head [name=date]").fill("2026-09-30")
        page.locator("#entry-head [name=description]").fill("Stakes")
        for row, (side, account) in enumerate((("debit", "20-11240-"), ("credit", "20-11240-"))):
            page.locator("#entry [name=account]").nth(row).fill(account)
            page.locator(f"#entry [name={side}]").nth(row).fill("75.00")

    def assert_all_is_there(self) -> None:
        page = self.page
        expect(page.locator("#entry [name=debit]").first).to_have_value("75.00")
        expect(page.locator("#entry [name=credit]").nth(1)).to_have_value("75.00")
        expect(page.locator("#entry-head [name=description]")).to_have_value("Stakes")

    def test_an_entry_survives(self) -> None:
        page = self.page
        for name, answer, says in (("away", away, AWAY), ("broken", broken, BROKEN)):
            with self.subTest(name):
                page.route("**/journals/nurseries/check/", answer)
                self.key_a_journal()
                expect(page.locator("#told [role=alert]")).to_have_text(says)
                self.assert_all_is_there()
                page.unroute("**/journals/nurseries/check/")
                page.locator("#entry [name=description]").first.press_sequentially("x")
                expect(page.locator("#told [role=alert]")).to_have_count(0)
                expect(page.locator("#entry-difference")).to_have_text("Difference 0")
                page.click("#entry-forget")
                expect(page.locator("#entry [name=debit]").first).to_have_value("")

    def test_what_is_no_longer_waited_for_cannot_be_lost(self) -> None:
        """A check that fails after a newer one was answered neither says so nor brings back what was
        forgotten."""
        page, held = self.page, list[Route]()
        self.key_a_journal()
        expect(page.locator("#entry-difference")).to_have_text("Difference 0")
        page.route(
            "**/journals/nurseries/check/", lambda route: route.continue_() if held else held.append(route)
        )
        first = page.locator("#entry [name=description]").first
        first.press_sequentially("x")
        while not held:
            page.evaluate("null")  # routes are dispatched while the browser is asked something
        with page.expect_response("**/journals/nurseries/check/"):
            first.press_sequentially("y")
        away(held[0])
        page.evaluate("fetch(location.href).then(() => null)")
        expect(page.locator("#told [role=alert]")).to_have_count(0)
        page.click("#entry-forget")
        expect(page.locator("#entry [name=debit]").first).to_have_value("")

    def test_posting_can_be_tried_again(self) -> None:
        page = self.page
        self.key_a_journal()
        for row in (0, 1):
            page.locator("#entry [name=account]").nth(row).fill("20-61140")
        button = page.locator("#entry-post")
        expect(page.locator("#entry-difference")).to_have_text("Difference 0")
        expect(button).to_be_enabled()
        page.route("**/journals/nurseries/post/", away)
        self.press("Control+Enter")
        expect(page.locator("#told [role=alert]")).to_have_text(AWAY)
        expect(button).to_be_enabled()
        self.assert_all_is_there()
        page.unroute("**/journals/nurseries/post/")
        self.press("Control+Enter")
        page.wait_for_url("**/journal/**")
        self.go("/journals/nurseries/new/")
        expect(page.locator("#entry [name=debit]").first).to_have_value("")

    def test_signed_out_and_back(self) -> None:
        page = self.page
        self.key_a_journal()
        expect(page.locator("#entry-difference")).to_have_text("Difference 0")
        page.context.clear_cookies(name="sessionid")
        page.locator("#entry [name=description]").first.fill("for the north bed")
        page.wait_for_url("**/sign-in/**")
        page.fill("[name=username]", "m.okafor")
        page.fill("[name=password]", PASSWORD)
        self.press("Enter")
        page.wait_for_url("**/journals/nurseries/new/")
        self.assert_all_is_there()
        expect(page.locator("#entry [name=description]").first).to_have_value("for the north bed")

    def test_acts_say_so_too(self) -> None:
        page = self.page
        for name, answer, says in (("away", away, AWAY), ("broken", broken, BROKEN)):
            with self.subTest(name):
                self.go("/hierarchies/accounts-tree/?at=11210")
                page.route("**/shift/**", answer)
                page.locator("#row-11210").focus()
                self.press("Alt+ArrowDown")
                expect(page.locator("#told [role=alert]")).to_have_text(says)
                expect(page.locator("#row-11210")).to_have_count(1)
                page.unroute("**/shift/**")
