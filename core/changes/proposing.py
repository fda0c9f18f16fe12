"""A new statement from what is there: the classes of the accounts, a hierarchy, another statement, or
nothing."""

from __future__ import annotations

from core.cash_flow.activities import CASH, RESULT, SECTIONS, cash_accounts, section_of
from core.changes.kinds import Add, Amend, ChangeSequence
from core.codes.hierarchies import Tree, main_tree, tree
from core.codes.lists import ListIndex, list_index
from core.definitions.kinds import CLASSES as CLASSES_OF_ALL
from core.definitions.nouns import free_id
from core.definitions.state import State
from core.definitions.statement_rows import CASH_TAKEN_OVER, RATE_EFFECT, WITH_AMOUNT
from core.definitions.tables import Chart, Hierarchy, Statement, StatementLine
from core.faults import Fault, Location, Refused
from core.statements.plans import natural_list

SHORT = {"balance_sheet": "bs", "income_statement": "is", "cash_flow": "cf", "direct_cash_flow": "cfd"}
NAMES = {
    "balance_sheet": "Balance sheet",
    "income_statement": "Income statement",
    "cash_flow": "Cash flow",
    "direct_cash_flow": "Direct cash flow",
}
CLASSES = {
    "balance_sheet": [("asset", "Assets"), ("liability", "Liabilities"), ("equity", "Equity")],
    "income_statement": [("revenue", "Revenue"), ("expense", "Expenses")],
}


def _top_rollups(tree: Tree, codes: set[str]) -> list[str]:
    """The highest rollup codes that hold only codes of the set, in order; what they leave out stays
    single."""
    texts: list[str] = []
    covered: set[str] = set()
    for code in tree.codes:
        if code in covered:
            continue
        below = tree.below(code)
        leaves = [c for c in below if c not in tree.children]
        if below and leaves and all(c in codes for c in leaves):
            deeper = [c for c in tree.children.get(code, []) if c in tree.children]
            if len(deeper) > 1:
                continue
            texts.append(code)
            covered.update(below)
    return texts


def new_statement(state: State, title: str, chart: str, kind: str, source: str) -> ChangeSequence:
    """A statement of a chart. `source`: `classes`, `empty`, `hierarchy` or `statement` with a colon and its
    id.

    Raises Refused with its faults.
    """
    if not title:
        raise Refused(
            [Fault("name", "The statement has no name.", Location("statements", (), "name"), "Give one.")]
        )
    if state.get(Chart, chart) is None:
        raise Refused([Fault("reference", "Choose a chart.", Location("statements", (), "chart"))])
    name = free_id(
        SHORT[kind] if kind in SHORT and title == NAMES[kind] else title,
        {row.statement for row in state.rows(Statement)},
        "statement",
    )
    rows = _lines(state, chart, kind, name, source)
    pairs = (Add(Statement(name, title, chart, kind)), *(Add(row) for row in rows))
    sentence = f"Made statement {title} of {chart}, {len(rows)} lines"
    if kind == "direct_cash_flow" and source == "classes" and (marks := _cash_marked(state, chart)):
        codes = ", ".join(mark.key[1] for mark in marks)
        return ChangeSequence((*marks, *pairs), f"{sentence}; cash: {codes}")
    return ChangeSequence(pairs, sentence)


def _cash_marked(state: State, chart: str) -> list[Amend]:
    """Accounts that are most likely cash, marked as cash where none is yet: a direct cash flow needs it."""
    code_list = natural_list(state, chart)
    index = list_index(state, code_list)
    if cash_accounts(index):
        return []
    cash = [code for code in index.posting if section_of(state, code_list, code) == CASH]
    return [Amend("codes", (code_list, code), (("cash_flow", CASH),)) for code in cash]


def _lines(state: State, chart: str, kind: str, name: str, source: str) -> list[StatementLine]:
    what, _, of = source.partition(":")
    if what == "classes" and kind in CLASSES:
        return _from_classes(state, chart, kind, name)
    if what == "classes" and kind in ("cash_flow", "direct_cash_flow"):
        return _cash_flow(state, chart, name, is_direct=kind == "direct_cash_flow")
    hierarchy_row = state.get(Hierarchy, of) if what == "hierarchy" else None
    if hierarchy_row is not None and hierarchy_row.code_list == natural_list(state, chart):
        return _from_hierarchy(state, hierarchy_row, kind, name)
    if what == "statement" and state.get(Statement, of) is not None:
        rows = sorted(state.part(StatementLine, of).values(), key=lambda row: row.position)
        return [row._replace(statement=name) for row in rows]
    if what == "empty":
        return []
    what_is_wrong = "It can't be made from that."
    way_out = (
        "Classes make a balance sheet, an income statement or a cash flow statement, direct or not; a"
        " hierarchy is one of the chart's accounts."
    )
    raise Refused([Fault("reference", what_is_wrong, Location("statements", (), "source", source), way_out)])


def _from_hierarchy(state: State, head: Hierarchy, kind: str, name: str) -> list[StatementLine]:
    """A heading for each rollup code that has rollup codes below it, a line for each that holds posting codes
    only.

    A balance sheet and an income statement leave out what holds none of their classes.
    """
    wanted = {klass for klass, _ in CLASSES.get(kind, ())} or set(CLASSES_OF_ALL)
    grown = _Grown(state, head, name, wanted)
    for code, depth in grown.shape.order:
        if not depth:
            grown.grow(code, "")
    if kind == "balance_sheet":
        grown.add("result", "", "Result", "result")
    return grown.rows


class _Grown:
    """Lines in the shape of a hierarchy, those that hold accounts of the wanted classes."""

    def __init__(self, state: State, head: Hierarchy, name: str, wanted: set[str]) -> None:
        self.shape, self.codes = tree(state, head.hierarchy), list_index(state, head.code_list).codes
        self.name, self.wanted = name, wanted
        self.beside = "" if head.main else f" in {head.hierarchy}"
        self.rows: list[StatementLine] = []

    def add(self, line: str, parent: str, label: str, kind: str, accounts: str = "") -> None:
        position = (len(self.rows) + 1) * 10
        self.rows.append(StatementLine(self.name, line, parent, position, label, kind, accounts))

    def classes_below(self, code: str) -> set[str]:
        leaves = (self.codes[below] for below in self.shape.below(code) if below in self.codes)
        return {leaf.account_class for leaf in leaves if leaf.takes_amounts}

    def grow(self, code: str, parent: str) -> None:
        row = self.codes.get(code)
        if row is None or not row.rollup or not self.classes_below(code) & self.wanted:
            return
        children = [child for child in self.shape.children.get(code, []) if child in self.codes]
        line = f"l{code}"[:40]
        if not any(self.codes[child].rollup for child in children):
            self.add(line, parent, row.name, "accounts", f"under {code}{self.beside}")
            return
        self.add(line, parent, row.name, "heading")
        for child in children:
            if self.codes[child].rollup:
                self.grow(child, line)
            elif self.codes[child].account_class in self.wanted:
                self.add(f"l{child}"[:40], line, self.codes[child].name, "accounts", child)


def _from_classes(state: State, chart: str, kind: str, name: str) -> list[StatementLine]:
    """A heading a class, a line for each rollup code that holds only that class, single accounts for the
    rest."""
    code_list = natural_list(state, chart)
    index = list_index(state, code_list)
    grown = main_tree(state, code_list)
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
        for rollup in _top_rollups(grown, codes) if grown else []:
            add(f"{klass}-{rollup}", klass, index.codes[rollup].name, "accounts", f"under {rollup}")
            placed.update(grown.below(rollup) if grown else [])
        for code in sorted(codes - placed):
            add(f"{klass}-{code}", klass, index.codes[code].name, "accounts", code)
    if kind == "balance_sheet":
        add("result", "equity" if any(row.line == "equity" for row in rows) else "", "Result", "result")
    return rows


FLOWS = {
    "operating": "Cash from operations",
    "investing": "Cash from investing",
    "financing": "Cash from financing",
}


WAYS = {"received": ("Received from", "credit"), "paid": ("Paid for", "debit")}
"""What a direct cash flow tells apart, by the direction of the journals: label, the sign that is shown."""
ACTIVITIES = {"operating": "operations", "investing": "investing", "financing": "financing"}


def _cash_flow(state: State, chart: str, name: str, *, is_direct: bool) -> list[StatementLine]:
    """Indirect: the result and what balances moved, by activity, credit plus; then what cash moved, debit
    plus. Direct: what was received and what was paid, by activity. Both with what a group's cash gained with
    companies and by rates."""
    grown = _GrownFlow(state, chart, name)
    grown.add("gained", "", "Cash gained in all", "", "credit")
    grown.add("flows", "gained", "Cash from all activities", "", "credit")
    for section, label in FLOWS.items():
        if section == "operating" or grown.sections[section]:
            grown.add(section, "flows", label, "", "credit")
        if is_direct:
            grown.received_and_paid(section)
        elif section == "operating":
            grown.operations()
        else:
            grown.below(section, section, "credit", grown.sections[section])
    for kind, label in OF_CASH_LABELS.items():
        grown.of_cash(kind, label)
    if grown.sections[CASH]:
        grown.add("cash", "", "What cash moved", "", "debit")
        grown.below(CASH, "cash", "debit", grown.sections[CASH])
    return grown.rows


OF_CASH_LABELS = {
    CASH_TAKEN_OVER: "Cash that came or went with companies",
    RATE_EFFECT: "What exchange rates did to cash",
}


class _GrownFlow:
    """Lines of a cash flow by the sections that its accounts belong in."""

    def __init__(self, state: State, chart: str, name: str) -> None:
        code_list = natural_list(state, chart)
        self.index, self.tree = list_index(state, code_list), main_tree(state, code_list)
        self.name, self.rows = name, list[StatementLine]()
        self.sections: dict[str, set[str]] = {section: set() for section in SECTIONS}
        for code in self.index.posting:
            if self.index.codes[code].is_statistic:
                continue
            self.sections[section_of(state, code_list, code)].add(code)

    def add(self, line: str, parent: str, label: str, accounts: str, sign: str) -> None:
        kind, position = "accounts" if accounts else "heading", (len(self.rows) + 1) * 10
        self.rows.append(StatementLine(self.name, line, parent, position, label, kind, accounts, sign=sign))

    def of_cash(self, kind: str, label: str) -> None:
        position = (len(self.rows) + 1) * 10
        row = StatementLine(self.name, kind.replace("_", "-"), "gained", position, label, kind)
        self.rows.append(row._replace(shown_when=WITH_AMOUNT))

    def below(self, section: str, parent: str, sign: str, codes: set[str], side: str = "any") -> None:
        """A line for each rollup code, or single account; one of a direction is shown only with an amount."""
        for text, label in _picked(self.index, self.tree, codes):
            self.add(f"{section}-{text.split()[-1]}"[:40], parent, label, text, sign)
            if side != "any":
                self.rows[-1] = self.rows[-1]._replace(side=side, shown_when=WITH_AMOUNT)

    def operations(self) -> None:
        if self.sections[RESULT]:
            texts = [text for text, _ in _picked(self.index, self.tree, self.sections[RESULT])]
            self.add("result", "operating", "Result", ", ".join(texts), "credit")
        self.below("operating", "operating", "credit", self.sections["operating"])

    def received_and_paid(self, section: str) -> None:
        codes = self.sections[section] | (self.sections[RESULT] if section == "operating" else set())
        for way, (label, sign) in WAYS.items() if codes else ():
            line = way if section == "operating" else f"{way}-{section}"
            self.add(line, section, f"{label} {ACTIVITIES[section]}", "", sign)
            self.below(line, line, sign, codes, way)


def _picked(index: ListIndex, grown: Tree | None, codes: set[str]) -> list[tuple[str, str]]:
    """(selector, label) for each rollup code that holds only accounts of a set, then for single ones."""
    rollups = _top_rollups(grown, codes) if grown else []
    placed = {below for rollup in rollups for below in (grown.below(rollup) if grown else ())}
    singles = sorted(codes - placed)
    return [
        *((f"under {rollup}", index.codes[rollup].name) for rollup in rollups),
        *((code, index.codes[code].name) for code in singles),
    ]
