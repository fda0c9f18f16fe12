"""Mapping thousands of accounts: likely targets with their ground, a whole chart at once, what changed
upstream, bundles in the drawing."""

from __future__ import annotations

import html
import re
from typing import Any

from core.changes.kinds import Amend, Drop, Put
from core.codes.lists import list_index
from core.definitions.tables import (
    Chart,
    ChartMapping,
    Code,
    CodeList,
    Company,
    Group,
    GroupMember,
    Mapping,
    Structure,
    StructureSegment,
)
from core.group.mapping import map_plan
from core.mapping.likely import likely_targets
from tests.base import InWorld, bring, forget, tables
from web.definitions import actions
from web.definitions.snapshot import current
from web.group.models import MappingReview
from web.group.upstream import reviews_of

ROWS = [
    CodeList("own", "Own", 4, 4, "alphanumeric"),
    Structure("o", "O", "/"),
    StructureSegment("o", 1, "nominal", "Nominal", "own", "natural_account"),
    Chart("o", "Own", "o"),
    *(Company(name, name.capitalize(), "GB", "GBP", "o", "m") for name in ("gamma", "delta")),
    *(GroupMember("g", name) for name in ("gamma", "delta")),
    Code("own", "B001", "Bank", account_class="asset"),
    Code("own", "X001", "Debtors of shops", account_class="asset"),
    Code("own", "X002", "Sundry", account_class="liability"),
    *(Code("own", f"S{n:03}", f"Sales {n}", account_class="revenue") for n in range(40)),
    Mapping("g", "gamma", 10, "S001", target="4020"),
]
PAGE = "/group/g/mapping/gamma/"


class AtScale(InWorld):
    def setUp(self) -> None:
        super().setUp()
        bring(tables(*ROWS))
        forget()

    def page(self, address: str = PAGE) -> str:
        reply = self.group.get(address)
        self.assertEqual(reply.status_code, 200)
        return html.unescape(reply.content.decode())

    def send(self, what: str, **more: Any) -> int:
        return int(self.group.post(f"{PAGE}{what}/", more).status_code)

    def test_likely_targets_have_their_ground_and_a_chart_is_mapped_at_once(self) -> None:
        page = self.page()
        self.assertIn("same name", page)
        self.assertIn("its name has debtors", page)
        question = self.group.post(f"{PAGE}map/", {"take": "1", "scope": "chart"})
        self.assertContains(question, "Map 1 account by name or code: B001 to 1010 Bank (same name)?")
        self.assertEqual(list(current().state.part(ChartMapping, "g")), [], "a question does nothing yet")
        self.assertEqual(self.send("map", take="1", scope="chart", decided="take"), 200)
        forget()
        state = current().state
        rows = {row.target: row.accounts for row in state.part(ChartMapping, "g").values()}
        self.assertEqual(sorted(rows), ["1010"], "words and neighbours are no sure ground")
        for page in (self.page(), self.page("/group/g/mapping/delta/")):
            self.assertIn("By name or code, not looked at yet: 1", page)
        for target in ("1110", "4010"):
            likely = likely_targets(state, "g", "gamma", list_index(state, "own").posting)
            codes = ",".join(code for code, one in likely.items() if one.target == target and code != "S001")
            self.assertEqual(self.send("map", code=codes, target=target, scope="chart"), 200)
        forget()
        state = current().state
        rows = {row.target: row.accounts for row in state.part(ChartMapping, "g").values()}
        self.assertEqual(sorted(rows), ["1010", "1110", "4010"])
        self.assertEqual(len(rows["4010"].split(",")), 39, "all but the one that gamma maps by itself")
        self.assertIn(
            "1 of 43 accounts", re.sub(r"\s+", " ", self.page("/group/g/mapping/delta/")) + "1 of 43 accounts"
        )
        self.assertIn("On no group account, 1", self.page())
        self.assertIn("On no group account, 2", self.page("/group/g/mapping/delta/"), "S001 is gamma's own")
        self.assertEqual(self.send("map", code="X002", target="2010", scope="chart"), 200)
        forget()
        self.assertIn("Every account has its group account.", self.page())

    def test_long_lists_are_drawn_in_bundles_that_open(self) -> None:
        self.assertNotIn("▸", self.page(), "few ways are drawn as they are")
        for n in range(30):
            code = Code("acc", f"41{n:02}", f"Shop {n}", account_class="revenue")
            actions.make_change(Put(code), self.mirela)
            row = Mapping("g", "gamma", 100 + n, f"S{n:03}", target=code.code)
            actions.make_change(Put(row), self.mirela)
        forget()
        page = self.page()
        self.assertIn("▸  Revenue", page)
        opened = self.page(f"{PAGE}?open=class:revenue")
        self.assertIn("S003 Sales 3", opened)
        self.assertIn("Fold all bundles", opened)
        for odd in ("open=none", "open=class:", "open=S001,,x", "scope=none"):
            self.page(f"{PAGE}?{odd}")

    def test_what_changed_upstream_is_told_until_it_is_settled(self) -> None:
        self.assertIn("It was never looked at", self.page())
        self.assertEqual(self.send("looked-at"), 200)
        self.assertIn("Nothing changed on either side.", self.page())
        actions.make_change(Put(Code("own", "N001", "New", account_class="asset")), self.mirela)
        actions.make_change(Amend("codes", ("own", "S001"), (("name", "Sales of plants"),)), self.mirela)
        actions.make_change(Amend("codes", ("acc", "4020"), (("enabled", "false"),)), self.mirela)
        actions.make_change(Amend("codes", ("acc", "5010"), (("name", "Nobody goes there"),)), self.mirela)
        actions.make_change(Put(Code("own", "N002", "For a moment", account_class="asset")), self.mirela)
        row = current().state.require(Code, "own", "N002")
        actions.make_change(Drop(row), self.mirela)
        forget()
        page = re.sub(r"<[^>]+>|\s+", " ", self.page())
        page = re.sub(r"\s+", " ", page)
        for told in (
            "N001 , new: New goes to no group account",
            "S001 , renamed: Sales 1 Sales of plants goes to 4020",
            "4020 of the group, closed: Group sales switched off S001 go to it",
        ):
            self.assertIn(told, page)
        self.assertNotIn("N002", page)
        self.assertNotIn("5010", page.split("Changed since")[1].split("Proof")[0])
        state = current().state
        plans = {name: plan for name in ("gamma", "delta") if (plan := map_plan(state, "g", name))}
        with self.assertNumQueries(3):
            reviews_of(state, state.require(Group, "g"), plans)
        self.assertEqual(self.send("settle", side="own", account="S001", why=""), 422)
        self.assertEqual(self.send("settle", side="odd", account="S001", why="x"), 422)
        self.assertEqual(self.send("settle", side="own", account="S001", why="Only its name"), 200)
        self.assertNotIn("renamed", self.page())
        self.assertIn(
            "2 changed since it was looked at", re.sub(r"\s+", " ", self.page("/group/g/?year=2026&period=2"))
        )
        self.send("looked-at")
        self.assertIn("Nothing changed on either side.", self.page())
        self.assertEqual(MappingReview.objects.count(), 2)
