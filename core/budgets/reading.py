"""Budget amounts as a person gives them: one cell keyed, with thousands marks or as a formula; rows of a
file or
the clipboard."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from fractions import Fraction
from typing import NamedTuple

from core.budgets.cells import BudgetCell, BudgetYear, CellEdit, Cells
from core.budgets.keying import NewString, keyed
from core.definitions.row_proposals import CHANGED, FAULT, NEW, SAME, RowProposal, plain_rows, too_many
from core.faults import Fault, Location, Refused
from core.money import format_amount, parse_keyed_amount, round_half_up
from core.statements import formulas
from core.writing import keyed_cells

NAMES = ("before", "now")
"""What a formula in a cell may name: the year before's figure of the same period, and what stands there."""
YEAR = "year"
MOST = 20_000


def read_amount(text: str, digits: int, named: Mapping[str, int | None] | None = None) -> int | None:
    """Minor units of an amount in the person's way of writing, or of `=[before] * 1.03`; None where nothing
    is given. Raises ValueError with a sentence."""
    text = text.strip().replace("\u2212", "-")
    if not text or text in ("-", "—"):
        return None
    if text.startswith("="):
        return _worked_out(text[1:], digits, named or {})
    amount = parse_keyed_amount(text, digits)
    if isinstance(amount, str):
        raise ValueError(amount)
    return amount


def _worked_out(text: str, digits: int, named: Mapping[str, int | None]) -> int:
    formula = formulas.parse(text)
    if formula.fault:
        raise ValueError(formula.fault)
    if unknown := [name for name in formula.lines if name not in NAMES]:
        raise ValueError(f"[{unknown[0]}] is not known here; [before] and [now] are.")
    unit = 10**digits
    value = formulas.evaluate(formula, lambda name: Fraction(named.get(name) or 0, unit))
    if value is None:
        raise ValueError("The formula divides by nothing.")
    return round_half_up(value * unit)


class Account(NamedTuple):
    """What a row's account cell names: natural accounts, with a string of its own where it is a whole one."""

    natural: str
    string: tuple[str, str] | None
    name: str


@dataclass(frozen=True)
class BudgetRows:
    """Rows compared with the cells: a proposal each, and the edits of all where there is no fault."""

    rows: list[RowProposal]
    edits: list[CellEdit]
    faults: list[Fault] = field(default_factory=list)


@dataclass(frozen=True)
class BudgetReader:
    """Reads rows of `account`, `dimensions` if they are given, and a column for each period (its number or
    name) or the `year`. Amounts are in the direction of each account's line."""

    year: BudgetYear
    before: Cells
    names: Mapping[str, int]
    """numbers of the periods, by number and by name in small letters"""
    digits: int
    account: Callable[[str, str], Account]
    """reads an account cell and its dimensions; raises Refused"""
    direction: Callable[[str], int]
    new_string: NewString

    def read(self, records: Sequence[Sequence[str]]) -> BudgetRows:
        rows = plain_rows(records)
        titles = [cell.lower() for cell in rows[0]] if rows else []
        first = 1
        if "account" in titles:
            rows, first = rows[1:], 2
        else:
            titles = ["account", *(str(period) for period in self.year.periods)][
                : max(map(len, rows), default=0)
            ]
        if unknown := [name for name in titles if not self._known(name)]:
            what = f"There is no column '{unknown[0]}' here."
            way_out = "Its columns are account, dimensions, year, and periods by number or name."
            place = Location("budget_lines", (), unknown[0], row=1)
            return BudgetRows([], [], [Fault("column-unknown", what, place, way_out)])
        if faults := too_many(rows, MOST, "budget_lines"):
            return BudgetRows([], [], faults)
        return self._compared(titles, rows, first)

    def _known(self, name: str) -> bool:
        return name in ("account", "dimensions", YEAR) or name in self.names

    def _compared(self, titles: list[str], rows: list[list[str]], first: int) -> BudgetRows:
        now, proposals, seen = self.year, list[RowProposal](), dict[tuple[str, str], int]()
        for number, record in enumerate(rows, first):
            cells = dict(zip(titles, [*record, *[""] * len(titles)], strict=False))
            proposal = RowProposal(number, cells["account"], "", SAME)
            proposals.append(proposal)
            key = (cells["account"], cells.get("dimensions", ""))
            try:
                if key in seen:
                    what = f"{key[0]} stands twice, in row {seen[key]} too."
                    raise Refused([Fault("key-twice", what, Location(column="account"), "Add them up.")])
                seen[key] = number
                edits = self._row(now, cells, proposal)
            except Refused as refused:
                proposal.kind = FAULT
                proposal.faults = [fault.at(row=number) for fault in refused.faults]
                continue
            now = now.with_edits(edits)
        faults = [fault for row in proposals for fault in row.faults]
        after = {cell: now.cells.get(cell) for cell in {*self.year.cells, *now.cells}}
        return BudgetRows(proposals, [] if faults else self.year.edits(after), faults)

    def _row(self, now: BudgetYear, cells: Mapping[str, str], proposal: RowProposal) -> list[CellEdit]:
        account = self.account(cells["account"], cells.get("dimensions", ""))
        proposal.name = account.name
        year, before, string = now, self.before, account.string
        if string:
            year, before = of_string(now, string), {c: a for c, a in before.items() if c[1:] == string}

        def new_string(natural: str) -> tuple[str, str]:
            return string or self.new_string(natural)

        edits: list[CellEdit] = []
        for name, text in cells.items():
            periods = year.periods if name == YEAR else [self.names[name]] if name in self.names else []
            if not periods or not text.strip():
                continue
            amount = self._amount(name, text)
            made = keyed(
                year, before, [account.natural], periods, amount * self.direction(account.natural), new_string
            )
            was = year.of([account.natural], periods)
            if made:
                shown = year.standing_sum(was) * self.direction(account.natural)
                told = format_amount(shown, self.digits) if was else ""
                proposal.differences.append((name, told, format_amount(amount, self.digits)))
                proposal.kind = CHANGED if was or proposal.kind == CHANGED else NEW
            edits += made
            year = year.with_edits(made)
        return edits

    def _amount(self, name: str, text: str) -> int:
        try:
            with keyed_cells(from_file=True):
                return read_amount(text, self.digits) or 0
        except ValueError as refused:
            place = Location("budget_lines", (), name, text)
            raise Refused([Fault("amount-unreadable", str(refused), place, "Correct the amount.")]) from None


def of_string(year: BudgetYear, string: tuple[str, str]) -> BudgetYear:
    """The cells of one account string with its dimensions alone."""
    cells: dict[BudgetCell, int] = {cell: amount for cell, amount in year.cells.items() if cell[1:] == string}
    return replace(year, cells=cells)
