"""The steps page: companies down, steps across; a cell opens into its entries."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction
from html import escape
from typing import Any

from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.utils.safestring import SafeString, mark_safe

from core.consolidation.position import Consolidation, Position
from core.definitions.state import State
from core.definitions.tables import Acquisition, Company, Elimination, Group
from core.group.rates import NotReady
from core.group.translation_rules import CLOSING
from core.group_figures.proof import ReserveProof, proofs
from core.group_figures.step_matrix import (
    StepEffect,
    StepRow,
    differences,
    step_entries,
    step_rows,
)
from core.money import UNITS, digits_of, parse_amount, show_amount, show_percent, show_whole
from web.definitions.viewing import PineRequest
from web.group import queries
from web.group.addresses import GroupAddress, group_address
from web.group.figure import STEP_TITLES
from web.group.statement import company_names
from web.people.rights import SIGNED_IN, needs
from web.shell.table_rows import Cell, TableRow, addresses, table_rows
from web.shell.templatetags.pine import as_rate

ACROSS = ("books", "translation", "share", "equity", "acquisition", "disposal", "minority", "elimination")
HEADS = {
    "books": "Books",
    "translation": "Reserve",
    "share": "Share",
    "equity": "By equity",
    "acquisition": "Acquisition",
    "disposal": "Gone",
    "minority": "Minority",
    "elimination": "Eliminated",
}
ALWAYS = ("books", "translation", "acquisition", "minority", "elimination")
MEASURES = ("equity", "result")
SAYS = {"must": "to be put right", "look": "worth a look", "ok": "in order"}


def position_of(state: State, at: GroupAddress) -> tuple[Consolidation, Position] | None:
    if at.period_row is None:
        return None
    return queries.position_at(state, at.group.group, at.year, at.period)


def group_context(state: State, at: GroupAddress) -> dict[str, Any]:
    """What all pages of a group know."""
    return {
        "group": at.group,
        "at": at,
        "query": at.query,
        "period": at.period_row,
        "periods": [at.calendar.of_year(year) for year in reversed(at.calendar.years())],
        "groups": list(state.rows(Group)),
        "digits": digits_of(at.group.currency),
    }


def share_text(share: Fraction, method: str) -> str:
    text = show_percent(share)
    return text if method == "full" else f"{text} {method}"


class StepTable:
    """The matrix as rows; amounts in the unit asked for, thousands where none is."""

    def __init__(self, group: Consolidation, position: Position, at: GroupAddress, measure: str) -> None:
        self.group, self.position, self.at, self.measure = group, position, at, measure
        self.unit = at.unit or "thousands"
        self.lines = step_rows(group, position)
        self.apart = differences(group, position)
        used = {step for row in self.lines for step in row.cells}
        self.steps = [step for step in ACROSS if step in ALWAYS or step in used]
        self.digits = digits_of(group.group.currency)

    def heads(self) -> list[str]:
        return [HEADS[step] for step in self.steps]

    def _show(self, value: int | None) -> str:
        return show_whole(value, self.digits, UNITS[self.unit])

    def _value(self, cell: StepEffect | None) -> int | None:
        return None if cell is None else getattr(cell, self.measure) or None

    def rows(self, names: dict[str, str]) -> SafeString:
        return table_rows([*(self._row(row, names) for row in self.lines), *self._last()])

    def _row(self, row: StepRow, names: dict[str, str]) -> TableRow:
        mark = f'<span class="{row.mark}" title="{SAYS[row.mark]}"></span>'
        title = names.get(row.name, row.name)
        cells = [
            Cell(_marked(mark, title), "d1 stays" if row.is_adjusting else "stays", title=row.waits),
            Cell(row.currency, "code"),
            Cell("went out" if row.gone else share_text(row.share, row.method), "sub whitespace-nowrap"),
        ]
        for step in self.steps:
            cell = row.cells.get(step)
            address = addresses("group-step", self.group.group.group, step)
            exact = "" if cell is None else show_amount(getattr(cell, self.measure), self.digits)
            link = f"{address(row.name)}?{self.at.query}" if cell is not None else ""
            text = self._show(self._value(cell)) if cell is None or not cell.off else "■ off"
            cells.append(Cell(text, "num", link=link, in_proof=True, title=exact, opens=step == "books"))
        total = row.total(self.measure)
        cells.append(Cell(self._show(total or None), "num total", title=show_amount(total, self.digits)))
        return TableRow(row.name, cells)

    def _last(self) -> Iterator[TableRow]:
        empty = [Cell(""), Cell("")]
        apart: int = getattr(self.apart, self.measure)
        if apart:
            blank = [Cell("—", "num") for _ in self.steps[:-1]]
            amount = self._show(apart)
            cells = [Cell("Differences of eliminations", "stays"), *empty, *blank]
            yield TableRow("differences", [*cells, Cell(amount, "num"), Cell(amount, "num total")])
        sums = []
        for step in self.steps:
            total = sum(getattr(row.cells[step], self.measure) for row in self.lines if step in row.cells)
            sums.append(total + (apart if step == "elimination" else 0))
        total_cells = [
            Cell(self._show(value or None), "num", title=show_amount(value, self.digits)) for value in sums
        ]
        end = Cell(self._show(sum(sums)), "num total", title=show_amount(sum(sums), self.digits))
        yield TableRow("group", [Cell("Group", "stays"), *empty, *total_cells, end], css="heading")


def _marked(mark: str, title: str) -> SafeString:
    return mark_safe(mark + escape(title))  # noqa: S308 - the name is escaped, the mark is ours


@needs(SIGNED_IN)
def steps(request: PineRequest, state: State, group: str) -> HttpResponse:
    at = group_address(request, state, group)
    known = position_of(state, at)
    measure = request.GET.get("of", "equity")
    measure = measure if measure in MEASURES else "equity"
    context = group_context(state, at) | {"measure": measure, "measures": MEASURES}
    if known is not None:
        names = company_names(state)
        table = StepTable(*known, at, measure)
        context |= {
            "table": table,
            "rows": table.rows(names),
            "waiting": [(names.get(name, name), why) for name, why in queries.waiting_of(known[1])],
            "partial": queries.told_of_members(known[1], known[1].waiting),
            "off": sum(cell.off for row in table.lines for cell in row.cells.values()),
            "disagreements": len(known[1].outcome.disagreements),
            "strays": [row for row in table.lines if row.stray],
            **_reserve(*known),
        }
    return render(request, "group/steps.html", context)


def _reserve(group: Consolidation, position: Position) -> dict[str, Any]:
    """What the proofs explain of the reserve: the whole, and what roundings are of it."""
    rows, without = proofs(group, position.period)
    return {
        "reserve": -sum(row.closing for row in rows),
        "rounding": -sum(row.rounding for row in rows),
        "unproven": len(without),
    }


@needs(SIGNED_IN)
def step(request: PineRequest, state: State, group: str, act: str, company: str) -> HttpResponse:
    """The entries of one step of one set of books, as debits and credits, with why they are so."""
    at = group_address(request, state, group)
    known = position_of(state, at)
    if known is None or act not in STEP_TITLES or state.get(Company, company) is None:
        raise Http404
    work, position = known
    entries = list(step_entries(work, position, act, company))
    accounts = queries.group_accounts(state, at.group)
    names = company_names(state)
    rows = [
        (entry, accounts[entry.account].name if entry.account in accounts else "", names.get(entry.about, ""))
        for entry in entries
    ]
    context = group_context(state, at) | {
        "title": f"{names[company]}, {HEADS[act].lower()}",
        "rows": rows,
        "debit": sum(entry.amount for entry in entries if entry.amount > 0),
        "credit": -sum(entry.amount for entry in entries if entry.amount < 0),
        "why": list(_why(work, position, act, company)),
        "proof": _proof_of(work, position, company) if act == "translation" else None,
    }
    return render(request, "group/step.html", context)


def _proof_of(group: Consolidation, position: Position, name: str) -> ReserveProof | None:
    rows, _ = proofs(group, position.period)
    return next((row for row in rows if row.company == name), None)


def _why(group: Consolidation, position: Position, step_name: str, name: str) -> Iterator[str]:
    """Sentences: by which rule, rate and share."""
    row = group.state.require(Company, name)
    owner, p = row.adjusts or name, position.period
    if (standing := group.standings.get(owner)) is None:
        return
    if step_name == "books":
        yield from _rates_used(group, row.currency, p)
    elif step_name == "translation":
        yield "What remains so that the company sums to zero."
    elif step_name in ("share", "equity"):
        yield f"{share_text(standing.h[p], standing.method)}: what is not the group's is taken away."
    elif step_name == "acquisition":
        yield from _bought(group, owner, p)
    elif step_name == "minority":
        yield f"{share_text(standing.minority(p), 'full')} of equity, and of the result since it was closed."
    elif step_name == "elimination":
        rules = group.state.part(Elimination, group.group.group).values()
        for rule in sorted(rules, key=lambda rule: rule.position):
            title = rule.name or rule.elimination
            yield f"{title}: {rule.accounts}, differences on {rule.difference_account}."
    elif step_name == "disposal":
        yield "Its result of this year, and on the disposal account the gain or loss of parting with it."


def _rates_used(group: Consolidation, currency: str, p: int) -> Iterator[str]:
    if currency == group.group.currency:
        return
    try:
        rate = as_rate(group.rates.of(CLOSING, currency, p))
        yield f"Assets and liabilities at the closing rate {rate} of {group.periods.ends_on(p)}."
    except NotReady as missing:
        yield f"It {missing}."
    yield "Revenue and expense at the average rate of each period, equity at historical rates."


def _bought(group: Consolidation, holder: str, p: int) -> Iterator[str]:
    """The acquisitions that a company holds, oldest first: the first row of a member brings its equity in and
    leaves goodwill, later ones buy from the minority or sell to it."""
    into, names = group.group.currency, company_names(group.state)
    rows = group.state.part(Acquisition, group.group.group).values()
    known: set[str] = set()
    for row in sorted(rows, key=lambda row: row.on):
        if row.holder == holder and row.on <= group.periods.ends_on(p):
            cost = parse_amount(row.cost, digits_of(into))
            shown = show_amount(cost, digits_of(into)) if isinstance(cost, int) else row.cost
            percent, member = (
                show_percent(abs(Fraction(row.percent)) / 100),
                names.get(row.member, row.member),
            )
            if row.member not in known:
                yield (
                    f"{percent} of {member} on {row.on}: cost {shown} {into} against the equity acquired; the"
                    f" rest is goodwill on {row.goodwill_account}."
                )
            else:
                done = "bought from" if row.percent >= 0 else "sold to"
                yield (
                    f"{percent} of {member} {done} its minority on {row.on} for {shown.removeprefix('−')}"
                    f" {into}: goodwill stays, and what that differs from the equity by stands on"
                    f" {group.group.retained_account}."
                )
            known.add(row.member)
