"""The movement of equity, and the proof of each translation reserve."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.urls import reverse
from django.utils.safestring import SafeString

from core.consolidation.acquisitions import Goodwill
from core.consolidation.position import Consolidation, Position
from core.definitions.state import State
from core.definitions.tables import Company
from core.group.rates import NotReady
from core.group_figures.equity_movement import (
    CAUSES,
    CLOSING,
    OPENING,
    RESULT_ROW,
    EquityRow,
    equity_movement,
    equity_sources,
)
from core.group_figures.proof import proofs, reserve_parts
from core.money import UNITS, digits_of, round_half_up, show_amount, show_whole
from web.definitions.viewing import PineRequest
from web.group import queries
from web.group.addresses import GroupAddress, group_address
from web.group.statement import company_names
from web.group.steps import HEADS, group_context, position_of
from web.people.rights import SIGNED_IN, needs
from web.shell.table_rows import Cell, TableRow, table_rows

PROOF = ("opening", "net_assets", "result", "other", "rounding", "closing")


def movement_rows(
    group: Consolidation,
    rows: Sequence[EquityRow],
    names: dict[str, str],
    digits: int,
    unit: int,
    query: str,
) -> SafeString:
    """An account a row, then all together; raised is plus."""

    def cell(value: int, link: str, css: str = "num") -> Cell:
        shown, title = show_whole(value or None, digits, unit), show_amount(value, digits)
        if not value or not link:
            return Cell(shown, css, title=title)
        return Cell(shown, css, link=link, opens=True, in_proof=True, title=title)

    def row(title: str, key: str, one: EquityRow, css: str = "", code: str = "") -> TableRow:
        def to(column: str) -> str:
            args = (group.group.group, key, column)
            return "" if css else f"{reverse('group-equity-cell', args=args)}?{query}"

        causes = [cell(one.causes[cause], to(cause)) for cause in CAUSES]
        ends = cell(one.closing, to(CLOSING), "num total")
        return TableRow(key, [Cell(title, code=code), cell(one.opening, to(OPENING)), *causes, ends], css=css)

    shown = []
    for one in rows:
        is_result = one.target == RESULT_ROW
        code = "" if is_result else group.books.accounts.name(one.target)
        shown.append(
            row(
                "Result, not closed yet" if is_result else names.get(code, ""),
                code or "result",
                one,
                code=code,
            )
        )
    causes = {cause: sum(one.causes[cause] for one in rows) for cause in CAUSES}
    total = EquityRow(0, sum(one.opening for one in rows), causes, sum(one.closing for one in rows))
    return table_rows([*shown, row("Equity", "equity", total, "heading")])


@needs(SIGNED_IN)
def equity(request: PineRequest, state: State, group: str) -> HttpResponse:
    at = group_address(request, state, group)
    context = group_context(state, at)
    known = position_of(state, at)
    if known is not None:
        work, position = known
        unit = at.unit or "thousands"
        rows = equity_movement(work, position.period)
        accounts = {code: row.name for code, row in queries.group_accounts(state, at.group).items()}
        proven, without = proofs(work, position.period)
        names = company_names(state)
        context |= {
            "unit": unit,
            "causes": CAUSES,
            "rows": movement_rows(work, rows, accounts, context["digits"], UNITS[unit], at.query),
            "proofs": [
                (names.get(row.company, row.company), row, [(name, -getattr(row, name)) for name in PROOF])
                for row in proven
            ],
            "goodwill": goodwill_rows(work, position, accounts, names),
            "proof_total": [-sum(getattr(row, name) for row in proven) for name in PROOF],
            "without": [(names.get(name, name), why) for name, why in sorted(without.items())],
            "waiting": [(names.get(name, name), why) for name, why in queries.waiting_of(position)],
            "partial": queries.told_of_members(position, position.waiting),
        }
    return render(request, "group/equity.html", context)


class GoodwillRow(NamedTuple):
    """Goodwill of one company: its holder, the account that it stands on, and its amounts in minor units of
    the group's currency."""

    company: str
    holder: str
    account: str
    name: str
    goodwill: Goodwill

    @property
    def by_rates(self) -> int:
        return self.goodwill.now - self.goodwill.bought


def goodwill_rows(
    group: Consolidation, position: Position, accounts: dict[str, str], names: dict[str, str]
) -> list[GoodwillRow]:
    rows = []
    for one in position.purchases:
        account = group.books.accounts.name(one.goodwill.target)
        whose = names.get(one.member, one.member), names.get(one.holder, one.holder)
        rows.append(GoodwillRow(*whose, account, accounts.get(account, ""), one.goodwill))
    return sorted(rows)


@needs(SIGNED_IN)
def equity_cell(request: PineRequest, state: State, group: str, code: str, column: str) -> HttpResponse:
    """What a cell of the movement of equity is made of: by company and step, each leading to its entries."""
    at = group_address(request, state, group)
    known = position_of(state, at)
    if known is None or column not in (OPENING, CLOSING, *CAUSES):
        raise Http404
    work, position = known
    target = RESULT_ROW if code == "result" else work.books.accounts.place.get(code)
    if target is None:
        raise Http404
    names = company_names(state)
    sources = equity_sources(work, position.period, target, column)
    rows = [
        (
            names.get(name, name) or "All companies",
            HEADS.get(step, step.capitalize()),
            _entries(at, step, name),
            amount,
        )
        for (step, name), amount in sorted(sources.items(), key=lambda pair: (pair[0][1], pair[0][0]))
    ]
    known_account = queries.group_accounts(state, at.group).get(code)
    return render(
        request,
        "group/equity_cell.html",
        group_context(state, at)
        | {
            "account": known_account,
            "column": column,
            "rows": rows,
            "total": sum(sources.values()),
            "opening": column == OPENING,
        },
    )


def _entries(at: GroupAddress, step: str, name: str) -> str:
    if not name or step not in HEADS:
        return f"{reverse('group-sides', args=[at.group.group])}?{at.query}"
    return f"{reverse('group-step', args=[at.group.group, step, name])}?{at.query}"


@needs(SIGNED_IN)
def reserve_cell(request: PineRequest, state: State, group: str, company: str) -> HttpResponse:
    """How the proof of a company's translation reserve is reckoned: each amount by the change of its rate."""
    at = group_address(request, state, group)
    known = position_of(state, at)
    row = state.get(Company, company)
    if known is None or row is None:
        raise Http404
    work, position = known
    owner = row.adjusts or company
    standing = work.standings.get(owner)
    proven = next((one for one in proofs(work, position.period)[0] if one.company == company), None)
    if standing is None or proven is None:
        raise Http404
    try:
        sets = work.translated(owner, position.period)
        one = next(one for one in sets if one.books.name == company)
        parts = reserve_parts(work, one, standing.base, position.period)
    except NotReady as missing:
        raise Http404 from missing
    periods = work.periods.rows
    shown = [
        (
            part,
            periods[part.number - 1].name if part.number else "Brought forward",
            -round_half_up(part.brings),
        )
        for part in parts
    ]
    return render(
        request,
        "group/reserve_cell.html",
        group_context(state, at)
        | {
            "company": row,
            "proof": proven,
            "parts": shown,
            "own_digits": digits_of(row.currency),
        },
    )
