"""Every key of every screen, pressed: docs/keys.md names just the keys that are there, and none of them does
nothing."""

from __future__ import annotations

import re
from datetime import date
from pathlib import Path
from typing import Any, NamedTuple

from django.contrib.auth import get_user_model
from django.utils import timezone
from playwright.sync_api import Error, Response

from core.changes.kinds import CloseCode, Put
from core.definitions.tables import Dimension
from tests.base import bring
from tests.browser.base import BrowserTest
from web.budgets.models import BudgetAct
from web.definitions import actions, drafting
from web.group import kept
from web.journals.models import HandedIn
from web.requests.models import AccountRequest

KEYS = Path(__file__).parents[2] / "docs/keys.md"
NAMES = {"↑": "ArrowUp", "↓": "ArrowDown", "Del": "Delete"}
SCRIPTED = {
    "Enter",
    "e",
    "Space",
    "Shift+ArrowUp",
    "Shift+ArrowDown",
    "Ctrl+V",
    "j",
    "k",
    "ArrowDown",
    "=",
    "Ctrl+Enter",
    "Alt+R",
    "Alt+S",
    "Esc",
}
"""Keys that scripts know without a button: the stories and test_keys.py press them, and see what they do."""


class Screen(NamedTuple):
    name: str
    address: str
    row: str = ""
    """a row, or what this selects, that has focus before the key is pressed"""
    first: str = ""
    """a key pressed before, and what it brings"""
    brings: str = ""
    clicks: bool = False
    """and that is clicked"""


MATRIX = "/statements/is/matrix/?company=nurseries&year=2026&period=9&line=sales&down=site&across=channel"
INCOME = "/statements/is/figures/?company=nurseries&year=2026&period=9"
SKOVLUND = "/group/fernhollow/?statement=bs&year=2026&period=9&open=skovlund"
SCREENS = (
    Screen("Today", "/today/"),
    Screen("Accounts asked for", "/requests/", "", "ArrowDown", "#proof form"),
    Screen("Codes", "/codes/accounts/", "11220"),
    Screen("Codes", "/codes/accounts/", "11230"),
    Screen("Codes", "/codes/accounts/?at=11298", "11298"),
    Screen("Codes", "/codes/accounts/"),
    Screen("Doubts", "/codes/accounts/doubts/?kind=never-used"),
    Screen("Hierarchy", "/hierarchies/accounts-tree/", "112"),
    Screen("Hierarchy", "/hierarchies/accounts-tree/?zoom=112"),
    Screen("Elevation", "/hierarchies/accounts-tree/elevation/", "112"),
    Screen("Draft", "/drafts/{draft}/"),
    Screen("Structures", "/structures/shared/"),
    Screen("Structures", "/structures/spare/"),
    Screen("Companies", "/companies/", "nurseries"),
    Screen("Rollouts", "/rollouts/", "marsh-end"),
    Screen("What a rollout brings", "/rollouts/of/marsh-end/what/"),
    Screen("Map", "/companies/drawn/map/"),
    Screen("Accounts open", "/companies/open/accounts/", "", "ArrowDown", "#cell button[data-key=l]"),
    Screen("Pairs", "/companies/pairs/matrix/"),
    Screen(
        "Pairs", "/companies/pairs/matrix/", '[data-key-row="corran"] td[data-col]', "ArrowDown", "#cell form"
    ),
    Screen("Periods", "/journals/make/periods/"),
    Screen("Revaluation", "/journals/make/revaluation/"),
    Screen("Overlay", "/overlays/nl/"),
    Screen("Second chart", "/companies/hexley/charts/shared/"),
    Screen("Who may what", "/people/access/"),
    Screen("Trial balance", "/statements/trial-balance/?company=hexley&in=shared&year=2026&period=9"),
    Screen("Audit file", "/exchange/audit-file/nurseries/?year=2026&siren=123456789&overlay=fr"),
    Screen("Chart move", "/companies/hexley/chart-move/?chart=shared&on=2026-10-01&codes=60"),
    Screen("Chart move", "/companies/nurseries/chart-move/?chart=spare&on=2026-10-01"),
    Screen("Company", "/companies/nurseries/"),
    Screen("Company", "/companies/spare/"),
    Screen("Company", "/companies/mate/"),
    Screen("Journals", "/journals/nurseries/"),
    Screen("Year end", "/journals/make/year-end/?year=2026", "nurseries"),
    Screen("Journals", "/journals/nurseries/journal/NU-00001/"),
    Screen("New journal", "/journals/nurseries/new/"),
    Screen("Statement", "/statements/bs/?company=nurseries&year=2026&period=9&folded=fixed", "fixed"),
    Screen("Statement", "/statements/bs/?company=nurseries&year=2026&period=9", "receivables"),
    Screen("Statement", "/statements/bs/?company=nurseries&year=2026&period=9"),
    Screen("Statement", "/statements/is/?company=hexley&year=2026&period=9"),
    Screen("Statement", "/statements/is-veenbol/?year=2026&period=9", "people"),
    Screen("Statement", "/statements/cf/?company=veenbol&year=2026&period=9"),
    Screen("Non-cash pairs", "/statements/cf/non-cash/?company=veenbol&year=2026&period=9", "leases"),
    Screen("Figures", f"{INCOME}&filter=season%3DSP26&folded=gross", "gross"),
    Screen("Figures", f"{INCOME}&by=site,season"),
    Screen("Matrix", "/statements/is/matrix/?company=nurseries&year=2026&period=9&filter=season%3DSP26"),
    Screen("Matrix", MATRIX, "110", "Enter", "#proof a[data-key=j]"),
    Screen("Figures", "/statements/hierarchy/accounts-tree/figures/?company=nurseries&year=2026&period=9"),
    Screen(
        "Figures",
        "/statements/is/figures/?company=nurseries&folded=",
        "sales",
        "Enter",
        "#proof a[data-key=j]",
    ),
    Screen("Budgets", "/budgets/"),
    Screen("Budget", "/budgets/plan-2026/nurseries/is/?across=quarters", "account:41210"),
    Screen("Packs", "/packs/"),
    Screen("Beside", "/statements/bs/beside/?company=nurseries&year=2026&period=9&with=is"),
    Screen("Group", "/group/fernhollow/?statement=is&year=2026&period=9&folded=gross", "gross"),
    Screen("Group", "/group/fernhollow/"),
    Screen("Group", SKOVLUND, "payables", "Enter", "#proof button:has-text('Skovlund Seed')", True),
    Screen("Matrix", "/group/fernhollow/matrix/?statement=is&down=columns&across=quarters"),
    Screen("Ownership", "/group/fernhollow/members/"),
    Screen("Ownership", "/group/fernhollow/members/?on=2026-05-01"),
    Screen("Steps", "/group/fernhollow/steps/"),
    Screen("Rates", "/group/fernhollow/rates/"),
    Screen("Rates", "/group/fernhollow/rates/?year=2026&period=9", "", "Shift+F", "#feed button"),
    Screen("Sides", "/group/fernhollow/sides/?year=2026&period=9"),
    Screen("Sides", "/group/fernhollow/sides/?year=2026&period=9", "balances-hexley-nurseries"),
    Screen("Period end", "/group/fernhollow/period-end/?year=2026&period=7"),
    Screen("As kept", "/group/fernhollow/kept/?year=2026&period=7"),
    Screen("Equity", "/group/fernhollow/equity/"),
    Screen("Mapping", "/group/fernhollow/mapping/hexley/"),
    Screen("Mapping", "/group/fernhollow/mapping/hexley/?open=class:asset"),
    Screen("The list itself", "/codes/accounts/settings/"),
    Screen("Versions", "/log/", "1"),
)
SPARE = {
    "charts": "chart,name,structure\nspare,Spare,fern4\n",
    "companies": (
        "company,name,country,currency,chart,calendar\nspare,Spare,GB,GBP,shared,months\n"
        "mate,Mate,GB,GBP,shared,months\n"
    ),
    "group_members": "group,member\nfernhollow,mate\n",
    "codes": "code_list,code,name,account_class\naccounts,11298,Spare,asset\n",
    "hierarchies": (
        "hierarchy,code_list,name,version_of,holds_from\nold,accounts,Of then,accounts-tree,2026-01-01\n"
    ),
}
"""A chart without a company, a company in no group, one in a group without pairs, a hierarchy of then, a code
that nothing uses."""
REMEMBER = """() => {
  window.stateOf = () => {
    const el = document.activeElement;
    return JSON.stringify([
      location.href, el?.id || el?.name || el?.dataset?.row || el?.textContent?.slice(0, 40),
      document.getElementById('work')?.innerHTML, document.getElementById('proof')?.innerHTML,
      [...document.querySelectorAll('details')].map(d => d.open),
      document.querySelectorAll('[hidden]').length, document.querySelector('dialog[open]')?.id,
      document.getElementById('told')?.textContent]);
  };
  window.stateThen = window.stateOf();
}"""
IS_AS_THEN = "window.stateOf?.() === window.stateThen"
"""Whether the page is as it was when it was remembered; a page that came since remembers nothing."""
SHOWN = """() => [...document.querySelectorAll('[data-key]')]
    .filter(el => el.offsetParent !== null && !el.disabled).map(el => el.dataset.key)"""


def documented() -> dict[str, set[str]]:
    """Keys by screen as docs/keys.md has them, in the words of the page; those of everywhere under an empty
    name."""
    found, of_sections = dict[str, set[str]](), set[str]()
    for line in KEYS.read_text().splitlines():
        cells = [cell.strip() for cell in line.split("|")]
        if len(cells) == 4 and "`" in cells[2]:
            found[cells[1]] = keys_in(cells[2])
        elif line.startswith(("Everywhere", "In every table")):
            found[""] = found.get("", set()) | keys_in(line) | set("123456")
        elif line.startswith("Wherever lines stand in sections"):
            of_sections = keys_in(line)
    for name in ("Statement", "Figures", "Group"):
        found[name] |= of_sections
    return found


def keys_in(text: str) -> set[str]:
    keys = set()
    for key in re.findall(r"`([^`]+)`", text):
        head, plus, last = key.rpartition("+")
        keys.add(f"{head}{plus}{NAMES.get(last, last)}")
    return keys


class EveryKey(BrowserTest):
    def setUp(self) -> None:
        super().setUp()
        who = get_user_model().objects.get(username="m.okafor")
        actions.make_change(CloseCode("accounts", "11230", date(2027, 1, 31)), who)
        bring(SPARE)
        AccountRequest.objects.update(by=who)
        HandedIn.objects.create(by=who, company_id="nurseries", content={"description": "Stamps"})
        kept.keep_period("fernhollow", 2026, 7, "", [], who)
        self.draft = drafting.start("Spring", who, [Put(Dimension("shed", "Shed", "sites"))])
        BudgetAct.objects.create(
            budget="plan-2026",
            company="nurseries",
            fiscal_year=2026,
            sentence="Keyed",
            edits=[[1, "20-41210-110-20", "", None, 1]],
            at=timezone.now(),
        )
        self.sent: list[str] = []
        self.led: set[str] = set()
        self.standing = False
        self.astray: list[str] = []
        self.page.on("response", self._goes_astray)
        self.paused = self.page.context.new_cdp_session(self.page)
        self.paused.on("Fetch.requestPaused", self._keep_from_writing)
        kinds = [{"urlPattern": "*", "resourceType": kind} for kind in ("Document", "XHR", "Fetch")]
        self.paused.send(
            "Fetch.enable", {"patterns": kinds}
        )  # a route of the page's would go without its cache

    def _goes_astray(self, reply: Response) -> None:
        if reply.status >= 400:
            self.astray.append(f"{reply.status} {reply.url}")

    def _keep_from_writing(self, paused: dict[str, Any]) -> None:
        """What would write is only noted, and where a key leads is gone to afterwards: a key is proven by
        what it asks for, and the next one finds all as it was."""
        request, one = paused["request"], {"requestId": paused["requestId"]}
        is_get = request["method"] == "GET"
        if is_get and (self.standing or paused["resourceType"] != "Document"):
            self.paused.send("Fetch.continueRequest", one)
            return
        self.sent.append(request["url"])
        if is_get:
            self.led.add(request["url"])
        self.paused.send("Fetch.fulfillRequest", {**one, "responseCode": 204})

    def stand(self, screen: Screen) -> None:
        self.standing = True
        for _ in range(10):
            try:
                self.page.goto(self.server.url + screen.address.format(draft=self.draft.pk))
                break
            except Error:  # what a key led to was on its way
                self.page.wait_for_timeout(50)
        self.standing = False
        self.focus_row(screen)
        if screen.first:
            self.page.keyboard.press(screen.first)
            self.page.locator(screen.brings).first.wait_for()
        if screen.clicks:
            self.page.locator(screen.brings).first.click()
            self.page.locator("#proof h2", has_text="Adjust it").wait_for()
        self.settle()

    def focus_row(self, screen: Screen) -> None:
        if screen.row:
            selector = screen.row if screen.row.startswith("[") else f'[data-row="{screen.row}"]'
            self.page.locator(selector).first.focus()

    def remember(self) -> None:
        self.page.evaluate(REMEMBER)

    def comes_back(self, screen: Screen) -> bool:
        """Whether the page is as it was once what the key opened is left: then the next key is pressed on
        it."""
        if screen.first:
            return False
        self.page.keyboard.press("Escape")
        for _ in range(8):
            if screen.row and not self.page.evaluate("document.activeElement?.dataset?.row"):
                return False
            if self.page.evaluate(IS_AS_THEN):
                return True
            self.page.wait_for_timeout(20)
        return False

    def does_something(self, key: str) -> bool:
        sent = len(self.sent)
        downloads: list[Any] = []
        self.page.on("download", lambda download: downloads.append(download))
        self.page.keyboard.press(key.replace("Ctrl+", "Control+"))
        for _ in range(150):
            if len(self.sent) > sent or downloads:
                return True
            try:
                if not self.page.evaluate(IS_AS_THEN):
                    return True
            except Error:  # the page is on its way elsewhere
                return True
            self.page.wait_for_timeout(20)
        return False

    def _go_where_they_led(self) -> None:
        for address in sorted(self.led):
            reply = self.page.request.get(address)
            if reply.status >= 400:
                self.astray.append(f"{reply.status} {address}")

    def test_the_keys_of_each_screen(self) -> None:
        named = documented()
        everywhere = named[""]
        idle, unnamed, there = [], [], dict[str, set[str]]()
        for screen in SCREENS:
            self.stand(screen)
            shown = set(self.page.evaluate(SHOWN))
            unnamed += [f"{screen.name}: {key}" for key in sorted(shown - named[screen.name] - everywhere)]
            fresh = shown & named[screen.name] - there.setdefault(screen.name, set())
            there[screen.name] |= fresh
            self.remember()
            is_there = True
            for key in sorted(fresh):
                if not is_there:
                    self.stand(screen)
                    self.remember()
                if not self.does_something(key):
                    idle.append(f"{screen.name}: {key}")
                is_there = self.comes_back(screen)
        self._go_where_they_led()
        missing = [f"{name}: {key}" for name in there for key in sorted(named[name] - there[name] - SCRIPTED)]
        self.assertEqual((idle, unnamed, missing, self.astray), ([], [], [], []))

    def test_the_keys_of_everywhere(self) -> None:
        idle, screen = [], Screen("", "/codes/accounts/?at=11220")
        self.stand(screen)
        there = set(self.page.evaluate(SHOWN)) & documented()[""]
        self.assertGreaterEqual(there, {"1", "2", "3", "4", "5", "6", "/", "x", "g", "Shift+D"})
        for key in sorted(there):
            self.stand(screen)
            self.remember()
            if not self.does_something(key):
                idle.append(key)
        self._go_where_they_led()
        self.assertEqual((idle, self.astray), ([], []))
