"""Storey 3: who shares which chart; a company's codes, calendar and intercompany pairs."""

from __future__ import annotations

from collections import Counter
from typing import NamedTuple

from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.urls import reverse
from django.utils.safestring import SafeString

from core.books.periods import company_calendar
from core.changes.founding import pairs_wanted
from core.definitions.state import State
from core.definitions.tables import Chart, Company, CompanyCode, Group, GroupMember
from core.structures.charts import chart_index
from web.companies.sheets import ACCOUNTS, COMPANIES, PAIRS, PERIODS, SETTINGS
from web.definitions.posted import journal_counts
from web.definitions.viewing import PineRequest
from web.people.rights import SIGNED_IN, companies_seen, hides_groups, needs
from web.sheets.options import options
from web.sheets.pages import stretch

MEMBER = SafeString('<span class="ok">member</span>')
IN_NONE = SafeString('<span class="look">in none</span>')


@needs(SIGNED_IN)
def companies(request: PineRequest, state: State) -> HttpResponse:
    counts = journal_counts()
    grouped = {row.member for row in state.rows(GroupMember) if row.member_kind == "company"}
    rows = companies_seen(request.user, state)
    shared = Counter(row.chart for row in rows)
    extra: dict[str, dict[str, object]] = {
        "Journals": {row.company: counts.get(row.company, 0) for row in rows},
    }
    if not hides_groups(request.user):
        extra["Group"] = {row.company: MEMBER if row.company in grouped else IN_NONE for row in rows}
    return render(
        request,
        "companies/companies.html",
        {
            "companies": stretch(request, state, COMPANIES, {}, among=rows, extra=extra),
            "shared": shared,
            "count": len(rows),
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
            **_still(request, state, row),
            "companies": companies_seen(request.user, state),
        },
    )


def _still(request: PineRequest, state: State, row: Company) -> dict[str, object]:
    if not request.user.is_group_accountant:
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
    if row.company not in member and group is not None:
        address = reverse("members", kwargs={"group": group.group})
        setup_steps.append(
            SetupStep("It is a member of no group.", f"Members of {group.name}", address, "Shift+M")
        )
    return setup_steps


def lacking_pairs(state: State, company: str) -> str:
    """A sentence that names partners with which a pair is missing, in one direction or the other; empty if
    none is."""
    names = {other.company: other.name for other in state.rows(Company)}
    partners = list(
        dict.fromkeys(
            names[other] for pair in pairs_wanted(state, company) for other in pair if other != company
        )
    )
    more = f" and {len(partners) - 6} more" if len(partners) > 6 else ""
    return (
        f"It has no intercompany pair with {', '.join(partners[:6])}{more}, in one direction or both."
        if partners
        else ""
    )
