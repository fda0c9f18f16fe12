"""Every change of a definition as a value. Each can say its edits, a sentence, and be taken back.

Screens, file import, rollouts and commands all make these and hand them to one action (web/definitions/actions.py).
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import date
from typing import Any, Protocol, TypeVar, dataclass_transform

from core import checks, selectors
from core.faults import Fault, Place
from core.fixed import Facts, transition_faults
from core.hierarchies import main_hierarchies, order_key
from core.parsing import read_value, write_cell
from core.state import Edit, Key, State
from core.statements import natural_list, plan
from core.tables import (
    BY_ROW,
    TABLES,
    Code,
    Company,
    Hierarchy,
    HierarchyNode,
    Mapping,
    PairingCondition,
    PairingRule,
    StatementLine,
)

T = TypeVar("T")


class Change(Protocol):
    """A change of definitions. `edits` are worked out against the state it is made on."""

    def edits(self, state: State) -> list[Edit]: ...

    def sentence(self, state: State) -> str: ...


KINDS: dict[str, type[Any]] = {}
"""Every kind of change by its name, for reading a draft back."""


@dataclass_transform(frozen_default=True)
def change(kind: type[T]) -> type[T]:
    """Makes a class a frozen value and known by its name."""
    made = dataclass(frozen=True, slots=True)(kind)
    KINDS[made.__name__] = made
    return made


def apply(state: State, change: Change) -> State:
    return state.edited(change.edits(state))


def inverse(state: State, change: Change) -> Change:
    """The change that takes it back, as seen from the state before it."""
    return Restore(tuple(edit.turned() for edit in reversed(change.edits(state))), change.sentence(state))


def check(state: State, change: Change, facts: Facts) -> list[Fault]:
    """All faults of making this change now: of the rows it leaves, and of what may not change any more."""
    edits = change.edits(state)
    after = state.edited(edits)
    return [*transition_faults(state, after, edits, facts), *checks.of_edits(after, edits)]


NOUNS = {
    "code_lists": "code list", "codes": "code", "code_names": "name", "list_properties": "property",
    "code_properties": "property", "doubts_set_aside": "doubt set aside", "hierarchies": "hierarchy", "hierarchy_nodes": "place",
    "structures": "structure", "structure_segments": "segment", "dimensions": "dimension", "charts": "chart",
    "chart_segments": "segment rule", "chart_dimensions": "dimension", "pairing_rules": "pairing rule",
    "pairing_conditions": "condition", "account_strings": "account string", "quick_codes": "quick code",
    "overlays": "overlay", "overlay_codes": "local code", "calendars": "calendar", "periods": "period",
    "companies": "company", "company_codes": "company code", "company_accounts": "company account",
    "intercompany_pairs": "intercompany pair", "statements": "statement", "statement_lines": "line", "groups": "group",
    "group_members": "member", "mappings": "mapping row", "rates": "rate", "eliminations": "elimination", "budgets": "budget",
}  # fmt: skip


def named(row: Any) -> str:
    """A row in words: code 11250 Seed stock of accounts."""
    table = BY_ROW[type(row)]
    key = [write_cell(part) for part in table.key(row)]
    label = getattr(row, "name", "") or getattr(row, "label", "")
    own = " ".join(key[1:]) or key[0]
    of = f" of {key[0]}" if len(key) > 1 else ""
    return f"{NOUNS[table.name]} {own}{f' {label}' if label else ''}{of}"


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
            parts.append(f"{column.name} from {write_cell(was) or 'nothing'} to {write_cell(now) or 'nothing'}")
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
    """Puts other values into some columns of a row, leaving the rest as it is by then. `values`: (column, cell)."""

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
        return edit_sentence(edits[0]) if edits else f"Left {NOUNS[self.table]} {' '.join(self.key)} as it was"


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


@change
class Several:
    """Changes made one after the other in one act."""

    changes: tuple[Change, ...]
    told: str = ""

    def edits(self, state: State) -> list[Edit]:
        found: list[Edit] = []
        for change in self.changes:
            edits = change.edits(state)
            found += edits
            state = state.edited(edits)
        return joined(found)

    def sentence(self, state: State) -> str:
        if self.told:
            return self.told
        first = self.changes[0].sentence(state) if self.changes else "Changed nothing"
        return first if len(self.changes) < 2 else f"{first}, and {len(self.changes) - 1} more"


@change
class Together:
    """Changes of different rows in one act. None sees what the others do, so a thousand cost a thousand, not a million."""

    changes: tuple[Change, ...]
    told: str

    def edits(self, state: State) -> list[Edit]:
        return joined(edit for change in self.changes for edit in change.edits(state))

    def sentence(self, state: State) -> str:
        return self.told


def joined(edits: Iterable[Edit]) -> list[Edit]:
    """Several edits of one row as one, in the order in which rows were first touched."""
    found: dict[tuple[str, Key], Edit] = {}
    for edit in edits:
        before = found.get((edit.table, edit.key))
        found[(edit.table, edit.key)] = Edit(edit.table, edit.key, before.old if before else edit.old, edit.new)
    return [edit for edit in found.values() if edit.old != edit.new]


@change
class Restore:
    """Takes edits back. Where a row was changed again since, that is a fault (see `collisions`)."""

    turned: tuple[Edit, ...]
    of: str

    def edits(self, state: State) -> list[Edit]:
        return [edit for edit in self.turned if edit.old != edit.new]

    def sentence(self, state: State) -> str:
        return f"Took back: {self.of[:1].lower()}{self.of[1:]}"

    def collisions(self, state: State) -> Iterator[Fault]:
        for edit in self.turned:
            if state.get(TABLES[edit.table].row, *edit.key) != edit.old:
                row = edit.old if edit.old is not None else edit.new
                yield Fault("changed-since", f"The {named(row)} was changed again since.", Place(edit.table, edit.key),
                            "Take the later change back first.")  # fmt: skip


@change
class AddCode:
    """A new code, placed below a rollup code of the list's main hierarchy if one is given."""

    row: Code
    parent: str = ""

    def edits(self, state: State) -> list[Edit]:
        found = Put(self.row).edits(state)
        main = main_hierarchies(state).get(self.row.code_list)
        if main and (self.parent or self.row.rollup):
            found += MoveNode(main, self.row.code, self.parent).edits(state)
        return found

    def sentence(self, state: State) -> str:
        return f"Added {named(self.row)}" + (f" under {self.parent}" if self.parent else "")


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
    """Deletes an unused code and its own places in hierarchies."""

    code_list: str
    code: str

    def edits(self, state: State) -> list[Edit]:
        row = state.get(Code, self.code_list, self.code)
        if row is None:
            return []
        places = [n for n in state.rows(HierarchyNode) if n.code == self.code and _list_of(state, n) == self.code_list]
        return Several((*(Drop(place) for place in places), Drop(row))).edits(state)

    def sentence(self, state: State) -> str:
        row = state.get(Code, self.code_list, self.code)
        return f"Deleted {named(row) if row else self.code}"


def _list_of(state: State, node: HierarchyNode) -> str:
    head = state.get(Hierarchy, node.hierarchy)
    return head.code_list if head else ""


def _renumbered(rows: list[Any], moving: Any, before: str, name: str) -> list[Change]:
    """Puts `moving` among its new neighbours, before the one named (or last), numbering only what must change."""
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
        part = state.part(HierarchyNode, self.hierarchy).values()
        own = state.get(HierarchyNode, self.hierarchy, self.code)
        moving = (own or HierarchyNode(self.hierarchy, self.code))._replace(parent=self.parent)
        near = sorted(
            (n for n in part if n.parent == self.parent and n.code != self.code), key=lambda n: order_key(n.position, n.code)
        )
        if not self.before and all(node.position is None for node in near):
            return Put(moving._replace(position=None)).edits(state)
        return Several(tuple(_renumbered(near, moving, self.before, "code"))).edits(state)

    def sentence(self, state: State) -> str:
        was = state.get(HierarchyNode, self.hierarchy, self.code)
        where = f"under {self.parent}" if self.parent else "to the top"
        return f"Moved {self.code} {where} in {self.hierarchy}" + (f", from {was.parent or 'the top'}" if was else "")


@change
class MoveLine:
    """Places a statement line below a heading (empty: at the top), before a neighbour or last; adds it if new."""

    row: StatementLine
    parent: str
    before: str = ""

    def edits(self, state: State) -> list[Edit]:
        part = state.part(StatementLine, self.row.statement).values()
        near = sorted(
            (n for n in part if n.parent == self.parent and n.line != self.row.line), key=lambda n: order_key(n.position, n.line)
        )
        moving = self.row._replace(parent=self.parent)
        return Several(tuple(_renumbered(near, moving, self.before, "line"))).edits(state)

    def sentence(self, state: State) -> str:
        known = state.get(StatementLine, self.row.statement, self.row.line)
        where = f"under {self.parent}" if self.parent else "at the top"
        return f"{'Moved' if known else 'Added'} {named(self.row)} {where}"


@change
class DeleteLine:
    """Deletes a line with all below it; their accounts become unplaced."""

    statement: str
    line: str

    def edits(self, state: State) -> list[Edit]:
        made = plan(state, self.statement)
        if made is None or self.line not in made.index:
            return []
        start = made.index[self.line]
        end = made.end_of(start)
        return Several(tuple(Drop(line.row) for line in made.lines[start:end])).edits(state)

    def sentence(self, state: State) -> str:
        row = state.get(StatementLine, self.statement, self.line)
        return f"Deleted {named(row) if row else self.line}"


@change
class PlaceAccounts:
    """Puts accounts on one line of a statement, taking them off any other line."""

    statement: str
    line: str
    codes: tuple[str, ...]

    def edits(self, state: State) -> list[Edit]:
        made = plan(state, self.statement)
        target = state.get(StatementLine, self.statement, self.line)
        if made is None or target is None:
            return []
        rows: dict[str, StatementLine] = {target.line: target}
        for code in self.codes:
            at = made.accounts.position.get(code)
            on = made.lines[made.line_of[at]].row if at is not None and made.line_of[at] >= 0 else None
            if on is not None and on.line != target.line:
                row = rows.get(on.line, on)
                rows[on.line] = row._replace(accounts=selectors.without(state, made.accounts.code_list, row.accounts, code))
            if on is None or on.line != target.line:
                goal = rows[target.line]
                text = selectors.with_code(state, made.accounts.code_list, goal.accounts, code) if goal.accounts else code
                rows[target.line] = goal._replace(accounts=text)
        return Several(tuple(Put(row) for row in rows.values())).edits(state)

    def sentence(self, state: State) -> str:
        row = state.get(StatementLine, self.statement, self.line)
        return f"Placed {', '.join(self.codes)} on {named(row) if row else self.line}"


@change
class MapAccounts:
    """Maps a company's own accounts to a group account, by a row of its own or in the one that goes there already."""

    group: str
    company: str
    codes: tuple[str, ...]
    target: str

    def edits(self, state: State) -> list[Edit]:
        rows = sorted(
            (r for r in state.part(Mapping, self.group).values() if r.company == self.company), key=lambda r: r.position
        )
        company = state.get(Company, self.company)
        own = natural_list(state, company.chart) if company else ""
        for row in rows:
            if row.target == self.target and not row.field:
                text = row.accounts
                for code in self.codes:
                    text = selectors.with_code(state, own, text, code)
                return Put(row._replace(accounts=text)).edits(state)
        position = (rows[-1].position // 10 + 1) * 10 if rows else 10
        made = Mapping(self.group, self.company, position, ", ".join(self.codes), target=self.target)
        return Put(made).edits(state)

    def sentence(self, state: State) -> str:
        return f"Mapped {', '.join(self.codes)} of {self.company} to {self.target} in {self.group}"


@change
class DropRule:
    """Deletes a pairing rule with its conditions."""

    row: PairingRule

    def edits(self, state: State) -> list[Edit]:
        conditions = [c for c in state.part(PairingCondition, self.row.chart).values() if c.rule == self.row.rule]
        return Several((*(Drop(c) for c in conditions), Drop(self.row))).edits(state)

    def sentence(self, state: State) -> str:
        return f"Deleted {named(self.row)}"
