"""How often a process looks for cycles among its objects."""

from __future__ import annotations

import gc


def collect_rarely() -> None:
    """A worker keeps snapshots of millions of small objects, none of them in cycles; going through all of
    them takes a
    third of a second, in the middle of somebody's page. What is not needed any more goes by itself, without
    looking.
    """
    gc.set_threshold(50_000, 50, 1_000)
