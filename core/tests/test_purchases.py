"""What was bought of a member against what is held of it, day by day."""

from __future__ import annotations

from datetime import date
from decimal import Decimal
from fractions import Fraction
from typing import Any
from unittest import TestCase

from core.changes.fixed import NOTHING_POSTED
from core.changes.kinds import Put, check
from core.checks import of_everything
from core.definitions.state import State
from core.definitions.tables import Acquisition, GroupMember, OwnershipChange
from core.faults import LOOK
from core.group.ownership import apart_at, held_apart
from core.tests.group_cases import company, definitions, group_row, period

MAY, JUNE, JULY = date(2025, 5, 1), date(2025, 6, 1), date(2025, 7, 1)
FIRST = Acquisition("g", "s", MAY, "h", Decimal(80), "100", "1310", "1410")
RAISED = OwnershipChange("g", "s", JUNE, Decimal(85))


def state(*more: Any) -> State:
    return State.of(
        [
            *definitions(),
            period(2025, 1, 1),
            *(company(name) for name in ("h", "s", "t")),
            group_row("g"),
            group_row("k"),
            GroupMember("g", "h"),
            GroupMember("g", "s", "company", "full", Decimal(80), MAY),
            *more,
        ]
    )


def days(state: State) -> list[tuple[str, date, Fraction]]:
    return [(one.member, one.on, one.missing) for one in held_apart(state, "g")]


class Purchased(TestCase):
    def test_a_change_without_its_purchase(self) -> None:
        world = state(FIRST, RAISED)
        self.assertEqual(days(world), [("s", JUNE, Fraction(5))])
        told = [str(fault) for fault in of_everything(world) if fault.code == "percent-held"]
        self.assertEqual(
            told,
            [
                "ownership_changes, g s 2025-06-01, column ownership, value '85': h holds 85 % of s from"
                " 2025-06-01 and bought 80 % by then. Key what was bought or sold as an acquisition of that"
                " day, or correct the ownership."
            ],
        )

    def test_it_is_told_beside_the_change_while_it_is_keyed(self) -> None:
        faults = check(state(FIRST), Put(RAISED), NOTHING_POSTED)
        self.assertEqual([(fault.code, fault.severity) for fault in faults], [("percent-held", LOOK)])

    def test_with_its_purchase_nothing_is_apart(self) -> None:
        bought = FIRST._replace(on=JUNE, percent=Decimal(5), cost="7")
        self.assertEqual(days(state(FIRST, RAISED, bought)), [])
        late = bought._replace(on=JULY)
        world = state(FIRST, RAISED, late)
        self.assertEqual(days(world), [("s", JUNE, Fraction(5))])
        self.assertEqual([one.on for one in apart_at(world, "g", date(2025, 6, 30))], [JUNE])
        self.assertEqual(apart_at(world, "g", JULY), [], "from then on they agree again")

    def test_a_change_on_the_way_to_it_counts(self) -> None:
        """t is held through k; what changes is how k is held."""
        of_k = GroupMember("g", "k", "group", "full", Decimal(60))
        world = state(
            of_k,
            GroupMember("k", "t"),
            Acquisition("g", "t", MAY, "h", Decimal(60), "1", "1310", "1410"),
            OwnershipChange("g", "k", JULY, Decimal("33.333")),
        )
        self.assertEqual(days(world), [("t", JULY, Fraction("-26.667"))])
        self.assertEqual(
            held_apart(world, "g")[0].sentence,
            "h holds 33.333 % of t from 2025-07-01 and bought 60 % by then.",
        )

    def test_after_its_going_nothing_is_compared(self) -> None:
        gone = GroupMember("g", "s", "company", "full", Decimal(80), MAY, date(2025, 5, 31))
        self.assertEqual(days(state(FIRST, gone, RAISED)), [])
