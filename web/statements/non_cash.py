"""The page of the non-cash pairs of a cash flow statement: what it leaves out for a company and stretch, and
what it might."""

from __future__ import annotations

from typing import Any

from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.urls import reverse

from core.analysis.asked import Asked
from core.analysis.stretches import Stretch, of_periods
from core.books.periods import company_calendar
from core.cash_flow.activities import CASH, section_of
from core.cash_flow.likely_pairs import LikelyPair, likely_pairs
from core.changes.kinds import Add
from core.codes.lists import list_index
from core.definitions.state import State
from core.definitions.tables import Arrangement, Company, Period, Statement
from core.faults import Fault, Refused
from core.statements.plans import RESULT_CLASSES, Plan, natural_list, plan
from web.definitions.viewing import PineRequest
from web.journals.non_cash import posted_together
from web.people.rights import CHANGE, SIGNED_IN, needs, needs_post
from web.sheets.changing import apply_change, reload_at
from web.sheets.pages import stretch
from web.shell.asked import text
from web.statements.addresses import asked_period, drill, where
from web.statements.queries import worked_out
from web.statements.sheets import NON_CASH_PAIRS
from web.statements.views import company_asked

MOST_LIKELY = 20


def _known(state: State, statement: str) -> Plan:
    planned = plan(state, statement)
    if planned is None or planned.statement.kind != "cash_flow":
        raise Http404
    return planned


@needs(SIGNED_IN, localised=True)
def non_cash(request: PineRequest, state: State, statement: str) -> HttpResponse:
    planned = _known(state, statement)
    arrangement = state.get(Arrangement, statement)
    company = company_asked(request, state, planned.statement.chart)
    context: dict[str, Any] = {
        "statement": planned.statement,
        "over": state.get(Statement, arrangement.over) if arrangement else None,
        "company": company,
        "query": "",
    }
    extra = {}
    if company is not None:
        at = asked_period(request, state, company.calendar, company.company)
        found = worked_out(state, planned, company.company, Asked(*at))
        extra = {"Journals": {one.pair.pair: one.journals for one in found.apart}}
        context |= {
            "found": found,
            "window": found.window,
            "period": state.get(Period, company.calendar, *at[:2]),
            "drill": drill(planned.statement, found.window),
            "back": request.get_full_path(),
            "likely": _likely(state, planned, company, found.window)[:MOST_LIKELY],
            "digits": found.digits,
            "query": where({"company": company.company, "year": at[0], "period": at[1], "first": at[2]}),
        }
    context["rows"] = stretch(request, state, NON_CASH_PAIRS, {"statement": statement}, extra=extra)
    return render(request, "statements/non_cash.html", context)


def _likely(state: State, planned: Plan, company: Company, at: Stretch) -> list[LikelyPair]:
    """Of a company that posts in the statement's chart, over a stretch of periods."""
    if company.chart != planned.statement.chart:
        return []
    code_list = natural_list(state, company.chart)
    accounts = list_index(state, code_list)
    codes = [
        code
        for code in accounts.posting
        if accounts.codes[code].account_class not in RESULT_CLASSES
        and section_of(state, code_list, code) != CASH
    ]
    posted = posted_together(state, company, codes, at.year, at.first, at.period)
    return likely_pairs(state, planned, posted)


@needs_post(CHANGE)
def name_pair(request: PineRequest, state: State, statement: str) -> HttpResponse:
    """Names a likely pair, so that it is left out from now on."""
    planned = _known(state, statement)
    company = company_asked(request, state, planned.statement.chart)
    likely = []
    if company is not None:
        year, period, first = asked_period(request, state, company.calendar, company.company)
        at = of_periods(company_calendar(state, company.company), year, period, first)
        likely = _likely(state, planned, company, at)
    wanted = text(request.POST, "pair", 40)
    row = next((one.pair for one in likely if one.pair.pair == wanted), None)
    if row is None:
        raise Refused([Fault("nothing-chosen", "No journals are there now for that pair.")])
    apply_change(request, Add(row))
    return reload_at(f"{reverse('non-cash', args=[statement])}?{request.GET.urlencode()}")
