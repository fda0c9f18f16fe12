"""A first statement from what is there: the classes of the accounts and the main hierarchy."""

from __future__ import annotations

from core.changes import Put, Several
from core.codes import list_index
from core.hierarchies import Tree, main_tree
from core.state import State
from core.statements import natural_list
from core.tables import Chart, Statement, StatementLine

SHORT = {"balance_sheet": "bs", "income_statement": "is"}
NAMES = {"balance_sheet": "Balance sheet", "income_statement": "Income statement"}
CLASSES = {
    "balance_sheet": [("asset", "Assets"), ("liability", "Liabilities"), ("equity", "Equity")],
    "income_statement": [("revenue", "Revenue"), ("expense", "Expenses")],
}


def free_id(state: State, chart: str, kind: str) -> str:
    base = SHORT[kind]
    return base if state.get(Statement, base) is None else f"{base}-{chart}"[:40]


def _top_rollups(tree: Tree, codes: set[str]) -> list[str]:
    """The highest rollup codes that hold only codes of the set, in order; what they leave out stays single."""
    found: list[str] = []
    covered: set[str] = set()
    for code, _ in tree.order:
        if code in covered:
            continue
        below = tree.below(code)
        leaves = [c for c in below if c not in tree.children]
        if below and leaves and all(c in codes for c in leaves):
            deeper = [c for c in tree.children.get(code, []) if c in tree.children]
            if len(deeper) > 1:
                continue
            found.append(code)
            covered.update(below)
    return found


def proposal(state: State, chart: str, kind: str) -> Several:
    """A heading a class, a line for each rollup code that holds only that class, single accounts for the rest."""
    code_list = natural_list(state, chart)
    index = list_index(state, code_list)
    tree = main_tree(state, code_list)
    name = free_id(state, chart, kind)
    rows: list[StatementLine] = []
    position = 0

    def add(line: str, parent: str, label: str, what: str, accounts: str = "") -> None:
        nonlocal position
        position += 10
        rows.append(StatementLine(name, line, parent, position, label, what, accounts))

    whole = kind == "income_statement"
    if whole:
        add("result", "", "Result", "heading")
    for klass, label in CLASSES[kind]:
        codes = {c for c in index.posting if index.codes[c].account_class == klass}
        if not codes:
            continue
        add(klass, "result" if whole else "", label, "heading")
        placed: set[str] = set()
        for rollup in _top_rollups(tree, codes) if tree else []:
            add(f"{klass}-{rollup}", klass, index.codes[rollup].name, "accounts", f"under {rollup}")
            placed.update(tree.below(rollup) if tree else [])
        for code in sorted(codes - placed):
            add(f"{klass}-{code}", klass, index.codes[code].name, "accounts", code)
    if kind == "balance_sheet":
        add("result", "equity" if any(row.line == "equity" for row in rows) else "", "Result", "result")
    head = state.get(Chart, chart)
    title = NAMES[kind]
    changes = (Put(Statement(name, title, chart, kind)), *(Put(row) for row in rows))
    return Several(changes, f"Made {title.lower()} {name} of {head.name if head else chart} from its classes and hierarchy")
