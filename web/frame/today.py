"""The start page: what waits for somebody, and their companies' figures."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import date
from typing import NamedTuple

from django.db.models import Count
from django.http import HttpResponse
from django.shortcuts import render
from django.urls import reverse

from core.access.rights import Right
from core.analysis.stretches import of_periods
from core.books.balances import Books
from core.books.periods import calendar_index
from core.codes.lists import list_index
from core.definitions.state import State
from core.definitions.tables import Company, Group, Statement
from core.group.membership import group_calendar
from core.group.ownership import apart_at
from core.group_figures.sum_up import disagreements, unplaced_accounts
from core.mapping.arrangements import arranged_statements, upstream
from core.money import digits_of
from core.statements.plans import natural_list, plan
from web.companies.views import lacking_pairs, missing
from web.definitions.drafting import OPEN_ENDED
from web.definitions.models import Draft
from web.definitions.viewing import PineRequest
from web.drafts.seeing import drafts_seen
from web.group import queries as group_queries
from web.journals.books import books_for
from web.journals.models import HandedIn, Unfinished
from web.people.rights import (
    SIGNED_IN,
    charts_seen,
    companies_seen,
    companies_with,
    groups_seen,
    needs,
    sees_member,
)
from web.requests.models import AccountRequest
from web.requests.views import requests_seen
from web.statements.addresses import default_period
from web.statements.queries import company_sums

MOST = 12


class Waiting(NamedTuple):
    """Something that waits: the mark it has, what, where to go."""

    mark: str
    what: str
    address: str


@needs(SIGNED_IN)
def today(request: PineRequest, state: State) -> HttpResponse:
    """What waits for this person, the gravest first, and the figures of their companies."""
    items = [
        *_of_requests(request, state),
        *_of_drafts(request, state),
        *_of_journals(request, state),
        *_of_handed_in(request, state),
        *_of_arrangements(request, state),
        *_of_companies(request, state),
        *_of_periods(request, state),
        *_of_statements(request, state),
    ]
    companies = companies_seen(request.user, state)
    return render(
        request,
        "frame/today.html",
        {
            "items": items,
            "figures": list(_figures(state, companies[:MOST])),
            "more": max(0, len(companies) - MOST),
            "groups": bool(groups_seen(request.user, state)),
            "on": date.today(),
        },
    )


def _several(count: int, one: str, many: str) -> str:
    return f"{count:,} {one if count == 1 else many}"


def _of_requests(request: PineRequest, state: State) -> Iterator[Waiting]:
    rows = requests_seen(request, state)
    waiting = rows.filter(state=AccountRequest.OPEN).count()
    if waiting and request.user.access(state).may_anywhere(Right.DEFINE):
        what = f"{_several(waiting, 'account is', 'accounts are')} asked for"
        yield Waiting("look", what, reverse("requests"))
    answered = [AccountRequest.MADE, AccountRequest.DECLINED]
    since = request.user.last_login
    mine = rows.filter(by=request.user, state__in=answered)
    if since is not None and (fresh := mine.filter(answered_at__gte=since).count()):
        yield Waiting(
            "ok", f"{_several(fresh, 'request', 'requests')} of yours answered", reverse("requests")
        )


def _of_drafts(request: PineRequest, state: State) -> Iterator[Waiting]:
    """Drafts out for review that somebody else must approve, and one's own that are open."""
    rows = drafts_seen(request.user, state, Draft.objects.filter(status__in=OPEN_ENDED))
    for draft in rows[:MOST]:
        address = reverse("draft", kwargs={"number": draft.pk})
        if draft.status == Draft.REVIEW and draft.author != request.user:
            yield Waiting(
                "look", f"Draft {draft.name} of {draft.author.shown_name()} is to be approved", address
            )
        elif draft.status == Draft.OPEN and draft.author == request.user:
            yield Waiting("soft", f"Your draft {draft.name} is being worked on", address)


def _of_journals(request: PineRequest, state: State) -> Iterator[Waiting]:
    names = {row.company: row.name for row in companies_seen(request.user, state)}
    for row in Unfinished.objects.filter(by=request.user, company_id__in=list(names))[:MOST]:
        address = reverse("journal-new", kwargs={"company": row.company_id})
        yield Waiting("look", f"A journal of {names[row.company_id]} is half keyed", address)


def _of_handed_in(request: PineRequest, state: State) -> Iterator[Waiting]:
    """Journals that somebody entered, for whom may post them."""
    names = {row.company: row.name for row in companies_with(request.user, state, Right.POST)}
    counts = (
        HandedIn.objects.filter(company_id__in=list(names), remark="")
        .values_list("company_id")
        .annotate(Count("pk"))
    )
    for company, count in sorted(counts)[:MOST]:
        what = f"{_several(count, 'journal', 'journals')} of {names[company]} handed in, to be posted"
        yield Waiting("look", what, reverse("company-journals", kwargs={"company": company}))
    for row in HandedIn.objects.filter(by=request.user).exclude(remark="").order_by("pk")[:MOST]:
        address = f"{reverse('journal-new', kwargs={'company': row.company_id})}?handed={row.pk}"
        yield Waiting("must", f"Sent back: {row.description or 'a journal'}: {row.remark}", address)


def _of_arrangements(request: PineRequest, state: State) -> Iterator[Waiting]:
    """Lines that moved above statements that companies arrange by themselves, for who may take them."""
    names = {row.company: row.name for row in companies_with(request.user, state, Right.DEFINE)}
    for row, over in arranged_statements(state):
        count = len(upstream(state, row)) if row.member_kind == "company" and row.member in names else 0
        if count:
            lines = _several(count, "line", "lines")
            what = f"{lines} of {over.name} changed since {names[row.member]} arranged it for itself"
            yield Waiting("look", what, reverse("statement", args=[row.statement]))


def _of_companies(request: PineRequest, state: State) -> Iterator[Waiting]:
    """Companies that lack something before they can work."""
    lacking = [
        row
        for row in companies_with(request.user, state, Right.DEFINE)
        if missing(state, row) or lacking_pairs(state, row.company)
    ]
    for row in lacking[:4]:
        address = reverse("company", kwargs={"company": row.company})
        yield Waiting("look", f"{row.name} must yet be placed", address)
    if len(lacking) > 4:
        yield Waiting("look", f"and {len(lacking) - 4:,} more companies", reverse("companies"))


def _of_periods(request: PineRequest, state: State) -> Iterator[Waiting]:
    """Periods that are over and still open."""
    now = date.today()
    calendars = sorted({row.calendar for row in companies_seen(request.user, state)})
    for name in calendars:
        over = [p for p in calendar_index(state, name).regular if p.ends_on < now and p.status == "open"]
        if over:
            more = f" and {len(over) - 1} more" if len(over) > 1 else ""
            what = f"{over[0].name}{more} {'is' if len(over) == 1 else 'are'} over and open"
            yield Waiting("look", what, f"{reverse('period-matrix')}?year={over[0].fiscal_year}")


def _of_statements(request: PineRequest, state: State) -> Iterator[Waiting]:
    charts = charts_seen(request.user, state)
    for row in sorted(state.rows(Statement)):
        is_seen = row.chart in charts and sees_member(request.user, state, row.statement)
        planned = plan(state, row.statement) if is_seen else None
        if planned is not None and (missed := len(planned.missed())):
            what = f"{_several(missed, 'account stands', 'accounts stand')} on no line of {row.name}"
            yield Waiting("must", what, reverse("statement", kwargs={"statement": row.statement}))


class CompanyFigures(NamedTuple):
    """A company's figures of the year to its open period, in minor units as shown."""

    company: Company
    period: str
    revenue: int
    result: int
    assets: int
    digits: int
    query: str


def _figures(state: State, companies: Sequence[Company]) -> Iterator[CompanyFigures]:
    """Of those with anything posted; all books are read at once."""
    books = books_for(state, [row.company for row in companies])
    for company in companies:
        row = _figures_of(state, company, books[company.company])
        if row is not None:
            yield row


def _figures_of(state: State, company: Company, books: Sequence[Books]) -> CompanyFigures | None:
    calendar = calendar_index(state, company.calendar)
    year, number = default_period(state, company.calendar, company.company)
    period = calendar.periods.get((year, number))
    if period is None or not books:
        return None
    accounts, amounts = company_sums(state, company.company, of_periods(calendar, year, number, None), books)
    codes = list_index(state, natural_list(state, company.chart)).codes
    sums: dict[str, int] = {}
    for place, account in enumerate(accounts):
        if amounts["touched"][place]:
            code = codes.get(account)
            kind = code.account_class if code else ""
            moves = kind in ("revenue", "expense")
            moved = int(amounts["debit"][place]) - int(amounts["credit"][place])
            sums[kind] = sums.get(kind, 0) + (moved if moves else int(amounts["cumulative"][place]))
    if not sums:
        return None
    query = f"company={company.company}&year={year}&period={number}"
    result = -sums.get("revenue", 0) - sums.get("expense", 0)
    digits = digits_of(company.currency)
    return CompanyFigures(
        company, period.name, -sums.get("revenue", 0), result, sums.get("asset", 0), digits, query
    )


@needs(SIGNED_IN)
def of_groups(request: PineRequest, state: State) -> HttpResponse:
    """What waits in each group; asked for apart, so that the page doesn't wait for its figures."""
    items = [one for group in groups_seen(request.user, state) for one in _of_group(state, group)]
    return render(request, "frame/today_groups.html", {"items": items})


def _of_group(state: State, group: Group) -> Iterator[Waiting]:
    """Companies that wait for something, amounts without an account, purchases that were not keyed, sides
    that disagree: of the period that is shown first."""
    calendar = group_calendar(state, group.group)
    year, number = default_period(state, calendar.calendar) if calendar else (0, 0)
    for apart in apart_at(state, group.group, date.today()):
        yield Waiting("look", f"{group.name}: {apart.sentence}", reverse("members", args=[group.group]))
    if not number:
        return
    work, position = group_queries.position_at(state, group.group, year, number)
    at = f"?year={year}&period={number}"
    if count := len(position.waiting):
        what = f"{_several(count, 'company is', 'companies are')} not in {group.name}: a rate is missing"
        yield Waiting("must", what, reverse("group-rates", args=[group.group]) + at)
    for company, count in sorted(unplaced_accounts(work, position).items()):
        accounts = _several(count, "account", "accounts")
        what = f"{accounts} of {company} with amounts on no account of {group.name}"
        yield Waiting("must", what, reverse("mapping", args=[group.group, company]) + at)
    if count := len(disagreements(position)):
        what = f"{_several(count, 'pair of sides disagrees', 'pairs of sides disagree')} in {group.name}"
        yield Waiting("look", what, reverse("group-sides", args=[group.group]) + at)
