"""What has just come into a page works at once, before htmx has made it ready."""

from __future__ import annotations

from tests.browser.base import BrowserTest

WATCH = """(what) => new Promise((done) => {
  new MutationObserver((_, watching) => {
    const el = document.querySelector(what);
    if (!el) return;
    watching.disconnect();
    done(el["htmx-internal-data"]?.firstInitCompleted ? "ready" : (el.click(), "used at once"));
  }).observe(document.body, { childList: true, subtree: true });
})"""
"""Uses an element in the very moment in which it is put in, and says whether it was ready then."""


class AtOnce(BrowserTest):
    def test_a_button_pressed_as_it_comes_sends_what_it_should(self) -> None:
        page = self.page
        self.go("/group/fernhollow/rates/?year=2026&period=9")
        with page.expect_response("**/table/rates/bring/**") as sent:
            used = page.evaluate(
                f"() => {{ const used = ({WATCH})('#feed form button');"
                " document.querySelector('[data-key=\"Shift+F\"]').click(); return used; }"
            )
        self.assertEqual(used, "used at once")
        self.assertEqual((sent.value.status, sent.value.request.method), (200, "POST"))
        page.wait_for_url("**row=rates**")
        self.assertNotIn("records=", page.url)
