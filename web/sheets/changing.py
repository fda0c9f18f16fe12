"""What views that change something share: reading the form, making the change, telling where to look next."""

from __future__ import annotations

from datetime import date
from typing import Any

from core.changes.kinds import Change, examine
from core.definitions.parsing import read_cell
from core.definitions.state import State
from core.definitions.tables import BY_ROW
from core.faults import Fault, Location, Refused, blocking
from core.writing import keyed_cells
from web.definitions import actions, drafting
from web.definitions.posted import posted_facts
from web.definitions.viewing import PineRequest
from web.shell.asked import number, required_day, text
from web.shell.htmx import reload_at as reload_at


def seen_version(request: PineRequest) -> int | None:
    return number(request.POST, "seen", None, 10**17)


def apply_change(request: PineRequest, change: Change) -> None:
    """Makes a change for the signed-in person, in the open draft if there is one. Raises Refused with its
    faults.

    A reason that the form gives stands in the log; a draft has one of its own.
    """
    seen = request.viewed
    if seen.as_of is not None:
        raise Refused(
            [
                Fault(
                    "as-of",
                    f"You look at version {seen.as_of}, which is past.",
                    way_out="Come back to now to change things.",
                )
            ]
        )
    if seen.working is not None:
        drafting.record(seen.working.draft.pk, change, request.user, seen_version(request))
    else:
        actions.make_change(change, request.user, seen_version(request), words_of(request, "why"))


def refuse_first(request: PineRequest, state: State, change: Change) -> None:
    """Before a question is asked: raises Refused where the answer could not be carried out anyway."""
    examined = examine(state, change, posted_facts(state))
    actions.check_rights(request.user, state, examined.after, examined.edits)
    if blocking(examined.own):
        raise Refused(blocking(examined.own))


def filled(request: PineRequest, row: Any, *columns: str) -> Any:
    """The row with columns taken from the form, each read as an import would. Raises Refused with a fault per
    cell."""
    table = BY_ROW[type(row)]
    values: dict[str, Any] = {}
    faults: list[Fault] = []
    for name in columns:
        column = table.by_name[name]
        if column.kind.name == "flag":
            values[name] = request.POST.get(name, "") in ("true", "on")
            continue
        written = request.POST.get(name, "").strip()
        try:
            if not written and column.must:
                raise ValueError(f"The {name.replace('_', ' ')} must be given.")
            empty = (
                column.default
                if column.default is not None
                else None
                if column.kind.name in ("date", "integer", "number")
                else ""
            )
            with keyed_cells():
                values[name] = read_cell(column, written) if written else empty
        except ValueError as refused:
            faults.append(Fault("cell-unreadable", str(refused), Location(table.name, (), name, written)))
    if faults:
        raise Refused(faults)
    return row._replace(**values)


def words_of(request: PineRequest, name: str, most: int = 1000) -> str:
    """Free text of the form, without the characters that no text may hold."""
    return text(request.POST, name, most)


def date_of(request: PineRequest, name: str) -> date | None:
    """A date of the form; None where it is empty. Raises Refused where it is none."""
    return required_day(request.POST, name)
