"""What is fixed once something was posted, and what can't go while it is used. Told before, and checked on the change."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from typing import Any

from core import uses
from core.checks import references
from core.checks.build import fault
from core.faults import Fault
from core.state import Edit, State
from core.tables import (
    BY_ROW,
    TABLES,
    Chart,
    ChartDimension,
    Code,
    Company,
    Dimension,
    Period,
    Structure,
    StructureSegment,
)


@dataclass(frozen=True, slots=True)
class Facts:
    """What was posted, as far as changes depend on it. Asked lazily: each is a call that may query once."""

    codes: Callable[[str], frozenset[str]]
    """codes of a list that stand in posted account strings or dimensions"""
    charts: Callable[[], frozenset[str]]
    """charts with posted account strings"""
    companies: Callable[[], frozenset[str]]
    """companies with journals or balances"""
    periods: Callable[[str], frozenset[tuple[int, int]]]
    """(year, period) of a calendar with postings of any of its companies"""
    dimensions: Callable[[], frozenset[str]] = frozenset
    """dimensions that posted lines carry a code of"""


NOTHING_POSTED = Facts(lambda _: frozenset(), frozenset, frozenset, lambda _: frozenset())


def _structure_posted(state: State, facts: Facts, structure: str) -> bool:
    posted = facts.charts()
    return any(chart.structure == structure and chart.chart in posted for chart in state.rows(Chart))


Question = Callable[[State, Facts, Any], bool]
FIXED: dict[type[Any], tuple[tuple[str, ...], Question, str]] = {
    Code: (("account_class", "rollup"), lambda s, f, r: r.code in f.codes(r.code_list), "it was posted to"),
    Structure: (("separator",), lambda s, f, r: _structure_posted(s, f, r.structure), "account strings of it were posted to"),
    StructureSegment: (
        ("segment", "code_list", "role"),
        lambda s, f, r: _structure_posted(s, f, r.structure),
        "account strings of its structure were posted to",
    ),
    Dimension: (("code_list",), lambda s, f, r: r.dimension in f.dimensions(), "lines carry codes of it"),
    ChartDimension: ((), lambda s, f, r: r.dimension in f.dimensions(), "lines carry codes of it"),
    Chart: (("structure",), lambda s, f, r: r.chart in f.charts(), "account strings of it were posted to"),
    Company: (("currency", "chart", "calendar"), lambda s, f, r: r.company in f.companies(), "it has postings"),
    Period: (
        ("starts_on", "ends_on", "kind"),
        lambda s, f, r: (r.fiscal_year, r.period) in f.periods(r.calendar),
        "journals fall into it",
    ),
}  # fmt: skip


def fixed_columns(state: State, facts: Facts, row: Any) -> dict[str, str]:
    """Columns of a row that can't change any more, each with why: for saying it on the field beforehand."""
    rule = FIXED.get(type(row))
    if rule is None or not rule[1](state, facts, row):
        return {}
    return dict.fromkeys(rule[0], f"Fixed because {rule[2]}.")


def transition_faults(before: State, after: State, edits: Iterable[Edit], facts: Facts) -> Iterator[Fault]:
    """Why these edits may not be made, given what was posted and what uses what is dropped."""
    edits = list(edits)
    for edit in edits:
        if edit.old is not None and edit.new is not None:
            rule = FIXED.get(type(edit.new))
            changed = [c for c in rule[0] if getattr(edit.old, c) != getattr(edit.new, c)] if rule else []
            if rule and changed and rule[1](before, facts, edit.old):
                for column in changed:
                    was = getattr(edit.old, column)
                    yield fault(edit.new, column, f"The {column} can't change from {str(was).lower()} any more because {rule[2]}.",
                                "Close it and add a new one.", "fixed")  # fmt: skip
        elif edit.old is None and edit.table == "structure_segments":
            if _structure_posted(before, facts, edit.new.structure) and before.get(Structure, edit.new.structure) is not None:
                yield fault(edit.new, "segment", "A structure gets no further segment once account strings of it were posted to.",
                            "Hang a dimension beside it.", "fixed")  # fmt: skip
        elif edit.new is None:
            yield from _dropped(after, edit, facts)


def _dropped(after: State, edit: Edit, facts: Facts) -> Iterator[Fault]:
    row = edit.old
    rule = FIXED.get(type(row))
    if rule and rule[1](after, facts, row):
        yield fault(row, "", f"{_name(row)} can't be deleted because {rule[2]}.",
                    "Close it from a date instead.", "used")  # fmt: skip
    if isinstance(row, Code):
        for use in list(uses.of_code(after, row.code_list, row.code))[:20]:
            yield fault(
                row, "code", f"{row.code} {row.name} is used: {use.sentence}.", "Take it out there first, or close it.", "used"
            )
    if TABLES[edit.table].keys == 1:
        used = [BY_ROW[type(user)] for user in references.users(after, type(row), row[0])]
        for name in sorted({table.name for table in used}):
            count = sum(table.name == name for table in used)
            yield fault(row, "", f"{_name(row)} is used by {count} rows of {name}.", "Take it out there first.", "used")


def _name(row: Any) -> str:
    return f"{row[1]}" if isinstance(row, Code) else str(row[0])
