"""The steps of a group as a matrix: companies down, steps across, each cell with what it brings to equity and
to the result, and the entries behind it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from fractions import Fraction
from typing import NamedTuple

from core.consolidation.entries import Entries
from core.consolidation.position import STEPS, Consolidation, Position

TOGETHER = ("books", "translation")
"""Steps that sum to zero together."""


class StepEffect(NamedTuple):
    """What a step brings to the owners' equity with the result, and of it to their result: raised is plus,
    minor units of the group's currency. `off` is what its entries don't sum to zero by."""

    equity: int
    result: int
    off: int


@dataclass(frozen=True)
class StepRow:
    """One set of books. `share` at the period; `waits` says why it isn't in, `gone` that it went out."""

    name: str
    company: str
    currency: str
    method: str
    share: Fraction
    cells: Mapping[str, StepEffect]
    waits: str = ""
    gone: bool = False
    stray: bool = False
    disagrees: bool = False

    @property
    def is_adjusting(self) -> bool:
        return self.name != self.company

    def total(self, measure: str) -> int:
        return sum(getattr(cell, measure) for cell in self.cells.values())

    @property
    def mark(self) -> str:
        """must: not in, out of balance or with amounts that have no place; look: with sides that disagree."""
        off = sum(cell.off for cell in self.cells.values())
        return "must" if self.waits or self.stray or off else "look" if self.disagrees else "ok"


def brought(group: Consolidation, entries: Entries) -> StepEffect:
    accounts = group.books.accounts
    equity = result = 0
    for target, amount in entries.items():
        if accounts.is_result(target):
            result -= amount
        elif accounts.is_equity(target) and target != group.named.minority:
            equity -= amount
    return StepEffect(equity + result, result, sum(entries.values()))


def step_rows(group: Consolidation, position: Position) -> list[StepRow]:
    """All sets of books that are in, wait, or went out this year, a company's adjusting books below it."""
    eliminated = _eliminated(position)
    apart = {name for row in position.outcome.disagreements for name in (row.company, row.partner)}
    rows = []
    for company, standing in group.standings.items():
        gone = group.is_leaving(standing, position.period)
        if not standing.is_in[position.period] and not gone:
            continue
        for books in group.books.of(company):
            own = books.name == company
            cells = {
                step: brought(group, position.steps[step, books.name])
                for step in STEPS
                if (step, books.name) in position.steps
            }
            if own and company in eliminated:
                cells["elimination"] = brought(group, eliminated[company])._replace(off=0)
            waits = str(position.waiting.get(company, "")) if own else ""
            stray = any(
                target >= len(group.books.accounts.codes) and amount
                for target, amount in position.steps.get(("books", books.name), {}).items()
            )
            rows.append(
                StepRow(
                    books.name,
                    company,
                    books.currency,
                    standing.method,
                    standing.share(position.period),
                    _together(cells),
                    waits,
                    gone,
                    stray,
                    own and company in apart,
                )
            )
    return rows


def _together(cells: dict[str, StepEffect]) -> dict[str, StepEffect]:
    """Books and translation sum to zero together: what is off is told at the second."""
    if "books" in cells:
        off = sum(cells[step].off for step in TOGETHER if step in cells)
        cells["books"] = cells["books"]._replace(off=0)
        last = "translation" if "translation" in cells else "books"
        cells[last] = cells[last]._replace(off=off)
    return cells


def _eliminated(position: Position) -> dict[str, Entries]:
    """By company what eliminations took from it."""
    by_company: dict[str, Entries] = {}
    for (company, _, target), amount in position.outcome.taken.items():
        entries = by_company.setdefault(company, {})
        entries[target] = entries.get(target, 0) - amount
    return by_company


def differences(group: Consolidation, position: Position) -> StepEffect:
    """What eliminations left on difference accounts, with no company's name."""
    entries: Entries = {}
    for target, amount in position.outcome.posted:
        entries[target] = entries.get(target, 0) + amount
    return brought(group, entries)._replace(off=0)


class StepEntry(NamedTuple):
    """One entry of a step: account, raw amount, and what it is about (a partner, a rule)."""

    account: str
    amount: int
    about: str = ""


def step_entries(group: Consolidation, position: Position, step: str, name: str) -> Iterator[StepEntry]:
    """Debits before credits, in order of accounts; eliminations of a company by partner."""
    accounts = group.books.accounts
    if step == "elimination":
        rows = [
            StepEntry(accounts.name(target), -amount, partner)
            for (company, partner, target), amount in sorted(position.outcome.taken.items())
            if company == name and amount
        ]
    else:
        entries = position.steps.get((step, name), {})
        rows = [StepEntry(accounts.name(target), amount) for target, amount in entries.items() if amount]
    yield from sorted(rows, key=lambda row: (row.amount < 0, row.account, row.about))
