"""A kept period against random acts: the states between lead to now, every figure of them sums to zero, and
causes add up to the difference."""

from __future__ import annotations

from decimal import Decimal
from typing import Any
from unittest import TestCase

from core.books.periods import ordinal
from core.changes.fixed import NOTHING_POSTED
from core.changes.kinds import Put, check
from core.consolidation.position import Consolidation
from core.definitions.state import State
from core.definitions.tables import Company, Group, Rate
from core.faults import blocking
from core.group.collect import Member
from core.group.mapping import map_plan
from core.group.membership import group_calendar
from core.group.ownership import standings
from core.group.periods import group_periods
from core.keeping.kept import KeptFigures, figures_to_keep
from core.keeping.moved import OTHER, TABLES_OF_CAUSE, moved_lines, states_between
from core.keeping.readiness import readiness
from core.statements.figures import Figures, compute
from core.statements.plans import plan
from core.tests.group_cases import _books, group_of
from core.tests.random_acts import Acts
from core.tests.rich_world import rich_state

SEEDS, STEPS = 10, 60
AMOUNTS: dict[str, list[Any]] = {
    "alpha": [
        (2026, 1, "1010", 900),
        (2026, 1, "1110", 90),
        (2026, 1, "3010", -990),
        (2026, 2, "1810", 50, "beta"),
        (2026, 2, "4010", -50),
    ],
    "beta": [(2026, 1, "1010", 70), (2026, 1, "2810", -40, "alpha"), (2026, 2, "4010", -30)],
    "gamma": [(2026, 1, "BK", 300), (2026, 1, "OW", -250), (2026, 1, "SL", -50)],
    "gamma2": [(2026, 1, "BK", 5), (2026, 1, "SL", -5)],
}
END = ordinal(2026, 2)


def worked(state: State) -> Consolidation | None:
    """The figures of the rich world's group; None where it has none any more."""
    calendar = group_calendar(state, "g")
    if state.get(Group, "g") is None or calendar is None or not calendar.periods:
        return None
    stands = standings(state, "g", group_periods(calendar))
    adjusts = {c.company: c.adjusts for c in state.rows(Company) if c.adjusts in stands}
    numbers = {name: i for i, name in enumerate(sorted(AMOUNTS), 1)}
    members = [
        Member(
            name,
            numbers[name],
            (_books(name, 2026, AMOUNTS[name], numbers),),
            plan_of,
            None,
            lambda rows: [("", "")] * len(rows),
        )
        for name in (*sorted(stands), *sorted(adjusts))
        if name in AMOUNTS and (plan_of := map_plan(state, "g", name)) is not None
    ]
    return group_of(state, "g", members, adjusts, numbers)


def figures_of(state: State) -> KeptFigures | None:
    work = worked(state)
    return figures_to_keep(work, ordinal(2026, 1), END) if work else None


def statement(state: State, kept: KeptFigures, name: str) -> Figures | None:
    made = plan(state, name)
    if made is None or made.has_conditions:  # no statement of a group
        return None
    sheet = made.statement.kind == "balance_sheet"
    return compute(made, kept.of_statement(made.accounts, balance_sheet=sheet), 2)


class Keeping(TestCase):
    def assert_whole(self, kept: KeptFigures, what: str) -> None:
        self.assertEqual(KeptFigures.read(kept.written()), kept, what)
        self.assertEqual(kept.balance, 0, what)

    def assert_causes_add_up(self, stages: list[tuple[str, State, KeptFigures]], what: str) -> int:
        """Over every statement that is there all the time; returns how many lines moved."""
        moved = 0
        for name in ("st", "is"):
            told = [(cause, statement(state, kept, name)) for cause, state, kept in stages]
            if any(figures is None for _, figures in told):
                continue
            for line in moved_lines([(cause, figures) for cause, figures in told if figures]):
                self.assertEqual(sum(line.by.values()), line.difference, f"{what} {line}")
                moved += line.difference != 0
        return moved

    def test_causes_lead_from_what_was_kept_to_now(self) -> None:
        causes, moved = set[str](), 0
        for seed in range(SEEDS):
            acts, now = Acts(seed), rich_state()
            before = figures_of(now)
            assert before is not None
            self.assert_whole(before, "kept")
            for _ in range(STEPS):
                change = acts.draw(now)
                if change.edits(now) and not blocking(check(now, change, NOTHING_POSTED)):
                    now = now.edited(change.edits(now))
            if seed % 2:
                rate = next(iter(now.rows(Rate)), None)
                now = now.edited(Put(rate._replace(rate=Decimal("0.9"))).edits(now)) if rate else now
            stages = [("", rich_state(), before)]
            last = rich_state()
            for cause, state, edits in states_between(rich_state(), now):
                self.assertTrue(edits)
                causes.add(cause)
                last = state
                kept = figures_of(state)
                if kept is not None:
                    self.assert_whole(kept, f"seed {seed}, {cause}")
                    stages.append((cause, state, kept))
            self.assertEqual(last.digest, now.digest, f"seed {seed}")
            moved += self.assert_causes_add_up(stages, f"seed {seed}")
        self.assertEqual(causes, {*TABLES_OF_CAUSE, OTHER})
        self.assertGreater(moved, 10)

    def test_readiness_names_what_is_open(self) -> None:
        work = worked(rich_state())
        assert work
        told = {
            row.company: [check.says for check in row.checks] for row in readiness(work, work.position(3), {})
        }
        self.assertEqual(
            told,
            {
                "alpha": ["M2 open", "all", "1 accepted", "there", "in order"],
                "beta": ["M2 open", "all", "1 accepted", "there", "in order"],
                "gamma": [
                    "M2 open",
                    "BK 5.00, SL −5.00 EUR",
                    "agree",
                    "waits for the average rate of EUR to GBP between 2026-01-01 and 2026-01-31",
                    "in order",
                ],
            },
        )
