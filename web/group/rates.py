"""The rates page: one currency at a time over all periods, with what is missing; rows edited in place."""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence
from typing import Any, NamedTuple

from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.urls import reverse
from django.utils.safestring import SafeString

from core.consolidation.position import Consolidation
from core.definitions.parsing import write_cell
from core.definitions.state import State
from core.definitions.tables import Rate
from core.group.rates import Way
from core.group.translation_rules import AVERAGE, CLOSING
from core.group_figures.rate_history import PeriodRates, currencies, rate_history, waiting_by_period
from core.money import show_amount
from core.reference_rates import proposals
from web.definitions.viewing import PineRequest
from web.group import queries
from web.group.addresses import GroupAddress, group_address
from web.group.rate_feed import BASE, FeedFailed, daily_rates
from web.group.sheets import RATES
from web.group.statement import company_names
from web.group.steps import group_context
from web.people.rights import CHANGE, SIGNED_IN, needs
from web.sheets.pages import stretch
from web.shell.table_rows import Cell, TableRow, table_rows
from web.shell.templatetags.pine import as_rate

WIDTH, HEIGHT, MARGIN = 760, 110, 14


class Point(NamedTuple):
    """A closing rate as drawn, with what is told on pointing."""

    x: float
    y: float
    title: str


class RateDrawing(NamedTuple):
    """The closing rates of a currency as a line; gaps part it. `first` and `last` are what its ends are
    called."""

    lines: list[str]
    points: list[Point]
    low: str
    high: str
    first: str
    last: str


def draw(group: Consolidation, history: Sequence[PeriodRates]) -> RateDrawing | None:
    """None where there are fewer than two rates."""
    known = [(row.number, row.closing.rate) for row in history if row.closing]
    if len(known) < 2:
        return None
    first, last = known[0][0], known[-1][0]
    low, high = min(rate for _, rate in known), max(rate for _, rate in known)
    height = float(high - low) or 1.0
    points, lines = [], []
    before = None
    for index, rate in known:
        x = round(MARGIN + (WIDTH - 2 * MARGIN) * (index - first) / (last - first), 1)
        y = round(MARGIN + (HEIGHT - 2 * MARGIN) * (1 - float(rate - low) / height), 1)
        points.append(Point(x, y, f"{period_name(group, index)}: {as_rate(rate)}"))
        if before is not None and before[0] == index - 1:
            lines.append(f"M{before[1]} {before[2]}L{x} {y}")
        before = (index, x, y)
    names = period_name(group, first), period_name(group, last)
    return RateDrawing(lines, points, as_rate(low), as_rate(high), *names)


def period_name(group: Consolidation, index: int) -> str:
    return group.periods.rows[index - 1].name if index else "Brought forward"


def _cell(way: Way | None, waiting: list[str]) -> Cell:
    if way is None:
        return Cell("■ missing", "num", title=", ".join(waiting)) if waiting else Cell("—", "num")
    told = f"{way.name}, {way.on}"
    return Cell(as_rate(way.rate), "num", title=told)


def rate_rows(
    group: Consolidation, currency: str, history: Sequence[PeriodRates], names: dict[str, str], p: int
) -> SafeString:
    """The newest period first; what figures at the end of p need is among them."""
    waiting = waiting_by_period(group, currency, p)

    def rows() -> Iterator[TableRow]:
        for row in reversed(history[: _last_of_use(history, waiting) + 1]):
            needed = {
                kind: [names.get(name, name) for name in waiting.get((kind, row.number), [])]
                for kind in (CLOSING, AVERAGE)
            }
            ways = {way.name for way in (row.closing, row.average) if way} - {"directly"}
            change = "—" if row.change is None else f"{show_amount(round(row.change * 1000), 1)} %"
            told = [*sorted(ways), *(["jumps"] if row.jumps else [])]
            missing = sorted({name for kind in needed if _lacks(row, kind) for name in needed[kind]})
            if missing:
                told.append(f"{', '.join(missing)} wait{'s' if len(missing) == 1 else ''}")
            yield TableRow(
                f"period-{row.number}",
                [
                    Cell(period_name(group, row.number)),
                    _cell(row.closing, needed[CLOSING]),
                    _cell(row.average, needed[AVERAGE]),
                    Cell(f"◆ {change}" if row.jumps else change, "num"),
                    Cell("; ".join(told), "sub"),
                ],
            )

    return table_rows(rows())


def _last_of_use(history: Sequence[PeriodRates], waiting: dict[tuple[str, int], list[str]]) -> int:
    """The last period that has a rate or needs one."""
    known = [row.number for row in history if row.closing or row.average]
    return max([*known, *(number for _, number in waiting)], default=0)


def _lacks(row: PeriodRates, kind: str) -> bool:
    return (row.closing if kind == CLOSING else row.average) is None


def _missing(group: Consolidation, currency: str, p: int) -> int:
    """How many rates of a currency are needed and not there."""
    history = {row.number: row for row in rate_history(group.rates, currency)}
    return sum(
        1
        for kind, index in waiting_by_period(group, currency, p)
        if kind in (CLOSING, AVERAGE) and _lacks(history[index], kind)
    )


@needs(SIGNED_IN)
def rates(request: PineRequest, state: State, group: str) -> HttpResponse:
    at: GroupAddress = group_address(request, state, group)
    context = group_context(state, at)
    if at.period_row is not None:
        work = queries.consolidation_of(state, group)
        p = work.periods.last_to(queries.group_window(state, group, at.year, at.period).end)
        known = currencies(work)
        chosen = request.GET.get("currency", "")
        chosen = chosen if chosen in known else known[0] if known else ""
        history = rate_history(work.rates, chosen) if chosen else []
        of_pair = [row for row in state.rows(Rate) if chosen in (row.from_currency, row.to_currency)]
        context |= {
            "currency": chosen,
            "currencies": [(name, _missing(work, name, p)) for name in known],
            "rows": rate_rows(work, chosen, history, company_names(state), p),
            "drawing": draw(work, history),
            "sheet": stretch(request, state, RATES, {}, among=of_pair),
            "width": WIDTH,
            "height": HEIGHT,
        }
    return render(request, "group/rates.html", context)


@needs(CHANGE)
def feed(request: PineRequest, state: State, group: str) -> HttpResponse:
    """Reference rates to be taken: those that are missing, or of the period shown; or why there are none."""
    at = group_address(request, state, group)
    of_period = request.GET.get("of") == "period"
    context: dict[str, Any] = group_context(state, at)
    if at.period_row is None:
        raise Http404
    work = queries.consolidation_of(state, group)
    p = work.periods.last_to(queries.group_window(state, group, at.year, at.period).end)
    try:
        rows, lacking = proposals(work, daily_rates(), BASE, p, of_period=of_period)
    except FeedFailed as failed:
        return render(request, "group/feed.html", context | {"failed": str(failed)})
    fresh = [one for one in rows if one.now != one.row.rate]
    columns = RATES.columns
    records = [columns, *([write_cell(getattr(one.row, name)) for name in columns] for one in fresh)]
    context |= {
        "rows": [
            (one, None if one.now is None else write_cell(one.now), one.now not in (None, one.row.rate))
            for one in rows
        ],
        "lacking": lacking,
        "of_period": of_period,
        "count": len(fresh),
        "records": json.dumps(records),
        "back": request.GET.get("back", "") or reverse("group-rates", args=[group]),
    }
    return render(request, "group/feed.html", context)
