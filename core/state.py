"""The definitions as an immutable snapshot, indexed for their use. A change makes a new one that shares the rest."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from typing import Any, NamedTuple, TypeVar

from core.tables import BY_ROW, DEFINING_TABLES, TABLES

R = TypeVar("R")
T = TypeVar("T")
Key = tuple[Any, ...]
Part = dict[Key, Any]
WHOLE = ""


class Edit(NamedTuple):
    """One row before and after; None where it was not, or will not be."""

    table: str
    key: Key
    old: Any
    new: Any

    def turned(self) -> Edit:
        return Edit(self.table, self.key, self.new, self.old)


def part_of(table: str, key: Key) -> Any:
    """Rows are kept in parts by the first column of the key (all codes of one list), so caches hang on less."""
    return key[0] if TABLES[table].keys > 1 else WHOLE


class State:
    """A snapshot of all definitions. Never changed after it was made; ask `rows`, `part`, `get`."""

    __slots__ = ("_cache", "_parts")

    def __init__(self, parts: dict[str, dict[Any, Part]] | None = None, cache: dict[Any, Any] | None = None):
        self._parts: dict[str, dict[Any, Part]] = parts or {table.name: {} for table in DEFINING_TABLES}
        self._cache: dict[Any, Any] = cache or {}

    @staticmethod
    def of(rows: Iterable[Any]) -> State:
        """A snapshot of rows of any definition tables."""
        state = State()
        for row in rows:
            table = BY_ROW[type(row)]
            key = tuple(row[: table.keys])
            state._parts[table.name].setdefault(part_of(table.name, key), {})[key] = row
        return state

    def part(self, row: type[R], first: Any = WHOLE) -> Mapping[Key, R]:
        """Rows by key whose key begins with `first` (for tables with a single key column: all)."""
        return self._parts[BY_ROW[row].name].get(first) or {}

    def rows(self, row: type[R]) -> Iterator[R]:
        for part in self._parts[BY_ROW[row].name].values():
            yield from part.values()

    def get(self, row: type[R], *key: Any) -> R | None:
        name = BY_ROW[row].name
        part = self._parts[name].get(part_of(name, key))
        return part.get(key) if part else None

    def table(self, name: str) -> Iterator[tuple[Key, Any]]:
        for part in self._parts[name].values():
            yield from part.items()

    def shares(self, other: State, *rows: type[Any]) -> bool:
        """Whether both have these tables in common, so that nothing made from them alone can differ."""
        return all(self._parts[BY_ROW[row].name] is other._parts[BY_ROW[row].name] for row in rows)

    def count(self, row: type[Any]) -> int:
        return sum(len(part) for part in self._parts[BY_ROW[row].name].values())

    def edited(self, edits: Iterable[Edit]) -> State:
        """The snapshot after the edits; parts not touched are shared, and what was derived from them is kept."""
        parts = dict(self._parts)
        copied: set[tuple[str, Any]] = set()
        for table, key, _old, new in edits:
            first = part_of(table, key)
            if (table, first) not in copied:
                if not any(name == table for name, _ in copied):
                    parts[table] = dict(parts[table])
                parts[table][first] = dict(parts[table].get(first) or {})
                copied.add((table, first))
            if new is None:
                parts[table][first].pop(key, None)
            else:
                parts[table][first][key] = new
        return State(parts, dict(self._cache))

    def _seen(self, reads: tuple[Any, ...], args: tuple[Any, ...]) -> tuple[Any, ...]:
        return tuple(
            self._parts[BY_ROW[read[0]].name].get(args[read[1]]) if isinstance(read, tuple) else self._parts[BY_ROW[read].name]
            for read in reads
        )

    def ask(
        self, make: Callable[..., T], reads: tuple[Any, ...], args: tuple[Any, ...], follow: Callable[..., Any] | None = None
    ) -> T:
        key = (make, args)
        seen = self._seen(reads, args)
        hit = self._cache.get(key)
        if hit is not None and all(a is b for a, b in zip(hit[0], seen, strict=True)):
            return hit[1]  # type: ignore[no-any-return]
        followed = follow(self, hit[0], hit[1], *args) if follow is not None and hit is not None else None
        value: T = make(self, *args) if followed is None else followed
        self._cache[key] = (seen, value)
        return value


def derived(*reads: Any, follow: Callable[..., Any] | None = None) -> Callable[[Callable[..., T]], Callable[..., T]]:
    """Keeps what a function worked out from a snapshot until a table it reads has changed.

    `reads` names row classes, or (row class, i) for only the part named by the i-th argument after the state.
    `follow(state, what was read, what came of it, *args)` may make the new value from the former one; None: from nothing.
    """

    def wrap(make: Callable[..., T]) -> Callable[..., T]:
        def asked(state: State, *args: Any) -> T:
            return state.ask(make, reads, args, follow)

        asked.__name__, asked.__doc__ = make.__name__, make.__doc__
        return asked

    return wrap
