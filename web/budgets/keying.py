"""Budgets keyed: one row at a time, several at once, rows of a file, and an act taken back."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from fractions import Fraction
from typing import Any

from django.http import Http404, HttpResponse
from django.shortcuts import render

from core.budgets.by_key import SpreadKey, over_key_codes, over_key_periods
from core.budgets.cells import BudgetYear, CellEdit
from core.budgets.fitting import with_code
from core.budgets.grid import BudgetGrid, GridRow
from core.budgets.keying import copied, grown, keyed, spread
from core.budgets.reading import Account, BudgetReader, BudgetRows, of_string, read_amount
from core.codes.lists import list_index
from core.codes.selectors import NOTHING, pick
from core.definitions.state import State
from core.faults import Fault, Location, Refused
from core.structures.accounts import restored
from core.writing import read_number
from web.budgets.acting import Decide, act, acts_of, turned_back
from web.budgets.address import BudgetAddress, budget_address
from web.budgets.remarks import keep_remark
from web.budgets.table import YEAR, BudgetTable
from web.definitions.viewing import PineRequest
from web.people.rights import POST, needs, needs_post
from web.sheets import records
from web.sheets.changing import reload_at, words_of
from web.shell.asked import whole
from web.shell.htmx import is_fragment

MOST_PER_CENT = 100_000


def _after(address: BudgetAddress, key: str = "") -> HttpResponse:
    """The page again, the row that was keyed selected."""
    return reload_at(address.address(row=f"budget:{key}" if key else ""))


def _known(grid: BudgetGrid, key: str) -> GridRow:
    row = grid.row(key)
    if row is None or not row.naturals:
        what = "Amounts are keyed on accounts and on headings above them."
        raise Refused([Fault("nothing-chosen", what, way_out="Choose such a row.")])
    return row


@needs(POST, posts=True, published=True)
def row(request: PineRequest, state: State, budget: str, company: str, statement: str) -> HttpResponse:
    """GET: a row as inputs. POST: takes what changed of them."""
    address = budget_address(request, state, budget, company, statement)
    grid = address.grid(address.stored())
    key = request.GET.get("key", "")
    if request.method != "POST":
        known, table = _known(grid, key), BudgetTable(address, grid)
        acts = acts_of(address).values_list("pk", flat=True)[:1]
        return render(
            request,
            "budgets/edit_row.html",
            {
                "address": address,
                "table": table,
                "inputs": table.inputs(known),
                "name": table.name(known),
                "key": key,
                "seen": next(iter(acts), 0),
                "several": known.string is None,
                "year_before": table.shown(known, 0),
            },
        )
    known = _known(grid, key)
    texts = _changed(request, address)
    decide = _keyed(address, grid, known, texts)
    sentence = _sentence(address, grid, known, texts)
    act(address, request.user, whole(request.POST, "seen"), sentence, decide)
    keep_remark(request, address, key)
    return _after(address, key)


def _changed(request: PineRequest, address: BudgetAddress) -> dict[str, str]:
    """What was keyed by input, of those that hold something else than before."""
    names = [*(span.name for span in address.spans), YEAR]
    texts = {name: words_of(request, name, 200) for name in names}
    changed = {name: text for name, text in texts.items() if text != words_of(request, f"was-{name}", 200)}
    if YEAR in changed and len(changed) > 1:
        what = "Key the year or its periods, not both."
        raise Refused([Fault("amount-both", what, Location("budget_lines", (), YEAR, changed[YEAR]))])
    return changed


def _keyed(address: BudgetAddress, grid: BudgetGrid, row: GridRow, texts: Mapping[str, str]) -> Decide:
    """Decides what the keyed texts make of the cells; an amount is read beside the figures it may name."""
    direction, before = grid.direction(row), grid.before
    if row.string:
        before = of_string(BudgetYear(before, (), grid.year.natural_of), row.string).cells

    spans = {**{span.name: span.periods for span in address.spans}, YEAR: address.periods}

    def new_string(natural: str) -> tuple[str, str]:
        return row.string or address.new_string(natural)

    def decide(year: BudgetYear) -> list[CellEdit]:
        own = of_string(year, row.string) if row.string else year
        after = own
        for name, text in texts.items():
            periods = spans[name]
            earlier = _year_of(own, before)
            named = {
                "now": direction * own.standing_sum(own.of(row.naturals, periods)),
                "before": direction * earlier.standing_sum(earlier.of(row.naturals, periods)),
            }
            amount = _amount(name, text, address.digits, named)
            raw = None if amount is None else direction * amount
            stands = own.standing.issuperset(row.naturals)
            if raw is not None and name == YEAR and not stands:  # what lies in other periods stays
                raw -= sum(own.of(row.naturals, {c.period for c in own.cells} - set(periods)).values())
            after = after.with_edits(keyed(after, before, row.naturals, periods, raw, new_string))
        return own.edits({cell: after.cells.get(cell) for cell in {*own.cells, *after.cells}})

    return decide


def _year_of(year: BudgetYear, cells: Any) -> BudgetYear:
    return replace(year, cells=cells)


def _amount(name: str, text: str, digits: int, named: Mapping[str, int | None]) -> int | None:
    try:
        return read_amount(text, digits, named)
    except ValueError as refused:
        place = Location("budget_lines", (), name, text)
        raise Refused([Fault("amount-unreadable", str(refused), place, "Correct the amount.")]) from None


def _sentence(address: BudgetAddress, grid: BudgetGrid, row: GridRow, texts: Mapping[str, str]) -> str:
    """What was keyed, as the log tells it."""
    table = BudgetTable(address, grid)
    titles = {one.name: (one.title, one.was) for one in table.inputs(row)}
    told = [
        f"{titles[name][0]} {text or 'empty'} (was {titles[name][1] or 'empty'})"
        for name, text in texts.items()
    ]
    return f"Keyed {' '.join(table.name(row)).strip()}: {', '.join(told)}"


ACTS = ("evenly", "season", "key", "grow", "copy", "empty")


@needs_post(POST, published=True)
def several(request: PineRequest, state: State, budget: str, company: str, statement: str) -> HttpResponse:
    """One act for the chosen rows: spread, grow, copy, empty."""
    address = budget_address(request, state, budget, company, statement)
    grid = address.grid(address.stored())
    keys = [key for key in request.POST.get("what", "").split(",") if key]
    rows = [row for key in keys if (row := grid.row(key)) is not None and row.naturals]
    kind = request.POST.get("act", "")
    if kind not in ACTS:
        raise Http404
    if not rows:
        what = "No line or account is chosen."
        raise Refused([Fault("nothing-chosen", what, way_out="Choose a row with accounts first.")])
    naturals = sorted({natural for row in rows for natural in row.naturals})
    table = BudgetTable(address, grid)
    names = ", ".join(" ".join(table.name(row)).strip() for row in rows[:5])
    names += f" and {len(rows) - 5} more" if len(rows) > 5 else ""
    sentence, decide = _several(request, address, grid, kind, naturals, names)
    if act(address, request.user, whole(request.POST, "seen"), sentence, decide) is None:
        raise Refused([Fault("nothing-chosen", f"That changes nothing of {names}.")])
    return _after(address, keys[0])


def _several(
    request: PineRequest, address: BudgetAddress, grid: BudgetGrid, kind: str, naturals: list[str], names: str
) -> tuple[str, Decide]:
    """What the log tells of an act, and what it decides."""
    periods, before = address.periods, grid.before
    if kind == "evenly":
        return f"Spread evenly: {names}", lambda year: spread(year, before, naturals, "evenly")
    if kind == "season":
        told = f"Spread as {address.year - 1} went: {names}"
        return told, lambda year: spread(year, before, naturals, "season")
    if kind == "key":
        return _by_key(request, address, naturals, names)
    if kind == "empty":
        return f"Emptied {names}", lambda year: year.edits(dict.fromkeys(year.of(naturals, periods)))
    per_cent, told = _per_cent(request)
    if kind == "grow":
        return f"{told} per cent on {names}", lambda year: grown(year, naturals, periods, per_cent)
    cells, source = address.source(words_of(request, "source", 40))
    wanted = [natural for natural in naturals if address.takes_budget(natural)]
    more = f", {told} per cent" if per_cent else ""
    return f"Copied {source}{more}: {names}", lambda year: copied(year, cells, wanted, periods, per_cent)


def _by_key(
    request: PineRequest, address: BudgetAddress, naturals: list[str], names: str
) -> tuple[str, Decide]:
    """As some accounts went in a year or budget: over its periods, or over the codes of a field."""
    written = words_of(request, "key", 200)
    natural_list = address.context.chart.natural_list
    picked = pick(address.state, natural_list, written) if written else NOTHING
    place = Location("budget_lines", (), "key", written)
    if picked.faults or not picked.codes:
        what = picked.faults[0] if picked.faults else "The key names no accounts."
        raise Refused(
            [Fault("selector", what, place, "Name accounts that say how to spread, as 9* or 41210.")]
        )
    cells, source = address.source(words_of(request, "source", 40))
    natural_of = address.context.chart.natural_of
    own = {cell: amount for cell, amount in cells.items() if natural_of(cell.account) in picked.codes}
    key = SpreadKey(own, f"{written} of {source}")
    name = words_of(request, "over", 40)
    if not name:
        told = f"Spread over the periods by {key.called}: {names}"
        return told, lambda year: over_key_periods(year, naturals, key)
    field = address.field(name)
    told = f"Spread over {field.title} by {key.called}: {names}"

    def decide(year: BudgetYear) -> list[CellEdit]:
        weights = key.by_code(year, address.code_of(field))
        return over_key_codes(
            year, naturals, weights, lambda string, code: with_code(address.context, string, field, code)
        )

    return told, decide


def _per_cent(request: PineRequest) -> tuple[Fraction, str]:
    """The percentage of the form, none where it is empty, and as it was written, with its sign."""
    written = words_of(request, "per_cent", 20).rstrip("% ")
    place = Location("budget_lines", (), "per_cent", written)
    try:
        number = read_number(written) if written else "0"
    except ValueError as refused:
        raise Refused([Fault("cell-unreadable", str(refused), place)]) from None
    if abs(Fraction(number)) > MOST_PER_CENT:
        what = f"A percentage is at most {MOST_PER_CENT:,}."
        raise Refused([Fault("cell-unreadable", what, place)])
    return Fraction(number), number if number.startswith("-") else f"+{number}"


@needs_post(POST, published=True)
def take_back(
    request: PineRequest, state: State, budget: str, company: str, statement: str, number: str
) -> HttpResponse:
    """Puts the cells of an act back, where nothing changed them since."""
    address = budget_address(request, state, budget, company, statement)
    known = acts_of(address).filter(pk=int(number)).first() if number.isdigit() and len(number) < 18 else None
    if known is None:
        raise Http404
    if not known.edits:
        what = "This was not keyed here, and can't be taken back here."
        raise Refused([Fault("nothing-chosen", what, way_out="Empty the lines, or copy others.")])
    whole_year = replace(address, filter="")
    told = f"Took back: {known.sentence}"
    act(whole_year, request.user, None, told, turned_back(known), known.pk)
    return _after(address)


@needs(POST, posts=True, published=True)
def bring(request: PineRequest, state: State, budget: str, company: str, statement: str) -> HttpResponse:
    """GET: where to paste or choose a file. POST: a preview row by row; with `take` the rows are taken."""
    address = budget_address(request, state, budget, company, statement)
    grid = address.grid(address.stored())
    periods = " ".join(str(period) for period in address.periods)
    context: dict[str, Any] = {
        "title": f"{address.budget.name}, {address.company.name}, {address.year}",
        "address": address.address("budget-bring"),
        "back": address.address(),
        "columns": ["account", "dimensions", *(str(period) for period in address.periods), YEAR],
        "hint": f"With no titles: account {periods}. An account is a natural account or a whole account"
        " string; a year is spread over its periods. Amounts stand as they do on the statement.",
    }
    if request.method != "POST":
        return render(request, "sheets/bring.html", context)
    given = records.read(request)
    if request.POST.get("take"):
        faults: list[Fault] = []

        def decide(year: BudgetYear) -> list[CellEdit]:
            found = _reader(address, grid, year).read(given)
            faults[:] = found.faults
            if faults:
                raise Refused(faults)
            return found.edits

        act(address, request.user, whole(request.POST, "seen"), f"Brought in {len(given):,} rows", decide)
        return _after(address)
    found = _reader(address, grid, grid.year).read(given)
    shown = "sheets/brought.html" if is_fragment(request) else "sheets/bring.html"
    acts = acts_of(address).values_list("pk", flat=True)[:1]
    return render(request, shown, {**context, **_preview(found, given), "seen": next(iter(acts), 0)})


def _preview(found: BudgetRows, given: records.Records) -> dict[str, Any]:
    return records.preview(found.rows, found.faults, not found.faults, given)


def _reader(address: BudgetAddress, grid: BudgetGrid, year: BudgetYear) -> BudgetReader:
    calendar, plan = address.calendar, grid.plan
    codes = list_index(address.state, address.context.chart.natural_list).codes
    names = {str(period): period for period in address.periods}
    names |= {calendar.periods[(address.year, period)].name.lower(): period for period in address.periods}

    def account(text: str, dimensions: str) -> Account:
        chart = address.context.chart
        if chart.separator not in text and not dimensions and text in codes and not codes[text].rollup:
            return Account(text, None, codes[text].name)
        found = restored(address.context, chart.kept(text), dimensions, defaults=True, quantities=True)
        if found.faults:
            raise Refused(found.faults)
        row = codes.get(found.natural)
        return Account(found.natural, (found.account, found.dimensions), row.name if row else "")

    def direction(natural: str) -> int:
        """Of the account's line; of one on no line that of its class."""
        at = plan.accounts.position.get(natural)
        line = int(plan.line_of[at]) if at is not None else -1
        if line >= 0:
            return 1 if plan.lines[line].direction == 1 else -1
        return 1 if natural in codes and codes[natural].debit_normal else -1

    return BudgetReader(year, grid.before, names, address.digits, account, direction, address.new_string)
