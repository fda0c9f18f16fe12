"""What is typed after a key goes into the field that the key opens, in order, however long the answer takes;
and what is typed before a page's scripts stand is kept for them."""

from playwright.sync_api import expect

from tests.browser.base import BrowserTest

DELAYS = (0.0, 0.3, 1.0, 3.0)
"""Seconds by which every answer comes later."""
PACE = 60
"""Milliseconds between two keys, as people type."""


class TypedAhead(BrowserTest):
    def setUp(self) -> None:
        super().setUp()
        self.network = self.page.context.new_cdp_session(self.page)
        self.network.send("Network.enable")

    def slow_down(self, seconds: float) -> None:
        conditions = {
            "offline": False,
            "latency": seconds * 1000,
            "downloadThroughput": -1,
            "uploadThroughput": -1,
        }
        self.network.send("Network.emulateNetworkConditions", conditions)

    def test_a_row_is_keyed_at_any_delay(self) -> None:
        page = self.page
        for number, delay in enumerate(DELAYS):
            with self.subTest(delay=delay):
                self.slow_down(0)
                self.go("/codes/accounts/?at=11220")
                page.locator("#row-11220").focus()
                self.settle()
                self.slow_down(delay)
                page.keyboard.type(f"n1122{number + 5}", delay=PACE)
                page.keyboard.press("Tab")
                page.keyboard.type("Nursery box", delay=PACE)
                expect(page.locator("#editing [name=name]")).to_have_value("Nursery box")
                expect(page.locator("#editing [name=code]")).to_have_value(f"1122{number + 5}")
                self.assertIn("/codes/accounts/", page.url)

    def test_a_key_that_leads_to_a_page_and_what_is_typed_for_it(self) -> None:
        """Its first field takes what is typed while the page before still stands. Between two pages a browser
        itself drops keys, from the moment the new one begins until it is first painted."""
        for delay in DELAYS[2:]:
            with self.subTest(delay=delay):
                self.slow_down(0)
                self.go("/companies/")
                self.slow_down(delay)
                self.page.keyboard.press("Shift+N")
                self.page.keyboard.type("skov", delay=PACE)
                self.page.wait_for_url("**/new/company/**")
                expect(self.page.locator("input:focus")).to_have_value("skov")

    def test_keys_before_the_scripts_stand_are_kept_for_them(self) -> None:
        for delay in DELAYS:
            with self.subTest(delay=delay):
                self.slow_down(delay)
                self.page.goto(f"{self.server.url}/group/fernhollow/?statement=bs", wait_until="commit")
                self.page.locator("tr[data-row=cash]").wait_for()
                self.page.keyboard.press("v")
                expect(self.page.locator(".foot details[open] summary")).to_contain_text("Beside it")
