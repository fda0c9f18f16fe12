"""Checks of rollouts: whose things, which swap, what each item says. What they come to is looked at when it
is rolled out."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from core.codes.lists import text_fault
from core.definitions.row_faults import fault
from core.definitions.state import State
from core.definitions.tables import Company, Rollout, RolloutItem
from core.faults import Fault
from core.structures.charts import chart_index

ITEM_COLUMNS: dict[str, tuple[str, ...]] = {
    "account": ("codes",),
    "code": ("field", "codes"),
    "string": ("account",),
    "strings": ("field", "codes"),
    "rule": ("name",),
    "quick_code": ("name",),
    "place": ("field", "codes"),
}
"""What each kind of item says, and nothing else."""
SWAPS = ("swap_field", "swap_from", "swap_to")


def rollouts(state: State, rows: list[Rollout]) -> Iterator[Fault]:
    for row in rows:
        given = [name for name in SWAPS if getattr(row, name)]
        if given and len(given) < len(SWAPS):
            lacking = next(name for name in SWAPS if name not in given)
            what = (
                "A segment swap needs its field, the code that stands there and the one that takes its place."
            )
            yield fault(row, lacking, what, "Give all three, or none.", "cell-empty")
        elif given:
            yield from _swap(state, row)


def _swap(state: State, row: Rollout) -> Iterator[Fault]:
    company = state.get(Company, row.company)
    index = chart_index(state, company.chart) if company else None
    field = index.field(row.swap_field) if index else None
    if index is None:
        return
    if field is None or field.rule is None or field.role == "company":
        what = f"{row.swap_field} is no segment or dimension of {index.name} whose code can be swapped."
        yield fault(row, "swap_field", what, "Name another one; each company has its own company code.")
        return
    code = field.codes.get(field.padded(row.swap_from))
    if code is not None and code.rollup:
        what = f"{code.code} {code.name} is a rollup code and stands in no string."
        yield fault(row, "swap_from", what, "Choose a posting code.", "code-rollup")
    if text := text_fault(field.rule, field.padded(row.swap_to), False):
        yield fault(row, "swap_to", text, "Correct the code.", "code-text")
    if field.padded(row.swap_from) == field.padded(row.swap_to):
        yield fault(row, "swap_to", "It is the code that stands there already.", "Give another one.")


def items(state: State, rows: list[RolloutItem]) -> Iterator[Fault]:
    for row in rows:
        wanted = ITEM_COLUMNS[row.kind]
        for column in ("field", "codes", "account", "name"):
            if column in wanted and not getattr(row, column):
                what = f"An item of kind {row.kind} says its {column}."
                yield fault(row, column, what, "Give it, or choose another kind.", "cell-empty")
            elif column not in wanted and getattr(row, column):
                what = f"An item of kind {row.kind} has no {column}."
                yield fault(row, column, what, "Leave it empty, or choose another kind.")


CHECKS: list[tuple[type[Any], Any]] = [(Rollout, rollouts), (RolloutItem, items)]
