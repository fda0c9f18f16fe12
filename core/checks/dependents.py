"""Rows that a change doesn't touch, but whose checks read what it changed: they must be looked at again.

What each check reads is said here, once. A property test (core/tests/test_soundness.py) makes acts at random
and finds
what is missing.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any

from core.codes.hierarchies import intakes
from core.codes.lists import natural_lists, serving_lists
from core.codes.selector_text import mentions
from core.definitions.state import Edit, State
from core.definitions.tables import (
    AccountString,
    AcquiredEquity,
    Acquisition,
    Arrangement,
    Chart,
    ChartDimension,
    ChartMapping,
    ChartMove,
    ChartSegment,
    Code,
    CodeList,
    CodeProperty,
    ColumnSet,
    Company,
    CompanyAccount,
    CompanyCode,
    CompanyCurrency,
    DisagreementNote,
    Elimination,
    Group,
    GroupMember,
    GroupOpening,
    Hierarchy,
    HierarchyNode,
    IntercompanyPair,
    ListProperty,
    Mapping,
    NonCashPair,
    OwnershipChange,
    PairingCondition,
    PairingRule,
    Period,
    QuickCode,
    Rollout,
    SecondChart,
    SecondChartMapping,
    Statement,
    StatementLine,
    Structure,
    StructureSegment,
    TranslationRule,
)
from core.references import cells
from core.references.tables import users
from core.statements.plans import natural_list
from core.structures.accounts import parse_dimensions
from core.structures.charts import ChartIndex, Field, chart_index

LIMITING = ("rollup", "posting", "enabled")
SPELLING = ("min_length", "max_length", "characters", "zero_pad")
SHAPING = ("rollup", "account_class", "unit", "adds_up", "cash_flow")
WHOLE = {
    "periods": Period,
    "statement_lines": StatementLine,
    "structure_segments": StructureSegment,
    "account_strings": AccountString,
}
"""Tables whose rows make up one thing by their first key column: all of it is looked at when one goes or
changes."""


def rows_to_check(before: State, after: State, edits: Iterable[Edit]) -> Iterator[Any]:
    """Rows of `after`, some perhaps twice. An edit that changes only what nothing else reads gives none."""
    by_table: dict[str, list[Edit]] = {}
    for edit in edits:
        by_table.setdefault(edit.table, []).append(edit)
    for name, row in WHOLE.items():
        for first in {edit.key[0] for edit in by_table.get(name, ())}:
            yield from after.part(row, first).values()
    yield from _after_codes(after, by_table)
    yield from _after_trees(after, by_table)
    yield from _after_charts(before, after, by_table)
    yield from _after_companies(after, by_table)
    yield from _after_rules(after, by_table)
    if any(by_table.get(name) for name in OF_ARRANGEMENTS):
        yield from after.rows(Arrangement)
    for statement in by_table.get("statements", ()):
        yield from _of_statement(after, statement.key[0])


def _after_rules(after: State, by_table: dict[str, list[Edit]]) -> Iterator[Any]:
    """Conditions of rules and values of properties that are other ones now."""
    for rule in by_table.get("pairing_rules", ()):
        yield from (c for c in after.part(PairingCondition, rule.key[0]).values() if c.rule == rule.key[1])
    for own in by_table.get("list_properties", ()):
        yield from (v for v in after.part(CodeProperty, own.key[0]).values() if v.property == own.key[1])
        if own.new is not None:
            yield from (p for p in after.part(ListProperty, own.key[0]).values() if p.property == own.key[1])


OF_ARRANGEMENTS = ("arrangements", "statements", "companies", "groups", "second_charts")
"""What arrangements, which are few, are looked at anew for."""


def _differs(edit: Edit, *columns: str) -> bool:
    """Whether a row came, went, or has another value in one of the columns."""
    if edit.old is None or edit.new is None:
        return True
    return any(getattr(edit.old, column) != getattr(edit.new, column) for column in columns)


def _after_codes(after: State, by_table: dict[str, list[Edit]]) -> Iterator[Any]:
    """What names codes that went or take no amounts any more; statements and intakes that others may fall
    into."""
    limited: dict[str, set[str]] = {}
    for edit in by_table.get("codes", ()):
        if edit.old is not None and (edit.new is None or _differs(edit, *LIMITING)):
            limited.setdefault(edit.key[0], set()).add(edit.key[1])
    for edit in by_table.get("code_lists", ()):
        if edit.old is not None and _differs(edit, *SPELLING):
            for chart in cells.charts_of_list(after, edit.key[0]):
                yield from _of_chart(after, chart)
    for code_list, codes in limited.items():
        yield from (
            cell.row for cell in cells.cells(after, code_list) if _names_one(after, code_list, cell, codes)
        )
    for code_list in _keys(by_table, "codes", *SHAPING):
        yield from _statements_of(after, code_list)
        yield from _minding_classes(after, code_list)
        for row in after.rows(Hierarchy):
            if row.code_list == code_list:
                yield from intakes(after, row.hierarchy)


def _minding_classes(after: State, code_list: str) -> Iterator[Any]:
    """Accounts named for what they are: by charts, groups, eliminations, acquisitions."""
    yield from (row for row in after.rows(Chart) if _natural(after, row, code_list))
    groups = {row.group for row in after.rows(Group) if natural_list(after, row.chart) == code_list}
    yield from _of_groups(after, groups)


def _natural(state: State, chart: Chart, code_list: str) -> bool:
    return natural_list(state, chart.chart) == code_list


def _names_one(state: State, code_list: str, cell: cells.CodeReference, codes: set[str]) -> bool:
    """Whether a cell names one of these codes singly."""
    value = getattr(cell.row, cell.column)
    if cell.kind == cells.CODE:
        index = state.get(CodeList, code_list)
        return value in codes or bool(index and index.zero_pad and value.zfill(index.max_length) in codes)
    if cell.kind == cells.SELECTOR:
        return any(mentions(value, code) for code in codes)
    chart = chart_index(state, cell.chart)
    return chart is not None and any(
        field.code_list == code_list and (code in codes or field.padded(code) in codes)
        for field, code in _fields_in(chart, cell.kind, value)
    )


def _fields_in(chart: ChartIndex, kind: str, value: str) -> Iterator[tuple[Field, str]]:
    """The fields of an account string or of a dimension combination, each with its code."""
    if kind == cells.ACCOUNT:
        yield from zip(chart.segments, chart.split(value), strict=False)
        return
    given = parse_dimensions(value)[0]
    yield from ((field, given[field.name]) for field in chart.dimensions if field.name in given)


def _statements_of(after: State, code_list: str) -> Iterator[Any]:
    for statement in after.rows(Statement):
        if natural_list(after, statement.chart) == code_list:
            yield from _of_statement(after, statement.statement)


def _of_statement(after: State, statement: str) -> Iterator[StatementLine | NonCashPair]:
    yield from after.part(StatementLine, statement).values()
    yield from after.part(NonCashPair, statement).values()


def _after_trees(after: State, by_table: dict[str, list[Edit]]) -> Iterator[Any]:
    """Codes below one that went; selectors that look at trees; other hierarchies of the list."""
    lists: set[str] = set()
    for edit in by_table.get("hierarchies", ()):
        for row in (edit.old, edit.new):
            if row is not None and _differs(edit, "code_list", "main", "version_of"):
                lists.add(row.code_list)
                yield from (
                    other
                    for other in after.rows(Hierarchy)
                    if other.code_list == row.code_list or other.version_of == row.hierarchy
                )
        if edit.old is not None and _differs(edit, "code_list"):
            yield from after.part(HierarchyNode, edit.key[0]).values()
    yield from _after_nodes(after, by_table.get("hierarchy_nodes", ()), lists)
    for code_list in lists:
        yield from _looking_at_trees(after, code_list)


def _after_nodes(after: State, edits: Iterable[Edit], lists: set[str]) -> Iterator[Any]:
    """What stood below a code that left its hierarchy. Adds to `lists` those whose trees are others now."""
    gone: dict[str, set[str]] = {}
    for edit in edits:
        hierarchy_row = after.get(Hierarchy, edit.key[0])
        if hierarchy_row is not None and _differs(edit, "parent", "intake"):
            lists.add(hierarchy_row.code_list)
        if edit.new is None:
            gone.setdefault(edit.key[0], set()).add(edit.key[1])
    for hierarchy, codes in gone.items():
        yield from (node for node in after.part(HierarchyNode, hierarchy).values() if node.parent in codes)
        yield from intakes(after, hierarchy)


def _looking_at_trees(after: State, code_list: str) -> Iterator[Any]:
    statements: set[str] = set()
    for cell in cells.outside(after, code_list):  # an intake never says under
        if cell.kind == cells.SELECTOR and "under" in getattr(cell.row, cell.column).lower():
            if isinstance(cell.row, StatementLine):
                statements.add(cell.row.statement)
            else:
                yield cell.row
    for statement in sorted(statements):
        yield from after.part(StatementLine, statement).values()


def _after_charts(before: State, after: State, by_table: dict[str, list[Edit]]) -> Iterator[Any]:
    """All that stands on a chart whose structure, segments or dimensions are other ones now."""
    structures = _keys(by_table, "structures", "separator")
    structures |= _keys(by_table, "structure_segments", "segment", "code_list", "role")
    for name in structures:
        if (structure := after.get(Structure, name)) is not None:
            yield structure
    charts = {row.chart for row in after.rows(Chart) if row.structure in structures}
    there = {"charts": [edit for edit in by_table.get("charts", ()) if edit.old is not None]}
    charts |= _keys(there, "charts", "structure") | _keys(by_table, "chart_dimensions")
    charts |= _keys(by_table, "chart_segments", "default_code")
    dimensions = _keys(by_table, "dimensions", "code_list")
    charts |= {row.chart for row in after.rows(ChartDimension) if row.dimension in dimensions}
    for chart in charts:
        yield from _of_chart(after, chart)
    used = [*by_table.get("structure_segments", ()), *by_table.get("dimensions", ())]
    for code_list in {row.code_list for edit in used for row in (edit.old, edit.new) if row is not None}:
        if _serves_as(before, code_list) != _serves_as(after, code_list):
            yield from after.part(Code, code_list).values()


def _keys(by_table: dict[str, list[Edit]], table: str, *columns: str) -> set[str]:
    """First keys of a table's rows that came, went, or differ in one of the columns (none named: in any)."""
    return {edit.key[0] for edit in by_table.get(table, ()) if _differs(edit, *columns)}


def _serves_as(state: State, code_list: str) -> tuple[bool, bool]:
    return code_list in natural_lists(state), code_list in serving_lists(state)


def _of_chart(after: State, chart: str) -> Iterator[Any]:
    if (row := after.get(Chart, chart)) is not None:
        yield row
    for kind in (ChartSegment, ChartDimension, PairingRule, PairingCondition, AccountString, QuickCode):
        yield from after.part(kind, chart).values()
    yield from (row for row in after.rows(ColumnSet) if row.chart == chart)
    for statement in after.rows(Statement):
        if statement.chart == chart:
            yield from _of_statement(after, statement.statement)
    for company in after.rows(Company):
        if company.chart == chart:
            yield from _of_company(after, company.company)
    yield from (row for row in after.rows(SecondChartMapping) if chart in (row.chart, row.second_chart))
    groups = {row.group for row in after.rows(Group) if row.chart == chart}
    yield from _of_groups(after, groups)


def _of_company(after: State, company: str) -> Iterator[Any]:
    for kind in (CompanyCode, CompanyAccount, CompanyCurrency, IntercompanyPair, SecondChart, ChartMove):
        yield from after.part(kind, company).values()
    yield from (row for row in after.rows(Mapping) if row.company == company)
    yield from (row for row in after.rows(Rollout) if row.company == company)


def _after_companies(after: State, by_table: dict[str, list[Edit]]) -> Iterator[Any]:
    """What a company or a group that is another one now brings with it, and groups as wholes."""
    for edit in by_table.get("companies", ()):
        if _differs(edit, "chart"):
            yield from _of_company(after, edit.key[0])
        if edit.new is None:
            yield from users(after, Company, edit.key[0])
    yield from _column_sets(after, by_table)
    for edit in by_table.get("groups", ()):
        if _differs(edit, "chart"):
            yield from _of_groups(after, {edit.key[0]})
        if edit.new is None:
            yield from users(after, Group, edit.key[0])
    if any(by_table.get(name) for name in OF_MEMBERSHIP):
        yield from after.rows(Group)
        yield from after.rows(GroupMember)
        yield from (row for row in after.rows(Company) if row.adjusts)
        for kind in OF_GROUPS:
            yield from after.rows(kind)
    else:
        yield from _after_pairs(after, by_table)


def _column_sets(after: State, by_table: dict[str, list[Edit]]) -> Iterator[ColumnSet]:
    """Those beside a budget that is another one now, and where a company goes those that choose any."""
    budgets = set(_keys(by_table, "budgets", "chart"))
    gone = any(edit.new is None for edit in by_table.get("companies", ()))
    for row in after.rows(ColumnSet):
        if {row.budget, row.forecast} & budgets or (gone and row.companies):
            yield row


def _after_pairs(after: State, by_table: dict[str, list[Edit]]) -> Iterator[Any]:
    if by_table.get("intercompany_pairs"):
        yield from (row for row in after.rows(Company) if row.adjusts)
    if by_table.get("eliminations"):
        yield from after.rows(DisagreementNote)


OF_MEMBERSHIP = (
    *("companies", "groups", "group_members", "calendars", "ownership_changes"),
    *("acquisitions", "translation_rules"),
)
"""What who is in a group, and what its figures need, hangs on."""
OF_GROUPS: tuple[type[Any], ...] = (
    OwnershipChange,
    TranslationRule,
    GroupOpening,
    Acquisition,
    AcquiredEquity,
    ChartMapping,
    DisagreementNote,
)
"""Tables of a group that are looked at as wholes: they are short."""


def _of_groups(after: State, groups: set[str]) -> Iterator[Any]:
    yield from (row for row in after.rows(Group) if row.group in groups)
    for kind in OF_GROUPS:
        yield from (row for row in after.rows(kind) if row.group in groups)
    yield from (row for row in after.rows(Mapping) if row.group in groups)
    yield from (row for row in after.rows(Elimination) if row.group in groups)
