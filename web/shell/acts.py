"""What views that change something share: reading the form, making the change, telling where to look next."""

from __future__ import annotations

import json
from datetime import date
from typing import Any

from django.http import HttpRequest, HttpResponse

from core.changes import Change
from core.faults import Fault, Place, Refused
from core.parsing import CONTROL, read_cell
from core.tables import BY_ROW
from web.definitions import actions, drafting


def seen_version(request: HttpRequest) -> int | None:
    text = request.POST.get("seen", "")
    return int(text) if text.isdigit() and len(text) < 18 else None


def make(request: HttpRequest, change: Change) -> None:
    """Makes a change for the signed-in person, in the open draft if there is one. Raises Refused with its faults."""
    seen = request.seen  # type: ignore[attr-defined]
    if seen.as_of is not None:
        raise Refused(
            [Fault("as-of", f"You look at version {seen.as_of}, which is past.", way_out="Come back to now to change things.")]
        )
    if seen.working is not None:
        drafting.record(seen.working.draft.pk, change, request.user, seen_version(request))
    else:
        actions.make(change, request.user, seen_version(request))


def go(address: str) -> HttpResponse:
    """After a change the whole page is read anew at an address, so that every figure on it is."""
    reply = HttpResponse(status=200)
    reply["HX-Location"] = json.dumps({"path": address, "target": "body", "swap": "innerHTML"})
    return reply


def filled(request: HttpRequest, row: Any, *columns: str) -> Any:
    """The row with columns taken from the form, each read as an import would. Raises Refused with a fault per cell."""
    table = BY_ROW[type(row)]
    values: dict[str, Any] = {}
    faults: list[Fault] = []
    for name in columns:
        column = table.by_name[name]
        if column.kind.name == "flag":
            values[name] = request.POST.get(name, "") in ("true", "on")
            continue
        text = request.POST.get(name, "").strip()
        try:
            if not text and column.must:
                raise ValueError(f"The {name.replace('_', ' ')} must be given.")
            empty = (
                column.default
                if column.default is not None
                else None
                if column.kind.name in ("date", "integer", "number")
                else ""
            )
            values[name] = read_cell(column, text) if text else empty
        except ValueError as told:
            faults.append(Fault("cell-unreadable", str(told), Place(table.name, (), name, text)))
    if faults:
        raise Refused(faults)
    return row._replace(**values)


def words_of(request: HttpRequest, name: str, most: int = 1000) -> str:
    """Free text of the form, without the characters that no text may hold."""
    return CONTROL.sub("", request.POST.get(name, "")).strip()[:most]


def date_of(request: HttpRequest, name: str) -> date | None:
    """A date of the form; None where it is empty. Raises Refused where it is none."""
    text = request.POST.get(name, "").strip()
    if not text:
        return None
    try:
        return date.fromisoformat(text)
    except ValueError:
        raise Refused([Fault("cell-unreadable", "A date is written 2026-09-30.", Place(column=name, value=text))]) from None
