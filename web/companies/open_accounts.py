"""Accounts by companies: which are open where, and opening or shutting many at once."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any
from urllib.parse import urlencode

from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.urls import reverse

from core.changes.kinds import Change, ChangeSet, Drop, Put, PutRows
from core.codes.hierarchies import Tree, main_hierarchies, tree
from core.codes.lists import ListIndex, list_index
from core.definitions.state import State
from core.definitions.tables import Chart, Code, Company, CompanyAccount
from core.structures.charts import ChartIndex, chart_index, company_context
from core.structures.open_accounts import WANTED, listing_those_used, opened, openness
from web.definitions.posted import strings_of
from web.definitions.viewing import PineRequest
from web.people.rights import CHANGE, companies_seen, needs, needs_post, sees
from web.sheets.changing import apply_change, reload_at
from web.shell.asked import listed, text, whole
from web.shell.cell_grid import GridCell, MatrixRow, chosen_cells, grid_rows, short_names
from web.shell.htmx import is_fragment

CHUNK = 80
ACROSS = 24
SAYS = {"open": "opened", "shut": "shut", "plain": "as the chart has them"}


@dataclass(frozen=True)
class AccountRow:
    """A row of the matrix: a code with the posting accounts that it stands for, itself or those below."""

    code: Code
    depth: int
    codes: frozenset[str]
    opened: bool = False


def account_rows(state: State, index: ChartIndex, unfolded: set[str], only: str) -> list[AccountRow]:
    """Rollup codes of the main hierarchy, those named unfolded, then accounts that stand under none; with
    `only` the accounts whose code or name has it."""
    codes = list_index(state, index.natural_list)
    if only:
        rows = (codes.codes[code] for code in codes.posting)
        return [AccountRow(row, 0, frozenset({row.code})) for row in rows if _has(row, only)]
    main = main_hierarchies(state).get(index.natural_list, "")
    grown = tree(state, main) if main else None
    shown = list(_in_tree(grown, codes, unfolded)) if grown else []
    placed = grown.place if grown else {}
    return shown + [
        AccountRow(codes.codes[code], 0, frozenset({code})) for code in codes.posting if code not in placed
    ]


def _has(row: Code, text: str) -> bool:
    return row.code.startswith(text) or text.lower() in row.name.lower()


def _in_tree(grown: Tree, codes: ListIndex, unfolded: set[str]) -> Iterator[AccountRow]:
    """What is shown of a tree, parents first; below a rollup code that isn't unfolded nothing is."""
    hidden = -1
    for code, depth in grown.order:
        if 0 <= hidden < depth:
            continue
        row = codes.codes[code]
        below = (own for own in grown.below(code) if not codes.codes[own].rollup) if row.rollup else (code,)
        yield AccountRow(row, depth, frozenset(below), code in unfolded)
        hidden = depth if row.rollup and code not in unfolded else -1


def _cell(state: State, company: Company, row: AccountRow) -> GridCell:
    context = company_context(state, company.company)
    if context is None or not row.codes:
        return GridCell("none")
    found = openness(state, context, row.codes)
    own = " ◆" if found.own and len(row.codes) == 1 else ""
    if found.open == found.all:
        return GridCell("set", f"●{own}", "open" + (", with settings of its own" if own else ""))
    if not found.open:
        return GridCell("shut", "", "not open")
    return GridCell("half", f"{found.open}", f"{found.open} of {found.all} open")


@needs(CHANGE)
def page(request: PineRequest, state: State) -> HttpResponse:
    """Accounts of a chart down, its companies across."""
    charts = sorted({row.chart for row in state.rows(Company)})
    chart = text(request.GET, "chart", 40) or max(charts, key=lambda name: _count(state, name), default="")
    index = chart_index(state, chart)
    if index is None or index.natural < 0:
        raise Http404
    companies = [row for row in companies_seen(request.user, state) if row.chart == chart]
    left = min(whole(request.GET, "left"), max(0, len(companies) - 1)) // ACROSS * ACROSS
    unfolded, only = set(listed(request.GET, "open")), text(request.GET, "only")
    rows = account_rows(state, index, unfolded, only)
    start = whole(request.GET, "from")
    shown = companies[left : left + ACROSS]
    heads = short_names([(row.company, row.name) for row in companies])[left : left + ACROSS]
    context: dict[str, Any] = {
        "rows": grid_rows(_grid(state, rows[start : start + CHUNK], shown), heads),
        "next": start + CHUNK if start + CHUNK < len(rows) else None,
        "total": len(rows),
        "columns": heads,
    }
    if is_fragment(request) and "from" in request.GET:
        return render(request, "companies/open_rows.html", context)
    return render(
        request,
        "companies/open_accounts.html",
        {
            **context,
            "chart": state.require(Chart, chart),
            "charts": [state.require(Chart, name) for name in charts],
            "only": only,
            "left": left,
            "right": left + ACROSS if left + ACROSS < len(companies) else None,
            "before": max(0, left - ACROSS) if left else None,
            "count": len(companies),
        },
    )


def _count(state: State, chart: str) -> int:
    return sum(row.chart == chart for row in state.rows(Company))


def _grid(state: State, rows: Sequence[AccountRow], companies: Sequence[Company]) -> Iterator[MatrixRow]:
    for row in rows:
        fold = ("▾" if row.opened else "▸") if row.code.rollup else "\u2007"
        css = f"d{min(row.depth, 8)}" + (" rollup" if row.code.rollup else "")
        yield MatrixRow(
            row.code.code,
            row.code.name,
            [_cell(state, company, row) for company in companies],
            code=f"{fold} {row.code.code}",
            css=css,
        )


@needs(CHANGE)
def cell(request: PineRequest, state: State) -> HttpResponse:
    """An account or rollup code in a company: how it stands, and what can be done."""
    company = state.get(Company, text(request.GET, "col", 40))
    if company is not None and not sees(request.user, state, "company", company.company):
        raise Http404
    index = chart_index(state, company.chart) if company else None
    row = state.get(Code, index.natural_list, text(request.GET, "row", 40)) if index else None
    if company is None or index is None or row is None:
        raise Http404
    main = main_hierarchies(state).get(index.natural_list, "")
    codes = _under(state, main, row)
    context = company_context(state, company.company)
    unfolded = set(listed(request.GET, "open"))
    toggled = unfolded ^ {row.code}
    query = {name: value for name in ("chart", "left") if (value := request.GET.get(name))}
    return render(
        request,
        "companies/open_cell.html",
        {
            "company": company,
            "code": row,
            "found": openness(state, context, frozenset(codes)) if context else None,
            "own": state.get(CompanyAccount, company.company, row.code),
            "fold": f"?{urlencode({**query, 'open': ','.join(sorted(toggled))})}" if row.rollup else "",
            "unfolded": row.code in unfolded,
        },
    )


def _under(state: State, main: str, row: Code) -> list[str]:
    """The posting accounts that a code of the matrix stands for."""
    if not row.rollup:
        return [row.code]
    codes = list_index(state, row.code_list).codes
    return [own for own in tree(state, main).below(row.code) if not codes[own].rollup] if main else []


@needs_post(CHANGE)
def put(request: PineRequest, state: State) -> HttpResponse:
    """Opens or shuts the accounts of the chosen cells, all in one act."""
    wanted = next((one for one in WANTED if one == request.POST.get("wanted")), None)
    if wanted is None:
        raise Http404
    by_company: dict[str, dict[str, None]] = {}
    for code, name in chosen_cells(request.POST):
        company = state.get(Company, name)
        index = chart_index(state, company.chart) if company else None
        row = state.get(Code, index.natural_list, code) if index else None
        if index is None or row is None:
            raise Http404
        main = main_hierarchies(state).get(index.natural_list, "")
        by_company.setdefault(name, {}).update(dict.fromkeys(_under(state, main, row)))
    rows: list[Any] = []
    drops: list[Change] = []
    for name, codes in by_company.items():
        found = opened(state, state.require(Company, name), codes, wanted)
        rows += found.put
        drops += [Drop(row) for row in found.drop]
    accounts = len(rows) + len(drops)
    told = f"Set {accounts:,} accounts of {len(by_company):,} companies: {SAYS[wanted]}"
    apply_change(request, ChangeSet((PutRows(tuple(rows), ""), *drops), told))
    return reload_at(_back(request))


@needs_post(CHANGE)
def listing(request: PineRequest, state: State) -> HttpResponse:
    """A company has all accounts open, or from now on only those listed: what it uses, at first."""
    company = state.get(Company, text(request.POST, "company", 40))
    if company is None:
        raise Http404
    if company.accounts_open == "listed":
        apply_change(request, Put(company._replace(accounts_open="all")))
    else:
        index = chart_index(state, company.chart)
        used = [index.natural_of(string) for string in strings_of(company.company)] if index else []
        told = f"Only accounts that {company.name} uses are open to it from now on"
        apply_change(request, PutRows(tuple(listing_those_used(state, company, used)), told))
    return reload_at(_back(request))


def _back(request: PineRequest) -> str:
    query = text(request.POST, "at", 4_000)
    return f"{reverse('open-accounts')}?{query}" if query else reverse("open-accounts")
