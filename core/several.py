"""Changes of many codes in one act, worked out in one pass: a copy of the list for each code would take seconds."""

from __future__ import annotations

from core.changes import Change, MoveNode, Put, Several, change, named
from core.codes import list_index
from core.hierarchies import Tree, main_hierarchies, order_key
from core.parsing import read_value
from core.state import Edit, State
from core.tables import TABLES, Code, CodeProperty, Hierarchy, HierarchyNode


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
        made = ((row, row._replace(**values)) for row in rows)
        return [Edit("codes", (row.code_list, row.code), row, new) for row, new in made if row != new]

    def sentence(self, state: State) -> str:
        told = ", ".join(f"{name} {cell or 'empty'}" for name, cell in self.values)
        return f"Set {told} for {_count(self.codes)} of {self.code_list}"


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
    """Rows of codes as a file brings them, with the rollup code each stands below (None: as it is) and properties."""

    rows: tuple[Code, ...]
    parents: tuple[str | None, ...]
    properties: tuple[CodeProperty, ...] = ()

    def edits(self, state: State) -> list[Edit]:
        found = []
        for row in self.rows:
            key = (row.code_list, row.code)
            if (old := state.get(Code, *key)) != row:
                found.append(Edit("codes", key, old, row))
        for row, parent in zip(self.rows, self.parents, strict=True):
            main = main_hierarchies(state).get(row.code_list)
            if main is None or parent is None:
                continue
            node = state.get(HierarchyNode, main, row.code)
            if node is None or node.parent != parent:
                new = (node or HierarchyNode(main, row.code))._replace(parent=parent, position=None)
                found.append(Edit("hierarchy_nodes", (main, row.code), node, new))
        for value in self.properties:
            own = (value.code_list, value.code, value.property)
            kept = state.get(CodeProperty, *own)
            new_value = value if value.value else None
            if kept != new_value:
                found.append(Edit("code_properties", own, kept, new_value))
        return found

    def sentence(self, state: State) -> str:
        new = sum(state.get(Code, row.code_list, row.code) is None for row in self.rows)
        if len(self.rows) == 1:
            return f"{'Added' if new else 'Changed'} {named(self.rows[0])}"
        return f"Brought in {len(self.rows):,} codes of {self.rows[0].code_list if self.rows else ''}, {new:,} of them new"


def shifted(state: State, made: Tree, code: str, way: str) -> MoveNode | None:
    """The move of a code among its neighbours or between levels: up, down, deeper, higher; None where there is no room."""
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


def copied(state: State, source: str, head: Hierarchy) -> Several:
    """A new hierarchy in the shape of another one."""
    nodes = state.part(HierarchyNode, source).values()
    rows = tuple(Put(node._replace(hierarchy=head.hierarchy)) for node in nodes)
    return Several((Put(head), *rows), f"Made {named(head)} in the shape of {source}, {len(rows):,} codes")


def by_beginnings(state: State, head: Hierarchy, length: int) -> Several:
    """A new hierarchy proposed from leading characters: rollup codes of that length take in what begins with them."""
    index = list_index(state, head.code_list)
    found = sorted({code[:length] for code in index.posting if len(code) > length})
    changes: list[Change] = [Put(head)]
    for text in found:
        row = index.codes.get(text)
        if row is None:
            changes.append(Put(Code(head.code_list, text, f"Codes that begin with {text}", True, False)))
        if row is None or row.rollup:
            changes.append(Put(HierarchyNode(head.hierarchy, text, "", None, f"{text}*")))
    return Several(tuple(changes), f"Proposed {named(head)} from the first {length} characters, {len(found):,} rollup codes")
