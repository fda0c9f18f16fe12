"""A journal keyed in: completion, the check while typing, and posting."""

from __future__ import annotations

from datetime import date
from typing import Any

from django.db import transaction
from django.http import Http404, HttpResponse, JsonResponse
from django.shortcuts import render
from django.urls import reverse

from core.access.rights import Right
from core.books.journals import BookedLine, Checked
from core.books.periods import company_calendar
from core.books.series import JournalOfSeries, Recurrence
from core.definitions.parsing import read_table
from core.definitions.state import State
from core.definitions.tables import TABLES, Company, Journal, JournalLine
from core.faults import Fault, Refused
from core.money import digits_of, key_amount, show_amount
from core.structures.charts import chart_index, company_context
from core.structures.offering import accounts_offered, dimensions_offered
from core.structures.quick_codes import as_kept, expand
from core.writing import Exact, exactly, keyed_cells
from web.definitions.viewing import PineRequest
from web.journals import actions
from web.journals.handing_in import hand_in, handed_in, note_entered, send_back, take_up
from web.journals.models import Unfinished
from web.people.rights import ENTER, POST, companies_with, needs, needs_post, partners_seen
from web.shell.asked import day, json_body, required_day, text, whole
from web.shell.htmx import reload_at

MOST_LINES = 500
HEAD_FIELDS = ("journal", "date", "kind", "description", "currency", "rate")
SOURCE = (
    ("source_type", "Kind"),
    ("source_number", "Number"),
    ("source_party", "Party"),
    ("source_item", "Item"),
)
LINE_FIELDS = (
    "line_company",
    "account",
    "dimensions",
    "debit",
    "credit",
    "partner",
    "description",
    *(name for name, _ in SOURCE),
)


@needs(ENTER, localised=True)
def new(request: PineRequest, state: State, company: str) -> HttpResponse:
    """The page for keying a journal; what was left unfinished is there again."""
    unfinished_row = Unfinished.objects.filter(by=request.user, company_id=company).first()
    handed_row = handed_in(request.user, state, company).filter(pk=whole(request.GET, "handed")).first()
    company_row = state.get(Company, company)
    open_days = [p for p in company_calendar(state, company).regular if p.status == "open"]
    today = date.today()
    on = next(
        (today for p in open_days if p.starts_on <= today <= p.ends_on),
        open_days[0].ends_on if open_days else today,
    )
    index = chart_index(state, company_row.chart) if company_row else None
    begun = _begun(request, state, company)
    if handed_row is not None:
        begun, unfinished_row = {**handed_row.content, "handed": str(handed_row.pk)}, None
    return render(
        request,
        "journals/entry.html",
        {
            "company": company_row,
            "number": actions.next_number(state, company),
            "day": on,
            "chart": index,
            "kept": unfinished_row.content if unfinished_row else begun,
            "unfinished": bool(unfinished_row and begun),
            "companies": partners_seen(request.user, state, company),
            "mine": companies_with(request.user, state, Right.ENTER),
            "separator": index.separator if index else "-",
            "prefix": _prefix(state, company),
            "source": SOURCE,
            "handed": handed_row,
            "handed_number": begun.get("handed", "") if begun else "",
        },
    )


def _begun(request: PineRequest, state: State, company: str) -> dict[str, Any] | None:
    """What the address begins a journal with: the account of a line to be adjusted, the day, the words."""
    account, on = text(request.GET, "account", 100), day(request.GET, "on")
    if not account:
        return None
    return {
        "date": str(on) if on else "",
        "kind": "adjusting",
        "description": text(request.GET, "words"),
        "lines": [{"account": _prefix(state, company) + account}],
    }


def _prefix(state: State, company: str) -> str:
    """What an account string of this company begins with, where its segment is shown first: the first of its
    codes."""
    seated = company_context(state, company)
    if seated and seated.chart.company == seated.chart.order[0] and seated.codes:
        return seated.own_code() + seated.chart.separator
    return ""


def read_entry(request: PineRequest, state: State, company: str) -> tuple[Journal, list[JournalLine]]:
    """The journal in the request's JSON. Raises Refused with faults for what cannot be read."""
    content = json_body(request)
    lines = content.get("lines")
    if not isinstance(lines, list) or not all(isinstance(row, dict) for row in lines):
        raise Refused([Fault("unreadable", "The journal could not be read.", way_out="Load the page again.")])
    if len(lines) > MOST_LINES:
        raise Refused(
            [
                Fault(
                    "too-many-lines",
                    f"A journal keyed in has at most {MOST_LINES} lines.",
                    way_out="Bring it in as a file.",
                )
            ]
        )
    rows = [{name: str(row.get(name) or "") for name in LINE_FIELDS} for row in lines]
    person = request.user.username
    for row in rows:
        if seated := company_context(state, row["line_company"].strip() or company):
            row["account"] = as_kept(state, seated, row["account"].strip(), person)
    head = {name: str(content.get(name) or "").strip() for name in HEAD_FIELDS}
    own = state.get(Company, company)
    return build(company, head, rows, digits_of(head["currency"] or (own.currency if own else "")))


def read_recurrence(request: PineRequest) -> Recurrence:
    """Whether the journal repeats, and takes itself back. Raises Refused for a day that can't be read."""
    content = json_body(request)
    given = {"until": str(content.get("repeat_until") or "").strip()}
    return Recurrence(required_day(given, "until"), content.get("then") == "reverses")


def _further(row: JournalOfSeries) -> str:
    return f"{row.head.date}: {row.head.description or 'the same again'}"


def build(
    company: str, head: dict[str, str], rows: list[dict[str, str]], digits: int
) -> tuple[Journal, list[JournalLine]]:
    """Reads keyed cells as an import would, so that the faults are the same; `digits` are the minor digits of
    the journal's currency."""
    with keyed_cells():
        return _read_keyed(company, head, rows, digits)


def _read_keyed(
    company: str, head: dict[str, str], rows: list[dict[str, str]], digits: int
) -> tuple[Journal, list[JournalLine]]:
    table = TABLES["journals"]
    read = read_table(table, ["company", *head], [(1, [company, *head.values()])])
    filled = [
        (i, {**row, "debit": exactly(row["debit"], digits), "credit": exactly(row["credit"], digits)})
        for i, row in enumerate(rows, 1)
        if any(row[name].strip() for name in ("account", "debit", "credit"))
    ]
    name = head["journal"] or "-"
    cells = [
        (i, [company, name, str(i), *(_stripped(row[field]) for field in LINE_FIELDS)]) for i, row in filled
    ]
    lines = read_table(TABLES["journal_lines"], ["company", "journal", "line", *LINE_FIELDS], cells)
    faults = read.faults + [f.at(key=(company, name, f.where.row or 0)) for f in lines.faults]
    if faults:
        raise Refused(faults)
    return next(iter(read.rows.values())), list(lines.rows.values())


def _stripped(cell: str) -> str:
    return cell if isinstance(cell, Exact) else cell.strip()


def _told(fault: Fault) -> dict[str, Any]:
    place = fault.where
    line = place.key[2] if place.table == "journal_lines" and len(place.key) > 2 else 0
    return {"line": line, "column": place.column, "what": fault.what, "way_out": fault.way_out}


@needs_post(ENTER, localised=True)
def check(request: PineRequest, state: State, company: str) -> HttpResponse:
    """While typing: faults by cell, the running difference by company, the lines that will be added."""
    digits = digits_of(state.require(Company, company).currency)
    _keep(request, company)
    try:
        journal, lines = read_entry(request, state, company)
        recurrence = read_recurrence(request)
    except Refused as refused:
        return JsonResponse(
            {"faults": [_told(f) for f in refused.faults], "sums": [], "added": [], "ready": False}
        )
    checked, further = actions.check_keyed(state, journal, lines, recurrence, request.user)
    judged = _judged(state, checked, lines, digits)
    if checked.faults and (working := request.viewed.working) is not None:
        there, _ = actions.check_keyed(working.state, journal, lines, recurrence, request.user)
        still = {(fault.code, fault.where) for fault in there.faults}
        for fault, told in zip(checked.faults, judged["faults"], strict=True):
            if (fault.code, fault.where) not in still:
                told["way_out"] = f"The draft {working.draft.name} puts it right: publish that first."
    return JsonResponse(
        {
            **judged,
            "expanded": _expanded(request, state, lines),
            "further": [_further(row) for row in further],
        }
    )


def _judged(state: State, checked: Checked, lines: list[JournalLine], digits: int) -> dict[str, Any]:
    """What the check found, for the page."""
    keyed = [line for line in checked.lines if not line.generated]
    total = sum(line.keyed for line in keyed)
    numbers = {line.line for line in lines}
    added = [line for line in checked.lines if line.generated and line.number not in numbers]
    return {
        "faults": [_told(fault) for fault in checked.faults],
        "sums": _sums(keyed, digits),
        "difference": show_amount(total, digits),
        "owed": key_amount(abs(total), digits),
        "side": "credit" if total > 0 else "debit",
        "added": [_added(state, line, digits) for line in added],
        "names": {line.number: _name(state, line.company, line.natural) for line in keyed},
        "ready": not checked.faults and bool(keyed),
    }


def _sums(keyed: list[BookedLine], digits: int) -> list[dict[str, str]]:
    """Debits, credits and their difference by company, as shown."""
    sums: dict[str, tuple[int, int]] = {}
    for line in keyed:
        debit, credit = sums.get(line.company, (0, 0))
        sums[line.company] = (debit + max(line.keyed, 0), credit + max(-line.keyed, 0))
    return [
        {
            "company": company,
            "debit": show_amount(debit, digits),
            "credit": show_amount(credit, digits),
            "difference": show_amount(debit - credit, digits),
        }
        for company, (debit, credit) in sorted(sums.items())
    ]


def _added(state: State, line: BookedLine, digits: int) -> dict[str, str]:
    """A line that the product adds, as shown."""
    return {
        "company": line.company,
        "account": _shown(state, line.company, line.account),
        "name": _name(state, line.company, line.natural),
        "debit": show_amount(line.keyed, digits) if line.keyed > 0 else "",
        "credit": show_amount(-line.keyed, digits) if line.keyed < 0 else "",
        "partner": line.partner,
    }


def _expanded(request: PineRequest, state: State, lines: list[JournalLine]) -> list[dict[str, Any]]:
    """Lines on which a quick code was keyed, with what it stands for."""
    rows = []
    keyed = json_body(request)["lines"]
    person = request.user.username
    for line in lines:
        seated = company_context(state, line.line_company or line.company)
        if seated is None:
            continue
        account, dimensions = expand(state, seated, line.account, line.dimensions, person)
        if account != line.account:
            rows.append(
                {
                    "line": line.line,
                    "was": str(keyed[line.line - 1].get("account") or "").strip(),
                    "account": seated.chart.shown(account),
                    "dimensions": dimensions,
                }
            )
    return rows


def _shown(state: State, company: str, account: str) -> str:
    seated = company_context(state, company)
    return seated.chart.shown(account) if seated else account


def _keep(request: PineRequest, company: str) -> None:
    """Keeps what is keyed so far, once there is something, so that a closed browser loses nothing."""
    try:
        content = json_body(request)
    except Refused:
        return
    if content.get("lines"):
        Unfinished.objects.update_or_create(
            by=request.user, company_id=company, defaults={"content": content}
        )


def _name(state: State, company: str, natural: str) -> str:
    seated = company_context(state, company)
    field = seated.chart.segments[seated.chart.natural] if seated and seated.chart.natural >= 0 else None
    code = field.codes.get(natural) if field else None
    return code.name if code else ""


@needs_post(POST, localised=True)
def post(request: PineRequest, state: State, company: str) -> HttpResponse:
    try:
        row, lines = read_entry(request, state, company)
        recurrence = read_recurrence(request)
        with transaction.atomic():
            waiting = take_up(company, json_body(request))
            numbers = actions.post_keyed(row, lines, request.user, proposed(request), recurrence)
            if waiting is not None:
                note_entered(company, numbers, waiting)
    except Refused as refused:
        return JsonResponse({"faults": [_told(fault) for fault in refused.faults]}, status=422)
    return JsonResponse({"go": reverse("journal", kwargs={"company": company, "journal": numbers[0]})})


@needs_post(ENTER, localised=True)
def hand_over(request: PineRequest, state: State, company: str) -> HttpResponse:
    """Hands a journal in to be posted by somebody who may."""
    try:
        row, lines = read_entry(request, state, company)
        hand_in(state, row, lines, read_recurrence(request), request.user, json_body(request))
    except Refused as refused:
        return JsonResponse({"faults": [_told(fault) for fault in refused.faults]}, status=422)
    return JsonResponse({"go": reverse("company-journals", kwargs={"company": company})})


@needs_post(ENTER)
def drop_handed(request: PineRequest, state: State, company: str, number: str) -> HttpResponse:
    """Takes away what was handed in: by who did, or who may post it."""
    rows = handed_in(request.user, state, company).filter(pk=whole({"n": number}, "n"))
    if not rows.delete()[0]:
        raise Http404
    return reload_at(reverse("company-journals", kwargs={"company": company}))


@needs_post(POST)
def send_handed_back(request: PineRequest, state: State, company: str, number: str) -> HttpResponse:
    """Gives what was handed in back to who entered it, with a remark."""
    row = handed_in(request.user, state, company).filter(pk=whole({"n": number}, "n")).first()
    if row is None:
        raise Http404
    send_back(row, text(request.POST, "remark", 400), request.user)
    return reload_at(reverse("company-journals", kwargs={"company": company}))


def proposed(request: PineRequest) -> str:
    """The number that the page proposed; a person who left it as it is takes the next free one."""
    return str(json_body(request).get("proposed") or "")


@needs_post(ENTER)
def forget(request: PineRequest, state: State, company: str) -> HttpResponse:
    """Drops what was left unfinished."""
    Unfinished.objects.filter(by=request.user, company_id=company).delete()
    return JsonResponse({"go": reverse("journal-new", kwargs={"company": company})})


@needs(ENTER, localised=True)
def complete(request: PineRequest, state: State, company: str) -> HttpResponse:
    """Codes for the segment or dimension being typed, by code or by words; quick codes too."""
    whose = request.GET.get("whose", "") or company
    if whose not in {row.company for row in companies_with(request.user, state, Right.ENTER)}:
        return JsonResponse({"options": []})
    seated = company_context(state, whose)
    if seated is None:
        return JsonResponse({"options": []})
    written, on = text(request.GET, "text", 400), day(request.GET, "on") or date.today()
    person = request.user.username
    offers = (
        dimensions_offered(state, seated, written, on)
        if request.GET.get("what") == "dimensions"
        else accounts_offered(state, seated, written, on, person)
    )
    return JsonResponse({"options": [offer._asdict() for offer in offers]})
