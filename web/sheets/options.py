"""What a column of a definition may name: other definitions, codes of a list, segments; and what a named one
is called."""

from __future__ import annotations

from typing import Any

from core.codes.lists import list_index
from core.definitions.state import State
from core.definitions.tables import TABLES, Company, Group, GroupMember
from core.references.cells import GROUP_ACCOUNTS
from core.structures.charts import chart_index

MOST = 600
NATURAL = {"due_from", "due_to", "target", "difference_account"}
OF_THE_GROUP = {"target", "difference_account", "goodwill_account", *GROUP_ACCOUNTS}
"""Columns that name natural accounts of the chart of the row's group."""


def target_of(table: str, column: str) -> type[Any] | None:
    """The row class that a column names rows of, if any."""
    refers = TABLES[table].by_name[column].refers if column in TABLES[table].by_name else ""
    return TABLES[refers].row if refers else None


def _code_list(state: State, column: str, row: Any) -> str:
    """The list whose codes a column names, or an empty string."""
    group = state.get(Group, getattr(row, "group", ""))
    of_group = column in OF_THE_GROUP or (column == "account" and hasattr(row, "amount"))
    chart = group.chart if group and of_group else _chart(state, row)
    index = chart_index(state, chart) if chart else None
    if index is None:
        return ""
    if group and of_group:
        return index.natural_list
    if column in NATURAL:
        return index.natural_list
    if column in ("default_code", "code"):
        field = index.field(getattr(row, "segment", ""))
        return field.code_list if field else index.natural_list if hasattr(row, "revalue") else ""
    return ""


def options(state: State, table: str, column: str, row: Any) -> list[tuple[str, str]]:
    """(value, what it is) for a column that names something; empty where anything may be typed."""
    if target := target_of(table, column):
        return sorted((r[0], getattr(r, "name", "")) for r in state.rows(target))[:MOST]
    if column in ("field", "segment") and (index := chart_index(state, _chart(state, row))):
        return [(field.name, field.title) for field in (*index.segments, *index.dimensions)]
    if column == "member":
        return sorted(
            [(r.company, r.name) for r in state.rows(Company)]
            + [(g.group, g.name) for g in state.rows(Group)]
        )
    if code_list := _code_list(state, column, row):
        codes = list_index(state, code_list)
        return [(code, codes.codes[code].name) for code in codes.posting[:MOST]]
    return []


def told(state: State, table: str, column: str, row: Any, value: str) -> tuple[str, bool]:
    """The name of what a cell names (or an empty string), and whether it is a code, which people read by
    itself."""
    if code_list := _code_list(state, column, row):
        return str(getattr(list_index(state, code_list).codes.get(value), "name", "")), True
    return (_name(state, table, column, row, value) if value else ""), False


def _name(state: State, table: str, column: str, row: Any, value: str) -> str:
    if target := target_of(table, column):
        return str(getattr(state.get(target, value), "name", ""))
    if column == "member":
        link = row if hasattr(row, "member_kind") else state.get(GroupMember, row.group, value)
        kind: type[Any] = Group if link is not None and link.member_kind == "group" else Company
        return str(getattr(state.get(kind, value), "name", ""))
    return ""


def _chart(state: State, row: Any) -> str:
    """The chart that a row speaks of: its own, its group's, or its company's."""
    if name := getattr(row, "chart", ""):
        return str(name)
    if group := state.get(Group, getattr(row, "group", "")):
        return group.chart if hasattr(row, "target") or hasattr(row, "difference_account") else ""
    if company := state.get(Company, getattr(row, "company", "")):
        return company.chart
    return ""
