"""Arrangements over inherited statements: begun, switched, what moved above taken or settled, set back."""

from __future__ import annotations

from itertools import groupby
from typing import Any

from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.urls import reverse

from core.changes.kinds import Put
from core.changes.of_arrangements import (
    Arrange,
    EndArrangement,
    SetBack,
    SettleUpstream,
    TakeUpstream,
    take_all,
)
from core.definitions.state import State
from core.definitions.tables import Arrangement, Company, Group, Statement
from core.faults import Fault, Refused
from core.mapping.arrangements import (
    Origin,
    accounts_moved,
    arranged_statements,
    lost_by_setting_back,
    member_name,
    of_member,
    origins,
    own_lines,
    upstream,
    what_differs,
)
from core.statements.plans import line_title
from web.definitions.viewing import PineRequest
from web.people.rights import CHANGE, SIGNED_IN, companies_seen, groups_seen, needs, needs_post
from web.sheets.changing import apply_change, reload_at
from web.shell.asked import text
from web.shell.asking import Choice, ask, decided
from web.shell.ids import free_id
from web.statements.models import LineRemark

COUNTED: tuple[Origin, ...] = ("inherited", "changed", "own")


def panel(
    request: PineRequest, state: State, statement: Statement, company: Company | None
) -> dict[str, Any]:
    """What a statement's page says of arrangements: of which it is one, or who has one over it."""
    arrangement = state.get(Arrangement, statement.statement)
    if arrangement is not None:
        kinds, over = list(origins(state, arrangement).values()), state.require(Statement, arrangement.over)
        moved = [
            (one, what_differs(one.own, one.above) if one.own and one.above else [])
            for one in upstream(state, arrangement)
        ]
        return {
            "arrangement": arrangement,
            "over": over,
            "member": member_name(state, arrangement),
            "counts": [(kinds.count(kind), kind) for kind in COUNTED],
            "upstream": [
                (section, list(part)) for section, part in groupby(moved, key=lambda pair: pair[0].section)
            ],
            "upstream_count": len(moved),
            "by_account": {one.line: accounts_moved(state, over, one) for one, _ in moved},
        }
    mine = of_member(state, statement.statement, company.company) if company else None
    seen = {("company", row.company) for row in companies_seen(request.user, state)}
    seen |= {("group", row.group) for row in groups_seen(request.user, state)}
    others = [
        (row, member_name(state, row), len(upstream(state, row)))
        for row, over in arranged_statements(state)
        if over == statement and (row.member_kind, row.member) in seen
    ]
    return {"arrangements": others, "may_arrange": bool(company) and mine is None}


@needs_post(CHANGE)
def arrange(request: PineRequest, state: State, statement: str) -> HttpResponse:
    """A copy of its own for a company or a group, in use from now on."""
    over = state.get(Statement, statement)
    kind, member = text(request.POST, "kind", 10), text(request.POST, "member", 40)
    groups = {row.group: row for row in groups_seen(request.user, state)}
    companies = {row.company: row for row in companies_seen(request.user, state)}
    whose: Group | Company | None = (groups if kind == "group" else companies).get(member)
    if over is None or whose is None:
        raise Http404
    own = free_id(f"{statement}-{member}", lambda one: state.get(Statement, one) is not None, "statement")
    row = Arrangement(own, statement, member, "group" if kind == "group" else "company")
    apply_change(request, Arrange(row, f"{over.name}, {whose.name}"))
    return reload_at(reverse("statement", args=[own]) + (f"?company={member}" if kind != "group" else ""))


def _known(state: State, statement: str) -> Arrangement:
    row = state.get(Arrangement, statement)
    if row is None:
        raise Http404
    return row


def _back(statement: str) -> HttpResponse:
    return reload_at(reverse("statement", args=[statement]))


@needs_post(CHANGE)
def switch(request: PineRequest, state: State, statement: str) -> HttpResponse:
    """In use, or put by: the arrangement stays as it is."""
    row = _known(state, statement)
    apply_change(request, Put(row._replace(in_use=not row.in_use)))
    return _back(statement)


@needs_post(CHANGE)
def take(request: PineRequest, state: State, statement: str) -> HttpResponse:
    """One line from above (`line`), or everything that moved."""
    _known(state, statement)
    line = text(request.POST, "line", 40)
    change = TakeUpstream(statement, line) if line else take_all(state, statement)
    if change is None:
        raise Refused([Fault("nothing-chosen", "Nothing moved above since it was looked at.")])
    apply_change(request, change)
    return _back(statement)


@needs_post(CHANGE)
def settle(request: PineRequest, state: State, statement: str) -> HttpResponse:
    _known(state, statement)
    line, reason = text(request.POST, "line", 40), text(request.POST, "reason", 400)
    apply_change(request, SettleUpstream(statement, line, reason))
    return _back(statement)


@needs_post(CHANGE)
def set_back(request: PineRequest, state: State, statement: str) -> HttpResponse:
    """A section (`row`; none: all) as it is above, after what would be lost was told."""
    row, line = _known(state, statement), text(request.POST, "row", 40)
    if not decided(request):
        what = (
            line_title(own_lines(state, statement)[line])
            if line in own_lines(state, statement)
            else "All of it"
        )
        lost = _lost(state, row, line)
        return ask(request, f"{what} becomes as it is above. {lost}", Choice("back", "Set it back"))
    apply_change(request, SetBack(statement, line))
    return _back(statement)


def _lost(state: State, row: Arrangement, line: str) -> str:
    """What goes, as sentences: own lines, changed ones, remarks on lines that go."""
    own, changed = lost_by_setting_back(state, row, line)
    names = {line_title(one): one.line for one in own_lines(state, row.statement).values()}
    gone = [names[title] for title in own if title in names]
    remarks = LineRemark.objects.filter(statement=row.statement, line__in=gone, ended_at=None).count()
    parts = [
        f"Lost are {len(own)} own: {', '.join(own[:8])}." if own else "",
        f"Back as above are {len(changed)}: {', '.join(changed[:8])}." if changed else "",
        f"{remarks} remark{'s' if remarks != 1 else ''} stand on lines that go." if remarks else "",
    ]
    return " ".join(filter(None, parts)) or "Nothing of its own is lost."


@needs_post(CHANGE)
def end(request: PineRequest, state: State, statement: str) -> HttpResponse:
    """The arrangement goes with its statement; one that is only put by stays."""
    row = _known(state, statement)
    if not decided(request):
        sentence = f"{state.require(Statement, statement).name} goes. {_lost(state, row, '')}"
        return ask(request, sentence, Choice("end", "End the arrangement"))
    apply_change(request, EndArrangement(statement))
    return reload_at(reverse("statement", args=[row.over]))


@needs(SIGNED_IN)
def listing(request: PineRequest, state: State) -> HttpResponse:
    """All arrangements that somebody sees, with what moved above."""
    companies = {row.company for row in companies_seen(request.user, state)}
    groups = {row.group for row in groups_seen(request.user, state)}
    rows = []
    for row, over in arranged_statements(state):
        if row.member in (groups if row.member_kind == "group" else companies):
            kinds = list(origins(state, row).values())
            counts = [kinds.count(kind) for kind in COUNTED]
            rows.append((row, over, member_name(state, row), counts, len(upstream(state, row))))
    return render(request, "statements/arrangements.html", {"arrangements": rows})
