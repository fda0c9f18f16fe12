"""Many codes at once: acts on several rows, the columns of the table, files out and back in with a
preview."""

from __future__ import annotations

from typing import Any

from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.urls import reverse

from core import code_rows
from core.changes.kinds import Add, ChangeSet
from core.changes.of_codes import AmendCodes, MoveNodes
from core.codes.columns import cell, columns
from core.codes.hierarchies import main_hierarchies
from core.definitions.parsing import read_cell
from core.definitions.state import Edit, State
from core.definitions.tables import TABLES, Code, CodeList, Rollout
from core.faults import Fault, Location, Refused
from core.rollouts.adding import items_added
from web.codes import table
from web.definitions.posted import posted_facts
from web.definitions.viewing import PineRequest
from web.people.rights import CHANGE, SIGNED_IN, needs, needs_post, sees
from web.sheets import records
from web.sheets.changing import apply_change, date_of, reload_at
from web.shell.asked import text
from web.shell.htmx import is_fragment
from web.shell.tabular import attached

SETTABLE = (
    "posting",
    "budgeting",
    "contra",
    "account_class",
    "currency",
    "revalue",
    "cash_flow",
    "unit",
    "adds_up",
    "enabled",
    "in_use_from",
)


def _back(request: PineRequest, state: State, code_list: str, at: str = "") -> HttpResponse:
    query = table.query(table.asked(request, state, code_list))
    parts = [part for part in (query, f"at={at}" if at else "") if part]
    address = reverse("code-list", kwargs={"code_list": code_list})
    return reload_at(f"{address}?{'&'.join(parts)}" if parts else address)


@needs_post(CHANGE)
def several(request: PineRequest, state: State, code_list: str) -> HttpResponse:
    """One act for all chosen codes: close, reopen, move, or set a property."""
    codes = table.chosen_codes(request, state, code_list)
    if not codes:
        raise Refused(
            [
                Fault(
                    "nothing-chosen",
                    "No code is chosen.",
                    way_out="Choose rows with Shift or Ctrl, or all that fit.",
                )
            ]
        )
    act = request.POST.get("act", "")
    if act == "roll_out":
        return _into_rollout(request, state, code_list, codes)
    change: Any
    if act == "move":
        main = main_hierarchies(state).get(code_list)
        onto = request.POST.get("onto", "").split(" ")[0].strip()
        if main is None or (onto and state.get(Code, code_list, onto) is None):
            raise Refused(
                [
                    Fault(
                        "reference",
                        f"There is no rollup code {onto}.",
                        Location(column="onto"),
                        "Choose a rollup code.",
                    )
                ]
            )
        change = MoveNodes(main, tuple(codes), onto)
    elif act == "close":
        until = date_of(request, "until")
        if until is None:
            raise Refused([Fault("cell-empty", "Give the last day of use.", Location(column="until"))])
        change = AmendCodes(code_list, tuple(codes), (("in_use_until", str(until)),))
    elif act == "reopen":
        change = AmendCodes(code_list, tuple(codes), (("in_use_until", ""),))
    elif act == "put":
        change = AmendCodes(code_list, tuple(codes), (_setting(request),))
    else:
        raise Http404
    apply_change(request, change)
    return _back(request, state, code_list, codes[0])


def _into_rollout(request: PineRequest, state: State, code_list: str, codes: list[str]) -> HttpResponse:
    """The chosen codes as items of a rollout, with their places on statements; then its page."""
    rollout = state.get(Rollout, text(request.POST, "rollout", 40))
    if rollout is None or not sees(request.user, state, "rollout", rollout.rollout):
        raise Refused([Fault("reference", "Choose a rollout.", Location(column="rollout"))])
    chosen = [Edit("codes", (code_list, code), None, state.require(Code, code_list, code)) for code in codes]
    items = items_added(state, rollout, chosen)
    if not items:
        what = f"{rollout.name} brings them already, or {code_list} serves its company for nothing."
        raise Refused([Fault("nothing-missing", what, way_out="Choose other codes, or another rollout.")])
    sentence = f"Added {len(codes)} codes of {code_list} to rollout {rollout.name}"
    apply_change(request, ChangeSet(tuple(Add(item) for item in items), sentence))
    return reload_at(reverse("rollout-what", args=[rollout.rollout]))


def _setting(request: PineRequest) -> tuple[str, str]:
    """(column, cell) of the form. Raises Refused where the value cannot stand there."""
    name, value = request.POST.get("property", ""), request.POST.get("value", "").strip()
    column = TABLES["codes"].by_name.get(name)
    if column is None or name not in SETTABLE:
        raise Refused([Fault("reference", "Choose a property to set.", Location(column="property"))])
    if value:
        try:
            read_cell(column, value)
        except ValueError as refused:
            raise Refused(
                [Fault("cell-unreadable", str(refused), Location("codes", (), name, value))]
            ) from None
    return name, value


@needs_post(SIGNED_IN)
def choose_columns(request: PineRequest, state: State, code_list: str) -> HttpResponse:
    """Keeps the columns a person wants to see for this list."""
    known = columns(state, code_list)
    person: Any = request.user
    person.columns = {
        **person.columns,
        code_list: [name for name in known if name in request.POST.getlist("column")],
    }
    person.save(update_fields=["columns"])
    return _back(request, state, code_list)


@needs(SIGNED_IN)
def out(request: PineRequest, state: State, code_list: str, kind: str) -> HttpResponse:
    """What is seen, as a file that comes back in: the rows that fit, the columns chosen."""
    header = code_rows.header_of(table.chosen_columns(request, state, code_list))
    rows = table.rows_of(state, code_list, table.fitting(request, state, code_list))
    return attached(code_list, kind, header, ([cell(state, row, name) for name in header] for row in rows))


@needs(CHANGE, posts=True)
def bring(request: PineRequest, state: State, code_list: str) -> HttpResponse:
    """GET: where to paste or choose a file. POST: a preview row by row; with `take` the rows are taken."""
    address = reverse("codes-bring", kwargs={"code_list": code_list})
    code_list_row = state.get(CodeList, code_list)
    context: dict[str, Any] = {
        "title": code_list_row.name if code_list_row else code_list,
        "address": address,
        "back": reverse("code-list", kwargs={"code_list": code_list}),
        "columns": ["code", "name", *(name for name in columns(state, code_list) if name != "use")],
        "hint": "Without a header: code, name, then the columns that the table shows.",
    }
    if request.method != "POST":
        return render(request, "sheets/bring.html", context)
    given = records.read(request)
    proposals = code_rows.read(
        state, code_list, given, table.chosen_columns(request, state, code_list), posted_facts(state)
    )
    if request.POST.get("take"):
        if proposals.change is None:
            raise Refused(proposals.faults)
        apply_change(request, proposals.change)
        return reload_at(
            reverse("code-list", kwargs={"code_list": code_list}) + f"?at={proposals.rows[0].code}"
        )
    shown = "sheets/brought.html" if is_fragment(request) else "sheets/bring.html"
    return render(
        request,
        shown,
        {**context, **records.preview(proposals.rows, proposals.faults, proposals.change is not None, given)},
    )
