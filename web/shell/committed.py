"""What is committed, seen from beside one's own transaction."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

from django.db import connection

R = TypeVar("R")
PATIENCE = "2s"
"""A table that one's own transaction keeps from everybody can't be looked at from beside it."""


def as_committed(look: Callable[[], R]) -> R:
    """Looks from a connection of its own, which sees nothing of this one's transaction. Raises
    OperationalError where that keeps a table from everybody."""

    def beside() -> R:
        try:
            with connection.cursor() as cursor:
                cursor.execute("SELECT set_config('lock_timeout', %s, false)", [PATIENCE])
            return look()
        finally:
            connection.close()

    with ThreadPoolExecutor(1) as thread:
        return thread.submit(beside).result()
