"""The movement of equity, and the proof of each translation reserve."""

from __future__ import annotations

from collections.abc import Sequence

from django.http import HttpResponse
from django.shortcuts import render
from django.utils.safestring import SafeString

from core.consolidation.position import Consolidation
from core.definitions.state import State
from core.group_figures.equity_movement import CAUSES, RESULT_ROW, EquityRow, equity_movement
from core.group_figures.proof import proofs
from core.money import UNITS, show_amount, show_whole
from web.definitions.viewing import PineRequest
from web.group import queries
from web.group.addresses import group_address
from web.group.statement import company_names
from web.group.steps import group_context, position_of
from web.people.rights import SIGNED_IN, needs
from web.shell.table_rows import Cell, TableRow, table_rows

PROOF = ("opening", "net_assets", "result", "other", "rounding", "closing")


def movement_rows(
    group: Consolidation, rows: Sequence[EquityRow], names: dict[str, str], digits: int, unit: int
) -> SafeString:
    """An account a row, then all together; raised is plus."""

    def cell(value: int, css: str = "num") -> Cell:
        return Cell(show_whole(value or None, digits, unit), css, title=show_amount(value, digits))

    def row(title: str, key: str, one: EquityRow, css: str = "", code: str = "") -> TableRow:
        causes = [cell(one.causes[cause]) for cause in CAUSES]
        ends = cell(one.closing, "num total")
        return TableRow(key, [Cell(title, code=code), cell(one.opening), *causes, ends], css=css)

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
            "rows": movement_rows(work, rows, accounts, context["digits"], UNITS[unit]),
            "proofs": [
                (names.get(row.company, row.company), row, [-getattr(row, name) for name in PROOF])
                for row in proven
            ],
            "proof_total": [-sum(getattr(row, name) for row in proven) for name in PROOF],
            "without": [(names.get(name, name), why) for name, why in sorted(without.items())],
            "waiting": [(names.get(name, name), why) for name, why in queries.waiting_of(position)],
            "partial": queries.told_of_members(position, position.waiting),
        }
    return render(request, "group/equity.html", context)
