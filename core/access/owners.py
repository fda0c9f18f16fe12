"""What each row of the definitions belongs to, and what somebody's rights say of a change to them."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import Any

from core.access.rights import WHOLE, Access, Owner, Right
from core.definitions.row_faults import fault
from core.definitions.state import Edit, State
from core.definitions.tables import (
    TABLES,
    Budget,
    Chart,
    ChartDimension,
    Company,
    Hierarchy,
    Period,
    Rollout,
    Statement,
)
from core.faults import Fault
from core.references.uses import charts_of_list

Owners = frozenset[Owner]
NOBODY: Owners = frozenset({WHOLE})


def _companies_on(state: State, calendar: str) -> Owners:
    return frozenset(Owner("company", row.company) for row in state.rows(Company) if row.calendar == calendar)


def _charts_of(state: State, code_list: str) -> Owners:
    return frozenset(Owner("chart", chart) for chart in charts_of_list(state, code_list))


def _of_hierarchy(state: State, name: str) -> Owners:
    row = state.get(Hierarchy, name)
    return _charts_of(state, row.code_list) if row else frozenset()


def _of_rollout(state: State, name: str) -> Owners:
    row = state.get(Rollout, name)
    return frozenset({Owner("company", row.company)}) if row else frozenset()


def _charts_with(state: State, dimension: str) -> Owners:
    rows = state.rows(ChartDimension)
    return frozenset(Owner("chart", row.chart) for row in rows if row.dimension == dimension)


def _by_chart(row_class: type[Any]) -> Callable[[State, str], Owners]:
    def owners(state: State, name: str) -> Owners:
        row = state.get(row_class, name)
        return frozenset({Owner("chart", row.chart)}) if row else frozenset()

    return owners


OWNERS: dict[str, Callable[[State, str], Owners]] = {
    "companies": lambda state, name: frozenset({Owner("company", name)}),
    "charts": lambda state, name: frozenset({Owner("chart", name)}),
    "groups": lambda state, name: frozenset({Owner("group", name)}),
    "code_lists": _charts_of,
    "hierarchies": _of_hierarchy,
    "structures": lambda state, name: frozenset(
        Owner("chart", row.chart) for row in state.rows(Chart) if row.structure == name
    ),
    "statements": _by_chart(Statement),
    "budgets": _by_chart(Budget),
    "calendars": _companies_on,
    "dimensions": _charts_with,
    "rollouts": _of_rollout,
    "overlays": lambda state, name: NOBODY,
}
"""What belongs to whom, by the table that its first key column names."""
ROOTS = frozenset({"companies", "charts", "groups", "code_lists", "structures", "calendars", "dimensions"})
"""Tables whose new rows begin something of their own: they belong to nobody yet."""


def may_begin(access: Access, table: str) -> bool:
    """Whether a new row of a table can be somebody's to add: what belongs to nobody yet needs the right over
    everything."""
    is_nobodys = table in ROOTS or table == "overlays"
    return Right.DEFINE in access.everywhere or (not is_nobodys and access.may_anywhere(Right.DEFINE))


def owners_of(state: State, table: str, name: str) -> Owners:
    """What a thing belongs to, by the table that holds it and its id; everything where nothing uses it."""
    return OWNERS[table](state, name) or NOBODY


def owners_of_row(state: State, table: str, row: Any) -> Owners:
    """What a row belongs to: what its first key column names; one that names nothing, by its own id."""
    first = TABLES[table].columns[0]
    if first.refers:
        return owners_of(state, first.refers, row[0])
    if table in OWNERS:
        return owners_of(state, table, row[0])
    chart = next((row[i] for i, column in enumerate(TABLES[table].columns) if column.refers == "charts"), "")
    return frozenset({Owner("chart", chart)}) if chart else NOBODY


def _right_for(edit: Edit) -> Right:
    """Closing and opening periods is a right of its own."""
    old, new = edit.old, edit.new
    is_status = isinstance(old, Period) and isinstance(new, Period) and old._replace(status=new.status) == new
    return Right.CLOSE if is_status else Right.DEFINE


def _owners_of_edit(before: State, after: State, edit: Edit) -> Iterator[Owner]:
    """Those of the row as it was, and as it is to be."""
    if edit.old is None and edit.table in ROOTS:
        yield WHOLE
        return
    if edit.old is not None:
        yield from owners_of_row(before, edit.table, edit.old)
    if edit.new is not None:
        yield from owners_of_row(after, edit.table, edit.new)


def not_allowed(
    access: Access, before: State, after: State, edits: Iterable[Edit], *, approves: bool = False
) -> list[Fault]:
    """A fault for each company, chart or group that edits touch without the right over it. `approves`: the
    edits are a draft's, which may be published by who approves, too."""
    instead = (Right.APPROVE,) if approves else ()
    return _lacking(access, before, after, edits, lambda edit: (_right_for(edit), *instead))


def not_to_approve(access: Access, before: State, after: State, edits: Iterable[Edit]) -> list[Fault]:
    """A fault for each owner over which there is no right to approve."""
    return _lacking(access, before, after, edits, lambda _: (Right.APPROVE,))


def _lacking(
    access: Access,
    before: State,
    after: State,
    edits: Iterable[Edit],
    wanted: Callable[[Edit], tuple[Right, ...]],
) -> list[Fault]:
    """`wanted` says any of which rights an edit needs; the first is named where all are missing."""
    faults: dict[tuple[Right, Owner | None], Fault] = {}
    for edit in edits:
        rights = wanted(edit)
        for owner in dict.fromkeys(_owners_of_edit(before, after, edit)):
            if not any(access.may(right, owner) for right in rights):
                known = owner if not owner.name or access.may(Right.SEE, owner) else None
                faults.setdefault((rights[0], known), _fault(edit.new or edit.old, rights[0], known))
    return list(faults.values())


def lacking_right(access: Access, right: Right, owners: Iterable[Owner], row: Any) -> Fault | None:
    """A fault for a row of the first of its owners over which the right is missing; None where it is there
    over all of them."""
    owner = next((owner for owner in owners if not access.may(right, owner)), None)
    if owner is None:
        return None
    return _fault(row, right, owner if not owner.name or access.may(Right.SEE, owner) else None)


def _fault(row: Any, right: Right, owner: Owner | None) -> Fault:
    """`owner` None: one that the person doesn't know of, and is not told of."""
    if owner is None:
        what = f"You have no right to {right} in all that this touches."
    else:
        what = f"You have no right to {right}{' in' if owner.name else ''} {owner}."
    way_out = "Ask somebody who has it, or who administers people."
    return fault(row, "", what, way_out, "right")
