"""A real Chromium against the real server and database, with the Fernhollow demo."""

from __future__ import annotations

import atexit
import os
from functools import cache
from pathlib import Path
from typing import Any

import axe_playwright_python
from django.conf import settings
from django.db import connection, transaction
from django.test import Client
from playwright.sync_api import Browser, Page, Playwright, expect, sync_playwright

from demo.__main__ import load
from tests.base import CommittingTest, forget, tables_of_database
from tests.serving import Served
from web.people.models import Person

AXE = next(Path(axe_playwright_python.__file__).parent.rglob("axe.min.js"))
CHROMIUM = os.environ.get("PINE_CHROMIUM", "/usr/bin/chromium")
CLOSED_NETWORK = "--host-resolver-rules=MAP * ~NOTFOUND, EXCLUDE localhost, EXCLUDE 127.0.0.1"
DRAWS_BY_ITSELF = ("--disable-gpu", "--disable-gpu-rasterization")
"""Debian's Chromium asks for a graphics card, which would be played by the processor here."""
PATIENCE = 30_000
"""Milliseconds; a busy machine is slow, and a test that waits for what comes does not wait longer than it
must."""
QUIET = ("the server responded with a status of 422", "htmx:sendAbort", "htmx:afterRequest")


class KeptDemo:
    """The demo's rows as PostgreSQL writes them, taken after it was loaded once: brought back in a second for
    each further test of the process. Sequences go on, so what a test adds has numbers of its own."""

    def __init__(self) -> None:
        self.tables: dict[str, bytes] = {}

    def bring(self) -> None:
        if not self.tables:
            load()
            with connection.cursor() as cursor:
                self.tables = {name: self._taken(cursor, name) for name in tables_of_database(cursor)}
            return
        with transaction.atomic(), connection.cursor() as cursor:
            cursor.execute("SET LOCAL session_replication_role = replica")
            for name, rows in self.tables.items():
                with cursor.copy(f"COPY {name} FROM STDIN (FORMAT BINARY)") as copying:
                    copying.write(rows)

    @staticmethod
    def _taken(cursor: Any, name: str) -> bytes:
        with cursor.copy(f"COPY (SELECT * FROM {name}) TO STDOUT (FORMAT BINARY)") as copying:
            return b"".join(bytes(part) for part in copying)


DEMO = KeptDemo()


class Shared:
    """One server, in two worker processes as users have it, and one Chromium for all tests of a process."""

    def __init__(self) -> None:
        self.server = Served(2)
        self.playwright: Playwright = sync_playwright().start()
        expect.set_options(timeout=PATIENCE)
        self.browser: Browser = self.playwright.chromium.launch(
            executable_path=CHROMIUM, args=["--no-sandbox", *DRAWS_BY_ITSELF, CLOSED_NETWORK]
        )
        atexit.register(self.close)

    def close(self) -> None:
        self.browser.close()
        self.playwright.stop()
        self.server.stop()


shared = cache(Shared)


class BrowserTest(CommittingTest):
    """The server runs in processes beside the test; what its workers keep is gone after each test."""

    with_demo = True

    def setUp(self) -> None:
        super().setUp()
        self.server, self.browser = shared().server, shared().browser
        self.trouble: list[str] = []
        if self.with_demo:
            DEMO.bring()
        forget()
        self.page = self.open("m.okafor") if self.with_demo else self.fresh()

    def tearDown(self) -> None:
        self.page.context.close()
        self.server.renew()
        super().tearDown()
        self.assertEqual(self.trouble, [])

    def fresh(self) -> Page:
        """A page of nobody; whatever the browser complains of is kept as trouble."""
        page = self.browser.new_context(
            viewport={"width": 1280, "height": 800}, locale="en-GB", accept_downloads=True
        ).new_page()
        page.set_default_timeout(PATIENCE)
        page.on("pageerror", lambda error: self.trouble.append(str(error)))
        page.on("console", self._console)
        return page

    def open(self, name: str) -> Page:
        """A page of somebody who is signed in."""
        page = self.fresh()
        client = Client()
        client.force_login(Person.objects.get(username=name), "django.contrib.auth.backends.ModelBackend")
        session = client.cookies[settings.SESSION_COOKIE_NAME].value
        page.context.add_cookies(
            [{"name": settings.SESSION_COOKIE_NAME, "value": session, "url": self.server.url}]
        )
        return page

    def _console(self, message: Any) -> None:
        if message.type == "error" and not any(text in message.text for text in QUIET):
            self.trouble.append(message.text)

    def go(self, address: str) -> None:
        self.page.goto(self.server.url + address)
        self.settle()

    def settle(self) -> None:
        """Waits until nothing that was asked for is on its way."""
        expect(self.page.locator("[aria-busy], .htmx-request, .htmx-swapping, .htmx-settling")).to_have_count(
            0
        )

    def press(self, *keys: str) -> None:
        for key in keys:
            self.page.keyboard.press(key)

    def type(self, text: str) -> None:
        self.page.keyboard.type(text)

    def fill_cell(self, name: str, value: str) -> None:
        """A cell of the row that is being edited, once the row has taken focus: what is typed before goes
        there."""
        expect(self.page.locator("tr.editing :focus")).to_have_count(1)
        self.page.fill(f"tr.editing [name={name}]", value)

    def violations(self) -> list[str]:
        self.page.evaluate(AXE.read_text())
        found = self.page.evaluate(
            "axe.run({resultTypes: ['violations'], preload: false,"
            " runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa', 'best-practice']})"
        )
        return [f"{v['id']}: {v['nodes'][0]['html'][:160]}" for v in found["violations"]]
