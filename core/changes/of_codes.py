"""Changes of many codes in one act, worked out in one pass: a copy of the list for each code would take
seconds."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from datetime import date

from core.changes.kinds import Add, Change, ChangeSequence, ChangeSet, Drop, MoveNode, Put, change
from core.codes.hierarchies import Tree, main_hierarchies, order_key, tree
from core.codes.lists import list_index
from core.definitions.nouns import named
from core.definitions.parsing import read_value
from core.definitions.state import Edit, Key, State
from core.definitions.tables import TABLES, Code, CodeProperty, Hierarchy, HierarchyNode
from core.faults import Fault, Location


def _count(codes: tuple[str, ...]) -> str:
    return codes[0] if len(codes) == 1 else f"{len(codes):,} codes"


@change
class AmendCodes:
    """Puts the same values into the same columns of many codes of a list. `values`: (column, cell)."""

    code_list: str
    codes: tuple[str, ...]
    values: tuple[tuple[str, str], ...]

    def edits(self, state: State) -> list[Edit]:
        table = TABLES["codes"]
        values = {name: read_value(table.by_name[name], cell) for name, cell in self.values}
        rows = [row for code in self.codes if (row := state.get(Code, self.code_list, code))]
        pairs = ((row, row._replace(**values)) for row in rows)
        return [Edit("codes", (row.code_list, row.code), row, new) for row, new in pairs if row != new]

    def sentence(self, state: State) -> str:
        text = ", ".join(f"{name} {cell or 'empty'}" for name, cell in self.values)
        return f"Set {text} for {_count(self.codes)} of {self.code_list}"


@change
class MoveNodes:
    """Places many codes below one rollup code, after what stands there, in the order given."""

    hierarchy: str
    codes: tuple[str, ...]
    parent: str

    def edits(self, state: State) -> list[Edit]:
        part = state.part(HierarchyNode, self.hierarchy)
        moving = dict.fromkeys(self.codes)
        near = [node for node in part.values() if node.parent == self.parent and node.code not in moving]
        near.sort(key=lambda node: order_key(node.position, node.code))
        numbered = any(node.position is not None for node in near)
        rows = [node._replace(position=(i + 1) * 10) if numbered else node for i, node in enumerate(near)]
        for i, code in enumerate(moving, len(near)):
            node = part.get((self.hierarchy, code)) or HierarchyNode(self.hierarchy, code)
            rows.append(node._replace(parent=self.parent, position=(i + 1) * 10 if numbered else None))
        return [
            Edit("hierarchy_nodes", (row.hierarchy, row.code), old, row)
            for row in rows
            if (old := part.get((row.hierarchy, row.code))) != row
        ]

    def sentence(self, state: State) -> str:
        where = f"under {self.parent}" if self.parent else "to the top"
        return f"Moved {_count(self.codes)} {where} in {self.hierarchy}"


@change
class BringCodes:
    """Rows of codes as a file brings them, with the rollup code each stands below (None: as it is) and
    properties."""

    rows: tuple[Code, ...]
    parents: tuple[str | None, ...]
    properties: tuple[CodeProperty, ...] = ()

    def edits(self, state: State) -> list[Edit]:
        rows = []
        for row in self.rows:
            key = (row.code_list, row.code)
            if (old := state.get(Code, *key)) != row:
                rows.append(Edit("codes", key, old, row))
        for row, parent in zip(self.rows, self.parents, strict=True):
            main = main_hierarchies(state).get(row.code_list)
            if main is None or parent is None:
                continue
            node = state.get(HierarchyNode, main, row.code)
            if node is None or node.parent != parent:
                new = (node or HierarchyNode(main, row.code))._replace(parent=parent, position=None)
                rows.append(Edit("hierarchy_nodes", (main, row.code), node, new))
        for value in self.properties:
            own = (value.code_list, value.code, value.property)
            code_property_row = state.get(CodeProperty, *own)
            new_value = value if value.value else None
            if code_property_row != new_value:
                rows.append(Edit("code_properties", own, code_property_row, new_value))
        return rows

    def sentence(self, state: State) -> str:
        new = sum(state.get(Code, row.code_list, row.code) is None for row in self.rows)
        if len(self.rows) == 1:
            return f"{'Added' if new else 'Changed'} {named(self.rows[0])}"
        return (
            f"Brought in {len(self.rows):,} codes of {self.rows[0].code_list if self.rows else ''}, {new:,}"
            " of them new"
        )


@change
class TakeOut:
    """Takes codes out of a hierarchy; the codes themselves stay. What stands below them moves up to where
    they stood
    (`along` false), or leaves with them."""

    hierarchy: str
    codes: tuple[str, ...]
    along: bool = False

    def edits(self, state: State) -> list[Edit]:
        part = state.part(HierarchyNode, self.hierarchy)
        gone = {code for code in self.codes if (self.hierarchy, code) in part}
        if self.along:
            grown = tree(state, self.hierarchy)
            gone |= {below for code in gone for below in grown.below(code) if (self.hierarchy, below) in part}
        moved = [row for row in part.values() if row.code not in gone and row.parent in gone]
        changes: list[Change] = [
            Put(row._replace(parent=self._staying(part, row.parent, gone), position=None)) for row in moved
        ]
        changes += [Drop(part[(self.hierarchy, code)]) for code in sorted(gone)]
        return ChangeSet(tuple(changes), "").edits(state)

    @staticmethod
    def _staying(part: Mapping[Key, HierarchyNode], code: str, gone: set[str]) -> str:
        while code in gone:
            code = next((row.parent for row in part.values() if row.code == code), "")
        return code

    def below(self, state: State) -> int:
        """How many codes stand below those that are taken out, placed there by hand."""
        part, grown = state.part(HierarchyNode, self.hierarchy), tree(state, self.hierarchy)
        standing = {
            below for code in self.codes for below in grown.below(code) if (self.hierarchy, below) in part
        }
        return len(standing - set(self.codes))

    def refusals(self, state: State) -> Iterator[Fault]:
        part = state.part(HierarchyNode, self.hierarchy)
        for code in self.codes:
            if (self.hierarchy, code) not in part:
                yield Fault(
                    "not-placed",
                    f"{code} was not placed by hand in {self.hierarchy}.",
                    Location("hierarchy_nodes", (self.hierarchy, code), "code"),
                    "Take it out of the intake that takes it in.",
                )

    def sentence(self, state: State) -> str:
        below = self.below(state)
        what = f"{below:,} {'code' if below == 1 else 'codes'} below"
        more = f", with {what}" if self.along and below else f"; {what} moved up" if below else ""
        return (
            f"Took {', '.join(self.codes[:6])}{' …' if len(self.codes) > 6 else ''} out of"
            f" {self.hierarchy}{more}"
        )


@change
class KeepVersion:
    """Keeps the present shape of a hierarchy as a version that holds until a day; from then on it may take
    another."""

    hierarchy: str
    version: str
    on: date

    def edits(self, state: State) -> list[Edit]:
        hierarchy_row = state.get(Hierarchy, self.hierarchy)
        if hierarchy_row is None:
            return []
        hierarchy = Hierarchy(
            self.version,
            hierarchy_row.code_list,
            f"{hierarchy_row.name} until {self.on}",
            False,
            self.hierarchy,
            hierarchy_row.holds_from,
        )
        return ChangeSequence(
            (copied(state, self.hierarchy, hierarchy), Put(hierarchy_row._replace(holds_from=self.on)))
        ).edits(state)

    def refusals(self, state: State) -> Iterator[Fault]:
        hierarchy_row = state.get(Hierarchy, self.hierarchy)
        if hierarchy_row is None or hierarchy_row.version_of:
            yield Fault("version", "A kept version has no versions of its own.")
        elif hierarchy_row.holds_from and self.on <= hierarchy_row.holds_from:
            what = f"It holds from {hierarchy_row.holds_from} already."
            yield Fault("dates", what, Location(column="on"), "Give a later day.")
        elif state.get(Hierarchy, self.version) is not None:
            yield Fault("taken", f"There is a hierarchy {self.version} already.")

    def sentence(self, state: State) -> str:
        hierarchy_row = state.get(Hierarchy, self.hierarchy)
        return f"Kept {named(hierarchy_row) if hierarchy_row else self.hierarchy} as it holds until {self.on}"


def shifted(state: State, made: Tree, code: str, way: str) -> MoveNode | None:
    """The move of a code among its neighbours or between levels: up, down, deeper, higher; None where there
    is no room."""
    parent = made.parent.get(code, "")
    near = made.children.get(parent, [])
    at = near.index(code)
    if way == "up" and at:
        return MoveNode(made.hierarchy, code, parent, near[at - 1])
    if way == "down" and at + 1 < len(near):
        return MoveNode(made.hierarchy, code, parent, near[at + 2] if at + 2 < len(near) else "")
    if way == "deeper" and at and (above := state.get(Code, made.code_list, near[at - 1])) and above.rollup:
        return MoveNode(made.hierarchy, code, near[at - 1])
    if way == "higher" and parent:
        grand = made.parent.get(parent, "")
        uncles = made.children.get(grand, [])
        after = uncles.index(parent) + 1
        return MoveNode(made.hierarchy, code, grand, uncles[after] if after < len(uncles) else "")
    return None


def copied(state: State, source: str, head: Hierarchy) -> ChangeSequence:
    """A new hierarchy in the shape of another one."""
    nodes = state.part(HierarchyNode, source).values()
    rows = tuple(Put(node._replace(hierarchy=head.hierarchy)) for node in nodes)
    return ChangeSequence(
        (Add(head), *rows), f"Made {named(head)} in the shape of {source}, {len(rows):,} codes"
    )


def by_beginnings(state: State, head: Hierarchy, length: int) -> ChangeSequence:
    """A new hierarchy proposed from leading characters: rollup codes of that length take in what begins with
    them."""
    index = list_index(state, head.code_list)
    ordered = sorted({code[:length] for code in index.posting if len(code) > length})
    changes: list[Change] = [Add(head)]
    for text in ordered:
        row = index.codes.get(text)
        if row is None:
            changes.append(Put(Code(head.code_list, text, f"Codes that begin with {text}", True, False)))
        if row is None or row.rollup:
            changes.append(Put(HierarchyNode(head.hierarchy, text, "", None, f"{text}*")))
    return ChangeSequence(
        tuple(changes),
        f"Proposed {named(head)} from the first {length} characters, {len(ordered):,} rollup codes",
    )
