"""Hierarchies: intakes, versions with dates, many codes moved at once; and how they are drawn."""

from datetime import date
from itertools import pairwise
from typing import Any
from unittest import TestCase

from hypothesis import given, settings, strategies as st

from core import checks
from core.changes.fixed import NOTHING_POSTED
from core.changes.kinds import Amend, apply, check
from core.changes.of_codes import AmendCodes, BringCodes, MoveNodes, by_beginnings, copied, shifted
from core.codes.elevation import GROUND, READABLE, WIDTH, draw
from core.codes.hierarchies import as_held, holding, main_tree, standing_under_none, tree
from core.codes.selectors import pick
from core.definitions.state import State
from core.definitions.tables import Code, CodeList, Hierarchy, HierarchyNode
from core.faults import blocking
from core.tests.builders import state, told


def faults(*rows: Any) -> list[str]:
    world = state(*rows)
    return told(
        blocking(
            checks.of_rows(world, "hierarchy_nodes", [row for row in rows if isinstance(row, HierarchyNode)])
        )
    )


class Intakes(TestCase):
    def test_a_rollup_code_takes_codes_in_by_itself(self) -> None:
        world = state(HierarchyNode("tree", "11", "1", 2, "18*, 2010 except 1820"))
        self.assertEqual(tree(world, "tree").below("11"), ["1110", "1810", "2010"])
        grown = apply(
            world,
            BringCodes(
                (
                    Code("acc", "1820", "Due", account_class="asset"),
                    Code("acc", "1830", "Owed", account_class="asset"),
                ),
                (None, None),
            ),
        )
        self.assertEqual(tree(grown, "tree").below("11"), ["1110", "1810", "1830", "2010"])
        self.assertIn("1820", standing_under_none(grown, "acc"))
        self.assertEqual(sorted(pick(grown, "acc", "under 11").codes), ["1110", "1810", "1830", "2010"])

    def test_what_was_placed_by_hand_stays_there(self) -> None:
        world = state(HierarchyNode("tree", "11", "1", 2, "10*"))
        self.assertEqual(tree(world, "tree").below("11"), ["1110"])
        self.assertEqual(tree(world, "tree").parent["1010"], "10")

    def test_what_is_wrong_with_an_intake_is_told(self) -> None:
        eleven, ten = HierarchyNode("tree", "11", "1", 2), HierarchyNode("tree", "10", "1", 1)
        for rows, expected in (
            (
                (eleven._replace(intake="18*"), ten._replace(intake="1810 to 1899")),
                ["The intakes of 10 and 11 both take 1810 in."],
            ),
            (
                (eleven._replace(intake="under 10"),),
                ["An intake names codes, ranges and beginnings; 'under' would turn round on itself."],
            ),
            ((eleven._replace(intake="18* 20*"),), ["A comma is missing before '20' at character 5."]),
            (
                (HierarchyNode("tree", "1010", "10", None, "18*"),),
                ["1010 is a posting code and takes nothing in."],
            ),
            ((eleven._replace(intake="18*"), ten._replace(intake="20*")), []),
        ):
            with self.subTest(rows):
                self.assertEqual(faults(*rows), expected)

    def test_a_hierarchy_is_proposed_from_beginnings(self) -> None:
        world = state()
        made = apply(world, by_beginnings(world, Hierarchy("b", "acc", "By two"), 2))
        grown = tree(made, "b")
        self.assertEqual(grown.children[""], ["10", "11", "18", "20", "28", "30", "40", "50"])
        self.assertEqual(grown.below("18"), ["1810"])
        self.assertEqual(
            made.get(Code, "acc", "18"), Code("acc", "18", "Codes that begin with 18", True, False)
        )
        self.assertEqual(made.get(Code, "acc", "10"), world.get(Code, "acc", "10"))


class Versions(TestCase):
    def setUp(self) -> None:
        world = state()
        self.world = apply(
            world, copied(world, "tree", Hierarchy("old", "acc", "Tree until July", False, "tree"))
        )
        self.world = apply(self.world, Amend("hierarchies", ("tree",), (("holds_from", "2026-07-01"),)))
        self.world = apply(self.world, MoveNodes("tree", ("1010", "1020"), "11"))

    def test_the_shape_of_then_or_of_now(self) -> None:
        self.assertEqual(holding(self.world, "tree", date(2026, 6, 30)), "old")
        self.assertEqual(holding(self.world, "tree", date(2026, 7, 1)), "tree")
        self.assertEqual(holding(self.world, "old", date(2026, 7, 1)), "tree")
        then, now = as_held(self.world, date(2026, 6, 30)), as_held(self.world, date(2026, 7, 1))
        self.assertEqual(sorted(pick(then, "acc", "under 10").codes), ["1010", "1020"])
        self.assertEqual(sorted(pick(now, "acc", "under 10").codes), [])
        self.assertIs(now, self.world)
        renamed = apply(self.world, Amend("codes", ("acc", "1010"), (("name", "Main bank"),)))
        for on in (date(2026, 6, 30), date(2026, 7, 1)):
            self.assertEqual(as_held(renamed, on).require(Code, "acc", "1010").name, "Main bank")

    def test_a_version_belongs_to_a_hierarchy_of_the_same_list(self) -> None:
        for row, expected in (
            (Hierarchy("v", "acc", "V", False, "none"), ["There is no hierarchy none."]),
            (
                Hierarchy("v", "site", "V", False, "tree"),
                ["tree is not a hierarchy of site in its own right."],
            ),
            (Hierarchy("v", "acc", "V", False, "old"), ["old is not a hierarchy of acc in its own right."]),
            (
                Hierarchy("v", "acc", "V", True, "tree"),
                ["A kept version of a hierarchy is never the main one."],
            ),
        ):
            with self.subTest(row):
                made = told(checks.of_rows(self.world, "hierarchies", [row]))
                self.assertEqual(made[:1], expected)


class Several(TestCase):
    def test_many_move_in_one_pass_as_one_by_one(self) -> None:
        world = state()
        made = apply(world, MoveNodes("tree", ("1010", "1110", "2010"), "1"))
        self.assertEqual(tree(made, "tree").children["1"], ["10", "11", "1010", "1110", "2010"])
        self.assertEqual(
            told(check(world, MoveNodes("tree", ("1", "10"), "10"), NOTHING_POSTED)),
            ["A code stands under itself: 10 under 10."],
        )

    def test_many_get_the_same_value(self) -> None:
        world = state()
        change = AmendCodes(
            "acc", ("1010", "1020", "none"), (("in_use_until", "2026-06-30"), ("cash_flow", "operating"))
        )
        made = apply(world, change)
        self.assertEqual(made.require(Code, "acc", "1020").in_use_until, date(2026, 6, 30))
        self.assertEqual(
            change.sentence(world), "Set in_use_until 2026-06-30, cash_flow operating for 3 codes of acc"
        )
        self.assertEqual(change.edits(made), [])

    def test_shifts_know_when_there_is_no_room(self) -> None:
        world = state()
        grown = main_tree(world, "acc")
        assert grown is not None
        for code, way, expected in (
            ("10", "up", None),
            ("10", "down", "1"),
            ("11", "deeper", "10"),
            ("10", "deeper", None),
            ("10", "higher", ""),
            ("1", "higher", None),
            ("1020", "up", "10"),
        ):
            with self.subTest((code, way)):
                change = shifted(world, grown, code, way)
                self.assertEqual(change.parent if change else None, expected)


def forest(size: int, fan: int, posts: int) -> State:
    """A list of `size` rollup codes, each below the one that its number divided by `fan` names, with posts
    below the last."""
    rows: list[Any] = [CodeList("big", "Big", 1, 8), Hierarchy("b", "big", "Big", True)]
    for i in range(1, size + 1):
        rows += [
            Code("big", f"{i}", f"Rollup {i}", True, False),
            HierarchyNode("b", f"{i}", f"{i // fan}" if i // fan else "", i),
        ]
    for i in range(posts):
        rows += [
            Code("big", f"9{i:06d}", f"Post {i}"),
            HierarchyNode("b", f"9{i:06d}", f"{size - i % max(1, size // 2)}"),
        ]
    return state(*rows)


class Drawn(TestCase):
    def test_every_code_is_drawn_or_counted_at_any_size(self) -> None:
        for size, fan, posts in ((3, 2, 7), (10, 3, 20), (200, 5, 900), (600, 4, 5_000)):
            with self.subTest((size, posts)):
                made = draw(forest(size, fan, posts), "b")
                self.assertEqual((made.posting, made.bays[0].posting), (posts, posts))
                self.assertLess(len(made.bays) + len(made.posts), 1_500)
                for level in {bay.level for bay in made.bays}:
                    row = sorted((bay for bay in made.bays if bay.level == level), key=lambda bay: bay.x)
                    self.assertLessEqual(sum(bay.posting for bay in row), posts)
                    for left, right in pairwise(row):
                        self.assertLessEqual(left.x + left.width, right.x + 2.5)
                self.assertTrue(all(bay.x >= 0 and bay.x + bay.width <= WIDTH + 1 for bay in made.bays))
                self.assertTrue(all(post.y < GROUND for post in made.posts))

    def test_narrow_bays_are_merged_and_say_how_many(self) -> None:
        made = draw(forest(200, 5, 900), "b")
        merged = [bay for bay in made.bays if bay.holds > 1]
        self.assertTrue(merged)
        self.assertTrue(all(bay.width >= 1 for bay in made.bays))
        small = draw(forest(10, 3, 20), "b")
        self.assertTrue(all(bay.holds == 1 or bay.width / bay.holds < READABLE for bay in small.bays))

    def test_zooming_in_shows_one_bay_and_the_way_out(self) -> None:
        made = draw(forest(200, 5, 900), "b", zoom="12")
        self.assertEqual((made.bays[0].code, made.path), ("12", ("2",)))
        self.assertEqual(made.bays[0].width, WIDTH - 2)

    def test_widths_follow_the_weights(self) -> None:
        world = state()
        made = draw(world, "tree", weights={"1010": 300.0, "1020": -100.0, "1110": 100.0})
        widths = {bay.code: round(bay.width + 2) for bay in made.bays}
        self.assertEqual((widths["10"], widths["11"]), (round(WIDTH * 0.8), round(WIDTH * 0.2)))

    def test_what_the_draft_moves_stands_at_both_places(self) -> None:
        before = state()
        after = apply(before, MoveNodes("tree", ("1010",), "11"))
        made = draw(after, "tree", moved={"1010": ("10", "11")})
        posts = sorted((post.moved, post.code) for post in made.posts if post.code == "1010")
        self.assertEqual(posts, [("new", "1010"), ("old", "1010")])
        bays = draw(apply(before, MoveNodes("tree", ("11",), "10")), "tree", moved={"11": ("1", "10")}).bays
        self.assertEqual(sorted(bay.moved for bay in bays if bay.code == "11"), ["new", "old"])

    @settings(max_examples=40, deadline=None)
    @given(st.lists(st.tuples(st.integers(1, 30), st.integers(0, 29)), max_size=30), st.integers(0, 30))
    def test_any_tree_can_be_drawn(self, shape: list[tuple[int, int]], zoom: int) -> None:
        parents = dict.fromkeys(range(1, 31), 0) | {i: p for i, p in shape if p < i}
        rows: list[Any] = [CodeList("big", "Big", 1, 8), Hierarchy("b", "big", "Big", True)]
        for i, parent in parents.items():
            rows += [
                Code("big", f"{i}", "R", True, False),
                HierarchyNode("b", f"{i}", f"{parent}" if parent else ""),
            ]
        made = draw(state(*rows), "b", zoom=str(zoom) if zoom else "")
        self.assertGreaterEqual(len(made.bays), 1)
