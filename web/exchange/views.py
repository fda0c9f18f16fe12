"""Packages in and out by the browser, journals from a file, reports as files."""

from __future__ import annotations

import shutil
import tempfile
from dataclasses import replace
from pathlib import Path
from typing import Any

from django.contrib import messages
from django.http import FileResponse, Http404, HttpResponse, HttpResponseBase, HttpResponseRedirect
from django.shortcuts import render
from django.urls import reverse

from core.analysis.asked import Asked
from core.definitions.state import State
from core.definitions.tables import TABLES, Company
from core.faults import Fault, Refused
from core.structures.charts import company_context, order_words
from core.structures.second_charts import is_seen_in
from web.definitions.viewing import PineRequest
from web.exchange import job, limits, reports
from web.exchange.exporting import export_package
from web.exchange.importing import import_package
from web.exchange.journal_file import look_at, read_journals
from web.exchange.models import Job
from web.journals import actions
from web.people.rights import CHANGE_ALL, POST, SIGNED_IN, companies_seen, needs, needs_post, sees
from web.shell import asked, tabular
from web.shell.htmx import is_fragment, reload_at
from web.shell.progress import ask_to_stop
from web.statements.addresses import asked_of
from web.statements.figure_views import figures_at, titles_in_files
from web.statements.trial import accounts_only

SUFFIXES = (".zip", ".xlsx", ".csv")


@needs(SIGNED_IN)
def exchange(request: PineRequest, state: State) -> HttpResponse:
    return render(request, "exchange/exchange.html", {"tables": list(TABLES.values())})


def uploaded(request: PineRequest, folder: str) -> Path:
    """The file that was sent, in a folder. Raises Refused for none, too big, or of another kind."""
    sent = request.FILES.get("file")
    if sent is None:
        raise Refused(
            [Fault("no-file", "No file was chosen.", way_out="Choose a zip, a workbook or a CSV file.")]
        )
    suffix = Path(sent.name or "").suffix.lower()
    if suffix not in SUFFIXES:
        raise Refused(
            [
                Fault(
                    "not-a-package",
                    f"{sent.name} is neither a zip, a workbook nor a CSV file.",
                    way_out="Choose another file.",
                )
            ]
        )
    if (sent.size or 0) > limits.MOST_UPLOAD:
        raise Refused(
            [
                Fault(
                    "too-big",
                    f"The file is larger than {limits.MOST_UPLOAD // 1024**2} MiB.",
                    way_out="Use ./pine import.",
                )
            ]
        )
    stem = Path(sent.name or "").stem
    path = Path(folder) / f"{stem if stem in TABLES else 'package'}{suffix}"
    with path.open("wb") as out:
        for chunk in sent.chunks():
            out.write(chunk)
    return path


@needs(CHANGE_ALL, published=True, posts=True)
def bring_in(request: PineRequest, state: State) -> HttpResponse:
    """Imports a package, all or nothing."""
    if request.method != "POST":
        return HttpResponseRedirect(reverse("exchange"))
    sent = request.FILES.get("file")
    if sent is not None and (sent.size or 0) > limits.AT_ONCE:
        return _in_a_job(request)
    with tempfile.TemporaryDirectory() as folder:
        try:
            outcome = import_package(uploaded(request, folder), request.user)
        except Refused as refused:
            return render(
                request,
                "exchange/exchange.html",
                {"faults": refused.faults, "tables": list(TABLES.values())},
                status=422,
            )
    messages.success(request, f"Imported: {outcome.sentence()}.")
    return HttpResponseRedirect(reverse("exchange"))


def _in_a_job(request: PineRequest) -> HttpResponse:
    """A larger package comes in beside the server; its page tells how far it is and can stop it."""
    folder = tempfile.mkdtemp(prefix="pine-import-")
    try:
        path = uploaded(request, folder)
    except Refused as refused:
        shutil.rmtree(folder, ignore_errors=True)
        return render(
            request,
            "exchange/exchange.html",
            {"faults": refused.faults, "tables": list(TABLES.values())},
            status=422,
        )
    job_row = Job.objects.create(
        by=request.user, file=getattr(request.FILES.get("file"), "name", "") or "package"
    )
    job.start(job_row.pk, path)
    return HttpResponseRedirect(reverse("import-job", kwargs={"number": job_row.pk}))


@needs(CHANGE_ALL, published=True)
def import_job(request: PineRequest, state: State, number: int) -> HttpResponse:
    """How far an import is; the page asks again until it has ended."""
    job_row = Job.objects.filter(pk=number, by=request.user).first()
    if job_row is None:
        raise Http404
    template = "exchange/job_state.html" if is_fragment(request) else "exchange/job.html"
    return render(request, template, {"job": job_row})


@needs_post(CHANGE_ALL, published=True)
def stop_job(request: PineRequest, state: State, number: int) -> HttpResponse:
    for running in Job.objects.filter(pk=number, by=request.user, ended_at=None):
        ask_to_stop(running, job.NOTHING)
    return HttpResponseRedirect(reverse("import-job", kwargs={"number": number}))


@needs(CHANGE_ALL, published=True)
def take_out(request: PineRequest, state: State, kind: str) -> HttpResponseBase:
    """Everything as a zip or a workbook."""
    if kind not in ("zip", "xlsx"):
        raise Http404
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"pine-scaffold-package.{kind}"
        export_package(path)
        return FileResponse(path.open("rb"), as_attachment=True, filename=path.name)


@needs(SIGNED_IN, localised=True)
def report(request: PineRequest, state: State, kind: str) -> HttpResponse:
    """A statement, a hierarchy or a trial balance as CSV, JSON or XLSX, as it was looked at."""
    whose = _whose(request, state)
    wanted = asked_of(request.GET)
    name = asked.text(request.GET, "report", 40) or asked.text(request.GET, "statement", 40)
    file_name = ""
    if whose.group and name in (*reports.OF_GROUPS, CASH_PROOF):
        table = _of_group(request, state, name, whose.group, wanted)
    elif _is_across(request, whose):
        address, found = figures_at(request, state, name, asked.text(request.GET, "hierarchy", 40))
        found = found if kind == "json" else replace(found, columns=tuple(titles_in_files(address, found)))
        table, file_name = reports.of_figures(found), address.file_name
    elif hierarchy := asked.text(request.GET, "hierarchy", 40):
        table = reports.hierarchy(state, hierarchy, asked.number(request.GET, "level"), whose, wanted)
    elif name:
        by_account = request.GET.get("accounts") == "1"
        table = reports.statement(state, name, whose, wanted, accounts=by_account)
    else:
        table = _trial_balance(request, state, whose, wanted)
    when = wanted.end or f"{wanted.year}-{wanted.period}"
    file_name = file_name or f"{name or 'trial-balance'}-{whose.group or whose.company}-{when}"
    return tabular.attached(file_name, kind, table.header, table.rows)


def _is_across(request: PineRequest, whose: reports.Whose) -> bool:
    """Whether a statement or hierarchy of companies is asked for with columns or accounts of its own."""
    is_statement = any(request.GET.get(word) for word in ("report", "statement", "hierarchy"))
    return is_statement and not whose.group and any(request.GET.get(word) for word in ACROSS)


def _trial_balance(request: PineRequest, state: State, whose: reports.Whose, wanted: Asked) -> reports.Report:
    """Of a group, or of a company in any chart that it is seen in, of some accounts alone where asked."""
    chart = _second_chart(request, state, whose)
    only = accounts_only(request, state, whose.company, chart) if whose.company else None
    return reports.trial_balance(state, whose, wanted, chart, only=only)


ACROSS = ("than", "columns", "within", "by", "budget", "forecast", "companies", "accounts")
"""What an address puts across: its columns are called in files as they are on the page."""
CASH_PROOF = "cash-proof"


def _of_group(request: PineRequest, state: State, name: str, group: str, wanted: Asked) -> reports.Report:
    """A report that only a group has."""
    at = wanted.year or 0, wanted.period or 0
    if name == CASH_PROOF:
        return reports.cash_proof(state, asked.text(request.GET, "statement", 40), group, *at, wanted.first)
    return reports.OF_GROUPS[name](state, group, *at)


def _second_chart(request: PineRequest, state: State, whose: reports.Whose) -> str:
    """The chart other than its own that a company is asked for in; empty where it is not seen in it."""
    company, chart = state.get(Company, whose.company), asked.text(request.GET, "in", 40)
    return chart if company and chart != company.chart and is_seen_in(state, company, chart) else ""


def _whose(request: PineRequest, state: State) -> reports.Whose:
    """Raises Http404 for what somebody doesn't see."""
    company, group = request.GET.get("company", ""), request.GET.get("group", "")
    if group and not sees(request.user, state, "group", group):
        raise Http404
    if not group and company not in {row.company for row in companies_seen(request.user, state)}:
        raise Http404
    return reports.Whose("" if group else company, group)


@needs(POST, posts=True)
def journals_file(request: PineRequest, state: State, company: str) -> HttpResponse:
    """Journals of a company from one CSV or XLSX file, all or nothing: looked at first, then posted as they
    were seen."""
    seated = company_context(state, company)
    context: dict[str, Any] = {"company": company, "orders": order_words(seated.chart) if seated else ""}
    if request.method == "POST":
        numbers: dict[tuple[Any, ...], int] = {}
        with tempfile.TemporaryDirectory() as folder:
            try:
                path = uploaded(request, folder)
                journals = read_journals(path, company, state.require(Company, company).currency)
                numbers = journals.rows
                looked = look_at(state, company, journals, request.user)
                seen = looked.digest(path)
                if request.POST.get("seen") == seen:
                    actions.post_all(looked.numbered, request.user)
                    count = len(looked.numbered)
                    messages.success(request, f"Posted {count} journal{'s' if count != 1 else ''}.")
                    return reload_at(reverse("company-journals", kwargs={"company": company}))
                context |= {"looked": looked, "seen": seen, "changed": bool(request.POST.get("seen"))}
            except Refused as refused:
                context["faults"] = [
                    f.at(row=f.where.row or numbers.get(f.where.key)) for f in refused.faults
                ]
    page = "exchange/journals_looked.html" if is_fragment(request) else "exchange/journals_file.html"
    return render(request, page, context, status=422 if context.get("faults") else 200)
