"""Many companies set at once: accounts open, pairs, periods, a company like another, and the map."""

from __future__ import annotations

import html
import json
import re
from typing import Any

from core.definitions.tables import (
    Code,
    Company,
    CompanyAccount,
    CompanyCode,
    GroupMember,
    IntercompanyPair,
    Period,
)
from tests.base import PineTest, bring, client_of, person, tables_of, world
from web.companies.models import Company as CompanyRow
from web.definitions.models import Version
from web.definitions.snapshot import current
from web.group import kept
from web.people.models import Person

OPEN, PAIRS, PERIODS = "/companies/open/accounts/", "/companies/pairs/matrix/", "/journals/make/periods/"
FURTHER = [
    Code("co", "30", "Delta"),
    Company("delta", "Delta", "GB", "GBP", "c", "m"),
    CompanyCode("delta", "company", "30"),
]


class AtOnce(PineTest):
    def setUp(self) -> None:
        super().setUp()
        bring(world())
        bring(tables_of(FURTHER))
        self.mirela = person("mirela")
        self.client = client_of(self.mirela)
        self.tamsin = client_of(person("tamsin", "company", ("alpha",)))

    def page(self, address: str, **given: Any) -> str:
        reply = self.client.get(address, given)
        self.assertEqual(reply.status_code, 200, reply.content[:300])
        return html.unescape(reply.content.decode())

    def post(
        self, address: str, cells: list[tuple[str, str]] | None = None, status: int = 200, **given: Any
    ) -> str:
        values = {"cells": json.dumps(cells or []), **given}
        reply = self.client.post(address, values, headers={"HX-Request": "true"})
        self.assertEqual(reply.status_code, status, reply.content[:400])
        return html.unescape(reply.content.decode())

    def boxes(self, page: str) -> dict[str, str]:
        """By row the looks of its cells."""
        rows = re.findall(r'<tr[^>]* data-key-row="([^"]+)">(.*?)</tr>', page, re.S)
        return {key: " ".join(re.findall(r'<i class="box (\w+)"', cells)) for key, cells in rows}


class OpenAccounts(AtOnce):
    def test_accounts_are_shut_and_opened_by_cell_and_by_rollup(self) -> None:
        self.assertEqual(self.boxes(self.page(OPEN))["1"], "set set set")
        self.post(f"{OPEN}put/", [("10", "alpha"), ("5010", "beta")], wanted="shut")
        state = current().state
        shut = sorted(row[:2] for row in state.rows(CompanyAccount) if not row.enabled)
        self.assertEqual(shut, [("alpha", "1010"), ("alpha", "1020"), ("beta", "5010")])
        page = self.boxes(self.page(OPEN, open="1,10"))
        self.assertEqual(
            [page[key] for key in ("1", "10", "1010")], ["half set set", "shut set set", "shut set set"]
        )
        self.post(f"{OPEN}put/", [("1", "alpha"), ("5010", "beta")], wanted="open")
        self.assertEqual(list(current().state.rows(CompanyAccount)), [])
        self.assertEqual(self.boxes(self.page(OPEN, only="bank")), {"1010": "set set set"})

    def test_only_what_a_company_uses(self) -> None:
        self.post(f"{OPEN}listing/", company="alpha")
        state = current().state
        self.assertEqual(state.require(Company, "alpha").accounts_open, "listed")
        listed = sorted(code for _, code in state.part(CompanyAccount, "alpha"))
        self.assertEqual(listed, ["1010", "1110", "1810", "2810", "3010", "4010"])
        self.post(f"{OPEN}listing/", company="alpha")
        self.assertEqual(current().state.require(Company, "alpha").accounts_open, "all")

    def test_bad_cells_and_others_are_refused(self) -> None:
        for cells, status in (("[", 422), ("[]", 422), ('[["1010"]]', 422), ('[["9", "alpha"]]', 404)):
            with self.subTest(cells):
                reply = self.client.post(
                    f"{OPEN}put/", {"cells": cells, "wanted": "open"}, headers={"HX-Request": "true"}
                )
                self.assertEqual(reply.status_code, status)
        self.assertEqual(self.client.post(f"{OPEN}put/", {"wanted": "all"}).status_code, 404)
        self.assertIn("open", self.page(f"{OPEN}cell/", row="1010", col="alpha"))
        self.assertEqual(self.client.get(f"{OPEN}cell/", {"row": "1010", "col": "none"}).status_code, 404)
        for address in (OPEN, PAIRS):
            self.assertEqual(self.tamsin.get(address).status_code, 403)


class PairMatrix(AtOnce):
    def test_gaps_are_seen_and_filled_in_both_directions(self) -> None:
        page = self.page(PAIRS)
        self.assertIn("4 sides missing", " ".join(page.split()))
        self.assertEqual(self.boxes(page)["delta"], "gap gap none")
        self.assertIn(
            "proposed as another company of its chart", self.page(f"{PAIRS}cell/", row="delta", col="alpha")
        )
        self.post(f"{PAIRS}propose/", [("delta", "alpha"), ("delta", "beta")])
        state = current().state
        self.assertEqual(state.require(IntercompanyPair, "delta", "alpha")[2:], ("1810", "2810"))
        self.assertEqual(self.boxes(self.page(PAIRS))["delta"], "set set none")
        self.assertIn("Nothing can be proposed", self.post(f"{PAIRS}propose/", [("delta", "delta")], 422))
        self.post(f"{PAIRS}put/", [("alpha", "delta"), ("beta", "delta")], due_from="1110", due_to="2010")
        self.assertEqual(current().state.require(IntercompanyPair, "beta", "delta")[2:], ("1110", "2010"))
        self.assertIn(
            "A pair needs both accounts.", self.post(f"{PAIRS}put/", [("alpha", "delta")], 422, due_from="1")
        )
        self.assertIn(
            "there is no code 9",
            self.post(f"{PAIRS}put/", [("alpha", "delta")], 422, due_from="9", due_to="9"),
        )
        self.post(f"{PAIRS}put/", [("alpha", "delta")], act="drop")
        self.assertIsNone(current().state.get(IntercompanyPair, "alpha", "delta"))

    def test_a_line_between_two_companies_is_tried(self) -> None:
        given = {
            "company": "alpha",
            "partner": "beta",
            "account": "10-1010",
            "amount": "25.50",
            "on": "2026-02-10",
        }
        said = self.page(f"{PAIRS}simulate/", **given, other="20-4010-1")
        self.assertEqual(
            re.findall(r'<td class="code">([^<]+)', said), ["10-1010-", "20-4010-001", "10-2810-", "20-1810-"]
        )
        self.assertEqual(len(re.findall("balances", said)), 2)
        self.assertIn("there is no code 9", self.page(f"{PAIRS}simulate/", **given, other="20-9"))
        self.assertIn(
            "no intercompany pair",
            self.page(f"{PAIRS}simulate/", **{**given, "partner": "delta"}, other="30-4010-1"),
        )


class Periods(AtOnce):
    def put(self, wanted: str, *periods: int, status: int = 200, **given: str) -> str:
        cells = [("m", str(period)) for period in periods]
        values = {"cells": json.dumps(cells), "status": wanted, "year": "2026", **given}
        reply = self.client.post(f"{PERIODS}put/", values, headers={"HX-Request": "true"})
        self.assertEqual(reply.status_code, status, reply.content[:300])
        return html.unescape(reply.content.decode())

    def statuses(self) -> str:
        rows = sorted(current().state.part(Period, "m").values())
        return " ".join(row.status[0] for row in rows if row.fiscal_year == 2026)

    def test_many_close_at_once_and_in_order(self) -> None:
        self.assertEqual(self.boxes(self.page(PERIODS, year="2026"))["m"], "set set set set set")
        self.put("closed", 1, 2)
        self.assertEqual(self.statuses(), "c c o o o")
        asked = self.put("closed", 4)
        self.assertIn("M3 is not closed, and periods close in order. Say why M4 closes before.", asked)
        self.put("restricted", 3)
        self.assertEqual(self.boxes(self.page(PERIODS, year="2026"))["m"], "shut shut half set set")
        self.assertIn("None of these is to be made restricted.", self.put("restricted", 3, status=422))

    def test_opened_again_with_a_reason_and_what_it_touches(self) -> None:
        self.put("closed", 1, 2)
        kept.keep_period("g", 2026, 2, "", [], self.mirela)
        asked = self.put("open", 1)
        said = (
            "M1 is closed, and reopening lets journals in again. M2 closed after it. Both kept M2: what is"
            " posted now moves it since. Say why it is opened."
        )
        self.assertIn(said, " ".join(asked.split()))
        self.put("open", 1, decided="open")
        self.assertEqual(self.statuses(), "c c o o o")
        self.put("open", 1, decided="open", why="A late invoice")
        self.assertEqual(self.statuses(), "o c o o o")
        self.assertEqual(Version.objects.order_by("-version")[0].reason, "A late invoice")

    def test_what_stands_in_a_period(self) -> None:
        cell = self.page(f"{PERIODS}cell/", row="m", col="2", year="2026")
        self.assertEqual(re.findall(r"<td>(\w+)", cell), ["Alpha"])
        self.assertEqual(
            self.client.get(f"{PERIODS}cell/", {"row": "m", "col": "99", "year": "2026"}).status_code, 404
        )
        self.assertEqual(self.tamsin.get(PERIODS).status_code, 200)
        self.assertEqual(self.tamsin.post(f"{PERIODS}put/").status_code, 403)


class LikeAnother(AtOnce):
    FORM = {
        "name": "Newfield",
        "own_code": "70",
        "like": "beta",
        "place": ["pairs", "groups", "access", "accounts"],
    }

    def test_one_page_makes_it_whole(self) -> None:
        Person.objects.get(username="tamsin").companies.set(CompanyRow.objects.filter(company="beta"))
        preview = self.client.post("/new/company/preview/", self.FORM).content.decode()
        self.assertIn("4 intercompany pairs", preview)
        self.assertIsNone(current().state.get(Company, "newfield"))
        self.client.post("/new/company/", self.FORM, headers={"HX-Request": "true"})
        state = current().state
        self.assertEqual(
            state.get(Company, "newfield"), Company("newfield", "Newfield", "GB", "GBP", "c", "m")
        )
        self.assertIsNotNone(state.get(GroupMember, "g", "newfield"))
        self.assertEqual(len(state.part(IntercompanyPair, "newfield")), 2)
        told = "It has no intercompany pair with"
        self.assertNotIn(told, self.page("/companies/newfield/"), "Delta is in no group with it")
        tamsin = Person.objects.get(username="tamsin")
        self.assertEqual(list(tamsin.companies.values_list("company", flat=True)), ["beta", "newfield"])
        self.assertIn("Gave Tamsin company newfield, as beta", tamsin.events.latest("pk").sentence)
        bad = self.client.post("/new/company/preview/", {**self.FORM, "own_code": "7X", "name": ""})
        self.assertIn("The name must be given.", bad.content.decode())

    def test_the_map_draws_what_the_table_says(self) -> None:
        drawing = self.page("/companies/drawn/map/")
        self.assertEqual(
            re.findall(r"<title>(\w+), GB, GBP: (\d+) journals", drawing),
            [("Alpha", "2"), ("Beta", "1"), ("Delta", "0")],
        )
        own = html.unescape(self.tamsin.get("/companies/drawn/map/").content.decode())
        self.assertEqual(re.findall(r"<title>(\w+), GB", own), ["Alpha"])
