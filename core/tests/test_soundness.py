"""What is accepted is sound: no sequence of accepted acts leaves anything that must be put right."""

from __future__ import annotations

from collections import Counter
from unittest import TestCase

from core import checks
from core.changes.fixed import NOTHING_POSTED
from core.changes.kinds import check
from core.faults import blocking
from core.tests.random_acts import Acts
from core.tests.rich_world import rich_state

SEEDS, STEPS = 12, 80


class Soundness(TestCase):
    def test_the_world_is_sound(self) -> None:
        self.assertEqual([str(fault) for fault in blocking(checks.of_everything(rich_state()))], [])

    def test_what_is_accepted_adds_no_fault(self) -> None:
        accepted = Counter[str]()
        for seed in range(SEEDS):
            acts, state = Acts(seed), rich_state()
            for _ in range(STEPS):
                change = acts.draw(state)
                if not change.edits(state) or blocking(check(state, change, NOTHING_POSTED)):
                    continue
                accepted[type(change).__name__] += 1
                after = state.edited(change.edits(state))
                left = [str(fault) for fault in blocking(checks.of_everything(after))]
                self.assertEqual(left, [], f"accepted, seed {seed}: {change}")
                state = after
        self.assertGreater(sum(accepted.values()), 150, accepted)
        self.assertGreaterEqual(len(accepted), 12, accepted)
