"""Columns of a list of codes: those that every list has, and the properties that a list has of its own."""

from __future__ import annotations

from datetime import date

from core.codes.hierarchies import main_tree
from core.codes.lists import out_of_use
from core.definitions.parsing import NUMBER, write_cell
from core.definitions.state import State, derived
from core.definitions.tables import (
    Code,
    CodeProperty,
    ListProperty,
)

USUAL = ("account_class", "use", "in_use_from", "in_use_until")


BUILT_IN = {
    "account_class": "Class",
    "use": "Use",
    "in_use_from": "From",
    "in_use_until": "Until",
    "under": "Under",
    "posting": "Posting",
    "budgeting": "Budgeting",
    "contra": "Contra",
    "currency": "Currency",
    "revalue": "Revalue",
    "cash_flow": "Cash flow",
    "enabled": "Enabled",
    "notes": "Notes",
    "unit": "Unit",
    "adds_up": "Adds up",
}


@derived((ListProperty, 0))
def properties(state: State, code_list: str) -> list[ListProperty]:
    rows = state.part(ListProperty, code_list).values()
    return sorted(rows, key=lambda row: (row.position is None, row.position or 0, row.name))


@derived((CodeProperty, 0))
def values(state: State, code_list: str) -> dict[str, dict[str, str]]:
    """The list's own properties of each code that has any."""
    by_name: dict[str, dict[str, str]] = {}
    for row in state.part(CodeProperty, code_list).values():
        by_name.setdefault(row.code, {})[row.property] = row.value
    return by_name


def columns(state: State, code_list: str) -> dict[str, str]:
    """Every column that a table of the list may show, with its title."""
    return {**BUILT_IN, **{row.property: row.name for row in properties(state, code_list)}}


def cell(state: State, row: Code, column: str) -> str:
    """What stands in a column of a code, as text. `use` and `under` are worked out."""
    if column == "under":
        main = main_tree(state, row.code_list)
        return main.parent.get(row.code, "") if main else ""
    if column == "use":
        return use(row)
    if column in row._fields:
        return write_cell(getattr(row, column))
    return values(state, row.code_list).get(row.code, {}).get(column, "")


def use(row: Code) -> str:
    if row.rollup:
        return "rollup"
    if row.in_use_until:
        return "closed"
    if not row.enabled:
        return "switched off"
    return "posting" if row.posting else "not posting"


def closed_words(row: Code, on: date) -> str:
    """Why nothing is posted to a code on a day any more, in a word or two; empty where it may be."""
    if not out_of_use(row, on):
        return ""
    return "switched off" if row.in_use_until is None else f"closed {row.in_use_until}"


def choices_of(rule: ListProperty) -> list[str]:
    """The values that a property of kind choice may have."""
    return [text.strip() for text in rule.choices.split(",") if text.strip()]


def value_fault(rule: ListProperty, value: str) -> str:
    """Why a value cannot stand in a list's own property, or an empty string."""
    if not value:
        return ""
    if rule.kind == "number" and not NUMBER.fullmatch(value):
        return f"{rule.name} is a number, not '{value}'."
    if rule.kind == "date":
        try:
            date.fromisoformat(value)
        except ValueError:
            return f"{rule.name} is a date written 2026-09-30, not '{value}'."
    choices = choices_of(rule)
    if rule.kind == "choice" and value not in choices:
        return f"{rule.name} is one of {', '.join(choices)}, not '{value}'."
    return ""
