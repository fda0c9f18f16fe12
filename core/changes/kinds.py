"""Every change of a definition as a value. Each can say its edits, a sentence, and be taken back.

Screens, file import, rollouts and commands all make these and hand them to one action
(web/definitions/actions.py).
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from datetime import date
from typing import Any, NamedTuple, Protocol, TypeVar, dataclass_transform

from core import checks
from core.changes.fixed import Facts, transition_faults
from core.codes.hierarchies import main_hierarchies, order_key, tree
from core.codes.lists import next_free
from core.definitions.nouns import NOUNS, many, named
from core.definitions.parsing import read_value, write_cell
from core.definitions.state import Edit, Key, State
from core.definitions.tables import (
    BY_ROW,
    DEFINING_TABLES,
    TABLES,
    Code,
    Hierarchy,
    HierarchyNode,
)
from core.faults import Fault, Location, blocking

T = TypeVar("T")


class Change(Protocol):
    """A change of definitions. `edits` are worked out against the state it is made on.

    One that can be wrong in itself also has `refusals(state)`, an iterator of faults.
    """

    def edits(self, state: State) -> list[Edit]: ...

    def sentence(self, state: State) -> str: ...


KINDS: dict[str, type[Any]] = {}
"""Every kind of change by its name, for reading a draft back."""


@dataclass_transform(frozen_default=True)
def change(kind: type[T]) -> type[T]:
    """Makes a class a frozen value and known by its name."""
    frozen = dataclass(frozen=True, slots=True)(kind)
    KINDS[frozen.__name__] = frozen
    return frozen


def apply(state: State, change: Change) -> State:
    return state.edited(change.edits(state))


def inverse(state: State, change: Change) -> Change:
    """The change that takes it back, as seen from the state before it."""
    return Restore(tuple(edit.turned() for edit in reversed(change.edits(state))), change.sentence(state))


class Examined(NamedTuple):
    """A change worked out on a state: its edits, the state after them, and the faults of making it now.

    `following` are faults of other rows, which read what it changes: a draft may hold some of them until it
    is published.
    """

    edits: list[Edit]
    after: State
    own: list[Fault]
    following: list[Fault]

    @property
    def faults(self) -> list[Fault]:
        return [*self.own, *self.following]


def examine(state: State, change: Change, facts: Facts) -> Examined:
    """Works a change out and judges it: by itself, by what was posted, and by all that hangs on what it
    changes."""
    edits = change.edits(state)
    after = state.edited(edits)
    if unreadable := checks.of_cells(edits):
        return Examined(edits, after, unreadable, [])
    faults = list(refusals(state, change)) or list(transition_faults(state, after, edits, facts))
    if blocking(faults):  # what hangs on it would only be told twice
        return Examined(edits, after, faults, [])
    judged = checks.judge(state, after, edits)
    return Examined(edits, after, [*faults, *judged.own], judged.following)


def check(state: State, change: Change, facts: Facts) -> list[Fault]:
    """All faults of making this change now."""
    return examine(state, change, facts).faults


def refusals(state: State, change: Change) -> Iterator[Fault]:
    """Why a change can't be made as it is meant, whatever its rows are: it adds what is there, names what
    isn't."""
    own: Callable[[State], Iterable[Fault]] | None = getattr(change, "refusals", None)
    return iter(own(state)) if own is not None else iter(())


def edit_sentence(edit: Edit) -> str:
    """One edit in words."""
    if edit.old is None:
        return f"Added {named(edit.new)}"
    if edit.new is None:
        return f"Deleted {named(edit.old)}"
    parts = []
    for column in TABLES[edit.table].columns:
        was, now = getattr(edit.old, column.name), getattr(edit.new, column.name)
        if was != now:
            parts.append(
                f"{column.name} from {write_cell(was) or 'nothing'} to {write_cell(now) or 'nothing'}"
            )
    return f"Changed {named(edit.old)}: {', '.join(parts)}"


@change
class Put:
    """Adds a row, or puts other values into the row with its key."""

    row: Any

    def edits(self, state: State) -> list[Edit]:
        table = BY_ROW[type(self.row)]
        key = table.key(self.row)
        old = state.get(type(self.row), *key)
        return [] if old == self.row else [Edit(table.name, key, old, self.row)]

    def sentence(self, state: State) -> str:
        edits = self.edits(state)
        return edit_sentence(edits[0]) if edits else f"Left {named(self.row)} as it was"


@change
class Amend:
    """Puts other values into some columns of a row, leaving the rest as it is by then. `values`: (column,
    cell)."""

    table: str
    key: tuple[str, ...]
    values: tuple[tuple[str, str], ...]

    def edits(self, state: State) -> list[Edit]:
        table = TABLES[self.table]
        key = tuple(read_value(column, cell) for column, cell in zip(table.columns, self.key, strict=False))
        old = state.get(table.row, *key)
        if old is None:
            return []
        new = old._replace(**{name: read_value(table.by_name[name], cell) for name, cell in self.values})
        return [] if old == new else [Edit(self.table, key, old, new)]

    def sentence(self, state: State) -> str:
        edits = self.edits(state)
        return (
            edit_sentence(edits[0]) if edits else f"Left {NOUNS[self.table]} {' '.join(self.key)} as it was"
        )


@change
class Drop:
    """Deletes a row that nothing uses."""

    row: Any

    def edits(self, state: State) -> list[Edit]:
        table = BY_ROW[type(self.row)]
        key = table.key(self.row)
        old = state.get(type(self.row), *key)
        return [] if old is None else [Edit(table.name, key, old, None)]

    def sentence(self, state: State) -> str:
        return f"Deleted {named(self.row)}"


def belongings(state: State, row: Any) -> list[Any]:
    """Rows that are keyed by a row and so belong to it: the lines of a statement, the conditions of a rule, a
    code's names."""
    table = BY_ROW[type(row)]
    key, names = table.key(row), table.row._fields[: table.keys]
    rows = []
    for other in DEFINING_TABLES:
        if other.keys > table.keys and other.row._fields[: table.keys] == names:
            part = state.part(other.row, key[0])
            rows += [r for k, r in part.items() if k[: table.keys] == key]
    return rows


def with_belongings(state: State, rows: Iterable[Any]) -> str:
    """What goes with rows that are deleted, in words: "3 lines, 1 condition"; empty where nothing does."""
    counts = Counter(NOUNS[BY_ROW[type(own)].name] for row in rows for own in belongings(state, row))
    return ", ".join(f"{count:,} {noun if count == 1 else many(noun)}" for noun, count in counts.items())


@change
class Delete:
    """Deletes a row with all that belongs to it. Whatever else names it stands in the way."""

    row: Any

    def edits(self, state: State) -> list[Edit]:
        rows = [*belongings(state, self.row), self.row]
        return joined(edit for row in reversed(rows) for edit in Drop(row).edits(state))

    def sentence(self, state: State) -> str:
        more = with_belongings(state, [self.row])
        return f"Deleted {named(self.row)}" + (f", with {more}" if more else "")


@change
class Add:
    """Adds a row. One of the same key that is there already is never written over."""

    row: Any

    def edits(self, state: State) -> list[Edit]:
        return Put(self.row).edits(state)

    def refusals(self, state: State) -> Iterator[Fault]:
        table = BY_ROW[type(self.row)]
        key = table.key(self.row)
        if (there := state.get(type(self.row), *key)) is not None:
            column = table.columns[table.keys - 1].name
            yield Fault(
                "taken",
                f"There is a {named(there)} already.",
                Location(table.name, key, column, write_cell(key[-1])),
                "Give another one, or change the one that is there.",
            )

    def sentence(self, state: State) -> str:
        return f"Added {named(self.row)}"


@change
class ChangeSequence:
    """Changes made one after the other in one act."""

    changes: tuple[Change, ...]
    told: str = ""

    def edits(self, state: State) -> list[Edit]:
        rows: list[Edit] = []
        for number, change in enumerate(self.changes, 1):
            edits = change.edits(state)
            rows += edits
            if number < len(self.changes):
                state = state.edited(edits)
        return joined(rows)

    def refusals(self, state: State) -> Iterator[Fault]:
        for number, change in enumerate(self.changes, 1):
            yield from refusals(state, change)
            if number < len(self.changes):
                state = state.edited(change.edits(state))

    def sentence(self, state: State) -> str:
        if self.told:
            return self.told
        first = self.changes[0].sentence(state) if self.changes else "Changed nothing"
        return first if len(self.changes) < 2 else f"{first}, and {len(self.changes) - 1} more"


@change
class ChangeSet:
    """Changes of different rows in one act. None sees what the others do, so a thousand cost a thousand, not
    a million."""

    changes: tuple[Change, ...]
    told: str

    def edits(self, state: State) -> list[Edit]:
        return joined(edit for change in self.changes for edit in change.edits(state))

    def refusals(self, state: State) -> Iterator[Fault]:
        for change in self.changes:
            yield from refusals(state, change)

    def sentence(self, state: State) -> str:
        return self.told


def _by_kind(rows: Iterable[Any]) -> dict[type[Any], list[Any]]:
    by_kind: dict[type[Any], list[Any]] = {}
    for row in rows:
        by_kind.setdefault(type(row), []).append(row)
    return by_kind


@change
class PutRows:
    """Many rows in one act, added or put in the place of those with their keys: a hundred thousand cost as
    little as they can."""

    rows: tuple[Any, ...]
    told: str

    def edits(self, state: State) -> list[Edit]:
        rows: list[Edit] = []
        for kind, own in _by_kind(self.rows).items():
            table, parts = BY_ROW[kind], dict[Any, Any]()
            keys, name, first = table.keys, table.name, table.keys > 1
            for row in own:
                key = tuple(row[:keys])
                part = parts.get(key[0]) if first else None
                if part is None and first:
                    part = parts[key[0]] = state.part(kind, key[0])
                old = part.get(key) if part is not None else state.get(kind, *key)
                if old != row:
                    rows.append(Edit(name, key, old, row))
        return rows

    def refusals(self, state: State) -> Iterator[Fault]:
        for kind, rows in _by_kind(self.rows).items():
            table = BY_ROW[kind]
            if len({row[: table.keys] for row in rows}) == len(rows):
                continue
            for key, count in Counter(row[: table.keys] for row in rows).items():
                if count > 1:
                    what = f"One {table.noun} stands here twice."
                    yield Fault("taken", what, Location(table.name, key), "Put each row once.")

    def sentence(self, state: State) -> str:
        return self.told


def joined(edits: Iterable[Edit]) -> list[Edit]:
    """Several edits of one row as one, in the order in which rows were first touched."""
    by_key: dict[tuple[str, Key], Edit] = {}
    for edit in edits:
        before = by_key.get((edit.table, edit.key))
        by_key[(edit.table, edit.key)] = Edit(
            edit.table, edit.key, before.old if before else edit.old, edit.new
        )
    return [edit for edit in by_key.values() if edit.old != edit.new]


@change
class Restore:
    """Takes edits back. Where a row was changed again since, that is a fault."""

    turned: tuple[Edit, ...]
    of: str

    def edits(self, state: State) -> list[Edit]:
        return [edit for edit in self.turned if edit.old != edit.new]

    def sentence(self, state: State) -> str:
        return f"Took back: {self.of[:1].lower()}{self.of[1:]}"

    def refusals(self, state: State) -> Iterator[Fault]:
        for edit in self.turned:
            if state.get(TABLES[edit.table].row, *edit.key) != edit.old:
                row = edit.old if edit.old is not None else edit.new
                yield Fault(
                    "changed-since",
                    f"The {named(row)} was changed again since.",
                    Location(edit.table, edit.key),
                    "Take the later change back first.",
                )


@change
class AddCode:
    """A new code, placed below a rollup code of the list's main hierarchy if one is given.

    A code that is there is never written over. A rollup code takes no amounts, so it posts nowhere and has no
    class.
    """

    row: Code
    parent: str = ""

    def edits(self, state: State) -> list[Edit]:
        put_edits = Put(settled(self.row)).edits(state)
        main = main_hierarchies(state).get(self.row.code_list)
        if main and (self.parent or self.row.rollup):
            put_edits += MoveNode(main, self.row.code, self.parent).edits(state)
        return put_edits

    def refusals(self, state: State) -> Iterator[Fault]:
        if (there := state.get(Code, self.row.code_list, self.row.code)) is not None:
            yield Fault(
                "taken",
                f"{there.code} is taken by {there.name}.",
                Location("codes", (there.code_list, there.code), "code"),
                f"The next free code is {next_free(state, there.code_list, there.code)}.",
            )

    def sentence(self, state: State) -> str:
        return f"Added {named(self.row)}" + (f" under {self.parent}" if self.parent else "")


def settled(row: Code) -> Code:
    """A rollup code never posts and has no class, whatever a form or a file says of it by default."""
    return row._replace(posting=False, account_class="", contra=False) if row.rollup else row


@change
class CloseCode:
    """A last day of use for a code; None opens it again."""

    code_list: str
    code: str
    until: date | None

    def edits(self, state: State) -> list[Edit]:
        row = state.get(Code, self.code_list, self.code)
        return Put(row._replace(in_use_until=self.until)).edits(state) if row else []

    def sentence(self, state: State) -> str:
        row = state.get(Code, self.code_list, self.code)
        what = named(row) if row else self.code
        return f"Closed {what} from {self.until} on" if self.until else f"Reopened {what}"


@change
class DeleteCode:
    """Deletes an unused code with its own places in hierarchies, its names, properties and doubts set
    aside."""

    code_list: str
    code: str

    def edits(self, state: State) -> list[Edit]:
        row = state.get(Code, self.code_list, self.code)
        if row is None:
            return []
        places = [
            n
            for n in state.rows(HierarchyNode)
            if n.code == self.code and _list_of(state, n) == self.code_list
        ]
        return joined(
            edit for own in (*places, *belongings(state, row), row) for edit in Drop(own).edits(state)
        )

    def sentence(self, state: State) -> str:
        row = state.get(Code, self.code_list, self.code)
        return f"Deleted {named(row) if row else self.code}"


def _list_of(state: State, node: HierarchyNode) -> str:
    hierarchy_row = state.get(Hierarchy, node.hierarchy)
    return hierarchy_row.code_list if hierarchy_row else ""


def renumbered(rows: list[Any], moving: Any, before: str, name: str) -> list[Change]:
    """Puts `moving` among its new neighbours, before the one named (or last), numbering only what must
    change."""
    place = next((i for i, row in enumerate(rows) if getattr(row, name) == before), len(rows))
    ordered = [*rows[:place], moving, *rows[place:]]
    return [Put(row._replace(position=(i + 1) * 10)) for i, row in enumerate(ordered)]


@change
class MoveNode:
    """Places a code in a hierarchy: below `parent` (empty: at the top), before a neighbour or last."""

    hierarchy: str
    code: str
    parent: str
    before: str = ""

    def edits(self, state: State) -> list[Edit]:
        below = tree(state, self.hierarchy).children.get(self.parent, ())
        part = [state.get(HierarchyNode, self.hierarchy, code) for code in below]  # None: an intake's
        own = state.get(HierarchyNode, self.hierarchy, self.code)
        moving = (own or HierarchyNode(self.hierarchy, self.code))._replace(parent=self.parent)
        near = sorted(
            (node for node in part if node is not None and node.code != self.code),
            key=lambda n: order_key(n.position, n.code),
        )
        if not self.before and all(node.position is None for node in near):
            return Put(moving._replace(position=None)).edits(state)
        return ChangeSequence(tuple(renumbered(near, moving, self.before, "code"))).edits(state)

    def sentence(self, state: State) -> str:
        was = state.get(HierarchyNode, self.hierarchy, self.code)
        where = f"under {self.parent}" if self.parent else "to the top"
        return f"Moved {self.code} {where} in {self.hierarchy}" + (
            f", from {was.parent or 'the top'}" if was else ""
        )
