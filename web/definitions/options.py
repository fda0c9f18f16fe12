"""What may stand in a field of a definition's form: names of other definitions, with what they are."""

from __future__ import annotations

from typing import Any

from core.accounts import chart_index
from core.checks.references import REFERENCES
from core.codes import list_index
from core.state import State
from core.tables import TABLES, Code, Company, Group

MOST = 600
NATURAL = {"due_from", "due_to", "target", "difference_account"}


def options(state: State, table: str, column: str, row: Any) -> list[tuple[str, str]]:
    """(value, what it is) for a column that names something; empty where anything may be typed."""
    for row_class, named, target in REFERENCES:
        if row_class is TABLES[table].row and named == column:
            return sorted((r[0], getattr(r, "name", "")) for r in state.rows(target))[:MOST]
    chart = _chart(state, row)
    index = chart_index(state, chart) if chart else None
    if column in ("field", "segment") and index:
        return [(field.name, field.title) for field in (*index.segments, *index.dimensions)]
    if column == "member":
        return sorted([(r.company, r.name) for r in state.rows(Company)] + [(g.group, g.name) for g in state.rows(Group)])
    code_list = ""
    if index and column in NATURAL:
        code_list = index.natural_list
    elif index and column in ("default_code", "code") and (field := index.field(getattr(row, "segment", ""))):
        code_list = field.code_list
    if code_list:
        codes = list_index(state, code_list)
        return [(code, _told(codes.codes[code])) for code in codes.posting[:MOST]]
    return []


def _told(code: Code) -> str:
    return code.name


def _chart(state: State, row: Any) -> str:
    """The chart that a row speaks of: its own, its group's, or its company's."""
    if name := getattr(row, "chart", ""):
        return str(name)
    if group := state.get(Group, getattr(row, "group", "")):
        return group.chart if hasattr(row, "target") or hasattr(row, "difference_account") else ""
    if company := state.get(Company, getattr(row, "company", "")):
        return company.chart
    return ""
