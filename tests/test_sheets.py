"""Tables edited in place, as a page acts on them: rows kept and refused, several at once, files out and in,
who may."""

import html
import re
from decimal import Decimal

from core.changes.kinds import ChangeSet, Put
from core.definitions.tables import (
    ChartSegment,
    CompanyCode,
    Elimination,
    GroupMember,
    Mapping,
    PairingCondition,
    PairingRule,
    Period,
)
from tests.base import bring
from tests.sheet_test import CALENDAR, GROUP, RULE, STRUCTURE, SheetTest
from web.definitions import actions
from web.definitions.models import Version
from web.definitions.snapshot import current
from web.sheets.pages import SHEETS


class Sheets(SheetTest):
    def test_a_row_is_kept_or_told_what_is_wrong_on_its_cell(self) -> None:
        there = "/structures/c/?row="
        period = {
            "fiscal_year": "2026",
            "period": "5",
            "name": "M5",
            "starts_on": "2026-05-01",
            "ends_on": "2026-05-31",
            "kind": "regular",
            "status": "open",
        }
        member = {"member": "alpha", "member_kind": "company", "method": "full", "ownership": "80"}
        cases: list[tuple[str, dict[str, str], str, dict[str, str], str]] = [
            ("rules", {"chart": "c"}, "", RULE, f"{there}rules%3Anorth"),
            (
                "rules",
                {"chart": "c"},
                "north",
                {**RULE, "when": "account: 4010; season: SP26"},
                f"{there}rules%3Anorth",
            ),
            (
                "rules",
                {"chart": "c"},
                "",
                RULE,
                (
                    "rule: There is a pairing rule north of c already. Give another one, or change the one"
                    " that is there."
                ),
            ),
            (
                "rules",
                {"chart": "c"},
                "",
                {**RULE, "rule": "x", "when": "account 4010"},
                (
                    "when: 'account 4010' is not written as a segment, a colon and its codes, as in account:"
                    " 11240 to 11249. Correct the cell."
                ),
            ),
            (
                "rules",
                {"chart": "c"},
                "",
                {**RULE, "rule": "x", "when": "account: 4010; account: 4020"},
                "when: account stands twice; join its codes with commas. Correct the cell.",
            ),
            (
                "rules",
                {"chart": "c"},
                "",
                {**RULE, "rule": "x", "when": "account: 9999"},
                "when: There is no code 9999 in acc. Correct the selector.",
            ),
            (
                "rules",
                {"chart": "c"},
                "",
                {**RULE, "rule": "x", "outcome": ""},
                "outcome: The column outcome must be given. Fill the cell.",
            ),
            (
                "mappings",
                {"group": "g", "company": "beta"},
                "",
                {"position": "10", "accounts": "1010", "field": "", "codes": "", "target": "1020"},
                f"{there}mappings%3A10",
            ),
            (
                "mappings",
                {"group": "g", "company": "beta"},
                "",
                {"position": "20", "accounts": "1110", "field": "", "codes": "", "target": "1110"},
                f"{there}mappings%3A20",
            ),
            (
                "mappings",
                {"group": "g", "company": "beta"},
                "10",
                {"position": "20", "accounts": "1010", "field": "", "codes": "", "target": "1020"},
                (
                    "position: There is a mapping row beta 20 of g already. Give another one, or change the"
                    " one that is there."
                ),
            ),
            (
                "mappings",
                {"group": "g", "company": "beta"},
                "10",
                {"position": "15", "accounts": "1010", "field": "", "codes": "", "target": "1020"},
                f"{there}mappings%3A15",
            ),
            (
                "segments",
                STRUCTURE,
                "3",
                {
                    "position": "3",
                    "segment": "site",
                    "name": "Place",
                    "code_list": "site",
                    "role": "other",
                    "required": "on",
                    "default_code": "001",
                },
                f"{there}segments%3A3",
            ),
            (
                "segments",
                STRUCTURE,
                "2",
                {
                    "position": "2",
                    "segment": "account",
                    "name": "Account",
                    "code_list": "acc",
                    "role": "other",
                    "required": "on",
                    "default_code": "",
                },
                (
                    "role: The role can't change from natural_account any more because account strings of its"
                    " structure were posted to. Close it and add a new one."
                ),
            ),
            (
                "companies",
                {},
                "",
                {
                    "company": "gamma",
                    "name": "Gamma",
                    "country": "GB",
                    "currency": "GBP",
                    "chart": "c",
                    "calendar": "m",
                    "codes": "",
                },
                f"{there}companies%3Agamma",
            ),
            (
                "companies",
                {},
                "gamma",
                {
                    "company": "gamma",
                    "name": "Gamma",
                    "country": "GB",
                    "currency": "GBP",
                    "chart": "c",
                    "calendar": "m",
                    "codes": "77",
                },
                "codes: Company: there is no code 77. Choose a code of co or add it there.",
            ),
            (
                "companies",
                {},
                "gamma",
                {
                    "company": "gamma",
                    "name": "Gamma",
                    "country": "GB",
                    "currency": "GBP",
                    "chart": "c",
                    "calendar": "m",
                    "codes": "10, 20",
                },
                f"{there}companies%3Agamma",
            ),
            (
                "pairs",
                {"company": "gamma"},
                "alpha",
                {"partner": "alpha", "due_from": "1810", "due_to": "2810"},
                f"{there}pairs%3Aalpha",
            ),
            (
                "pairs",
                {"company": "gamma"},
                "",
                {"partner": "beta", "due_from": "1", "due_to": "2810"},
                (
                    "due_from: Account: 1 Assets is a rollup code and takes no amounts. Choose a posting code"
                    " below it."
                ),
            ),
            ("periods", CALENDAR, "", period, f"{there}periods%3A2026+5"),
            (
                "periods",
                CALENDAR,
                "2026 5",
                {**period, "starts_on": "2026-06-03"},
                "ends_on: M5 would end before it starts on 2026-06-03. Give a later last day.",
            ),
            ("members", GROUP, "alpha", member, f"{there}members%3Aalpha"),
            (
                "members",
                GROUP,
                "alpha",
                {**member, "ownership": "180"},
                "ownership: Ownership is a percentage from 0 to 100. Correct it.",
            ),
            (
                "strings",
                {"chart": "c"},
                "",
                {"account": "10-1010", "enabled": "on"},
                f"{there}strings%3A10-1010",
            ),
            (
                "quick-codes",
                {"chart": "c"},
                "",
                {"quick_code": "till", "account": "10-1020", "scope": "everyone"},
                f"{there}quick-codes%3Atill",
            ),
            (
                "rates",
                {},
                "",
                {
                    "from_currency": "GBP",
                    "to_currency": "GBP",
                    "kind": "closing",
                    "on": "2026-01-31",
                    "rate": "1.1",
                },
                "to_currency: A rate is between two currencies. Leave the row out.",
            ),
        ]
        for sheet, given, key, cells, expected in cases:
            with self.subTest(sheet=sheet, key=key, cells=cells):
                self.assertEqual(self.keep(sheet, given, key, **cells), expected)
        state = current().state
        self.assertEqual({c.field for c in state.rows(PairingCondition)}, {"account", "season"})
        self.assertEqual(
            sorted((m.position, m.target) for m in state.part(Mapping, "g").values()),
            [(15, "1020"), (20, "1110")],
        )
        self.assertEqual(state.get(ChartSegment, "c", "site"), ChartSegment("c", "site", True, "001"))
        self.assertEqual({c.code for c in state.part(CompanyCode, "gamma").values()}, {"10", "20"})

    def test_a_change_of_two_tables_is_one_version_that_is_taken_back_whole(self) -> None:
        self.keep("rules", {"chart": "c"}, **RULE)
        version = Version.objects.latest("version")
        self.assertEqual((version.rows, version.sentence), (2, "Added pairing rule north of c, and 1 more"))
        self.group.post(f"/log/{version.version}/take-back/", headers={"HX-Request": "true"})
        self.assertEqual([*current().state.rows(PairingRule), *current().state.rows(PairingCondition)], [])

    def test_several_rows_at_once(self) -> None:
        periods = ["2026 1", "2026 2", "2026 3"]

        def several(sheet: str, given: dict[str, str], what: str, act: str, **values: str) -> str:
            reply = self.post(sheet, "several/", given, {"what": what, "act": act, **values})
            return html.unescape(re.sub(r"\s+", " ", re.sub(r"<[^>]+>", "", reply.content.decode())).strip())

        self.assertEqual(
            several("periods", CALENDAR, ",".join(periods), "put", column="status", value="closed"), ""
        )
        self.assertEqual(
            [current().state.require(Period, "m", 2026, n).status for n in (1, 2, 3, 4)],
            ["closed"] * 3 + ["open"],
        )
        self.assertEqual(
            several("periods", CALENDAR, "2026 1", "put", column="status", value="shut"),
            "One of these is expected: open, restricted, closed. Correct the cell.",
        )
        self.assertEqual(
            several("periods", CALENDAR, "2026 1", "put", column="period", value="7"),
            "Choose a column to set.",
        )
        self.assertEqual(
            several("periods", CALENDAR, "2026 2", "delete"),
            "M2 can't be deleted because journals fall into it. Close the period instead.",
        )
        self.assertEqual(
            several("periods", CALENDAR, "", "delete"), "No period is chosen. Choose a row first."
        )
        self.keep(
            "eliminations",
            GROUP,
            position="20",
            elimination="second",
            accounts="4020",
            difference_account="4010",
            partners_only="on",
        )
        self.assertEqual(several("eliminations", GROUP, "second", "up"), "")
        self.assertEqual(
            [
                (e.elimination, e.position)
                for e in sorted(current().state.rows(Elimination), key=lambda e: e.position)
            ],
            [("second", 10), ("e", 20)],
        )
        self.assertEqual(
            several("eliminations", GROUP, "second", "up"),
            "The elimination second of g cannot go up from here.",
        )
        self.assertEqual(
            several("members", GROUP, "alpha,beta", "delete"), "2 members go for good. Delete Leave itEsc"
        )
        self.assertEqual(several("members", GROUP, "alpha,beta", "delete", decided="delete"), "")
        self.assertEqual(list(current().state.rows(GroupMember)), [])
        self.assertEqual(Version.objects.latest("version").sentence, "Deleted 2 rows of group_members")

    def test_every_sheet_opens_a_new_row_with_what_is_proposed(self) -> None:
        given = {"structure": "s", "chart": "c", "calendar": "m", "company": "alpha", "group": "g"}
        given |= {"overlay": "o", "rollout": "r", "second_chart": "c", "statement": "st"}
        bring({"overlays": "overlay,name\no,Local\n", "rollouts": "rollout,name,company\nr,Bring,alpha\n"})
        found = {}
        for name, sheet in SHEETS.items():
            page = self.group.get(
                self.address(name, "row/", {part: given[part] for part in sheet.given})
            ).content.decode()
            self.assertIn("data-save", page, name)
            found[name] = dict(re.findall(r'<input name="(\w+)" value="([^"]+)"', page))
        self.assertEqual(found["segments"], {"position": "4"})
        self.assertEqual(
            found["periods"],
            {
                "fiscal_year": "2026",
                "period": "5",
                "name": "May 2026",
                "starts_on": "2026-05-01",
                "ends_on": "2026-05-31",
            },
        )
        self.assertEqual(found["eliminations"], {"position": "20", "tolerance": "0"})
        self.assertEqual(found["companies"], {})  # nothing is taken over from another company unasked

    def test_rows_together_are_one_change(self) -> None:
        made = actions.make_change(
            ChangeSet(
                (Put(GroupMember("g", "alpha", ownership=Decimal(80))), Put(GroupMember("g", "beta"))), "Both"
            ),
            None,
        )
        self.assertEqual(Version.objects.get(version=made.version).sentence, "Both")
