"""Storey 3: who shares which chart; a company's codes, calendar and intercompany pairs."""

from __future__ import annotations

from django.db import connection
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render

from core.accounts import chart_index
from core.codes import list_index
from core.periods import company_calendar
from core.state import State
from core.statements import natural_list
from core.tables import Chart, Company, CompanyAccount, CompanyCode, Group, GroupMember, IntercompanyPair
from web.people.rights import SIGNED_IN, companies_seen, needs


def posted_counts() -> dict[str, int]:
    with connection.cursor() as cursor:
        cursor.execute("SELECT company, count(*) FROM journals_journal GROUP BY company")
        return dict(cursor.fetchall())


@needs(SIGNED_IN)
def companies(request: HttpRequest, state: State) -> HttpResponse:
    counts = posted_counts()
    codes: dict[str, list[str]] = {}
    for row in state.rows(CompanyCode):
        codes.setdefault(row.company, []).append(row.code)
    grouped = {row.member for row in state.rows(GroupMember) if row.member_kind == "company"}
    rows = [
        (row, state.get(Chart, row.chart), ", ".join(sorted(codes.get(row.company, []))), counts.get(row.company, 0),
         row.company in grouped)
        for row in companies_seen(request.user, state)
    ]  # fmt: skip
    shared: dict[str, int] = {}
    for row, *_ in rows:
        shared[row.chart] = shared.get(row.chart, 0) + 1
    return render(request, "companies/companies.html", {"rows": rows, "shared": shared, "charts": list(state.rows(Chart))})


@needs(SIGNED_IN)
def company(request: HttpRequest, state: State, company: str) -> HttpResponse:
    row = state.get(Company, company)
    if row is None:
        raise Http404
    accounts = list_index(state, natural_list(state, row.chart)).codes
    others = [other for other in sorted(state.rows(Company), key=lambda o: o.name) if other.company != company]
    if not request.user.is_group_accountant:
        others = [other for other in others if state.get(IntercompanyPair, company, other.company)]
    pairs = [
        (other, pair, accounts.get(pair.due_from) if pair else None, accounts.get(pair.due_to) if pair else None)
        for other in others
        for pair in [state.get(IntercompanyPair, company, other.company)]
    ]
    calendar = company_calendar(state, company)
    years = [(year, calendar.of_year(year)) for year in reversed(calendar.years())]
    return render(request, "companies/company.html", {
        "company": row, "chart": state.get(Chart, row.chart), "codes": list(state.part(CompanyCode, company).values()),
        "pairs": pairs, "calendar": calendar, "years": years, "accounts": list(state.part(CompanyAccount, company).values()),
        "still": missing(state, row, pairs), "companies": companies_seen(request.user, state),
    })  # fmt: skip


def missing(state: State, row: Company, pairs: list) -> list[str]:
    """Where a new company must yet be placed, in sentences."""
    found = []
    chart = state.get(Chart, row.chart)
    if chart and not state.part(CompanyCode, row.company):
        index = chart_index(state, chart.chart)
        if index and index.company >= 0:
            found.append("It has no code in the company segment, so nothing can be posted to it yet.")
    member = {m.member for m in state.rows(GroupMember) if m.member_kind == "company"}
    if row.company not in member and any(True for _ in state.rows(Group)):
        found.append("It is a member of no group.")
    lacking = [other.name for other, pair, _, _ in pairs if pair is None]
    if lacking:
        found.append(f"It has no intercompany pair with {', '.join(lacking[:6])}.")
    return found
