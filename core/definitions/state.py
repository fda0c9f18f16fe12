"""The definitions as an immutable snapshot, indexed for their use. A change makes a new one that shares the
rest."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from functools import wraps
from typing import Any, Concatenate, NamedTuple, ParamSpec, TypeVar

from core.definitions.digest import added, digest_text, row_digest
from core.definitions.tables import BY_ROW, DEFINING_TABLES, TABLES

R = TypeVar("R")
T = TypeVar("T")
P = ParamSpec("P")
Key = tuple[Any, ...]
Part = dict[Key, Any]
WHOLE = ""
MOST_DERIVED = 20_000
"""Derived values that a snapshot keeps; the oldest go first."""
EDITS_BETWEEN_SWEEPS = 32
"""Snapshots in a row after which derived values that no snapshot can use any more are let go, with the rows
they read."""


class OutOfStep(Exception):
    """An edit says a row was what the snapshot doesn't hold: replaying it would make a state that never
    was."""

    def __init__(self, edit: Edit) -> None:
        self.edit = edit
        super().__init__(f"{edit.table} {edit.key}")


class Kept(NamedTuple):
    """A derived value with what it was made from: the parts that `reads` names as they were (`seen`), and
    what its `made_of` said. `is_base`: a newer one may be made from it, or turn out to be the same."""

    seen: tuple[Any, ...]
    value: Any
    reads: tuple[Any, ...]
    made_of: tuple[Any, ...]
    is_base: bool


class Derivation(NamedTuple):
    """How a value is worked out from a snapshot, as `derived` takes it."""

    make: Callable[..., Any]
    reads: tuple[Any, ...]
    follow: Callable[..., Any] | None = None
    made_of: Callable[..., tuple[Any, ...]] | None = None
    stays: bool = False

    @property
    def is_base(self) -> bool:
        return self.follow is not None or self.made_of is not None or self.stays

    def value(self, state: State, former: Kept | None, args: tuple[Any, ...]) -> Any:
        """Worked out, from the former one where that can be, or from nothing."""
        value = self.follow(state, former.seen, former.value, *args) if self.follow and former else None
        value = self.make(state, *args) if value is None else value
        return former.value if self.stays and former and value == former.value else value


class Edit(NamedTuple):
    """One row before and after; None where it was not, or will not be."""

    table: str
    key: Key
    old: Any
    new: Any

    def turned(self) -> Edit:
        return Edit(self.table, self.key, self.new, self.old)


class UnreadPart:
    """A part that is read when somebody first asks for its rows. `count`: how many there are; `cells` gives
    them as tuples, in the order of the table's columns."""

    __slots__ = ("_cells", "_rows", "_table", "count")

    def __init__(self, table: str, count: int, cells: Callable[[], Iterable[Sequence[Any]]]) -> None:
        self._table, self.count, self._cells = table, count, cells
        self._rows: Part | None = None

    def rows(self) -> Part:
        """The same each time: what is derived from a part hangs on which one it is."""
        if self._rows is None:
            table = TABLES[self._table]
            keys, row = table.keys, table.row._make
            rows = {made[:keys]: made for made in map(row, self._cells())}
            self._rows = self._rows or rows  # another thread may have read it meanwhile
        return self._rows

    @property
    def is_read(self) -> bool:
        return self._rows is not None


def read(part: Part | UnreadPart) -> Part:
    return part.rows() if type(part) is UnreadPart else part  # type: ignore[return-value]


def part_of(table: str, key: Key) -> Any:
    """Rows are kept in parts by the first column of the key (all codes of one list), so caches hang on
    less."""
    return key[0] if TABLES[table].keys > 1 else WHOLE


class State:
    """A snapshot of all definitions. Never changed after it was made; ask `rows`, `part`, `get`."""

    __slots__ = ("_age", "_cache", "_digest", "_parts", "overlay")

    def __init__(self, parts: dict[str, dict[Any, Part | UnreadPart]] | None = None) -> None:
        self._parts: dict[str, dict[Any, Part | UnreadPart]] = parts or {
            table.name: {} for table in DEFINING_TABLES
        }
        self._cache: dict[Any, Kept] = {}
        self._age = 0
        self._digest: int | None = None
        self.overlay = ""
        """whose local numbers account strings are written with (core/structures/overlays.py)"""

    @staticmethod
    def of(rows: Iterable[Any]) -> State:
        """A snapshot of rows of any definition tables."""
        state = State()
        for row in rows:
            table = BY_ROW[type(row)]
            key = tuple(row[: table.keys])
            read(state._parts[table.name].setdefault(part_of(table.name, key), {}))[key] = row
        return state

    @staticmethod
    def of_parts(parts: Mapping[str, dict[Any, UnreadPart]], digest: str) -> State:
        """A snapshot of parts that are read when asked for; `digest` is known to be theirs."""
        state = State({table.name: dict(parts.get(table.name, {})) for table in DEFINING_TABLES})
        state._digest = int(digest, 16)
        return state

    def parts(self) -> Iterator[tuple[str, Any, Part | UnreadPart]]:
        """Table, first column of the key, and the rows, read or not."""
        for name, parts in self._parts.items():
            for first, part in parts.items():
                yield name, first, part

    def part(self, row: type[R], first: Any = WHOLE) -> Mapping[Key, R]:
        """Rows by key whose key begins with `first` (for tables with a single key column: all)."""
        return self._part(BY_ROW[row].name, first) or {}

    def rows(self, row: type[R]) -> Iterator[R]:
        for part in self._parts[BY_ROW[row].name].values():
            yield from read(part).values()

    def _part(self, name: str, first: Any) -> Part | None:
        part = self._parts[name].get(first)
        if type(part) is UnreadPart:
            part = self._parts[name][first] = part.rows()
        return part  # type: ignore[return-value]

    def get(self, row: type[R], *key: Any) -> R | None:
        name = BY_ROW[row].name
        part = self._part(name, part_of(name, key))
        return part.get(key) if part else None

    def require(self, row: type[R], *key: Any) -> R:
        """The row of a key that is known to be there. Raises LookupError where it isn't."""
        there = self.get(row, *key)
        if there is None:
            raise LookupError(f"There is no {row.__name__} {key}.")
        return there

    def table(self, name: str) -> Iterator[tuple[Key, Any]]:
        for part in self._parts[name].values():
            yield from read(part).items()

    def shares(self, other: State, *rows: type[Any]) -> bool:
        """Whether both have these tables in common, so that nothing made from them alone can differ."""
        return all(self._parts[BY_ROW[row].name] is other._parts[BY_ROW[row].name] for row in rows)

    def count(self, row: type[Any]) -> int:
        return sum(
            part.count if isinstance(part, UnreadPart) else len(part)
            for part in self._parts[BY_ROW[row].name].values()
        )

    @property
    def digest(self) -> str:
        """Stands for all rows (core/definitions/digest.py): two snapshots with the same rows have the same
        one, whatever
        led to them."""
        return digest_text(self._digest_number())

    def _digest_number(self) -> int:
        if self._digest is None:
            total = 0
            for name, _, part in self.parts():
                for row in read(part).values():
                    total += row_digest(name, row)
            self._digest = added(total, gone=0, come=0)
        return self._digest

    def detached(self) -> State:
        """The same rows, to work something out on: what is made of it keeps no digest, and costs less."""
        state = State(self._parts)
        state._cache = dict(self._cache)
        state.overlay = self.overlay
        return state

    def edited(self, edits: Iterable[Edit]) -> State:
        """The snapshot after the edits; parts not touched are shared, and what was derived from them is
        kept."""
        return self._edited(edits, proving=False)

    def replayed(self, edits: Iterable[Edit]) -> State:
        """Like `edited`, for edits of a log. Raises OutOfStep where a row isn't what its edit says it was."""
        return self._edited(edits, proving=True)

    def _edited(self, edits: Iterable[Edit], proving: bool) -> State:
        parts = dict(self._parts)
        copied: dict[tuple[str, Any], Part] = {}
        tables: set[str] = set()
        digest = self._digest
        for edit in edits:
            table, key, old, new = edit
            first = part_of(table, key)
            part = copied.get((table, first))
            if part is None:
                if table not in tables:
                    tables.add(table)
                    parts[table] = dict(parts[table])
                part = copied[(table, first)] = parts[table][first] = dict(
                    read(parts[table].get(first) or {})
                )
            was = part.get(key)
            if proving and was != old:
                raise OutOfStep(edit)
            if digest is not None:
                digest = added(digest, gone=row_digest(table, was), come=row_digest(table, new))
            if new is None:
                part.pop(key, None)
            else:
                part[key] = new
        state = State(parts)
        state._digest, state._age = digest, self._age + 1
        state._cache = dict(self._cache)  # in one go: other threads ask this snapshot meanwhile
        if state._age >= EDITS_BETWEEN_SWEEPS:
            state._sweep()
        return state

    def _sweep(self) -> None:
        """Lets go of derived values that are not true here and that nothing is made from, and of the
        oldest."""
        self._age = 0
        useful = {
            key: entry
            for key, entry in self._cache.items()
            if entry.is_base or all(map(_same, entry.seen, self.seen(entry.reads, key[1])))
        }
        for key in list(useful)[: max(0, len(useful) - MOST_DERIVED)]:
            del useful[key]
        self._cache = useful

    def seen(self, reads: tuple[Any, ...], args: tuple[Any, ...] = ()) -> tuple[Any, ...]:
        """The parts that `reads` names, as `derived` takes it."""
        return tuple(
            (
                self._part(BY_ROW[named[0]].name, args[named[1]])
                if isinstance(named, tuple)
                else self._parts[BY_ROW[named].name]
            )
            for named in reads
        )

    def ask(self, derived: Derivation, args: tuple[Any, ...]) -> Any:
        key = (derived.make, args)
        seen = self.seen(derived.reads, args)
        hit = self._cache.get(key)
        if hit is not None and all(map(_same, hit.seen, seen)):
            return hit.value
        inputs = derived.made_of(self, *args) if derived.made_of else ()
        if inputs and hit is not None and _all_same(hit.made_of, inputs):
            value = hit.value
        else:
            value = derived.value(self, hit, args)
        self._cache.pop(key, None)  # the order of the entries is that of their making
        self._cache[key] = Kept(seen, value, derived.reads, inputs, derived.is_base)
        if len(self._cache) > MOST_DERIVED:
            for oldest in list(self._cache)[: MOST_DERIVED // 10]:
                self._cache.pop(oldest, None)
        return value


def _same(one: Any, other: Any) -> bool:
    return one is other


def _all_same(some: tuple[Any, ...], others: tuple[Any, ...]) -> bool:
    return len(some) == len(others) and all(map(_same, some, others))


DERIVED: list[Callable[..., Any]] = []
"""Every function whose values are kept: a test asks all of them and watches what they read."""


def derived(
    *reads: Any,
    follow: Callable[..., Any] | None = None,
    made_of: Callable[..., tuple[Any, ...]] | None = None,
    stays: bool = False,
) -> Callable[[Callable[Concatenate[State, P], T]], Callable[Concatenate[State, P], T]]:
    """Keeps what a function worked out from a snapshot until a table it reads has changed.

    `reads` names row classes, or (row class, i) for only the part named by the i-th argument after the state.
    `follow(state, what was read, what came of it, *args)` may make the new value from the former one; None:
    from nothing. `made_of(state, *args)` gives all that the function really takes, parts and derived values:
    while each is the same object as before, the value is the former one, though a table it reads has
    changed. `stays`: a value that equals the former one is the former one, so that what is made of it stays
    too.
    """

    def wrap(make: Callable[Concatenate[State, P], T]) -> Callable[Concatenate[State, P], T]:
        derivation = Derivation(make, reads, follow, made_of, stays)

        @wraps(make)
        def asked(state: State, /, *args: P.args, **named: P.kwargs) -> T:
            if named:
                raise TypeError(f"What {make.__name__} keeps is known by its arguments in order.")
            return state.ask(derivation, args)  # type: ignore[no-any-return]

        DERIVED.append(asked)
        return asked

    return wrap
