"""Storey 3: who shares which chart; a company's codes, calendar and intercompany pairs."""

from __future__ import annotations

from collections import Counter

from django.db import connection
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.utils.safestring import SafeString

from core.accounts import chart_index
from core.state import State
from core.tables import Chart, Company, CompanyCode, Group, GroupMember
from web.companies.sheets import ACCOUNTS, COMPANIES, PAIRS, PERIODS
from web.definitions.sheets import stretch
from web.people.rights import SIGNED_IN, companies_seen, hides_groups, needs

MEMBER = SafeString('<span class="ok">member</span>')
IN_NONE = SafeString('<span class="look">in none</span>')


def posted_counts() -> dict[str, int]:
    with connection.cursor() as cursor:
        cursor.execute("SELECT company, count(*) FROM journals_journal GROUP BY company")
        return dict(cursor.fetchall())


@needs(SIGNED_IN)
def companies(request: HttpRequest, state: State) -> HttpResponse:
    counts = posted_counts()
    grouped = {row.member for row in state.rows(GroupMember) if row.member_kind == "company"}
    rows = companies_seen(request.user, state)
    shared = Counter(row.chart for row in rows)
    extra: dict[str, dict[str, object]] = {
        "Journals": {row.company: counts.get(row.company, 0) for row in rows},
    }
    if not hides_groups(request.user):
        extra["Group"] = {row.company: MEMBER if row.company in grouped else IN_NONE for row in rows}
    return render(request, "companies/companies.html", {
        "companies": stretch(request, state, COMPANIES, {}, among=rows, extra=extra), "shared": shared, "count": len(rows),
    })  # fmt: skip


@needs(SIGNED_IN)
def company(request: HttpRequest, state: State, company: str) -> HttpResponse:
    row = state.get(Company, company)
    if row is None:
        raise Http404
    own = {"company": company}
    calendar = {**own, "calendar": row.calendar}
    return render(request, "companies/company.html", {
        "company": row, "chart": state.get(Chart, row.chart), "codes": list(state.part(CompanyCode, company).values()),
        "pairs": stretch(request, state, PAIRS, own), "periods": stretch(request, state, PERIODS, calendar),
        "accounts": stretch(request, state, ACCOUNTS, own), "still": missing(state, row) if request.user.is_group_accountant else [],
        "companies": companies_seen(request.user, state),
    })  # fmt: skip


def missing(state: State, row: Company) -> list[str]:
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
    names = {other.company: other.name for other in state.rows(Company)}
    lacking = [names[pair.partner] for pair in PAIRS.missing(state, {"company": row.company})]
    if lacking:
        found.append(f"It has no intercompany pair with {', '.join(lacking[:6])}.")
    return found
