"""Sides that disagree: by rule and pair, down to the lines of either side that have no twin."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from typing import Any, NamedTuple

from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.template.defaultfilters import pluralize
from django.urls import reverse
from django.utils.safestring import SafeString

from core.books.twins import FacingLine, Matched, OpenLines, Twins, age_of, open_amounts, open_since
from core.changes.kinds import Put
from core.consolidation.eliminate import Disagreement
from core.consolidation.position import Consolidation, Position
from core.definitions.state import State
from core.definitions.tables import DisagreementNote, Elimination
from core.group.rates import NotReady
from core.group.translation_rules import CLOSING
from core.group_figures.sum_up import disagreements
from core.keeping.notes import ACCEPTED, EXPLAINED, OPEN, SAYS, NotedDisagreement, noted
from core.money import digits_of, round_half_up, show_amount
from web.definitions.viewing import PineRequest
from web.group.addresses import GroupAddress, group_address
from web.group.sheets import NOTES
from web.group.side_lines import SideOfPair, both_sides, matched_lines
from web.group.statement import company_names
from web.group.steps import group_context, position_of
from web.journals.facing import MOST
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


@needs(SIGNED_IN)
def sides(request: PineRequest, state: State, group: str) -> HttpResponse:
    at = group_address(request, state, group)
    context = group_context(state, at)
    known = position_of(state, at)
    if known is not None:
        work, position = known
        rows = noted(state, group, disagreements(position), context["digits"])
        pairs = [(row.apart, both) for row in rows if (both := both_sides(work, position, row.apart))]
        matched = matched_lines(work, position, pairs)
        ages = {
            apart: open_since(found, work.periods.ends_on(position.period))
            for (apart, _), found in zip(pairs, matched or (), strict=matched is not None)
        }
        context |= {
            "rows": side_rows(state, work, rows, at, ages),
            "too_many": MOST if matched is None else 0,
            "count": len(rows),
            "sheet": stretch(request, state, NOTES, {"group": group}),
        }
    return render(request, "group/sides.html", context)


STATES = (OPEN, EXPLAINED, ACCEPTED)


def side_rows(
    state: State,
    group: Consolidation,
    rows: list[NotedDisagreement],
    at: GroupAddress,
    ages: Mapping[Disagreement, OpenLines],
) -> SafeString:
    """A row a pair, with how many of its lines have no twin and how old the oldest of them is."""
    names, digits = company_names(state), digits_of(group.group.currency)
    rules = state.part(Elimination, group.group.group)
    titles = {row.elimination: row.name or row.elimination for row in rules.values()}

    def row(one: NotedDisagreement) -> TableRow:
        apart = one.apart
        age = ages.get(apart)
        opens = reverse(
            "group-pair", args=[group.group.group, apart.elimination, apart.company, apart.partner or "-"]
        )
        return TableRow(
            f"{apart.elimination}-{apart.company}-{apart.partner}",
            [
                Cell(titles.get(apart.elimination, "Acquisition")),
                Cell(
                    names.get(apart.company, apart.company),
                    "nowrap",
                    below=names.get(apart.partner, "no partner"),
                ),
                Cell(
                    show_amount(apart.side(apart.company), digits),
                    "num",
                    below=show_amount(apart.side(apart.partner), digits) if apart.partner else "—",
                ),
                Cell(
                    show_amount(apart.amount, digits),
                    "num total",
                    link=f"{opens}?{at.query}",
                    in_proof=True,
                    opens=True,
                ),
                Cell(_open_words(age), "nowrap"),
                Cell(
                    SAYS[one.state],
                    f"{one.severity or 'ok'} nowrap",
                    title=one.note.note if one.note else "",
                ),
            ],
            proof=f"{opens}?{at.query}",
        )

    return table_rows(row(one) for one in rows)


def _open_words(age: OpenLines | None) -> str:
    if age is None:
        return "—"
    if not age.lines:
        return "none"
    return f"{age.lines:,} line{pluralize(age.lines)}, {age.oldest} day{pluralize(age.oldest)}"


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
        both = both_sides(work, position, apart)
        context |= {"sides": [(side, digits_of(side.company.currency)) for side in both]}
        context |= _twins(work, position, both, apart)
    return render(request, "group/pair.html", context)


def _twins(
    group: Consolidation, position: Position, both: list[SideOfPair], apart: Disagreement
) -> dict[str, Any]:
    """Matched lines, and how much of the difference they explain; the rest is due to rates and roundings."""
    until = group.periods.ends_on(position.period)
    matched = matched_lines(group, position, [(apart, both)])
    if matched is None:
        return {"too_many": MOST}
    (found,) = matched
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
            rate = group.rates.minor(CLOSING, currency, position.period)
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
