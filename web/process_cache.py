"""What a server process keeps between requests. Every such memory is one of these, so that all have bounds
and tests can
let two processes take turns.
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any, Generic, TypeVar

from cachetools import LRUCache
from django.db import connection

K = TypeVar("K")
V = TypeVar("V")
EVERY: list[ProcessCache[Any, Any]] = []


class ProcessCache(Generic[K, V]):
    """A bounded memory; what was used longest ago goes first. `size` measures an entry in the unit of `most`
    (default: 1).

    Entries belong to the database the process is connected to. `lock` guards it; hold it to look and then
    put.
    """

    def __init__(self, most: float, size: Callable[[V], float] | None = None) -> None:
        self.lock = threading.RLock()
        self._most, self._size = most, size
        self._entries = self._fresh()
        EVERY.append(self)

    def _fresh(self) -> LRUCache[Any, V]:
        return LRUCache(self._most, getsizeof=self._size)

    @staticmethod
    def _key(key: K) -> tuple[str, K]:
        return str(connection.settings_dict["NAME"]), key

    def get(self, key: K) -> V | None:
        with self.lock:
            return self._entries.get(self._key(key))

    def put(self, key: K, value: V) -> None:
        """Keeps a value; one that is larger than the whole memory is not kept."""
        with self.lock:
            own = self._key(key)
            self._entries.pop(own, None)
            if self._size is None or self._size(value) <= self._most:
                self._entries[own] = value

    def clear(self) -> None:
        with self.lock:
            self._entries = self._fresh()

    def exchanged(self, entries: LRUCache[Any, V] | None) -> LRUCache[Any, V]:
        """Puts other contents in (None: nothing) and gives those that were there: for tests of several
        processes."""
        with self.lock:
            former, self._entries = self._entries, self._fresh() if entries is None else entries
            return former


def forget() -> None:
    """For tests, whose databases are rolled back below the process."""
    for cache in EVERY:
        cache.clear()
