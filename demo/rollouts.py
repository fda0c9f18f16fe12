"""What Fernhollow brings to many companies at once."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date
from typing import Any

from core.definitions.tables import Rollout, RolloutItem


def rollouts() -> Iterator[Any]:
    """A glasshouse that is being built: what Ledbury has, again for its site."""
    begins, name = date(2026, 10, 1), "New site Marsh End"
    swap = ("site", "110", "160", "Marsh End glasshouses")
    yield Rollout("marsh-end", name, "nurseries", "all except skovlund-rules", begins, *swap)
    for position, (kind, field, codes, own) in enumerate(
        (
            ("account", "", "51210 to 51299, 61120", ""),
            ("strings", "site", "110", ""),
            ("rule", "", "", "growing-site"),
            ("quick_code", "", "", "gasledbury"),
            ("place", "is", "51210", ""),
        ),
        1,
    ):
        yield RolloutItem("marsh-end", position * 10, kind, field, codes, "", own)
