"""Tables edited in place: what records of cells come to, row by row, and that a sheet goes out and comes back
the same."""

from __future__ import annotations

from unittest import TestCase

from hypothesis import given, strategies as st

from core.bringing import bring
from core.changes.fixed import NOTHING_POSTED, Facts
from core.changes.kinds import Put, apply
from core.definitions.state import State
from core.definitions.tables import Group, GroupMember, Mapping, PairingRule
from core.drafts.replaying import recorded
from core.sheets import Sheet, cells_of, find, moved, place_after, rows_of, take
from core.tests.builders import state

MAPPINGS = Sheet(
    "mappings",
    "mappings",
    "Rows",
    "row",
    ("position", "accounts", "field", "codes", "target"),
    ("group", "company"),
)
MEMBERS = Sheet(
    "members",
    "group_members",
    "Members",
    "member",
    ("member", "member_kind", "method", "ownership", "in_from"),
    ("group",),
)
PERIODS = Sheet(
    "periods",
    "periods",
    "Periods",
    "period",
    ("fiscal_year", "period", "name", "starts_on", "ends_on", "kind", "status"),
    ("calendar",),
)
GIVEN = {"group": "g", "company": "beta"}


def world() -> State:
    return state(
        Group("g", "Both", "GBP", "c"),
        GroupMember("g", "alpha"),
        Mapping("g", "beta", 10, "1010", target="1010"),
        Mapping("g", "beta", 20, "11*", target="1110"),
    )


class Records(TestCase):
    maxDiff = None

    def told(self, sheet: Sheet, given: dict[str, str], text: str) -> list[str]:
        """Rows of tab-separated text, each as: number kind key: differences | faults."""
        found = bring(world(), sheet, given, [line.split("\t") for line in text.split("\n")], NOTHING_POSTED)
        if not found.rows:
            return [f"! {fault.what} {fault.way_out}".strip() for fault in found.faults]
        return [
            " ".join(
                [str(row.number), row.kind, row.code]
                + [f"{name}:{was}>{now}" for name, was, now in row.differences]
                + [f"! {fault.where.column}: {fault.what}" for fault in row.faults]
            ).strip()
            for row in found.rows
        ]

    def test_rows_are_compared_one_by_one(self) -> None:
        cases: list[tuple[Sheet, dict[str, str], str, list[str]]] = [
            (MAPPINGS, GIVEN, "10\t1010\t\t\t1010", ["1 same 10"]),
            (MAPPINGS, GIVEN, "position\ttarget\n10\t1020", ["2 changed 10 target:1010>1020"]),
            (
                MAPPINGS,
                GIVEN,
                "position\ttarget\n40\t1020",
                ["2 fault 40 ! accounts: The column accounts is missing."],
            ),
            (
                MAPPINGS,
                GIVEN,
                "ten\t1010\t\t\t1010",
                ["1 fault ten ! position: A whole number of at most nine digits is expected."],
            ),
            (
                MAPPINGS,
                GIVEN,
                "30\t2010\t\t\t2010\n20\t1110, 1810\t\t\t1110",
                ["1 new 30", "2 changed 20 accounts:11*>1110, 1810"],
            ),
            (MAPPINGS, GIVEN, "30\t2010\t\t\t9999", ["1 fault 30 ! target: Account: there is no code 9999."]),
            (MAPPINGS, GIVEN, "30\t2010\t\t\t", ["1 fault 30 ! target: The column target must be given."]),
            (
                MAPPINGS,
                GIVEN,
                "ten\t1010\t\t\t1010\n30\t2010\t\t\t9999\n40\t77\t\t\t2010",
                [
                    "1 fault ten ! position: A whole number of at most nine digits is expected.",
                    "2 fault 30 ! target: Account: there is no code 9999.",
                    "3 fault 40 ! accounts: There is no code 77 in acc.",
                ],
            ),
            (MAPPINGS, GIVEN, "30\t77\t\t\t2010", ["1 fault 30 ! accounts: There is no code 77 in acc."]),
            (
                MAPPINGS,
                GIVEN,
                "30\t2010\tsite\t\t2010",
                ["1 fault 30 ! codes: A condition needs a field and its codes."],
            ),
            (
                MAPPINGS,
                GIVEN,
                "30\t2010\t\t\t2010\n30\t2010\t\t\t2010",
                ["1 new 30", "2 fault 30 ! position: The key g beta 30 stands in row 1 already."],
            ),
            (
                MAPPINGS,
                GIVEN,
                "position\tcolour\n10\tred",
                [
                    "! There is no column 'colour' here. Its columns are: position, accounts, field, codes,"
                    " target."
                ],
            ),
            (
                MAPPINGS,
                GIVEN,
                "1\t2\t3\t4\t5\t6",
                [
                    "! A row has more cells than there are columns (5). The columns are: position, accounts,"
                    " field, codes, target."
                ],
            ),
            (MEMBERS, {"group": "g"}, "beta\tcompany\tfull\t100", ["1 new beta"]),
            (
                MEMBERS,
                {"group": "g"},
                "group\tmember\tmember_kind\nh\tbeta\tcompany",
                ["! The row is of h, and this is g. Bring it in there, or take the column group out."],
            ),
            (
                MEMBERS,
                {"group": "g"},
                "alpha\tcompany\thalf",
                ["1 fault alpha ! method: One of these is expected: full, proportionate, equity, none."],
            ),
            (PERIODS, {"calendar": "m"}, "2026\t5\tMay\t2026-05-01\t2026-05-31", ["1 new 2026 5"]),
            (
                PERIODS,
                {"calendar": "m"},
                "2026\t5\tMay\t2026-05-02\t2026-05-31",
                ["1 fault 2026 5 ! starts_on: There is a gap between M4, which ends on 2026-04-30, and May."],
            ),
        ]
        for sheet, given_, text, expected in cases:
            with self.subTest(text):
                self.assertEqual(
                    [" ".join(line.split()) for line in self.told(sheet, given_, text)], expected
                )

    def test_what_goes_out_comes_back_the_same(self) -> None:
        made = world()
        for sheet, given_ in ((MAPPINGS, GIVEN), (MEMBERS, {"group": "g"}), (PERIODS, {"calendar": "m"})):
            out = [
                list(sheet.columns),
                *(list(cells_of(made, sheet, given_, row).values()) for row in rows_of(made, sheet, given_)),
            ]
            found = bring(made, sheet, given_, out, NOTHING_POSTED)
            self.assertEqual({row.kind for row in found.rows}, {"same"})
            self.assertEqual(found.change.edits(made) if found.change else None, [])

    def test_a_row_is_moved_by_its_key_and_keeps_what_the_sheet_does_not_show(self) -> None:
        made = world()
        row = find(MAPPINGS, rows_of(made, MAPPINGS, GIVEN), "10")
        found = take(
            made,
            MAPPINGS,
            GIVEN,
            ("position", "accounts", "target"),
            [(1, ("15", "1010", "1020"))],
            NOTHING_POSTED,
            row,
        )
        assert found.change is not None
        after = apply(made, found.change)
        self.assertEqual(
            [(r.position, r.target) for r in rows_of(after, MAPPINGS, GIVEN)], [(15, "1020"), (20, "1110")]
        )

    def test_what_was_posted_to_stays(self) -> None:
        posted = Facts(lambda _: frozenset(), frozenset, frozenset, lambda _: frozenset({(2026, 1)}))
        row = find(PERIODS, rows_of(world(), PERIODS, {"calendar": "m"}), "2026 1")
        cells = {**cells_of(world(), PERIODS, {"calendar": "m"}, row), "kind": "closing"}
        found = take(
            world(), PERIODS, {"calendar": "m"}, list(cells), [(1, list(cells.values()))], posted, row
        )
        self.assertEqual(
            [f.what for f in found.faults],
            ["The kind can't change from regular any more because journals fall into it."],
        )

    def test_places(self) -> None:
        rows = [Mapping("g", "beta", n, "1010", target="1010") for n in (10, 20, 21)]
        for near, expected in [(None, 30), (rows[0], 15), (rows[1], 30), (rows[2], 31)]:
            self.assertEqual(place_after((row.position for row in rows), near), expected)
        self.assertEqual(place_after([], None), 10)

    @given(st.lists(st.tuples(st.integers(0, 3), st.sampled_from((-1, 1))), max_size=12))
    def test_moving_rows_loses_none(self, moves: list[tuple[int, int]]) -> None:
        made = state(*(PairingRule("c", f"r{n}", 10 * n, "site", "required") for n in range(4)))
        sheet = Sheet("rules", "pairing_rules", "Rules", "rule", ("position", "rule"), ("chart",))
        order = [f"r{n}" for n in range(4)]
        for at, step in moves:
            change = moved(made, sheet, {"chart": "c"}, rows_of(made, sheet, {"chart": "c"})[at], step)
            if change is None:
                self.assertFalse(0 <= at + step < 4)
                continue
            made = apply(made, recorded(change, made))
            order[at], order[at + step] = order[at + step], order[at]
            self.assertEqual([row.rule for row in rows_of(made, sheet, {"chart": "c"})], order)


class Kept(TestCase):
    def test_drafts_keep_of_rows_together_only_what_changes(self) -> None:
        made = world()
        found = bring(
            made,
            MAPPINGS,
            GIVEN,
            [["10", "1010", "", "", "1020"], ["20", "11*", "", "", "1020"]],
            NOTHING_POSTED,
        )
        assert found.change is not None
        kept = recorded(found.change, made)
        row = made.get(Mapping, "g", "beta", 10)
        assert row is not None
        theirs = apply(made, Put(row._replace(accounts="1020")))
        self.assertEqual(
            [row.accounts for row in rows_of(apply(theirs, kept), MAPPINGS, GIVEN)], ["1020", "11*"]
        )
        self.assertEqual({row.target for row in rows_of(apply(theirs, kept), MAPPINGS, GIVEN)}, {"1020"})
