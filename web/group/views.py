"""Storey 6: members, the consolidated statement with what it is made of, and mappings."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any
from urllib.parse import urlencode

from django.http import Http404, HttpResponse, HttpResponseRedirect
from django.shortcuts import render
from django.urls import reverse

from core.books.periods import company_calendar
from core.changes.kinds import ChangeSequence
from core.changes.of_statements import MapAccounts
from core.codes.lists import list_index
from core.definitions.state import State
from core.definitions.tables import Company, Elimination, Group, GroupMember, Period, Statement
from core.faults import Fault, Refused
from core.group.eliminate import Disagreement
from core.group.mapping import likely_target, map_plan
from core.group.membership import membership
from core.money import digits_of, show_amount
from core.statements.figures import natural_list
from web.definitions.viewing import PineRequest
from web.group import chartdrawing, queries
from web.group.ribbons import ribbons
from web.group.rows import consolidated_rows
from web.group.sheets import ELIMINATIONS, MAPPINGS, MEMBERS, RATES
from web.people.rights import CHANGE, SIGNED_IN, needs, needs_post
from web.sheets.changing import apply_change, reload_at
from web.sheets.pages import stretch
from web.statements.addresses import asked_period, drill
from web.statements.outline import statement_workbook
from web.statements.queries import company_sums, window


@needs(SIGNED_IN)
def first(request: PineRequest, state: State) -> HttpResponse:
    groups = sorted(state.rows(Group), key=lambda row: row.name) if request.user.is_group_accountant else []
    if not groups:
        return render(request, "group/none.html", {})
    biggest = max(groups, key=lambda row: len(membership(state, row.group).companies))
    return HttpResponseRedirect(reverse("group", kwargs={"group": biggest.group}))


def _statements(state: State, group: Group) -> list[Statement]:
    return sorted(
        (row for row in state.rows(Statement) if row.chart == group.chart), key=lambda row: row.name
    )


def _asked(
    request: PineRequest, state: State, group: str
) -> tuple[Group, Statement | None, int, int, int | None]:
    group_row, calendar = queries.known_group(state, group)
    statements = _statements(state, group_row)
    wanted = request.GET.get("statement", "")
    chosen = next(
        (row for row in statements if row.statement == wanted), statements[0] if statements else None
    )
    return (group_row, chosen, *asked_period(request, state, calendar.calendar))


def _query(statement: Statement | None, year: int, period: int, start: int | None) -> str:
    values = {
        "statement": statement.statement if statement else "",
        "year": year,
        "period": period,
        "first": start,
    }
    return urlencode({k: v for k, v in values.items() if v not in (None, "")})


@needs(SIGNED_IN)
def group(request: PineRequest, state: State, group: str) -> HttpResponse:
    group_row, statement, year, period, start = _asked(request, state, group)
    _, calendar = queries.known_group(state, group)
    consolidated = None
    if statement and (year, period) in calendar.periods:
        consolidated = queries.group_statement(state, statement.statement, group, year, period, start)
    query = _query(statement, year, period, start)
    return render(
        request,
        "group/group.html",
        {
            "group": group_row,
            "statement": statement,
            "statements": _statements(state, group_row),
            "found": consolidated,
            "rows": consolidated_rows(group, consolidated, query) if consolidated else "",
            "names": {row.company: row.name for row in state.rows(Company)},
            "balance_sheet": bool(statement and statement.kind == "balance_sheet"),
            "companies": consolidated.statement.columns[:-2] if consolidated else (),
            "drawing": chartdrawing.draw(state, group),
            "digits": consolidated.statement.digits if consolidated else digits_of(group_row.currency),
            "query": query,
            "period": state.get(Period, calendar.calendar, year, period),
            "window": consolidated.statement.window if consolidated else None,
            "periods": [calendar.of_year(y) for y in reversed(calendar.years())],
            "groups": list(state.rows(Group)),
            **_proof(state, group, group_row, consolidated),
        },
    )


def _proof(state: State, group: str, head: Group, found: queries.GroupFigures | None) -> dict[str, Any]:
    """Sides that disagree, mappings with unmapped, and whether debits equal credits."""
    if found is None:
        return {}
    cumulative = found.consolidated.cumulative
    return {
        "apart": [_sides(entry, found.statement.digits) for entry in cumulative.disagreements],
        "balance": cumulative.balance,
        "mapped": list(_mapped(state, group, found)),
        "unmapped": [(u, u.raw[-1]) for u in found.statement.figures.unplaced if u.raw[-1]],
        "waiting": found.who.waiting,
        "shared": sum(
            1
            for member in found.who.companies
            if (row := state.get(Company, member.company)) and row.chart == head.chart
        ),
        "members": len(state.part(GroupMember, group)),
        "eliminations": len(state.part(Elimination, group)),
    }


def _sides(entry: Disagreement, digits: int) -> tuple[Disagreement, str, str, str]:
    """A disagreement with what each side has, and how far they are apart, as shown."""
    return (
        entry,
        show_amount(entry.side(entry.company), digits),
        show_amount(entry.side(entry.partner), digits),
        show_amount(entry.amount, digits),
    )


def _mapped(
    state: State, group: str, found: queries.GroupFigures
) -> Iterator[tuple[Company | None, int, int]]:
    """Companies on a chart of their own: how many accounts have amounts and no place, how many no place."""
    for member in membership(state, group).companies:
        plan = map_plan(state, group, member.company)
        if plan and not plan.shared:
            unmapped = sum(account.company == member.company for account in found.balances.unmapped)
            own = list_index(state, plan.chart.natural_list).posting
            unplaced = sum(plan.plain(code) == "" for code in own)
            yield state.get(Company, member.company), unmapped, unplaced


@needs(SIGNED_IN)
def members(request: PineRequest, state: State, group: str) -> HttpResponse:
    """Who is in the group and what is eliminated between them, edited in place."""
    group_row = state.get(Group, group)
    if group_row is None:
        raise Http404
    given = {"group": group}
    return render(
        request,
        "group/members.html",
        {
            "group": group_row,
            "members": stretch(request, state, MEMBERS, given),
            "eliminations": stretch(request, state, ELIMINATIONS, given),
            "rates": stretch(request, state, RATES, {}),
            "drawing": chartdrawing.draw(state, group),
            "groups": list(state.rows(Group)),
        },
    )


@needs(SIGNED_IN)
def cell(request: PineRequest, state: State, group: str, line: str, column: str) -> HttpResponse:
    """What one figure of the consolidated statement is made of."""
    group_row, statement, year, period, start = _asked(request, state, group)
    if statement is None:
        raise Http404
    consolidated = queries.group_statement(state, statement.statement, group, year, period, start)
    planned = consolidated.statement.plan
    if line not in planned.index or column not in consolidated.statement.columns:
        raise Http404
    at = consolidated.statement.columns.index(column)
    names = {row.company: row for row in state.rows(Company)}
    figure = consolidated.statement.figures.lines[planned.index[line]]
    context: dict[str, Any] = {
        "group": group_row,
        "statement": statement,
        "line": figure.line,
        "column": names[column].name if column in names else column,
        "shown": figure.shown[at],
        "digits": consolidated.statement.digits,
        "query": _query(statement, year, period, start),
    }
    rows = group_rows(consolidated, planned, planned.index[line])
    if column == "eliminations":
        context["shares"] = eliminated(consolidated, rows, names)
    elif column == "group":
        context["parts"] = [
            (names[c].name if c in names else "Eliminations", c, figure.seen(i))
            for i, c in enumerate(consolidated.statement.columns[:-1])
        ]
    else:
        context["accounts"] = company_parts(state, consolidated, group, column, rows, statement)
        context["company"] = names[column]
    return render(request, "group/cell.html", context)


def group_rows(found: queries.GroupFigures, made: Any, start: int) -> set[int]:
    """Targets (account indices) that a line or heading sums."""
    end = made.end_of(start)
    targets = {i for i in range(len(made.line_of)) if start <= made.line_of[i] < end}
    if any(entry.row.kind == "result" for entry in made.lines[start:end]):
        codes = made.accounts.codes
        targets |= {
            i for i, c in enumerate(made.accounts.posting) if codes[c].account_class in ("revenue", "expense")
        }
    return targets


def company_parts(
    state: State,
    found: queries.GroupFigures,
    group: str,
    company: str,
    targets: set[int],
    statement: Statement,
) -> list[Any]:
    """(group account, its name, raw amount, own accounts, address of the lines) of one company's column."""
    balances, columns = found.balances, found.consolidated.columns
    at = columns.index(company)
    codes = found.statement.plan.accounts.codes
    mapping_plan = map_plan(state, group, company)
    where = drill(statement, found.statement.window)
    rows = []
    for target in sorted(targets):
        amount = int(found.consolidated.amounts.window[target, at])
        if not amount:
            continue
        name = balances.accounts[target]
        own = [name]
        if mapping_plan and not mapping_plan.shared:
            own = sorted(
                n for n, rows_ in mapping_plan.rows.items() if any(r.row.target == name for r in rows_)
            )
        link = reverse("account-lines", kwargs={"company": company, "code": ",".join(own) or name})
        rows.append((name, codes[name].name, amount, own if own != [name] else [], f"{link}?{where}"))
    return rows


def eliminated(found: queries.GroupFigures, targets: set[int], names: dict[str, Company]) -> list[Any]:
    """What eliminations changed on these accounts: (rule, account, company, partner, amount taken)."""
    balances = found.balances
    window = found.consolidated.window
    start, end = found.statement.window.start, found.statement.window.end
    balance_sheet = found.statement.plan.statement.kind == "balance_sheet"
    before = balances.upto(end) if balance_sheet else balances.window(start, end, closing=False)
    shares = []
    changed = before - window.cells
    for i in changed.nonzero()[0].tolist():
        target = int(balances.target[i])
        if target in targets:
            partner = balances.companies[balances.partner[i]] if balances.partner[i] >= 0 else ""
            shares.append(
                (
                    balances.accounts[target],
                    names[balances.companies[balances.company[i]]].name,
                    names[partner].name if partner in names else "",
                    -int(changed[i]),
                )
            )
    for target, amount in window.posted:
        if target in targets:
            shares.append((balances.accounts[target], "Difference", "", amount))
    return shares


@needs(SIGNED_IN)
def mapping(request: PineRequest, state: State, group: str, company: str) -> HttpResponse:
    """One company's own accounts and where each goes in the group's chart."""
    row, own = state.get(Group, group), state.get(Company, company)
    mapping_plan = map_plan(state, group, company)
    if row is None or own is None or mapping_plan is None:
        raise Http404
    _, _, year, period, _ = _asked(request, state, group)
    index = list_index(state, mapping_plan.chart.natural_list)
    theirs = list_index(state, natural_list(state, row.chart)).codes
    sums = own_sums(company, year, period, state)
    unmapped = [
        (index.codes[c], sums.get(c, 0), likely_target(state, group, company, c))
        for c in index.posting
        if mapping_plan.plain(c) == ""
    ]
    placed = len(index.posting) - len(unmapped)
    return render(
        request,
        "group/mapping.html",
        {
            "group": row,
            "company": own,
            "rows": stretch(request, state, MAPPINGS, {"group": group, "company": company}),
            "unmapped": [(s, a, t, theirs.get(t)) for s, a, t in unmapped],
            "shared": mapping_plan.shared,
            "placed": placed,
            "total": len(index.posting),
            "digits": digits_of(own.currency),
            "targets": sorted(theirs),
            "drawing": ribbons(mapping_plan, index, theirs, sums),
            "unplaced": sum(a for _, a, _ in unmapped),
            "theirs": theirs,
            "companies": [
                (r.company, state.get(Company, r.company))
                for r in membership(state, group).companies
                if (m := map_plan(state, group, r.company)) and not m.shared
            ],
            "balance": sum(sums.values()),
            "period": state.get(Period, own.calendar, year, period),
        },
    )


def own_sums(company: str, year: int, period: int, state: State) -> dict[str, int]:
    """Raw amounts by the company's own natural accounts to the end of a period."""
    calendar = company_calendar(state, company)
    if (year, period) not in calendar.periods:
        return {}
    codes, sums = company_sums(state, company, window(calendar, year, period))
    return {code: int(sums["cumulative"][i]) for i, code in enumerate(codes) if sums["touched"][i]}


@needs_post(CHANGE)
def map_accounts(request: PineRequest, state: State, group: str, company: str) -> HttpResponse:
    """Maps accounts to a target; with `take` every unplaced account goes to its likely target."""
    mapping_plan = map_plan(state, group, company)
    if mapping_plan is None:
        raise Http404
    if request.POST.get("take"):
        index = list_index(state, mapping_plan.chart.natural_list)
        likely = [
            (c, likely_target(state, group, company, c)) for c in index.posting if mapping_plan.plain(c) == ""
        ]
        changes = tuple(MapAccounts(group, company, (code,), target) for code, target in likely if target)
        if not changes:
            raise Refused(
                [
                    Fault(
                        "nothing-likely",
                        "No account has a likely target.",
                        way_out="Choose targets one by one.",
                    )
                ]
            )
        apply_change(
            request,
            ChangeSequence(
                changes, f"Mapped {len(changes)} accounts of {company} to their likely targets in {group}"
            ),
        )
    else:
        codes = tuple(c for c in request.POST.get("code", "").replace(" ", "").split(",") if c)
        target = request.POST.get("target", "").split(" ")[0]
        if not codes or not target:
            raise Refused([Fault("nothing-chosen", "An account and its target are needed.")])
        apply_change(request, MapAccounts(group, company, codes, target))
    return reload_at(reverse("mapping", kwargs={"group": group, "company": company}))


@needs(SIGNED_IN)
def workbook(request: PineRequest, state: State, group: str) -> HttpResponse:
    group_row, statement, year, period, start = _asked(request, state, group)
    if statement is None:
        raise Http404
    figures = queries.group_statement(state, statement.statement, group, year, period, start).statement
    names = {row.company: row.name for row in state.rows(Company)}
    titles = [names.get(c, c.capitalize()) for c in figures.columns]
    data = statement_workbook(figures, titles, f"{statement.name}, {group_row.name}, consolidated")
    reply = HttpResponse(
        data, content_type="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
    )
    reply["Content-Disposition"] = (
        f'attachment; filename="{statement.statement}-{group}-{year}-{period}.xlsx"'
    )
    return reply
