"""Where a code is named: every cell once, in words, and nothing that only looks like it."""

from __future__ import annotations

from unittest import TestCase

from core.changes.fixed import NOTHING_POSTED
from core.changes.kinds import DeleteCode, check
from core.definitions.tables import (
    AccountString,
    ChartSegment,
    Code,
    CodeName,
    Company,
    CompanyAccount,
    Elimination,
    Group,
    Hierarchy,
    HierarchyNode,
    Mapping,
    Overlay,
    OverlayCode,
    PairingCondition,
    PairingRule,
    QuickCode,
)
from core.references.cells import cells
from core.references.uses import of_code
from core.tests.builders import state
from core.tests.test_figures import BALANCE

WORLD = state(
    *BALANCE,
    Group("g", "G", "GBP", "c"),
    Mapping("g", "beta", 10, "1020 to 1110", "site", "002", "1010"),
    Mapping("g", "beta", 20, "1110", target="3010"),
    Elimination("g", "e", 10, "E", "1810, 2810", True, "2010"),
    PairingRule("c", "r", 10, "site", "never", "001"),
    PairingCondition("c", "r", "account", "under 1 except 1020"),
    ChartSegment("c", "site", False, "001"),
    AccountString("c", "10-1010-1"),
    QuickCode("c", "till", account="10-1020", dimensions="season=SP26"),
    CodeName("site", "001", "nl", "Noord"),
    Overlay("o", "Local"),
    OverlayCode("o", "acc", "1010", "512", "Banque"),
    CompanyAccount("alpha", "1020", "EUR"),
    Hierarchy("alt", "acc", "Other"),
    HierarchyNode("alt", "1"),
    HierarchyNode("alt", "11", "1", intake="1110"),
)


class Naming(TestCase):
    maxDiff = None

    def test_where_codes_are_named(self) -> None:
        cases = [
            (
                "acc",
                "1010",
                ["the listed account string 10-1010-1 of c", "overlay o", "the mapping of beta into g"],
            ),
            (
                "acc",
                "1020",
                [
                    "a condition of pairing rule r of c",
                    "quick code till of c",
                    "the accounts of company alpha",
                ],
            ),
            (
                "acc",
                "1110",
                ["the intake of 11 in Other", "line Debtors of Balance sheet", "the mapping of beta into g"],
            ),
            (
                "acc",
                "1",
                [
                    "10 stands below it in Tree",
                    "11 stands below it in Tree",
                    "11 stands below it in Other",
                    "a condition of pairing rule r of c",
                ],
            ),
            (
                "acc",
                "1810",
                [
                    "line Debtors of Balance sheet",
                    "the intercompany pair of alpha and beta",
                    "the intercompany pair of beta and alpha",
                    "elimination e of g",
                ],
            ),
            ("acc", "2010", ["elimination e of g"]),
            ("acc", "5020", []),
            (
                "site",
                "001",
                [
                    "the default of site in c",
                    "pairing rule r of c",
                    "the listed account string 10-1010-1 of c",
                ],
            ),
            ("site", "002", ["the mapping of beta into g"]),
            ("season", "SP26", ["quick code till of c"]),
            ("season", "AU26", []),
            ("co", "20", ["the code of company beta"]),
            (
                "co",
                "10",
                [
                    "the listed account string 10-1010-1 of c",
                    "quick code till of c",
                    "the code of company alpha",
                ],
            ),
        ]
        for code_list, code, expected in cases:
            with self.subTest(code=code):
                self.assertCountEqual([use.sentence for use in of_code(WORLD, code_list, code)], expected)

    def test_a_cell_is_told_once_and_only_for_its_own_list(self) -> None:
        for name in ("acc", "site", "season", "co"):
            found = [(type(cell.row), cell.row, cell.column) for cell in cells(WORLD, name)]
            self.assertEqual(len(found), len(set(found)), name)
        self.assertEqual({type(cell.row) for cell in cells(WORLD, "season")}, {AccountString, QuickCode})
        self.assertEqual(list(cells(WORLD, "none")), [])

    def test_what_names_a_code_keeps_it_from_being_deleted(self) -> None:
        told = check(WORLD, DeleteCode("acc", "1020"), NOTHING_POSTED)
        self.assertIn("1020 Petty cash is used: quick code till of c.", [fault.what for fault in told])
        self.assertEqual(check(WORLD, DeleteCode("season", "AU26"), NOTHING_POSTED), [])
        self.assertEqual(Code("season", "AU26", "Autumn"), WORLD.get(Code, "season", "AU26"))
        self.assertIsNotNone(WORLD.get(Company, "alpha"))
