"""The end of a group's period: whether each company is ready, and the period kept as it stands."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import NamedTuple

from django.http import HttpResponse
from django.shortcuts import render
from django.urls import reverse

from core.access.rights import Owner, Right
from core.checks import of_rows
from core.consolidation.position import Consolidation, Position
from core.definitions.state import State
from core.definitions.tables import Company
from core.faults import Fault, Refused
from core.group_figures.figure_checks import faults_by_company
from core.keeping.readiness import (
    CHECKS,
    PERIODS,
    PLACED,
    RATES,
    SIDES,
    CompanyReadiness,
    not_in_order,
    readiness,
)
from web.definitions.viewing import PineRequest
from web.group import kept, moved
from web.group.addresses import GroupAddress, group_address
from web.group.models import KeptPeriod
from web.group.statement import company_names
from web.group.steps import group_context, position_of
from web.people.rights import CLOSE, SIGNED_IN, needs, needs_post
from web.sheets.changing import reload_at, words_of
from web.shell.table_rows import Cell, TableRow, table_rows

HEADS = {PERIODS: "Periods", PLACED: "Accounts placed", SIDES: "Sides", RATES: "Rates", CHECKS: "Checks"}
MARKS = {"": "ok", "look": "look", "must": "must"}
SUMMED = {"": "ready", "look": "ready", "must": "not ready"}


class PeriodOfYear(NamedTuple):
    """A period of the group's year with its last keeping, if there is one; `moved` counts the amounts that
    are others now (None: not kept)."""

    name: str
    period: int
    kept: KeptPeriod | None
    moved: int | None
    released: bool


@needs(SIGNED_IN, published=True)
def period_end(request: PineRequest, state: State, group: str) -> HttpResponse:
    at = group_address(request, state, group)
    context = group_context(state, at)
    context["may_close"] = request.user.access(state).may(Right.CLOSE, Owner("group", group))
    known = position_of(state, at)
    if known is not None:
        rows = _ready(state, known)
        names = company_names(state)
        periods = _periods(state, at)
        context |= {
            "heads": HEADS.values(),
            "rows": table_rows(_ready_rows(rows, names, at)),
            "ready": sum(not row.severity or row.severity == "look" for row in rows),
            "count": len(rows),
            "still_open": list(not_in_order(rows, names)),
            "of_year": table_rows(_period_rows(periods, at)),
            "now": next((row for row in periods if row.period == at.period), None),
        }
    return render(request, "group/period_end.html", context)


def _ready(state: State, known: tuple[Consolidation, Position]) -> list[CompanyReadiness]:
    """What definitions say of each company, and what only figures tell."""
    faults = company_faults(state)
    for company, each in faults_by_company(known[0], known[1].period).items():
        faults.setdefault(company, []).extend(each)
    return readiness(*known, faults)


def _ready_rows(
    rows: Sequence[CompanyReadiness], names: dict[str, str], at: GroupAddress
) -> Iterator[TableRow]:
    for row in rows:
        cells = [Cell(names.get(row.company, row.company))]
        for check in row.checks:
            link = "" if not check.severity else _way_out(check.name, row.company, at)
            cells.append(Cell(check.says, MARKS[check.severity], link=link, opens=bool(link)))
        cells.append(Cell(SUMMED[row.severity], f"{MARKS[row.severity]} total"))
        yield TableRow(row.company, cells)


OF_COMPANIES = (
    *("companies", "company_codes", "company_accounts", "intercompany_pairs"),
    *("group_members", "mappings", "acquisitions"),
)
"""Tables whose checks say something of a company."""


def company_faults(state: State) -> dict[str, list[Fault]]:
    """What the checks of definitions say, by the company that a row's key names."""
    companies = {row.company for row in state.rows(Company)}
    by_company: dict[str, list[Fault]] = {}
    for name in OF_COMPANIES:
        for fault in of_rows(state, name, [row for _, row in state.table(name)]):
            if fault.code == "percent-held":
                continue  # of every day there is: what is so in a period is told by its figures
            for part in fault.where.key[:2]:
                if part in companies:
                    by_company.setdefault(str(part), []).append(fault)
                    break
    return by_company


def _way_out(check: str, company: str, at: GroupAddress) -> str:
    group = at.group.group
    address = {
        PERIODS: lambda: reverse("company", args=[company]),
        PLACED: lambda: reverse("mapping", args=[group, company]),
        SIDES: lambda: reverse("group-sides", args=[group]),
        RATES: lambda: reverse("group-rates", args=[group]),
        CHECKS: lambda: reverse("company", args=[company]),
    }[check]()
    return address if check in (PERIODS, CHECKS) else f"{address}?{at.query}"


def _periods(state: State, at: GroupAddress) -> list[PeriodOfYear]:
    rows = KeptPeriod.objects.filter(group=at.group.group, fiscal_year=at.year).select_related(
        "by", "released"
    )
    by_period = {row.period: row for row in kept.newest(rows)}
    return [
        PeriodOfYear(
            period.name,
            period.period,
            row := by_period.get(period.period),
            moved.amounts_moved(state, row) if row else None,
            row is not None and kept.is_released(row),
        )
        for period in at.calendar.of_year(at.year)
        if period.kind != "opening"
    ]


def _period_rows(rows: Sequence[PeriodOfYear], at: GroupAddress) -> Iterator[TableRow]:
    for row in rows:
        address = reverse("group-period-end", args=[at.group.group])
        cells = [Cell(row.name, link=f"{address}?year={at.year}&period={row.period}")]
        if row.kept is None:
            yield TableRow(f"period-{row.period}", [*cells, Cell("—"), Cell(""), Cell("")])
            continue
        times = f" ({row.kept.number} times)" if row.kept.number > 1 else ""
        since, css = ("as it was kept", "ok")
        if row.moved:
            since, css = f"{row.moved} amount{'s' if row.moved > 1 else ''} moved", "look"
        opens = f"{reverse('group-kept', args=[at.group.group])}?year={at.year}&period={row.period}"
        by = row.kept.by.shown_name() if row.kept.by else "somebody"
        cells += [
            Cell(f"{row.kept.at:%Y-%m-%d}, {by}{times}"),
            Cell(since, css, link=opens, opens=True),
            Cell("released" if row.released else "held", "look" if row.released else "ok"),
        ]
        yield TableRow(f"period-{row.period}", cells, css="here" if row.period == at.period else "")


def _published_only(request: PineRequest) -> None:
    if request.viewed.working is not None or request.viewed.as_of is not None:
        way_out = "Come back to what is published."
        raise Refused(
            [Fault("as-of", "What is published is kept, not a draft or a version.", way_out=way_out)]
        )


def _here(at: GroupAddress) -> HttpResponse:
    return reload_at(f"{reverse('group-period-end', args=[at.group.group])}?{at.query}")


@needs_post(CLOSE, published=True)
def keep(request: PineRequest, state: State, group: str) -> HttpResponse:
    _published_only(request)
    at = group_address(request, state, group)
    known = position_of(state, at)
    if known is None:
        raise Refused([Fault("kept-period", "There is no such period.", way_out="Choose another.")])
    still_open = list(not_in_order(_ready(state, known), company_names(state)))
    kept.keep_period(group, at.year, at.period, words_of(request, "why"), still_open, request.user)
    return _here(at)


@needs_post(CLOSE, published=True)
def release(request: PineRequest, state: State, group: str) -> HttpResponse:
    _published_only(request)
    at = group_address(request, state, group)
    row = moved.kept_of(at)
    if row is None:
        raise Refused([Fault("kept-period", "This period is not kept.", way_out="Keep it first.")])
    kept.release(row, words_of(request, "why"), request.user)
    return _here(at)
