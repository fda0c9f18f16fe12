"""The group's figures, walked: a rate is missing, a share changes, a figure opens."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from tests.browser.base import BrowserTest

BALANCE = "/group/fernhollow/?statement=bs&year=2026&period="


class OfTheGroup(BrowserTest):
    def test_a_rate_missing_is_named_keyed_and_the_figure_comes(self) -> None:
        page = self.page
        self.go(f"{BALANCE}10")
        waits = "waits for the closing rate of EUR to GBP between 2026-10-01 and 2026-10-31"
        expect(page.locator("#proof p.must", has_text="Veenbol")).to_have_text(f"Veenbol {waits}.")
        expect(page.locator("thead")).not_to_contain_text("Veenbol")
        page.click("text=Key rates")
        page.wait_for_url("**/rates/**")
        self.press("c")
        page.click(".foot a:has-text('EUR')")
        expect(page.locator("[data-row=period-22] td").nth(1)).to_have_text("0.874054")
        self.press("n")
        for name, value in (
            ("from_currency", "EUR"),
            ("to_currency", "GBP"),
            ("kind", "closing"),
            ("on", "2026-10-31"),
            ("rate", "0.88"),
        ):
            field = page.locator(f"tr.editing [name={name}]")
            if field.evaluate("el => el.tagName") == "SELECT":
                field.select_option(value)
            else:
                field.fill(value)
        self.press("Enter")
        expect(page.locator("[data-row=period-23] td").nth(1)).to_have_text("0.880000")
        self.press("Escape")
        self.go(f"{BALANCE}10&in=whole")
        expect(page.locator("thead")).to_contain_text("Veenbol")
        expect(page.locator("#proof p.must", has_text="Veenbol")).to_have_count(0)

    def test_a_figure_opens_down_to_a_line_in_a_foreign_currency(self) -> None:
        page = self.page
        self.go(f"{BALANCE}9")
        row = page.locator("tr[data-row=receivables]")
        row.focus()
        self.press("Enter")
        expect(page.locator("#proof h2").first).to_contain_text("Trade receivables, Group:")
        page.click("#proof button:has-text('Veenbol')")
        expect(page.locator("#proof")).to_contain_text("Books, translated")
        account = page.locator("#proof table[aria-label='Own accounts'] tr", has_text="11210")
        expect(account).to_contain_text("0.874054")
        account.locator("button").click()
        expect(page.locator("#proof h2").first).to_contain_text("Veenbol, by period")
        page.click("#proof tr:has-text('September 2026') a")
        page.wait_for_url("**/journals/veenbol/account/11210/**")
        page.locator("#work tbody tr").first.focus()
        self.press("Enter")
        page.wait_for_url(re.compile(r"/journals/veenbol/journal/VE-\d+/"))
        expect(page.locator("body")).to_contain_text("EUR")
        page.go_back()
        page.click("text=Back to the figure")
        page.wait_for_url("**/group/fernhollow/?statement=bs**")

    def test_columns_units_comparison_stay_in_the_address(self) -> None:
        page = self.page
        self.go(f"{BALANCE}9")
        expect(page.locator("tr[data-row=cash] td").last).to_have_text("14,259")
        page.click("thead a:has-text('Skovlund')")
        page.wait_for_url("**open=skovlund**")
        expect(page.locator("thead")).to_contain_text("Trials")
        self.press("i")
        page.click(".foot a:has-text('whole')")
        expect(page.locator("tr[data-row=cash] td").last).to_have_text(re.compile(r"^14,2\d\d,\d\d\d$"))
        self.press("v")
        page.click(".foot a:has-text('the year before')")
        page.wait_for_url("**than=year**")
        expect(page.locator("thead")).to_contain_text("September 2025")
        expect(page.locator("thead th")).to_have_count(5)
        address = page.url
        self.go("/group/fernhollow/")
        page.goto(address)
        expect(page.locator("thead")).to_contain_text("September 2025")

    def test_each_step_opens_into_its_entries(self) -> None:
        page = self.page
        self.go("/group/fernhollow/steps/?year=2026&period=9&in=whole")
        page.click("tr[data-row=fernhollow] td:nth-child(7) a")
        table = page.locator("#proof table.entries")
        expect(table).to_contain_text("12610 Goodwill")
        debit, credit = table.locator("tr.heading td.num").all_inner_texts()
        self.assertEqual(debit, credit)
        expect(page.locator("#proof")).to_contain_text("60 % of Corran Cut Flowers on 2026-04-01")
        page.click("tr[data-row=veenbol] td:nth-child(5) a")
        expect(page.locator("#proof")).to_contain_text("Net assets then, by the change of the rate")
        self.press("q")
        page.wait_for_url("**/equity/**")
        expect(page.locator("tr[data-row=equity] td").last).not_to_have_text("—")

    def test_two_sides_disagree_for_a_line_that_is_found(self) -> None:
        page = self.page
        self.go(f"{BALANCE}9")
        page.click("text=Their lines without a twin")
        page.wait_for_url("**/sides/**")
        page.locator("tr[data-row=balances-hexley-nurseries]").focus()
        expect(page.locator("#proof")).to_contain_text("N2609")
        expect(page.locator("#proof")).to_contain_text("These lines explain 2,250.00.")
        page.click("#proof a:has-text('Plants from Nurseries')")
        page.wait_for_url("**/journals/hexley/journal/**")

    def test_a_share_changed_in_a_draft_stands_beside_what_is_published(self) -> None:
        page = self.page
        self.go("/group/fernhollow/members/?on=2026-09-30")
        self.press("Shift+D")
        page.fill("#new-draft", "Buy more of Corran")
        self.press("Enter")
        expect(page.locator(".foot .drafted")).to_contain_text("Buy more of Corran")
        expect(page.locator("[data-row=stake-corran]")).to_contain_text("60 %")
        page.locator("[data-sheet=members] tr[data-row=corran]").focus()
        self.press("Enter")
        self.fill_cell("ownership", "75")
        self.press("Enter")
        expect(page.locator("[data-row=stake-corran]")).to_contain_text("75 %")
        self.go(f"{BALANCE}9&in=whole")
        self.press("v")
        page.click(".foot a:has-text('what is published')")
        page.wait_for_url("**than=published**")
        expect(page.locator("thead")).to_contain_text("Published")
        now, published, change, _ = page.locator("tr[data-row=minority] td.num").all_inner_texts()
        self.assertEqual(whole(now) - whole(published), whole(change))
        self.assertLess(whole(change), -40_000)
        same = page.locator("tr[data-row=cash] td.num").all_inner_texts()
        self.assertEqual(same[0], same[1])
        self.press("Shift+C")
        page.wait_for_url("**/drafts/**")
        self.press("w")
        page.wait_for_url("**/moves/**")
        expect(page.locator("tr[data-row=group-bs-minority-fernhollow]")).to_be_visible()

    def test_a_period_is_kept_holds_its_rates_and_says_what_moved(self) -> None:
        page = self.page
        self.go("/group/fernhollow/period-end/?year=2026&period=9")
        expect(page.locator("tr[data-row=hexley]")).to_contain_text("not ready")
        self.press("i")
        self.type("Sent to the board as it stands")
        self.press("Enter")
        expect(page.locator("tr[data-row=period-9]")).to_contain_text("as it was kept")
        self.press("k")
        page.wait_for_url("**/rates/**")
        self.press("Shift+F")
        expect(page.locator("#feed tbody tr")).to_have_count(14)
        self.press("Shift+T")
        expect(page.locator("#told")).to_contain_text(
            "September 2026 of fernhollow is kept with its rates, by Mirela Okafor."
        )
        self.press("r")
        page.wait_for_url("**/period-end/**")
        page.locator("form[hx-post*=release] [name=why]").fill("The bank corrected them")
        self.press("Enter")
        expect(page.locator("tr[data-row=period-9]")).to_contain_text("released")
        self.press("k")
        page.wait_for_url("**/rates/**")
        self.press("Shift+F")
        expect(page.locator("#feed tbody tr")).to_have_count(14)
        self.press("Shift+T")
        expect(page.locator("#feed tbody tr")).to_have_count(0)
        self.press("r")
        page.wait_for_url("**/period-end/**")
        expect(page.locator("tr[data-row=period-9]")).to_contain_text("moved")
        self.press("m")
        page.wait_for_url("**/kept/**")
        expect(page.locator("#moved thead")).to_contain_text("Rates")
        kept, rates, moved, now = page.locator("tr[data-row=cash] td.num").all_inner_texts()
        self.assertEqual((rates, cents(kept) + cents(rates)), (moved, cents(now)))
        self.assertEqual(self.violations(), [])

    def test_a_pair_is_accepted_and_a_line_adjusted_until_the_next_month(self) -> None:
        page = self.page
        self.go("/group/fernhollow/sides/?year=2026&period=9")
        page.locator("tr[data-row=balances-hexley-nurseries]").focus()
        expect(page.locator("#proof")).to_contain_text("What is known of it")
        page.select_option("#proof [name=state]", "accepted")
        page.fill("#proof [name=up_to]", "2,500.00".replace(",", ""))
        page.fill("#proof [name=note]", "On the road at the month's end")
        self.press("Enter")
        expect(page.locator("tr[data-row=balances-hexley-nurseries]")).to_contain_text("accepted")
        self.go(f"{BALANCE}9&open=skovlund")
        page.locator("tr[data-row=payables]").focus()
        self.press("Enter")
        page.click("#proof button:has-text('Skovlund Seed')")
        expect(page.locator("#proof")).to_contain_text("Adjust it")
        self.press("j")
        page.wait_for_url("**/journals/skovlund-rules/new/**")
        expect(page.locator("#entry-head [name=date]")).to_have_value("2026-09-30")
        line = page.locator("#entry tbody tr")
        expect(line.nth(0).locator("[name=account]")).to_have_value("42-21110")
        line.nth(0).locator("[name=credit]").fill("1000")
        line.nth(1).locator("[name=account]").fill("42-61110")
        line.nth(1).locator("[name=debit]").fill("1000")
        self.press("Alt+r")
        page.select_option("[name=then]", "reverses")
        expect(page.locator("#entry-further")).to_contain_text(
            "2026-10-01: Reversal of Adjustment of Trade payables"
        )
        self.assertEqual(self.violations(), [])
        self.press("Control+Enter")
        page.wait_for_url("**/journals/skovlund-rules/journal/**")
        self.go("/journals/skovlund-rules/")
        expect(page.locator("#work tbody tr").first).to_contain_text(
            "Reversal of Adjustment of Trade payables"
        )


def whole(shown: str) -> int:
    return int(shown.replace(",", "").replace("−", "-"))


def cents(shown: str) -> int:
    return whole(shown.replace(".", ""))
