"""Storey 3: who shares which chart; a company's codes, calendar and intercompany pairs."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.urls import reverse

from core.books.periods import company_calendar
from core.definitions.state import State
from core.definitions.tables import (
    Chart,
    ChartMapping,
    ColumnSet,
    Company,
    CompanyCode,
    Group,
    GroupMember,
    Mapping,
    Rate,
)
from core.founding.companies import partners_lacking
from core.group.membership import membership
from core.structures.charts import chart_index
from core.structures.company_choice import names_others
from core.structures.second_charts import moves_of
from web.companies.map_drawing import company_map
from web.companies.sheets import ACCOUNTS, CURRENCIES, PAIRS, PERIODS, SECOND_CHARTS, SETTINGS
from web.definitions.posted import journal_counts
from web.definitions.viewing import PineRequest
from web.people.rights import SIGNED_IN, companies_seen, defines, needs
from web.sheets.options import options
from web.sheets.pages import stretch


@needs(SIGNED_IN)
def drawn(request: PineRequest, state: State) -> HttpResponse:
    """Who shares which chart, as a drawing."""
    rows = companies_seen(request.user, state)
    return render(
        request,
        "companies/map.html",
        {
            "drawing": company_map(state, rows, journal_counts()),
            "count": len(rows),
            "charts": len({row.chart for row in rows}),
        },
    )


@needs(SIGNED_IN)
def company(request: PineRequest, state: State, company: str) -> HttpResponse:
    row = state.get(Company, company)
    if row is None:
        raise Http404
    own = {"company": company}
    calendar = {**own, "calendar": row.calendar}
    return render(
        request,
        "companies/company.html",
        {
            "company": row,
            "chart": state.get(Chart, row.chart),
            "codes": list(state.part(CompanyCode, company).values()),
            "pairs": stretch(request, state, PAIRS, own),
            "periods": stretch(request, state, PERIODS, calendar),
            "accounts": stretch(request, state, ACCOUNTS, own),
            "settings": stretch(request, state, SETTINGS, {}, among=[row]),
            "currencies": stretch(request, state, CURRENCIES, own),
            "second_charts": stretch(request, state, SECOND_CHARTS, own),
            **_still(request, state, row),
            "companies": companies_seen(request.user, state),
            "moves": moves_of(state, company),
        },
    )


def _still(request: PineRequest, state: State, row: Company) -> dict[str, object]:
    if not defines(request.user, state, "company", row.company):
        return {}
    lacking = lacking_pairs(state, row.company)
    return {
        "still": missing(state, row),
        "lacking": lacking,
        "natural": options(state, "intercompany_pairs", "due_from", row) if lacking else [],
    }


class SetupStep(NamedTuple):
    """Something a company lacks: what, and the act that gives it, with its key."""

    what: str
    say: str = ""
    address: str = ""
    key: str = ""


def missing(state: State, row: Company) -> list[SetupStep]:
    """What a company needs before anything can be posted to it, and where it must yet be placed."""
    setup_steps = []
    index = chart_index(state, row.chart)
    if index and index.company >= 0 and not state.part(CompanyCode, row.company):
        address = f"{reverse('companies')}?row=companies:{row.company}"
        setup_steps.append(
            SetupStep(
                "It has no code in the company segment, so nothing can be posted to it yet.",
                "Give it a code",
                address,
                "c",
            )
        )
    if not company_calendar(state, row.company).regular:
        setup_steps.append(
            SetupStep(
                "Its calendar has no periods, so nothing can be posted to it yet: add the first one below."
            )
        )
    member = {m.member for m in state.rows(GroupMember) if m.member_kind == "company"}
    group = next(iter(sorted(state.rows(Group))), None)
    if not {row.company, row.adjusts} & member and group is not None:
        address = reverse("members", kwargs={"group": group.group})
        setup_steps.append(
            SetupStep("It is a member of no group.", f"Members of {group.name}", address, "Shift+M")
        )
    return [*setup_steps, *_in_groups(state, row), *_in_columns(state, row)]


def _in_columns(state: State, row: Company) -> Iterator[SetupStep]:
    """Sets of columns of its chart that list companies by name, and not this one."""
    for kept in sorted(state.rows(ColumnSet)):
        if kept.chart == row.chart and names_others(kept.companies, row.company):
            what = f"It is not among the companies that stand side by side in {kept.name}."
            address = f"{reverse('registers')}?row=columns:{kept.column_set}"
            yield SetupStep(what, "Put it there", address, "Shift+L")


def _in_groups(state: State, row: Company) -> Iterator[SetupStep]:
    """What a member lacks for its group's figures: a mapping of its chart, a rate of its currency."""
    for group in sorted(state.rows(Group)):
        if row.company not in {own.company for own in membership(state, group.group).companies}:
            continue
        mapped = any(own.company == row.company for own in state.part(Mapping, group.group).values()) or any(
            own.chart == row.chart for own in state.part(ChartMapping, group.group).values()
        )
        if row.chart != group.chart and not mapped:
            address = reverse("mapping", kwargs={"group": group.group, "company": row.company})
            yield SetupStep(
                f"Its accounts are mapped to none of {group.name}.", "Map them", address, "Shift+A"
            )
        if row.currency != group.currency and not _has_rate(state, row.currency):
            address = reverse("group-rates", kwargs={"group": group.group})
            what = f"There is no rate of {row.currency}, which {group.name} needs in {group.currency}."
            yield SetupStep(what, "Rates", address, "Shift+R")


def _has_rate(state: State, currency: str) -> bool:
    return any(currency in (rate.from_currency, rate.to_currency) for rate in state.rows(Rate))


def lacking_pairs(state: State, company: str) -> str:
    """A sentence that names partners with which a pair is missing, in one direction or the other; empty if
    none is."""
    names = {other.company: other.name for other in state.rows(Company)}
    partners = [names[other] for other in partners_lacking(state, company)]
    more = f" and {len(partners) - 6} more" if len(partners) > 6 else ""
    return (
        f"It has no intercompany pair with {', '.join(partners[:6])}{more}, in one direction or both."
        if partners
        else ""
    )
