"""Help with mapping: what changed upstream, bundles, whole charts."""

from __future__ import annotations

from datetime import date
from unittest import TestCase

from core.changes.of_statements import MapChart
from core.definitions.state import Edit
from core.definitions.tables import ChartMapping, Code
from core.mapping.bundles import Bundle, Bundles
from core.mapping.upstream import AccountChange, account_changes
from core.tests.rich_world import rich_state

BANK = Code("acc", "1010", "Bank", account_class="asset")


def edit(old: Code | None, new: Code | None) -> Edit:
    return Edit("codes", ("acc", "1010"), old, new)


class Upstream(TestCase):
    def test_from_what_an_account_was_to_what_it_is(self) -> None:
        renamed = BANK._replace(name="Banks")
        cases: list[tuple[list[Edit], list[AccountChange]]] = [
            ([edit(None, BANK)], [AccountChange("1010", "new", "", "Bank")]),
            ([edit(BANK, None)], [AccountChange("1010", "gone", "Bank", "")]),
            ([edit(None, BANK), edit(BANK, None)], []),
            ([edit(BANK, renamed)], [AccountChange("1010", "renamed", "Bank", "Banks")]),
            ([edit(BANK, renamed), edit(renamed, BANK)], []),
            (
                [edit(BANK, renamed._replace(account_class="liability"))],
                [AccountChange("1010", "other class", "asset", "liability")],
            ),
            (
                [edit(BANK, BANK._replace(in_use_until=date(2026, 3, 31)))],
                [AccountChange("1010", "closed", "Bank", "in use until 2026-03-31")],
            ),
            (
                [edit(BANK._replace(enabled=False), BANK)],
                [AccountChange("1010", "open again", "Bank", "switched off")],
            ),
            ([edit(BANK, BANK._replace(rollup=True))], [AccountChange("1010", "gone", "Bank", "")]),
            ([edit(BANK._replace(rollup=True), BANK)], [AccountChange("1010", "new", "", "Bank")]),
            ([edit(BANK, BANK._replace(notes="x"))], []),
        ]
        for edits, wanted in cases:
            with self.subTest(str(wanted)):
                self.assertEqual(account_changes(edits), wanted)


class Drawn(TestCase):
    def test_bundles_open_into_what_is_below(self) -> None:
        state = rich_state()
        accounts = ("1010", "1020", "1110", "2010", "4010")
        cases: list[tuple[tuple[str, ...], list[Bundle]]] = [
            (
                (),
                [
                    Bundle("1", "Assets", 3, True),
                    Bundle("class:liability", "liability", 1, True),
                    Bundle("class:revenue", "revenue", 1, True),
                ],
            ),
            (
                ("1", "class:revenue"),
                [
                    Bundle("10", "Cash", 2, True),
                    Bundle("11", "Receivables", 1, True),
                    Bundle("class:liability", "liability", 1, True),
                    Bundle("4010", "Sales", 1, False),
                ],
            ),
        ]
        for opened, wanted in cases:
            with self.subTest(opened):
                self.assertEqual(Bundles(state, "acc", opened).told(accounts), wanted)

    def test_a_chart_is_mapped_row_by_target(self) -> None:
        state = rich_state()
        change = MapChart("g", "d", ("SL", "IC"), "4010")
        self.assertEqual(change.sentence(state), "Mapped SL, IC of chart d to 4010 in g")
        after = state.edited(change.edits(state))
        self.assertEqual(
            after.get(ChartMapping, "g", "d", 20), ChartMapping("g", "d", 20, "SL, IC", target="4010")
        )
        more = MapChart("g", "d", ("BK",), "4010")
        self.assertEqual(
            after.edited(more.edits(after)).require(ChartMapping, "g", "d", 20).accounts, "SL, IC, BK"
        )
