"""Storey 4: journals of a company, one journal, and the lines behind a figure."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from django.http import Http404, HttpResponse, HttpResponseRedirect
from django.shortcuts import render
from django.urls import reverse

from core.books.periods import company_calendar
from core.codes.lists import list_index
from core.definitions.state import State
from core.definitions.tables import Chart, Company
from core.faults import Fault, Refused
from core.money import digits_of
from core.statements.plans import begins_each_year, natural_list
from core.structures.charts import ChartIndex, chart_index
from core.structures.second_charts import moves_of
from web.definitions.viewing import PineRequest
from web.journals import actions, queries
from web.journals.handing_in import handed_in
from web.journals.models import Journal
from web.journals.rows import account_line_rows, elsewhere_rows, journal_rows
from web.journals.stretch import elsewhere, stretch_asked
from web.people.rights import POST, SIGNED_IN, companies_seen, needs, needs_post
from web.sheets.changing import reload_at
from web.shell import asked
from web.shell.tabular import Money, attached

MOST_OUT = 200_000


MOST_HANDED = 30


@needs(SIGNED_IN, published=True)
def first(request: PineRequest, state: State) -> HttpResponse:
    rows = companies_seen(request.user, state)
    if not rows:
        return render(request, "journals/none.html", {})
    last = request.session.get("company")
    name = last if any(row.company == last for row in rows) else rows[0].company
    return HttpResponseRedirect(reverse("company-journals", kwargs={"company": name}))


def _journals_out(kind: str, company: str, words: str, digits: int) -> HttpResponse:
    header = ("date", "journal", "kind", "description", "debits", "reverses", "reversed_by")
    rows = (
        (
            str(row.date),
            row.journal,
            row.kind,
            row.description,
            Money(row.total, digits),
            row.reverses or "",
            row.reversed_by or "",
        )
        for row in queries.journals(company, words, most=MOST_OUT)
    )
    return attached(f"journals-{company}", kind, header, rows)


@needs(SIGNED_IN, published=True, localised=True)
def journals(request: PineRequest, state: State, company: str) -> HttpResponse:
    if request.session.get("company") != company:
        request.session["company"] = company
    words = asked.text(request.GET, "words", 100)
    when, _, which = asked.text(request.GET, "before").partition(",")
    start = ("9999-12-31", 2**62)
    if when:
        last, at = asked.day({"day": when}, "day"), asked.number({"id": which}, "id", None, 10**17)
        if last is None or at is None:
            raise Http404
        start = (last.isoformat(), at)
    company_row = state.get(Company, company)
    digits = digits_of(company_row.currency if company_row else "")
    if kind := request.GET.get("file"):
        return _journals_out(kind, company, words, digits)
    listed = queries.journals(company, words, start)
    return render(
        request,
        "journals/journals.html",
        {
            "company": company_row,
            "rows": journal_rows(company, listed[: queries.PAGE], digits),
            "more": (
                f"{listed[queries.PAGE - 1].date},{listed[queries.PAGE - 1].id}"
                if len(listed) > queries.PAGE
                else None
            ),
            "words": words,
            "handed": handed_in(request.user, state, company)[:MOST_HANDED],
            "companies": companies_seen(request.user, state),
            "periods": (
                company_calendar(state, company).of_year(
                    max(company_calendar(state, company).years(), default=0)
                )
            ),
        },
    )


@needs(SIGNED_IN, published=True, localised=True)
def journal(request: PineRequest, state: State, company: str, journal: str) -> HttpResponse:
    journal_row = (
        Journal.objects.select_related("posted_by", "reverses", "entered__by")
        .filter(company_id=company, journal=journal)
        .first()
    )
    if journal_row is None:
        raise Http404
    seen = {row.company for row in companies_seen(request.user, state)}
    lines = queries.lines(journal_row.pk)
    shows = _filled(journal_row, [line for line in lines if line.company in seen])
    return render(
        request,
        "journals/journal.html",
        {
            "journal": journal_row,
            "lines": [_shown(state, line) for line in lines if line.company in seen],
            "shows": shows,
            "rest": len(shows - {"dimensions"}),
            "hidden": sum(line.company not in seen for line in lines),
            "digits": digits_of(journal_row.currency),
            "reversed_by": Journal.objects.filter(reverses=journal_row).first(),
            "company": state.get(Company, company),
            "number": actions.next_number(state, company),
            **_of_moves(state, company, journal, {line.chart for line in lines}),
            "debit": sum(max(line.keyed, 0) for line in lines if line.company in seen),
            "credit": sum(max(-line.keyed, 0) for line in lines if line.company in seen),
        },
    )


def _of_moves(state: State, company: str, journal: str, charts: set[str]) -> dict[str, Any]:
    """Whether a journal carried books over to another chart, and the charts before that it was posted in."""
    moves = moves_of(state, company)
    before = [state.require(Chart, one.chart_before) for one in moves if one.chart_before in charts]
    return {
        "carried": any(one.journal == journal for one in moves),
        "charts_before": [chart.name for chart in before],
    }


def _filled(journal: Journal, lines: list[queries.PostedLine]) -> set[str]:
    """Columns of a journal that hold something of their own; the others leave their room to the rest."""
    names = {name for name in ("dimensions", "partner") if any(getattr(line, name) for line in lines)}
    if any(line.description not in ("", journal.description) for line in lines):
        names.add("description")
    if any(line.source_type or line.source_number or line.source_party or line.source_item for line in lines):
        names.add("source")
    return names


def _shown(state: State, line: queries.PostedLine) -> tuple[queries.PostedLine, str, str]:
    """A line, its account string as it is shown, and the name of its natural account."""
    index = chart_index(state, line.chart)
    if index is None:
        return line, line.account, ""
    code = list_index(state, index.natural_list).codes.get(line.natural)
    return line, index.shown(line.account), code.name if code else ""


@needs_post(POST)
def reverse_journal(request: PineRequest, state: State, company: str, journal: str) -> HttpResponse:
    on = asked.required_day(request.POST, "on")
    if on is None:
        raise Refused(
            [Fault("date-missing", "The reversal needs a date.", way_out="Give a day in an open period.")]
        )
    number = request.POST.get("number", "").strip()
    if number == request.POST.get("proposed", ""):
        number = ""  # it was only proposed: whoever comes second gets the next one
    number = actions.reverse(company, journal, on, number, request.user)
    return reload_at(reverse("journal", kwargs={"company": company, "journal": number}))


def _lines_out(kind: str, name: str, lines: list[queries.AccountLine], digits: int) -> HttpResponse:
    header = (
        "date",
        "journal",
        "line",
        "account",
        "description",
        "dimensions",
        "partner",
        "source",
        "amount",
    )
    return attached(
        name,
        kind,
        header,
        (
            (
                str(row.date),
                row.journal,
                row.line,
                row.account,
                row.description,
                row.dimensions,
                row.partner,
                row.source,
                Money(row.amount, digits),
            )
            for row in lines
        ),
    )


def _columns(found: list[queries.AccountLine]) -> set[str]:
    """Columns of the lines that hold something; the others leave their room to the rest."""
    return {name for name in ("dimensions", "partner", "source") if any(getattr(row, name) for row in found)}


def _opening(state: State, before: dict[str, Any] | None) -> int:
    """What stood before a stretch, of journals and of balances kept elsewhere: raw minor units."""
    if before is None:
        return 0
    return queries.account_total(before)[1] + queries.balances_total(elsewhere(before, state))


def _with_balance(
    lines: list[queries.AccountLine], after_newest: int, chart: ChartIndex | None
) -> Iterator[tuple[queries.AccountLine, str, int]]:
    """Lines, newest first, with their account string as shown and the balance after each: raw minor units."""
    for row in lines:
        yield row, chart.shown(row.account) if chart else row.account, after_newest
        after_newest -= row.amount


@needs(SIGNED_IN, published=True, localised=True)
def account_lines(request: PineRequest, state: State, company: str, code: str) -> HttpResponse:
    """The lines behind a figure: one company, some natural accounts, a stretch of periods."""
    company_row = state.get(Company, company)
    if company_row is None:
        raise Http404
    given, codes = request.GET, code.split(",")
    values = stretch_asked(given, state, company_row, codes)
    if kind := given.get("file"):
        return _lines_out(
            kind,
            f"lines-{company}-{code[:40]}",
            queries.account_lines(values, most=MOST_OUT),
            digits_of(company_row.currency),
        )
    skip = asked.whole(given, "skip", 0, 10**7)
    lines_found = queries.account_lines(values, skip)
    index = list_index(state, natural_list(state, company_row.chart))
    at_end = len(lines_found) <= queries.PAGE
    kept_elsewhere = queries.balances_elsewhere(elsewhere(values, state)) if at_end else []
    count, total = queries.account_total(values)
    begins = begins_each_year(state, natural_list(state, company_row.chart), codes)
    opening = _opening(state, queries.before(values, begins))
    balances = queries.balances_total(elsewhere(values, state))
    after_newest = opening + balances + total - queries.newest_total(values, skip)
    lines = _with_balance(lines_found[: queries.PAGE], after_newest, chart_index(state, company_row.chart))
    calendar, shows = company_calendar(state, company), _columns(lines_found)
    digits = digits_of(company_row.currency)
    return render(
        request,
        "journals/account.html",
        {
            "lines": account_line_rows(lines, shows, digits),
            "opening": opening,
            "closing": opening + balances + total,
            "at_start": not skip,
            "shows": shows,
            "periods": [(part, calendar.periods.get(part.key)) for part in queries.by_period(values)],
            "tags": queries.by_tag(values),
            "company": company_row,
            "codes": [(c, index.codes.get(c)) for c in codes],
            "more": skip + queries.PAGE if len(lines_found) > queries.PAGE else None,
            "digits": digits,
            "elsewhere": elsewhere_rows(kept_elsewhere, digits, shows, bool(lines_found)),
            "total": total + balances,
            "values": values,
            "moves": moves_of(state, company),
            "count": count,
            "back": asked.back(request),
        },
    )
