"""Sides that disagree: by rule and pair, down to the lines of either side that have no twin."""

from __future__ import annotations

from datetime import date, timedelta
from typing import Any, NamedTuple

import numpy as np
from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.urls import reverse
from django.utils.safestring import SafeString

from core.books.twins import FacingLine, Matched, Twins, age_of, match, open_amounts
from core.changes.kinds import Put
from core.consolidation.eliminate import Disagreement
from core.consolidation.position import Consolidation, Position
from core.definitions.state import State
from core.definitions.tables import Company, DisagreementNote, Elimination
from core.group.rates import NotReady
from core.group.translation_rules import CLOSING
from core.group_figures.sum_up import disagreements
from core.keeping.notes import ACCEPTED, EXPLAINED, OPEN, SAYS, NotedDisagreement, noted
from core.money import digits_of, round_half_up, show_amount
from web.definitions.viewing import PineRequest
from web.group.addresses import GroupAddress, group_address
from web.group.sheets import NOTES
from web.group.statement import company_names
from web.group.steps import group_context, position_of
from web.journals.facing import MOST, facing_lines
from web.people.rights import CHANGE, SIGNED_IN, needs, needs_post
from web.sheets.changing import apply_change, filled, reload_at
from web.sheets.pages import stretch
from web.shell.table_rows import Cell, TableRow, table_rows


class LineOfPair(NamedTuple):
    """A line that has no twin, or whose twin has another amount (`apart` says which); `days` it is old."""

    line: FacingLine
    address: str
    keyed: str
    days: int
    apart: str = ""


class SideOfPair(NamedTuple):
    """What one of a pair has: raw in its own currency and in the group's, on which accounts of its own."""

    company: Company
    own: int
    translated: int
    codes: list[str]


def side_of(
    group: Consolidation, position: Position, apart: Disagreement, name: str, other: str
) -> SideOfPair:
    """The company's amounts with the other as partner that the rule took, results since the books were last
    closed."""
    rule = next((rule for rule in group.rules if rule.row.elimination == apart.elimination), None)
    place = group.books.companies.index(other) if other in group.books.companies else None
    own, codes = 0, set()
    for part in position.taken.get(name, ()):
        one = part.books
        faces = (one.partner == place) if place is not None else np.ones(len(one.own), dtype=bool)
        chosen = faces & (rule.selected[one.target] if rule is not None else True)
        first = one.since_closed(position.period)[0] if one.since_closed(position.period) else 0
        for c in np.flatnonzero(chosen).tolist():
            to = one.books.books_to[c]
            before = int(to[first - 1]) if one.result[c] and first else 0
            amount = int(to[position.period]) - before
            own += amount
            if amount:
                codes.add(one.own[c])
    return SideOfPair(group.state.require(Company, name), own, apart.side(name), sorted(codes))


@needs(SIGNED_IN)
def sides(request: PineRequest, state: State, group: str) -> HttpResponse:
    at = group_address(request, state, group)
    context = group_context(state, at)
    known = position_of(state, at)
    if known is not None:
        work, position = known
        rows = noted(state, group, disagreements(position), context["digits"])
        context |= {
            "rows": side_rows(state, work, rows, at),
            "count": len(rows),
            "sheet": stretch(request, state, NOTES, {"group": group}),
        }
    return render(request, "group/sides.html", context)


STATES = (OPEN, EXPLAINED, ACCEPTED)


def side_rows(
    state: State, group: Consolidation, rows: list[NotedDisagreement], at: GroupAddress
) -> SafeString:
    names, digits = company_names(state), digits_of(group.group.currency)
    rules = state.part(Elimination, group.group.group)
    titles = {row.elimination: row.name or row.elimination for row in rules.values()}

    def row(one: NotedDisagreement) -> TableRow:
        apart = one.apart
        opens = reverse(
            "group-pair", args=[group.group.group, apart.elimination, apart.company, apart.partner or "-"]
        )
        return TableRow(
            f"{apart.elimination}-{apart.company}-{apart.partner}",
            [
                Cell(titles.get(apart.elimination, "Acquisition")),
                Cell(names.get(apart.company, apart.company)),
                Cell(show_amount(apart.side(apart.company), digits), "num"),
                Cell(names.get(apart.partner, "no partner")),
                Cell(show_amount(apart.side(apart.partner), digits) if apart.partner else "—", "num"),
                Cell(
                    show_amount(apart.amount, digits),
                    "num total",
                    link=f"{opens}?{at.query}",
                    in_proof=True,
                    opens=True,
                ),
                Cell(
                    SAYS[one.state],
                    f"{one.severity or 'ok'} nowrap",
                    title=one.note.note if one.note else "",
                ),
            ],
            proof=f"{opens}?{at.query}",
        )

    return table_rows(row(one) for one in rows)


@needs(SIGNED_IN)
def pair(
    request: PineRequest, state: State, group: str, elimination: str, company: str, partner: str
) -> HttpResponse:
    """One pair under one rule: both sides in their currencies, the lines that have no twin."""
    at = group_address(request, state, group)
    known = position_of(state, at)
    if known is None:
        raise Http404
    work, position = known
    other = "" if partner == "-" else partner
    apart = next(
        (
            row
            for row in disagreements(position)
            if (row.elimination, row.company, row.partner) == (elimination, company, other)
        ),
        None,
    )
    if apart is None:
        raise Http404
    one = noted(state, group, [apart], digits_of(work.group.currency))[0]
    context: dict[str, Any] = group_context(state, at) | {
        "apart": apart,
        "names": company_names(state),
        "noted": one,
        "says": SAYS[one.state],
        "states": STATES,
    }
    if other and apart.shares:
        both = [side_of(work, position, apart, one, two) for one, two in ((company, other), (other, company))]
        context |= {"sides": [(side, digits_of(side.company.currency)) for side in both]}
        context |= _twins(work, position, both, apart)
    return render(request, "group/pair.html", context)


def _twins(
    group: Consolidation, position: Position, both: list[SideOfPair], apart: Disagreement
) -> dict[str, Any]:
    """Matched lines, and how much of the difference they explain; the rest is due to rates and roundings."""
    until = group.periods.ends_on(position.period)
    lines: list[list[FacingLine]] = []
    for side, other in zip(both, reversed(both), strict=True):
        row, partner = side.company, other.company.company
        since = _since(group, position, row.company, results=_takes_results(group, apart))
        lines.append(facing_lines(row, side.codes, partner, since, until))
    if any(len(part) > MOST for part in lines):
        return {"too_many": MOST}
    found = match(*lines)
    return {
        "found": found,
        "rows": [
            *(_line(twins.one, twins, until) for twins in found.differ),
            *(_line(line, None, until) for line in found.alone),
        ],
        "open_amounts": [(one, digits_of(one.currency)) for one in open_amounts(found, until)],
        "explained": (explained := _explained(group, position, both, found)),
        "by_rates": apart.amount - explained,
    }


def _line(line: FacingLine, twins: Twins | None, until: date) -> LineOfPair:
    digits = digits_of(line.currency)
    address = reverse("journal", args=[line.of, line.journal])
    keyed = f"{show_amount(line.keyed, digits)} {line.currency}"
    if twins is None:
        return LineOfPair(line, address, keyed, age_of(line, until))
    against = show_amount(twins.other.keyed, digits)
    return LineOfPair(
        line,
        address,
        keyed,
        age_of(line, until),
        f"against {against}: {show_amount(twins.apart, digits)} apart",
    )


def _takes_results(group: Consolidation, apart: Disagreement) -> bool:
    return all(group.books.accounts.is_result(target) for _, _, target, _ in apart.shares)


def _since(group: Consolidation, position: Position, company: str, *, results: bool) -> date:
    """From which day on lines count: for results since the books were last closed."""
    part = next(iter(position.taken.get(company, ())), None)
    closed = part.books.last_closed(position.period) if part and results else None
    return group.periods.ends_on(closed) + timedelta(days=1) if closed else date.min


def _explained(group: Consolidation, position: Position, both: list[SideOfPair], found: Matched) -> int:
    """What lines without a twin, or apart from theirs, come to in the group's currency, at the closing
    rate."""
    sums: dict[str, int] = {}
    for line in (*found.alone, *(x for pair in found.differ for x in (pair.one, pair.other))):
        sums[line.company] = sums.get(line.company, 0) + line.amount
    total = 0
    for side in both:
        currency = side.company.currency
        try:
            rate = group.rates.of(CLOSING, currency, position.period)
        except NotReady:
            continue
        total += round_half_up(sums.get(side.company.company, 0) * rate)
    return total


@needs_post(CHANGE)
def note(
    request: PineRequest, state: State, group: str, elimination: str, company: str, partner: str
) -> HttpResponse:
    """What is known of a pair, over all periods."""
    at = group_address(request, state, group)
    other = "" if partner == "-" else partner
    known = state.get(DisagreementNote, group, elimination, company, other)
    row = known or DisagreementNote(group, elimination, company, other)
    apply_change(request, Put(filled(request, row, "state", "up_to", "note")))
    return reload_at(f"{reverse('group-sides', args=[group])}?{at.query}")
