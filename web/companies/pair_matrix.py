"""Intercompany pairs as a matrix: who books what on which accounts, gaps, proposals in both directions, and
what a line between two companies would bring."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import date
from typing import NamedTuple

from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.urls import reverse

from core.books.journals import BookedLine, check_journal
from core.changes.kinds import Change, ChangeSet, Drop, PutRows
from core.codes.lists import list_index
from core.definitions.state import State
from core.definitions.tables import Company, IntercompanyPair, Journal, JournalLine
from core.faults import Fault, Location, Refused
from core.money import digits_of
from core.structures.charts import chart_index
from core.structures.pair_proposals import proposed_pair
from web.definitions.viewing import PineRequest
from web.people.rights import CHANGE, companies_seen, defines, needs, needs_post
from web.sheets.changing import apply_change, reload_at
from web.shell.asked import day, text, whole
from web.shell.cell_grid import GridCell, MatrixRow, chosen_cells, grid_rows, short_names

ACROSS = 20
MOST_DOWN = 400


def _faces(state: State, companies: Sequence[Company]) -> list[Company]:
    """Companies that may stand on either side: those that adjust another's books face nobody."""
    return [row for row in companies if not row.adjusts]


@needs(CHANGE)
def page(request: PineRequest, state: State) -> HttpResponse:
    """Companies down, partners across."""
    companies = _faces(state, companies_seen(request.user, state))
    left = min(whole(request.GET, "left"), max(0, len(companies) - 1)) // ACROSS * ACROSS
    across = companies[left : left + ACROSS]
    heads = short_names([(row.company, row.name) for row in companies])[left : left + ACROSS]
    gaps = sum(
        state.get(IntercompanyPair, one.company, other.company) is None
        for one in companies
        for other in companies
        if one != other
    )
    rows = (
        MatrixRow(row.company, row.name, [_cell(state, row, other) for other in across])
        for row in companies[:MOST_DOWN]
    )
    return render(
        request,
        "companies/pair_matrix.html",
        {
            "rows": grid_rows(rows, heads),
            "columns": heads,
            "count": len(companies),
            "gaps": gaps,
            "left": left,
            "right": left + ACROSS if left + ACROSS < len(companies) else None,
            "before": max(0, left - ACROSS) if left else None,
        },
    )


def _cell(state: State, company: Company, partner: Company) -> GridCell:
    if company == partner:
        return GridCell("none", "", "the company itself")
    pair = state.get(IntercompanyPair, company.company, partner.company)
    if pair is not None:
        title = f"due from {pair.due_from}, due to {pair.due_to}"
        return GridCell("set", pair.due_from, title)
    if state.get(IntercompanyPair, partner.company, company.company) is not None:
        return GridCell("gap", "◆", "missing, and the partner has its side")
    return GridCell("gap", "—", "missing")


class PairSide(NamedTuple):
    """One side of a pair as the proof shows it: what is there, or what is proposed and why."""

    company: Company
    partner: Company
    due_from: str
    due_to: str
    ground: str
    due_from_name: str
    due_to_name: str


def _side(state: State, company: Company, partner: Company) -> PairSide:
    pair = state.get(IntercompanyPair, company.company, partner.company)
    proposal = None if pair else proposed_pair(state, company.company, partner.company)
    due_from, due_to = (
        (pair.due_from, pair.due_to)
        if pair
        else (proposal.due_from, proposal.due_to)
        if proposal
        else ("", "")
    )
    index = chart_index(state, company.chart)
    codes = list_index(state, index.natural_list).codes if index else {}
    names = [codes[code].name if code in codes else "" for code in (due_from, due_to)]
    ground = "" if pair else f"proposed {proposal.ground}" if proposal else "nothing to propose"
    return PairSide(company, partner, due_from, due_to, ground, *names)


def _two(state: State, row: str, column: str) -> tuple[Company, Company]:
    company, partner = state.get(Company, row), state.get(Company, column)
    if company is None or partner is None:
        raise Http404
    return company, partner


@needs(CHANGE)
def cell(request: PineRequest, state: State) -> HttpResponse:
    """Both sides of a pair, with what would be proposed, and a line tried between them."""
    company, partner = _two(state, text(request.GET, "row", 40), text(request.GET, "col", 40))
    if not all(defines(request.user, state, "company", one.company) for one in (company, partner)):
        raise Http404
    return render(
        request,
        "companies/pair_cell.html",
        {
            "company": company,
            "partner": partner,
            "sides": []
            if company == partner
            else [_side(state, company, partner), _side(state, partner, company)],
            "on": date.today(),
        },
    )


@needs_post(CHANGE)
def propose(request: PineRequest, state: State) -> HttpResponse:
    """Takes what is proposed for the chosen cells that are empty, in both directions."""
    wanted = {
        pair
        for one, other in chosen_cells(request.POST)
        for pair in ((one, other), (other, one))
        if one != other and state.get(IntercompanyPair, *pair) is None
    }
    rows = [
        IntercompanyPair(*pair, proposal.due_from, proposal.due_to)
        for pair in sorted(wanted)
        if (proposal := proposed_pair(state, *pair)) is not None
    ]
    if not rows:
        raise Refused(
            [
                Fault(
                    "nothing-missing",
                    "Nothing can be proposed for these cells.",
                    way_out="Key the accounts of one of them; others follow it.",
                )
            ]
        )
    apply_change(request, PutRows(tuple(rows), f"Added {len(rows)} intercompany pairs, as proposed"))
    return reload_at(reverse("pair-matrix"))


@needs_post(CHANGE)
def put(request: PineRequest, state: State) -> HttpResponse:
    """Two accounts for all chosen cells, or the pairs taken out where none is given."""
    due_from, due_to = text(request.POST, "due_from", 40), text(request.POST, "due_to", 40)
    cells = [(one, other) for one, other in chosen_cells(request.POST) if one != other]
    for pair in cells:
        _two(state, *pair)
    if request.POST.get("act") == "drop":
        gone = [row for pair in cells if (row := state.get(IntercompanyPair, *pair)) is not None]
        changes: list[Change] = [Drop(row) for row in gone]
        apply_change(request, ChangeSet(tuple(changes), f"Deleted {len(gone)} intercompany pairs"))
    else:
        if not due_from or not due_to:
            where = Location("intercompany_pairs", (), "due_from" if not due_from else "due_to")
            raise Refused([Fault("cell-empty", "A pair needs both accounts.", where, "Give them.")])
        rows = tuple(IntercompanyPair(*pair, due_from, due_to) for pair in cells)
        apply_change(request, PutRows(rows, f"Put {len(rows)} intercompany pairs on {due_from} and {due_to}"))
    return reload_at(reverse("pair-matrix"))


class Booked(NamedTuple):
    """A line that a simulated journal would have."""

    company: str
    line: BookedLine
    digits: int


@needs(CHANGE)
def simulate(request: PineRequest, state: State) -> HttpResponse:
    """What a line of one company in the other's journal brings, by the engine that posts: nothing is kept."""
    company, partner = _two(state, text(request.GET, "company", 40), text(request.GET, "partner", 40))
    amount, on = text(request.GET, "amount", 30) or "100", day(request.GET, "on") or date.today()
    journal = Journal(company.company, "simulated", on)
    lines = [
        JournalLine(company.company, "simulated", 1, "", text(request.GET, "account", 200), "", amount),
        JournalLine(
            company.company, "simulated", 2, partner.company, text(request.GET, "other", 200), "", "", amount
        ),
    ]
    checked = check_journal(state, journal, lines)
    booked = list(_booked(state, checked.lines))
    sums: dict[str, int] = {}
    for row in booked:
        sums[row.company] = sums.get(row.company, 0) + row.line.keyed
    return render(
        request,
        "companies/simulated.html",
        {
            "faults": checked.faults,
            "booked": booked,
            "sums": sorted(sums.items()),
            "digits": digits_of(company.currency),
        },
    )


def _booked(state: State, lines: Sequence[BookedLine]) -> Iterator[Booked]:
    names = {row.company: row for row in state.rows(Company)}
    for line in lines:
        own = names[line.company]
        yield Booked(own.name, line, digits_of(own.currency))
