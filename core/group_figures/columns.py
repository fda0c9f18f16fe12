"""Which column of a consolidated statement an amount stands in: a company's, a folded subgroup's, adjusting
books', ownership's, eliminations', the group's."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass

from core.consolidation.position import Consolidation
from core.definitions.tables import ColumnSet, Group
from core.group.membership import MemberCompany, membership

ADJUSTING, OWNERSHIP, ELIMINATIONS, GROUP = "+adjusting", "+ownership", "+eliminations", "+group"
"""Columns of no company; the sign keeps them apart from names."""
FIXED_TITLES = {ADJUSTING: "Adjust", OWNERSHIP: "Ownership", ELIMINATIONS: "Eliminate", GROUP: "Group"}
SUBGROUP = ":"
"""Set before the name of a group that is folded into one column."""
OF_OWNERSHIP = ("acquisition", "minority")
"""Steps that stand in the column of ownership; so does all of a company taken by equity."""


@dataclass(frozen=True)
class ColumnPlan:
    """`order` are the columns of companies and folded subgroups, `of` the column of each set of books."""

    order: tuple[str, ...]
    of: Mapping[str, str]

    def column(self, step: str, name: str) -> str:
        return OWNERSHIP if step in OF_OWNERSHIP else self.of.get(name, name)


def column_plan(group: Consolidation, opened: Collection[str] | None = None) -> ColumnPlan:
    """Companies of subgroups that aren't opened share a column; None: all are opened."""
    order: list[str] = []
    of: dict[str, str] = {}
    for reached in sorted(membership(group.state, group.group.group).companies, key=_by_path):
        known = group.standings.get(reached.company)
        if known is None:
            continue
        column = OWNERSHIP if known.method == "equity" else _folded(reached, opened)
        if column != OWNERSHIP and column not in order:
            order.append(column)
        for books in group.books.of(reached.company):
            adjusts = books.name != reached.company and column != OWNERSHIP
            of[books.name] = ADJUSTING if adjusts else column
    return ColumnPlan(tuple(order), of)


def _by_path(reached: MemberCompany) -> tuple[tuple[str, ...], str]:
    """The group's own companies before those of its subgroups."""
    return reached.path, reached.company


def _folded(reached: MemberCompany, opened: Collection[str] | None) -> str:
    for below in reached.path[1:]:
        if opened is not None and below not in opened:
            return SUBGROUP + below
    return reached.company


def column_title(group: Consolidation, column: str, names: Mapping[str, str]) -> str:
    """What heads a column."""
    if column.startswith(SUBGROUP):
        row = group.state.get(Group, column[1:])
        return row.name if row else column[1:]
    return FIXED_TITLES.get(column) or names.get(column, column)


def group_can_have(columns: ColumnSet) -> bool:
    """Whether a set of columns goes with a group: its figures come by account, not by codes, from books and
    not from budgets, and its companies are its own columns."""
    of_companies = columns.by or columns.budget or columns.forecast or columns.companies or columns.part_of
    return not of_companies and columns.within == "nothing"
